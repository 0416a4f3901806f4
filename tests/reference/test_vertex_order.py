"""A found vertex order against a known shuffle."""

import numpy as np
import pytest

from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.matching import find_order, require_match
from fictilis.core.geometry.primitives import ball, globe, plane
from fictilis.core.geometry.topology import mesh_from_faces
from fictilis.core.ground.errors import NotATarget


def shuffled(points, mesh, seed):
    """The same mesh under a known permutation: old point p is new point order[p]; faces in another order too."""
    rng = np.random.default_rng(seed)
    order = rng.permutation(len(points))
    faces = rng.permutation(mesh.face_count)
    rows = [np.roll(order[mesh.face(f)], rng.integers(4)) for f in faces]
    moved = np.empty_like(points)
    moved[order] = points
    return moved, mesh_from_faces(len(points), rows), order


def test_a_known_shuffle_of_eight_thousand_points_is_found():
    """Source: the permutation the test made itself."""
    points, mesh = plane(200, 300, 90, 90)
    assert len(points) > 8_000
    bent = points + np.outer(np.sin(points[:, 0] / 20) * 4, [0, 1, 0]) + [3.0, 1.0, 0]
    moved, other, order = shuffled(bent, mesh, 5)
    found = find_order(mesh, other, points, moved)
    assert np.array_equal(found.points, order) and found.faces == mesh.face_count
    assert np.array_equal(found.apply(moved), bent)
    # proved: the renumbered faces match
    back = np.empty(len(points), np.int64)
    back[found.points] = np.arange(len(points))
    require_match(mesh, Mesh(mesh.point_count, back[other.corners], other.offsets), "Renumbered")


@pytest.mark.parametrize("form", [lambda: ball(10, 8), lambda: globe(10, 24, 12)])
def test_of_a_symmetric_mesh_the_nearest_way_is_taken_and_said_to_be_one_of_several(form):
    points, mesh = form()
    bent = points + np.random.default_rng(1).normal(size=points.shape) * 0.2
    moved, other, order = shuffled(bent, mesh, 2)
    found = find_order(mesh, other, points, moved)
    assert np.array_equal(found.points, order) and found.choices > 1


def test_seeds_decide_where_places_cannot():
    points, mesh = globe(10, 24, 12)
    turned = points * [-1, 1, -1]  # half a turn about Y: the places now speak for the wrong way
    moved, other, order = shuffled(turned, mesh, 3)
    wrong = find_order(mesh, other, points, moved)
    assert not np.array_equal(wrong.points, order)
    equator = int(np.argmin(np.abs(points[:, 1]) + np.abs(points[:, 2]) - points[:, 0]))
    found = find_order(mesh, other, points, moved, seeds=[(equator, int(order[equator]))])
    assert np.array_equal(found.points, order)


def test_another_topology_of_the_same_counts_has_no_order():
    points, mesh = plane(40, 40, 4, 4)
    other = mesh.corners.copy()
    other[:4] = other[[0, 2, 1, 3]]
    crossed = Mesh(25, other, mesh.offsets)
    assert find_order(mesh, crossed) is None
    with pytest.raises(NotATarget) as error:
        require_match(mesh, crossed, "Crossed")
    assert error.value.reason == "faces"
