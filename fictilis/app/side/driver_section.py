"""The side column's section of a corrective: what drives it, and how far each does now."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QToolButton, QWidget

from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import Segments
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.layouts import across
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette, icon
from fictilis.core.edits import correctives as edits
from fictilis.core.ground.errors import there
from fictilis.core.mix.driven import gain
from fictilis.core.mix.following import full_at
from fictilis.core.scene.rules import HOWS, Driver
from fictilis.core.scene.scene import MorphObject, Scene, Target

WAYS = ("Up to it", "Passing it")


class _Name(QWidget):
    """A target's dot and name, and what it stands at."""

    def __init__(self, palette: Palette, target: Target) -> None:
        super().__init__()
        self.palette_, self.colour = palette, target.colour  # no more of it: a hidden section outlives its scene
        line = across(self, 4, (16, 0, 0, 0))
        self.name = QLabel(target.name)
        self.name.setMinimumWidth(20)
        self.name.setToolTip(target.name)
        self.now = QLabel()
        self.now.setProperty("quiet", True)
        self.gone = QToolButton()
        self.gone.setProperty("flat", True)
        self.gone.setIcon(icon("x", palette))
        self.gone.setToolTip(f"{target.name} drives it no more")
        self.gone.setAccessibleName(self.gone.toolTip())
        line.addWidget(self.name, 1)
        line.addWidget(self.now)
        line.addWidget(self.gone)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self.palette_.lane(self.colour)))
        painter.drawEllipse(QRectF(1, self.height() / 2 - 4, 8, 8))


class DriverSection(Section):
    """A block for each driver, made anew when there are others; their numbers are set without remaking it."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.blocks: list[dict[str, Any]] = []
        self._shown: tuple | None = None
        self.together = Segments("Together", HOWS, shown=[how.capitalize() for how in HOWS])
        self.together.chosen.connect(lambda how: self._edit(f"Drivers of {self._target().name}", edits.set_how, how))
        self.together.setToolTip("What drives it, taken together")
        self.add(self.together)
        self.more = self.chooser("Add driver", self._add)
        self.add(self.more)

    def subject(self) -> object:
        target = self._ruled()
        return (
            self.doc.openings,
            self.doc.object_id,
            target and (target.id, tuple(d.target for d in there(target.rule).drivers)),
        )

    def _ruled(self) -> Target | None:
        target = self.doc.target
        return target if target is not None and target.rule is not None else None

    def _target(self) -> Target:
        target = self._ruled()
        assert target is not None  # the section is hidden otherwise
        return target

    def _edit(self, label: str, change: Any, *given: Any, **values: Any) -> None:
        doc, target = self.doc, self._target()

        def edit(scene: Scene) -> Scene:
            return change(scene, doc.object_id, target.id, *given, **values)

        doc.edit(label, edit)
        self.refresh()

    def _set(self, driver_id: str, **values: Any) -> None:
        known = next(d for d in there(self._target().rule).drivers if d.target == driver_id)
        if any(getattr(known, name) != value for name, value in values.items()):
            self._edit(f"Driver of {self._target().name}", edits.set_driver, driver_id, **values)

    def _passing(self, driver: Driver, way: str) -> None:
        self._set(driver.target, width=abs(driver.at) if way == WAYS[1] else None)

    def _add(self, row: int) -> None:
        driver_id = self.more.itemData(row)
        self.more.setCurrentIndex(0)
        if driver_id is not None:
            at = full_at(self.doc.obj, self.doc.channels.weights(self.doc.obj), driver_id)
            self._edit(f"Driver added to {self._target().name}", edits.set_driver, driver_id, at=at)

    def _block(self, obj: MorphObject, driver: Driver) -> dict[str, Any]:
        target = obj.target(driver.target)
        name = _Name(self.palette_, target)
        name.gone.clicked.connect(
            lambda: self._edit(f"A driver less for {self._target().name}", edits.drop_driver, driver.target)
        )
        at = NumberField("In full at", "", 2)
        at.committed.connect(lambda v: self._set(driver.target, at=v))
        way = Segments(f"How {target.name} drives", WAYS)
        way.chosen.connect(lambda w: self._passing(self._known(driver.target), w))
        width = NumberField("Fades within", "", 2)
        width.committed.connect(lambda v: self._set(driver.target, width=v))
        rows = [name, Labelled("In full at", at), way, Labelled("Fades within", width)]
        for row in rows:
            self.inside.insertWidget(self.inside.count() - 2, row)
        return {"driver": driver.target, "name": name, "at": at, "way": way, "width": width, "rows": rows}

    def _known(self, driver_id: str) -> Driver:
        return next(d for d in there(self._target().rule).drivers if d.target == driver_id)

    def refresh(self) -> None:
        target, obj = self._ruled(), self.doc.object
        self.setVisible(target is not None)
        if target is None or obj is None:
            return
        self.set_heading(f"Drivers of {target.name}")
        drivers = there(target.rule).drivers
        looks = tuple((d.target, obj.target(d.target).name, obj.target(d.target).colour) for d in drivers)
        if (target.id, self.palette_.name, looks) != self._shown:
            self._shown = (target.id, self.palette_.name, looks)
            for row in (row for block in self.blocks for row in block["rows"]):
                row.hide()
                row.deleteLater()
            self.blocks = [self._block(obj, d) for d in drivers]
        for block, driver in zip(self.blocks, drivers, strict=True):
            block["at"].set_value(driver.at)
            block["way"].set_value(WAYS[driver.width is not None])
            block["rows"][3].setVisible(driver.width is not None)
            block["width"].set_value(driver.width or 0.0)
        self.together.set_value(there(target.rule).how)
        self.together.setVisible(len(drivers) > 1)
        self.more.clear()
        self.more.addItem("Add driver…")
        for other in obj.targets:
            if other.id != target.id and other.id not in {d.target for d in drivers}:
                self.more.addItem(other.name, other.id)
        self.show_values()

    def show_values(self) -> None:
        """What the drivers stand at by now."""
        target, obj = self._ruled(), self.doc.object
        if target is None or obj is None:
            return
        weights = self.doc.channels.weights(obj)
        for block in self.blocks:
            driver = obj.target(block["driver"])
            block["name"].now.setText(f"now {weights[driver.id] * gain(obj, driver):.2f}")
