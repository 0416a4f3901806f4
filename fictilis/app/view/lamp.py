"""The light turned by hand: a right drag with Ctrl in the view; a double click with both puts it back."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter

from fictilis.app.view.canvas import Canvas
from fictilis.app.view.handles import paint_letters
from fictilis.core.edits.timeline import set_light
from fictilis.core.scene.light import Light

DEGREES = 0.5  # per pixel


def light_taken(view: Canvas, event: QMouseEvent) -> Light | None:
    """The light as it stands, where a press takes it by the hand; else None."""
    taken = event.button() == Qt.MouseButton.RightButton and event.modifiers() & Qt.KeyboardModifier.ControlModifier
    return view.picture.renderer.light if taken and view.picture is not None else None


def keep_light(view: Canvas) -> None:
    """Give the scene the light that was turned."""
    if view.lighting is not None and view.picture is not None and view.picture.renderer.light != view.lighting:
        light = view.picture.renderer.light
        view.doc.edit("Turn the light", lambda s: set_light(s, light))


def turned(light: Light, across: float, down: float) -> Light:
    """The light goes where the hand goes, by pixels."""
    right, up = light.right + DEGREES * across, light.up - DEGREES * down
    return replace(light, right=(right + 180) % 360 - 180, up=min(max(up, -90.0), 90.0))


def put_back(light: Light) -> Light:
    """Where it stands as shipped."""
    return replace(light, right=Light().right, up=Light().up)


def paint_light(view: Canvas, painter: QPainter) -> None:
    """Where the light stands, beside the pointer, while it is turned."""
    if view.lighting is not None and view.picture is not None:
        light = view.picture.renderer.light
        across, above = "right" if light.right >= 0 else "left", "up" if light.up >= 0 else "down"
        text = f"Light {abs(light.right):.0f}° {across}, {abs(light.up):.0f}° {above}"
        paint_letters(view, painter, view.pointer + QPointF(0, -18), text)
