"""Coefficients over time in the smallest exact form that glTF can play: STEP, LINEAR, CUBICSPLINE, else samples."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from fictilis.core.animation.curve import pieces
from fictilis.core.mix.acting import gain, shares_at
from fictilis.core.scene import MorphObject, Scene, targets_by_id
from fictilis.core.timeline import Lane

Shares = Callable[[np.ndarray], np.ndarray]
JUMP = 1e-3  # frames before a step at which the value still stands, where steps mix with slopes
EXACT = 1e-9
_NODES = np.array([0.02, 0.33, 0.67, 0.98])
_PROBES = np.array([0.11, 0.5, 0.84])


@dataclass(frozen=True, eq=False)
class WeightTrack:
    """times (k,) seconds; values (k, c); tangents (k, c) a second, in and out, for CUBICSPLINE only."""

    interpolation: str
    times: np.ndarray
    values: np.ndarray
    tangents_in: np.ndarray | None = None
    tangents_out: np.ndarray | None = None


def weight_track(scene: Scene, obj: MorphObject) -> WeightTrack | None:
    """The coefficients of an object's columns over the scene's range, or None when no lane drives it.

    Between keys and the weights at which an in-between stands a coefficient is one polynomial in time, except where a
    curved path meets a curved lane; there the motion is sampled at the scene's rate, straight between the samples.
    """
    if not _weight_lanes(obj):
        return None

    def shares(frames: np.ndarray) -> np.ndarray:
        return shares_at(obj, frames, fps=scene.fps).T

    knots = _knots(scene, obj)
    cubics = _cubics(shares, knots)
    if cubics is None:
        whole = np.arange(np.ceil(scene.start), np.floor(scene.end) + 1)
        knots = np.unique(np.concatenate([knots, whole, [scene.start, scene.end]]))
        cubics = _chords(shares, knots)
    return _track(scene, knots, cubics)


def _weight_lanes(obj: MorphObject) -> list[Lane]:
    return [lane for lane in obj.lanes if lane.channel in targets_by_id(obj)]


def _knots(scene: Scene, obj: MorphObject) -> np.ndarray:
    """Frames within the range at which a coefficient may bend: keys, and weights crossing a stage."""
    knots = [scene.start, scene.end]
    for lane in _weight_lanes(obj):
        knots += [k.frame for k in lane.curve.keys]
        target = obj.target(lane.channel)
        stages, factor = target.in_betweens, gain(obj, target)
        if not stages or not factor:
            continue
        part = pieces(lane.curve)
        if not part.is_cubic:
            continue
        stops = np.append(part.starts[1:], part.starts[-1] + 1)
        for start, stop, cubic in zip(part.starts, stops, part.coefficients, strict=True):
            for at in (0.0, 1.0, *(s.at for s in stages)):
                shifted = cubic[::-1].copy()
                shifted[-1] -= at / factor
                if np.any(shifted[:-1]):
                    roots = np.roots(shifted)
                    real = roots.real[np.abs(roots.imag) < 1e-9]
                    knots += [start + r for r in real if 0 < r < stop - start]
    inside = np.array([k for k in knots if scene.start <= k <= scene.end])
    inside = np.unique(inside)
    keep = np.append(True, np.diff(inside) > 1e-6)
    return inside[keep]


def _cubics(shares: Shares, knots: np.ndarray) -> np.ndarray | None:
    """(i, 4, c): each interval as a cubic of 0…1, lowest power first; None when one is no cubic."""
    spans = np.diff(knots)
    frames = knots[:-1, None] + spans[:, None] * np.concatenate([_NODES, _PROBES])
    values = shares(frames.ravel()).reshape(len(spans), 7, -1)
    cubics = np.einsum("pn,inc->ipc", np.linalg.inv(np.vander(_NODES, 4, increasing=True)), values[:, :4])
    guessed = np.einsum("np,ipc->inc", np.vander(_PROBES, 4, increasing=True), cubics)
    if np.abs(guessed - values[:, 4:]).max(initial=0.0) > EXACT * max(1.0, np.abs(values).max(initial=0.0)):
        return None
    cubics[np.abs(cubics) < EXACT] = 0.0
    return cubics


def _chords(shares: Shares, knots: np.ndarray) -> np.ndarray:
    """(i, 4, c): straight lines between the values just inside each interval."""
    spans = np.diff(knots)
    tiny = 1e-7
    first, last = shares(knots[:-1]), shares(knots[1:] - tiny * spans)
    out = np.zeros((len(spans), 4, first.shape[1]))
    out[:, 0], out[:, 1] = first, last - first
    return out


def _track(scene: Scene, knots: np.ndarray, cubics: np.ndarray) -> WeightTrack:
    spans = np.diff(knots)[:, None]
    begin, finish = cubics[:, 0], cubics.sum(1)
    jumps = np.abs(finish[:-1] - begin[1:]).max(axis=1, initial=0.0) > 1e-6
    still, straight = not cubics[:, 1:].any(), not cubics[:, 2:].any()
    if still and jumps.any():
        keep = np.append(True, jumps)
        return WeightTrack("STEP", (knots[:-1][keep] - scene.start) / scene.fps, begin[keep])
    slopes_first, slopes_last = cubics[:, 1] / spans, (cubics[:, 1] + 2 * cubics[:, 2] + 3 * cubics[:, 3]) / spans
    rows: list[tuple[Any, ...]] = [(knots[0], begin[0], slopes_first[0], slopes_first[0])]
    for i, jump in enumerate(jumps):
        if jump:
            u = 1 - JUMP / spans[i, 0]
            value = u ** np.arange(4) @ cubics[i]
            slope = np.array([0, 1, 2 * u, 3 * u * u]) @ cubics[i] / spans[i]
            rows.append((knots[i + 1] - JUMP, value, slope, np.zeros_like(begin[0])))
            rows.append((knots[i + 1], begin[i + 1], np.zeros_like(begin[0]), slopes_first[i + 1]))
        else:
            rows.append((knots[i + 1], begin[i + 1], slopes_last[i], slopes_first[i + 1]))
    rows.append((knots[-1], finish[-1], slopes_last[-1], slopes_last[-1]))
    frames = np.array([row[0] for row in rows])
    times, values = (frames - scene.start) / scene.fps, np.array([row[1] for row in rows])
    if straight:
        keep = _needed(times, values)
        return WeightTrack("LINEAR", times[keep], values[keep])
    return WeightTrack(
        "CUBICSPLINE",
        times,
        values,
        np.array([row[2] for row in rows]) * scene.fps,
        np.array([row[3] for row in rows]) * scene.fps,
    )


def _needed(times: np.ndarray, values: np.ndarray) -> np.ndarray:
    """(k,) bool: keys that do not lie on the straight line between the kept key before and the next."""
    keep = np.ones(len(times), bool)
    last = 0
    for i in range(1, len(times) - 1):
        part = (times[i] - times[last]) / (times[i + 1] - times[last])
        if np.abs(values[last] + (values[i + 1] - values[last]) * part - values[i]).max(initial=0.0) < 1e-12:
            keep[i] = False
        else:
            last = i
    return keep
