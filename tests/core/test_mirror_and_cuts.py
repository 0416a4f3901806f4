import numpy as np
import pytest

from fictilis.core.edits.objects import add_object
from fictilis.core.geometry.cuts import cuts_between, self_cuts
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.measures import displacement_lengths, stretch
from fictilis.core.geometry.primitives import ball, box, plane
from fictilis.core.geometry.topology import mesh_from_faces
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping.mirror import Mirror, mirror_map, unpaired


def one(points, mesh):
    scene, _ = add_object(Scene(), "Thing", mesh, points)
    return scene.objects[0]


@pytest.mark.parametrize("axis", [0, 1, 2])
@pytest.mark.parametrize("form", [lambda: ball(10.0, 6), lambda: box(10, 10, 10, 3), lambda: plane(40, 40, 5, 4)])
def test_by_topology_finds_what_by_position_finds_and_holds_on_when_it_is_uneven(axis, form):
    points, mesh = form()
    if np.ptp(points[:, axis]) == 0:
        return
    pairs = mirror_map(one(points, mesh), axis)
    assert np.array_equal(mirror_map(one(points, mesh), axis, by_topology=True), pairs)
    rng = np.random.default_rng(3)
    uneven = points + rng.normal(size=points.shape) * 0.25
    again = Mesh(mesh.point_count, mesh.corners, mesh.offsets)
    thing = one(uneven, again)
    assert unpaired(thing, Mirror("XYZ"[axis])) > len(points) // 2
    assert np.array_equal(mirror_map(thing, axis, by_topology=True), pairs)
    assert unpaired(thing, Mirror("XYZ"[axis], by_topology=True)) == 0


def test_a_mesh_without_a_mirror_image_is_refused_and_the_count_says_how_many_lack_one():
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0.5, 0.0]])
    thing = one(points, mesh_from_faces(5, [[0, 1, 2, 3], [1, 4, 2]]))
    with pytest.raises(EditRefused, match="Thing is not its own mirror image across X"):
        mirror_map(thing, 0, by_topology=True)
    assert unpaired(thing, Mirror("X")) == 3


def test_a_wider_tolerance_pairs_more():
    points, mesh = plane(40, 40, 4, 4)
    thing = one(points + np.random.default_rng(0).normal(size=points.shape) * 0.05, mesh)
    counts = [unpaired(thing, Mirror("X", tolerance=t)) for t in (1e-4, 1e-3, 1e-2)]
    assert counts[0] >= counts[1] > counts[2] == 0


def test_two_balls_cut_where_they_meet():
    points, mesh = ball(10.0, 10)
    other = points + [15.0, 0, 0]
    mine, its = cuts_between(mesh, points, mesh, other)
    assert 10 < len(mine) < mesh.face_count / 4
    middles = np.array([points[mesh.face(f)].mean(0) for f in mine])
    assert np.allclose(middles[:, 0], 7.5, atol=1.6)
    assert len(cuts_between(mesh, points, mesh, points + [25.0, 0, 0])[0]) == 0


def test_a_mesh_cuts_itself_only_where_it_does():
    points, mesh = plane(40, 40, 12, 12)
    assert len(self_cuts(mesh, points)) == 0
    rolled = points.copy()
    angle = points[:, 0] / 20 * 1.45 * np.pi
    radius = 8 + 3 * np.sin(angle * 1.5)
    rolled[:, 0], rolled[:, 1] = radius * np.cos(angle), radius * np.sin(angle)
    found = self_cuts(mesh, rolled)
    assert 0 < len(found) < mesh.face_count / 2
    assert len(self_cuts(mesh, rolled, np.zeros(len(points), int))) == 0


def test_stretch_and_displacement_by_hand():
    points, mesh = plane(10, 10, 1, 1)
    assert np.allclose(stretch(mesh, points, points * 2), 1.0) and np.allclose(stretch(mesh, points, points / 2), -1.0)
    wide = points * [4, 1, 1]
    assert np.allclose(stretch(mesh, points, wide), 1.0)  # log2 4 along X, log2 1 along Z
    assert np.allclose(displacement_lengths(points, points + [3, 0, 4]), 5.0)
