import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fictilis.core.geometry import primitives
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.matching import find_order, first_difference, require_match
from fictilis.core.geometry.normals import KeptNormals, point_normals
from fictilis.core.geometry.topology import components, edges, mesh_from_faces, triangles
from fictilis.core.ground.errors import EditRefused, NotATarget
from fictilis.core.scene.places import Transform
from fictilis.core.scene.scene import Deltas


def volume(points, mesh):
    a, b, c = (points[triangles(mesh).points[:, k]] for k in range(3))
    return np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6


@pytest.mark.parametrize(
    ("name", "expected", "tolerance"),
    [("Box", 1e6, 1e-9), ("Globe", 4 / 3 * np.pi * 50**3, 0.02), ("Ball", 4 / 3 * np.pi * 50**3, 0.03),
     ("Cylinder", np.pi * 50**2 * 100, 0.01),
     ("Cone", np.pi * 50**2 * 100 / 3, 0.01), ("Ring", 2 * np.pi**2 * 40 * 10**2, 0.04)],
)  # fmt: skip
def test_forms_are_closed_face_outward_and_hold_their_volume(name, expected, tolerance):
    points, mesh = primitives.MESH_FORMS[name]()
    assert volume(points, mesh) == pytest.approx(expected, rel=tolerance)
    holes = 1 if name == "Ring" else 0
    assert len(points) - len(edges(mesh)) + mesh.face_count == 2 - 2 * holes  # Euler's formula for a closed surface
    assert mesh.uvs is not None and mesh.uv_corners.max() < len(mesh.uvs)


def test_plane_faces_up():
    points, mesh = primitives.plane()
    assert np.allclose(point_normals(mesh, points), [0, 1, 0]) and len(points) == 121


@pytest.mark.parametrize("make", [lambda: primitives.box(0), lambda: primitives.globe(10, 2),
                                  lambda: primitives.plane(1, 1, 0), lambda: primitives.cylinder(float("nan"))])  # fmt: skip
def test_impossible_forms_are_refused(make):
    with pytest.raises(EditRefused):
        make()


def test_normals_of_triangles_quads_and_polygons_agree():
    around = np.arange(6) * np.pi / 3
    ring = np.stack([np.cos(around), np.sin(around), np.zeros(6)], 1)
    for faces in ([[0, 1, 2, 3, 4, 5]], [[0, 1, 2, 3], [0, 3, 4, 5]], [[0, i, i + 1] for i in range(1, 5)]):
        assert np.allclose(point_normals(mesh_from_faces(6, faces), ring), [0, 0, 1])


def test_a_loose_point_has_no_normal():
    normals = point_normals(mesh_from_faces(4, [[0, 1, 2]]), np.eye(4, 3))
    assert np.array_equal(normals[3], [0, 0, 0])


@pytest.mark.parametrize("form", ["Globe", "Box", "Plane"])
def test_normals_near_moved_points_equal_the_whole(form):
    points, mesh = primitives.MESH_FORMS[form]()
    kept = KeptNormals(mesh, points)
    rng = np.random.default_rng(0)
    for _ in range(3):
        moved = np.sort(rng.choice(len(points), 7, replace=False))
        points[moved] += rng.normal(size=(7, 3)) * 3
        touched = kept.update(points, moved)
        assert np.allclose(kept.normals, point_normals(mesh, points), atol=1e-12)
        assert set(moved) <= set(touched) and len(touched) < len(points)


def test_kept_normals_of_larger_faces():
    points = np.random.default_rng(2).normal(size=(9, 3))
    mesh = mesh_from_faces(9, [[0, 1, 2, 3, 4], [4, 3, 5], [5, 3, 6, 7], [0, 4, 8, 7, 6, 5]])
    kept = KeptNormals(mesh, points)
    points[[2, 8]] += 1.0
    assert kept.update(points, np.array([2, 8])).tolist() == [0, 1, 2, 3, 4, 5, 6, 7, 8]
    assert np.allclose(kept.normals, point_normals(mesh, points), atol=1e-12)
    assert len(kept.update(points, np.zeros(0, int))) == 0


def test_faces_match_from_any_start_corner_and_in_any_order():
    a = mesh_from_faces(5, [[0, 1, 2, 3], [1, 4, 2]])
    assert first_difference(a, mesh_from_faces(5, [[2, 3, 0, 1], [4, 2, 1]])) is None
    assert first_difference(a, mesh_from_faces(5, [[4, 2, 1], [2, 3, 0, 1]])) is None
    assert first_difference(a, mesh_from_faces(5, [[0, 1, 2, 3], [1, 2, 4]])) == 1
    assert first_difference(a, mesh_from_faces(5, [[0, 1, 2], [0, 2, 3], [1, 4, 2]])) == 0


def test_reasons_name_both_counts_or_the_first_face():
    _, base = primitives.plane(1, 1, 4, 4)
    _, fewer = primitives.plane(1, 1, 4, 3)
    with pytest.raises(NotATarget, match="Curl has 20 points, the base has 25") as error:
        require_match(base, fewer, "Curl")
    assert error.value.reason == "counts"
    flipped = base.corners.copy()
    flipped[8:12] = flipped[8:12][::-1]
    with pytest.raises(NotATarget, match="first face that differs is number 3") as error:
        require_match(base, Mesh(25, flipped, base.offsets), "Curl")
    assert error.value.reason == "faces"


@given(st.integers(0, 10_000), st.sampled_from(["Plane", "Globe", "Box"]))
@settings(max_examples=25, deadline=None)
def test_another_order_is_recognised(seed, form):
    _, base = primitives.MESH_FORMS[form]()
    order = np.random.default_rng(seed).permutation(base.point_count)
    shuffled = Mesh(base.point_count, order[base.corners], base.offsets)
    assert find_order(base, shuffled) is not None
    if first_difference(base, shuffled) is not None:
        with pytest.raises(NotATarget) as error:
            require_match(base, shuffled, "Curl")
        assert error.value.reason == "order"


def test_other_topology_of_the_same_counts_is_not_called_another_order():
    ring = mesh_from_faces(6, [[0, 1, 2], [0, 2, 3], [0, 3, 4], [0, 4, 5]])
    strip = mesh_from_faces(6, [[0, 1, 2], [1, 3, 2], [2, 3, 4], [3, 5, 4]])
    assert find_order(ring, strip) is None


def test_components():
    labels = components(mesh_from_faces(7, [[0, 1, 2], [3, 4, 5], [2, 1, 6]]))
    assert len(set(labels)) == 2 and labels[0] == labels[6] != labels[3]


def test_values_are_read_only_and_shapes_are_checked():
    mesh = mesh_from_faces(3, [[0, 1, 2]])
    with pytest.raises(ValueError, match="read-only"):
        mesh.corners[0] = 2
    with pytest.raises(ValueError, match=r"\(n, 3\)"):
        Deltas([0], [[1.0, 2.0]])
    with pytest.raises(ValueError, match="2 indices"):
        Deltas([0, 1], [[1.0, 2.0, 3.0]])
    with pytest.raises(ValueError, match="offsets"):
        Mesh(3, [0, 1, 2], [0, 2])


def test_transform_scales_then_turns_about_the_pivot_then_moves():
    matrix = Transform((1, 2, 3), (0, 90, 0), (2, 1, 1), (5, 0, 0)).matrix()
    assert np.allclose(matrix @ [5, 0, 0, 1], [6, 2, 3, 1])
    assert np.allclose(matrix @ [6, 0, 0, 1], [6, 2, 1, 1])
