"""The cards: one for the base and one for each target, or rows when there are many."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QLineEdit, QMenu, QToolTip, QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.model.document import Document
from fictilis.app.model.hand import Gesture
from fictilis.app.targets.card_gestures import CarryCard, SlideFactor, SlideWeight
from fictilis.app.targets.card_paint import notch, paint_bar, paint_drivers, paint_marks, paint_over
from fictilis.app.targets.card_place import GAP, GroupPlace, Place, lay_out
from fictilis.app.targets.spoken import SpokenCards
from fictilis.app.targets.thumbnails import Thumbnails
from fictilis.app.widgets.fields import inline_editor
from fictilis.app.widgets.gesturing import Gesturing
from fictilis.app.widgets.layouts import later, menu_on
from fictilis.app.widgets.theme import Palette, font, pixmap
from fictilis.core.edits import targets as edits
from fictilis.core.ground.errors import there
from fictilis.core.ground.numbers_said import in_cm
from fictilis.core.mix.driven import driven_by, silent, states
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.scene import Group, Target, targets_by_id
from fictilis.render.background import Background

MENU_OF_A_CARD = ("duplicate", "mirror-new", "split", "join", "follow", "link", "unlink", None, "group", "ungroup",
                  "target-colour", None, "remove-target")  # fmt: skip
BROUGHT = 20  # ms until a card is brought into sight: then its row has been laid out
ROWS_ABOVE = 12  # more targets than this are shown as rows


class Cards(Gesturing, QWidget):
    """All cards in one painted widget. ``shape`` asks to shape what was clicked twice; ``reached`` says where the keys went."""

    shape = pyqtSignal(object)
    reached = pyqtSignal(QRectF)

    def __init__(self, doc: Document, thumbnails: Thumbnails, palette: Palette, actions: Actions) -> None:
        super().__init__()
        self.doc, self.thumbnails, self.palette_, self.actions_ = doc, thumbnails, palette, actions
        self.filter = ""
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Targets")
        self.spoken = SpokenCards(self)
        self.drop_at: int | None = None
        self._editor: QLineEdit | None = None
        self._chosen: tuple[str, ...] = ()
        self._brought = ""
        self._bring = later(self, BROUGHT, self._bring_now)
        self._placed: list[Place] = []
        self.group_places: list[GroupPlace] = []
        doc.changed.connect(self.refresh)
        doc.moved.connect(self.update)
        thumbnails.ready.connect(self.update)
        self.refresh()

    def refresh(self) -> None:
        self._lay_out()
        self.update()
        last, self._chosen = self._chosen, self.doc.selected_targets[-1:]
        if self._chosen and self._chosen != last:  # by whatever chose it, or made it
            self.bring(*self._chosen)

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
        self._placed, self.group_places, height = lay_out(self.doc.object, self.filter, self.width(), self.as_rows())
        self.setFixedHeight(height)

    def sizeHint(self) -> QSize:
        return QSize(200, self.height())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and Down go from card to card, the base among them."""
        way = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(event.key())
        if way is None or not self.places():
            super().keyPressEvent(event)
            return
        ids = [place.target.id if place.target is not None else None for place in self.places()]
        now = self.doc.target.id if self.doc.target is not None else None
        number = min(max(ids.index(now) + way, 0), len(ids) - 1) if now in ids else 0
        self.doc.select_target(ids[number])
        self.reached.emit(self.places()[number].rect)

    # painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        obj = self.doc.object
        if obj is None:
            painter.setPen(QColor(self.palette_.quiet))
            painter.setFont(font(12.5))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "No object yet")
            return
        weights = self.doc.channels.weights(obj)
        for place in self._placed:
            if place.rect.intersects(QRectF(event.rect())):
                self._paint_card(painter, place, weights)
        for group in self.group_places:
            self._paint_group(painter, group)
        if self.drop_at is not None:
            self._paint_drop(painter)

    def _paint_group(self, painter: QPainter, place: GroupPlace) -> None:
        p, group = self.palette_, self.doc.obj.group(place.group.id) or place.group
        painter.drawPixmap(
            round(place.rect.left() + 2), round(place.rect.center().y() - 7),
            pixmap("caret-right" if group.folded else "caret-down", p.quiet, 14, 2.0),
        )  # fmt: skip
        painter.setFont(font(12.5, 600))
        painter.setPen(QColor(p.text))
        room = QRectF(place.bar.left(), place.rect.top(), place.bar.width(), 17)
        name = painter.fontMetrics().elidedText(group.name, Qt.TextElideMode.ElideMiddle, int(room.width()))
        painter.drawText(room, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(font(12.5))
        painter.setPen(QColor(p.quiet))
        painter.drawText(place.number, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{group.factor:.2f}")
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(p.track))
        painter.drawRoundedRect(place.bar, 3, 3)
        part = QRectF(place.bar)
        part.setWidth(part.width() * min(max(group.factor, 0.0), 1.0))
        painter.setBrush(QColor(p.quiet))
        painter.drawRoundedRect(part, 3, 3)

    def _paint_card(self, painter: QPainter, place: Place, weights: dict[str, float]) -> None:
        p, target, doc = self.palette_, place.target, self.doc
        target = doc.obj.target(target.id) if target is not None else None
        chosen = (target.id in doc.selected_targets) if target is not None else (not doc.selected)
        painter.setPen(QPen(QColor(p.primary if chosen else p.line), 2 if chosen else 1))
        painter.setBrush(QColor(p.raised))
        inset = 1 if chosen else 0.5
        painter.drawRoundedRect(place.rect.adjusted(inset, inset, -inset, -inset), 7, 7)
        self._paint_thumbnail(painter, place, target)
        name, room = target.name if target else "Base", place.name
        if target is not None:
            marks = room.topLeft() + QPointF(0, 9) if place.row else place.rect.topLeft() + QPointF(8, 12)
            used = paint_marks(painter, p, marks, target)
            room = room.adjusted(used if place.row else 0, 0, 0, 0)
        painter.setFont(font(12.5, 500))
        quiet = target is not None and target.id in silent(doc.obj)
        painter.setPen(QColor(p.quiet if quiet else p.text))
        elided = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, int(room.width()))
        painter.drawText(room, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, elided)
        if target is None:
            return
        painter.setFont(font(12.5))
        painter.setPen(QColor(p.quiet))
        acts = "acts " if place.drivers and not place.row else ""
        said = "muted" if target.muted else f"{acts}{weights[target.id]:.2f}"
        paint_over(painter, p, there(place.number), said)
        if place.drivers is not None:
            paint_drivers(painter, p, place.drivers, self.doc.obj, target)
        elif place.bar is not None:
            paint_bar(painter, p, place.bar, target, weights[target.id], quiet)

    def _paint_thumbnail(self, painter: QPainter, place: Place, target: Target | None) -> None:
        p = self.palette_
        image = self.thumbnails.get(self.doc.obj, ShapeRef(target.id if target else None), Background(p.raised, p.raised))
        if image is None:
            return
        if self.as_rows():
            painter.drawImage(QRectF(place.rect.left() + 3, place.rect.top() + 3, 28, 21), image)
        else:
            x = place.rect.center().x() - 42
            painter.drawImage(QRectF(x, place.rect.top() + 9, 84, 63), image)

    def _paint_drop(self, painter: QPainter) -> None:
        cards = [p for p in self._placed if p.target is not None]
        if not cards:
            return
        painter.setPen(QPen(QColor(self.palette_.primary), 3))
        at = min(there(self.drop_at), len(cards))
        rect = cards[at].rect if at < len(cards) else cards[-1].rect
        if self.as_rows():
            y = rect.top() - 1.5 if at < len(cards) else rect.bottom() + 1.5
            painter.drawLine(QPointF(rect.left(), y), QPointF(rect.right(), y))
        else:
            x = rect.left() - GAP / 2 if at < len(cards) else rect.right() + GAP / 2
            painter.drawLine(QPointF(x, rect.top()), QPointF(x, rect.bottom()))

    def event(self, event: QEvent) -> bool:
        """The tip has the whole name, and how far the target moves."""
        if event.type() != QEvent.Type.ToolTip or not isinstance(event, QHelpEvent):
            return super().event(event)
        place = self._under(QPointF(event.pos()))
        heading = next((g for g in self.group_places if g.rect.contains(QPointF(event.pos()))), None)
        target = place.target if place is not None else None
        said = heading.group.name if heading is not None else ""
        if target is not None:
            said = f"{target.name}: {len(target.deltas.indices):,} points, up to {in_cm(target.deltas.largest)}"
            said = "\n".join([said, *states(self.doc.obj, target), *([target.note] if target.note else [])])
        QToolTip.showText(event.globalPos(), said, self)
        return True

    # mouse

    def _under(self, at: QPointF) -> Place | None:
        return next((p for p in self._placed if p.rect.contains(at)), None)

    def begin(self, event: QMouseEvent) -> Gesture | None:
        at, place = event.position(), self._under(event.position())
        heading = next((g for g in self.group_places if g.rect.contains(at)), None)
        if heading is not None:
            return self._press_group(heading, event)
        if place is None:
            return None
        if event.button() == Qt.MouseButton.RightButton:
            self._menu(place, event)
            return None
        if event.button() != Qt.MouseButton.LeftButton:
            return None
        target = place.target
        if target is None:
            if self.doc.shaping is not None:  # what the column shows is what a stroke changes
                self.doc.start_shaping(ShapeRef())
            self.doc.select_target(None)
            return None
        if place.bar is not None and place.bar.adjusted(-4, -6, 4, 6).contains(at):
            if target.id not in self.doc.selected_targets:
                self.doc.select_target(target.id)
            return SlideWeight(self, event, place)
        keys, ref = event.modifiers(), self.doc.channels.ref
        shown = [ref(p.target.id) for p in self._placed if p.target is not None]
        row = shown if keys & Qt.KeyboardModifier.ShiftModifier else ()
        self.doc.select_channel(ref(target.id), bool(keys & Qt.KeyboardModifier.ControlModifier), row)
        return CarryCard(self, event, target.id)

    def _press_group(self, place: GroupPlace, event: QMouseEvent) -> Gesture | None:
        if event.button() == Qt.MouseButton.RightButton:
            self.group_menu(place).popup(event.globalPosition().toPoint())
        elif event.button() == Qt.MouseButton.LeftButton:
            if place.bar.adjusted(-4, -8, 4, 8).contains(event.position()):
                return SlideFactor(self, event, place)
            if not place.number.contains(event.position()):
                self.fold(place.group.id)
        return None

    def fold(self, group_id: str) -> None:
        group = there(self.doc.obj.group(group_id))
        word = "Unfold" if group.folded else "Fold"
        self.doc.edit(
            f"{word} {group.name}",
            lambda s: edits.change_group(s, self.doc.obj.id, group_id, folded=not group.folded),
        )

    def group_menu(self, place: GroupPlace) -> QMenu:
        """What can be done with a group."""
        doc, group = self.doc, place.group
        members = [t.id for t in doc.obj.targets if t.group == group.id]
        menu = menu_on(self)
        menu.addAction("Unfold" if group.folded else "Fold", lambda: self.fold(group.id))
        menu.addAction(
            "Rename", lambda: self._edit(group.id, place.rect.adjusted(16, 1, -60, -1), group.name, self._renamer(group))
        )
        menu.addAction("Set its slider…", lambda: self.edit_factor(place))
        if group.relay is not None:
            menu.addAction("Select its lane", lambda: doc.select_channel(doc.channels.ref(group.id)))
            menu.addAction("Relay to weight keys", lambda: self._put_in_layers(group.id))
            return menu
        menu.addAction(
            "Dissolve",
            lambda: doc.edit(f"Dissolve {group.name}", lambda s: edits.put_in_group(s, doc.obj.id, members, None)),
        )
        return menu

    def _put_in_layers(self, group_id: str) -> None:
        """Dissolve a relay and keep its motion."""
        self.doc.select_channel(self.doc.channels.ref(group_id))
        self.actions_.by_id["relay-layers"].trigger()

    def _renamer(self, group: Group) -> Callable[[str], None]:
        def rename(text: str) -> None:
            if text.strip() != group.name:
                self.doc.edit(f"Rename {group.name}", lambda s: edits.change_group(s, self.doc.obj.id, group.id, name=text))

        return rename

    def edit_factor(self, place: GroupPlace) -> None:
        def finish(text: str) -> None:
            try:
                factor = float(text.replace(",", "."))
            except ValueError:
                self.doc.say(f"“{text}” is not a number; the slider of {place.group.name} stays.", "error")
                return
            self.doc.edit(
                f"Slider of {place.group.name}",
                lambda s: edits.change_group(s, self.doc.obj.id, place.group.id, factor=factor),
            )

        self._edit(place.group.id, place.number.adjusted(-8, 1, 3, -1), f"{place.group.factor:.2f}", finish)

    def hover(self, event: QMouseEvent) -> None:
        place = self._under(event.position())
        on_bar = place is not None and place.bar is not None and place.bar.adjusted(-4, -6, 4, 6).contains(event.position())
        self.setCursor(Qt.CursorShape.SizeHorCursor if on_bar else Qt.CursorShape.ArrowCursor)

    def order_at(self, at: QPointF) -> int:
        cards = [p for p in self._placed if p.target is not None]
        for number, place in enumerate(cards):
            middle = place.rect.center()
            if at.y() < place.rect.bottom() and (at.y() < middle.y() if self.as_rows() else at.x() < middle.x()):
                return number
            if at.y() < place.rect.bottom() and not self.as_rows() and at.x() < place.rect.right() + GAP:
                return number + 1
        return len(cards)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        at, place = event.position(), self._under(event.position())
        heading = next((g for g in self.group_places if g.rect.contains(at)), None)
        if heading is not None and heading.number.contains(at):
            self.edit_factor(heading)
            return
        if place is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self.doc.hand.cancel()
        target = place.target
        if target is None:
            self.shape.emit(ShapeRef())
        elif there(place.number).contains(at):
            self.edit_weight(place)
        elif place.name.contains(at):
            self.edit_name(target.id)
        else:
            stage = self._stage_under(place, at)
            self.shape.emit(ShapeRef(target.id, stage if stage is not None else 1.0))

    def _stage_under(self, place: Place, at: QPointF) -> float | None:
        if place.target is None or place.bar is None:
            return None
        for stage in place.target.in_betweens:
            if notch(place.bar, place.target, stage.at).contains(at):
                return stage.at
        return None

    def _menu(self, place: Place, event: QMouseEvent) -> None:
        menu = self.menu_for(place, event.position())
        menu.popup(event.globalPosition().toPoint())

    def menu_for(self, place: Place, at: QPointF) -> QMenu:
        """What can be done with a card, or with the in-between whose notch is at ``at``."""
        menu = menu_on(self)
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
                    lambda s: edits.remove_in_between(s, doc.obj.id, target.id, stage),
                ),
            )
            return menu
        if target.id not in doc.selected_targets:
            doc.select_target(target.id)
        menu.addAction(f"Shape {target.name}", lambda: self.shape.emit(ShapeRef(target.id)))
        menu.addAction("Rename", lambda: self.edit_name(target.id))
        if not driven_by(doc.obj, target):
            menu.addAction("Set weight…", lambda: self.edit_weight(place))
        elif target.rule is not None:
            self.actions_.add_to(menu, ("driver", "plain-target"))
        elif target.follows is not None:
            self.actions_.add_to(menu, ("plain-target",))
        self.actions_.add_to(menu, ("mute", "solo", "lock-target", None))
        self.actions_.add_to(menu, MENU_OF_A_CARD)
        return menu

    def bring(self, target_id: str) -> None:
        """Bring the card of a target into sight, once its row has room; one under a folded heading stays there."""
        self._brought = target_id
        self._bring.start()

    def _bring_now(self) -> None:
        place = next((p for p in self._placed if p.target is not None and p.target.id == self._brought), None)
        if place is not None:
            self.reached.emit(place.rect)

    # editing in place

    def edit_name(self, target_id: str) -> None:
        place = next((p for p in self._placed if p.target is not None and p.target.id == target_id), None)
        if place is None:
            return
        rect = place.rect.adjusted(4, 0, -4, 0)
        rect.setTop(place.name.top() - 3)
        rect.setHeight(22)
        name = self.doc.obj.target(target_id).name

        def finish(text: str) -> None:
            if text.strip() != name:
                self.doc.edit(f"Rename {name}", lambda s: edits.rename_target(s, self.doc.obj.id, target_id, text))

        self._edit(target_id, rect, name, finish)

    def edit_weight(self, place: Place) -> None:
        target = there(place.target)
        if not self.doc.channels.may_set(self.doc.channels.ref(target.id)):
            return
        rect = there(place.number).adjusted(-10, -2, 3, 3)
        rect.setHeight(21)
        now = f"{self.doc.channels.weights(self.doc.obj)[target.id]:.2f}"
        self._edit(target.id, rect, now, lambda text: self.doc.channels.type_value(self.doc.channels.ref(target.id), text))

    def _edit(self, part_id: str, rect: QRectF, text: str, finish: Callable[[str], None]) -> None:
        """Type over a painted text of a target or a group."""
        doc, opened = self.doc, self.doc.object_id

        def still() -> bool:
            obj = doc.object
            there = obj is not None and (part_id in targets_by_id(obj) or obj.group(part_id) is not None)
            return there and opened == doc.object_id

        self._editor = inline_editor(self, rect, text, finish, still, doc)
