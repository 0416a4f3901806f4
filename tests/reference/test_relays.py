"""Relays against SciPy's splines, arc length by quadrature, and facts of replacement animation."""

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.interpolate import CubicSpline

from fictilis.core.edits import relays, targets, timing
from fictilis.core.edits.objects import add_object
from fictilis.core.geometry.primitives import plane
from fictilis.core.mix.relay import poses
from fictilis.core.scene.scene import Scene
from tests.mixes import mixes_over


def made(count: int, closed: bool, seed: int, path: str = "through"):
    """A relay of random shapes at random whole frames: the scene, its ids, frames (n,), and points (n, p, 3)."""
    rng = np.random.default_rng(seed)
    base, mesh = plane(8.0, 6.0, 3, 2)
    scene, obj = add_object(Scene(), "Sheet", mesh, base)
    shapes = [base + rng.normal(size=base.shape) for _ in range(count - closed)]
    ids = []
    for number, points in enumerate(shapes):
        scene, new = targets.target_from_points(scene, obj, f"S{number}", points)
        ids.append(new)
    frames = np.cumsum(rng.integers(1, 12, count)).astype(float)
    scene, group = relays.make_relay(scene, obj, ids, "Row", 0.0, 1.0, "linear", path)
    row = [*ids, ids[0]] if closed else ids
    if closed:
        scene = relays.set_pose(scene, obj, group, float(count - 1), ids[0])
    scene = relays._placed(scene, obj, group, frames)
    return scene, obj, group, frames, np.array([shapes[ids.index(t)] for t in row])


@pytest.mark.parametrize("closed", [False, True], ids=["natural", "periodic"])
@pytest.mark.parametrize("count", [2, 3, 4, 5, 9, 40])
def test_through_the_row_is_the_cubic_spline_of_scipy(count, closed):
    """SciPy's CubicSpline (bc_type natural and periodic), through the points of the shapes over time."""
    if closed and count < 3:
        count = 3
    scene, obj, _group, frames, points = made(count, closed, 7 * count)
    spline = CubicSpline(frames, points, bc_type="periodic" if closed else "natural")
    at = np.linspace(frames[0], frames[-1], 211)
    assert np.abs(mixes_over(scene.object(obj), at) - spline(at)).max() < 1e-8


@pytest.mark.parametrize(("path", "closed", "within"), [("straight", False, 1e-9), ("through", False, 1e-4),
                                                        ("through", True, 1e-4)])  # fmt: skip
def test_spread_by_distance_every_stretch_has_one_speed(path, closed, within):
    """Arc length of each stretch by SciPy's adaptive quadrature, of all points together, over its frames."""
    scene, obj, group, _frames, _points = made(7, closed, 5, path)
    even = relays.spread(scene, obj, group, by_distance=True, whole=False)
    owner = even.object(obj)
    at = np.array([k.frame for k in poses(owner, group)])

    def speed(frame: float) -> float:
        tiny = 1e-4
        a, b = mixes_over(owner, [frame - tiny, frame + tiny])
        return float(np.linalg.norm(b - a)) / (2 * tiny)

    lengths = [quad(speed, a + 1e-3, b - 1e-3, limit=60)[0] / (b - a - 2e-3) for a, b in zip(at, at[1:], strict=False)]
    assert np.ptp(lengths) / np.mean(lengths) < max(within, 2e-3)


@pytest.mark.parametrize(("count", "seconds", "fps"), [(25, 1.0, 24.0), (13, 2.0, 24.0), (31, 1.0, 30.0)])
def test_shapes_spread_over_seconds_stand_evenly(count, seconds, fps):
    """n shapes spread over s seconds stand s·fps/(n - 1) frames apart (common practice, no published source)."""
    scene, obj, group, _frames, _points = made(count, False, 2, "straight")
    first = poses(scene.object(obj), group)[0].frame
    scene = relays._placed(scene, obj, group, np.append(first + np.arange(count - 1), first + seconds * fps))
    even = relays.spread(scene, obj, group)
    assert np.allclose(np.diff([k.frame for k in poses(even.object(obj), group)]), seconds * fps / (count - 1))


@pytest.mark.parametrize("step", [1.0, 2.0, 3.0])
def test_on_twos_a_picture_stands_two_frames(step):
    """Replacement animation: on ones, twos and threes a shape stands so many frames (common practice, no published source)."""
    scene, obj, group, _frames, points = made(6, False, 4, "straight")
    scene = relays.on_frames(scene, obj, group, step)
    first = poses(scene.object(obj), group)[0].frame
    shown = mixes_over(scene.object(obj), first + np.arange(6 * step))
    assert np.allclose(shown, np.repeat(points, int(step), axis=0))


def test_first_and_last_alike_close_the_loop():
    """A loop has no seam where first = last, in place and, led through, in speed (common practice, no published source)."""
    scene, obj, group, frames, _points = made(8, False, 9)
    scene = timing.close_loop(Scene("", 24.0, frames[0], frames[-1] + 6, scene.objects), [(obj, group)])
    owner, end = scene.object(obj), scene.end
    a, b, c, d = mixes_over(owner, [frames[0], frames[0] + 1e-4, end - 1e-4, end])
    assert np.allclose(a, d, atol=1e-9) and np.allclose((b - a) / 1e-4, (d - c) / 1e-4, atol=2e-3)
