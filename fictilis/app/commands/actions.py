"""The rows as Qt actions of one window, kept up to date with the document."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget

from fictilis.app.commands.needs import Need
from fictilis.app.commands.operations import subject_of
from fictilis.app.commands.row import Row
from fictilis.app.commands.rows import LINES_BEFORE, ROWS
from fictilis.app.model.document import Document
from fictilis.core.ground.errors import there
from fictilis.core.operations.table import Subject

BY_ID = {row.id: row for row in ROWS}
SWITCHES = [row for row in ROWS if row.checked is not None]
MENUS = ("File", "Edit", "Pick", "Target", "Shape", "Object", "See", "Time", "Help")


class Actions:
    """The rows as Qt actions of one window, kept up to date with the document."""

    def __init__(self, window: QWidget, doc: Document, commands: Sequence[object], own_keys: dict[str, list[str]]) -> None:
        """``commands`` are the objects among whose methods the rows' are found."""
        self.doc = doc
        self.by_id: dict[str, QAction] = {}
        self._alike: dict[tuple[Need, tuple[str, ...]], list[QAction]] = {}  # by what they need
        self._possible: dict[tuple[Need, tuple[str, ...]], bool] = {}
        for row in ROWS:
            if row.id in self.by_id:
                raise ValueError(f"two actions are named {row.id}")
            action = QAction(row.text, window)
            action.setObjectName(row.id)
            action.setCheckable(row.checked is not None)
            action.setIconVisibleInMenu(False)
            action.triggered.connect(self._runner(commands, row, doc))
            self.by_id[row.id] = action
            needs = row.operation.needs if row.operation is not None else ()
            self._alike.setdefault((row.enabled, needs), []).append(action)
            window.addAction(action)
        self.set_keys(own_keys)
        doc.changed.connect(self.refresh)
        self.refresh()

    def _runner(self, commands: Sequence[object], row: Row, doc: Document) -> Callable[[], None]:
        """What the row does, inside the one place where an expected error becomes a sentence."""
        (method,) = (getattr(part, row.run) for part in commands if hasattr(part, row.run))

        def run() -> None:
            if not row.meanwhile:
                doc.interrupt()
                why = self.why_not(row.id)  # a drag or a field that ended may have taken away what it was for
                if why:
                    doc.say(f"{row.text.rstrip('…')}: {why}.", "warning")
                    return
            if row.given is not None:
                method(row.argument, row.given(doc))
            elif row.argument is not None:
                method(row.argument)
            else:
                method()

        return lambda: doc.attempt(run)

    def set_keys(self, own_keys: dict[str, list[str]]) -> None:
        """Set shortcuts: the rows' keys, or a user's own by action id."""
        for row in ROWS:
            keys = own_keys.get(row.id, list(row.keys))
            action = self.by_id[row.id]
            action.setShortcuts([QKeySequence(key) for key in keys])
            said = f" ({QKeySequence(keys[0]).toString()})" if keys else ""
            action.setToolTip(row.text.rstrip("…") + said)

    def refresh(self) -> None:
        """Ask once for each thing that actions need, and update only the actions for which the answer changed."""
        subject = subject_of(self.doc)
        for (need, needs), actions in self._alike.items():
            possible = need(self.doc) and all(subject.meets(name) for name in needs)
            if self._possible.get((need, needs)) is not possible:
                self._possible[need, needs] = possible
                for action in actions:
                    action.setEnabled(possible)
        for row in SWITCHES:
            self.by_id[row.id].setChecked(row.checked(self.doc))
        for name, label in (("undo", self.doc.undo_label()), ("redo", self.doc.redo_label())):
            action = self.by_id[name]
            action.setText(f"{name.capitalize()} {label}".strip())

    def place_of(self, action_id: str) -> str:
        """Where an action without keys is found, in words."""
        return f"{BY_ID[action_id].place} · {BY_ID[action_id].text.rstrip('…')}"

    def add_to(self, menu: QMenu, names: Sequence[str | None]) -> None:
        """Add actions by their ids, a line for each None."""
        for name in names:
            if name is None:
                menu.addSeparator()
            else:
                menu.addAction(self.by_id[name])

    def add_possible(self, menu: QMenu, names: Sequence[str | None]) -> None:
        """As ``add_to``, but only what is possible now."""
        line = False
        for name in names:
            if name is None:
                line = bool(menu.actions())
            elif self.by_id[name].isEnabled():
                if line:
                    menu.addSeparator()
                line = False
                menu.addAction(self.by_id[name])

    def why_not(self, action_id: str, subject: Subject | None = None) -> str:
        """Why an action is not possible now, as half a sentence; nothing where it is. Who asks for many has the ``subject``."""
        row = BY_ID[action_id]
        if not row.enabled(self.doc):
            return row.enabled.why
        missing = row.operation.missing(subject or subject_of(self.doc)) if row.operation else ""
        return missing[:1].lower() + missing[1:].rstrip(".") if missing else ""

    def fill(self, menu: QMenu, top: str) -> dict[str, QMenu]:
        """Add the rows of one menu, with separators, and its parts as submenus. Returns the submenus by name."""
        parts = {top: menu}
        for row in ROWS:
            if row.top != top:
                continue
            if row.menu not in parts:
                last = menu.actions()[-1] if menu.actions() else None
                if last is not None and last.menu() is None:
                    menu.addSeparator()  # parts stand together
                parts[row.menu] = there(menu.addMenu(row.menu.split("/")[1]))
            elif row.id in LINES_BEFORE:
                parts[row.menu].addSeparator()
            parts[row.menu].addAction(self.by_id[row.id])
        return parts
