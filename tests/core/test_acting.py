"""The one door from numbers to coefficients, and that each moment goes through it once."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.animation.lane_bank import LaneBank
from fictilis.core.channels import stand_at, values_at
from fictilis.core.checks import run_checks
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.shape import ShapeRef
from fictilis.core.edits.targets import change_group, group_targets, set_muted, target_from_points
from fictilis.core.mix.acting import acting_weights, shares_at, weights_at
from fictilis.render.stage import Stage, StageWish

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
        values_at(obj, 4.0, posed), weights_at(obj, 4.0, posed), stand_at(obj, 4.0, posed), shares_at(obj, 4.0, posed)
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


def test_frames_that_are_all_posed_have_shares_each(sheet):
    frames = np.array([0.0, 3.0, 9.0])
    posed = {"t1": 0.25, "t2": 0.5}
    found = shares_at(sheet.object("o1"), frames, posed)
    assert found.shape == (2, 3) and np.array_equal(found, np.repeat([[0.25], [0.5]], 3, axis=1))
    assert shares_at(replace(sheet.object("o1"), targets=()), frames, {}).shape == (0, 3)
