"""The actions of cues, in the menu Time."""

from __future__ import annotations

from msgspec.structs import replace

from fictilis.app.commands.needs import Need, always
from fictilis.app.commands.row import Row, operated
from fictilis.app.model.document import Document


def _on(doc: Document) -> bool:
    return any(c.id == doc.cue and c.on for c in doc.scene.cues)


has_cues = Need("make a cue first", lambda d: bool(d.scene.cues))
has_cue = Need("choose a cue first", lambda d: any(c.id == d.cue for c in d.scene.cues))
CUE_ROWS: tuple[Row, ...] = (
    Row("cues", "Time/Cues", "Show the cues", "toggle", ("Ctrl+Shift+C",), always, lambda d: d.cues_shown,
        lambda s: replace(s, cues_shown=not s.cues_shown)),
    Row("rehearse", "Time/Cues", "Rehearse", "rehearse", ("Ctrl+R",), has_cues, lambda d: d.rehearsing),
    Row("take", "Time/Cues", "Take: record what is rehearsed as keys", "record_take", ("Ctrl+Shift+R",), has_cues,
        lambda d: d.taking),
    operated("new-cue", "Time/Cues", "cue-new", ("Ctrl+Shift+U",), given=lambda _d: {}),
    Row("test-cue", "Time/Cues", "Test the cue", "test_cue", (), has_cue),
    operated("duplicate-cue", "Time/Cues", "cue-duplicate"),
    operated("rename-cue", "Time/Cues", "cue-rename"),
    operated("switch-cue", "Time/Cues", "cue-switch", (), _on, lambda d: {"off": _on(d)}),
    Row("cue-up", "Time/Cues", "Move the cue up", "move_cue", (), has_cue, argument=-1),
    Row("cue-down", "Time/Cues", "Move the cue down", "move_cue", (), has_cue, argument=1),
    operated("remove-cue", "Time/Cues", "cue-remove"),
)  # fmt: skip
