"""Thumbnails: each target at full weight, tinted where it moves points. Made a few at a time, kept by identity."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from fictilis.app.model.tasks import BackgroundTask, Task
from fictilis.app.view.picture import Picture, image_of
from fictilis.core.ground.affine import placed_box
from fictilis.core.ground.arrays import extent, lengths
from fictilis.core.ground.errors import there
from fictilis.core.mix.shapes import ShapeRef, shape_parts, shape_points
from fictilis.core.scene.scene import MorphObject
from fictilis.render.background import Background
from fictilis.render.beside import Draws
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem
from fictilis.render.snapshot import START_PITCH, START_YAW, draw_item

KEPT = 400
WAIT = 50  # ms, while the processor is needed elsewhere
MANY = 50_000  # points: with more, a pixel has points enough to be smooth, and making takes long
WIDTH, HEIGHT = 88, 66


def tint_of(obj: MorphObject, displacement: np.ndarray) -> np.ndarray:
    """(n,) float32 in 0…1: how far points move, against the largest move; nothing where all is rounding."""
    size = float(extent(obj.base).max()) or 1.0
    length = lengths(displacement)
    return (length / max(float(length.max(initial=0.0)), 1e-4 * size, 1e-9)).astype(np.float32)


def _same(a: tuple, b: tuple) -> bool:
    return len(a) == len(b) and all(x is y for x, y in zip(a, b, strict=True))


def shape_picture(
    renderer: Draws, obj: MorphObject, points: np.ndarray, width: int, height: int, background: Background
) -> QImage:
    """A small picture of an object in a shape (n, 3), seen from where every thumbnail is."""
    return image_of(
        renderer.draw(*_seen(draw_item(obj, points, "thumbnail"), obj, width, height), background, fine=len(points) < MANY)
    )


def _seen(item: DrawItem, obj: MorphObject, width: int, height: int) -> tuple[list[DrawItem], Camera, int, int]:
    """An item of an object from where every thumbnail is seen, in a picture of some size."""
    matrix = obj.transform.matrix()
    low, high = placed_box(obj.base, matrix) if len(obj.base) else (np.full(3, -1.0), np.full(3, 1.0))
    camera = Camera(yaw=START_YAW, pitch=START_PITCH).fitted(low, high, aspect=width / height, margin=1.2)
    return [item], camera, width, height


def _dressed(obj: MorphObject, ref: ShapeRef) -> DrawItem:
    points = shape_points(obj, ref)
    return draw_item(obj, points, "thumbnail", None if ref.is_base else tint_of(obj, points - obj.base))


class Thumbnails(QObject):
    """Hands out ready thumbnails, and makes the missing ones when the window is idle."""

    ready = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.picture: Picture | None = None
        self._drawn: tuple[tuple, tuple] | None = None  # where the one that is drawn goes, and what it is made of
        self.ratio = 1.0
        self._kept: OrderedDict[tuple, tuple[tuple, QImage]] = OrderedDict()
        self._wanted: list[tuple[tuple, MorphObject, ShapeRef, Background]] = []
        self._ready: tuple[tuple, DrawItem] | None = None
        self._beside = BackgroundTask(self)  # makes what would hold the window up
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._make_one)
        self.elsewhere: Callable[[], bool] = lambda: False  # whether the processor is needed for what moves

    @property
    def renderer(self) -> Draws | None:
        return None if self.picture is None else self.picture.renderer

    @renderer.setter
    def renderer(self, renderer: Draws | None) -> None:
        if renderer is not self.renderer:
            if self.picture is not None:
                self.picture.give_up()
            self.picture, self._drawn = None if renderer is None else Picture(renderer, self), None
            if self.picture is not None:
                self.picture.came.connect(self._came)

    def get(self, obj: MorphObject, ref: ShapeRef, background: Background) -> QImage | None:
        """The thumbnail of a shape; an older one, or None, until it is made."""
        place = (obj.id, ref, background)
        made_of = self._made_of(obj, ref)
        kept = self._kept.get(place)
        if kept is not None:
            self._kept.move_to_end(place)
            if _same(kept[0], made_of):
                return kept[1]
        if not any(w[0] == place for w in self._wanted):
            self._wanted.append((place, obj, ref, background))
        self._go_on()
        return kept[1] if kept is not None else None

    @property
    def at_rest(self) -> bool:
        """Whether all that were asked for are made."""
        return not self._wanted and self._drawn is None and not self._beside.busy

    def forget(self) -> None:
        """Keep nothing of the scene that was left."""
        self._kept.clear()
        self._wanted.clear()
        self._ready = self._drawn = None

    def _go_on(self) -> None:
        if not self._timer.isActive() and not self._beside.busy and self._drawn is None:
            self._timer.start()

    @staticmethod
    def _made_of(obj: MorphObject, ref: ShapeRef) -> tuple:
        parts: list[object] = [obj.geometry, obj.base, obj.appearance, obj.transform]
        if ref.target is not None:
            parts += shape_parts(obj, ref.target, ref.at)
        return tuple(parts)

    def _make_one(self) -> None:
        if not self._wanted:
            self._timer.stop()
            return
        if self.picture is None or self.elsewhere():
            self._timer.setInterval(WAIT)
            return
        self._timer.setInterval(0)
        place, obj, ref, background = self._wanted[0]
        if not ref.exists_in(obj):
            self._wanted.pop(0)
            return
        made_of = self._made_of(obj, ref)
        if self._ready is None or not _same(self._ready[0], made_of):
            if len(obj.base) > MANY:
                self._timer.stop()
                self._beside.run(lambda: (made_of, _dressed(obj, ref)), self._take)
                return
            self._ready = made_of, _dressed(obj, ref)
        self._wanted.pop(0)
        item, self._ready = self._ready[1], None
        self._drawn = place, made_of
        self._timer.stop()
        size = (round(WIDTH * self.ratio), round(HEIGHT * self.ratio))
        self.picture.ask(*_seen(item, obj, *size), 1.0, background, fine=len(item.points) < MANY)

    def _came(self) -> None:
        """Keep the one that was drawn; one that was lost is asked for again when it is looked for, and that is not said where
        none will come."""
        assert self.picture is not None
        if self._drawn is not None and not self.picture.lost:
            place, made_of = self._drawn
            image = there(self.picture.image)
            image.setDevicePixelRatio(self.ratio)
            self._kept[place] = (made_of, image)
            while len(self._kept) > KEPT:
                self._kept.popitem(last=False)
        self._drawn = None
        self._go_on()
        if not self.picture.error:
            self.ready.emit()

    def _take(self, task: Task[tuple[tuple, DrawItem]]) -> None:
        if self._wanted:  # else the scene was left meanwhile
            self._ready = task.result()
            self._timer.start()
