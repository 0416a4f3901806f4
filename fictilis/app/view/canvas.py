"""What strokes, the amount field and the paint over the picture know of the view they belong to."""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np
from msgspec import Struct
from PyQt6.QtCore import QPointF, QRect, QRectF
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QWidget

from fictilis.app.model.document import Document
from fictilis.app.view.dressing import Dressing, Worn
from fictilis.app.view.eye import Eye
from fictilis.app.view.picture import Picture
from fictilis.app.view.tools import Bench, Event
from fictilis.app.widgets.theme import Palette
from fictilis.core.scene.scene import Deltas
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem
from fictilis.render.picking import hit_item, hit_shape
from fictilis.render.stage import Stage, StageItem


class Seen(Struct, eq=False):
    """A place under the pointer: which point of which item is nearest."""

    item: StageItem
    point: int


def look_under(items: list[StageItem], camera: Camera, at: tuple[float, float], size: tuple[int, int]) -> Seen | None:
    """The nearest point of the face at a pixel of a picture of some size."""
    best = None
    for item in items:
        hit = hit_shape(item.obj.geometry, item.in_scene(), camera, at, size)
        if hit is not None and (best is None or hit.distance < best[0]):
            gap = np.linalg.norm(item.in_scene()[hit.points] - hit.place, axis=1)
            best = (hit.distance, Seen(item, int(hit.points[np.argmin(gap)])))
    return best[1] if best is not None else None


def object_under(items: list[StageItem], camera: Camera, at: tuple[float, float], size: tuple[int, int]) -> str | None:
    """The id of the object whose surface comes first under a pixel; locked ones are looked through."""
    best = None
    for item in items:
        hit = None if item.obj.locked else hit_item(item, camera, at, size)
        if hit is not None and (best is None or hit.distance < best[0]):
            best = (hit.distance, item.obj.id)
    return best[1] if best is not None else None


def touched_under(
    items: list[StageItem], camera: Camera, at: tuple[float, float], size: tuple[int, int]
) -> tuple[str, int, tuple[int, ...]] | None:
    """What a finger would touch at a pixel: the object's id, the face, and its points, the nearest first."""
    best = None
    for item in items:
        hit = hit_item(item, camera, at, size)
        if hit is not None and (best is None or hit.distance < best[0]):
            best = (hit.distance, item, hit)
    if best is None:
        return None
    _, item, hit = best
    places = item.in_scene()[hit.points]
    order = np.argsort(np.linalg.norm(places - hit.place, axis=1), kind="stable")
    return item.obj.id, hit.face, tuple(hit.points[order].tolist())


class Turned(Protocol):
    """A widget that shows the scene from a camera."""

    doc: Document
    palette_: Palette
    camera: Camera
    eye: Eye
    pointer: QPointF

    @property
    def picture(self) -> Picture | None: ...
    def width(self) -> int: ...
    def height(self) -> int: ...
    def refresh(self) -> None: ...
    def shaped_item(self) -> StageItem | None: ...


class Canvas(Turned, Protocol):
    """The view, to its parts. Those of type Any are parts too, whose modules know this one."""

    stage: Stage
    dressing: Dressing
    worn: Worn
    seen: Seen | None
    moving: bool
    divider: float
    motion_kept: tuple[Any, ...] | None
    backing: Any
    drawing: Any
    strokes: Any
    clicks: Any
    measuring: Any
    turning: Any
    amount: Any

    def rect(self) -> QRect: ...
    def window(self) -> QWidget | None: ...
    def devicePixelRatioF(self) -> float: ...
    def setFocus(self) -> None: ...
    def update(self) -> None: ...
    def as_event(self, kind: str, event: QMouseEvent) -> Event: ...
    def bench(self, item: StageItem) -> Bench: ...
    def items(self) -> list[StageItem]: ...
    def shown(self) -> list[StageItem]: ...
    def draw_items(self) -> list[DrawItem]: ...
    def label_rects(self) -> list[tuple[StageItem, QRectF]]: ...
    def ask_base(self, moved: Deltas) -> str | None: ...
