"""Many lanes at once: 1,000 × 20 keys, at one frame and over 1,000, beside NumPy, a plain loop and SciPy in the same run."""

from __future__ import annotations

from time import perf_counter

import numpy as np
from scipy.interpolate import PPoly

from benchmarks.measure import Row, medians, ms
from fictilis.core.animation.curve import AnimationCurve, Key, pieces
from fictilis.core.animation.modifiers import Modifier, modified
from fictilis.core.mix.lane_bank import LaneBank
from fictilis.core.scene.timeline import Lane

LANES, KEYS, FRAMES = 1000, 20, 1000
FPS = 24.0


def lanes(own_handles: bool = False) -> list[Lane]:
    rng = np.random.default_rng(1)
    out = []
    for number in range(LANES):
        frames = np.cumsum(rng.uniform(2, 12, KEYS))
        keys = []
        for frame, value in zip(frames, rng.normal(size=KEYS), strict=True):
            handles = {}
            if own_handles:
                handles = {
                    "tangent": "broken",
                    "into": (rng.uniform(0.3, 2), rng.normal()),
                    "out": (rng.uniform(0.3, 2), rng.normal()),
                }
            keys.append(Key(float(frame), float(value), "smooth", **handles))
        out.append(Lane(f"t{number}", AnimationCurve(tuple(keys))))
    return out


def ready_horner(rows: list[Lane]):
    """``searchsorted`` in one array of joined starts (each lane's shifted on by more than any frame), then Horner."""
    parts = [pieces(lane.curve) for lane in rows]
    shift = 1e4 * np.arange(len(rows))
    starts = np.concatenate([np.append(-1e3, p.starts[1:]) + s for p, s in zip(parts, shift, strict=True)])
    begin = np.concatenate([p.starts for p in parts])
    c0, c1, c2, c3 = np.concatenate([p.coefficients for p in parts]).T.copy()

    def run(frame: float) -> np.ndarray:
        which = np.searchsorted(starts, frame + shift, side="right") - 1
        t = frame - begin[which]
        return ((c3[which] * t + c2[which]) * t + c1[which]) * t + c0[which]

    return run


def python_bezier(rows: list[Lane]):
    """A plain Python loop over the same Béziers: bisection of the keys, Newton with a bracket."""
    from bisect import bisect_right

    table = []
    for lane in rows:
        part = pieces(lane.curve)
        table.append((part.starts.tolist(), part.coefficients[:, 0].tolist(), part.beziers))

    def value(starts, firsts, beziers, frame):
        n = max(bisect_right(starts, frame) - 1, 0)
        row = beziers.get(n)
        if row is None:
            return firsts[n]
        span, x1, x2, rise, y1, y2 = row
        x = (frame - starts[n]) / span
        s, low, high = x, 0.0, 1.0
        for _ in range(40):
            r = 1 - s
            off = 3 * r * r * s * x1 + 3 * r * s * s * x2 + s**3 - x
            if abs(off) < 1e-14:
                break
            if off < 0:
                low = s
            else:
                high = s
            slope = 3 * r * r * x1 + 6 * r * s * (x2 - x1) + 3 * s * s * (1 - x2)
            step = s - off / slope if slope > 1e-12 else -1.0
            s = step if low < step < high else (low + high) / 2
        r = 1 - s
        return firsts[n] + 3 * r * r * s * y1 + 3 * r * s * s * y2 + s**3 * rise

    return lambda frame: [value(*row, frame) for row in table]


def scipy_polynomials(rows: list[Lane]):
    out = []
    for lane in rows:
        part = pieces(lane.curve)
        breaks = np.append(part.starts, part.starts[-1] + 1e4)
        out.append(PPoly(part.coefficients[:, ::-1].T, breaks))
    return lambda frames: np.array([p(frames) for p in out])


def a_spring_far_out() -> Row:
    """Any frame of 100,000 under a spring over a repeated, eased curve, once the last one was asked; beside the curve alone."""
    keys = (Key(0, 0.0, "ease", ease="bounce-out"), Key(20, 1.0), Key(30, -0.5, "linear"), Key(60, 0.3))
    curve = AnimationCurve(keys, "hold", "repeat")
    spring = (Modifier("spring"),)
    start = perf_counter()
    modified(curve, spring, 100_000.0, FPS)
    first = perf_counter() - start
    asked = iter(np.random.default_rng(2).uniform(0, 100_000, 100_000))
    found = medians({"sprung": lambda: modified(curve, spring, next(asked), FPS), "plain": lambda: curve.evaluate(next(asked))})
    return Row("a frame of 100,000 under a spring / the lane alone", found["sprung"] / found["plain"], 50, True,
               f"{ms(found['sprung'])} to {ms(found['plain'])}; the first one {first:.1f} s")  # fmt: skip


def rows() -> list[Row]:
    plain, bent = lanes(), lanes(True)
    bank, bent_bank = LaneBank(plain), LaneBank(bent)
    horner, loop, theirs = ready_horner(plain), python_bezier(bent), scipy_polynomials(plain)
    frames = np.linspace(0, 140, FRAMES)
    assert np.allclose(bank.at(60.5, FPS), horner(60.5), atol=1e-9)
    assert np.allclose(bent_bank.at(60.5, FPS), loop(60.5), atol=1e-9)
    inside = frames[(frames > 20) & (frames < 60)]
    assert np.allclose(bank.over(inside, FPS), theirs(inside), atol=1e-9)
    one = medians(
        {"bank": lambda: bank.at(60.5, FPS), "horner": lambda: horner(60.5), "bent": lambda: bent_bank.at(60.5, FPS),
         "loop": lambda: loop(60.5), "scipy": lambda: theirs(np.array([60.5]))}
    )  # fmt: skip
    many = medians(
        {"bank": lambda: bank.over(frames, FPS), "scipy": lambda: theirs(frames),
         "bent": lambda: bent_bank.over(frames, FPS)}, 5
    )  # fmt: skip
    return [
        Row("1,000 lanes × 20 keys, one frame / searchsorted + Horner", one["bank"] / one["horner"], 1.5, True,
            f"{ms(one['bank'])} to {ms(one['horner'])}"),
        Row("the same with handles of their own / a plain Python loop", one["bent"] / one["loop"], 0.15, True,
            f"{ms(one['bent'])} to {ms(one['loop'])}"),
        Row("one frame / 1,000 SciPy piecewise polynomials", one["bank"] / one["scipy"], None, True,
            f"{ms(one['bank'])} to {ms(one['scipy'])}"),
        Row("over 1,000 frames / SciPy piecewise polynomials", many["bank"] / many["scipy"], None, True,
            f"{ms(many['bank'])} to {ms(many['scipy'])}; with handles {ms(many['bent'])}"),
        a_spring_far_out(),
    ]  # fmt: skip


if __name__ == "__main__":
    for row in rows():
        print(row.text())
