"""The look: two palettes, one shipped font, icons from one shipped family, and the style sheet made from them."""

from __future__ import annotations

import colorsys
from functools import cache, lru_cache
from pathlib import Path

from msgspec import Struct
from PyQt6.QtCore import QByteArray, QRect, QRectF, QSize, Qt, QTemporaryDir
from PyQt6.QtGui import QFont, QFontDatabase, QIcon, QIconEngine, QPainter, QPixmap

from fictilis.core.ground.errors import there
from fictilis.render.background import Background

ASSETS = Path(__file__).parents[1] / "assets"
FAMILY = "Work Sans"
RADIUS = 7
ON_AUTO = "#1E1A17"  # text on the colour of auto-key, in both themes


class Palette(Struct, frozen=True):
    name: str
    ground: str
    panel: str
    raised: str
    line: str
    text: str
    quiet: str
    primary: str
    on_primary: str
    primary_soft: str
    chosen: str
    auto_key: str
    error: str
    picked: str
    track: str
    lane_body: str
    view: Background
    axes: tuple[str, str, str]
    rehearse: str
    on_rehearse: str
    rehearse_soft: str
    dark: bool = False

    def lane(self, colour: str) -> str:
        """A lane's colour, a lighter step of the same hue on the dark theme."""
        return _lighter(colour) if self.dark else colour


BISQUE = Palette(
    "Bisque", "#EDE6DB", "#F6F1E8", "#FCF9F3", "#D6CBBB", "#2E2925", "#6F6459", "#1F6F62", "#FFFFFF", "#DCEAE3", "#E6DCCD",
    "#B9821A", "#A8432F", "#2B4C9B", "#E3DACB", "#FBF7EE", Background("#E6DED1", "#CFC3B1"), ("#A8432F", "#6E7F2B", "#2F5DA8"),
    "#7A4A8E", "#FFFFFF", "#EFE2F1",
)  # fmt: skip
KILN = Palette(
    "Kiln", "#1E2423", "#262D2B", "#313937", "#3E4845", "#EDE6DB", "#A9B3AC", "#7FC4B5", "#10211D", "#29443F", "#46504C",
    "#E0B04A", "#E07A62", "#8FB2FF", "#3A4340", "#222928", Background("#2B3230", "#171C1B"), ("#E07A62", "#B4C45A", "#7FA6EE"),
    "#CFA0DF", "#261329", "#3C2C42",
    dark=True,
)  # fmt: skip
PALETTES = {p.name: p for p in (BISQUE, KILN)}


@lru_cache(maxsize=64)
def _lighter(colour: str) -> str:
    from fictilis.core.ground.affine import rgb

    r, g, b = rgb(colour)
    h, light, s = colorsys.rgb_to_hls(r, g, b)
    r, g, b = colorsys.hls_to_rgb(h, max(0.60, min(0.72, light + 0.25)), min(1.0, s * 1.05))
    return f"#{round(r * 255):02X}{round(g * 255):02X}{round(b * 255):02X}"


@cache
def load_fonts() -> None:
    """Those that are shipped, once."""
    for path in sorted((ASSETS / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))


def font(size: float = 12.5, weight: int = 400) -> QFont:
    """The shipped sans at ``size`` pixels, figures tabular."""
    out = QFont(FAMILY)
    out.setPixelSize(round(size))
    out.setWeight(QFont.Weight(weight))
    out.setFeature(QFont.Tag("tnum"), 1)
    return out


@lru_cache(maxsize=256)
def _drawing(name: str) -> str:
    return (ASSETS / "icons" / f"{name}.svg").read_text()


@lru_cache(maxsize=1024)
def pixmap(name: str, colour: str, size: int = 18, scale: float = 1.0) -> QPixmap:
    """An icon of the shipped family in one colour."""
    from PyQt6.QtSvg import QSvgRenderer

    text = _drawing(name).replace("currentColor", colour)
    out = QPixmap(round(size * scale), round(size * scale))
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    QSvgRenderer(QByteArray(text.encode())).render(painter, QRectF(out.rect()))
    painter.end()
    out.setDevicePixelRatio(scale)
    return out


class _Drawn(QIconEngine):
    """An icon of the shipped family, drawn in the size and the state in which it is asked for."""

    def __init__(self, name: str, text: str, on: str, faint: str) -> None:
        super().__init__()
        self.parts = (name, text, on, faint)

    def pixmap(self, size: QSize, mode: QIcon.Mode, state: QIcon.State) -> QPixmap:
        name, text, on, faint = self.parts
        colour = faint if mode == QIcon.Mode.Disabled else on if state == QIcon.State.On else text
        return pixmap(name, colour, min(size.width(), size.height()))

    def paint(self, painter: QPainter | None, rect: QRect, mode: QIcon.Mode, state: QIcon.State) -> None:
        assert painter is not None
        size = rect.size() * there(painter.device()).devicePixelRatioF()
        painter.drawPixmap(rect, self.pixmap(size, mode, state))

    def clone(self) -> QIconEngine:
        return _Drawn(*self.parts)


def icon(name: str, palette: Palette, checked: str | None = None) -> QIcon:
    """An icon with its quiet state when disabled, and with ``checked`` as the colour while on."""
    return QIcon(_Drawn(name, palette.text, checked or palette.text, mix(palette.quiet, palette.panel, 0.5)))


def mix(a: str, b: str, part: float) -> str:
    """A colour between two, ``part`` of the way to ``b``."""
    from fictilis.core.ground.affine import rgb

    return "#" + "".join(f"{round(255 * (x + (y - x) * part)):02X}" for x, y in zip(rgb(a), rgb(b), strict=True))


_folders: list[QTemporaryDir] = []  # gone with the process


@lru_cache(maxsize=4)
def _tick(colour: str) -> str:
    """The path of a tick in one colour: style sheets take pictures from files only."""
    _folders.append(QTemporaryDir())
    path = Path(_folders[-1].path()) / "check.svg"
    path.write_text((ASSETS / "icons" / "check.svg").read_text().replace("currentColor", colour))
    return path.as_posix()


def style_sheet(p: Palette) -> str:
    """Every standard widget, in this palette."""
    text = (ASSETS / "style.qss").read_text()
    names = ("primary_soft", "on_primary", "primary", "rehearse_soft", "on_rehearse", "rehearse",
             "ground", "panel", "raised", "line", "text", "quiet", "chosen",
             "auto_key", "error", "picked", "track")  # fmt: skip
    for name in names:
        text = text.replace(f"@{name}", getattr(p, name))
    text = text.replace("@check", _tick(p.on_primary))
    return text.replace("@on_auto", ON_AUTO).replace("@radius", f"{RADIUS}px").replace("@family", FAMILY)
