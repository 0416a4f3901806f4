"""Where a file goes and of what kind it is: the name and the kind follow each other."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLabel, QLineEdit, QPushButton, QWidget

from fictilis.app.widgets.fields import ArrowCombo
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.layouts import down
from fictilis.app.widgets.theme import Palette


class FilePlace(QWidget):
    """``kinds`` are labels by suffix, ``also`` suffixes that stand for one of them; ``choose`` asks for another place."""

    changed = pyqtSignal()

    def __init__(
        self, palette: Palette, kinds: Mapping[str, str], path: Path, choose: Callable[[Path, str], Path | None], label: int,
        also: Sequence[str] = (),
    ) -> None:  # fmt: skip
        super().__init__()
        self.kinds, self._also, self._choose, self._nameless = dict(kinds), tuple(also), choose, path.stem
        self._ends, self._at = {*kinds, *also}, path.parent  # what may end a name
        rows = down(self, 9)
        self.kind = ArrowCombo(palette)
        self.kind.setAccessibleName("Format")
        self.kind.addItems(list(self.kinds.values()))
        self.kind.activated.connect(lambda _row: self._follow_kind())
        rows.addWidget(Labelled("Format", self.kind, width=label))
        self.name = QLineEdit()
        self.name.setAccessibleName("File")
        self.name.textEdited.connect(lambda _text: self.follow(self.path))
        choice = QPushButton("Choose…")
        choice.clicked.connect(lambda _on: self._choose_place())
        row = Labelled("File", self.name, width=label)
        row.row.addWidget(choice)
        rows.addWidget(row)
        self.folder = QLabel()
        self.folder.setProperty("quiet", True)
        self.folder.setWordWrap(True)
        self.folder.setContentsMargins(label + 5, 0, 0, 0)
        rows.addWidget(self.folder)
        self.follow(path)

    @property
    def path(self) -> Path:
        """The file as its field names it, with the suffix of the kind where it has none of its own."""
        given = Path(self.name.text().strip() or self._nameless).expanduser()
        known = given.suffix.lower() in (*self.kinds, *self._also)
        return self._at / (given if known else given.with_name(given.name + self.suffix))

    @property
    def suffix(self) -> str:
        return list(self.kinds)[max(self.kind.currentIndex(), 0)]

    def set_kinds(self, kinds: Mapping[str, str]) -> None:
        """Other kinds to choose from; the one that was chosen stays where it is among them."""
        suffix = self.suffix
        self.kinds = dict(kinds)
        self._ends |= {*kinds}
        self.kind.clear()
        self.kind.addItems(list(self.kinds.values()))
        self.kind.setCurrentIndex(list(self.kinds).index(suffix) if suffix in self.kinds else 0)
        self._follow_kind()

    def _follow_kind(self) -> None:
        """The name with the end of the kind chosen."""
        given = Path(self.name.text().strip() or self._nameless)
        stem = given.stem if given.suffix.lower() in self._ends else given.name
        self.name.setText(str(given.with_name(stem + self.suffix)))
        self.changed.emit()

    def follow(self, path: Path) -> None:
        """The kind that a name's end asks for; a name with a folder goes there."""
        if path.suffix.lower() in self.kinds:
            self.kind.setCurrentIndex(list(self.kinds).index(path.suffix.lower()))
        if not self.name.text() or path.parent != self._at and not self.name.hasFocus():
            self._at = path.parent
            self.name.setText(path.name)
        self.changed.emit()

    def _choose_place(self) -> None:
        path = self._choose(self.path, self.kinds[self.suffix])
        if path is not None:
            self._at = path.parent
            self.name.setText(path.name)
            self.follow(self.path)

    def tell(self, there: Sequence[Path]) -> None:
        """Say where it goes, and what is replaced."""
        path = self.path
        many = f"{len(there)} files there are" if len(there) > 1 else f"The {path.name} there is"
        self.folder.setText(f"in {path.parent}" + (f". {many} replaced." if there else ""))
