"""What stands in the view while a scene is empty: three ways to begin, and the last scenes with their pictures."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, QSize, Qt, QTimer
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QGridLayout, QLabel, QPushButton, QScrollArea, QToolButton, QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.model.document import Document
from fictilis.app.model.settings import Settings
from fictilis.app.widgets.layouts import down
from fictilis.app.widgets.theme import ASSETS, Palette, icon
from fictilis.demo import SAMPLES

CARD, PICTURE = QSize(142, 118), QSize(128, 80)  # as the style sheet has them
GAP, MARGIN = 10, 28
MOST_SHOWN = 5  # of the last scenes
OWN = (("new", "cube"), ("draw-line", "path"), ("open", "stack"), ("first-steps", "flag"))  # actions and their icons


class _Card(QToolButton):
    """A picture with a name under it."""

    def __init__(self, name: str, picture: QIcon, run: Callable[[], object]) -> None:
        super().__init__()
        self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        self.setProperty("card", True)
        self.setFixedSize(CARD)
        self.setIconSize(PICTURE)
        self.setIcon(picture)
        self.setAccessibleName(name)
        self.setText(self.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, CARD.width() - 16))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.clicked.connect(lambda: run())


class _Row(QWidget):
    """A heading, and cards or buttons in as many columns as there is room for."""

    def __init__(self, heading: str) -> None:
        super().__init__()
        self.heading = QLabel(heading)
        self.heading.setProperty("title", True)
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setSpacing(GAP)
        self.parts: list[QWidget] = []

    def fill(self, parts: list[QWidget]) -> None:
        for part in self.parts:
            part.deleteLater()
        self.parts = parts
        self.setVisible(bool(parts))

    def lay(self, width: int) -> None:
        """In so many pixels."""
        wide = max((part.sizeHint().width() if not isinstance(part, _Card) else CARD.width() for part in self.parts), default=1)
        columns = max((width + GAP) // (wide + GAP), 1)
        while self.grid.count():
            self.grid.takeAt(0)
        self.grid.addWidget(self.heading, 0, 0, 1, columns)
        for number, part in enumerate(self.parts):
            self.grid.addWidget(part, 1 + number // columns, number % columns, Qt.AlignmentFlag.AlignLeft)
        self.grid.setColumnStretch(columns, 1)


class StartPage(QScrollArea):
    """Over the view of an empty scene, until something is drawn, made or opened there. ``open_path`` and ``open_sample`` open
    one of the last scenes, and a sample by its name."""

    def __init__(
        self, view: QWidget, doc: Document, settings: Settings, actions: Actions, palette: Palette,
        open_path: Callable[[Path], object], open_sample: Callable[[str], object], busy: Callable[[], bool],
    ) -> None:  # fmt: skip
        super().__init__(view)
        self.doc, self.settings, self.busy = doc, settings, busy
        self._open_path = open_path
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.samples = _Row("Look at a sample")
        self.samples.fill([_Card(s.title, _sample_picture(n), partial(open_sample, n)) for n, s in SAMPLES.items()])
        self.own, self.last = _Row("Begin your own, or drop a file on the window"), _Row("Go on with one of the last")
        self._buttons = [(_button(actions, row), name) for row, name in OWN]
        self.own.fill([button for button, _ in self._buttons])
        inner = QWidget()
        # below what stands in the view's upper edge
        layout = down(inner, 18, (MARGIN, MARGIN + 34, MARGIN, MARGIN // 2))
        for part in (self.last, self.own, self.samples):
            layout.addWidget(part)
        layout.addStretch()
        self.setWidget(inner)
        self.set_palette_(palette)
        view.installEventFilter(self)
        doc.changed.connect(self.refresh)
        doc.opened.connect(self._remember)
        self._remember()
        self.refresh()

    def _remember(self) -> None:
        """The last scenes that are still there."""
        cards: list[QWidget] = []
        for text in self.settings.recent():
            path = Path(text)
            if len(cards) < MOST_SHOWN and path.is_file():
                kept = self.settings.picture_of(path)
                picture = QIcon(QPixmap(str(kept))) if kept.is_file() else QIcon()
                cards.append(_Card(path.stem, picture, partial(self._open_path, path)))
                cards[-1].setToolTip(str(path))
        self.last.fill(cards)
        self._lay()

    def _is_asked(self) -> bool:
        return not self.doc.scene.objects and not self.busy()

    def refresh(self) -> None:
        self.setVisible(self._is_asked())
        if not self.isHidden():
            self._lay()

    def _lay(self) -> None:
        view = self.parentWidget()
        assert view is not None
        self.setGeometry(view.rect())
        for row in (self.last, self.own, self.samples):
            row.lay(self.width() - 2 * MARGIN - 12)
        self.raise_()

    def eventFilter(self, view: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize and not self.isHidden():
            self._lay()
        elif event is not None and event.type() == QEvent.Type.Paint and self._is_asked() == self.isHidden():
            QTimer.singleShot(0, self.refresh)  # a line was begun, or left
        return super().eventFilter(view, event)

    def set_palette_(self, palette: Palette) -> None:
        for button, name in self._buttons:
            button.setIcon(icon(name, palette))


def _button(actions: Actions, row: str) -> QPushButton:
    action = actions.by_id[row]
    keys = action.shortcut().toString()
    out = QPushButton(action.text().rstrip("…") + (f"   {keys}" if keys else ""))
    out.setAccessibleName(action.text().rstrip("…"))
    out.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    out.clicked.connect(action.trigger)
    return out


def _sample_picture(name: str) -> QIcon:
    return QIcon(QPixmap(str(ASSETS / "samples" / f"{name}.png")))
