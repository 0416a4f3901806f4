"""Animation curves: keys in time, and their evaluation piece by piece."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

import numpy as np

from fictilis.core.animation.easing import bezier_parameter, ease_at, handles_of
from fictilis.core.arrays import cached_by_identity, plain_numbers
from fictilis.core.errors import EditRefused

INTERPOLATIONS = ("hold", "linear", "smooth", "ease")
TANGENTS = ("auto", "flat", "joined", "broken")
BEYOND = ("hold", "linear", "repeat", "offset", "ping-pong")
SAME_FRAME = 1e-6
LATEST, LARGEST = 1e7, 1e9  # frames and values of keys
Handle = tuple[float, float]


@dataclass(frozen=True)
class Key:
    """A value at a frame; ``interpolation`` says how the curve goes on to the next key.

    ``tangent`` is how a smooth curve passes the key; joined and broken have handles ``into`` (frames back, value) and
    ``out`` (frames on, value), both as offsets from the key with frames counted positive. ``ease`` is the easing to
    the next key, for the interpolation ease.
    """

    frame: float
    value: float
    interpolation: str = "smooth"
    tangent: str = "auto"
    into: Handle | None = None
    out: Handle | None = None
    ease: str = "ease-in-out"

    def __post_init__(self) -> None:
        if self.interpolation not in INTERPOLATIONS:
            raise EditRefused(f"“{self.interpolation}” is no interpolation; use {', '.join(INTERPOLATIONS)}.")
        if self.tangent not in TANGENTS:
            raise EditRefused(f"“{self.tangent}” is no tangent; use {', '.join(TANGENTS)}.")
        numbers = (self.frame, self.value, *(self.into or ()), *(self.out or ()))
        if not all(np.isfinite(v) for v in numbers):
            raise EditRefused(f"A key needs finite numbers, not {self.value} at frame {self.frame}.")
        if abs(self.frame) > LATEST or abs(self.value) > LARGEST:
            raise EditRefused(
                f"A key of {self.value:g} at frame {self.frame:g} cannot be; values go up to {LARGEST:g}, frames to {LATEST:g}."
            )
        if any(handle is not None and handle[0] < 0 for handle in (self.into, self.out)):
            raise EditRefused(f"The handles of the key at frame {self.frame:g} would go back in time.")
        plain_numbers(self, "frame", "value", "into", "out")
        if self.interpolation == "ease":
            handles_of(self.ease)


def among(frames: Iterable[float]) -> Callable[[float], bool]:
    """Tells whether a frame is one of ``frames``."""
    ordered = sorted(frames)

    def found(frame: float) -> bool:
        place = bisect_left(ordered, frame - SAME_FRAME)
        return place < len(ordered) and ordered[place] <= frame + SAME_FRAME

    return found


@dataclass(frozen=True, eq=False)
class AnimationCurve:
    """Keys sorted by frame, no two at the same frame.

    ``before`` and ``after`` say how it goes on outside the keys: hold its first and last value, linear by the slope
    there, repeat, repeat with the offset between last and first value, or there and back (ping-pong).
    """

    keys: tuple[Key, ...] = ()
    before: str = "hold"
    after: str = "hold"

    def __post_init__(self) -> None:
        for way in (self.before, self.after):
            if way not in BEYOND:
                raise EditRefused(f"“{way}” is no way to go on; use {', '.join(BEYOND)}.")
        frames = [key.frame for key in self.keys]
        if any(b - a <= SAME_FRAME for a, b in zip(frames, frames[1:], strict=False)):
            raise EditRefused("Keys of a curve need rising frames, no two the same.")

    @classmethod
    def of(cls, keys: Iterable[Key], like: AnimationCurve | None = None) -> AnimationCurve:
        """A curve of keys in any order; of two at one frame the later given stays. It goes on outside as ``like`` does."""
        by_frame: dict[float, Key] = {}
        for key in keys:
            by_frame[round(key.frame / SAME_FRAME) * SAME_FRAME] = key
        ordered = sorted(by_frame.values(), key=lambda key: key.frame)
        kept: list[Key] = []
        for key in ordered:
            if kept and key.frame - kept[-1].frame <= SAME_FRAME:
                kept[-1] = key
            else:
                kept.append(key)
        return cls(tuple(kept), like.before if like else "hold", like.after if like else "hold")

    def key_at(self, frame: float) -> Key | None:
        i = bisect_left(self.keys, frame - SAME_FRAME, key=lambda key: key.frame)
        return self.keys[i] if i < len(self.keys) and abs(self.keys[i].frame - frame) <= SAME_FRAME else None

    def keys_between(self, first: float, last: float) -> tuple[Key, ...]:
        """The keys from frame ``first`` to frame ``last``."""
        low = bisect_left(self.keys, first - SAME_FRAME, key=lambda key: key.frame)
        return self.keys[low : bisect_right(self.keys, last + SAME_FRAME, key=lambda key: key.frame)]

    def with_key(self, key: Key) -> AnimationCurve:
        """With a key added, or replaced where there is one at that frame."""
        low = bisect_left(self.keys, key.frame - SAME_FRAME, key=lambda k: k.frame)
        high = bisect_right(self.keys, key.frame + SAME_FRAME, key=lambda k: k.frame)
        curve = object.__new__(AnimationCurve)  # its keys are in order already: looking through all again would make n keys n²
        for name, value in (
            ("keys", (*self.keys[:low], key, *self.keys[high:])),
            ("before", self.before),
            ("after", self.after),
        ):
            object.__setattr__(curve, name, value)
        return curve

    def without(self, frames: Iterable[float]) -> AnimationCurve:
        """With the keys at these frames taken away."""
        gone = among(frames)
        return replace(self, keys=tuple(k for k in self.keys if not gone(k.frame)))

    def changed(self, frames: Iterable[float], change: Callable[[Key], Key]) -> AnimationCurve:
        """With ``change`` made to the keys at these frames; their frames stay."""
        chosen = among(frames)
        return replace(self, keys=tuple(change(k) if chosen(k.frame) else k for k in self.keys))

    def set_interpolation(self, frames: Iterable[float], interpolation: str) -> AnimationCurve:
        """With the keys at these frames leading to the next by ``interpolation``."""
        return self.changed(frames, lambda key: replace(key, interpolation=interpolation))

    def handles(self, key: Key) -> tuple[Handle, Handle]:
        """The handles of a key as they act: back and on, shortened where they would reach past the neighbours."""
        part = pieces(self)
        place = next(n for n, k in enumerate(self.keys) if k is key)
        return part.into[place], part.out[place]

    def evaluate(self, frames: np.ndarray | float) -> np.ndarray:
        """Values at ``frames`` (any shape), float64, the same shape. A curve without keys is 0."""
        inside, shift, _ = self._inside(frames)
        return pieces(self).values(inside) + shift

    def slope(self, frames: np.ndarray | float) -> np.ndarray:
        """Change a frame at ``frames``, from the right at a key."""
        inside, _, way = self._inside(frames)
        return pieces(self).slopes(inside) * way

    def _inside(self, frames: np.ndarray | float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Frames outside the keys brought inside: the frames, what is added to the value there, and the way of time."""
        at = np.asarray(frames, np.float64)
        shift, way = np.zeros(at.shape), np.ones(at.shape)
        if len(self.keys) < 2 or (self.before, self.after) == ("hold", "hold"):
            return at, shift, way
        first, last = self.keys[0].frame, self.keys[-1].frame
        span, rise = last - first, self.keys[-1].value - self.keys[0].value
        for mode, out in ((self.before, at < first), (self.after, at > last)):
            if mode in ("hold", "linear"):
                continue  # linear is a piece of its own
            turns = np.floor((at - first) / span)
            part = at - first - turns * span
            if mode == "ping-pong":
                back = turns % 2 != 0
                part, way = np.where(out & back, span - part, part), np.where(out & back, -1.0, way)
            elif mode == "offset":
                shift = np.where(out, turns * rise, shift)
            at = np.where(out, first + part, at)
        return at, shift, way

    def value(self, frame: float) -> float:
        return float(self.evaluate(frame))

    def is_still(self, first: float, last: float) -> bool:
        """Whether the curve keeps one value from frame ``first`` to frame ``last``."""
        if not self.keys:
            return True
        inside = [k.frame for k in self.keys if first < k.frame < last]
        edges = np.array([first, *inside, last])
        parts = edges[:-1, None] + np.diff(edges)[:, None] * np.array([0.0, 0.13, 0.5, 0.81])
        return bool(np.ptp(self.evaluate(np.append(parts.ravel(), last))) < 1e-9)


@dataclass(frozen=True, eq=False)
class Pieces:
    """A curve as pieces: starts (s,) frames, coefficients (s, 4) of cubics, lowest power first, in frames since the start.

    Pieces whose handles bend time are Béziers: ``beziers`` (s, 6) are span, inner x1 and x2 in 0…1, the rise, and the
    inner values y1 and y2 as offsets from the start; ``eased`` the named easing of a piece. into, out: handles a key.
    """

    starts: np.ndarray
    coefficients: np.ndarray
    beziers: dict[int, tuple[float, ...]]
    eased: dict[int, tuple[float, float, str]]
    into: tuple[Handle, ...] = ()
    out: tuple[Handle, ...] = ()

    @property
    def is_cubic(self) -> bool:
        """Whether every piece is a polynomial of time."""
        return not self.beziers and not self.eased

    def _which(self, at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        which = np.clip(np.searchsorted(self.starts, at, side="right") - 1, 0, None)
        return which, at - self.starts[which]

    def values(self, at: np.ndarray) -> np.ndarray:
        which, t = self._which(at)
        c = self.coefficients[which]
        out = ((c[..., 3] * t + c[..., 2]) * t + c[..., 1]) * t + c[..., 0]
        if self.is_cubic:
            return out
        out = np.array(out)
        for number, (span, x1, x2, rise, y1, y2) in self.beziers.items():
            on = which == number
            if np.any(on):
                u = t[on] / span
                s = bezier_parameter(np.full(u.shape, x1), np.full(u.shape, x2), u)
                r = 1 - s
                out[on] = self.coefficients[number, 0] + 3 * r * r * s * y1 + 3 * r * s * s * y2 + s**3 * rise
        for number, (span, rise, ease) in self.eased.items():
            on = which == number
            if np.any(on):
                out[on] = self.coefficients[number, 0] + rise * ease_at(ease, t[on] / span)
        return out

    def slopes(self, at: np.ndarray) -> np.ndarray:
        which, t = self._which(at)
        c = self.coefficients[which]
        out = (3 * c[..., 3] * t + 2 * c[..., 2]) * t + c[..., 1]
        if self.is_cubic:
            return out
        out, tiny = np.array(out), 1e-5
        for number in (*self.beziers, *self.eased):  # by differences within the piece
            on = which == number
            if np.any(on):
                span = (self.beziers.get(number) or self.eased[number])[0]
                start = self.starts[number]
                low = np.clip(at[on] - tiny, start, start + span * (1 - 1e-12))
                high = np.clip(at[on] + tiny, start, start + span * (1 - 1e-12))
                out[on] = (self.values(high) - self.values(low)) / np.maximum(high - low, 1e-12)
        return out


@cached_by_identity
def pieces(curve: AnimationCurve) -> Pieces:
    """The pieces of a curve; the first reaches back without end, the last on without end.

    Source: cubic Hermite form, with the slopes of ``auto_slopes``; with handles of other lengths the Bézier in frame and
    value through both keys and both handles' ends.
    """
    keys = curve.keys
    if not keys:
        return Pieces(np.array([0.0]), np.zeros((1, 4)), {}, {})
    frames = np.array([k.frame for k in keys])
    values = np.array([k.value for k in keys])
    into, out = _handles(keys, frames, values)
    table = np.zeros((len(keys) + 1, 4))
    table[0, 0] = values[0]
    table[1:, 0] = values
    beziers: dict[int, tuple[float, ...]] = {}
    eased: dict[int, tuple[float, float, str]] = {}
    for i, key in enumerate(keys[:-1]):
        span, rise = float(frames[i + 1] - frames[i]), float(values[i + 1] - values[i])
        if key.interpolation == "linear":
            table[i + 1, 1] = rise / span
        elif key.interpolation == "ease":
            inner = handles_of(key.ease)
            if inner is None:
                eased[i + 1] = (span, rise, key.ease)
            else:
                beziers[i + 1] = (span, inner[0], inner[2], rise, inner[1] * rise, inner[3] * rise)
        elif key.interpolation == "smooth":
            (df, dv), (bf, bv) = out[i], into[i + 1]
            if abs(df - span / 3) < 1e-12 * span and abs(bf - span / 3) < 1e-12 * span:
                secant, a, b = rise / span, 3 * dv / span, -3 * bv / span
                table[i + 1, 1:] = a, (3 * secant - 2 * a - b) / span, (a + b - 2 * secant) / span**2
            else:
                beziers[i + 1] = (span, df / span, 1 - bf / span, rise, dv, rise + bv)
    starts = np.concatenate([frames[:1] - 1.0, frames])
    part = Pieces(starts, table, beziers, eased, into, out)
    if len(keys) > 1 and curve.before == "linear":
        slope = _slope_at_end(part, 1, float(frames[1] - frames[0]), False)
        table[0, :2] = values[0] - slope, slope
    if len(keys) > 1 and curve.after == "linear":
        table[-1, 1] = _slope_at_end(part, len(keys) - 1, float(frames[-1] - frames[-2]), True)
    return part


def _slope_at_end(part: Pieces, number: int, span: float, late: bool) -> float:
    """The exact change a frame at the start of a piece, or (``late``) at its end; a named easing's by a difference."""
    if number in part.beziers:
        _, x1, x2, rise, y1, y2 = part.beziers[number]
        # at an end a Bézier runs toward the nearest control place that is elsewhere
        ways = ((1 - x2, rise - y2), (1 - x1, rise - y1)) if late else ((x1, y1), (x2, y2))
        return next((dy / (dx * span) for dx, dy in ways if dx > 1e-9), rise / span)
    if number in part.eased:
        at = part.starts[number] + (span * (1 - 1e-9) if late else 0.0)
        return float(part.slopes(np.array([at]))[0])
    _, c1, c2, c3 = part.coefficients[number].tolist()
    t = span if late else 0.0
    return (3 * c3 * t + 2 * c2) * t + c1


def _handles(keys: tuple[Key, ...], frames: np.ndarray, values: np.ndarray) -> tuple[tuple[Handle, ...], tuple[Handle, ...]]:
    """Handles (frames, value) back and on of each key, never longer than the way to the neighbour."""
    slopes = auto_slopes(frames, values, [k.interpolation for k in keys])
    spans = np.diff(frames)
    into, out = [], []
    for i, key in enumerate(keys):
        slope = 0.0 if key.tangent == "flat" else float(slopes[i])
        back = float(spans[i - 1]) if i > 0 else float(spans[0]) if len(spans) else 1.0
        on = float(spans[i]) if i < len(spans) else back
        own = key.tangent in ("joined", "broken")
        into.append(_shortened(key.into, back) if own and key.into else (back / 3, -slope * back / 3))
        out.append(_shortened(key.out, on) if own and key.out else (on / 3, slope * on / 3))
    return tuple(into), tuple(out)


def _shortened(handle: Handle, span: float) -> Handle:
    frames, value = handle
    return handle if frames <= span else (span, value * span / frames)


def auto_slopes(frames: np.ndarray, values: np.ndarray, interpolations: list[str]) -> np.ndarray:
    """Slopes (k,) of automatic tangents: flat at extremes, at both ends and after a hold, no overshoot between.

    Parameters   frames, values : (k,) float64; interpolations : to the next key
    Source       Fritsch and Carlson (1980), SIAM J. Numer. Anal. 17(2); the weighted harmonic mean of the two secants
                 is Fritsch and Butland (1984), SIAM J. Sci. Stat. Comput. 5(2), which keeps their condition.
    """
    slopes = np.zeros(len(frames))
    if len(frames) < 3:
        return slopes
    span = np.diff(frames)
    secant = np.diff(values) / span
    left, right = secant[:-1].copy(), secant[1:]
    left[[kind == "hold" for kind in interpolations[:-2]]] = 0.0
    before, after = 2 * span[1:] + span[:-1], span[1:] + 2 * span[:-1]
    weighted = before * right + after * left
    rising = (np.sign(left) == np.sign(right)) & (weighted != 0)
    slopes[1:-1] = np.where(rising, (before + after) * left * (right / np.where(rising, weighted, 1.0)), 0.0)
    return slopes
