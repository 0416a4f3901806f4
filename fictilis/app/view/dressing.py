"""What the view draws of each item of the stage: its colours, marks, wire, ghost and texture."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.app.model.document import Document
from fictilis.app.view.tools import TOOLS
from fictilis.app.widgets.theme import Palette
from fictilis.core.at_frame.copies import first_matrix
from fictilis.core.at_frame.drawn import finer_of
from fictilis.core.at_frame.pose import Pose
from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.measures import displacement_lengths, stretch
from fictilis.core.geometry.topology import corners_of, edge_of_corner
from fictilis.core.ground.arrays import distinct, extent
from fictilis.core.mix.relay import poses, relay_of
from fictilis.core.scene.sweep import front_of
from fictilis.render.dress import KeptArrays, base_ghost, find_cuts, ghost_frames, kept_cloth, time_ghost
from fictilis.render.items import DEEP, PLUM, DrawItem
from fictilis.render.repeated import tinted
from fictilis.render.stage import IN_THE_MIX, LINE_UP, StageItem

MANY_POINTS = 12_000  # above this only picked points are dotted


class Legend(Struct, frozen=True):
    """What the colours mean: from ``low`` to ``high`` in a unit, by two or three colours."""

    title: str
    marks: tuple[str, ...]
    colours: tuple[str, ...]


class Worn(Struct, eq=False):
    """What a stroke or the pointer shows on the shaped item meanwhile: falloff weights (n,), or a mask being painted."""

    falloff: np.ndarray | None = None
    mask: np.ndarray | None = None


class Dressing:
    """Makes draw items, and remembers what is costly. ``still`` allows what takes longer than a frame."""

    def __init__(self, doc: Document) -> None:
        self.doc = doc
        self._kept = KeptArrays()
        self._cuts: tuple[dict[str, np.ndarray], int] | None = None
        self.legend: Legend | None = None

    def items(self, stage: list[StageItem], palette: Palette, worn: Worn, still: bool, place: str = "") -> list[DrawItem]:
        """``place`` names another place than the view itself: ``before`` is in no colours."""
        doc, seeing, base = self.doc, self.doc.seeing, place == "before"
        self.legend = None
        out = []
        for number, item in enumerate(stage):
            key = (place or doc.way, number, item.obj.id, item.ref)
            look = item.obj.appearance
            draw = DrawItem(
                key, item.obj.geometry, item.points, item.normals, item.matrix, None, colour=look.colour, smooth=look.smooth,
                alpha=item.opacity, drawn=item.drawn, many=item.many, finer=finer_of(item.obj), fine=item.fine,
                relief=1.0 if item.shaped else 0.5,
            )  # fmt: skip
            polygon = item.shaped and isinstance(item.obj.geometry, Line) and item.obj.geometry.degree > 1
            cage = item.shaped and draw.finer is not None  # what is shaped is seen beside its surface
            draw.wire = _dot_colour(palette, item) if seeing.wire or polygon or cage else None
            draw.cloth = kept_cloth(self._kept, item.obj) if seeing.texture else None
            tinted = 0 if base else self._tint(draw, item, stage, palette, worn, still)
            marked = 0
            if item.shaped and not base:
                marked = self._marks(draw, item, palette)
            elif seeing.points and not base:
                draw.point_colours = (_dot_colour(palette, item), palette.picked)
            draw.revision = (item.revision, tinted, marked, item.drawn)
            out.append(draw)
        in_time = doc.way == IN_THE_MIX and doc.object is not None and not place and not doc.playing
        if in_time and (seeing.ghosts or self._neighbours()):
            out += self._ghosts_in_time()
        if seeing.ghost and doc.way != LINE_UP and doc.object is not None and not place:
            out.append(self._ghost(palette))
        return out

    def _tint(self, draw: DrawItem, item: StageItem, stage: list[StageItem], palette: Palette, worn: Worn, still: bool) -> int:
        """Colour an item's points; returns a number that changes with the colours."""
        doc = self.doc
        place = (draw.key, "tint")
        painted, draw.measured = worn.mask, False
        if item.shaped and painted is not None:
            draw.tint, number = self._kept.get(place, (painted,), lambda: (1 - painted).astype(np.float32))
            draw.tint_colour = palette.text if not palette.dark else "#0C1211"
            return number
        if item.shaped and doc.tools.tool == "mask" and doc.shaping is not None and doc.shaping.target is not None:
            mask = doc.obj.target(doc.shaping.target).mask
            if mask is not None:
                draw.tint, number = self._kept.get(place, (mask,), lambda: (1 - mask).astype(np.float32))
                draw.tint_colour = palette.text if not palette.dark else "#0C1211"
                return number
        way = doc.seeing.colour
        if item.shaped and worn.falloff is not None and not way:
            weights = worn.falloff
            draw.tint, number = self._kept.get(place, (weights,), lambda: weights.astype(np.float32) * np.float32(0.8))
            draw.tint_colour = palette.picked
            return number
        passed = None if way else self._passed(item)
        if passed is not None:
            draw.tint, draw.tint_colour = passed, palette.primary
            return hash(passed.tobytes())
        draw.measured = True
        if way == "displacement":
            return self._displacement(draw, item, place)
        if way == "stretch":

            def stretched(points: np.ndarray) -> np.ndarray:
                return np.clip(stretch(item.obj.geometry, item.obj.base, points), -1, 1).astype(np.float32)

            draw.tint, number = self._kept.get(
                place, (item.obj.base, item.obj.geometry, item.revision, way),
                lambda: stretched(item.points),
            )  # fmt: skip
            self._tint_copies(draw, stretched)
            draw.tint_colour, draw.low_colour = PLUM, DEEP
            self.legend = Legend("Edges against the base", ("half", "same", "double"), (DEEP, item.obj.appearance.colour, PLUM))
            return number
        if way == "cuts" and doc.way != LINE_UP:
            return self._cut_colour(draw, item, stage, palette, still)
        return 0

    def _passed(self, item: StageItem) -> np.ndarray | None:
        """(n,) float32: how far the sweep of the selected target has come up at each point, faintly; None without one."""
        doc, target = self.doc, self.doc.target
        if doc.way != IN_THE_MIX or doc.shaping is not None or doc.playing or target is None or target.sweep is None:
            return None
        if item.obj.id != doc.object_id or len(target.sweep.field) != len(item.points):
            return None
        front = doc.channels.values(doc.obj)[front_of(target.id)]
        return (target.sweep.passed(front, target.sweep.field) * 0.26).astype(np.float32)

    def _displacement(self, draw: DrawItem, item: StageItem, place: tuple) -> int:
        scale = self.doc.seeing.scale
        made = (item.obj.base, item.revision, scale)

        def make() -> tuple[np.ndarray, float]:
            length = displacement_lengths(item.obj.base, item.points if item.plain else item.mixed())
            size = float(extent(item.obj.base).max()) or 1.0
            top = scale or max(float(length.max(initial=0.0)), 1e-4 * size, 1e-9)
            return np.minimum(length / top, 1.0).astype(np.float32), top

        (draw.tint, top), number = self._kept.get(place, made, make)
        if item.plain:  # else what copies are displaced by is not told from what comes after
            self._tint_copies(draw, lambda points: np.minimum(displacement_lengths(item.obj.base, points) / top, 1.0), top)
        if item.obj.id == self.doc.object_id and (self.legend is None or item.shaped):
            marks = tuple(f"{v:.3g}" for v in (0, top / 2, top))
            marks = (*marks[:-1], f"{marks[-1]} cm")
            self.legend = Legend("Displacement from the base", marks, (item.obj.appearance.colour, PLUM))
        return number

    def _tint_copies(self, draw: DrawItem, colour: Callable[[np.ndarray], np.ndarray], scale: float = 1.0) -> None:
        if draw.many is not None:
            made_of, many = (draw.many, self.doc.seeing.colour, scale), draw.many
            tint, number = self._kept.get((draw.key, "copies"), made_of, lambda: tinted(many, colour))
            draw.many = replace(many, tint=tint, revision=(many.revision, number))

    def _cut_colour(self, draw: DrawItem, item: StageItem, stage: list[StageItem], palette: Palette, still: bool) -> int:
        """While something moves the last finding stays: it takes too long to find anew for each frame."""
        if still or self._cuts is None:
            made_of = tuple(x for i in stage for x in (i.obj.geometry, i.revision))
            self._cuts = self._kept.get(("cuts",), made_of, lambda: find_cuts(stage))
        found, number = self._cuts
        faces = found.get(item.obj.id, np.zeros(0, np.int64))
        tint = np.zeros(len(item.points), np.float32)
        if len(faces) and faces[-1] < item.obj.geometry.face_count:
            tint[item.obj.geometry.corners[corners_of(item.obj.geometry, faces)]] = 1.0
        draw.tint, draw.tint_colour = tint, DEEP
        count = sum(len(f) for f in found.values())
        self.legend = Legend(f"{count:,} faces cut through others" if count else "No face cuts through another", (), ())
        return number

    def _marks(self, draw: DrawItem, item: StageItem, palette: Palette) -> int:
        """Show what is picked, and the points while they are picked or asked for."""
        doc, obj, pick = self.doc, item.obj, self.doc.pick()
        brushing = TOOLS[doc.tools.tool].family == "brush"
        line = isinstance(obj.geometry, Line)  # whose points are all there is to take hold of
        dots = doc.seeing.points or line or (not brushing and doc.tools.kind == "points")
        few = len(item.points) <= MANY_POINTS
        quiet = _dot_colour(palette, item) if dots and (few or doc.seeing.points) else None
        if quiet is None and not len(pick):
            return 0
        draw.point_colours = (quiet, palette.picked)

        def make() -> tuple[np.ndarray, np.ndarray | None]:
            marks = np.zeros(len(item.points), np.float32)
            if pick.kind == "points":
                marks[pick.elements] = 1.0
                return marks, None
            if pick.kind == "edges":
                return marks, pick.elements
            place = edge_of_corner(obj.geometry)[corners_of(obj.geometry, pick.elements)]
            return marks, distinct(place[place >= 0])

        (draw.marks, draw.edge_marks), number = self._kept.get((draw.key, "marks"), (pick, obj.geometry), make)
        return number

    def ghost_frames(self) -> list[tuple[float, float]]:
        """Frames that ghosts stand on, with how near each is: 1 for the nearest on its side."""
        doc, seeing = self.doc, self.doc.seeing
        beside = self._neighbours()
        if beside:
            return [(frame, 1.0) for frame in beside]
        keys = seeing.ghosts == "keys"
        return ghost_frames(doc.scene, doc.obj, doc.frame, seeing.ghost_count, None if keys else seeing.ghost_step)

    def _neighbours(self) -> list[float]:
        """The frames of the poses beside the one that is shaped."""
        doc, shaping = self.doc, self.doc.shaping
        if doc.object is None or shaping is None or shaping.target is None:
            return []
        relay = relay_of(doc.object, doc.object.target(shaping.target))
        frames = [key.frame for key in poses(doc.object, relay.id)] if relay is not None else []
        before, after = [f for f in frames if f < doc.frame - 1e-6], [f for f in frames if f > doc.frame + 1e-6]
        return [*before[-1:], *after[:1]]

    def _ghosts_in_time(self) -> list[DrawItem]:
        obj, scene, here = self.doc.obj, self.doc.scene, self.doc.frame
        return [time_ghost(self._kept, scene, obj, n, here, *ghost) for n, ghost in enumerate(self.ghost_frames())]

    def _ghost(self, palette: Palette) -> DrawItem:
        doc, obj = self.doc, self.doc.obj
        posed = doc.state.posed
        pose = Pose(doc.scene, obj, doc.frame, posed) if doc.way == IN_THE_MIX else None
        return base_ghost(self._kept, obj, first_matrix(doc.scene, obj, doc.frame, posed), palette.quiet, pose)


def _dot_colour(palette: Palette, item: StageItem) -> str:
    """What stands out from clay; a line's points stand beside it, on the ground."""
    if isinstance(item.obj.geometry, Line):
        return palette.text
    return "#3B332C" if not palette.dark else "#10211D"
