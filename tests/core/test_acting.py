"""The one door from numbers to coefficients, and that each moment goes through it once."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.checks import run_checks
from fictilis.core.edits.correctives import set_follow, set_rule
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.relays import make_relay
from fictilis.core.edits.sweeps import set_sweep
from fictilis.core.edits.targets import change_group, group_targets, set_muted, target_from_points
from fictilis.core.mix.acting import acting_weights, shares_at, weights_at
from fictilis.core.mix.channels import channels, own_placement, values_at
from fictilis.core.mix.lane_bank import LaneBank
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.rules import Driver, Follow, Rule
from fictilis.core.scene.sweep import Sweep
from fictilis.core.shaping.fields import along_axis
from fictilis.render.stage import Stage, StageWish
from tests.rigged import rigged

OBJ = "o1"


def test_a_group_and_mute_act_at_one_door(sheet):
    """Alone, in a group of a small factor, muted: what acts, what shows of a stroke, and what a lifted shape shows."""
    grouped, group = group_targets(sheet, OBJ, ["t1"], "Sides")
    for factor, muted in ((1.0, False), (0.05, False), (0.0, False), (-2.0, False), (0.5, True)):
        scene = set_muted(change_group(grouped, OBJ, group, factor=factor), OBJ, "t1", muted)
        obj = scene.object(OBJ)
        wanted = 0.0 if muted else 0.8 * factor
        assert acting_weights(obj, {"t1": 0.8, "t2": 0.3}) == {"t1": wanted, "t2": 0.3}
        assert shares_at(obj, 0.0, {"t1": 0.8})[0] == pytest.approx(wanted)
        wish = StageWish(scene, 0.0, {OBJ: {"t1": 0.8}}, current=OBJ, shaping=ShapeRef("t1"))
        (item,) = Stage().items(wish)
        assert item.share == pytest.approx(0.0 if muted else wanted if abs(wanted) >= 0.1 else 1.0)


def test_one_moment_is_evaluated_once_however_many_ask(sheet, monkeypatch):
    scene = set_key(set_key(sheet, OBJ, "t1", Key(0, 0)), OBJ, "position.x", Key(10, 3))
    obj, asked = scene.object(OBJ), []
    at = LaneBank.at
    monkeypatch.setattr(LaneBank, "at", lambda self, *args: asked.append(1) or at(self, *args))
    for posed in ({"t2": 0.5}, {"t2": 0.5}):
        values_at(obj, 4.0, posed), weights_at(obj, 4.0, posed), own_placement(obj, 4.0, posed), shares_at(obj, 4.0, posed)
    assert len(asked) == 1
    with pytest.raises(TypeError):
        values_at(obj, 4.0)["t1"] = 3.0
    with pytest.raises(ValueError, match="read-only"):
        shares_at(obj, 4.0)[0] = 3.0


@pytest.mark.parametrize(("factor", "count"), [(1.0, 1), (0.5, 0), (0.7, 1), (-1.0, 0)])
def test_a_pile_up_is_of_what_the_weights_amount_to(sheet, factor, count):
    scene, rise = target_from_points(sheet, OBJ, "Rise", sheet.object(OBJ).base + [0, 6.0, 0])
    scene, group = group_targets(scene, OBJ, ["t1", rise], "Sides")
    for target in ("t1", rise):
        scene = set_key(scene, OBJ, target, Key(0, 1.0))
    piles = [f for f in run_checks(change_group(scene, OBJ, group, factor=factor)) if f.check == "pile"]
    assert len(piles) == count and all(f"add up to {2 * factor:.2f}" in pile.sentence for pile in piles)
    assert all(not [f for f in run_checks(pile.mend(scene)) if f.check == "pile"] for pile in piles if factor == 1.0)


LED = Follow("position.x", AnimationCurve((Key(0, 0), Key(3, 1))))
ALIVE = {
    "nothing": lambda scene: scene,
    "a weight follows a channel": lambda scene: set_follow(scene, OBJ, "t2", LED),
    "a weight follows a weight": lambda scene: set_follow(scene, OBJ, "t2", replace(LED, source="t1")),
    "a corrective": lambda scene: set_rule(scene, OBJ, "t2", Rule((Driver("t1"),))),
    "a front": lambda scene: set_sweep(scene, OBJ, "t1", Sweep(along_axis(scene.object(OBJ), 0))),
    "a relay": lambda scene: make_relay(scene, OBJ, ["t1", "t2"], "Row", 0.0, 12.0, "linear", "through")[0],
    "a rig": lambda scene: rigged(scene, OBJ),
}


@pytest.mark.parametrize("whole", ["one", "all"])
@pytest.mark.parametrize("alive", ALIVE)
def test_what_is_posed_over_frames_is_what_is_posed_at_each(sheet, alive, whole):
    scene = ALIVE[alive](set_key(set_key(sheet, OBJ, "position.x", Key(0, 1)), OBJ, "position.x", Key(12, 3)))
    obj, frames = scene.object(OBJ), np.array([0.0, 3.0, 9.0])
    names = ["t1"] if whole == "one" else [c.id for c in channels(obj) if c.part != "relay"]
    posed = {name: 0.25 + n for n, name in enumerate(names)}
    over, each = values_at(obj, frames, posed), [values_at(obj, float(f), posed) for f in frames]
    assert over.keys() == each[0].keys() and all(np.shape(value) == (3,) for value in over.values())
    assert all(np.allclose(over[name], [one[name] for one in each]) for name in over)
    assert np.allclose(shares_at(obj, frames, posed), np.transpose([shares_at(obj, float(f), posed) for f in frames]))
    assert shares_at(replace(sheet.object(OBJ), targets=()), frames, {}).shape == (0, 3)
