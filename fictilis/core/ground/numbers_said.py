"""Numbers as sentences say them: as many digits as can be seen, and no powers of ten."""

from __future__ import annotations

LEAST = 0.001


def said(value: float) -> str:
    """Two digits that matter, *under 0.001* for less, thousands with a comma."""
    if 0 < abs(value) < LEAST:
        return f"under {LEAST:g}"
    return f"{value:,.0f}" if abs(value) >= 100 else f"{value:.2g}"


def in_cm(length: float) -> str:
    return f"{said(length)} cm"
