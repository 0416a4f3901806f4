"""What stands on the stage: the shapes a picture shows, where, and which of them a stroke would change. No Qt."""

from __future__ import annotations

import time
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

import numpy as np
from msgspec import Struct, field

from fictilis.core.at_frame.copies import copies, first_matrix
from fictilis.core.at_frame.drawn import finer_of
from fictilis.core.at_frame.pictures import PictureMix
from fictilis.core.at_frame.pose import Pose, placement
from fictilis.core.at_frame.springs import in_time
from fictilis.core.geometry.kinds import WHOLE, Line
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.tubes import tube_mesh
from fictilis.core.geometry.normals import KeptNormals, normals_of_many, point_normals
from fictilis.core.geometry.topology import is_closed, triangles
from fictilis.core.ground.affine import placed, placed_box
from fictilis.core.ground.arrays import add_rows, any_in_rows, box, distinct, extent, put_rows
from fictilis.core.mix.acting import share_of, shares_at, solo_shares, weights_at
from fictilis.core.mix.channels import Placement
from fictilis.core.mix.shapes import ShapeRef, shape_parts, shape_points
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, links_of, targets_by_id
from fictilis.render.camera import Camera
from fictilis.render.items import Many
from fictilis.render.repeated import Poses

WAYS = ("In the mix", "Alone", "Line-up")
IN_THE_MIX, ALONE, LINE_UP = WAYS
FEW = 4  # fewer than one in so many points changed: normals are renewed near those only
LOOKED_AT = 40_000  # points at most, to find where shapes are in the picture
LEAST_SHARE = 0.1  # below this share of a shape in the mix, shaping shows it at its own weight instead


class StageItem(Struct, eq=False):
    """One shape on the stage: ``ref`` None is the mix. points, normals (n, 3) float32; matrix (4, 4) to the scene.

    ``live`` is the displacement laid on it, ``opacity`` 0…1; lines are ``drawn`` so far.
    Of a repeated object it is the first copy, ``many`` are the others. ``pose`` is that of a mix, and ``fine`` (n', 3) its
    smooth surface where that is not one of the points shown.
    """

    obj: MorphObject
    ref: ShapeRef | None
    points: np.ndarray
    normals: np.ndarray
    matrix: np.ndarray
    revision: object
    label: str = ""
    share: float = 1.0
    shaped: bool = False
    live: Deltas | None = None
    opacity: float = 1.0
    drawn: tuple[float, float] = WHOLE
    many: Many | None = None
    fine: np.ndarray | None = None
    pose: Pose | None = None

    @property
    def shares(self) -> np.ndarray | None:
        """(c,): the coefficients of a mix."""
        return None if self.pose is None else self.pose.shares

    @property
    def plain(self) -> bool:
        """Whether nothing comes after the mix."""
        return self.pose is None or self.pose.after is None

    def mixed(self) -> np.ndarray:
        """(n, 3) float64 in object space: what is shown, before what comes after the mix."""
        return self.pose.mixed if self.pose is not None else shape_points(self.obj, self.ref or ShapeRef())

    def exact_points(self) -> np.ndarray:
        """(n, 3) float64 in object space: what is shown, without the rounding of pictures."""
        out = self.mixed() if self.pose is None else self.pose.points
        if self.live is not None:
            out = out.copy()
            add_rows(out, self.live.indices, self.live.offsets)
        return out

    def in_scene(self) -> np.ndarray:
        """(n, 3) float64: the points in scene space."""
        return placed(self.points.astype(np.float64), self.matrix)


class StageWish(Struct, frozen=True, eq=False, weakref=True):
    """What to show. A ``swift`` picture is gone in a moment. A Line-up has only the ``chosen`` targets, if any."""

    scene: Scene
    frame: float
    posed: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    way: str = IN_THE_MIX
    current: str | None = None
    shaping: ShapeRef | None = None
    right: tuple[float, float, float] = (1.0, 0.0, 0.0)
    up: tuple[float, float, float] = (0.0, 1.0, 0.0)
    aspect: float = 1.6
    swift: bool = False
    chosen: tuple[str, ...] = ()


def shown_shares(wish: StageWish, obj: MorphObject, later: float = 0.0) -> tuple[np.ndarray, float, bool]:
    """Coefficients the mix is shown with, the share of the shaped target in it, and whether that one is seen solo, at its own
    weight to be seen at all. What is not shaped may be some frames ``later``."""
    posed, ref = wish.posed.get(obj.id), wish.shaping
    if ref is None or obj.id != wish.current:
        return shares_at(obj, wish.frame - later, posed, wish.scene.fps), 1.0, False
    shares = shares_at(obj, wish.frame, posed, wish.scene.fps)
    share = share_of(obj, ref.target, ref.at, shares)
    if ref.target is None or abs(share) >= LEAST_SHARE:
        return shares, share, False
    shares = solo_shares(obj, weights_at(obj, wish.frame, posed, wish.scene.fps), ref.target, ref.at)
    return shares, share_of(obj, ref.target, ref.at, shares), True


class _Shape:
    """A shape kept ready between pictures: points and normals, and the live stroke laid over them."""

    def __init__(self) -> None:
        self.key: tuple | None = None
        self.points: Any = None
        self.normals: Any = None
        self.revision = 0
        self.touched: np.ndarray | None = None
        self.laid: Deltas | None = None
        self.still_points: np.ndarray | None = None
        self.fine: np.ndarray | None = None
        self.item: StageItem | None = None  # of a Line-up, while nothing of it changes
        self._kept: KeptNormals | None = None

    def show(self, key: tuple, make, mesh) -> None:
        """Show the points that ``make()`` gives, with those that changed since the last time, or None for all, and their smooth
        surface."""
        if self.key is not None and _same(key, self.key):
            return
        follows, laid = self.key is not None and self.key[0] is key[0], self.touched
        self.key, self.touched, self.laid = key, None, None
        points, changed, self.fine = make()
        if changed is not None and laid is not None:
            changed = distinct(np.concatenate([changed, laid]))
        if follows and changed is not None and len(changed) < len(points) / FEW:
            kept = self._renewing(mesh)  # of the points as they were
            put_rows(self.points, changed, points.take(changed, axis=0))
            kept.update(self.points, changed)
        else:
            self.points = np.array(points, np.float32, order="C")
            self.normals, self._kept = point_normals(mesh, self.points), None
        self.still_points = None
        self.revision += 1

    def _renewing(self, mesh) -> KeptNormals:
        """What renewing normals piecemeal needs, kept from the first time on that it is needed."""
        if self._kept is None:
            self._kept = KeptNormals(mesh, self.points, self.normals)
        return self._kept

    def lay(self, live: Deltas | None, mesh) -> None:
        """Show a displacement on top; only what differs from what is shown already is recomputed."""
        if live is None and self.touched is None or live is not None and live is self.laid:
            return
        kept = self._renewing(mesh)
        if self.still_points is None:
            self.still_points = self.points.copy()
        now = np.zeros(0, np.int64) if live is None else live.indices
        before = np.zeros(0, np.int64) if self.touched is None else self.touched
        gone = np.setdiff1d(before, now, assume_unique=True)
        put_rows(self.points, gone, self.still_points.take(gone, axis=0))
        if live is not None and len(now):
            rows = self.still_points.take(now, axis=0) + live.offsets.astype(np.float32)
            other = np.flatnonzero(any_in_rows(rows != self.points.take(now, axis=0)))
            now = now.take(other)
            put_rows(self.points, now, rows.take(other, axis=0))
        kept.update(self.points, distinct(np.concatenate([gone, now])) if len(gone) else now)
        self.touched = live.indices if live is not None else None
        self.laid = live
        self.revision += 1


class Stage:
    """Keeps delta banks and shapes between pictures; knows no window and no clock."""

    def __init__(self, seconds: float = np.inf) -> None:
        """``seconds`` may go by before shapes that are not known yet are left to the next picture: ``unfinished``."""
        self._mixes: dict[str, PictureMix] = {}
        self._shapes: dict[tuple, _Shape] = {}
        self._poses: dict[str, Poses] = {}
        self._fits: tuple[Scene, str] | None = None
        self.seconds, self.unfinished = seconds, False
        self.solo = False

    def items(self, wish: StageWish, live: Deltas | None = None) -> list[StageItem]:
        """The shapes to draw, the shaped one marked; ``live`` is a stroke's displacement of it so far, in object space."""
        self.solo = self.unfinished = False
        with in_time(self.seconds) as asked:
            out = self._items(wish, live)
        self.unfinished = self.unfinished or asked.late
        return out

    def _items(self, wish: StageWish, live: Deltas | None) -> list[StageItem]:
        self._forget(wish)
        current = next((o for o in wish.scene.objects if o.id == wish.current), None)
        if wish.way == LINE_UP and current is not None:
            return self._line_up(wish, current, live)
        if wish.way == ALONE and current is not None and wish.shaping is not None:
            alone = self._alone(wish, current, wish.shaping, live)
            alone.matrix = first_matrix(wish.scene, current, wish.frame, wish.posed)
            return [alone]
        seen = [(o, placement(wish.scene, o, wish.frame, wish.posed)) for o in wish.scene.objects]
        # a hidden object is shown all the same while it is shaped
        out, end = [], time.perf_counter() + self.seconds
        for o, stand in seen:
            if o is not current and time.perf_counter() > end and self._shapes.get(("mix", o.id)) is None:
                self.unfinished = True  # the next picture has more of them
            elif stand.visible or o is current and wish.shaping is not None:
                out.append(self._mix(wish, o, live if o is current else None, stand))
        return out

    def _forget(self, wish: StageWish) -> None:
        """Drop what is kept of objects and targets that are gone, and the shapes of a Line-up that is left."""
        if self._fits is not None and self._fits[0] is wish.scene and self._fits[1] == wish.way:
            return
        self._fits = (wish.scene, wish.way)
        parts = {(o.id, t) for o in wish.scene.objects for t in (None, *targets_by_id(o))}
        ways = ("mix", "alone", "line-up") if wish.way == LINE_UP else ("mix", "alone")
        for place in [p for p in self._shapes if p[0] not in ways or (p[1], p[2].target if len(p) > 2 else None) not in parts]:
            del self._shapes[place]
        for object_id in [i for i in self._mixes if (i, None) not in parts]:
            del self._mixes[object_id]
        repeated = {o.id for o in wish.scene.objects if o.repeated is not None and wish.way != LINE_UP}
        self._poses = {i: poses for i, poses in self._poses.items() if i in repeated}

    def _shape(self, place: tuple, made_of: tuple, make, mesh, live) -> _Shape:
        shape = self._shapes.setdefault(place, _Shape())
        shape.show(made_of, make, mesh)
        shape.lay(live, mesh)
        return shape

    def _mix(self, wish: StageWish, obj: MorphObject, live: Deltas | None, stand: Placement | None = None) -> StageItem:
        spread = copies(wish.scene, obj, wish.frame, wish.posed) if stand is not None and obj.repeated is not None else None
        later = 0.0 if spread is None else float(spread.delays[0])
        shares, share, solo = shown_shares(wish, obj, later)
        shaped = wish.shaping is not None and obj.id == wish.current
        if shaped:
            self.solo = solo
        mix = self._mixes.get(obj.id)
        if mix is None:
            mix = self._mixes[obj.id] = PictureMix(obj)
        mix.follow(obj)
        pose = Pose(wish.scene, obj, wish.frame - later, wish.posed, shares, springs=not shaped)
        shape = self._shape(("mix", obj.id), *mix.one(pose), obj.geometry, live)
        matrix = (stand.transform if stand else obj.transform).matrix() if spread is None else spread.matrices[0]
        many = None
        if spread is not None:
            poses = self._poses.setdefault(obj.id, Poses())
            many = poses.many(mix, wish.scene, obj, spread, wish.frame, wish.posed, wish.swift)
        opacity = stand.opacity if stand and not shaped else 1.0  # what is shaped must be seen
        return StageItem(
            obj, None, shape.points, shape.normals, matrix, shape.revision, obj.name, share, shaped, live, opacity,
            stand.drawn if stand and not shaped else WHOLE, many, None if shaped else shape.fine,
            Pose(wish.scene, obj, pose.frame, wish.posed, shares, springs=False) if pose.late else pose,
        )  # fmt: skip

    def _alone(self, wish: StageWish, obj: MorphObject, ref: ShapeRef, live, where: str = "alone") -> StageItem:
        made_of = _ingredients(obj, ref)
        shape = self._shape((where, obj.id, ref), made_of, lambda: (shape_points(obj, ref), None, None), obj.geometry, live)
        label = "Base" if ref.is_base else ref.label(obj)
        return StageItem(
            obj, ref, shape.points, shape.normals, obj.transform.matrix(), shape.revision, label, 1.0, ref == wish.shaping,
            live=live,
        )  # fmt: skip

    def _lined_up(self, wish: StageWish, obj: MorphObject, ref: ShapeRef, live: Deltas | None) -> StageItem:
        """One shape of a Line-up, there may be a thousand of them: the item of the picture before, where it shows the same."""
        if ref == wish.shaping:
            return self._alone(wish, obj, ref, live, "line-up")
        shape = self._shapes.get(("line-up", obj.id, ref))
        if shape is None or shape.item is None or shape.item.obj is not obj or shape.item.revision != shape.revision:
            item = self._alone(wish, obj, ref, None, "line-up")
            shape = self._shapes["line-up", obj.id, ref]
            shape.item = item
        shape.item.shaped = False
        return shape.item

    def _line_up(self, wish: StageWish, obj: MorphObject, live: Deltas | None) -> list[StageItem]:
        refs = line_up_refs(obj, wish)
        in_mix = live
        if live is not None and wish.shaping is not None:
            in_mix = Deltas(live.indices, live.offsets * shown_shares(wish, obj)[1])
        places = dict(zip([None, *refs], line_up_places(obj, len(refs) + 1, wish), strict=True))
        first = self._mix(wish, obj, in_mix)
        self.solo = False
        first.label, first.shaped, first.share = "In the mix", False, 1.0
        items, offsets = [first], [places[None]]
        beside = [o for o in wish.scene.objects if o is not obj and links_of(o).keys() & links_of(obj).keys()]
        for other in beside:
            items.append(self._mix(wish, other, None))
            offsets.append(places[None])
        end, self.unfinished = time.perf_counter() + self.seconds, False
        for ref in refs:
            if time.perf_counter() > end and self._shapes.get(("line-up", obj.id, ref)) is None:
                self.unfinished = True  # the next picture has more of them
                continue
            items.append(self._lined_up(wish, obj, ref, live))
            offsets += [places[ref]] * (1 + len(beside))
            link = obj.target(ref.target).link if ref.target and beside else None
            for other in beside:  # the other parts of the creature, as they are then
                linked = links_of(other).get(link or "")
                items.append(self._alone(wish, other, ShapeRef(linked.id if linked else None), None, "line-up"))
                items[-1].shaped = False
        matrices = {o.id: o.transform.matrix() for o in (obj, *beside)}
        for item, place in zip(items, offsets, strict=True):
            item.matrix = matrices[item.obj.id].copy()
            item.matrix[:3, 3] += place
        return items


def _ingredients(obj: MorphObject, ref: ShapeRef) -> tuple:
    """What a shape is made of, by identity."""
    if ref.target is None:
        return (obj.base,)
    return (obj.base, *shape_parts(obj, ref.target, ref.at))


def _same(a: tuple, b: tuple) -> bool:
    """Equal numbers, and otherwise the very same values."""
    return len(a) == len(b) and all(x is y or (isinstance(x, float) and x == y) for x, y in zip(a, b, strict=True))


def seen_boxes(items: list[StageItem], camera: Camera, width: int, height: int) -> list[tuple[StageItem, list[float]]]:
    """Each item that has points with the rectangle (left, top, width, height) it covers, in pixels, found by some of them."""
    items = [item for item in items if len(item.points)]
    if not items:
        return []
    most = max(LOOKED_AT // len(items), 20)
    clouds = [item.points.take(_some(len(item.points), most), axis=0) for item in items]
    counts = np.array([len(cloud) for cloud in clouds])
    matrices = np.repeat(np.stack([item.matrix[:3] for item in items]), counts, axis=0)
    cloud = np.concatenate(clouds).astype(np.float64)
    pixels, _ = camera.project(np.einsum("nij,nj->ni", matrices[:, :, :3], cloud) + matrices[:, :, 3], width, height)
    starts = np.cumsum(counts) - counts
    low, high = (ends.reduceat(pixels, starts, axis=0) for ends in (np.minimum, np.maximum))
    return list(zip(items, np.concatenate([low, high - low], axis=1).tolist(), strict=True))


@lru_cache(maxsize=64)
def _some(count: int, most: int) -> np.ndarray:
    """All of ``count`` numbers, or so many that stand in no step with the rows of a grid."""
    if count <= most:
        return np.arange(count)
    return (np.arange(most) * ((np.sqrt(5) - 1) / 2) % 1 * count).astype(np.int64)


def warm_surfaces(scene: Scene) -> None:
    """Find what drawing asks for and is kept; safe in a thread beside the window's."""
    for obj in scene.objects:
        triangles(obj.geometry)
        is_closed(obj.geometry)
        point_normals(obj.geometry, obj.base)
        if isinstance(obj.geometry, Line):
            drawn(obj.geometry)
            if obj.geometry.tube is not None:
                tube_mesh(obj.geometry)
        fine = finer_of(obj)
        if fine is not None:
            is_closed(fine.geometry)
            triangles(fine.geometry)
            normals_of_many(fine.geometry, fine.of(obj.base.astype(np.float32))[None])


def first_stage(scene: Scene) -> Stage:
    """A stage where all that a first picture of a scene asks for is ready; safe in a thread beside the window's."""
    warm_surfaces(scene)
    stage = Stage()
    stage.items(StageWish(scene, scene.start))
    return stage


def line_up_refs(obj: MorphObject, wish: StageWish) -> list[ShapeRef]:
    """The shapes of a Line-up behind the mix: the base and the targets, or those that are chosen; and an in-between that is
    shaped."""
    refs = [ShapeRef(), *(ShapeRef(t.id) for t in obj.targets)]
    if wish.chosen:
        refs = [ref for ref in refs if ref.target in wish.chosen]
    if wish.shaping is not None and wish.shaping not in refs:
        refs.insert(refs.index(ShapeRef(wish.shaping.target)) + 1, wish.shaping)
    return refs


def line_up_corners(obj: MorphObject, wish: StageWish) -> np.ndarray:
    """(k, 3): between these lies a Line-up, as far as the base and full targets reach; in the scene."""
    low, high = box(obj.base) if len(obj.base) else (np.zeros(3), np.zeros(3))
    reach = max((float(np.abs(t.deltas.offsets[:, 1]).max(initial=0.0)) for t in obj.targets), default=0.0)
    corners = np.array([(x, y, z) for x in (low[0], high[0]) for y in (low[1] - reach, high[1] + reach)
                        for z in (low[2], high[2])])  # fmt: skip
    corners = placed(corners, obj.transform.matrix())
    places = line_up_places(obj, len(line_up_refs(obj, wish)) + 1, wish)
    return (places[:, None, :] + corners).reshape(-1, 3)


def line_up_places(obj: MorphObject, count: int, wish: StageWish) -> np.ndarray:
    """(count, 3): offsets that stand shapes in rows facing the viewer, the first at the top left."""
    parts = [o for o in wish.scene.objects if o is obj or links_of(o).keys() & links_of(obj).keys()]
    ends = [np.stack(placed_box(o.base, o.transform.matrix())) for o in parts if len(o.base)]
    size = extent(np.concatenate(ends)) if ends else np.ones(3)
    right, up = np.array(wish.right), np.array(wish.up)
    wide = float(np.abs(right) @ size) * 1.2 + 1e-6
    high = float(np.abs(up) @ size) * 1.32 + 1e-6

    def scale(rows: int) -> float:
        return min(wish.aspect / (-(-count // rows) * wide), 1 / (rows * high))

    rows = max(range(1, count + 1), key=scale)
    per_row = -(-count // rows)
    rows = -(-count // per_row)
    row, column = np.divmod(np.arange(count), per_row)
    in_row = np.minimum(per_row, count - row * per_row)
    across, down = column - (in_row - 1) / 2, row - (rows - 1) / 2
    return np.outer(across * wide, right) - np.outer(down * high, up)
