"""Faults that were put in on purpose and went unnoticed (``make faults``): what each of them breaks."""

import dataclasses
import importlib
import pkgutil

import numpy as np
import pytest
from msgspec import Struct

import fictilis.core
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.at_frame.paths import points_over
from fictilis.core.edits import timing
from fictilis.core.edits.keys import key_values, set_key
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.targets import target_from_points
from fictilis.core.geometry import carry
from fictilis.core.geometry.primitives import ball, box, cylinder, globe, plane
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping.brushes import Brush, MaskStroke
from fictilis.core.shaping.falloff import PROFILES
from fictilis.formats.obj import read_obj

OBJ = "o1"


def modules():
    for found in pkgutil.walk_packages(fictilis.core.__path__, "fictilis.core."):
        yield importlib.import_module(found.name)


def test_every_value_of_the_core_is_frozen():
    """Undo, caches and a save in the background rely on it."""
    for module in modules():
        for name, value in vars(module).items():
            if (
                name[0] != "_"
                and isinstance(value, type)
                and (issubclass(value, Struct) or dataclasses.is_dataclass(value))
                and value.__module__ == module.__name__
            ):
                config = value.__struct_config__ if issubclass(value, Struct) else value.__dataclass_params__
                assert config.frozen, value


WANTED = {
    "smooth": lambda x: (1 - x**2) ** 2, "linear": lambda x: 1 - x, "dome": lambda x: np.sqrt(1 - x**2),
    "sharp": lambda x: (1 - x) ** 2, "even": lambda x: 1.0 * (x < 1),
    "plateau": lambda x: np.where(x < 0.5, 1.0, 3 * (2 - 2 * x) ** 2 - 2 * (2 - 2 * x) ** 3),
}  # fmt: skip


@pytest.mark.parametrize("name", PROFILES)
def test_a_profile_falls_from_one_to_nothing_and_never_rises(name):
    x = np.linspace(0, 1, 41)
    y = PROFILES[name](x)
    assert y[0] == pytest.approx(1) and (np.diff(y) <= 1e-12).all() and y.min() >= 0 and y.max() <= 1
    assert np.allclose(y, WANTED[name](x), atol=1e-9), name


@pytest.mark.parametrize("form", [box, plane, globe, ball, cylinder])
def test_texture_coordinates_of_a_form_lie_within_the_image_and_stand_upright(form):
    """v rises with the height of a face's corners where the form has a side."""
    points, mesh = form()
    assert mesh.uvs.min() >= -1e-9 and mesh.uvs.max() <= 1 + 1e-9 and np.ptp(mesh.uvs, axis=0).min() > 0.5
    if form in (globe, cylinder):
        high, low = points[mesh.corners][:, 1] > points[:, 1].max() * 0.6, points[mesh.corners][:, 1] < points[:, 1].min() * 0.6
        v = mesh.uvs[mesh.uv_corners][:, 1]
        assert (v[high].mean() > v[low].mean()) == (v[high].mean() > 0.5)


@pytest.mark.parametrize("cuts", [2, 3, 4])
def test_several_loop_cuts_lie_evenly(cuts):
    points, mesh = plane(10, 10, 1, 1)
    from fictilis.core.geometry.topology import edge_numbers

    edge = int(edge_numbers(mesh, np.array([0]), np.array([1]))[0])
    made = carry.loop_cut(mesh, edge, cuts=cuts)
    between = np.unique(np.round(made.base(points)[:, 0], 9))
    assert np.allclose(between, np.linspace(-5, 5, cuts + 2))


def test_a_point_behind_the_last_that_a_target_moves_stays(sheet):
    base = sheet.object(OBJ).base
    few = base.copy()
    few[3] += [0, 1, 0]
    scene, target = target_from_points(sheet, OBJ, "Few", few)
    obj = set_key(scene, OBJ, target, Key(0, 1.0)).object(OBJ)
    seen = points_over(scene, obj, np.array([3, 24]), np.array([0.0]))[0]
    assert np.allclose(seen, [base[3] + [0, 1, 0], base[24]])


def test_baking_a_part_keeps_the_keys_on_both_sides_of_it(sheet):
    scene = sheet
    for frame, value in ((0, 0.1), (10, 0.5), (20, 0.9), (30, 0.2)):
        scene = set_key(scene, OBJ, "t1", Key(frame, value))
    lane = timing.bake(scene, [(OBJ, "t1")], 10, 20).object(OBJ).lane("t1")
    assert [k.frame for k in lane.curve.keys] == [0, *range(10, 21), 30]


def test_a_soft_mask_stroke_closes_half_as_much_as_a_strong_one(sheet):
    obj = sheet.object(OBJ)
    out = []
    for strength in (0.4, 0.8):
        stroke = MaskStroke(obj, obj.base, None, Brush("mask", 30.0, strength, along_surface=False))
        stroke.dab(obj.base[12], obj.mesh.face(5))
        out.append(1 - stroke.mask)
    assert out[1].max() > 0.1 and np.allclose(out[1], 2 * out[0])


def test_a_material_without_a_name_and_lines_of_one_word_are_borne(tmp_path):
    (tmp_path / "m.mtl").write_text("newmtl\nKd\nnewmtl skin\nKd 1 1 1\n")
    (tmp_path / "m.obj").write_text("mtllib m.mtl\nusemtl skin\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    assert read_obj(tmp_path / "m.obj").objects[0].colour == "#FFFFFF"


def test_the_hold_guard_looks_at_the_last_key_before_the_new_one(sheet):
    scene, _ = key_values(sheet, OBJ, 0, {"t1": 0.0, "t2": 0.0})
    scene, _ = key_values(scene, OBJ, 20, {"t1": 1.0})
    _, held = key_values(scene, OBJ, 0.5, {"t2": 1.0})
    assert held == []
    _, held = key_values(scene, OBJ, 20.5, {"t2": 1.0})
    assert [h.key.frame for h in held] == [20]


def test_a_transfer_with_a_falloff_that_does_not_rise_is_refused():
    from fictilis.core.edits.whole_shapes import transfer

    points, mesh = ball(10.0, 4)
    scene, first = add_object(Scene(), "A", mesh, points)
    scene, second = add_object(scene, "B", mesh, points)
    scene, target = target_from_points(scene, first, "Lift", points * 1.1)
    for near, far in ((2.0, 2.0), (3.0, 2.0), (-1.0, 2.0)):
        with pytest.raises(EditRefused, match="falloff must rise"):
            transfer(scene, second, first, target, near, far)
    assert transfer(scene, second, first, target, 0.0, 2.0)[1]


def test_the_slope_of_an_eased_piece_is_that_of_the_piece_alone():
    curve = AnimationCurve((Key(0, 0.0, "ease", ease="quad-in"), Key(10, 1.0, "linear"), Key(20, 5.0)))
    assert float(curve.slope(5.0)) == pytest.approx(0.1, abs=1e-4) and float(curve.slope(9.999)) == pytest.approx(0.2, abs=1e-2)


def test_an_inset_of_a_region_has_one_rim_and_of_single_faces_one_each():
    points, mesh = plane(10, 10, 4, 4)
    faces = np.array([5, 6])
    assert carry.inset(mesh, faces, 0.3, region=True).geometry.face_count == mesh.face_count + 6
    assert carry.inset(mesh, faces, 0.3, region=False).geometry.face_count == mesh.face_count + 8


def test_keys_moved_by_numbers_go_exactly_there(sheet):
    from fictilis.core.mix.key_refs import KeyRef
    from fictilis.core.operations import OPERATIONS
    from fictilis.core.operations.table import Subject

    scene = set_key(sheet, OBJ, "t1", Key(12, 0.5))
    subject = Subject(scene, OBJ, keys=frozenset({KeyRef(OBJ, "t1", 12.0)}))
    (moving,) = [o for o in OPERATIONS.values() if o.part == "keys" and {"frames", "value"} <= {p.name for p in o.parameters}
                 and o.verb not in ("handle",)]  # fmt: skip
    made = moving.make(subject, {"frames": 0.25, "value": 0.125})
    assert [(k.frame, k.value) for k in made.scene.object(OBJ).lane("t1").curve.keys] == [(12.25, 0.625)]
