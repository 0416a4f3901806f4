"""The cards: one for the base and one for each target, or rows when there are many."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QLineEdit, QMenu, QWidget

from fictilis.app.document import Document
from fictilis.app.fields import inline_editor
from fictilis.app.theme import Palette, font
from fictilis.app.thumbnails import Thumbnails
from fictilis.core.edits import targets as edits
from fictilis.core.edits.shape import ShapeRef
from fictilis.core.scene import Target
from fictilis.render.renderer import Ground

CARD_HEIGHT, ROW_HEIGHT, GAP = 109, 30, 8
ROWS_ABOVE = 12  # more targets than this are shown as rows


def bar_part(target: Target, weight: float) -> float:
    """Where a weight stands on its bar, 0…1 over the range."""
    low, high = target.range
    return (weight - low) / (high - low)


@dataclass
class Place:
    """Where a card is: its whole rectangle, its bar and its number (None for the base)."""

    target: Target | None
    rect: QRectF
    bar: QRectF | None
    number: QRectF | None
    name: QRectF


class Cards(QWidget):
    """All cards in one painted widget. ``shape`` asks to shape what was clicked twice."""

    shape = pyqtSignal(object)

    def __init__(self, doc: Document, thumbnails: Thumbnails, palette: Palette) -> None:
        super().__init__()
        self.doc, self.thumbnails, self.palette_ = doc, thumbnails, palette
        self.filter = ""
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Targets")
        self._drag: tuple[str, str] | None = None
        self._press = QPointF()
        self._drop_at: int | None = None
        self._editor: QLineEdit | None = None
        self._placed: list[Place] = []
        doc.changed.connect(self.refresh)
        doc.moved.connect(self.update)
        thumbnails.ready.connect(self.update)
        self.refresh()

    def refresh(self) -> None:
        self._lay_out()
        self.update()

    def resizeEvent(self, _event: object) -> None:
        self._lay_out()

    def as_rows(self) -> bool:
        obj = self.doc.object
        return obj is not None and len(obj.targets) > ROWS_ABOVE

    def places(self) -> list[Place]:
        return self._placed

    def place_of(self, name: str | None) -> Place:
        """The card of a target by name, or of the base."""
        return next(p for p in self._placed if (p.target.name if p.target else None) == name)

    def _lay_out(self) -> None:
        obj = self.doc.object
        self._placed = []
        if obj is None:
            self.setFixedHeight(40)
            return
        shown: list[Target | None] = [None]
        shown += [t for t in obj.targets if self.filter.lower() in t.name.lower()]
        width = self.width()
        y = 1.0
        for number, target in enumerate(shown):
            if self.as_rows():
                rect = QRectF(1, y, width - 2, ROW_HEIGHT - 3)
                y += ROW_HEIGHT
                bar = QRectF(rect.left() + 108, rect.center().y() - 3, max(rect.width() - 154, 20), 6)
                number_rect = QRectF(rect.right() - 42, rect.top(), 38, rect.height())
                name = QRectF(rect.left() + 36, rect.top(), 70, rect.height())
            else:
                wide = (width - GAP - 2) / 2
                rect = QRectF(1 + (number % 2) * (wide + GAP), 1 + (number // 2) * (CARD_HEIGHT + GAP), wide, CARD_HEIGHT)
                y = rect.bottom() + GAP
                bar = QRectF(rect.left() + 7, rect.bottom() - 14, rect.width() - 14, 6)
                number_rect = QRectF(rect.right() - 44, rect.top() + 4, 38, 16)
                name = QRectF(rect.left() + 7, rect.bottom() - 35, rect.width() - 13, 16)
            if target is None:
                self._placed.append(Place(None, rect, None, None, name))
            else:
                self._placed.append(Place(target, rect, bar, number_rect, name))
        self.setFixedHeight(int(y) + 4)

    def sizeHint(self) -> QSize:
        return QSize(200, self.height())

    # painting

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        obj = self.doc.object
        if obj is None:
            painter.setPen(QColor(self.palette_.quiet))
            painter.setFont(font(12.5))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "No object yet")
            return
        weights = self.doc.weights(obj)
        for place in self._placed:
            if place.rect.intersects(QRectF(event.rect())):
                self._paint_card(painter, place, weights)
        if self._drop_at is not None:
            self._paint_drop(painter)

    def _paint_card(self, painter: QPainter, place: Place, weights: dict[str, float]) -> None:
        p, target, doc = self.palette_, place.target, self.doc
        target = doc.object.target(target.id) if target is not None else None
        chosen = (target.id in doc.selected) if target is not None else (not doc.selected)
        painter.setPen(QPen(QColor(p.primary if chosen else p.line), 2 if chosen else 1))
        painter.setBrush(QColor(p.raised))
        inset = 1 if chosen else 0.5
        painter.drawRoundedRect(place.rect.adjusted(inset, inset, -inset, -inset), 7, 7)
        self._paint_thumbnail(painter, place, target)
        name = target.name if target else "Base"
        painter.setFont(font(12.5, 500))
        painter.setPen(QColor(p.quiet if target is not None and target.muted else p.text))
        elided = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(place.name.width()))
        painter.drawText(place.name, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, elided)
        if target is None:
            return
        painter.setFont(font(12.5))
        painter.setPen(QColor(p.quiet))
        said = "muted" if target.muted else f"{weights[target.id]:.2f}"
        painter.drawText(place.number, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, said)
        self._paint_bar(painter, place.bar, target, weights[target.id])

    def _paint_thumbnail(self, painter: QPainter, place: Place, target: Target | None) -> None:
        p = self.palette_
        image = self.thumbnails.get(self.doc.object, ShapeRef(target.id if target else None), Ground(p.raised, p.raised))
        if image is None:
            return
        if self.as_rows():
            painter.drawImage(QRectF(place.rect.left() + 4, place.rect.top() + 2, 30, 22.5), image)
        else:
            x = place.rect.center().x() - 42
            painter.drawImage(QRectF(x, place.rect.top() + 9, 84, 63), image)

    def _paint_bar(self, painter: QPainter, bar: QRectF, target: Target, weight: float) -> None:
        p = self.palette_
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(p.track))
        painter.drawRoundedRect(bar, 3, 3)
        zero, here = (min(max(bar_part(target, w), 0.0), 1.0) for w in (0.0, weight))
        left, right = sorted((zero, here))
        if right - left > 1e-3 and not target.muted:
            painter.setBrush(QColor(p.lane(target.colour)))
            painter.drawRoundedRect(
                QRectF(bar.left() + left * bar.width(), bar.top(), (right - left) * bar.width(), bar.height()), 3, 3
            )
        for stage in target.in_betweens:
            rect = self.notch(bar, target, stage.at)
            painter.setBrush(QColor(p.text))
            painter.drawRect(QRectF(rect.center().x() - 1, bar.top() - 3, 2, bar.height() + 6))
        out = bar_part(target, weight)
        if not -1e-6 <= out <= 1 + 1e-6:  # beyond the soft range: an arrow at that end
            painter.setBrush(QColor(p.auto_key))
            x, way = (bar.right(), 1) if out > 1 else (bar.left(), -1)
            painter.drawPolygon(
                [
                    QPointF(x - way * 5, bar.top() - 2),
                    QPointF(x - way * 5, bar.bottom() + 2),
                    QPointF(x + way * 2, bar.center().y()),
                ]
            )

    @staticmethod
    def notch(bar: QRectF, target: Target, at: float) -> QRectF:
        """Where the notch of an in-between can be pressed."""
        x = bar.left() + min(max(bar_part(target, at), 0.0), 1.0) * bar.width()
        return QRectF(x - 5, bar.top() - 6, 10, bar.height() + 12)

    def _paint_drop(self, painter: QPainter) -> None:
        cards = [p for p in self._placed if p.target is not None]
        if not cards:
            return
        painter.setPen(QPen(QColor(self.palette_.primary), 3))
        at = min(self._drop_at, len(cards))
        rect = cards[at].rect if at < len(cards) else cards[-1].rect
        if self.as_rows():
            y = rect.top() - 1.5 if at < len(cards) else rect.bottom() + 1.5
            painter.drawLine(QPointF(rect.left(), y), QPointF(rect.right(), y))
        else:
            x = rect.left() - GAP / 2 if at < len(cards) else rect.right() + GAP / 2
            painter.drawLine(QPointF(x, rect.top()), QPointF(x, rect.bottom()))

    # mouse

    def _under(self, at: QPointF) -> Place | None:
        return next((p for p in self._placed if p.rect.contains(at)), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at, place = event.position(), self._under(event.position())
        if place is None:
            return
        if event.button() == Qt.MouseButton.RightButton:
            self._menu(place, event)
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._press = at
        target = place.target
        if target is None:
            self.doc.select_target(None)
        elif place.bar.adjusted(-4, -6, 4, 6).contains(at):
            if target.id not in self.doc.selected:
                self.doc.select_target(target.id)
            self._drag = ("weight", target.id)
        else:
            keys = event.modifiers()
            self.doc.select_target(
                target.id, bool(keys & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
            )
            self._drag = ("card", target.id)

    def _weight_at(self, target_id: str, x: float) -> float:
        place = next(p for p in self._placed if p.target is not None and p.target.id == target_id)
        low, high = self.doc.object.target(target_id).range
        part = min(max((x - place.bar.left()) / place.bar.width(), 0.0), 1.0)
        return round(low + part * (high - low), 3)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            place = self._under(event.position())
            on_bar = place is not None and place.bar is not None and place.bar.adjusted(-4, -6, 4, 6).contains(event.position())
            self.setCursor(Qt.CursorShape.SizeHorCursor if on_bar else Qt.CursorShape.ArrowCursor)
            return
        kind, target_id = self._drag
        if kind == "weight":
            self.doc.set_weight(target_id, self._weight_at(target_id, event.position().x()), final=False)
        elif (event.position() - self._press).manhattanLength() > 10:
            self._drop_at = self._order_at(event.position())
            self.update()

    def _order_at(self, at: QPointF) -> int:
        cards = [p for p in self._placed if p.target is not None]
        for number, place in enumerate(cards):
            middle = place.rect.center()
            if at.y() < place.rect.bottom() and (at.y() < middle.y() if self.as_rows() else at.x() < middle.x()):
                return number
            if at.y() < place.rect.bottom() and not self.as_rows() and at.x() < place.rect.right() + GAP:
                return number + 1
        return len(cards)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        (kind, target_id), self._drag = self._drag, None
        if kind == "weight":
            self.doc.set_weight(target_id, self._weight_at(target_id, event.position().x()))
        elif self._drop_at is not None:
            now = [t.id for t in self.doc.object.targets].index(target_id)
            place = self._drop_at - (1 if self._drop_at > now else 0)
            self._drop_at = None
            if place != now:
                self.doc.edit("Reorder targets", lambda s: edits.move_target(s, self.doc.object_id, target_id, place))
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        at, place = event.position(), self._under(event.position())
        if place is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._drag = None
        target = place.target
        if target is None:
            self.shape.emit(ShapeRef())
        elif place.number.contains(at):
            self.edit_weight(place)
        elif place.name.contains(at):
            self.edit_name(target.id)
        else:
            stage = self._stage_under(place, at)
            self.shape.emit(ShapeRef(target.id, stage if stage is not None else 1.0))

    def _stage_under(self, place: Place, at: QPointF) -> float | None:
        if place.target is None:
            return None
        for stage in place.target.in_betweens:
            if self.notch(place.bar, place.target, stage.at).contains(at):
                return stage.at
        return None

    def _menu(self, place: Place, event: QMouseEvent) -> None:
        menu = self.menu_for(place, event.position())
        menu.popup(event.globalPosition().toPoint())

    def menu_for(self, place: Place, at: QPointF) -> QMenu:
        """What can be done with a card, or with the in-between whose notch is at ``at``."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        doc, target = self.doc, place.target
        if target is None:
            menu.addAction("Shape the base", lambda: self.shape.emit(ShapeRef()))
            return menu
        stage = self._stage_under(place, at)
        if stage is not None:
            menu.addAction(f"Shape the in-between at {stage:.2f}", lambda: self.shape.emit(ShapeRef(target.id, stage)))
            menu.addAction(
                f"Remove the in-between at {stage:.2f}",
                lambda: doc.edit(
                    f"Remove in-between of {target.name}",
                    lambda s: edits.remove_in_between(s, doc.object_id, target.id, stage),
                ),
            )
            return menu
        if target.id not in doc.selected:
            doc.select_target(target.id)
        menu.addAction(f"Shape {target.name}", lambda: self.shape.emit(ShapeRef(target.id)))
        menu.addAction("Rename", lambda: self.edit_name(target.id))
        menu.addAction("Set weight…", lambda: self.edit_weight(place))
        word = "Unmute" if target.muted else "Mute"
        menu.addAction(
            word,
            lambda: doc.edit(f"{word} {target.name}", lambda s: edits.set_muted(s, doc.object_id, target.id, not target.muted)),
        )
        menu.addAction(
            "Remove", lambda: doc.edit(f"Remove {target.name}", lambda s: edits.remove_target(s, doc.object_id, target.id))
        )
        return menu

    # editing in place

    def edit_name(self, target_id: str) -> None:
        place = next((p for p in self._placed if p.target is not None and p.target.id == target_id), None)
        if place is None:
            return
        rect = place.rect.adjusted(4, 0, -4, 0)
        rect.setTop(place.name.top() - 3)
        rect.setHeight(22)
        name = self.doc.object.target(target_id).name

        def finish(text: str) -> None:
            if text.strip() != name:
                self.doc.edit(f"Rename {name}", lambda s: edits.rename_target(s, self.doc.object_id, target_id, text))

        self._edit(rect, name, finish)

    def edit_weight(self, place: Place) -> None:
        target = place.target

        rect = place.number.adjusted(-10, -2, 3, 3)
        rect.setHeight(21)
        now = f"{self.doc.weights(self.doc.object)[target.id]:.2f}"
        self._edit(rect, now, lambda text: self.doc.type_weight(target.id, text))

    def _edit(self, rect: QRectF, text: str, finish: Callable[[str], None]) -> None:
        editor = inline_editor(self, rect, text, finish)
        self._editor = editor
