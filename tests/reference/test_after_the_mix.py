"""Bend, twist, taper and skins against their published formulas, and against general-purpose libraries."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation, Slerp

from fictilis.core.at_frame.after import After
from fictilis.core.at_frame.bending import deform
from fictilis.core.at_frame.pose import Pose
from fictilis.core.at_frame.skinning import blended, palette, through
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.rigs import set_skin
from fictilis.core.geometry.topology import triangles
from fictilis.core.rig.posing import euler_matrices, locals_of, pose_of, quaternions, rotations, worlds_of
from fictilis.core.scene.deformers import Deformer
from fictilis.core.scene.rigs import CLIP, TIME, Skin, turn_ids
from fictilis.core.scene.scene import Scene
from tests.rigged import bound_to, chain

LOW, HIGH = np.array([-2.0, -5.0, -3.0]), np.array([2.0, 7.0, 3.0])
ENDS = (LOW, HIGH)
CLOUD = np.random.default_rng(2).uniform(LOW - 2, HIGH + 2, (500, 3))
RANGES = [(0.0, 1.0, 0.0), (0.25, 0.8, 0.25), (0.1, 0.9, 0.5)]


def limits(low, high, still):
    """y from which to which, and where it is still, in cm."""
    return tuple(LOW[1] + part * (HIGH[1] - LOW[1]) for part in (low, high, still))


@pytest.mark.parametrize(("low", "high", "still"), RANGES)
@pytest.mark.parametrize("degrees", [170.0, -35.0, 400.0])
def test_a_bend_along_y_is_barrs(degrees, low, high, still):
    """Source: Barr (1984), Global and Local Deformations of Solid Primitives, SIGGRAPH 84, section 4 (equations 4.1a-c)."""
    y_min, y_max, y_0 = limits(low, high, still)
    k = np.radians(degrees) / (y_max - y_min)
    x, y, z = (CLOUD - (LOW + HIGH) * [0.5, 0, 0.5]).T
    clamped = np.clip(y, y_min, y_max)
    theta = k * (clamped - y_0)
    c, s = np.cos(theta), np.sin(theta)
    wanted_y = -s * (z - 1 / k) + y_0
    wanted_z = c * (z - 1 / k) + 1 / k
    wanted_y += np.where(y < y_min, c * (y - y_min), np.where(y > y_max, c * (y - y_max), 0.0))
    wanted_z += np.where(y < y_min, s * (y - y_min), np.where(y > y_max, s * (y - y_max), 0.0))
    found = deform(Deformer("bend", low=low, high=high, still=still), degrees, ENDS, CLOUD)
    assert np.allclose(found, np.stack([x, wanted_y, wanted_z], axis=1) + (LOW + HIGH) * [0.5, 0, 0.5], atol=1e-9)


@pytest.mark.parametrize("axis", "xyz")
@pytest.mark.parametrize(("low", "high", "still"), RANGES)
def test_a_twist_and_a_taper_are_barrs_about_any_axis(axis, low, high, still):
    """Source: Barr (1984), section 2 (tapering, 2.1) and section 3 (axial twists, 3.1)."""
    a = "xyz".index(axis)
    b, c = (a + 1) % 3, (a + 2) % 3
    run = (np.clip((CLOUD[:, a] - LOW[a]) / (HIGH - LOW)[a], low, high) - still) / (high - low)
    middle = (LOW + HIGH) / 2
    side = CLOUD - middle
    theta = np.radians(250.0) * run
    wanted = CLOUD.copy()
    wanted[:, b] = middle[b] + side[:, b] * np.cos(theta) - side[:, c] * np.sin(theta)
    wanted[:, c] = middle[c] + side[:, b] * np.sin(theta) + side[:, c] * np.cos(theta)
    assert np.allclose(deform(Deformer("twist", axis, low, high, still), 250.0, ENDS, CLOUD), wanted, atol=1e-9)
    factor = 1 - 0.7 * run
    wanted[:, b], wanted[:, c] = middle[b] + factor * side[:, b], middle[c] + factor * side[:, c]
    assert np.allclose(deform(Deformer("taper", axis, low, high, still), -0.7, ENDS, CLOUD), wanted, atol=1e-9)


def jacobians(move, points, step=1e-5):
    ends = [(move(points + step * e) - move(points - step * e)) / (2 * step) for e in np.eye(3)]
    return np.linalg.det(np.stack(ends, axis=2))


def test_a_twist_keeps_the_volume_and_a_taper_and_a_bend_change_it_as_they_must():
    """Source: Barr (1984): the Jacobian of a twist is 1, of a taper r squared, of a bend 1 - k z."""
    inside = np.random.default_rng(5).uniform(LOW + 0.1, HIGH - 0.1, (300, 3))
    twist = Deformer("twist", low=0.2, high=0.9)
    assert np.allclose(jacobians(lambda p: deform(twist, 300.0, ENDS, p), inside), 1.0, atol=1e-6)
    run = (inside[:, 1] - LOW[1]) / 12.0
    taper = Deformer("taper")
    assert np.allclose(jacobians(lambda p: deform(taper, 0.8, ENDS, p), inside), (1 + 0.8 * run) ** 2, atol=1e-6)
    k = np.radians(120.0) / 12.0
    bend = Deformer("bend")
    assert np.allclose(jacobians(lambda p: deform(bend, 120.0, ENDS, p), inside), 1 - k * inside[:, 2], atol=1e-6)
    scene, box = add_form(Scene(), "Box", {"segments": 24})  # a mesh of it, by the divergence theorem
    base, faces = scene.object(box).base, triangles(scene.object(box).geometry).corners.reshape(-1, 3)
    faces = scene.object(box).geometry.corners[faces]
    ends = base.min(axis=0), base.max(axis=0)
    volumes = [np.linalg.det(shape[faces]).sum() / 6 for shape in (base, deform(Deformer("twist"), 90.0, ends, base))]
    assert volumes[1] == pytest.approx(volumes[0], rel=2e-3) and volumes[0] == pytest.approx(np.prod(np.ptp(base, axis=0)))


def test_rotations_and_their_numbers_are_scipys():
    rng = np.random.default_rng(1)
    degrees = rng.uniform([-180, -89, -180], [180, 89, 180], (200, 3))
    given = Rotation.from_euler("xyz", degrees, degrees=True)
    assert np.allclose(euler_matrices(degrees), given.as_matrix(), atol=1e-12)
    q = quaternions(given.as_matrix())
    assert np.allclose(np.abs((q * given.as_quat()).sum(axis=1)), 1.0, atol=1e-12)
    assert np.allclose(rotations(q), given.as_matrix(), atol=1e-12)


def test_joints_turn_between_samples_as_scipys_slerp():
    """Source: glTF 2.0, appendix C.4, spherical linear interpolation; SciPy's Slerp."""
    rig = chain()
    track = rig.clips[0].tracks[1]
    seconds = np.linspace(0, 0.5, 40)
    wanted = Slerp(track.times, Rotation.from_quat(track.values))(seconds).as_matrix()
    assert np.allclose(locals_of(rig, 0, seconds)[:, 1, :3, :3], wanted, atol=1e-6)


def values(skin, seconds, clip=0):
    return dict.fromkeys(turn_ids(skin.rig), 0.0) | {TIME: seconds, CLIP: float(clip)}


@pytest.mark.parametrize("clip", [0, 1])
def test_linear_skinning_is_the_formula_of_gltf(clip):
    """Source: glTF 2.0, 3.7.3.1: jointMatrix(j) = globalTransformOfJointNode(j) * inverseBindMatrixForJoint(j), and the
    weighted sum of these."""
    points = CLOUD[:120]
    skin = Skin(bound_to(chain(), points))
    bound, rig = skin.bound, skin.rig
    own = locals_of(rig, clip, np.array([0.31]))[0]
    worlds = []
    for number, parent in enumerate(rig.parents.tolist()):
        worlds.append(own[number] if parent < 0 else worlds[parent] @ own[number])
    wanted = np.zeros((len(points), 3))
    for n, point in enumerate(points):
        for part, weight in zip(bound.parts[n], bound.weights[n], strict=True):
            wanted[n] += weight * (worlds[bound.joints[part]] @ bound.inverse[part] @ [*point, 1.0])[:3]
    found = through(blended(bound, palette(bound, pose_of(skin, values(skin, 0.31, clip)))), points)
    assert np.allclose(found, wanted, atol=1e-9)
    assert np.allclose(worlds_of(rig, own[None])[0], worlds)


def test_dual_quaternions_of_one_joint_are_its_rigid_motion_by_scipys_rotations():
    """Source: Kavan et al. (2007): one transformation alone is reproduced; of two that turn about one axis, each in half, the
    blend turns by half and keeps lengths."""
    points = CLOUD[:60]
    bound = bound_to(chain(), points)
    turn = Rotation.from_euler("xyz", [40, -70, 110], degrees=True)
    matrices = np.tile(np.eye(4), (3, 1, 1))
    matrices[:, :3, :3], matrices[:, :3, 3] = turn.as_matrix(), [3.0, -2.0, 1.0]
    assert np.allclose(through(blended(bound, matrices, dual=True), points), turn.apply(points) + [3, -2, 1], atol=1e-5)
    two = Skin(bound).bound
    half = type(two)(two.rig, two.joints, two.inverse, np.tile([0, 1], (60, 1)), np.full((60, 2), 0.5), np.eye(4), np.eye(4))
    matrices[0], matrices[1] = np.eye(4), np.eye(4)
    matrices[1, :3, :3] = Rotation.from_euler("y", 160, degrees=True).as_matrix()
    wanted = Rotation.from_euler("y", 80, degrees=True).apply(points)
    assert np.allclose(through(blended(half, matrices, dual=True), points), wanted, atol=1e-6)
    linear = through(blended(half, matrices), points)  # which collapses
    assert (
        np.linalg.norm(linear[:, [0, 2]], axis=1).max() < 0.2 * np.linalg.norm(points[:, [0, 2]], axis=1).max()
    )  # it collapses
    grown = matrices.copy()
    grown[:, :3, :3] = np.diag([2.0, 2.0, 2.0])
    assert np.allclose(through(blended(bound, np.tile(grown[:1], (3, 1, 1)), dual=True), points), 2 * points, atol=1e-5)


@pytest.mark.parametrize("dual", [False, True])
def test_a_posed_mesh_is_where_openusd_puts_it(dual, tmp_path):
    """Source: OpenUSD's own evaluation (UsdSkel.BakeSkinning), of what is written for it."""
    from pxr import Usd, UsdGeom, UsdSkel

    from fictilis.formats.usd_writing import write_usd
    from tests.rigged import rigged

    scene, obj = add_form(Scene(end=12.0), "Globe", {"radius": 6.0})
    scene = rigged(scene, obj, dual=dual)
    write_usd(tmp_path / "a.usda", scene)
    stage = Usd.Stage.Open(str(tmp_path / "a.usda"))
    root = UsdSkel.Root(next(p for p in stage.Traverse() if p.IsA(UsdSkel.Root)))
    assert UsdSkel.BakeSkinning(root)
    mesh = UsdGeom.Mesh(next(p for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)))
    for frame in (0.0, 5.0, 12.0):
        place = np.array(UsdGeom.Xformable(mesh).ComputeLocalToWorldTransform(frame))
        points = np.array(mesh.GetPointsAttr().Get(frame)) @ place[:3, :3] + place[3, :3]
        assert np.abs(points - Pose(scene, scene.object(obj), frame).points).max() < 1e-4


def test_a_stroke_in_the_pose_goes_back_through_each_points_blended_matrix():
    """Source: own derivation: offsets in the pose are multiplied by the inverse of what the point goes through."""
    scene, obj = add_form(Scene(), "Globe", {"radius": 6.0})
    base = scene.object(obj).base
    scene = set_skin(scene, obj, Skin(bound_to(chain(), base)))
    skin = scene.object(obj).skin
    after = After(scene.object(obj), values(skin, 0.2))
    from fictilis.core.scene.scene import Deltas

    rows, moved = np.arange(len(base), dtype=np.int32), np.random.default_rng(4).normal(size=base.shape)
    back, left = after.back(base, Deltas(rows, moved))
    linear = blended(skin.bound, palette(skin.bound, pose_of(skin, values(skin, 0.2))))[:, :, :3]
    kept = np.abs(np.linalg.det(linear)) >= 1e-3
    wanted = np.linalg.solve(linear[kept], moved[kept][:, :, None])[:, :, 0]
    assert left == (~kept).sum() and np.allclose(back.offsets, wanted, atol=1e-5)


def test_a_mirrored_joint_mirrors_by_both_ways():
    """Source: a single transformation is itself, whatever the blend (Kavan et al. 2007, with scale kept apart)."""
    points = CLOUD[:40]
    bound = bound_to(chain(), points)
    matrices = np.tile(np.diag([-1.0, 1.0, 1.0, 1.0]), (3, 1, 1))
    for dual in (False, True):
        assert np.allclose(through(blended(bound, matrices, dual=dual), points), points * [-1, 1, 1], atol=1e-5)
