"""What items wear in any picture: textures, faces that cut through others, ghosts of the base and in time. No Qt."""

from __future__ import annotations

import io
import warnings
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

import numpy as np
from msgspec.structs import replace

from fictilis.core.at_frame.copies import first_matrix
from fictilis.core.at_frame.drawn import finer_of
from fictilis.core.at_frame.pose import Pose
from fictilis.core.geometry.cuts import cuts_between, self_cuts
from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.topology import triangles
from fictilis.core.ground.arrays import distinct
from fictilis.core.scene.appearance import MOST_PIXELS, Texture
from fictilis.core.scene.by_bytes import ByBytes
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.scene.twins import twin_groups
from fictilis.render.items import Cloth, DrawItem
from fictilis.render.stage import StageItem

T = TypeVar("T")
KEPT = 64
KEPT_IMAGES = 16
_images: ByBytes[tuple[np.ndarray | None]] = ByBytes(KEPT_IMAGES)
EARLIER, LATER = "#B9821A", "#2A8FA3"  # ghosts in time


class KeptArrays:
    """Arrays by what they were made of, each with a number of its own for the renderer's revisions."""

    def __init__(self) -> None:
        self._known: OrderedDict[Hashable, tuple[tuple, Any, int]] = OrderedDict()
        self._next = 0

    def get(self, place: Hashable, made_of: tuple, make: Callable[[], T]) -> tuple[T, int]:
        """The value at a place, made again when any of ``made_of`` is another (by identity, numbers by value)."""
        kept = self._known.get(place)
        if kept is None or not _same(kept[0], made_of):
            self._next += 1
            kept = self._known[place] = (made_of, make(), self._next)
        self._known.move_to_end(place)
        while len(self._known) > KEPT:
            self._known.popitem(last=False)
        return kept[1], kept[2]


def _same(a: tuple, b: tuple) -> bool:
    return len(a) == len(b) and all(
        x is y or (isinstance(x, int | float | str | tuple) and x == y) for x, y in zip(a, b, strict=True)
    )


def find_cuts(stage: list[StageItem]) -> dict[str, np.ndarray]:
    """Faces by object id that pass through others, of the same object or another one on the stage."""
    found = {i.obj.id: self_cuts(i.obj.geometry, i.points.astype(np.float64), twin_groups(i.obj)) for i in stage}
    for a, one in enumerate(stage):
        for two in stage[a + 1 :]:
            mine, its = cuts_between(one.obj.geometry, one.in_scene(), two.obj.geometry, two.in_scene())
            found[one.obj.id] = distinct(np.concatenate([found[one.obj.id], mine]))
            found[two.obj.id] = distinct(np.concatenate([found[two.obj.id], its]))
    return found


def cloth_of(geometry: Geometry, texture: Texture) -> Cloth:
    """A texture's coordinates at every triangle's corners, and its image."""
    plan = triangles(geometry)
    if texture.projected is not None:
        place = texture.projected[plan.points.ravel()]
    elif geometry.uvs is not None and geometry.uv_corners is not None and len(geometry.uvs):
        at = geometry.uv_corners[plan.corners.ravel()]
        place = np.where((at >= 0)[:, None], geometry.uvs[np.clip(at, 0, None)], np.nan)
    else:
        place = np.full((3 * len(plan.points), 2), np.nan)
    return Cloth(place.astype(np.float32), image_of_bytes(texture.image), float(texture.tiles))


def image_of_bytes(data: bytes | None) -> np.ndarray | None:
    """(h, w, 3) uint8 of the bytes of a PNG or JPEG file, at most 4,096 a side; None for anything else, and for an image that
    would unpack to too much. Kept for the bytes asked for last, so that it is unpacked before it is painted."""
    if data is None:
        return None
    return (_images.get(data) or _images.put(data, (_unpacked(data),)))[0]


def _unpacked(data: bytes) -> np.ndarray | None:
    from PIL import Image

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)  # measured here
            with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as picture:
                if picture.size[0] * picture.size[1] > MOST_PIXELS:
                    return None
                picture.thumbnail((4096, 4096))
                return np.asarray(picture.convert("RGB"))
    except Exception:  # noqa: BLE001 - a damaged image raises whatever its codec does
        return None


def pixels_of(obj: MorphObject) -> np.ndarray | None:
    """(h, w, 3) uint8 of the image that is an object's texture; None without one, or where it is damaged."""
    return None if obj.appearance.texture is None else image_of_bytes(obj.appearance.texture.image)


def unpack_images(scene: Scene) -> None:
    """Make the scene's textures ready, where that takes no time from painting."""
    for obj in scene.objects:
        if obj.appearance.texture is not None:
            image_of_bytes(obj.appearance.texture.image)


def clothed(obj: MorphObject, texture: Texture) -> tuple[Geometry, Texture]:
    """What a texture is laid over: an object's geometry, or its smooth surface."""
    fine = finer_of(obj)
    if fine is None:
        return obj.geometry, texture
    projected = None if texture.projected is None else fine.of(texture.projected)
    return fine.geometry, replace(texture, projected=projected)


def kept_cloth(kept: KeptArrays, obj: MorphObject) -> Cloth:
    """The texture of an object, a checker where it has none."""
    texture = obj.appearance.texture or Texture()
    geometry, texture = clothed(obj, texture)
    made_of = (geometry, texture.image, obj.appearance.texture, texture.tiles)
    return kept.get(("cloth", obj.id), made_of, lambda: cloth_of(geometry, texture))[0]


def base_ghost(kept: KeptArrays, obj: MorphObject, matrix: np.ndarray, colour: str, pose: Pose | None = None) -> DrawItem:
    """The base behind the mix, bent and skinned as that is in a ``pose``."""
    after = None if pose is None else pose.after

    def make() -> tuple[np.ndarray, np.ndarray]:
        points = obj.base.astype(np.float32)
        points = points if pose is None else pose.forward(points)
        return points, point_normals(obj.geometry, points)

    made_of = (obj.base, obj.geometry, obj.deformers, obj.skin, () if after is None else after.key)
    (points, normals), number = kept.get(("ghost", obj.id), made_of, make)
    return DrawItem(("ghost", obj.id), obj.geometry, points, normals, matrix, number, colour=colour, alpha=0.28)


def ghost_frames(scene: Scene, obj: MorphObject, here: float, count: int, step: float | None) -> list[tuple[float, float]]:
    """Frames that ghosts stand on, ``step`` apart or (None) on keys, with how near each is: 1 for the nearest on its side."""
    if step is None:
        keys = sorted({k.frame for lane in obj.lanes for k in lane.curve.keys})
        sides = ([f for f in reversed(keys) if f < here - 1e-6], [f for f in keys if f > here + 1e-6])
    else:
        steps = [n * step for n in range(1, count + 1)]
        sides = ([here - s for s in steps], [here + s for s in steps])
    out = []
    for side in sides:
        inside = [f for f in side[:count] if scene.start - 1e-6 <= f <= scene.end + 1e-6]
        out += [(frame, 1 - n / (count + 1)) for n, frame in enumerate(inside)]
    return out


def time_ghost(
    kept: KeptArrays, scene: Scene, obj: MorphObject, number: int, here: float, frame: float, near: float
) -> DrawItem:
    """The mix of an object at a neighbouring frame: earlier ones warm, later ones cool, far ones fainter."""

    def make() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        points = Pose(scene, obj, frame).points.astype(np.float32)
        return points, point_normals(obj.geometry, points), first_matrix(scene, obj, frame)

    (points, normals, matrix), revision = kept.get(("time", obj.id, frame), (obj, frame, scene.fps), make)
    colour, key = EARLIER if frame < here else LATER, ("time", obj.id, number)
    return DrawItem(key, obj.geometry, points, normals, matrix, (frame, revision), colour=colour, alpha=0.06 + 0.17 * near)


def worn_item(item: StageItem, key: Hashable, textured: bool = True) -> DrawItem:
    """What stands on the stage as it is drawn: its colour, shading, opacity and, where wanted, the texture it has."""
    look = item.obj.appearance
    fine = finer_of(item.obj)
    cloth = None if look.texture is None or not textured else cloth_of(*clothed(item.obj, look.texture))
    return DrawItem(
        key, item.obj.geometry, item.points, item.normals, item.matrix, (item.revision, item.drawn), colour=look.colour,
        smooth=look.smooth, alpha=item.opacity, cloth=cloth, drawn=item.drawn, many=item.many, finer=fine, fine=item.fine,
    )  # fmt: skip
