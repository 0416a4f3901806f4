import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from fictilis.core.edits import targets as edits
from fictilis.core.edits import topology
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.objects import add_object, set_transform
from fictilis.core.edits.shape import move_shape, set_mask
from fictilis.core.geometry import carry as ops
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.primitives import ball, box, plane
from fictilis.core.geometry.topology import edge_faces, edge_numbers, edges, mesh_from_faces
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.shapes import ShapeRef, full_shape
from fictilis.core.scene.appearance import Texture
from fictilis.core.scene.kept import NamedPick
from fictilis.core.scene.places import Transform
from fictilis.core.scene.scene import Scene
from tests.mixes import mix_at

OBJ = "o1"


def scene_of(points, mesh):
    """An object with a target, an in-between, a mask, named picks and a projected texture."""
    scene, _ = add_object(Scene(), "Thing", mesh, points)
    rng = np.random.default_rng(1)
    scene, _ = edits.target_from_points(scene, OBJ, "A", points + rng.normal(size=points.shape))
    scene = edits.add_in_between(scene, OBJ, "t1", 0.5)
    scene = move_shape(scene, OBJ, ShapeRef("t1", 0.5), rng.normal(size=points.shape) * 0.3)
    scene = set_mask(scene, OBJ, "t1", np.linspace(0, 1, len(points)))
    obj = scene.object(OBJ)
    look = replace(obj.appearance, texture=Texture(projected=points[:, :2]))
    picks = (NamedPick("Faces", Pick("faces", np.array([0]))), NamedPick("Points", Pick("points", mesh.face(0))))
    return scene.with_object(replace(obj, picks=picks, appearance=look))


def with_uvs(points, mesh):
    low, high = points.min(0), points.max(0)
    uvs = ((points - low) / np.maximum(high - low, 1e-9))[:, [0, 2]]
    return Mesh(mesh.point_count, mesh.corners, mesh.offsets, uvs, mesh.corners)


def closed(mesh):
    return (edge_faces(mesh) == 2).all()


def volume(points, mesh):
    from fictilis.core.geometry.topology import triangles

    a, b, c = (points[triangles(mesh).points[:, k]] for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


def every_operation(points, mesh):
    """Name and Carry of each operation, on a closed mesh of quads."""
    faces = np.array([0, 1])
    yield "subdivide", ops.subdivide(mesh)
    yield "smooth", ops.subdivide(mesh, smooth=True)
    yield "subdivide faces", ops.subdivide_faces(mesh, faces)
    yield "extrude", ops.extrude(mesh, points, faces, 0.5)
    yield "extrude singly", ops.extrude(mesh, points, faces, 0.5, region=False)
    yield "extrude by nothing", ops.extrude(mesh, points, faces, 0.0)
    yield "inset", ops.inset(mesh, faces, 0.3)
    yield "inset singly", ops.inset(mesh, faces, 0.3, region=False)
    yield "loop cut", ops.loop_cut(mesh, 0, cuts=2)
    yield "triangulate", ops.triangulate(mesh, points)


@pytest.mark.parametrize("name", [n for n, _ in every_operation(*box(10, 10, 10)[:2])])
def test_an_operation_keeps_a_closed_mesh_closed_and_carries_every_shape(name):
    points, mesh = box(10, 10, 10)
    mesh = with_uvs(points, mesh)
    scene = scene_of(points, mesh)
    carry = dict(every_operation(points, mesh))[name]
    after = topology.carry_through(scene, OBJ, carry)
    old, new = scene.object(OBJ), after.object(OBJ)
    assert closed(new.geometry) and volume(new.base, new.geometry) > 0.5 * volume(points, mesh)
    assert np.allclose(carry.matrix @ np.ones(len(points)), 1.0)
    offsets = 0.0 if carry.offsets is None else carry.offsets
    for at in (1.0, 0.5):
        was, now = full_shape(old, "t1", at), full_shape(new, "t1", at)
        assert np.allclose(now, carry.matrix @ was + offsets, atol=1e-12)
    assert np.allclose(new.target("t1").mask, np.clip(carry.matrix @ old.target("t1").mask, 0, 1))
    assert len(new.appearance.texture.projected) == len(new.base) and mix_at(new, 0).shape == new.base.shape
    assert new.geometry.uvs is not None and (new.geometry.uv_corners >= 0).all()
    assert len(carry.face_parents) == new.geometry.face_count
    assert (carry.face_parents[new.picks[0].pick.elements] == 0).all()
    assert sorted(np.unique(new.geometry.corners)) == list(range(new.geometry.point_count))


@pytest.mark.parametrize("name", [n for n, _ in every_operation(*box(10, 10, 10)[:2])])
def test_a_masked_shape_is_carried_as_it_is_seen(name):
    """What is seen of the old target, carried, is what is seen of the new one: full and in-between, closed parts too."""
    points, mesh = box(10, 10, 10)
    scene = scene_of(points, mesh)
    mask = np.linspace(0, 1, len(points))
    mask[::3] = 0.0
    scene = set_mask(scene, OBJ, "t1", mask)
    carry = dict(every_operation(points, mesh))[name]
    new = topology.carry_through(scene, OBJ, carry).object(OBJ)
    old = scene.object(OBJ)
    for at in (0.5, 1.0):
        seen = carry.deltas(full_shape(old, "t1", at) - old.base)
        assert np.allclose(full_shape(new, "t1", at) - new.base, seen, atol=1e-12)
    assert np.allclose(new.target("t1").mask, np.clip(carry.scalars(mask), 0, 1))
    hidden, bare = new.target("t1").mask == 0, carry.deltas(old.target("t1").deltas.dense(len(points)))
    assert np.allclose(new.target("t1").deltas.dense(len(new.base))[hidden], bare[hidden])  # for when the mask is taken off


def test_linear_subdivision_changes_no_surface_and_quarters_quads():
    points, mesh = box(10, 10, 10)
    after = ops.subdivide(mesh)
    assert after.geometry.face_count == 4 * mesh.face_count and volume(after.base(points), after.geometry) == pytest.approx(
        1000
    )
    assert np.array_equal(after.base(points)[: len(points)], points)


def test_subdividing_some_faces_keeps_the_mesh_whole():
    points, mesh = plane(40, 40, 4, 4)
    after = ops.subdivide_faces(mesh, np.array([5]))
    assert after.geometry.face_count == 19 and after.geometry.point_count == 25 + 5
    assert sorted(after.geometry.face_sizes)[-4:] == [5, 5, 5, 5]
    assert (edge_faces(after.geometry) <= 2).all() and (edge_faces(after.geometry) == 1).sum() == 16


def test_extruding_a_region_and_single_faces():
    points, mesh = plane(40, 40, 4, 4)
    together = ops.extrude(mesh, points, np.array([5, 6]), 3.0)
    assert together.geometry.point_count == 25 + 6 and together.geometry.face_count == 16 + 6
    base = together.base(points)
    top = np.unique(together.geometry.corners[together.geometry.offsets[together.pick.elements][:, None] + np.arange(4)])
    assert len(top) == 6 and np.allclose(base[top, 1], 3.0) and np.allclose(np.delete(base[:, 1], top), 0)
    singly = ops.extrude(mesh, points, np.array([5, 6]), 3.0, region=False)
    assert singly.geometry.point_count == 25 + 8 and singly.geometry.face_count == 16 + 8
    with pytest.raises(EditRefused, match="needs picked faces"):
        ops.extrude(mesh, points, np.array([], int), 3.0)


def test_a_region_in_the_middle_lifts_its_inner_points_too():
    points, mesh = plane(60, 60, 6, 6)
    faces = np.array([7, 8, 13, 14])
    carry = ops.extrude(mesh, points, faces, 2.0)
    centre = int(np.intersect1d(mesh.face(7), mesh.face(14))[0])
    assert carry.base(points)[centre, 1] == pytest.approx(2.0) and carry.geometry.point_count == 49 + 8


def test_an_inset_is_smaller_and_stays_in_the_plane():
    points, mesh = plane(40, 40, 4, 4)
    carry = ops.inset(mesh, np.array([5]), 0.5)
    inner = carry.base(points)[carry.geometry.face(int(carry.pick.elements[0]))]
    assert np.allclose(np.ptp(inner, axis=0), [5, 0, 5]) and np.allclose(inner.mean(0), points[mesh.face(5)].mean(0))
    with pytest.raises(EditRefused, match="part of the way"):
        ops.inset(mesh, np.array([5]), 1.0)


def test_a_loop_cut_goes_around_and_ends_at_other_faces():
    points, mesh = box(10, 10, 10)
    carry = ops.loop_cut(mesh, 0, at=0.25)
    assert carry.geometry.face_count == mesh.face_count + 16 and closed(carry.geometry)
    assert volume(carry.base(points), carry.geometry) == pytest.approx(1000)
    new = carry.base(points)[carry.pick.elements]
    flat = [k for k in range(3) if np.ptp(new[:, k]) < 1e-9]
    assert len(flat) == 1 and len(new) == 16
    mixed = mesh_from_faces(7, [[0, 1, 2, 3], [1, 4, 5, 2], [4, 6, 5]])
    cut = ops.loop_cut(mixed, int(edge_numbers(mixed, np.array([1]), np.array([2]))[0]))
    assert sorted(cut.geometry.face_sizes) == [4, 4, 4, 4, 4] and cut.geometry.point_count == 10
    tri = mesh_from_faces(3, [[0, 1, 2]])
    with pytest.raises(EditRefused, match="four corners"):
        ops.loop_cut(tri, 0)


def test_a_twisted_row_is_refused():
    strip = [[2 * k, 2 * k + 1, 2 * k + 3, 2 * k + 2] for k in range(5)] + [[10, 11, 0, 1]]
    twisted = mesh_from_faces(12, strip)
    with pytest.raises(EditRefused, match="twisted"):
        ops.loop_cut(twisted, int(edge_numbers(twisted, np.array([0]), np.array([1]))[0]))


def test_deleting_faces_and_points_leaves_the_others_bit_for_bit():
    points, mesh = plane(40, 40, 4, 4)
    points = points + np.pi
    scene = scene_of(points, mesh)
    gone = ops.delete_faces(mesh, np.array([0]))
    after = topology.carry_through(scene, OBJ, gone).object(OBJ)
    assert after.geometry.face_count == 15 and len(after.base) == 24
    rest = np.setdiff1d(np.arange(25), np.setdiff1d(mesh.face(0), mesh.corners[4:]))
    assert np.array_equal(after.base, points[rest])
    assert np.array_equal(full_shape(after, "t1"), full_shape(scene.object(OBJ), "t1")[rest])
    less = ops.delete_points(mesh, np.array([12]))
    assert less.geometry.face_count == 12 and less.geometry.point_count == 24
    with pytest.raises(EditRefused, match="every face"):
        ops.delete_faces(mesh, np.arange(16))


def test_welding_joins_at_the_mean_and_drops_fallen_faces():
    points, mesh = plane(40, 40, 4, 4)
    labels = np.arange(25)
    labels[[6, 7]] = 6
    carry = ops.weld(mesh, labels)
    assert (
        carry.geometry.point_count == 24 and carry.geometry.face_count == 16 and sorted(carry.geometry.face_sizes)[:2] == [3, 3]
    )
    assert np.allclose(carry.base(points)[carry.pick.elements], points[[6, 7]].mean(0))
    within = ops.labels_within(points, np.arange(25), 10.5)
    assert len(np.unique(within)) == 1 and len(np.unique(ops.labels_within(points, np.array([0, 1, 7]), 10.5))) == 24
    with pytest.raises(EditRefused, match="close enough"):
        ops.weld(mesh, np.arange(25))
    with pytest.raises(EditRefused, match="not -1 cm"):
        ops.labels_within(points, np.arange(25), -1.0)


def test_welding_a_seam_closes_the_mesh():
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [1, 0, 0], [1, 1, 0], [2, 0, 0.0]])
    split = mesh_from_faces(6, [[0, 1, 2], [3, 5, 4]])
    carry = ops.weld(split, ops.labels_within(points, np.arange(6), 1e-6))
    assert carry.geometry.point_count == 4 and (edge_faces(carry.geometry) == 2).sum() == 1


def test_triangles_of_a_concave_face_keep_its_area_and_direction():
    points = np.array([[0, 0, 0], [4, 0, 0], [4, 0, 4], [2, 0, 1], [0, 0, 4.0]])
    mesh = mesh_from_faces(5, [[4, 3, 2, 1, 0]])
    carry = ops.triangulate(mesh, points)
    a, b, c = (points[carry.geometry.corners[k::3]] for k in range(3))
    areas = np.cross(b - a, c - a)[:, 1] / 2
    assert carry.geometry.face_count == 3 and (areas > 0).all() and areas.sum() == pytest.approx(16 - 6)


def test_mirror_weld_makes_both_sides_alike_in_every_shape():
    points, mesh = plane(40, 40, 4, 4)
    scene = scene_of(points, mesh)
    carry = ops.mirror_weld(mesh, points, 0, 1, 1e-6)
    after = topology.carry_through(scene, OBJ, carry).object(OBJ)
    assert after.geometry.face_count == 16 and len(after.base) == 25
    assert (edge_faces(after.geometry) == 1).sum() == 16
    from fictilis.core.shaping.mirror import mirror_map

    pairs = mirror_map(after)
    assert (pairs >= 0).all()
    for at in (1.0, 0.5):
        shape = full_shape(after.with_target(replace(after.target("t1"), mask=None)), "t1", at)
        assert np.allclose(shape[pairs] * [-1, 1, 1], shape)
    shifted = points + [3.0, 0, 0]
    with pytest.raises(EditRefused, match="4 faces cross the middle"):
        ops.mirror_weld(mesh, shifted, 0, 1, 1e-6)
    with pytest.raises(EditRefused, match="not nan cm"):
        ops.mirror_weld(mesh, points, 0, 1, float("nan"))


def test_freezing_the_transform_and_moving_the_origin_change_nothing_in_the_scene():
    points, mesh = ball(10, 4)
    scene = scene_of(points, mesh)
    scene = set_transform(scene, OBJ, Transform((1.0, 2, 3), (20.0, 30, 40), (1.0, 2, 0.5), (0.5, 1, 2)))

    def in_scene(s):
        obj = s.object(OBJ)
        m = obj.transform.matrix()
        return full_shape(obj, "t1") @ m[:3, :3].T + m[:3, 3]

    frozen = topology.freeze_transform(scene, OBJ)
    assert np.allclose(in_scene(frozen), in_scene(scene)) and frozen.object(OBJ).transform == Transform()
    moved = topology.origin_to_point(scene, OBJ, 7)
    assert np.allclose(in_scene(moved), in_scene(scene)) and np.allclose(moved.object(OBJ).base[7], 0)
    mirrored = set_transform(scene, OBJ, Transform(scale=(-1.0, 1, 1)))
    with pytest.raises(EditRefused, match="inside out"):
        topology.freeze_transform(mirrored, OBJ)


def test_a_locked_object_and_too_many_points_are_refused(monkeypatch):
    points, mesh = plane(40, 40, 4, 4)
    scene = scene_of(points, mesh)
    locked = scene.with_object(replace(scene.object(OBJ), locked=True))
    with pytest.raises(EditRefused, match="locked"):
        topology.carry_through(locked, OBJ, ops.subdivide(mesh))
    monkeypatch.setattr(topology, "MOST_POINTS", 30)
    with pytest.raises(EditRefused, match="81 points"):
        topology.carry_through(scene, OBJ, ops.subdivide(mesh))


def some_operation(number, obj, rng):
    """One of eight operations at a random place."""
    m, faces = obj.mesh, rng.choice(obj.mesh.face_count, 2, replace=False)
    makers = (
        lambda: ops.subdivide(m), lambda: ops.subdivide(m, True), lambda: ops.subdivide_faces(m, np.sort(faces)),
        lambda: ops.extrude(m, obj.base, faces, 0.4), lambda: ops.inset(m, faces, 0.2),
        lambda: ops.loop_cut(m, int(rng.integers(len(edges(m))))), lambda: ops.triangulate(m, obj.base),
        lambda: ops.delete_faces(m, faces[:1]),
    )  # fmt: skip
    return makers[number]()


@given(st.lists(st.integers(0, 7), min_size=1, max_size=4), st.integers(0, 10_000))
@settings(max_examples=30, deadline=None)
def test_any_row_of_operations_leaves_matching_shapes(which, seed):
    points, mesh = box(10, 10, 10, 1)
    scene = scene_of(points, mesh)
    rng = np.random.default_rng(seed)
    for number in which:
        try:
            scene = topology.carry_through(scene, OBJ, some_operation(number, scene.object(OBJ), rng))
        except EditRefused:
            continue
        new = scene.object(OBJ)
        assert len(new.base) == new.geometry.point_count == len(new.target("t1").mask)
        assert (new.geometry.face_sizes >= 3).all() and new.geometry.corners.max() < new.geometry.point_count
        assert np.isfinite(full_shape(new, "t1")).all() and np.isfinite(full_shape(new, "t1", 0.5)).all()


def test_an_exact_size_scales_every_shape_about_the_pivot_and_a_pivot_moves_nothing():
    scene, crate = add_form(Scene(), "Box", {"width": 40.0, "segments": 1})
    base = scene.object(crate).base
    scene, bent = edits.target_from_points(scene, crate, "Bent", base + base[:, [1, 2, 0]] / 10)
    place = Transform((3.0, 4.0, 5.0), (10.0, 20.0, 30.0), (1.0, 2.0, 0.5), (20.0, 0.0, 0.0))
    scene = scene.with_object(replace(scene.object(crate), transform=place))
    sized = topology.set_size(scene, crate, (80.0, None, 25.0)).object(crate)
    factors, pivot = np.array([2.0, 1.0, 0.25]), np.array(place.pivot)
    assert np.allclose(sized.base, pivot + (base - pivot) * factors) and np.allclose(np.ptp(sized.base, axis=0), (80, 100, 25))
    assert np.allclose(full_shape(sized, bent), pivot + (full_shape(scene.object(crate), bent) - pivot) * factors)
    turned = topology.set_pivot(scene, crate, (0.0, 0.5, 1.0)).object(crate)
    assert turned.transform.pivot == (-20.0, 0.0, 50.0) and np.allclose(turned.transform.matrix(), place.matrix())
    flat = scene.with_object(replace(scene.object(crate), base=base * [1, 0, 1]))
    for size, words in (((0.0, None, None), "larger than 0 cm on X, not 0"), ((None, 4.0, None), "flat on Y")):
        with pytest.raises(EditRefused, match=words):
            topology.set_size(flat, crate, size)
