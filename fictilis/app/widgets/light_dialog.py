"""Light and colours: where the key light stands, how the surface shows its form, and the colour of what is picked."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QColorDialog, QPushButton, QWidget

from fictilis.app.model.asking import ChoiceAsk, NumberAsk
from fictilis.app.widgets.dialogs import FormDialog, watch
from fictilis.app.widgets.fields import show_colour
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.layouts import across
from fictilis.app.widgets.theme import Palette
from fictilis.core.scene.light import CLAYS, LIGHT_BOUNDS, Light

WAYS = {"From the side": (-78.0, 14.0), "From above": (-20.0, 76.0), "From behind": (-152.0, 34.0)}  # degrees
CLAY_WORDS = ("Matt", "Glazed", "Lines of light")


class LightDialog(FormDialog):
    """Shown at once while it is changed."""

    def __init__(
        self, parent: QWidget, light: Light, picked: str, palette: Palette, show: Callable[[Light, str], None]
    ) -> None:
        asks = (
            NumberAsk("right", "Light from the right", "°", light.right, *LIGHT_BOUNDS["right"], 0),
            NumberAsk("up", "Light from above", "°", light.up, *LIGHT_BOUNDS["up"], 0),
            NumberAsk("strength", "Strength", "×", light.strength, *LIGHT_BOUNDS["strength"]),
            NumberAsk("relief", "Relief", "", light.relief, *LIGHT_BOUNDS["relief"]),
            NumberAsk("shade", "Shade", "", light.shade, *LIGHT_BOUNDS["shade"]),
            NumberAsk("lines", "Surface lines", "", light.lines, *LIGHT_BOUNDS["lines"]),
            ChoiceAsk("clay", "Clay", tuple(zip(CLAY_WORDS, CLAYS, strict=True)), light.clay),
        )
        said = "As seen by the viewer. The surface's own colour stands with the object, in the side column."
        super().__init__(parent, "Light and colours", said, asks, "Keep it", palette)
        self.palette_ = palette
        self.colours, self._show = {"picked": picked, "lines": light.line_colour}, show
        ways = across(spacing=6)
        for name, angles in WAYS.items():
            button = QPushButton(name)
            button.clicked.connect(lambda _on, way=angles: self._from(*way))
            ways.addWidget(button)
        self.body.insertLayout(1, ways)  # behind the sentence
        self.fields["relief"].setToolTip("Sets hollows off from ridges; in full on what is shaped.")
        self.fields["shade"].setToolTip("Darkens where surfaces are near one another, in pictures and while nothing moves.")
        self.fields["clay"].setToolTip("Glazed and lines of light show where a surface is uneven.")
        self.fields["lines"].setToolTip("Thin lines along outlines and creases.")
        self.swatches = {name: self._swatch(name, label) for name, label in (("lines", "Lines"), ("picked", "Picked parts"))}
        for field in self.fields.values():
            watch(field, self._shown)
        reset = QPushButton("As shipped")
        reset.clicked.connect(self._reset)
        self.row.insertWidget(0, reset)
        self._mark()

    @property
    def picked(self) -> str:
        """The colour of what is picked; empty for the theme's."""
        return self.colours["picked"]

    def _swatch(self, name: str, label: str) -> QPushButton:
        swatch = QPushButton()
        swatch.setAccessibleName(f"Colour of {label.lower()}")
        swatch.clicked.connect(lambda: self._choose(name))
        self.body.addWidget(Labelled(label, swatch, width=118))
        return swatch

    def _mark(self) -> None:
        for name, swatch in self.swatches.items():
            swatch.setText(self.colours[name] or "as the theme has it")
            show_colour(swatch, self.colours[name] or self.palette_.picked)

    def _choose(self, name: str) -> None:
        options = QColorDialog.ColorDialogOption.DontUseNativeDialog
        now = QColor(self.colours[name] or self.palette_.picked)
        colour = QColorDialog.getColor(now, self, self.swatches[name].accessibleName(), options)
        if colour.isValid():
            self.set_colour(name, colour.name().upper())

    def set_colour(self, name: str, colour: str) -> None:
        self.colours[name] = colour
        self._mark()
        self._shown()

    def _from(self, right: float, up: float) -> None:
        self.fields["right"].set_value(right)
        self.fields["up"].set_value(up)
        self._shown()

    def _reset(self) -> None:
        shipped = Light()
        for name in LIGHT_BOUNDS:
            self.fields[name].set_value(getattr(shipped, name))
        self.fields["clay"].set_value(CLAY_WORDS[CLAYS.index(shipped.clay)])
        self.colours["lines"] = shipped.line_colour
        self.set_colour("picked", "")

    def light(self) -> Light:
        return Light(**{name: read() for name, read in self._read.items()}, line_colour=self.colours["lines"])

    def _shown(self) -> None:
        self._show(self.light(), self.picked)
