"""Contrast of the palettes. Source: WCAG 2.2, definitions of relative luminance and contrast ratio; 4.5 : 1 is AA."""

import pytest

from fictilis.app.widgets.theme import ON_AUTO, PALETTES
from fictilis.core.scene.appearance import LANE_COLOURS


def luminance(colour: str) -> float:
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    r, g, b = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


def contrast(a: str, b: str) -> float:
    light, dark = sorted((luminance(a), luminance(b)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def test_the_formula_on_black_and_white():
    assert contrast("#000000", "#FFFFFF") == pytest.approx(21)


@pytest.mark.parametrize("name", PALETTES)
@pytest.mark.parametrize("ground", ["ground", "panel", "raised", "lane_body"])
@pytest.mark.parametrize("ink", ["text", "quiet"])
def test_text_reads_on_every_ground(name, ground, ink):
    palette = PALETTES[name]
    assert contrast(getattr(palette, ink), getattr(palette, ground)) >= 4.5


@pytest.mark.parametrize("name", PALETTES)
@pytest.mark.parametrize(
    ("ink", "ground"),
    [("on_primary", "primary"), ("primary", "panel"), ("error", "panel"), ("text", "chosen"), ("text", "primary_soft"),
     ("quiet", "primary_soft")],
)  # fmt: skip
def test_marked_text_reads_too(name, ink, ground):
    palette = PALETTES[name]
    assert contrast(getattr(palette, ink), getattr(palette, ground)) >= 4.5


@pytest.mark.parametrize("name", PALETTES)
@pytest.mark.parametrize("colour", LANE_COLOURS)
def test_curves_stand_out_from_their_lane(name, colour):
    """WCAG 2.2, 1.4.11: graphical objects 3 : 1, of which #B9821A and its like come close."""
    palette = PALETTES[name]
    assert contrast(palette.lane(colour), palette.lane_body) >= 2.9


@pytest.mark.parametrize("name", PALETTES)
def test_auto_key_reads_while_it_is_on(name):
    assert contrast(ON_AUTO, PALETTES[name].auto_key) >= 4.5
