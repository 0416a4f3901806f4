"""Edits of line objects: how they are drawn, targets made of other lines, and lines made of a mesh's edges."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.at_frame.drawn import as_drawn
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.relays import make_relay
from fictilis.core.edits.targets import append, target_from_mesh, target_from_points
from fictilis.core.edits.topology import carry_through
from fictilis.core.geometry.kinds import Geometry, Line, Match, Tube
from fictilis.core.geometry.lines.outlines import solid_of
from fictilis.core.geometry.lines.reshaping import grown
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.strand_matching import missing_strands
from fictilis.core.geometry.lines.tubes import THIN
from fictilis.core.geometry.matching import Order
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.carried import baked
from fictilis.core.mix.shapes import full_shape
from fictilis.core.scene.appearance import Appearance
from fictilis.core.scene.matches import _as_target, match_of
from fictilis.core.scene.places import Along
from fictilis.core.scene.scene import STRAIGHT, MorphObject, Scene, Target
from fictilis.core.validity.scenes import checked_along

MOST_TUBE = 1_000_000  # points


def set_curve(scene: Scene, object_id: str, degree: int, through: bool) -> Scene:
    """Set a curve's degree, and whether it runs through the points or beside them; the points stay."""
    obj = scene.unlocked(object_id)
    if degree not in (1, 2, 3):
        raise EditRefused(f"A line has degree 1, 2 or 3, not {degree}.")
    return scene.with_object(replace(obj, geometry=replace(obj.line, degree=degree, through=through)))


def set_widths(scene: Scene, object_id: str, width: float, share: np.ndarray) -> Scene:
    """Set the width in cm where ``share`` (n,) is 1, a part of the way to it where it is less. All 0 makes a thin line."""
    obj = scene.unlocked(object_id)
    line = obj.line
    if not (np.isfinite(width) and width >= 0):
        raise EditRefused(f"The width must be 0 cm or more, not {width:g}.")
    before = np.zeros(line.point_count) if line.widths is None else line.widths
    widths = before + share * (width - before)
    return scene.with_object(replace(obj, geometry=replace(line, widths=widths if widths.any() else None)))


def set_tube(scene: Scene, object_id: str, tube: Tube | None, width: float = THIN) -> Scene:
    """Set the tube along a line, or none; a line without widths gets ``width`` in cm."""
    obj = scene.unlocked(object_id)
    line = obj.line
    count = 0 if tube is None else drawn(line).line.point_count * len(tube.profile)
    if count > MOST_TUBE:
        raise EditRefused(f"The tube of {obj.name} would have {count:,} points; more than {MOST_TUBE:,} are not made here.")
    widths = np.full(line.point_count, width) if line.widths is None and tube is not None else line.widths
    return scene.with_object(replace(obj, geometry=replace(line, tube=tube, widths=widths)))


TUBE_CURVES = {"radius": 1.0, "turning": 0.0}  # and what they are without keys


def set_tube_curve(scene: Scene, object_id: str, name: str, keys: Sequence[Key]) -> Scene:
    """The ``radius`` of a line's tube along it as a factor, or its ``turning`` besides the twist, in degrees: by keys from 0 to
    1. Without keys it is even."""
    obj = scene.unlocked(object_id)
    if obj.line.tube is None:
        raise EditRefused(f"{obj.name} has no tube; give it one first.")
    try:
        tube = replace(obj.line.tube, **{name: AnimationCurve.of(keys) if keys else None})
    except ValueError as why:
        raise EditRefused(f"{str(why).capitalize()}.") from None
    return scene.with_object(replace(obj, geometry=replace(obj.line, tube=tube)))


def tube_object(scene: Scene, object_id: str, name: str) -> tuple[Scene, str]:
    """A mesh object of a line's tube as it is, with each of its targets; between their weights it is not quite the tube."""
    obj = scene.object(object_id)
    if obj.line.tube is None:
        raise EditRefused(f"{obj.name} has no tube; give it one first.")
    return _beside(scene, as_drawn(obj), name)


def solid_object(scene: Scene, object_id: str, name: str, thickness: float, bevel: float) -> tuple[Scene, str]:
    """A mesh object of the surface that a line's closed strands enclose, with each of its targets: exact at every mix without
    a bevel, and with one at the targets."""
    obj = scene.object(object_id)
    solid = solid_of(obj.line, obj.base, thickness, bevel)
    layers, fine = solid.mesh.point_count // len(solid.rows), drawn(obj.line)
    made = baked(obj, solid.mesh, solid.points, lambda field: np.tile(fine.of(field)[solid.rows], layers))
    flat = replace(made, appearance=replace(made.appearance, smooth=False))
    return _beside(scene, flat, name)


def _beside(scene: Scene, made: MorphObject, name: str) -> tuple[Scene, str]:
    """A new object with all that another one has but its id and name."""
    scene, new_id = add_object(scene, name, made.geometry, made.base, made.appearance)
    new = scene.object(new_id)
    return scene.with_object(replace(made, id=new.id, name=new.name, form=None, blend=None, locked=False)), new_id


def target_from_line(scene: Scene, object_id: str, name: str, match: Match) -> tuple[Scene, str, int]:
    """A target of a line made of any other line, whatever its points, strands and degree. Returns the scene, the target's id
    and how many strands the object got that are a single place in its base, because the other line has more."""
    obj = scene.unlocked(object_id)
    more = missing_strands(obj.line, obj.base, match)
    if more:
        scene = carry_through(scene, object_id, grown(obj.line, obj.base, more))
        obj = scene.object(object_id)
    scene, target_id = append(scene, obj, Target("", "", _as_target(obj.line, obj.base, match), match=match), name)
    return scene, target_id, len(more)


def stack_lines(
    scene: Scene, object_id: str, others: Sequence[tuple[str, Match]], name: str = "Stack", first: float = 0.0,
    step: float = 12.0, path: str = STRAIGHT, back: bool = False,
) -> tuple[Scene, str, int]:  # fmt: skip
    """Many lines in a row, each a name and what it is: targets of one line, and a relay that runs from its base through all
    of them, ``step`` frames apart, and ``back`` to the base. Returns the scene, the relay's id and the strands it got."""
    made, grown_by = [], 0
    for other, match in others:
        scene, target_id, more = target_from_line(scene, object_id, other, match)
        made.append(target_id)
        grown_by += more
    row = ["", *made, *([""] if back else [])]
    scene, group_id = make_relay(scene, object_id, row, name, first, step, path=path)
    return scene, group_id, grown_by


def target_from_copy(
    scene: Scene, object_id: str, name: str, geometry: Geometry, points: np.ndarray, order: Order | None = None
) -> tuple[Scene, str]:
    """A target from a copy made elsewhere, its points in a found ``order`` where one is given; a line of other strands than
    the object's is matched to it. Raises NotATarget when a mesh does not match the base."""
    base = scene.object(object_id).geometry
    if isinstance(base, Line) and isinstance(geometry, Line):
        same = np.array_equal(base.starts, geometry.starts) and np.array_equal(base.closed, geometry.closed)
        if not same or base.degree != geometry.degree:
            return target_from_line(scene, object_id, name, Match(geometry, points))[:2]
    return target_from_mesh(scene, object_id, name, geometry, points, order)


def set_match(scene: Scene, object_id: str, target_id: str, shift: float, backwards: bool, corners: bool) -> Scene:
    """Which part of the base becomes which part of the other line: the start shifted along it by a fraction of its length,
    the way round, and whether corners are kept."""
    obj = scene.unlocked(object_id)
    target = obj.target(target_id)
    match = match_of(obj, target)
    if match is None:
        raise EditRefused(f"{target.name} is not a matched line any more; match it again from the other line.")
    match = replace(match, shift=shift, backwards=backwards, corners=corners)
    return scene.with_object(obj.with_target(replace(target, deltas=_as_target(obj.line, obj.base, match), match=match)))


def line_from_edges(scene: Scene, object_id: str, chains: list[np.ndarray], name: str) -> tuple[Scene, str]:
    """A new line object along chains of the object's points, one that ends where it began closed; with each of its targets,
    so that it goes on moving as the mesh does."""
    obj = scene.object(object_id)
    strands = [(c[:-1], True) if len(c) > 3 and c[0] == c[-1] else (c, False) for c in chains if len(c) > 1]
    if not strands:
        raise EditRefused(f"Pick edges of {obj.name} that follow one another; a line needs two points.")
    points = np.concatenate([own for own, _ in strands])
    line = Line(starts=np.cumsum([0, *(len(own) for own, _ in strands)]), closed=np.array([c for _, c in strands]))
    look = Appearance(colour=obj.appearance.colour)
    scene, line_id = add_object(scene, name, line, obj.base[points], look)
    for target in obj.targets:
        if target.rule is None and target.follows is None and target.sweep is None:
            scene, _ = target_from_points(scene, line_id, target.name, full_shape(obj, target.id)[points])
    return scene.with_object(replace(scene.object(line_id), transform=obj.transform)), line_id


def set_along(scene: Scene, object_id: str, line_id: str, turn: bool = True, even: bool = True) -> Scene:
    """Let an object or a camera move along a line, by a channel that it gets for that."""
    checked_along(scene, object_id, line_id)
    owner = scene.owner(object_id)
    place = owner.along.place if owner.along is not None else 0.0
    return scene.with_owner(replace(owner, along=Along(line_id, place, turn, even)))


def leave_line(scene: Scene, object_id: str) -> Scene:
    """Let an object or a camera follow no line; the keys of that go."""
    owner = scene.owner(object_id)
    if owner.along is None:
        raise EditRefused(f"{owner.name} follows no line; lead it along one first.")
    return scene.with_owner(owner.apart())
