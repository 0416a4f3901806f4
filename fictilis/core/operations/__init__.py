"""Every operation in one table, by id."""

from fictilis.core.operations.cameras import CAMERAS
from fictilis.core.operations.clips import CLIPS
from fictilis.core.operations.correctives import CORRECTIVES
from fictilis.core.operations.cues import CUES
from fictilis.core.operations.deformers import DEFORMS
from fictilis.core.operations.lanes import KEYS, LANES, MODIFIERS, TIMES
from fictilis.core.operations.lines import LINES
from fictilis.core.operations.meshes import MESHES, OBJECTS
from fictilis.core.operations.relays import RELAYS
from fictilis.core.operations.repeats import REPEATS
from fictilis.core.operations.rigs import RIGS
from fictilis.core.operations.seeing import LIGHTS, MEASURES
from fictilis.core.operations.shapes import SHAPES
from fictilis.core.operations.springs import SPRINGS
from fictilis.core.operations.sweeps import SWEEPS
from fictilis.core.operations.targets import LINKS, MIXES, TARGETS, TRANSFER

OPERATIONS = {
    operation.id: operation
    for operation in (
        *TARGETS,
        *CORRECTIVES,
        *RELAYS,
        *SWEEPS,
        *MESHES,
        *LINES,
        *REPEATS,
        *SPRINGS,
        *DEFORMS,
        *RIGS,
        *LINKS,
        *TRANSFER,
        *OBJECTS,
        *MIXES,
        *LANES,
        *MODIFIERS,
        *KEYS,
        *TIMES,
        *CAMERAS,
        *CLIPS,
        *CUES,
        *SHAPES,
        *LIGHTS,
        *MEASURES,
    )
}
