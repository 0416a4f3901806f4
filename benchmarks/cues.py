"""Cues: a step of many that run at once, and how large a page for the browser is."""

from __future__ import annotations

import gzip
import tempfile
from itertools import count
from pathlib import Path

import numpy as np

from benchmarks.measure import Row, medians, ms
from fictilis.core.edits.cues import add_cue
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.targets import target_from_points
from fictilis.core.geometry.primitives import plane
from fictilis.core.rehearsal.runner import Runner
from fictilis.core.rehearsal.segment import EASES
from fictilis.core.scene.cues import BACK, KEY, LEAD, Act, Cue, Lead, Then, When
from fictilis.core.scene.scene import Scene
from fictilis.demo import SAMPLES, sample
from fictilis.formats.page import ASSETS, THREE, write_page
from fictilis.formats.registry import export

CUES, TARGETS, EACH = 200, 50, 4
GOAL_MS = 0.2


def crowd() -> Scene:
    """Many cues over a few targets, with all easings, each of several targets."""
    rng = np.random.default_rng(2)
    points, mesh = plane(20.0, 20.0, 4, 4)
    scene, obj = add_object(Scene(), "Pad", mesh, points)
    ids = []
    for number in range(TARGETS):
        scene, target = target_from_points(scene, obj, f"T {number}", points + rng.normal(size=3))
        ids.append(target)
    for number in range(CUES):
        leads = tuple(Lead(obj, str(t), float(rng.uniform())) for t in rng.choice(ids, EACH, replace=False))
        act = Act(LEAD, leads, seconds=float(rng.uniform(20, 40)), ease=EASES[number % len(EASES)])
        scene, _ = add_cue(scene, Cue("", "", When(KEY, key="A"), act, Then(1.0, BACK, 20.0), carry=bool(number % 2)))
    return scene


def steps() -> list[Row]:
    runner = Runner(crowd())
    for n in range(3):
        runner.key(0.1 * n, "A")
    times, rng = count(1), np.random.default_rng(5)
    part, goals = rng.normal(size=(CUES, TARGETS)), rng.normal(size=CUES)

    def step() -> object:
        runner.advance(1.0 + next(times) / 6000)
        return runner.values()

    def plain() -> np.ndarray:
        return (part * goals[:, None]).sum(axis=0)

    t = medians({"step": step, "sum": plain}, rounds=200)
    assert len(runner.segments) > TARGETS * 0.9
    said = f"{len(runner.segments)} targets move; the plain sum of {CUES} × {TARGETS} numbers {ms(t['sum'])}"
    return [Row(f"a step of {CUES} cues over {TARGETS} targets, ms", t["step"] * 1000, GOAL_MS, True, said)]


def pages() -> list[Row]:
    out = []
    three = len(gzip.decompress((ASSETS / THREE).read_bytes()))
    with tempfile.TemporaryDirectory() as folder:
        for name in SAMPLES:
            page, glb = Path(folder) / f"{name}.html", Path(folder) / f"{name}.glb"
            write_page(page, sample(name))
            export(sample(name), glb)
            ratio = page.stat().st_size / (glb.stat().st_size + three)
            said = f"{page.stat().st_size / 1e6:.2f} MB; its glb {glb.stat().st_size / 1e6:.2f}, three.js {three / 1e6:.2f}"
            out.append(Row(f"the page of {name} / its glb and three.js", ratio, 1.4, True, said))
    return out


def rows() -> list[Row]:
    return steps() + pages()
