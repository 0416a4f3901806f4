"""Outlines as lines: SVG files (by svgelements) and text in a font (by fontTools). Curves become points within a tolerance.

Source: Scalable Vector Graphics 2 (paths, transforms, Y down), W3C; OpenType 1.9 (glyph outlines).
"""

from __future__ import annotations

import re
from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np

from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.lines.fitting import thinned
from fictilis.core.ground.errors import BadFile, EditRefused, FictilisError
from fictilis.core.ground.interrupt import check, stoppable
from fictilis.formats.files import Imported, MeshData, Progress, no_progress, read_bytes

FONT = Path(__file__).parent.parent / "app" / "assets" / "fonts" / "WorkSans_400Regular.ttf"
LARGEST_SVG = 64_000_000
MOST_OUTLINE = 2_000_000  # points
CM = 2.54 / 96  # of an SVG's pixel
FINE = 64  # places looked at in a curve before it is thinned
TOLERANCE = 0.0005  # of the size of all
MOST_LETTERS = 2000
NUMBER = re.compile(r"\d+(?:\.\d*)?|\.\d+")
MOST_NUMBERS = 600_000  # of all paths together: some seconds
MOST_NESTED = 60  # elements, each in the other
TextLine = tuple[np.ndarray, Line]


class _Outline:
    """Strands gathered one after another, each of corners and curves."""

    def __init__(self) -> None:
        self.strands: list[tuple[list[np.ndarray], bool]] = []

    def move(self, place: complex) -> None:
        self.strands.append(([np.array([place])], False))

    def curve(self, at: Callable[[np.ndarray], np.ndarray]) -> None:
        """A curve from where the strand is, ``at`` (k,) in 0…1."""
        self._on().append(at(np.arange(1, FINE + 1) / FINE))

    def line(self, place: complex) -> None:
        self._on().append(np.array([place]))

    def _on(self) -> list[np.ndarray]:
        """The strand that goes on; behind one that was closed another begins where that one did."""
        parts, closed = self.strands[-1]
        if closed:
            self.move(complex(parts[0][0]))
        return self.strands[-1][0]

    def go_through(self, a: float, b: float, c: float, d: float, e: float, f: float) -> None:
        """All places through a transform of SVG, which also what is round can take only as places."""

        def moved(places: np.ndarray) -> np.ndarray:
            x, y = places.real, places.imag
            return a * x + c * y + e + 1j * (b * x + d * y + f)

        self.strands = [([moved(part) for part in parts], closed) for parts, closed in self.strands]

    def close(self) -> None:
        parts, _ = self.strands[-1]
        self.strands[-1] = (parts, True)

    def made(self, tolerance: float) -> TextLine | None:
        """Points (n, 3) and the line; None where nothing is left of it."""
        points, counts, closed = [], [], []
        for parts, round_ in self.strands:
            kept = [parts[0]]
            for part in parts[1:]:
                own = np.concatenate([kept[-1][-1:], part])
                flat = np.stack([own.real, own.imag, np.zeros(len(own))], axis=1)
                kept.append(own[thinned(flat, tolerance)][1:])
            places = np.concatenate(kept)
            same = np.abs(np.diff(places)) <= tolerance * 1e-3
            places = places[np.concatenate([[True], ~same])]
            if len(places) > 1 and abs(places[0] - places[-1]) <= tolerance:
                places, round_ = places[:-1], True
            if len(places) < 2:
                continue
            points.append(places)
            counts.append(len(places))
            closed.append(round_ and len(places) > 2)
        if not points:
            return None
        flat = np.concatenate(points)
        if not np.isfinite(flat).all():
            raise BadFile("A path has a place that is not a finite number.")
        line = Line(starts=np.cumsum([0, *counts]), closed=np.array(closed))
        return np.stack([flat.real, flat.imag, np.zeros(len(flat))], axis=1), line


def read_svg(path: Path, progress: Progress = no_progress) -> Imported:
    """Every path and shape of an SVG file as a line object, its strands in file order; 96 pixels are an inch, the drawing
    stands upright on the ground, centred. Transforms and groups are applied; styles, text, images and clips are left out.

    Raises BadFile with the reason.
    """
    import svgelements as svg

    path = Path(path)
    data = read_bytes(path, LARGEST_SVG)
    _refuse_entities(path, data)
    _bounded(path, data)
    try:
        with stoppable():
            tree = svg.SVG.parse(BytesIO(data), reify=False)
        shapes = [e for e in tree.elements() if isinstance(e, svg.Shape)]
    except FictilisError:
        raise
    except Exception as error:  # noqa: BLE001 - the library raises plain ones for anything wrong in a file
        raise BadFile(f"{path.name} is no SVG file that can be read: {str(error)[:120] or type(error).__name__}.") from None
    left_out = sum(isinstance(e, svg.Text | svg.Image) for e in tree.elements())
    outlines: list[tuple[str, _Outline]] = []
    total = 0
    for number, shape in enumerate(shapes, 1):
        progress(number / len(shapes))
        outline = _Outline()
        try:
            with np.errstate(all="ignore"):  # whether all is finite is looked at below
                own = svg.Path(shape)
                for segment in own:
                    check()
                    _take(svg, outline, segment)
                outline.go_through(*(float(getattr(own.transform, part)) for part in "abcdef"))
        except (ArithmeticError, AttributeError, IndexError, TypeError, ValueError):
            raise BadFile(f"{path.name}: the shape number {number:,} has a path that cannot be followed.") from None
        total += sum(len(p) for strand, _ in outline.strands for p in strand)
        if total > MOST_OUTLINE:
            raise BadFile(f"{path.name} has more than {MOST_OUTLINE:,} places on its paths.")
        if outline.strands:
            outlines.append((str(shape.id or f"{path.stem} {len(outlines) + 1}"), outline))
    places = np.array([p for _, o in outlines for strand, _ in o.strands for part in strand for p in part])
    if not len(places) or not np.isfinite(places).all():
        raise BadFile(f"{path.name} holds no paths with finite places.")
    tolerance = TOLERANCE * max(np.ptp(places.real), np.ptp(places.imag), 1e-9)
    middle, low = (places.real.min() + places.real.max()) / 2, places.imag.max()
    objects = []
    for name, outline in outlines:
        made = outline.made(tolerance)
        if made is not None:
            points, line = made
            objects.append(MeshData(name, (points - [middle, low, 0]) * [CM, -CM, 1], line))
    if not objects:
        raise BadFile(f"{path.name} holds no path with two places.")
    said = (f"{path.name}: {left_out} texts and images were left out.",) if left_out else ()
    return Imported(tuple(objects), said)


def _bounded(path: Path, data: bytes) -> None:
    """Raises BadFile where so much would be drawn that it takes minutes, with every use of a thing counted as often as it is
    drawn."""
    try:
        root = ElementTree.fromstring(data)
    except (ElementTree.ParseError, ValueError, RecursionError):
        return  # the reader says what is wrong
    named = {e.get("id"): e for e in root.iter() if e.get("id")}
    known: dict[Any, int] = {}

    def numbers(element: Any, above: tuple[Any, ...] = ()) -> int:
        """How many numbers an element draws by; one within itself, or more than are drawn, counts as too many."""
        if element in above or len(above) > MOST_NESTED:
            return MOST_NUMBERS + 1
        if element not in known:
            own = 4 + sum(len(NUMBER.findall(element.get(name, ""))) for name in ("d", "points"))
            used = next((value for key, value in element.items() if key.rpartition("}")[2] == "href"), "")
            parts = [*element, *([named[used[1:]]] if _tag(element) == "use" and used[1:] in named else [])]
            known[element] = own + sum(numbers(part, (*above, element)) for part in parts)
        return min(known[element], MOST_NUMBERS + 1)

    if numbers(root) > MOST_NUMBERS:
        raise BadFile(
            f"{path.name} draws by more than {MOST_NUMBERS:,} numbers, or is nested more than {MOST_NESTED} deep; simplify it."
        )


def _tag(element: Any) -> str:
    return str(element.tag).rpartition("}")[2]


def _refuse_entities(path: Path, data: bytes) -> None:
    """No file may define names of its own, which could grow without bounds, or reach for other files."""
    if b"<!ENTITY" in data or b"\0" in data[:4096]:
        raise BadFile(f"{path.name} defines entities, or is no text; such SVG files are not read.")


def _place(point: Any) -> complex:
    return complex(float(point.x), float(point.y))


def _take(svg: Any, outline: _Outline, segment: Any) -> None:
    if isinstance(segment, svg.Move):
        outline.move(_place(segment.end))
    elif isinstance(segment, svg.Close):
        outline.close()
    elif isinstance(segment, svg.Line):
        outline.line(_place(segment.end))
    else:
        outline.curve(lambda t: segment.npoint(t) @ [1.0, 1j])


def _pen(outline: _Outline, scale: float, right: float, up: float) -> Any:
    """A pen of fontTools that writes to an outline."""
    from fontTools.pens.basePen import BasePen

    def place(at: tuple[float, float]) -> complex:
        return complex(at[0] * scale + right, at[1] * scale + up)

    class Pen(BasePen):
        def _moveTo(self, at: tuple[float, float]) -> None:
            outline.move(place(at))

        def _lineTo(self, at: tuple[float, float]) -> None:
            outline.line(place(at))

        def _curveToOne(self, *at: tuple[float, float]) -> None:
            p0, (p1, p2, p3) = outline.strands[-1][0][-1][-1], (place(a) for a in at)
            outline.curve(lambda t: (1 - t) ** 3 * p0 + 3 * t * (1 - t) ** 2 * p1 + 3 * t**2 * (1 - t) * p2 + t**3 * p3)

        def _qCurveToOne(self, *at: tuple[float, float]) -> None:
            p0, (p1, p2) = outline.strands[-1][0][-1][-1], (place(a) for a in at)
            outline.curve(lambda t: (1 - t) ** 2 * p0 + 2 * t * (1 - t) * p1 + t**2 * p2)

        def _closePath(self) -> None:
            outline.close()

    return Pen


def text_outline(text: str, size: float, font: Path | None = None) -> TextLine:
    """Points (n, 3) and a line of closed strands: text in a font (the one shipped), capitals ``size`` cm high, upright, its
    first line's foot on Y 0, centred. Raises EditRefused for text without outlines, BadFile for a font that is none."""
    from fontTools.ttLib import TTFont, TTLibError

    text = text.replace("\\n", "\n").strip("\n")
    if not text.strip():
        raise EditRefused("There is no text to make lines of.")
    if len(text) > MOST_LETTERS:
        raise EditRefused(f"The text has {len(text):,} letters; up to {MOST_LETTERS:,} are taken.")
    if not (np.isfinite(size) and size > 0):
        raise EditRefused(f"The size must be larger than 0 cm, not {size:g}.")
    path = font or FONT
    try:
        with BytesIO(read_bytes(path, LARGEST_SVG)) as data, TTFont(data) as file:
            outline = _written(file, text, size)
    except (TTLibError, KeyError, AttributeError, AssertionError, ValueError) as error:
        raise BadFile(f"{path.name} is no font that can be read: {str(error)[:100]}.") from None
    made = outline.made(size * TOLERANCE)
    if made is None:
        raise EditRefused("The text has no outlines, only spaces.")
    return made


def _written(file: Any, text: str, size: float) -> _Outline:
    """The outlines of a text in an open font. Raises EditRefused for a letter that it does not have."""
    from fontTools.ttLib.removeOverlaps import removeOverlaps

    letters, unit = file.getBestCmap() or {}, file["head"].unitsPerEm
    missing = sorted({c for c in text if c != "\n" and ord(c) not in letters})
    if missing:
        raise EditRefused(f"The font has no “{missing[0]}”; {len(missing)} of the letters are not in it.")
    removeOverlaps(file, sorted({letters[ord(c)] for c in text if c != "\n"}))  # so that strands do not cross
    glyphs = file.getGlyphSet()
    scale, outline = size / (getattr(file["OS/2"], "sCapHeight", 0) or 0.7 * unit), _Outline()
    for row, words in enumerate(text.split("\n")):
        right = -sum(glyphs[letters[ord(c)]].width for c in words) * scale / 2
        for c in words:
            glyph = glyphs[letters[ord(c)]]
            glyph.draw(_pen(outline, scale, right, -row * 1.25 * unit * scale)(glyphs))
            right += glyph.width * scale
    return outline
