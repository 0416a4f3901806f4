"""A line stands wherever an object may; what needs faces refuses it by name."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.edits.lines import set_curve
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.targets import add_in_between, target_from_mesh, target_from_points
from fictilis.core.edits.timeline import add_camera
from fictilis.core.errors import BadFile, EditRefused, NotATarget
from fictilis.core.evaluate import evaluate_object
from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.topology import border_points, components, edges, neighbours, triangles
from fictilis.core.operations import OPERATIONS
from fictilis.core.scene import Pick, Scene
from fictilis.core.shaping import picks
from fictilis.core.shaping.brushes import BRUSHES, Brush, BrushStroke
from fictilis.core.shaping.falloff import surface_links
from fictilis.formats.native import read_native, write_native
from fictilis.formats.registry import export, export_shapes
from tests.core.test_operations import OBJ, everything, given_for, subject_for  # noqa: F401 - a fixture
from tests.formats.gltf_player import read_arrays
from tests.formats.test_native import edit_json, same

WHIP = Line(starts=[0, 12, 20], closed=[False, True])  # an open strand of 12 points, a closed one of 8


def whip_points() -> np.ndarray:
    along, round_ = np.arange(12.0), np.linspace(0, 2 * np.pi, 8, endpoint=False)
    strand = np.stack([along, np.sin(along / 3), np.zeros(12)], axis=1)
    return np.concatenate([strand, np.stack([np.cos(round_), 6 + np.sin(round_), np.zeros(8)], axis=1)])


@pytest.fixture
def whip() -> Scene:
    points = whip_points()
    scene, _ = add_object(Scene(name="Whip"), "Whip", WHIP, points)
    scene, _ = target_from_points(scene, OBJ, "Curl", points + np.sin(points) * [0, 0, 2])
    return add_in_between(scene, OBJ, "t1", 0.5)


def test_an_open_strand_has_a_segment_less_than_points_a_closed_one_as_many():
    pairs = edges(WHIP)
    assert len(pairs) == 11 + 8 and [0, 11] not in pairs.tolist() and [12, 19] in pairs.tolist()
    assert neighbours(WHIP).of(np.array([0])).tolist() == [1] and sorted(neighbours(WHIP).of(np.array([12]))) == [13, 19]
    assert len(set(components(WHIP))) == 2 and not border_points(WHIP).any()
    assert not len(triangles(WHIP).points) and not point_normals(WHIP, whip_points()).any()
    assert len(surface_links(WHIP).straight) == 19 and not len(surface_links(WHIP).across)
    long = Line(starts=[0, 605], closed=[False])
    assert len(edges(long)) == 604


@pytest.mark.parametrize(
    ("starts", "closed", "said"),
    [([0, 1], [False], "strand 1 has 1 points"), ([0, 2], [True], "3 when closed"), ([1, 4], [False], "the first of them 0"),
     ([0, 4], [], "need 1 starts"), ([0, 4, 2], [False, False], "strand 2 has -2 points")],
)  # fmt: skip
def test_a_strand_too_short_is_refused(starts, closed, said):
    with pytest.raises(ValueError, match=said):
        Line(starts=starts, closed=closed)


ELSEWHERE = [o for o in OPERATIONS.values() if o.part != "line"]  # those of lines run in test_operations


@pytest.mark.parametrize("operation", ELSEWHERE, ids=[o.id for o in ELSEWHERE])
def test_an_operation_runs_on_a_line_or_refuses_it_by_name(operation, everything, tmp_path):  # noqa: F811
    sheet = everything.object(OBJ)
    line = replace(sheet, name="Whip", geometry=Line(starts=[0, 25], closed=[False]), groups=sheet.groups)
    scene = everything.with_object(line)
    subject = subject_for(operation, scene)
    if operation.part == "mesh" and operation.verb not in ("freeze", "origin", "transfer", "subdivide", "delete-points"):
        pick = subject.pick if subject.pick.kind != "faces" else Pick("points", [0, 1, 2])
        with pytest.raises(EditRefused, match=r"Whip|pick"):
            operation.make(replace(subject, pick=pick), given_for(operation, subject))
        return
    made = operation.make(subject, given_for(operation, subject))
    write_native(tmp_path / "s.fictilis", made.scene)
    assert same(read_native(tmp_path / "s.fictilis"), made.scene)


def test_picks_follow_the_strands():
    at = Pick("points", [3])
    assert picks.grow(WHIP, at).elements.tolist() == [2, 3, 4]
    assert picks.connected(WHIP, at).elements.tolist() == list(range(12))
    assert picks.as_kind(WHIP, Pick("points", [2, 3]), "edges").elements.tolist() == [2]
    assert not len(picks.as_kind(WHIP, at, "faces")) and picks.element_count(WHIP, "edges") == 19
    assert [len(row) for row in picks.chains(WHIP, np.arange(20))] == [12, 9]


@pytest.mark.parametrize("kind", sorted(BRUSHES))
def test_brushes_take_a_line(whip, kind):
    obj, points = whip.object(OBJ), whip_points()
    goal = points + [0, 1, 0]
    stroke = BrushStroke(obj, points, np.zeros((20, 3)), Brush(kind, 2.5, along_surface=True), goal=goal)
    stroke.dab(points[5], np.array([5, 6]))
    moved = stroke.moved()
    assert np.isfinite(moved.offsets).all() and set(moved.indices) <= set(range(12))
    assert (moved.largest > 0) == (kind in ("smooth", "pinch", "crease", "erase", "blend"))


def test_a_copy_with_other_strands_is_no_plain_target(whip):
    scene, _ = target_from_mesh(whip, OBJ, "Same", Line(starts=[0, 12, 20], closed=[False, True]), whip_points())
    assert scene.object(OBJ).targets[-1].name == "Same"
    for other, said in (
        (Line(starts=[0, 12, 20], closed=[False, False]), "only the base Whip joins the points 13 and 20"),
        (Line(starts=[0, 19], closed=[False]), "has 19 points, the base Whip has 20"),
    ):
        with pytest.raises(NotATarget, match=said):
            target_from_mesh(whip, OBJ, "Odd", other, whip_points()[: other.point_count])


@pytest.mark.parametrize("degree", [1, 3])
def test_formats_hold_a_line_as_it_is_drawn(whip, sheet, tmp_path, degree):
    from fictilis.formats.obj import read_obj

    scene = set_curve(whip, OBJ, degree, True)
    fine = drawn(scene.object(OBJ).line)
    assert (export(scene, tmp_path / "w.obj") == []) is (degree == 1)
    (read,) = read_obj(tmp_path / "w.obj").objects
    assert np.allclose(read.points, fine.of(whip_points())) and read.geometry.closed.tolist() == [False, True]
    export(scene, tmp_path / "w.glb")
    data, arrays = read_arrays(tmp_path / "w.glb")
    assert data.meshes[0].primitives[0].mode == 1 and np.allclose(arrays["POSITION"] * 100, fine.of(whip_points()), atol=1e-4)
    curl = scene.object(OBJ).targets[0].deltas.dense(20)
    assert np.allclose(arrays["targets"][-1]["POSITION"] * 100, fine.of(curl), atol=1e-4)
    assert len(arrays["indices"]) == 2 * len(edges(fine.line))
    both = replace(sheet, objects=(*sheet.objects, replace(whip.object(OBJ), id="o2")))
    assert len(export_shapes(both, tmp_path / "shapes")[0]) == 5


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda g: g.update(points=[12, 7]), "19 points, but 20 are stored"),
        (lambda g: g.update(closed=[True]), "2 strands, but says of 1"),
        (lambda g: g.update(points=[19, 1]), "strand 2 has 1 points"),
        (lambda g: g.update(kind="loop"), "scene.json"),
        (lambda g: g.update(points=[10**30, 8]), "scene.json|its points is"),
    ],
)
def test_a_damaged_line_is_one_sentence(whip, tmp_path, change, said):
    path = tmp_path / "w.fictilis"
    write_native(path, whip)
    assert same(read_native(path), whip)
    edit_json(path, lambda record: change(record["objects"][0]["geometry"]))
    with pytest.raises(BadFile, match=said) as refused:
        read_native(path)
    assert len(str(refused.value)) <= 300


def test_a_line_is_drawn_in_its_colour_and_hit_on_its_strand(whip):
    from fictilis.core.timeline import SceneCamera
    from fictilis.render.camera import Camera
    from fictilis.render.picking import hit_shape
    from fictilis.render.renderer import Renderer
    from fictilis.render.snapshot import snapshot

    red = replace(whip.object(OBJ), appearance=replace(whip.object(OBJ).appearance, colour="#FF0000"))
    scene, _ = add_camera(whip.with_object(red), SceneCamera("", "Eye", (5.0, 3.0, 0.0), 24.0, 0.0, 0.0))
    picture = snapshot(Renderer(), scene, 0, 320, 240).astype(int)
    drawn = (picture[..., 0] > 180) & (picture[..., 1] < 110)
    assert 150 < drawn.sum() < 3000
    camera = Camera.of(scene.cameras[0])
    points = evaluate_object(red, 0, 24)
    between = (points[4] + points[5]) / 2
    (at,), _ = camera.project(between[None], 320, 240)
    hit = hit_shape(red.geometry, points, camera, tuple(at + [0, 3]), (320, 240))
    assert hit.face == -1 and set(hit.points) == {4, 5} and np.linalg.norm(hit.place - between) < 0.6
    assert drawn[int(at[1]) - 2 : int(at[1]) + 3, int(at[0]) - 2 : int(at[0]) + 3].any()
    assert hit_shape(red.geometry, points, camera, (5.0, 5.0), (320, 240)) is None
