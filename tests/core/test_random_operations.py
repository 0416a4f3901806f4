"""Operations of the table in any order, on a scene in which every feature meets every other: whatever they make is finite,
mixed alike by every door, and opens as it was saved. A few here, thousands in ``make soak``."""

import os
import random
from contextlib import suppress

import numpy as np
import pytest

from fictilis.core.checks.checks import run_checks
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.errors import EditRefused, FictilisError
from fictilis.core.ground.parameters import Choice, Flag, Number, Span, Text
from fictilis.core.mix.acting import shares_at, weights_at
from fictilis.core.mix.channels import channels, values_at
from fictilis.core.mix.delta_bank import DeltaBank
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Kept, Subject
from fictilis.formats.gltf import write_gltf
from fictilis.formats.native import read_native, write_native
from tests.mixes import mix_at, mixes_over
from tests.sameness import same

FIRST, COUNT = int(os.environ.get("FICTILIS_SOAK", "1")), int(os.environ.get("FICTILIS_SOAK_SEEDS", "200"))
RICH = ("sweep", "link", "unlink", "follow", "plain", "corrective", "remove", "duplicate", "mirror", "copy", "split", "group",
        "ungroup")  # fmt: skip
RICHER = [o for o in OPERATIONS.values() if o.part in ("relay", "clip", "line") or o.verb.startswith(RICH)]
WORDS = ("A", "Left", "Right", "0=0,1=1", "1,0.5", "", None)


def some_value(parameter, subject, rng):
    """A value that a parameter may take, or may refuse."""
    if isinstance(parameter, Number):
        low, high = max(parameter.low, -50.0), min(parameter.high, 50.0)
        return rng.choice([None, low, high, rng.uniform(low, high), round(rng.uniform(low, high))])
    if isinstance(parameter, Choice):
        return rng.choice(parameter.options)[0]
    if isinstance(parameter, Flag):
        return rng.random() < 0.4
    if isinstance(parameter, Span):
        first = rng.randint(0, 40)
        return float(first), float(first + rng.randint(1, 40))
    if isinstance(parameter, Kept):
        return rng.choice(parameter.among(subject) or [None])
    if isinstance(parameter, Text):
        return rng.choice(WORDS)
    return rng.choice([value for _, value in parameter.options(subject)] or [None])


def some_subject(scene, rng) -> Subject:
    obj = rng.choice(scene.objects)
    frame = float(rng.randint(0, 60))
    targets = tuple(t.id for t in rng.sample(obj.targets, min(len(obj.targets), rng.randint(1, 3))))
    refs = [c.ref for c in channels(obj)]
    keyed = [ref for ref in refs if obj.lane(ref.channel) is not None]
    lanes = tuple(rng.sample(keyed, min(3, len(keyed))))
    keys = frozenset(KeyRef(*ref, rng.choice(obj.lane(ref.channel).curve.keys).frame) for ref in lanes)
    pick = Pick("points", rng.sample(range(len(obj.base)), min(3, len(obj.base))))
    return Subject(scene, obj.id, targets, pick, "points", lanes, tuple(rng.sample(refs, 2)), keys, frame, (0.0, 40.0),
                   weights_at(obj, frame))  # fmt: skip


def look_at(scene, frame: float) -> None:
    """Every door gives the same finite points."""
    for obj in scene.objects:
        points = mix_at(obj, frame)
        within = 1e-6 * max(1.0, float(np.abs(points).max(initial=0.0)))
        assert np.isfinite(points).all()
        assert np.allclose(DeltaBank(obj).mix(shares_at(obj, frame)), points, atol=within)
        assert np.allclose(mixes_over(obj, [frame - 0.5, frame])[1], points, atol=within)
        over = values_at(obj, np.array([frame, frame + 7.3]))
        assert all(np.isclose(over[name][0], value) for name, value in values_at(obj, frame).items())


def run(start, seed: int, steps: int, path) -> int:
    """How many operations were made."""
    rng, scene, made = random.Random(seed), start, 0
    for step in range(steps):
        if not scene.objects:
            break
        operation = rng.choice(RICHER if rng.random() < 0.5 else list(OPERATIONS.values()))
        if sum(len(o.base) for o in scene.objects) > 3000 and operation.verb == "subdivide":
            continue
        subject = some_subject(scene, rng)
        try:
            given = {p.name: some_value(p, subject, rng) for p in operation.parameters if p.needed or rng.random() < 0.6}
            scene = operation.make(subject, {name: value for name, value in given.items() if value is not None}).scene
        except EditRefused:
            continue
        made += 1
        look_at(scene, subject.frame)
        if step % 5 == 4:
            write_native(path / "s.fictilis", scene)
            assert same(read_native(path / "s.fictilis"), scene), (seed, step, operation.id)
    run_checks(scene)
    with suppress(FictilisError):  # nothing is left that has faces
        write_gltf(path / "s.glb", scene)
    return made


@pytest.mark.parametrize("seed", [1, 25, 1088])
def test_a_few_operations_in_any_order(everything, seed, tmp_path):
    assert run(everything, seed, 40, tmp_path) > 5


@pytest.mark.soak
@pytest.mark.timeout(3600)
def test_thousands_of_operations_in_any_order(everything, tmp_path):
    assert sum(run(everything, seed, 80, tmp_path) for seed in range(FIRST, FIRST + COUNT)) > COUNT
