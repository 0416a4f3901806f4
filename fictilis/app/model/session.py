"""What undo goes back to, and what the interface is in the middle of beside it: frozen values, changed in one place."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import Struct, field
from msgspec.structs import replace

from fictilis.app.model.tool_settings import MIX, ToolSettings
from fictilis.core.animation.curve import Key
from fictilis.core.geometry.picked import Pick, element_count
from fictilis.core.ground.errors import there
from fictilis.core.mix.channels import ChannelRef, find_channel
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.rigs import turn_ids
from fictilis.core.scene.scene import MorphObject, Scene, targets_by_id
from fictilis.core.scene.timeline import Animated
from fictilis.render.stage import IN_THE_MIX

if TYPE_CHECKING:
    from fictilis.core.scene.light import Light
    from fictilis.formats.choices import Choices
    from fictilis.pictures.orders import Order


class Seeing(Struct, frozen=True):
    """What the view shows besides the surface. ``colour`` is ``displacement``, ``stretch``, ``cuts`` or nothing; ``scale`` the
    displacement in cm at full colour, 0 for the largest; ``ghosts`` of ``frames``, of ``keys`` or of nothing; ``sharp``: at
    full resolution while something moves too; ``beside`` what the second view shows, nothing for one view, at ``beside_frame``
    where that is another frame."""

    wire: bool = False
    points: bool = False
    colour: str = ""
    scale: float = 0.0
    ghost: bool = False
    texture: bool = False
    before: bool = False
    paths: bool = False
    numbers: bool = False
    about_pick: bool = False
    ghosts: str = ""
    ghost_count: int = 2
    ghost_step: int = 4
    motion: bool = False
    compass: bool = True
    measures: bool = True
    ground: bool = False
    ground_at_zero: bool = False
    joints: bool = False
    sharp: bool = False
    beside: str = ""
    beside_frame: float = 0.0
    beside_alike: bool = True


class Notice(Struct, frozen=True):
    """A sentence, and what its button does."""

    sentence: str
    button: str
    run: Callable[[], object]


class Preferences(Struct, frozen=True, eq=False, weakref=True, kw_only=True):
    """What outlives opening another scene."""

    tools: ToolSettings = ToolSettings()
    seeing: Seeing = Seeing()
    auto_key: bool = False
    hold_guard: bool = True
    prove_exports: bool = True
    loop: bool = True
    back_and_forth: bool = False
    every_frame: bool = False
    exact: bool = False
    speed: float = 1.0
    time_shown: str = "frames"
    lanes_shown: str = "all"
    together: bool = False
    shared_scale: bool = False
    scrub_sound: bool = True
    dark: bool = False
    large: bool = False
    tool_names: bool = True
    guided: bool = False
    cues_shown: bool = False
    take_within: float = 0.002
    take_waiting: bool = False


class Session(Preferences, frozen=True, eq=False, weakref=True):
    """``object_id`` and ``selected`` say what is shown and chosen; ``keys`` which keys; ``shaping`` what a stroke changes and
    ``before`` the scene when that began; ``band`` the one of Retime; ``copied`` keys by lane; ``cue`` the id of the
    one chosen."""

    frame: float = 0.0
    object_id: str | None = None
    selected: tuple[ChannelRef, ...] = ()
    keys: frozenset[KeyRef] = frozenset()
    shaping: ShapeRef | None = None
    before: Scene | None = None
    base_choice: str | None = None
    base_choice_kept: bool = False
    way: str = IN_THE_MIX
    band: tuple[float, float] | None = None
    copied: Mapping[ChannelRef, tuple[Key, ...]] = field(default_factory=dict)
    through_camera: bool = False
    playing: bool = False
    rehearsing: bool = False
    taking: bool = False
    cue: str | None = None
    exported: tuple[Path, Choices] | None = None
    ordered: tuple[Order, Light] | None = None

    def at(self, frame: float) -> Session:
        """The same at another frame."""
        return replace(self, frame=frame)

    def for_scene(self, scene: Scene) -> Session:
        """The session that begins with another scene: the preferences stay, and nothing that points into the old scene."""
        kept = {name: getattr(self, name) for name in Preferences.__struct_fields__}
        kept["tools"] = replace(
            self.tools, pivot="Pick" if self.tools.pivot == "Placed" else self.tools.pivot, pivot_place=None, blend_to=MIX
        )
        if self.lanes_shown.startswith("group:"):
            kept["lanes_shown"] = "all"
        in_hand = next((clip for clip in scene.clips if clip.id == scene.clip), None)
        if in_hand is not None:
            kept["loop"] = in_hand.loop
        return Session(scene.start, scene.objects[0].id if scene.objects else None, **kept)

    def fitting(self, scene: Scene) -> Session:
        """This session without what points at something that is gone, or that is not shown: the one place that prunes."""
        obj = next((o for o in scene.objects if o.id == self.object_id), None)
        shaping = self.shaping if obj is not None else None
        obj = obj or (scene.objects[-1] if scene.objects else None)
        shown = {owner.id: owner for owner in (obj, scene.camera) if owner is not None}
        shaping = shaping if shaping is not None and shaping.exists_in(there(obj)) else None
        lanes = self.lanes_shown
        if lanes.startswith("group:") and (obj is None or obj.group(lanes.removeprefix("group:")) is None):
            lanes = "all"
        tools = self.tools
        if tools.blend_to != MIX and (obj is None or tools.blend_to and tools.blend_to not in targets_by_id(obj)):
            tools = replace(tools, blend_to=MIX)
        return replace(
            self, object_id=obj.id if obj is not None else None, shaping=shaping, lanes_shown=lanes, tools=tools,
            selected=tuple(r for r in self.selected if r.owner in shown and find_channel(shown[r.owner], r.channel)),
            keys=frozenset(k for k in self.keys if k.owner in shown and not self.cues_shown and _has_key(shown[k.owner], k)),
            before=self.before if shaping is not None else None, through_camera=self.through_camera and bool(scene.cameras),
            cue=self.cue if any(c.id == self.cue for c in scene.cues) else None,
        )  # fmt: skip


def _has_key(owner: Animated, key: KeyRef) -> bool:
    lane = owner.lane(key.channel)
    return lane is not None and lane.curve.key_at(key.frame) is not None


# fields that point into the scene, or say which of it is seen
POINTING = ("object_id", "selected", "keys", "shaping", "lanes_shown", "through_camera", "cue", "cues_shown")
NAMES = frozenset(Session.__struct_fields__)


class State(Struct, frozen=True, eq=False, weakref=True):
    """What undo goes back to. ``posed``: values set over a lane at ``frame`` and not keyed, by owner and channel id.

    ``picks``: what is picked, by object id. ``version`` is a number of the scene that undo and redo bring back.
    """

    scene: Scene
    posed: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    picks: Mapping[str, Pick] = field(default_factory=dict)
    version: int = 0
    frame: float = 0.0

    def fitting(self, before: Scene, frame: float) -> State:
        """This state without poses of another frame or of lanes that are gone, and without picks of what is gone or was made
        anew since ``before``."""
        posed = _standing(self.posed, self.scene) if self.frame == frame else {}
        there, was = {o.id: o for o in self.scene.objects}, {o.id: o for o in before.objects}

        def stays(object_id: str, pick: Pick) -> bool:
            obj, old = there.get(object_id), was.get(object_id)
            same = obj is not None and old is not None and obj.geometry is old.geometry
            return same or obj is not None and (not len(pick) or pick.elements[-1] < element_count(obj.geometry, pick.kind))

        picks = {object_id: pick for object_id, pick in self.picks.items() if stays(object_id, pick)}
        same = posed == self.posed and len(picks) == len(self.picks)
        return self if same and self.frame == frame else replace(self, posed=posed, picks=picks, frame=frame)


def _standing(posed: Mapping[str, Mapping[str, float]], scene: Scene) -> dict[str, dict[str, float]]:
    """Posed values whose lanes are there, and joints turned for a look."""
    out = {}
    for owner in scene.owners:
        rig = owner.skin.rig if isinstance(owner, MorphObject) and owner.skin is not None else None
        looks = frozenset(turn_ids(rig)) if rig is not None else frozenset()
        kept = {c: v for c, v in posed.get(owner.id, {}).items() if owner.lane(c) is not None or c in looks}
        if kept:
            out[owner.id] = kept
    return out


class Live(Struct, frozen=True, eq=False, weakref=True):
    """What a rehearsal shows beside the scene: it with nothing that leads by itself, and values by object and channel."""

    scene: Scene
    posed: Mapping[str, Mapping[str, float]]
