"""Point springs against the damped oscillator of the handbooks, against SciPy's simulation, and at any order of asking."""

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.signal import lsim

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.at_frame.pose import Pose, evaluate, placement
from fictilis.core.at_frame.springs import in_time, steps_of
from fictilis.core.edits.correctives import set_follow
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_beyond, set_key
from fictilis.core.edits.rigs import turn_joint
from fictilis.core.edits.springs import bake_spring, set_spring
from fictilis.core.edits.targets import target_from_points
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.rigs import angle_id
from fictilis.core.scene.rules import Follow
from fictilis.core.scene.scene import Scene
from tests.mixes import mix_at
from tests.rigged import rigged

MASS = 1.5
SPRINGS = {"under": (180.0, 12.0), "critical": (150.0, 30.0), "over": (60.0, 60.0), "free": (90.0, 0.0)}


@pytest.fixture(scope="module")
def wave():
    """A line whose weight jumps from 0 to 1 between the first two frames, and whose object moves on."""
    scene, line = add_form(Scene(end=60.0), "Wave", {"points": 12})
    base = scene.object(line).base
    scene, up = target_from_points(scene, line, "Up", base + [0, 10, 0])
    for frame, value in ((0, 0.0), (1, 1.0), (30, 1.0), (40, 0.2)):
        scene = set_key(scene, line, up, Key(frame, value, "linear"))
    return scene


def sprung(scene, **values):
    return set_spring(scene, "o1", PointSpring(**values))


@pytest.mark.parametrize("kind", SPRINGS)
def test_a_step_is_the_oscillation_of_the_handbooks(wave, kind):
    """Source: the response of m y'' + c y' + k y = k u to a ramp, solved at once for the whole of it by SciPy's lsim."""
    stiffness, damping = SPRINGS[kind]
    scene = sprung(wave, stiffness=stiffness, damping=damping, mass=MASS)
    fine = np.linspace(0, 60 / 24, 6001)
    height = np.array([mix_at(replace(scene.objects[0], spring=None), f * 24)[0, 1] for f in fine])
    state = [[0, 1], [-stiffness / MASS, -damping / MASS]]
    _, seen, _ = lsim((state, [[0], [stiffness / MASS]], [[1, 0]], [[0]]), height, fine, X0=[height[0], 0])
    for frame in (0.5, 1.0, 7.0, 30.25, 55.0):
        found = Pose(scene, scene.objects[0], frame).points[0, 1]
        assert found == pytest.approx(float(np.interp(frame / 24, fine, seen)), abs=2e-4)


def test_two_in_a_row_are_the_second_following_the_first():
    """Source: the product of the two transfer functions, of fourth order, by lsim."""
    spring, seconds = PointSpring(stiffness=180.0, damping=12.0, twice=True), 0.2
    state, place, way = steps_of(spring, np.array([MASS]), seconds)
    k, c = 180 / MASS, 12 / MASS
    poly = np.polymul([1, c, k], [1, c, k])
    fine = np.linspace(0, seconds, 2001)
    for signal, found in ((np.ones(2001), place[2, 0]), (fine / seconds, way[2, 0])):
        _, seen, _ = lsim(([k * k], poly), signal, fine)
        assert found == pytest.approx(seen[-1], abs=1e-8)
    assert np.allclose(steps_of(spring, np.array([MASS]), 0.0)[0][..., 0], np.eye(4))


def test_what_weighs_nothing_stays_and_what_is_heavier_lags_more(wave):
    scene = sprung(wave, mass=2.0, field=np.linspace(0, 1, 12), damping=4.0)
    obj = scene.objects[0]
    gone = Pose(scene, obj, 1.5).points[:, 1] - obj.base[:, 1]
    assert gone[0] == pytest.approx(10) and (np.diff(gone) < 0).all()
    resting = sprung(wave, on=False)
    assert np.array_equal(Pose(resting, resting.objects[0], 3.0).points, mix_at(wave.objects[0], 3.0))


def test_a_place_does_not_depend_on_which_others_were_asked(wave):
    """Also with states that are kept only now and then."""
    frames = [0.0, 3.0, 3.4, 17.0, 44.25, 60.0]
    scene = sprung(wave, twice=True)
    wanted = [Pose(scene, scene.objects[0], f).points for f in frames]
    for every, order in ((1, [5, 0, 3, 4, 1, 2]), (7, [2, 5, 1, 4, 0, 3])):
        again = sprung(wave, twice=True)
        run = Pose(again, again.objects[0], 0.0).run
        run._every = every
        for n in order:
            assert np.allclose(run.points(again, frames[n]), wanted[n], atol=1e-12)
    with in_time(-1.0) as asked:
        assert run.points(again, 52.0) is None and asked.late
    assert run.points(again, 52.0) is not None


def test_points_lag_behind_the_objects_own_motion_unless_it_is_the_mix_only(wave):
    scene = wave
    for frame, value in ((0, 0.0), (10, 50.0)):
        scene = set_key(scene, "o1", "position.x", Key(frame, value, "linear"))
    moving = sprung(scene, damping=20.0)
    seen = Pose(moving, moving.objects[0], 5.0).points[0, 0] + placement(moving, moving.objects[0], 5.0).transform.position[0]
    assert scene.objects[0].base[0, 0] < seen < scene.objects[0].base[0, 0] + 24
    still = sprung(scene, damping=20.0, mix=True)
    assert Pose(still, still.objects[0], 5.0).points[0, 0] == pytest.approx(scene.objects[0].base[0, 0])


def test_what_repeats_has_settled_when_the_range_begins():
    scene, line = add_form(Scene(end=23.0), "Circle", {"points": 8})
    scene, up = target_from_points(scene, line, "Up", scene.object(line).base + [0, 10, 0])
    for frame, value in ((0, 0.0), (12, 1.0), (24, 0.0)):
        scene = set_key(scene, line, up, Key(frame, value))
    scene = sprung(set_beyond(scene, line, up, "repeat", "repeat"))
    first, last = (Pose(scene, scene.objects[0], f).points for f in (0.0, 24.0))
    assert np.abs(first - last).max() < 0.01 * 10 and np.abs(first - scene.objects[0].base).max() > 0.1


def test_baked_targets_move_as_the_springs_did(wave):
    scene = sprung(wave, mass=2.0, field=np.linspace(0.1, 1, 12), twice=True)
    baked, made, off = bake_spring(scene, "o1", within=0.005)
    assert off <= 0.005 and 1 < len(made) < 12 and baked.objects[0].spring is None
    for frame in (0.0, 13.0, 50.0):
        apart = evaluate(baked, frame)["Wave"] - evaluate(scene, frame)["Wave"]
        assert np.abs(apart).max() <= 0.0051


def oscillation(seconds, stiffness, damping, mass):
    """From 0 to 1 at once, under-damped. Source: Meirovitch, Fundamentals of Vibrations, the step response."""
    slow = damping / mass / 2
    fast = np.sqrt(stiffness / mass - slow**2)
    return 1 - np.exp(-slow * seconds) * (np.cos(fast * seconds) + slow / fast * np.sin(fast * seconds))


@pytest.mark.parametrize("at", [10.0, 10.4])
@pytest.mark.parametrize("damping", [12.0, 0.0])
def test_a_held_step_begins_at_its_key_and_swings_as_the_handbooks_have_it(wave, at, damping):
    scene, line = add_form(Scene(end=60.0), "Wave", {"points": 12})
    scene, up = target_from_points(scene, line, "Up", scene.object(line).base + [0, 10, 0])
    scene = set_key(set_key(scene, line, up, Key(0, 0.0, "hold")), line, up, Key(at, 1.0, "hold"))
    scene = sprung(scene, stiffness=180.0, damping=damping, mass=1.5)
    for frame in (60.0, 3.0, at, at + 0.3, 11.0, 12.5, 30.0):
        gone = (Pose(scene, scene.objects[0], frame).points - scene.objects[0].base)[:, 1]
        wanted = 10 * oscillation((frame - at) / 24, 180.0, damping, 1.5) if frame > at else 0.0
        assert np.allclose(gone, wanted, atol=1e-7)


def test_a_repeated_curve_jumps_at_each_of_its_seams(wave):
    """A saw of period 5: it equals the same saw keyed by hand with held keys beside it."""
    scene, line = add_form(Scene(end=40.0), "Wave", {"points": 12})
    scene, up = target_from_points(scene, line, "Up", scene.object(line).base + [0, 10, 0])
    scene = set_key(set_key(scene, line, up, Key(0, 0.0, "hold")), line, up, Key(5, 1.0, "hold"))
    repeated = sprung(set_beyond(set_key(scene, line, up, Key(9, 0.0, "hold")), line, up, after="repeat"), damping=2.0)
    for turn in range(5):
        scene = set_key(scene, line, up, Key(9.0 * turn, 0.0, "hold"))
        scene = set_key(scene, line, up, Key(9.0 * turn + 5, 1.0, "hold"))
    scene = sprung(scene, damping=2.0)
    for frame in (8.0, 13.0, 22.5, 39.0):
        assert np.allclose(Pose(repeated, repeated.objects[0], frame).points, Pose(scene, scene.objects[0], frame).points)


@pytest.mark.parametrize("twice", [False, True])
def test_each_mass_is_its_own_however_light_it_is_beside_others(wave, twice):
    """A point of a hundredth moves as a point of that mass does by itself."""
    field = np.full(12, 1.0)
    field[[2, 5, 7]] = 0.01, 0.0137, 0.5
    together = sprung(wave, mass=2.0, field=field, damping=8.0, twice=twice)
    for frame in (1.5, 7.0, 33.25):
        seen = Pose(together, together.objects[0], frame).points
        for point in (2, 5, 7, 0):
            alone = sprung(wave, mass=2.0 * field[point], damping=8.0, twice=twice)
            assert np.allclose(seen[point], Pose(alone, alone.objects[0], frame).points[point], atol=1e-9)


def test_a_joint_turned_by_hand_begins_the_motion_anew(wave):
    """A weight follows the joint's angle: nothing of what was worked out before is shown."""
    scene, ball = add_form(Scene(end=40.0), "Ball", {"radius": 4.0})
    scene, up = target_from_points(scene, ball, "Up", scene.object(ball).base + [0, 10, 0])
    scene = rigged(scene, ball)
    scene = set_follow(scene, ball, up, Follow(angle_id(1), AnimationCurve((Key(0, 0.0, "linear"), Key(90, 1.0, "linear")))))
    scene = set_spring(scene, ball, PointSpring(damping=4.0))
    before = Pose(scene, scene.object(ball), 12.0).points
    turned = turn_joint(scene, ball, 1, {"x": 60.0})
    seen = Pose(turned, turned.object(ball), 12.0).points
    anew = set_spring(turned, ball, PointSpring(damping=4.0))
    assert np.allclose(seen, Pose(anew, anew.object(ball), 12.0).points) and np.abs(seen - before).max() > 1
