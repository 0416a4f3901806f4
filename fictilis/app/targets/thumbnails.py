"""Thumbnails: each target at full weight, tinted where it moves points. Made a few at a time, kept by identity."""

from __future__ import annotations

from collections import OrderedDict

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from fictilis.app.view.picture import image_of
from fictilis.core.affine import placed
from fictilis.core.edits.shape import ShapeRef, shape_points
from fictilis.core.evaluate import shape_parts
from fictilis.core.scene import MorphObject
from fictilis.render.camera import Camera
from fictilis.render.renderer import Ground, Renderer
from fictilis.render.snapshot import START_PITCH, START_YAW, draw_item

KEPT = 400
MANY = 50_000  # points: with more, a pixel has points enough to be smooth, and smoothing takes long
WIDTH, HEIGHT = 88, 66


def tint_of(obj: MorphObject, displacement: np.ndarray) -> np.ndarray:
    """(n,) float32 in 0…1: how far points move, against the largest move; nothing where all is rounding."""
    size = float(np.ptp(obj.base, axis=0).max()) if len(obj.base) else 1.0
    length = np.sqrt(np.einsum("ij,ij->i", displacement, displacement))
    return (length / max(float(length.max(initial=0.0)), 1e-4 * size, 1e-9)).astype(np.float32)


def shape_picture(renderer: Renderer, obj: MorphObject, points: np.ndarray, width: int, height: int, ground: Ground,
                  tint: np.ndarray | None = None) -> QImage:  # fmt: skip
    """A small picture of an object in a shape (n, 3), seen from where every thumbnail is."""
    item = draw_item(obj, points, "thumbnail", tint)
    cloud = placed(obj.base, obj.transform.matrix())
    low, high = (cloud.min(0), cloud.max(0)) if len(cloud) else (np.full(3, -1.0), np.full(3, 1.0))
    camera = Camera(yaw=START_YAW, pitch=START_PITCH).fitted(low, high, aspect=width / height, margin=1.2)
    return image_of(renderer.draw([item], camera, width, height, ground, fine=len(points) < MANY))


class Thumbnails(QObject):
    """Hands out ready thumbnails, and makes the missing ones when the window is idle."""

    ready = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.renderer: Renderer | None = None
        self.ratio = 1.0
        self._kept: OrderedDict[tuple, tuple[tuple, QImage]] = OrderedDict()
        self._wanted: list[tuple[tuple, MorphObject, ShapeRef, Ground]] = []
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._make_one)
        self.paused = False

    def get(self, obj: MorphObject, ref: ShapeRef, ground: Ground) -> QImage | None:
        """The thumbnail of a shape; an older one, or None, until it is made."""
        place = (obj.id, ref, ground)
        made_of = self._made_of(obj, ref)
        kept = self._kept.get(place)
        if kept is not None:
            self._kept.move_to_end(place)
            if all(a is b for a, b in zip(kept[0], made_of, strict=False)) and len(kept[0]) == len(made_of):
                return kept[1]
        if not any(w[0] == place for w in self._wanted):
            self._wanted.append((place, obj, ref, ground))
        if not self._timer.isActive():
            self._timer.start()
        return kept[1] if kept is not None else None

    def forget(self) -> None:
        """Keep nothing of the scene that was left."""
        self._kept.clear()
        self._wanted.clear()

    @staticmethod
    def _made_of(obj: MorphObject, ref: ShapeRef) -> tuple:
        parts: list[object] = [obj.geometry, obj.base, obj.appearance, obj.transform]
        if ref.target is not None:
            parts += shape_parts(obj, ref.target, ref.at)
        return tuple(parts)

    def _make_one(self) -> None:
        if self.renderer is None or self.paused or not self._wanted:
            if not self._wanted:
                self._timer.stop()
            return
        place, obj, ref, ground = self._wanted.pop(0)
        if not ref.exists_in(obj):
            return
        points = shape_points(obj, ref)
        tint = None if ref.is_base else tint_of(obj, points - obj.base)
        image = shape_picture(self.renderer, obj, points, round(WIDTH * self.ratio), round(HEIGHT * self.ratio), ground, tint)
        image.setDevicePixelRatio(self.ratio)
        self._kept[place] = (self._made_of(obj, ref), image)
        while len(self._kept) > KEPT:
            self._kept.popitem(last=False)
        self.ready.emit()
