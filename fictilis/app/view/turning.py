"""Looking about by mouse: a right drag turns the view, with Shift moves it, with Ctrl turns the light; the wheel zooms."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QWheelEvent

from fictilis.app.view.canvas import Turned
from fictilis.app.view.handles import paint_letters
from fictilis.core.edits.timeline import set_light
from fictilis.core.scene.light import Light

DEGREES = 0.5  # of the light, per pixel


class Turning:
    """``at`` is where the pointer was last, None while nothing is turned; ``light`` how it stood when a hand took it."""

    def __init__(self, view: Turned) -> None:
        self.view = view
        self.at: QPointF | None = None
        self.light: Light | None = None
        self._from = QPointF()

    @property
    def on(self) -> bool:
        return self.at is not None

    def press(self, event: QMouseEvent) -> bool:
        """Whether a press turns, or ends what turns."""
        if self.on and event.buttons() != event.button():
            self.stop()  # a second button
        elif event.button() in (Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton) and not self.view.doc.hand.busy:
            self.at = self._from = event.position()
            self.light = self._taken(event)
        else:
            return False
        return True

    def double_click(self, event: QMouseEvent) -> bool:
        """Put the light back where it stands as shipped, with Ctrl; whether it was that."""
        self.light = self._taken(event)
        if self.light is None:
            return False
        shipped = Light()
        self._show(lambda light: replace(light, right=shipped.right, up=shipped.up))
        self.stop()
        return True

    def move(self, event: QMouseEvent) -> bool:
        if self.at is None:
            return False
        view, at = self.view, event.position()
        dx, dy = at.x() - self.at.x(), at.y() - self.at.y()
        panning = event.modifiers() & Qt.KeyboardModifier.ShiftModifier or event.buttons() & Qt.MouseButton.MiddleButton
        if self.light is not None:
            self._show(lambda light: turned(light, dx, dy))
        elif panning:
            view.camera = view.camera.moved(dx, dy, view.height())
        else:
            item, picks = view.shaped_item(), view.doc.picks()
            about = (
                item.in_scene()[picks].mean(axis=0) if view.doc.seeing.about_pick and item is not None and len(picks) else None
            )
            view.camera = view.camera.turned(dx, dy, about)
        self.at = view.pointer = at
        view.refresh()
        return True

    def release(self, event: QMouseEvent) -> bool | None:
        """None where it is not the turning that ends; else whether the press was a click, which asks for a menu."""
        if not self.on or event.button() == Qt.MouseButton.LeftButton:
            return None
        still = self.light is None and (event.position() - self._from).manhattanLength() < 3
        self.stop()
        return still and event.button() == Qt.MouseButton.RightButton

    def stop(self) -> None:
        """Turn no more; the scene is given the light that was turned."""
        view, was, self.at, self.light = self.view, self.light, None, None
        view.eye.aim_done()
        if was is not None and view.picture is not None and view.picture.renderer.light != was:
            light = view.picture.renderer.light
            view.doc.edit("Turn the light", lambda s: set_light(s, light))

    def wheel(self, event: QWheelEvent) -> None:
        view, at = self.view, event.position()
        if not view.doc.hand.busy:
            factor = 0.9 ** (event.angleDelta().y() / 120)
            view.camera = view.camera.zoomed(factor, at.x(), at.y(), view.width(), view.height())
            view.refresh()

    def paint(self, painter: QPainter) -> None:
        """Where the light stands, beside the pointer, while it is turned."""
        if self.light is not None and self.view.picture is not None:
            light = self.view.picture.renderer.light
            across, above = "right" if light.right >= 0 else "left", "up" if light.up >= 0 else "down"
            text = f"Light {abs(light.right):.0f}° {across}, {abs(light.up):.0f}° {above}"
            paint_letters(self.view, painter, self.view.pointer + QPointF(0, -18), text, quiet=False)

    def _taken(self, event: QMouseEvent) -> Light | None:
        """The light as it stands, where a press takes it by the hand."""
        taken = event.button() == Qt.MouseButton.RightButton and event.modifiers() & Qt.KeyboardModifier.ControlModifier
        return self.view.picture.renderer.light if taken and self.view.picture is not None else None

    def _show(self, change: Callable[[Light], Light]) -> None:
        if self.view.picture is not None:
            self.view.picture.renderer.light = change(self.view.picture.renderer.light)
            self.view.refresh()


def turned(light: Light, across: float, down: float) -> Light:
    """The light goes where the hand goes, by pixels."""
    right, up = light.right + DEGREES * across, light.up - DEGREES * down
    return replace(light, right=(right + 180) % 360 - 180, up=min(max(up, -90.0), 90.0))
