"""A check of tubes: such as run through themselves, or bend more tightly than they are thick."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from fictilis.core.checks.finding import Finding
from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.tubes import ring_radii
from fictilis.core.ground.arrays import lengths
from fictilis.core.ground.interrupt import check
from fictilis.core.mix.shapes import full_shape
from fictilis.core.scene.scene import MorphObject, Scene

MOST_POINTS = 20_000  # of the line as it is drawn
APART = np.pi / 2  # times both radii along the line: nearer places are neighbours, and only bend
ROOM = 0.98


def crossing_tubes(_scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """Tubes whose surface passes through itself, in the base or in a target."""
    line = obj.geometry
    if not isinstance(line, Line) or line.tube is None or drawn(line).line.point_count > MOST_POINTS:
        return
    worst: float = 1.0
    where: tuple[str, str | None] | None = None
    for target in (None, *obj.targets):
        check()
        fits = fitting(line, obj.base if target is None else full_shape(obj, target.id))
        if fits < worst:
            worst, where = fits, ("the base", None) if target is None else (target.name, target.id)
    if where is None:
        return
    factor = ROOM * worst
    yield Finding(
        "tube", f"The tube of {obj.name} runs through itself in {where[0]}.", obj.id, where[1], None,
        f"Make it {factor:.0%} as wide" if factor > 0.05 else "",
        (lambda s: _narrowed(s, obj.id, factor)) if factor > 0.05 else None,
    )  # fmt: skip


def fitting(line: Line, points: np.ndarray) -> float:
    """By what factor of its width a tube with points (n, 3) would just not touch itself; 1 where it does not."""
    from scipy.spatial import cKDTree

    fine, places, radii = drawn(line).line, drawn(line).of(points), ring_radii(line)
    strand = np.repeat(np.arange(fine.strand_count), fine.counts)
    run = np.append(0.0, np.cumsum(lengths(np.diff(places, axis=0))))  # along each strand, and on from one to the next
    ends = fine.starts[1:] - 1
    whole = run[ends] - run[fine.starts[:-1]] + fine.closed * lengths(places[ends] - places[fine.starts[:-1]])
    pairs = cKDTree(places).query_pairs(2 * float(radii.max(initial=0.0)), output_type="ndarray")
    a, b = pairs.T
    both = radii[a] + radii[b]
    along = np.abs(run[b] - run[a])
    along = np.where(fine.closed[strand[a]], np.minimum(along, whole[strand[a]] - along), along)
    far = (strand[a] != strand[b]) | (along > APART * both)
    gaps = lengths(places[a[far]] - places[b[far]]) / np.maximum(both[far], 1e-300)
    fits = min(1.0, float(gaps.min(initial=1.0)))
    return min(fits, _bent(line, fine, places, radii)) if line.degree > 1 else fits


def _bent(line: Line, fine: Line, places: np.ndarray, radii: np.ndarray) -> float:
    """The least radius of curvature against that of the tube. Source: the angle between segments over their mean length."""
    first = np.arange(len(places))
    inner = np.ones(len(places), bool)
    inner[fine.starts[:-1]] = inner[fine.starts[1:] - 1] = False
    at = first[inner]
    before, after = places[at] - places[at - 1], places[at + 1] - places[at]
    one, two = lengths(before), lengths(after)
    cosine = (before * after).sum(axis=1) / np.maximum(one * two, 1e-300)
    bend = np.arccos(np.clip(cosine, -1.0, 1.0)) / np.maximum((one + two) / 2, 1e-300)
    return float((1.0 / np.maximum(bend * radii[at], 1e-9)).min(initial=1.0))


def _narrowed(scene: Scene, object_id: str, factor: float) -> Scene:
    obj = scene.unlocked(object_id)
    widths = obj.line.widths
    assert widths is not None  # which a tube gives
    return scene.with_object(replace(obj, geometry=replace(obj.line, widths=widths * factor)))
