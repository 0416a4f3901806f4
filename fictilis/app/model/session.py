"""What undo goes back to, and what the interface is in the middle of beside it: frozen values, changed in one place."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, fields, replace
from typing import Any

from fictilis.app.model.tool_settings import MIX, ToolSettings
from fictilis.core.animation.curve import Key
from fictilis.core.channels import ChannelRef
from fictilis.core.edits.keys import KeyRef
from fictilis.core.edits.shape import ShapeRef
from fictilis.core.scene import Pick, Scene
from fictilis.render.stage import IN_THE_MIX


@dataclass(frozen=True)
class Seeing:
    """What the view shows besides the surface. ``colour`` is ``displacement``, ``stretch``, ``cuts`` or nothing;
    ``scale`` the displacement in cm at full colour, 0 for the largest; ``ghosts`` of ``frames``, of ``keys`` or of nothing."""

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


@dataclass(frozen=True)
class Notice:
    """A sentence, and what its button does."""

    sentence: str
    button: str
    run: Callable[[], object]


def _preference(default: Any) -> Any:
    """A field that outlives opening another scene."""
    return field(default=default, metadata={"preference": True})


@dataclass(frozen=True, eq=False)
class Session:
    """``object_id`` and ``selected`` say what is shown and chosen; ``keys`` which keys; ``shaping`` what a stroke changes and
    ``before`` the scene when that began; ``band`` the one of Retime; ``copied`` keys by lane."""

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
    tools: ToolSettings = _preference(ToolSettings())
    seeing: Seeing = _preference(Seeing())
    auto_key: bool = _preference(False)
    hold_guard: bool = _preference(True)
    loop: bool = _preference(True)
    back_and_forth: bool = _preference(False)
    every_frame: bool = _preference(False)
    speed: float = _preference(1.0)
    time_shown: str = _preference("frames")
    lanes_shown: str = _preference("all")
    together: bool = _preference(False)
    shared_scale: bool = _preference(False)
    scrub_sound: bool = _preference(True)
    dark: bool = _preference(False)

    def for_scene(self, scene: Scene) -> Session:
        """The session that begins with another scene: the preferences stay, and nothing that points into the old scene."""
        kept = {f.name: getattr(self, f.name) for f in fields(self) if f.metadata.get("preference")}
        kept["tools"] = replace(
            self.tools, pivot="Pick" if self.tools.pivot == "Placed" else self.tools.pivot, pivot_place=None, blend_to=MIX
        )
        if self.lanes_shown.startswith("group:"):
            kept["lanes_shown"] = "all"
        return Session(scene.start, scene.objects[0].id if scene.objects else None, **kept)


NAMES = frozenset(f.name for f in fields(Session))


@dataclass(frozen=True, eq=False)
class State:
    """What undo goes back to. ``posed``: values set over a lane and not keyed, by owner and channel id.

    ``picks``: what is picked, by object id. ``version`` is a number of the scene that undo and redo bring back.
    """

    scene: Scene
    posed: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    picks: Mapping[str, Pick] = field(default_factory=dict)
    version: int = 0
