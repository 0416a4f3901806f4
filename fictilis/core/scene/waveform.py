"""A sound as numbers: what is heard at frames, and how it looks."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from fictilis.core.ground.arrays import cached_by_identity
from fictilis.core.scene.timeline import Sound

BUCKET = 256  # samples that the picture of a sound knows only the least and the largest of


class Waveform(Struct, frozen=True, eq=False, weakref=True):
    """``samples`` (n, 2) int16, left and right, ``rate`` of them a second."""

    samples: np.ndarray
    rate: int

    @property
    def seconds(self) -> float:
        return len(self.samples) / self.rate


@cached_by_identity
def buckets(wave: Waveform) -> np.ndarray:
    """(b, 2) float32 in -1…1: the least and the largest of each 256 samples, both sides together."""
    count = -(-len(wave.samples) // BUCKET)
    if not count:
        return np.zeros((0, 2), np.float32)
    padded = np.zeros((count * BUCKET, 2), np.int16)
    padded[: len(wave.samples)] = wave.samples
    rows = padded.reshape(count, -1)
    return np.stack([rows.min(1), rows.max(1)], axis=1).astype(np.float32) / 32768.0


def outline(wave: Waveform, seconds: np.ndarray) -> np.ndarray:
    """(c, 2) float32: the least and the largest between each two of ``seconds`` (c + 1,), rising; 0 where there is no sound."""
    table = buckets(wave)
    edges = np.asarray(seconds, np.float64) * wave.rate / BUCKET
    first = np.floor(edges[:-1]).astype(np.int64)
    last = np.maximum(np.ceil(edges[1:]).astype(np.int64), first + 1)
    out = np.zeros((len(first), 2), np.float32)
    inside = (last > 0) & (first < len(table))
    low, high = np.clip(first, 0, len(table)), np.clip(last, 0, len(table))
    if inside.any() and len(table):
        padded = np.concatenate([table, table[-1:]])  # reduceat may be asked for the end
        places = np.stack([low[inside], high[inside]], axis=1).ravel()
        out[inside, 0] = np.minimum.reduceat(padded[:, 0], places)[::2]
        out[inside, 1] = np.maximum.reduceat(padded[:, 1], places)[::2]
    return out


def heard(wave: Waveform, sound: Sound, frames: np.ndarray, fps: float) -> np.ndarray:
    """(n, 2) int16: what a sound says at ``frames`` (n,), straight between its samples; silence outside of it."""
    if sound.muted or not len(wave.samples):
        return np.zeros((len(frames), 2), np.int16)
    at = (np.asarray(frames, np.float64) - sound.start) / fps * wave.rate
    inside = (at >= 0) & (at <= len(wave.samples) - 1)
    low = np.clip(at.astype(np.int64), 0, len(wave.samples) - 1)
    high = np.minimum(low + 1, len(wave.samples) - 1)
    part = (at - low)[:, None]
    value = wave.samples[low] * (1 - part) + wave.samples[high] * part
    return np.where(inside[:, None], value * sound.volume, 0.0).round().astype(np.int16)


STEP = 0.01  # s: of this length are the parts whose loudness is compared


def onsets(wave: Waveform, most: int, apart: float) -> np.ndarray:
    """(k,) s, rising: where a sound grows louder most suddenly, up to ``most`` places and ``apart`` s from one another.

    Source: peaks of the first difference of the logarithm of the energy; Bello et al., A Tutorial on Onset Detection in Music
    Signals, IEEE Transactions on Speech and Audio Processing 13(5), 2005.
    """
    size = max(round(STEP * wave.rate), 1)
    count = len(wave.samples) // size
    parts = wave.samples[: count * size].reshape(count, size * 2)
    blocks = [((parts[n : n + 1000] / np.float32(32768)) ** 2).mean(1) for n in range(0, count, 1000)]
    loud = np.log1p(1000 * np.concatenate([np.zeros(1, np.float32), *blocks]))
    rise = np.maximum(np.diff(loud), 0.0)
    order = np.argsort(-rise, kind="stable")
    taken: list[int] = []
    for place in order[: 50 * most]:
        if len(taken) == most or rise[place] < 0.05 * rise[order[0]] or rise[place] <= 0:
            break
        if all(abs(int(place) - other) * STEP >= apart for other in taken):
            taken.append(int(place))
    return np.sort(np.array(taken, np.float64)) * STEP
