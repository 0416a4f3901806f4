"""Sections over one value that an object or a target holds: a field for each of its numbers, made from the parameters of the
operations that give it, so that labels, units and bounds stand once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any, Generic, TypeVar

from PyQt6.QtWidgets import QCheckBox, QWidget

from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import ArrowCombo, Segments, show_checked
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.ground.parameters import Number, Parameter
from fictilis.core.operations import OPERATIONS
from fictilis.core.scene.scene import Scene

H = TypeVar("H")


class HeldSection(Section, Generic[H]):
    """Shown while there is such a value. A field changes one number of it, in one step, where that differs."""

    def __init__(self, doc: Document, palette: Palette, *operations: str) -> None:
        super().__init__(palette)
        self.doc = doc
        self._parameters = {p.name: p for name in operations for p in OPERATIONS[name].parameters}
        self._shown: list[tuple[Callable[[Any], None], Callable[[H], Any]]] = []

    def held(self) -> H | None:
        """The value, or None where there is none."""
        raise NotImplementedError

    def changed(self, scene: Scene, **values: Any) -> Scene:
        """The scene with other numbers of it."""
        raise NotImplementedError

    def title(self, held: H) -> str:
        raise NotImplementedError

    def step(self) -> str:
        """What a change is called in the history."""
        raise NotImplementedError

    def show_more(self, held: H) -> None:
        """What is shown besides the fields."""

    def show_values(self) -> None:
        """What changes with the frame."""

    def subject(self) -> tuple[object, ...]:
        return self.doc.openings, self.doc.object_id, self.held() is not None

    def set(self, **values: Any) -> None:
        held = self.held()
        if held is not None and any(getattr(held, name) != value for name, value in values.items()):
            self.doc.edit(self.step(), lambda scene: self.changed(scene, **values))
        self.refresh()

    def refresh(self) -> None:
        held = self.held()
        self.setVisible(held is not None)
        if held is None:
            return
        self.set_heading(self.title(held))
        for put, get in self._shown:
            put(get(held))
        self.show_more(held)
        self.show_values()

    def parameter(self, name: str) -> Parameter:
        return self._parameters[name]

    def bind(self, put: Callable[[Any], None], get: Callable[[H], Any]) -> None:
        """Show something of the value whenever it is looked at."""
        self._shown.append((put, get))

    def field(self, parameter: str, run: Callable[[float], None], told: str = "") -> NumberField:
        """A field with the label, unit and bounds of a parameter; ``told`` is its name where the label alone is not enough."""
        p = self._parameters[parameter]
        assert isinstance(p, Number)
        field = NumberField(told or p.label, p.unit, p.decimals, p.low, p.high)
        field.committed.connect(run)
        return field

    def number(self, name: str, parameter: str = "", told: str = "") -> NumberField:
        """A field of one number."""
        whole = getattr(self._parameters[parameter or name], "decimals", 1) == 0
        field = self.field(parameter or name, lambda v: self.set(**{name: int(v) if whole else v}), told)
        self.bind(field.set_value, lambda held: getattr(held, name))
        return field

    def triple(self, name: str, parameters: Sequence[str]) -> list[NumberField]:
        """Three fields side by side."""
        row = [self.field(p, lambda _v: self.set(**{name: tuple(f.value for f in row)})) for p in parameters]
        for k, field in enumerate(row):
            self.bind(field.set_value, partial(_part, name, k))
        return row

    def row(self, label: str, *fields: QWidget) -> Labelled:
        return self.add(Labelled(label, *fields))

    def check(self, name: str, label: str) -> QCheckBox:
        box = self.add(QCheckBox(label))
        box.toggled.connect(lambda on: self.set(**{name: on}))
        self.bind(lambda on: show_checked(box, on), lambda held: getattr(held, name))
        return box

    def switch(self) -> QCheckBox:
        """Beside the heading: on or at rest."""
        box = self.add_switch(lambda on: self.set(on=on))
        self.bind(lambda on: show_checked(box, on), lambda held: held.on)  # type: ignore[attr-defined]
        return box

    def segments(self, name: str, told: str, words: dict[str, Any]) -> Segments:
        """A few values by their words, side by side."""
        field = Segments(told, tuple(words))
        field.chosen.connect(lambda word: self.set(**{name: words[word]}))
        by_value = {value: word for word, value in words.items()}
        self.bind(field.set_value, lambda held: by_value[getattr(held, name)])
        return field

    def combo(self, told: str, options: Sequence[tuple[str, object]], run: Callable[[Any], None]) -> ArrowCombo:
        """Values by their words, one under the other; ``run`` gets the one that is chosen."""
        combo = self.chooser(told, lambda row: run(combo.itemData(row)))
        for words, value in options:
            combo.addItem(words, value)
        return combo


def _part(name: str, k: int, held: object) -> Any:
    return getattr(held, name)[k]
