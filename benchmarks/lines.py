"""Lines: many of them mixed, two of 605 points matched, and their curve."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from benchmarks.measure import Row, medians, ms
from fictilis.core.geometry.kinds import Line, Match, Tube
from fictilis.core.geometry.lines.line_forms import helix
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.strand_matching import matched
from fictilis.core.geometry.lines.tubes import round_profile, tube_mesh, tube_points
from fictilis.core.geometry.normals import point_normals
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.delta_bank import DeltaBank
from fictilis.core.scene.scene import Deltas, MorphObject, Target

LINES, POINTS = 1000, 605
WEIGHTS = {"t0": 0.4, "t1": 0.7}


def _object(number: int, lines: int) -> MorphObject:
    rng = np.random.default_rng(number)
    count = lines * POINTS
    line = Line(starts=np.arange(lines + 1) * POINTS, closed=np.zeros(lines, bool), degree=3)
    targets = tuple(Target(f"t{k}", f"T{k}", Deltas.from_dense(rng.normal(size=(count, 3)))) for k in range(2))
    return MorphObject(f"o{number}", f"L{number}", line, rng.normal(size=(count, 3)), targets)


def mix() -> list[Row]:
    one = _object(0, LINES)
    bank, shares = DeltaBank(one, np.float32), shares_at(one, 0.0, WEIGHTS)
    base, first, second = (a.astype(np.float32) for a in (one.base, *(t.deltas.offsets for t in one.targets)))
    many = [_object(n, 1) for n in range(LINES)]
    banks = [(DeltaBank(o, np.float32), shares_at(o, 0.0, WEIGHTS)) for o in many]
    turn = {"now": 0.0}

    def strands() -> None:
        turn["now"] += 1e-6  # another weight each time: nothing may be kept
        bank.mix(shares + turn["now"])

    def objects() -> None:
        turn["now"] += 1e-6
        for own, its in banks:
            own.mix(its + turn["now"])

    t = medians(
        {"array": lambda: base + np.float32(0.4) * first + np.float32(0.7) * second, "strands": strands, "objects": objects}, 7
    )
    said = f"of one array {ms(t['array'])}"
    return [
        Row("1,000 strands × 605 points mixed / one array of the same bytes", t["strands"] / t["array"], 1.5, True, said),
        Row("1,000 line objects × 605 points mixed / the same", t["objects"] / t["array"], None, True, ms(t["objects"])),
    ]


def match() -> list[Row]:
    angle = np.arange(POINTS) * 2 * np.pi / POINTS
    one = np.stack([np.cos(angle), np.sin(angle), 0 * angle], 1)
    other = np.roll(one, 77, axis=0) * [2, 1, 1] + 0.05 * np.random.default_rng(0).normal(size=one.shape)
    line = Line(starts=np.array([0, POINTS]), closed=np.array([True]))
    t = medians({"match": lambda: matched(line, one, Match(line, other)), "fft": lambda: np.fft.rfft(one, axis=0)}, 9)
    detail = f"{ms(t['match'])} (goal 50 ms), FFT {ms(t['fft'])}"
    return [Row("matching two lines of 605 points / one FFT of that length", t["match"] / t["fft"], None, True, detail)]


def curve() -> list[Row]:
    line = _object(0, 100).geometry
    points = np.random.default_rng(0).normal(size=(line.point_count, 3)).astype(np.float32)
    fine = drawn(line)
    made = fine.of(points)
    t = medians({"curve": lambda: fine.of(points), "read": lambda: made.sum()}, 9)
    what = "curves of 100 × 605 points / a sum over their samples"
    return [Row(what, t["curve"] / t["read"], None, True, f"{ms(t['curve'])} for {len(made):,} samples")]


def tube() -> list[Row]:
    points, line = helix(25.0, 100.0, 4.0, 600)
    line = replace(line, degree=1, widths=np.full(600, 6.0), tube=Tube(round_profile(16)))
    mesh, solid = tube_mesh(line), tube_points(line, points).astype(np.float32)
    t = medians({"tube": lambda: tube_points(line, points), "normals": lambda: point_normals(mesh, solid)}, 9)
    what = "a tube of 600 × 16 / its normals"
    return [Row(what, t["tube"] / t["normals"], 3.0, True, f"{ms(t['tube'])} to {ms(t['normals'])}")]


def rows() -> list[Row]:
    return [*mix(), *match(), *curve(), *tube()]
