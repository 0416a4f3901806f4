"""Faults that were put in on purpose and went unnoticed (``make faults``): what each of them breaks."""

import dataclasses
import importlib
import pkgutil

import numpy as np
import pytest
from msgspec import Struct
from msgspec.structs import replace

import fictilis.core
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.at_frame.paths import points_over
from fictilis.core.at_frame.springs import run_of
from fictilis.core.checks.tubes import fitting
from fictilis.core.edits import timing
from fictilis.core.edits.keys import key_values, set_key
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.relays import make_relay, spread
from fictilis.core.edits.targets import target_from_points
from fictilis.core.edits.timeline import set_marker
from fictilis.core.geometry import carry
from fictilis.core.geometry.forms import FORMS, defaults, made, point_count
from fictilis.core.geometry.kinds import Line, Tube
from fictilis.core.geometry.lines.tubes import round_profile
from fictilis.core.geometry.primitives import ball, box, cylinder, globe, plane
from fictilis.core.geometry.units import linear_from
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.relay import poses
from fictilis.core.operations.table import NEEDS, Subject
from fictilis.core.rehearsal.runner import Event
from fictilis.core.rehearsal.takes import without_waiting
from fictilis.core.scene.cues import MARKER, START, Cue, When
from fictilis.core.scene.kept import StoredMix
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping.brushes import Brush, MaskStroke
from fictilis.core.shaping.exact import _border_means
from fictilis.core.shaping.falloff import PROFILES
from fictilis.formats.obj import read_obj
from fictilis.formats.registry import save

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


@pytest.mark.parametrize(
    ("file", "name"), [("Reef.fictilis", "Reef"), ("Reef.FICTILIS", "Reef"), ("Reef", "Reef"), ("a.b.fictilis", "a.b")]
)
def test_a_saved_scene_has_the_name_of_its_file(tmp_path, file, name):
    assert save(Scene(), tmp_path / file).name == name


def test_a_take_without_its_waiting_begins_with_its_first_event():
    events = (Event(2.0, "click", "a"), Event(3.5, "key", "b"))
    now, seconds = without_waiting(Scene(), events, 5.0)
    assert [e.time for e in now] == [0.0, 1.5] and seconds == 3.0
    by_itself = replace(Scene(), cues=(Cue("q1", "One", When(START)),))
    assert without_waiting(by_itself, events, 5.0) == (events, 5.0)


def test_a_marker_that_gets_a_new_name_takes_along_only_cues_of_its_own():
    scene = set_marker(set_marker(Scene(), 4.0, "Old"), 9.0, "Other")
    scene = replace(scene, cues=tuple(Cue(i, i, When(MARKER, marker=name)) for i, name in (("q1", "Old"), ("q2", "Other"))))
    assert [c.when.marker for c in set_marker(scene, 4.0, "New").cues] == ["New", "Other"]
    twice = set_marker(scene, 20.0, "Old")  # two of one name: the cues stay with the other
    assert [c.when.marker for c in set_marker(twice, 4.0, "New").cues] == ["Old", "Other"]


@pytest.mark.parametrize("kind", FORMS)
def test_a_form_has_as_many_points_as_is_told_before_it_is_made(kind):
    numbers = {name: first + 2 if isinstance(first, int) else first for name, first in defaults(kind).items()}
    for given in ({}, numbers):
        assert point_count(kind, given) == len(made(kind, given)[0])


@pytest.mark.parametrize(
    ("factor", "good"), [(1e-9, True), (1e9, True), (1.0001e9, False), (0.0, False), (float("nan"), False)]
)
def test_units_are_within_bounds(factor, good):
    if good:
        assert linear_from("cm", False, factor)[0, 0] == factor
    else:
        with pytest.raises(EditRefused):
            linear_from("cm", False, factor)


def test_a_border_is_evened_along_itself_and_its_corners_stay():
    points, mesh = plane(10.0, 10.0, 4, 4)
    means = _border_means(mesh)
    rim = np.flatnonzero((np.abs(points[:, [0, 2]]) > 4.99).any(1))
    corners = np.flatnonzero((np.abs(points[:, [0, 2]]) > 4.99).all(1))
    moved = points.copy()
    side = next(i for i in rim if i not in corners)
    along = 0 if abs(points[side, 2]) > 4.99 else 2
    moved[side, along] += 0.3
    assert np.allclose(means(moved, np.array([side])), points[side])
    assert len(corners) == 4 and np.allclose(means(points, corners), points[corners])
    with_inner = np.setdiff1d(np.arange(len(points)), rim)
    assert np.array_equal(means(moved, with_inner), moved[with_inner])


def test_strands_of_a_tube_do_not_count_the_way_between_them():
    """Two straight strands a little apart, the second beginning where the first ends: only their true distance counts."""
    first = np.stack([np.linspace(0, 10, 6), np.zeros(6), np.zeros(6)], 1)
    points = np.concatenate([first, first + [0.0, 3.0, 0.0]])
    line = Line(
        starts=np.array([0, 6, 12]), closed=np.array([False, False]), widths=np.full(12, 2.0), tube=Tube(round_profile(6))
    )
    turned = np.concatenate([first, first[::-1] + [0.0, 3.0, 0.0]])
    assert fitting(line, points) == pytest.approx(fitting(line, turned)) == pytest.approx(fitting(line, points[::-1]))


def test_a_spring_that_is_off_or_not_there_has_no_motion(sheet):
    def never(*_given):
        raise AssertionError

    obj = sheet.object(OBJ)
    assert run_of(sheet, obj, never) is None
    assert run_of(sheet, replace(obj, spring=PointSpring(on=False)), never) is None


def test_keys_between_two_frames():
    curve = AnimationCurve(tuple(Key(f, 0.0) for f in (0.0, 3.0, 5.0, 8.0)))
    assert [k.frame for k in curve.keys_between(3.0, 5.0)] == [3.0, 5.0]
    assert [k.frame for k in curve.keys_between(3.1, 4.9)] == [] and len(curve.keys_between(-1.0, 99.0)) == 4


def test_two_mixes_are_needed_to_blend_them(sheet):
    need = NEEDS["two mixes"]
    for count, met in ((0, False), (1, False), (2, True), (3, True)):
        mixes = tuple(StoredMix(f"m{n}", ()) for n in range(count))
        scene = sheet.with_object(replace(sheet.object(OBJ), mixes=mixes))
        assert need[0](Subject(scene, OBJ)) is met


@pytest.mark.parametrize("corner", ["1/1 2/1 3/1", "1 2 3"])
def test_texture_coordinates_are_there_where_faces_name_them(tmp_path, corner):
    file = tmp_path / "a.obj"
    file.write_text(f"v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0.25 0.5\nf {corner}\n")
    mesh = read_obj(file).objects[0].geometry
    assert (mesh.uvs is not None) is ("/" in corner)
    if mesh.uvs is not None:
        assert mesh.uvs.tolist() == [[0.25, 0.5]] and mesh.uv_corners.tolist() == [0, 0, 0]


def test_a_relay_spread_by_distance_keeps_two_poses_of_one_shape_apart(sheet):
    scene, group = make_relay(sheet, OBJ, ["t1", "t2"], "Row", 0.0, 6.0)
    obj = scene.object(OBJ)
    lane = obj.lane(group)
    same = replace(lane.curve.keys[-1], frame=12.0)
    scene = scene.with_object(obj.with_lane(group, lane.curve.with_key(same)))
    frames = [k.frame for k in poses(spread(scene, OBJ, group, True, False).object(OBJ), group)]
    gaps = np.diff(frames)
    assert frames[0] == 0.0 and frames[-1] == pytest.approx(12.0)
    assert gaps[-1] == pytest.approx(gaps.sum() * 5e-4 / (1 + 5e-4), rel=1e-3)
