"""Frames as seconds and as timecode."""

from __future__ import annotations


def time_label(frame: float, fps: float, way: str, short: float | None = None) -> str:
    """A frame, counted from 0, as ``timecode`` or as minutes and seconds.

    ``short`` is the time between labels, s: no more decimals than that needs, and no minutes where there are none.
    """
    if way == "timecode":
        return timecode(frame, fps)
    seconds = abs(frame) / fps
    sign = "-" if frame < 0 else ""
    if short is None:
        return f"{sign}{int(seconds // 60)}:{seconds % 60:05.2f}"
    decimals = 0 if short >= 1 else 1 if short >= 0.1 else 2
    seconds = round(seconds, decimals)
    if seconds < 60:
        return f"{sign}{seconds:.{decimals}f} s"
    return f"{sign}{int(seconds // 60)}:{seconds % 60:0{3 + decimals if decimals else 2}.{decimals}f}"


def timecode(frame: float, fps: float) -> str:
    """Hours, minutes, seconds and frames of a frame counted from 0, without dropping any: HH:MM:SS:FF."""
    rate = max(round(fps), 1)
    whole = int(abs(frame) + 1e-6)
    rest, frames = divmod(whole, rate)
    sign = "-" if frame < 0 else ""
    return f"{sign}{rest // 3600:02d}:{rest // 60 % 60:02d}:{rest % 60:02d}:{frames:02d}"
