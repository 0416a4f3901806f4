"""The dialog of a new scene. The form it makes is seen in the view behind it while its numbers change."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from msgspec import Struct
from PyQt6.QtWidgets import QCheckBox, QPushButton, QStackedWidget, QWidget

from fictilis.app.widgets.dialogs import Dialog
from fictilis.app.widgets.fields import Segments
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.layouts import down
from fictilis.app.widgets.number_field import NumberField
from fictilis.core.geometry.forms import FORMS, defaults, unit
from fictilis.core.geometry.lines.line_forms import LINE_FORMS
from fictilis.core.geometry.primitives import MESH_FORMS

KINDS: dict[str, tuple[str, ...]] = {"Mesh": tuple(MESH_FORMS), "Line": tuple(LINE_FORMS)}


class NewSceneChoice(Struct, frozen=True):
    """A form with its numbers, or a file to take."""

    form: str | None = None
    numbers: dict[str, float] | None = None
    file: Path | None = None
    beside: bool = False


def form_field(name: str, first: float) -> NumberField:
    """The field of a number of a form: a size in cm, or a count."""
    size = isinstance(first, float)
    most = 1e6 if size else 100_000 if name == "points" else 1000
    return NumberField(name.capitalize(), unit(name, first), 1 if size else 0, 0.001 if size else 1, most, trimmed=True)


class NewSceneDialog(Dialog):
    """Start from a simple form or from a file, in a new scene or beside what is there. ``seen`` shows a choice."""

    def __init__(
        self,
        parent: QWidget,
        choose_file: Callable[[], Path | None],
        has_objects: bool,
        seen: Callable[[NewSceneChoice], None] = lambda _choice: None,
    ) -> None:
        super().__init__(parent, "New scene", 520)
        self._choose_file, self._seen = choose_file, seen
        self.choice: NewSceneChoice | None = None
        self.sentence("Start from a simple form, or from a finished mesh or line. Its points are kept as they are.", True)
        self.forms = [Segments(f"{kind} form", forms) for kind, forms in KINDS.items()]
        for kind, choice in zip(KINDS, self.forms, strict=True):
            choice.chosen.connect(self._show_form)
            self.body.addWidget(Labelled(kind, choice, width=44))
        self._panels = QStackedWidget()
        self._fields: dict[str, dict[str, NumberField]] = {}
        for name in FORMS:
            panel = QWidget()
            inside = down(panel, 7, (0, 4, 0, 4))
            fields = self._fields[name] = {}
            for number, first in defaults(name).items():
                fields[number] = field = form_field(number, first)
                field.set_value(first)
                field.setMaximumWidth(150)
                field.textEdited.connect(lambda _text: self._show())
                field.committed.connect(lambda _value: self._show())
                row = Labelled(number.capitalize(), field, width=96)
                row.row.addStretch(1)
                inside.addWidget(row)
            inside.addStretch(1)
            self._panels.addWidget(panel)
        self.body.addWidget(self._panels)
        self.beside = QCheckBox("Add it beside the objects of this scene")
        self.beside.setVisible(has_objects)
        self.beside.toggled.connect(lambda _on: self._show())
        self.body.addWidget(self.beside)
        self.button("file", "From a file…")
        self.button("cancel", "Cancel")
        self.button("form", "Make it", True)
        self.form = ""
        self._show_form("Box")

    def _show_form(self, name: str) -> None:
        """Another form; a size typed for one is that of the next, where both have it."""
        for number, field in self._fields.get(self.form, {}).items():
            if number in self._fields[name] and field.unit and field.value != defaults(self.form)[number]:
                self._fields[name][number].set_value(field.value)
        self.form = name
        for forms in self.forms:
            forms.set_value(name)
        self._panels.setCurrentIndex(list(FORMS).index(name))
        self._show()

    def form_button(self, name: str) -> QPushButton:
        """The button of a form."""
        return next(forms.buttons[name] for forms in self.forms if name in forms.buttons)

    def field(self, name: str) -> NumberField:
        """A number of the form shown."""
        return self._fields[self.form][name]

    def _chosen(self) -> NewSceneChoice:
        fields = self._fields[self.form]
        numbers = {k: (int(f.value) if f.decimals == 0 else f.value) for k, f in fields.items()}
        return NewSceneChoice(self.form, numbers, beside=self.beside.isChecked())

    def _show(self) -> None:
        """Show the form with what stands in its fields, where all of them hold numbers."""
        chosen = self._chosen()
        numbers = {name: field.typed() for name, field in self._fields[self.form].items()}
        if None not in numbers.values():
            self._seen(NewSceneChoice(self.form, {k: v for k, v in numbers.items() if v is not None}, beside=chosen.beside))

    def _close(self, name: str) -> None:
        if name == "file":
            file = self._choose_file()
            if file is None:
                return
            self.choice = NewSceneChoice(file=file, beside=self.beside.isChecked())
        elif name == "form":
            for field in self._fields[self.form].values():
                field.finish()
            if any(field.property("bad") for field in self._fields[self.form].values()):
                return
            self.choice = self._chosen()
        super()._close(name)
