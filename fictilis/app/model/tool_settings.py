"""Numbers and choices that the shaping tools share."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field

from fictilis.core.ground.parameters import Parameter
from fictilis.core.shaping.brushes import BRUSHES
from fictilis.core.shaping.exact import EXACT_CHANGES
from fictilis.core.shaping.mirror import Mirror
from fictilis.core.shaping.reach import Reach

PIVOTS = ("Pick", "Object", "Islands", "Placed")
AXES = ("World", "Object", "Normal")
PICK_WAYS = ("Box", "Lasso", "Brush")
MIX = "mix"
OWN: dict[str, tuple[Parameter, ...]] = {
    **{name: change.parameters for name, change in EXACT_CHANGES.items()},
    **{name: brush.parameters for name, brush in BRUSHES.items()},
}


class ToolSettings(Struct, frozen=True):
    """Sizes in cm, ``size_px`` in pixels.

    ``radius`` is the falloff around a pick, and its soft border for brushes. ``own`` are the values of what only one brush or
    exact change asks for, by (its id, name). ``pivot_place`` is a place in the scene. ``blend_to`` is a target's id, or
    ``mix``.
    """

    tool: str = "grab"
    kind: str = "points"
    pick_way: str = "Box"
    through: bool = False
    size: float = 18.0
    in_px: bool = False
    size_px: float = 60.0
    strength: float = 1.0
    spacing: float = 0.2
    pressure: bool = True
    blend_to: str = MIX
    radius: float = 0.0
    along_surface: bool = True
    profile: str = "smooth"
    connected: bool = False
    mirror: Mirror = Mirror()
    pivot: str = "Pick"
    pivot_place: tuple[float, float, float] | None = None
    axes: str = "World"
    exact: str = "sphere"
    exact_shown: bool = True
    own: Mapping[tuple[str, str], float | bool] = field(default_factory=dict)

    @property
    def own_id(self) -> str:
        """The exact change, or the tool, whose own values count now."""
        return self.exact if self.tool == "exact" else self.tool

    def own_values(self) -> dict[str, float | bool]:
        """What only the present brush or exact change asks for, as set, else as it begins."""
        return {p.name: self.own.get((self.own_id, p.name), p.default) for p in OWN.get(self.own_id, ())}

    @property
    def reach(self) -> Reach:
        return Reach(self.radius, self.along_surface, self.profile, self.connected)
