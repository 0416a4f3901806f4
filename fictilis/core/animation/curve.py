"""Animation curves: keys in time, and their evaluation piece by piece."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Sequence
from weakref import WeakKeyDictionary

import numpy as np
from msgspec import Struct, field
from msgspec.structs import force_setattr, replace

from fictilis.core.animation.easing import bezier_parameter, corners_of, ease_at, handles_of
from fictilis.core.ground.arrays import plain_numbers
from fictilis.core.ground.errors import EditRefused

INTERPOLATIONS = ("hold", "linear", "smooth", "ease")
TANGENTS = ("auto", "flat", "joined", "broken")
BEYOND = ("hold", "linear", "repeat", "offset", "ping-pong")
SAME_FRAME = 1e-6
LATEST, LARGEST = 1e7, 1e9  # frames and values of keys
Handle = tuple[float, float]


class Key(Struct, frozen=True):
    """A value at a frame; ``interpolation`` says how the curve goes on to the next key.

    ``tangent`` is how a smooth curve passes the key; joined and broken have handles ``into`` (frames back, value) and
    ``out`` (frames on, value), both as offsets from the key with frames counted positive. ``ease`` is the easing to
    the next key, for the interpolation ease. A key on the lane of a relay is a pose: its ``shape`` is the id of a target, or
    nothing for the base, and its value does not matter.
    """

    frame: float
    value: float
    interpolation: str = "smooth"
    tangent: str = "auto"
    into: Handle | None = None
    out: Handle | None = None
    ease: str = "ease-in-out"
    shape: str = ""

    def shows(self, other: Key) -> bool:
        """Whether it has the value of another one, or as a pose its shape."""
        return self.value == other.value and self.shape == other.shape

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


class AnimationCurve(Struct, frozen=True, eq=False, weakref=True):
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
            raise EditRefused("Keys of a curve need rising frames, no two the same; move one of them.")

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
        curve = AnimationCurve((), self.before, self.after)  # the keys are in order: checking them all would make n keys n²
        force_setattr(curve, "keys", (*self.keys[:low], key, *self.keys[high:]))
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
        return part.handles_at(place)

    def evaluate(self, frames: np.ndarray | float) -> np.ndarray:
        """Values at ``frames`` (any shape), float64, the same shape. A curve without keys is 0."""
        inside, shift, _ = self.inside(frames)
        return pieces(self).values(inside) + shift

    def slope(self, frames: np.ndarray | float) -> np.ndarray:
        """Change a frame at ``frames``, from the right at a key."""
        inside, _, way = self.inside(frames)
        return pieces(self).slopes(inside) * way

    def inside(self, frames: np.ndarray | float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
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

    def knots(self, first: float, last: float) -> np.ndarray:
        """(k,) rising frames from ``first`` to ``last`` at which one piece ends and the next begins, also within an easing that
        bounces, and outside the keys where the curve repeats."""
        frames = np.array([key.frame for key in self.keys])
        if not len(frames):
            return frames
        eased = [(a, b) for a, b in zip(self.keys, self.keys[1:], strict=False) if a.interpolation == "ease"]
        inner = [a.frame + (b.frame - a.frame) * part for a, b in eased for part in corners_of(a.ease)]
        frames = np.unique(np.append(frames, inner)) if inner else frames
        rows, span = [frames], frames[-1] - frames[0]
        for mode, low, high in ((self.before, first, min(frames[0], last)), (self.after, max(frames[-1], first), last)):
            if mode in ("hold", "linear") or span <= 0 or low >= high:
                continue
            turns = np.arange(np.floor((low - frames[0]) / span), np.floor((high - frames[0]) / span) + 1)
            back = (turns % 2 != 0) & (mode == "ping-pong")
            rows.append(np.where(back[:, None], frames[-1] - frames, frames - frames[0]).ravel() + np.repeat(
                frames[0] + turns * span, len(frames)))  # fmt: skip
        every = np.unique(np.concatenate(rows))
        return every[(every >= first) & (every <= last)]

    def jumps(self, first: float, last: float) -> np.ndarray:
        """(k,) rising frames from ``first`` to ``last`` at which the value, or the pose, becomes another one at once."""
        if len(self.keys) < 2 or not self.may_jump:
            return np.zeros(0)
        knots = self.knots(first, last)
        if any(key.shape for key in self.keys):
            return knots  # whether two shapes differ, the curve cannot tell
        near = 16 * np.spacing(np.maximum(np.abs(knots), 1.0))
        apart = np.abs(self.evaluate(knots + near) - self.evaluate(knots - near))
        return knots[apart > 1e-9 * max(1.0, max(abs(key.value) for key in self.keys))]

    @property
    def may_jump(self) -> bool:
        """Whether it holds a value somewhere, or repeats."""
        return any(key.interpolation == "hold" for key in self.keys[:-1]) or not {self.before, self.after} <= {"hold", "linear"}

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


class Pieces(Struct, frozen=True, eq=False, weakref=True):
    """A curve as pieces: starts (s,) frames, coefficients (s, 4) of cubics, lowest power first, in frames since the start.

    Pieces whose handles bend time are Béziers: ``beziers`` (s, 6) are span, inner x1 and x2 in 0…1, the rise, and the
    inner values y1 and y2 as offsets from the start; ``eased`` the named easing of a piece. handles (k, 4): back and on.
    """

    starts: np.ndarray
    coefficients: np.ndarray
    beziers: dict[int, tuple[float, ...]]
    eased: dict[int, tuple[float, float, str]]
    handles: np.ndarray = field(default_factory=lambda: np.zeros((0, 4)))

    def handles_at(self, number: int) -> tuple[Handle, Handle]:
        """Both handles (frames, value) of a key, back and on."""
        back, before, on, after = self.handles[number].tolist()
        return (back, before), (on, after)

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


_known: WeakKeyDictionary[AnimationCurve, Pieces] = WeakKeyDictionary()


def pieces(curve: AnimationCurve) -> Pieces:
    """The pieces of a curve; the first reaches back without end, the last on without end."""
    return _known.get(curve) or pieces_of([curve])[0]


def pieces_of(curves: Sequence[AnimationCurve]) -> list[Pieces]:
    """The pieces of many curves, those not known yet in one go: a scene may key a thousand lanes at once.

    Source: cubic Hermite form, with the slopes of ``auto_slopes``; with handles of other lengths the Bézier in frame and
    value through both keys and both handles' ends.
    """
    fresh = [curve for curve in curves if curve.keys and curve not in _known]
    if fresh:
        _known.update(zip(fresh, _cut([c.keys for c in fresh]), strict=True))
        for curve in fresh:
            if len(curve.keys) > 1:
                _run_on(curve, _known[curve])
    none = Pieces(np.array([0.0]), np.zeros((1, 4)), {}, {})
    return [_known[curve] if curve.keys else none for curve in curves]


def _cut(rows: list[tuple[Key, ...]]) -> list[Pieces]:
    """The pieces between the keys of each row, worked out as one row of all keys."""
    keys = [key for row in rows for key in row]
    counts = np.array([len(row) for row in rows])
    last = np.cumsum(counts) - 1
    first, owner = last - counts + 1, np.repeat(np.arange(len(rows)), counts)
    frames, values = np.array([k.frame for k in keys]), np.array([k.value for k in keys])
    kinds = np.array([k.interpolation for k in keys])
    span, rise = np.diff(frames), np.diff(values)
    span[last[:-1]], rise[last[:-1]] = 1.0, 0.0  # between two rows is nothing
    handles = _handles(keys, first, last, span, rise, kinds == "hold")
    kinds[last] = ""
    heads, at = first + np.arange(len(rows)), np.arange(len(keys)) + owner + 1  # rows of the table
    table = np.zeros((len(keys) + len(rows), 4))
    table[heads, 0], table[at, 0] = values[first], values
    starts = np.empty(len(table))
    starts[heads], starts[at] = frames[first] - 1.0, frames
    beziers: list[dict[int, tuple[float, ...]]] = [{} for _ in rows]
    eased: list[dict[int, tuple[float, float, str]]] = [{} for _ in rows]
    straight = np.flatnonzero(kinds == "linear")
    table[at[straight], 1] = rise[straight] / span[straight]
    smooth = np.flatnonzero(kinds == "smooth")
    long, high = span[smooth], rise[smooth]
    (df, dv), (bf, bv) = handles[smooth, 2:].T, handles[smooth + 1, :2].T
    plain = (np.abs(df - long / 3) < 1e-12 * long) & (np.abs(bf - long / 3) < 1e-12 * long)
    secant, a, b = high / long, 3 * dv / long, -3 * bv / long
    cubics = np.stack([a, (3 * secant - 2 * a - b) / long, (a + b - 2 * secant) / long**2], axis=1)
    table[at[smooth[plain]], 1:] = cubics[plain]
    bent = np.stack([long, df / long, 1 - bf / long, high, dv, high + bv], axis=1)
    for n in np.flatnonzero(~plain).tolist():
        whose = int(owner[smooth[n]])
        beziers[whose][int(at[smooth[n]] - heads[whose])] = tuple(bent[n].tolist())
    for n in np.flatnonzero(kinds == "ease").tolist():
        whose, inner, up, ease = int(owner[n]), handles_of(keys[n].ease), float(rise[n]), keys[n].ease
        place = int(at[n] - heads[whose])
        if inner is None:
            eased[whose][place] = (float(span[n]), up, ease)
        else:
            beziers[whose][place] = (float(span[n]), inner[0], inner[2], up, inner[1] * up, inner[3] * up)
    ends = at[last] + 1
    return [
        Pieces(starts[h:e].copy(), table[h:e].copy(), beziers[n], eased[n], handles[f : z + 1].copy())
        for n, (h, e, f, z) in enumerate(zip(heads.tolist(), ends.tolist(), first.tolist(), last.tolist(), strict=True))
    ]


def _run_on(curve: AnimationCurve, part: Pieces) -> None:
    """Straight on before the first and after the last key, where the curve is to go on so."""
    starts = part.starts
    if curve.before == "linear":
        slope = _slope_at_end(part, 1, float(starts[2] - starts[1]), False)
        part.coefficients[0, :2] = part.coefficients[0, 0] - slope, slope
    if curve.after == "linear":
        part.coefficients[-1, 1] = _slope_at_end(part, len(starts) - 2, float(starts[-1] - starts[-2]), True)


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


def _handles(keys: list[Key], first: np.ndarray, last: np.ndarray, span: np.ndarray, rise: np.ndarray,
             holds: np.ndarray) -> np.ndarray:  # fmt: skip
    """(k, 4): handles (frames, value) back and on of each key, never longer than the way to the neighbour."""
    slopes = auto_slopes(span, rise, holds)
    slopes[first] = slopes[last] = 0.0
    slopes[[k.tangent == "flat" for k in keys]] = 0.0
    back, on = np.concatenate([[1.0], span]), np.concatenate([span, [1.0]])
    on[last] = np.where(first == last, 1.0, back[last])
    back[first] = on[first]
    out = np.stack([back / 3, -slopes * back / 3, on / 3, slopes * on / 3], axis=1)
    for i in [n for n, key in enumerate(keys) if key.tangent in ("joined", "broken")]:
        into, after = keys[i].into, keys[i].out
        if into:
            out[i, :2] = _shortened(into, float(back[i]))
        if after:
            out[i, 2:] = _shortened(after, float(on[i]))
    return out


def _shortened(handle: Handle, span: float) -> Handle:
    frames, value = handle
    return handle if frames <= span else (span, value * span / frames)


def auto_slopes(span: np.ndarray, rise: np.ndarray, holds: np.ndarray) -> np.ndarray:
    """Slopes (k,) of automatic tangents: flat at extremes, at both ends and after a hold, no overshoot between.

    Parameters   span, rise : (k - 1,) float64, frames and values from key to key; holds : (k,) bool, no motion to the next
    Source       Fritsch and Carlson (1980), SIAM J. Numer. Anal. 17(2); the weighted harmonic mean of the two secants
                 is Fritsch and Butland (1984), SIAM J. Sci. Stat. Comput. 5(2), which keeps their condition.
    """
    slopes = np.zeros(len(span) + 1)
    secant = rise / span
    left, right = np.where(holds[:-2], 0.0, secant[:-1]), secant[1:]
    before, after = 2 * span[1:] + span[:-1], span[1:] + 2 * span[:-1]
    weighted = before * right + after * left
    rising = (np.sign(left) == np.sign(right)) & (weighted != 0)
    slopes[1:-1] = np.where(rising, (before + after) * left * (right / np.where(rising, weighted, 1.0)), 0.0)
    return slopes
