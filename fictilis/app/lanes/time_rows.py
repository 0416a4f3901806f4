"""The rows under the lanes: markers and sound, on the same frames as the lanes above them."""

from __future__ import annotations

from collections.abc import Callable
from weakref import ref

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen, QPixmap, QWheelEvent
from PyQt6.QtWidgets import QMenu, QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.lanes.gestures import CLICK
from fictilis.app.lanes.lanes import Lanes
from fictilis.app.lanes.paint import playhead_line
from fictilis.app.lanes.samples import Samples
from fictilis.app.lanes.spoken import SpokenMarkers
from fictilis.app.model.document import Document
from fictilis.app.model.hand import Gesture
from fictilis.app.widgets.fields import inline_editor
from fictilis.app.widgets.gesturing import Gesturing
from fictilis.app.widgets.layouts import menu_on
from fictilis.app.widgets.theme import Palette, font, pixmap
from fictilis.core.edits import timeline as edits
from fictilis.core.ground.errors import there
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import Marker
from fictilis.core.scene.waveform import Waveform, outline


class RowGesture(Gesture):
    """One that began on a row."""

    def __init__(self, row: TimeRow, event: QMouseEvent) -> None:
        self.row, self.doc, self.axis, self.pressed = row, row.doc, row.lanes.axis, event.position().x()

    def far(self, event: QMouseEvent) -> bool:
        return abs(event.position().x() - self.pressed) > CLICK

    def moved(self, frame: float, event: QMouseEvent) -> float:
        """Where something at a frame goes: to a whole frame, with Shift between them."""
        frame += self.axis.frame_at(event.position().x()) - self.axis.frame_at(self.pressed)
        return frame if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else float(np.round(frame))


class ScrubRow(RowGesture):
    def __init__(self, row: TimeRow, event: QMouseEvent) -> None:
        super().__init__(row, event)
        self.move(event)

    def move(self, event: QMouseEvent) -> None:
        self.doc.scrub(self.axis.frame_at(event.position().x()))


class MoveMarker(RowGesture):
    """A drag moves a marker, a click goes there."""

    def __init__(self, row: TimeRow, event: QMouseEvent, marker: Marker) -> None:
        super().__init__(row, event)
        self.marker = marker

    def move(self, event: QMouseEvent) -> None:
        scene = self.doc.committed.scene
        self.doc.preview(self._with(event, scene) if self.far(event) else scene)

    def _with(self, event: QMouseEvent, scene: Scene) -> Scene:
        return edits.move_marker(scene, self.marker.frame, self.moved(self.marker.frame, event))

    def end(self, event: QMouseEvent) -> None:
        if self.far(event):
            self.doc.edit(f"Move the marker {self.marker.name}", lambda s: self._with(event, s))
        else:
            self.doc.set_frame(self.marker.frame)


class MoveSound(RowGesture):
    """A drag moves the sound, a click scrubs."""

    def _with(self, event: QMouseEvent, scene: Scene) -> Scene:
        return edits.change_sound(scene, start=self.moved(there(scene.sound).start, event))

    def move(self, event: QMouseEvent) -> None:
        scene = self.doc.committed.scene
        self.doc.preview(self._with(event, scene) if self.far(event) else scene)

    def end(self, event: QMouseEvent) -> None:
        if self.far(event):
            self.doc.edit("Move the sound", lambda s: self._with(event, s))
        else:
            self.doc.scrub(self.axis.frame_at(event.position().x()))


class TimeRow(Gesturing, QWidget):
    """A row as wide as the lanes, with a head. It scrubs where nothing else is under the pointer."""

    HIGH = 26

    def __init__(self, doc: Document, lanes: Lanes, actions: Actions, palette: Palette) -> None:
        super().__init__()
        self.doc, self.lanes, self.actions_, self.palette_ = doc, lanes, actions, palette
        self.setFixedHeight(self.HIGH)
        self.setMouseTracking(True)
        doc.changed.connect(self.refresh)
        doc.moved.connect(self.update)
        lanes.axis.looked.connect(self.update)

    def is_there(self) -> bool:
        raise NotImplementedError

    def refresh(self) -> None:
        self.setVisible(self.is_there())
        self.update()

    def right(self) -> float:
        """Where the lanes' bodies end."""
        return float(self.lanes.viewport().width())

    def paintEvent(self, _event: object) -> None:
        painter, p = QPainter(self), self.palette_
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(p.panel))
        painter.fillRect(
            QRectF(self.lanes.axis.head, 0, self.right() - self.lanes.axis.head, self.height()), QColor(p.lane_body)
        )
        painter.save()
        painter.setClipRect(QRectF(self.lanes.axis.head, 0, self.right() - self.lanes.axis.head, self.height()))
        self.paint_body(painter)
        painter.restore()
        painter.setPen(QColor(p.line))
        painter.drawLine(QPointF(0, 0.5), QPointF(self.width(), 0.5))
        painter.drawLine(QPointF(self.lanes.axis.head - 0.5, 0), QPointF(self.lanes.axis.head - 0.5, self.height()))
        self.paint_head(painter)

    def paint_body(self, painter: QPainter) -> None:
        raise NotImplementedError

    def paint_head(self, painter: QPainter) -> None:
        raise NotImplementedError

    def head_text(self, painter: QPainter, text: str, left: float = 30, quiet: bool = False) -> None:
        painter.setFont(font(12.5, 500))
        painter.setPen(QColor(self.palette_.quiet if quiet else self.palette_.text))
        rect = QRectF(left, 0, self.lanes.axis.head - left - 12, self.height())
        text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(rect.width()))
        painter.drawText(rect, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """As over the lanes, but here are no values to zoom."""
        if not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.lanes.wheelEvent(event)

    def menu(self, event: QMouseEvent, names: tuple[str | None, ...], more: Callable[[QMenu], None] | None = None) -> None:
        menu = menu_on(self)
        if more is not None:
            more(menu)
        self.actions_.add_to(menu, names)
        menu.popup(event.globalPosition().toPoint())


class MarkerRow(TimeRow):
    """Names at frames: click goes there, a drag moves one, a double click renames one or makes one."""

    def __init__(self, *parts) -> None:
        super().__init__(*parts)
        self.setAccessibleName("Markers")
        self.spoken = SpokenMarkers(self)
        self.setToolTip("")

    def is_there(self) -> bool:
        return bool(self.doc.scene.markers)

    def places(self) -> list[tuple[Marker, QRectF]]:
        """Each marker with the rectangle of its flag."""
        measure = self.fontMetrics()
        out, markers = [], self.doc.scene.markers
        for number, marker in enumerate(markers):
            x = self.lanes.axis.x(marker.frame)
            room = self.lanes.axis.x(markers[number + 1].frame) - x - 3 if number + 1 < len(markers) else 1e4
            wide = min(measure.horizontalAdvance(marker.name) + 16, max(room, 9))
            out.append((marker, QRectF(x, 5, wide, self.height() - 10)))
        return out

    def marker_under(self, at: QPointF) -> Marker | None:
        return next((m for m, rect in reversed(self.places()) if rect.adjusted(-3, -4, 2, 4).contains(at)), None)

    def paint_head(self, painter: QPainter) -> None:
        painter.drawPixmap(QPointF(11, self.height() / 2 - 7), pixmap("flag", self.palette_.quiet, 14))
        count = len(self.doc.scene.markers)
        self.head_text(painter, f"{count} marker{'' if count == 1 else 's'}")

    def paint_body(self, painter: QPainter) -> None:
        p = self.palette_
        playhead_line(self.lanes, painter, 0, self.height())
        painter.setFont(font(11.5, 500))
        for marker, rect in self.places():
            here = abs(marker.frame - self.doc.frame) < 1e-6
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(p.primary if here else p.chosen))
            painter.drawRoundedRect(rect, 3, 3)
            painter.fillRect(QRectF(rect.left() - 0.5, 0, 1.5, self.height()), QColor(p.primary))
            if rect.width() > 14:
                painter.setPen(QColor(p.on_primary if here else p.text))
                text = painter.fontMetrics().elidedText(marker.name, Qt.TextElideMode.ElideMiddle, int(rect.width() - 9))
                painter.drawText(rect.adjusted(6, 0, -2, 0), Qt.AlignmentFlag.AlignVCenter, text)

    def begin(self, event: QMouseEvent) -> Gesture | None:
        at = event.position()
        marker = self.marker_under(at)
        if event.button() == Qt.MouseButton.RightButton:
            frame = float(np.round(self.lanes.axis.frame_at(at.x())))
            self.menu(event, ("previous-marker", "next-marker"), lambda menu: self._marker_menu(menu, marker, frame))
        elif event.button() == Qt.MouseButton.LeftButton and at.x() >= self.lanes.axis.head:
            return ScrubRow(self, event) if marker is None else MoveMarker(self, event, marker)
        return None

    def _marker_menu(self, menu: QMenu, marker: Marker | None, frame: float) -> None:
        if marker is None:
            menu.addAction("New marker here…", lambda: (self.doc.set_frame(frame), self.actions_.by_id["marker"].trigger()))
            menu.addSeparator()
            return
        menu.addAction("Rename", lambda: self.edit_name(marker))
        menu.addAction("Delete", lambda: self.doc.edit(
            f"Delete the marker {marker.name}", lambda s: edits.drop_marker(s, marker.frame)))  # fmt: skip
        menu.addSeparator()

    def hover(self, event: QMouseEvent) -> None:
        grip = event.position().x() >= self.lanes.axis.head and self.marker_under(event.position()) is not None
        self.setCursor(Qt.CursorShape.PointingHandCursor if grip else Qt.CursorShape.ArrowCursor)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        marker = self.marker_under(event.position())
        self.doc.hand.cancel()
        if marker is not None:
            self.edit_name(marker)
        elif event.position().x() >= self.lanes.axis.head:
            self.actions_.by_id["marker"].trigger()

    def edit_name(self, marker: Marker) -> None:
        """Type another name in place."""
        rect = next(r for m, r in self.places() if m is marker)
        rect = QRectF(rect.left(), 1, max(rect.width(), 110), self.height() - 2)

        def finish(text: str) -> None:
            if text.strip() != marker.name:
                self.doc.edit(f"Rename the marker {marker.name}", lambda s: edits.set_marker(s, marker.frame, text))

        inline_editor(self, rect, marker.name, finish, lambda: marker in self.doc.scene.markers, self.doc)


class SoundRow(TimeRow):
    """The waveform. A drag moves the sound in time; the icon mutes it."""

    HIGH = 46

    def __init__(self, samples: Samples, *parts) -> None:
        self.samples = samples
        self._picture: tuple[tuple, QPixmap] | None = None
        super().__init__(*parts)
        self.setAccessibleName("Sound")
        samples.came.connect(self.update)

    def is_there(self) -> bool:
        return self.doc.scene.sound is not None

    @property
    def icon_place(self) -> QRectF:
        return QRectF(6, self.height() / 2 - 11, 22, 22)

    def extent(self, wave: Waveform) -> tuple[float, float]:
        """The first and last pixel of the waveform."""
        start, fps = there(self.doc.scene.sound).start, self.doc.scene.fps
        return self.lanes.axis.x(start), self.lanes.axis.x(start + wave.seconds * fps)

    def paint_head(self, painter: QPainter) -> None:
        sound = there(self.doc.scene.sound)
        name = "speaker-slash" if sound.muted else "speaker-high"
        painter.drawPixmap(QPointF(9, self.height() / 2 - 8), pixmap(name, self.palette_.quiet, 16))
        painter.save()
        painter.translate(0, -8)
        self.head_text(painter, sound.name, quiet=sound.muted)
        painter.translate(0, 16)
        painter.setFont(font(11))
        painter.setPen(QColor(self.palette_.quiet))
        said = f"from frame {sound.start:g}" + (", muted" if sound.muted else "")
        if self.doc.every_frame:
            said += ", silent while every frame is shown"
        if self.samples.wave() is None:
            said = "cannot be read" if self.samples.failed else "being read"
        painter.drawText(QRectF(30, 0, self.lanes.axis.head - 40, self.height()), Qt.AlignmentFlag.AlignVCenter, said)
        painter.restore()

    def paint_body(self, painter: QPainter) -> None:
        wave = self.samples.wave()
        if wave is not None:
            painter.drawPixmap(0, 0, self._wave_picture(wave))
        playhead_line(self.lanes, painter, 0, self.height())

    def _wave_picture(self, wave: Waveform) -> QPixmap:
        """The waveform as it lies under the lanes, kept until it looks otherwise."""
        sound, ratio = there(self.doc.scene.sound), self.devicePixelRatioF()
        key = (
            ref(wave),
            sound.start,
            sound.muted,
            self.lanes.axis.frames_in_sight(),
            self.right(),
            self.doc.scene.fps,
            self.palette_,
            ratio,
        )
        if self._picture is None or self._picture[0] != key:
            picture = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
            picture.setDevicePixelRatio(ratio)
            picture.fill(Qt.GlobalColor.transparent)
            painter = QPainter(picture)
            self._paint_wave(painter, wave)
            painter.end()
            self._picture = (key, picture)
        return self._picture[1]

    def _paint_wave(self, painter: QPainter, wave: Waveform) -> None:
        sound, p = there(self.doc.scene.sound), self.palette_
        left, right = self.extent(wave)
        first, last = int(max(np.floor(left), self.lanes.axis.head)), int(min(np.ceil(right), self.right()))
        if last <= first:
            return
        xs = np.arange(first, last + 1)
        a, b = self.lanes.axis.frame_at(0.0), self.lanes.axis.frame_at(1.0)
        rows = outline(wave, (a + (b - a) * xs - sound.start) / self.doc.scene.fps)
        middle, half = self.height() / 2, self.height() / 2 - 4
        colour = QColor(p.lane("#2A8FA3") if not sound.muted else p.line)
        soft = QColor(colour)
        soft.setAlpha(26)
        painter.fillRect(QRectF(first, 2, last - first, self.height() - 4), soft)
        painter.setPen(QPen(colour, 1))
        painter.drawLines([QLineF(x, middle - high * half, x, middle - low * half)
                           for x, (low, high) in zip(xs.tolist(), rows.tolist(), strict=False)])  # fmt: skip

    def _on_wave(self, x: float) -> bool:
        wave = self.samples.wave()
        if wave is None or x < self.lanes.axis.head:
            return False
        left, right = self.extent(wave)
        return left <= x <= right

    def begin(self, event: QMouseEvent) -> Gesture | None:
        at = event.position()
        if event.button() == Qt.MouseButton.RightButton:
            self.menu(event, ("sound-mute", "sound-here", "sound-numbers", "scrub-sound", None, "sound", "sound-remove"))
        elif event.button() == Qt.MouseButton.LeftButton:
            if self.icon_place.contains(at):
                self.actions_.by_id["sound-mute"].trigger()
            elif at.x() >= self.lanes.axis.head:
                return MoveSound(self, event) if self._on_wave(at.x()) else ScrubRow(self, event)
        return None

    def hover(self, event: QMouseEvent) -> None:
        on_wave = self._on_wave(event.position().x())
        self.setCursor(Qt.CursorShape.SizeHorCursor if on_wave else Qt.CursorShape.ArrowCursor)
