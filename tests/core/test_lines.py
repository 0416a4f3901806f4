"""A line stands wherever an object may; what needs faces refuses it by name."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.at_frame.cameras import placed_camera
from fictilis.core.at_frame.paths import points_over
from fictilis.core.at_frame.pose import Pose, placement
from fictilis.core.edits import clips
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.lines import set_along, set_curve, set_match, set_tube, stack_lines, target_from_line
from fictilis.core.edits.objects import add_object, remove_object
from fictilis.core.edits.shape import move_shape, set_mask
from fictilis.core.edits.targets import add_in_between, set_built_on, target_from_mesh, target_from_points
from fictilis.core.edits.timeline import add_camera
from fictilis.core.edits.topology import carry_through
from fictilis.core.geometry.kinds import Line, Match, Tube
from fictilis.core.geometry.lines import reshaping
from fictilis.core.geometry.lines.line_forms import circle
from fictilis.core.geometry.lines.measuring import strands as measured
from fictilis.core.geometry.lines.outlines import solid_of
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.tubes import line_profile, round_profile, tube_points
from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.picked import Pick, element_count
from fictilis.core.geometry.topology import border_points, components, edges, neighbours, triangles
from fictilis.core.ground.affine import placed
from fictilis.core.ground.errors import BadFile, EditRefused, NotATarget
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.channels import channels, find_channel, own_placement
from fictilis.core.mix.delta_bank import mixed_points
from fictilis.core.mix.relay import poses
from fictilis.core.mix.shapes import ShapeRef, full_shape
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.core.scene.matches import match_of
from fictilis.core.scene.places import Transform
from fictilis.core.scene.scene import Deltas, Scene
from fictilis.core.scene.timeline import SceneCamera
from fictilis.core.shaping import picks
from fictilis.core.shaping.brushes import BRUSHES, Brush, BrushStroke
from fictilis.core.shaping.falloff import surface_links
from fictilis.formats.native import read_native, write_native
from fictilis.formats.obj import read_obj
from fictilis.formats.registry import export, export_shapes
from fictilis.render.camera import Camera
from tests.formats.gltf_player import accessor, read_arrays
from tests.mixes import mix_at
from tests.operated import OBJ, given_for, subject_for
from tests.render.drawn import snapshot
from tests.sameness import edit_json, same
from tests.whips import WHIP, whip_points


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
    [([0, 1], [False], "strand 1 has 1 points"), ([0, 2], [True], "3 when closed"), ([1, 4], [False], "starts at its point 0"),
     ([0, 4], [], "but 0 say"), ([0, 4, 2], [False, False], "strand 2 has -2 points")],
)  # fmt: skip
def test_a_strand_too_short_is_refused(starts, closed, said):
    with pytest.raises(ValueError, match=said):
        Line(starts=starts, closed=closed)


ELSEWHERE = [o for o in OPERATIONS.values() if o.part != "line"]  # those of lines run in test_operations


OF_LINES_TOO = ("freeze", "origin", "size", "transfer", "subdivide", "delete-points")


@pytest.mark.parametrize("operation", ELSEWHERE, ids=[o.id for o in ELSEWHERE])
def test_an_operation_runs_on_a_line_or_refuses_it_by_name(operation, everything, tmp_path):
    sheet = everything.object(OBJ)
    line = replace(sheet, name="Whip", geometry=Line(starts=[0, 25], closed=[False]), groups=sheet.groups, surface=None)
    scene = everything.with_object(line)
    subject = subject_for(operation, scene)
    able = ("freeze", "origin", "size", "transfer", "subdivide", "delete-points")
    if operation.part == "mesh" and operation.verb not in able or operation.id in ("object-smooth", "object-hide-surface"):
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
    assert not len(picks.as_kind(WHIP, at, "faces")) and element_count(WHIP, "edges") == 19
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
        (lambda g: g.update(points=[12, 7]), "20 base points, but the line counts 19"),
        (lambda g: g.update(closed=[True]), "2 strands, but 1 say"),
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


def test_a_line_is_drawn_in_its_colour_and_hit_on_its_strand(whip, renderer):
    from fictilis.core.scene.timeline import SceneCamera
    from fictilis.render.camera import Camera
    from fictilis.render.picking import hit_shape

    red = replace(whip.object(OBJ), appearance=replace(whip.object(OBJ).appearance, colour="#FF0000"))
    scene, _ = add_camera(whip.with_object(red), SceneCamera("", "Eye", (5.0, 3.0, 0.0), 24.0, 0.0, 0.0))
    picture = snapshot(renderer, scene, 0, 320, 240).astype(int)
    drawn = (picture[..., 0] > 180) & (picture[..., 1] < 110)
    assert 150 < drawn.sum() < 3000
    camera = Camera.of(scene.cameras[0])
    points = mix_at(red, 0, 24)
    between = (points[4] + points[5]) / 2
    (at,), _ = camera.project(between[None], 320, 240)
    hit = hit_shape(red.geometry, points, camera, tuple(at + [0, 3]), (320, 240))
    assert hit.face == -1 and set(hit.points) == {4, 5} and np.linalg.norm(hit.place - between) < 0.6
    assert drawn[int(at[1]) - 2 : int(at[1]) + 3, int(at[0]) - 2 : int(at[0]) + 3].any()
    assert hit_shape(red.geometry, points, camera, (5.0, 5.0), (320, 240)) is None


RESHAPED = {
    "insert": lambda line: reshaping.insert_points(line, np.array([3, 14])),
    "insert in one": lambda line: reshaping.insert_points(line, np.array([14])),
    "delete": lambda line: reshaping.delete_points(line, np.array([2, 15])),
    "split": lambda line: reshaping.split(line, np.array([4, 15])),
    "join itself": lambda line: reshaping.join(line, np.array([0, 11])),
    "open": lambda line: reshaping.close(line, np.array([13]), False),
    "reverse": lambda line: reshaping.reverse(line, np.zeros(0, int)),
    "first": lambda line: reshaping.start_at(line, np.array([15])),
    "rebuild": lambda line: reshaping.rebuild(line, whip_points(), 17, 3, False, False),
}


@pytest.mark.parametrize("change", RESHAPED)
@pytest.mark.parametrize("degree", [1, 3])
def test_what_is_changed_of_a_line_is_changed_of_every_target(whip, change, degree):
    """The mix of the changed line is the changed mix: with mask, in-between, sweep and widths."""
    line = replace(WHIP, degree=degree, widths=np.linspace(0.5, 2, 20))
    scene = set_mask(whip.with_object(replace(whip.object(OBJ), geometry=line)), OBJ, "t1", np.linspace(0, 1, 20))
    obj = scene.object(OBJ)
    carry = RESHAPED[change](line)
    new = carry_through(scene, OBJ, carry).object(OBJ)
    assert new.geometry is carry.geometry and np.allclose(new.line.widths, carry.matrix @ line.widths)
    for weight in (0.0, 0.3, 1.0):
        points = mixed_points(obj, shares_at(obj, 0.0, {"t1": weight}))
        assert np.allclose(mixed_points(new, shares_at(new, 0.0, {"t1": weight})), carry.base(points), atol=1e-9)


def test_strands_after_each_change():
    def told(carry):
        return carry.geometry.counts.tolist(), carry.geometry.closed.tolist()

    wanted = {
        "insert": ([13, 9], [False, True]), "insert in one": ([12, 9], [False, True]),
        "delete": ([11, 7], [False, True]), "split": ([5, 8, 9], [False] * 3),
        "join itself": ([12, 8], [True, True]), "open": ([12, 8], [False, False]), "reverse": ([12, 8], [False, True]),
        "first": ([12, 8], [False, True]), "rebuild": ([17, 17], [False, True]),
    }  # fmt: skip
    assert {name: told(change(WHIP)) for name, change in RESHAPED.items()} == wanted
    three = reshaping.split(WHIP, np.array([4]))
    assert told(reshaping.join(three.geometry, np.array([4, 5]))) == ([13, 8], [False, True])
    assert told(reshaping.delete_points(WHIP, np.arange(1, 13))) == ([7], [True])


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda: reshaping.delete_points(WHIP, np.arange(20)), "Nothing would be left"),
        (lambda: reshaping.split(WHIP, np.array([0, 11])), "nothing to be cut off"),
        (lambda: reshaping.join(WHIP, np.array([0, 13])), "two ends of open strands"),
        (lambda: reshaping.join(WHIP, np.array([0])), "two ends of open strands"),
        (lambda: reshaping.start_at(WHIP, np.array([3])), "one point of a closed strand"),
        (lambda: reshaping.insert_points(WHIP, np.zeros(0, int)), "Pick two points"),
        (lambda: reshaping.rebuild(WHIP, whip_points(), 2, 1, True, False), "needs 3"),
        (lambda: reshaping.close(reshaping.delete_points(WHIP, np.arange(2, 12)).geometry, np.array([0])), "two points cannot"),
    ],
)
def test_what_cannot_be_changed_is_said(change, said):
    with pytest.raises(EditRefused, match=said):
        change()


@pytest.mark.parametrize("strands", [1, 2, 4])
@pytest.mark.parametrize("degree", [1, 3])
def test_a_line_of_other_strands_becomes_a_target(whip, strands, degree):
    """More strands grow out of single places of the base; fewer leave strands that shrink to one. Saved, opened, shifted."""
    rng = np.random.default_rng(strands)
    counts = rng.integers(4, 30, strands)
    other = Line(starts=np.cumsum([0, *counts]), closed=np.arange(strands) % 2 == 1, degree=degree)
    points = rng.normal(size=(counts.sum(), 3)) * 8
    scene, target_id, grown = target_from_line(whip, OBJ, "Odd", Match(other, points))
    obj = scene.object(OBJ)
    assert grown == max(strands - 2, 0) and obj.line.strand_count == max(strands, 2)
    extra = obj.base[20:]
    for a, b in zip(obj.line.starts[2:-1], obj.line.starts[3:], strict=True):
        assert np.ptp(extra[a - 20 : b - 20], axis=0).max() == 0
    full = full_shape(obj, target_id)
    fine = np.concatenate([s.at(s.places(np.linspace(0, 1, 4000))) for s in measured(other, points)])
    own = [full[a:b] for a, b in zip(obj.line.starts, obj.line.starts[1:], strict=False)]
    assert sum(np.ptp(part, axis=0).max() < 1e-9 for part in own) == max(2 - strands, 0)
    for part in own:
        gaps = np.linalg.norm(part[:, None] - fine[None], axis=2).min(axis=1)
        assert gaps.max() < 0.2  # on the other line
    assert match_of(obj, obj.target(target_id)) is obj.target(target_id).match
    shifted = set_match(scene, OBJ, target_id, 0.2, True, False)
    again = set_match(shifted, OBJ, target_id, 0.0, False, False).object(OBJ).target(target_id)
    assert np.array_equal(again.deltas.offsets, obj.target(target_id).deltas.offsets)
    moved = move_shape(scene, OBJ, ShapeRef(target_id), Deltas(np.array([3]), np.ones((1, 3))))
    assert match_of(moved.object(OBJ), moved.object(OBJ).target(target_id)) is None
    with pytest.raises(EditRefused, match="not a matched line any more"):
        set_match(moved, OBJ, target_id, 0.2, False, False)


def test_a_stack_runs_through_all_lines_and_back(whip):
    others = [(f"Loop {n}", Match(*circle(5.0 + n, 9 + n)[::-1])) for n in range(3)]
    scene, row, grown = stack_lines(whip, OBJ, others, "Row", 0.0, 10.0, back=True)
    obj = scene.object(OBJ)
    assert grown == 0 and [key.frame for key in poses(obj, row)] == [0, 10, 20, 30, 40]
    assert np.allclose(mix_at(obj, 20.0), full_shape(obj, obj.targets[2].id))
    assert np.allclose(mix_at(obj, 40.0), obj.base) and [t.name for t in obj.targets[1:]] == [n for n, _ in others]


def test_edges_of_a_mesh_become_a_line_that_moves_as_it_does(sheet):
    subject = Subject(sheet, OBJ, ("t1",), Pick("points", [10, 11, 12, 13, 14]))
    made = OPERATIONS["line-from-edges"].make(subject, {"name": "Middle"})
    line = made.scene.object(made.object_id)
    assert line.name == "Middle" and line.line.counts.tolist() == [5] and len(line.targets) == len(sheet.object(OBJ).targets)
    assert np.allclose(full_shape(line, line.targets[0].id), full_shape(sheet.object(OBJ), "t1")[[10, 11, 12, 13, 14]])
    made = OPERATIONS["line-from-edges"].make(subject, {"border": True})
    assert made.scene.object(made.object_id).line.closed.tolist() == [True]


def test_a_sweep_runs_along_each_strand_and_needs_a_line(whip, sheet):
    whip, plain = target_from_points(whip, OBJ, "Rise", whip_points() + [0, 2, 0])
    made = OPERATIONS["target-sweep"].make(Subject(whip, OBJ, (plain,)), {"way": "line"}).scene
    field = made.object(OBJ).target(plain).sweep.field
    assert field[0] == 0 and field[11] == 1 and np.all(np.diff(field[:12]) > 0) and field[12] == 0 and field[19] < 1
    with pytest.raises(EditRefused, match="needs a line"):
        OPERATIONS["target-sweep"].make(Subject(sheet, OBJ, ("t1",)), {"way": "line"})


@pytest.fixture
def hose(whip):
    """The whip as a tube that is drawn on, with a mask, an in-between and a target built on another."""
    scene = OPERATIONS["line-tube"].make(Subject(whip, OBJ), {"sides": 6, "width": 0.5, "twist": 40.0}).scene
    scene = set_mask(scene, OBJ, "t1", np.linspace(0.2, 1, 20))
    scene, more = target_from_points(scene, OBJ, "Lean", whip_points() + whip_points()[:, [1]] * [1, 0, 0])
    scene = set_built_on(scene, OBJ, more, "t1")
    for frame, value in ((0, 0.0), (24, 1.0)):
        scene = set_key(scene, OBJ, "line.end", Key(frame, value, "linear"))
    return scene


def test_a_tube_is_saved_drawn_on_and_taken_off(hose, tmp_path):
    write_native(tmp_path / "h.fictilis", hose)
    assert same(read_native(tmp_path / "h.fictilis"), hose)
    obj = hose.object(OBJ)
    assert own_placement(obj, 12.0).drawn == (0.0, 0.5) and [c.id for c in channels(obj)][-2:] == ["line.start", "line.end"]
    assert obj.line.tube.twist == 40 and np.all(obj.line.widths == 0.5)
    bare = OPERATIONS["line-no-tube"].make(Subject(hose, OBJ)).scene.object(OBJ)
    assert (
        bare.line.tube is None
        and OPERATIONS["line-no-tube"].missing(Subject(hose.with_object(bare), OBJ)) == "Whip has no tube."
    )


def test_the_mesh_of_a_tube_has_its_shape_at_every_target(hose, tmp_path):
    obj = hose.object(OBJ)
    made = OPERATIONS["line-tube-mesh"].make(Subject(hose, OBJ), {"name": "Hose"})
    solid = made.scene.object(made.object_id)
    assert (
        solid.name == "Hose"
        and solid.mesh.face_count == 11 * 6 + 2 + 8 * 6
        and [t.name for t in solid.targets] == ["Curl", "Lean"]
    )
    for weights in ({}, {"t1": 1.0}, {"t2": 1.0}, {"t1": 0.5}):
        line = mixed_points(obj, shares_at(obj, 0.0, {"t1": 0.0, "t2": 0.0} | weights))
        mesh = mixed_points(solid, shares_at(solid, 0.0, {"t1": 0.0, "t2": 0.0} | weights))
        assert np.allclose(mesh, tube_points(obj.line, line), atol=1e-9), weights
    said = " ".join(export(set_key(hose, OBJ, "t2", Key(0, 0.7)), tmp_path / "h.glb"))
    assert "not as far as they are drawn: Whip" in said and "exact at its targets, and up to" in said
    export(hose, tmp_path / "h.obj", 12.0)
    (read,) = read_obj(tmp_path / "h.obj").objects
    assert np.allclose(read.points, tube_points(obj.line, mix_at(obj, 12.0), (0.0, 0.5)))
    data, arrays = read_arrays(tmp_path / "h.glb")
    assert data.meshes[0].primitives[0].mode == 4 and len(arrays["targets"]) == 3


def test_only_lines_are_drawn_in_part(hose, sheet, tmp_path):
    assert find_channel(sheet.object(OBJ), "line.end") is None
    with pytest.raises(EditRefused, match="nothing called line.end"):
        set_key(sheet, OBJ, "line.end", Key(0, 0.5))
    write_native(tmp_path / "h.fictilis", hose)
    edit_json(tmp_path / "h.fictilis", lambda r: r["objects"][0]["geometry"]["tube"].update(twist=float("1e400")))
    with pytest.raises(BadFile, match="scene.json"):
        read_native(tmp_path / "h.fictilis")


@pytest.mark.parametrize("frame", [0, 6, 24])
def test_a_tube_is_seen_as_far_as_it_is_drawn(hose, frame, renderer):
    from fictilis.core.scene.timeline import SceneCamera

    scene, _ = add_camera(hose, SceneCamera("", "Eye", (5.0, 3.0, 0.0), 24.0, 0.0, 0.0))
    plain = snapshot(renderer, replace(scene, objects=()), frame, 320, 240).astype(int)
    seen = (np.abs(snapshot(renderer, scene, frame, 320, 240).astype(int) - plain).max(axis=2) > 40).sum()
    low, high = {0: (0, 60), 6: (100, 900), 24: (1000, 5000)}[frame]
    assert low <= seen <= high


@pytest.mark.parametrize("bevel", [0.0, 0.1])
def test_a_solid_has_its_outline_at_every_target_and_mixes_with_it(whip, bevel):
    scene, spin = target_from_points(whip, OBJ, "Spin", whip_points() @ [[0, 1, 0], [-1, 0, 0], [0, 0, 1]])
    scene = set_key(set_mask(scene, OBJ, spin, np.linspace(0.5, 1, 20)), OBJ, spin, Key(0, 0.5))
    made = OPERATIONS["line-fill"].make(Subject(scene, OBJ), {"thickness": 1.0, "bevel": bevel, "name": "Pebble"})
    obj, solid = scene.object(OBJ), made.scene.object(made.object_id)
    assert (solid.name, len(solid.base)) == ("Pebble", 8 * (4 if bevel else 2)) and [x.channel for x in solid.lanes] == [spin]
    own = solid_of(obj.line, obj.base, 1.0, bevel)
    for weight in (0.0, 1.0) if bevel else (0.0, 0.4, 1.0, 1.7):
        line = mixed_points(obj, shares_at(obj, 0.0, {spin: weight}))
        assert np.allclose(mixed_points(solid, shares_at(solid, 0.0, {spin: weight})), own.points(line), atol=1e-9)


@pytest.fixture
def led() -> Scene:
    """A ball that follows a ring of radius 50 once around in 48 frames."""
    scene, ring = add_form(Scene(name="Ring"), "Circle", {"points": 64})
    scene, ball = add_form(scene, "Ball", {"radius": 5.0, "segments": 2})
    scene, _ = target_from_points(scene, ring, "Wide", scene.object(ring).base * [2, 1, 1])
    return OPERATIONS["object-along"].make(Subject(scene, ball), {"other": "Circle", "range": (0.0, 48.0)}).scene


def test_an_object_follows_a_line_that_morphs_and_moves(led, tmp_path):
    """Closed form: a place on a circle, and its tangent; twice as wide where the ring is."""
    ring, ball = led.objects

    def where(scene, frame, posed=None):
        return placement(scene, scene.objects[1], frame, posed).transform

    for frame in (0.0, 6.0, 12.0, 30.0):
        angle = 2 * np.pi * frame / 48
        at = where(led, frame)
        assert np.allclose(at.position, 50 * np.array([np.cos(angle), np.sin(angle), 0]), atol=0.02)
        forward = at.rotation_matrix() @ [0, 0, 1]
        assert np.allclose(forward, [-np.sin(angle), np.cos(angle), 0], atol=0.02)
    assert where(led, 24.0, {ring.id: {"t1": 1.0}}).position[0] == pytest.approx(-100, abs=0.1)
    moved = led.with_object(replace(ring, transform=Transform(position=(0, 7, 0))))
    assert where(moved, 0.0).position == pytest.approx((50, 7, 0), abs=1e-6)
    still = set_along(led, ball.id, ring.id, turn=False)
    assert np.allclose(where(still, 12.0).rotation_matrix(), np.eye(3))
    aside = led.with_object(replace(ball, transform=Transform(position=(0, 0, 3))))
    assert np.allclose(where(aside, 0.0).position, (50, 3, 0), atol=0.01)  # its own place counts along the line
    write_native(tmp_path / "r.fictilis", led)
    assert same(read_native(tmp_path / "r.fictilis"), led)
    assert np.allclose(points_over(led, ball, np.array([0]), np.array([12.0]))[0, 0],
                       placed(ball.base[:1], placement(led, ball, 12.0).transform.matrix())[0])  # fmt: skip


def test_by_points_or_by_length_and_beyond_the_ends():
    points = np.array([[0, 0, 0], [1, 0, 0], [10, 0, 0]], float)
    scene, line = add_object(Scene(), "Way", Line(starts=[0, 3], closed=[False]), points)
    for even, value, x in ((True, 0.5, 5.0), (False, 0.5, 1.0), (False, 0.75, 5.5), (True, -3.0, 0.0), (True, 7.0, 10.0)):
        place, axes = Pose(scene, scene.object(line), 0.0).place_on(value, even)
        assert place[0] == pytest.approx(x) and np.allclose(axes, [[0, 0, -1], [0, 1, 0], [1, 0, 0]])


def test_a_line_that_goes_leaves_what_followed_it_where_it_stands_itself(led):
    ring, ball = led.objects
    stowed = clips.duplicate_clip(led, "Round")[0]
    scene = remove_object(stowed, ring.id)
    left = scene.objects[0]
    assert left.along is None and not left.lanes and placement(scene, left, 12.0).transform.position == (0, 0, 0)
    assert all(lane.channel != "along" for c in scene.clips for part in c.parts for lane in part.lanes)
    freed = OPERATIONS["object-no-along"].make(Subject(led, ball.id)).scene
    assert freed.object(ball.id).along is None and find_channel(freed.object(ball.id), "along") is None


def test_lines_do_not_follow_one_another_in_a_circle(led, tmp_path):
    ring, ball = led.objects
    scene, other = add_form(led, "Wave", {})
    scene = set_along(scene, other, ring.id)
    with pytest.raises(EditRefused, match="Circle cannot follow Wave, which follows Circle itself"):
        set_along(scene, ring.id, other)
    with pytest.raises(EditRefused, match="Circle cannot follow Circle|cannot follow Circle, which"):
        set_along(scene, ring.id, ring.id)
    with pytest.raises(EditRefused, match="needs a line"):
        set_along(scene, other, ball.id)
    for wrong in ("o9", ball.id, other):
        write_native(tmp_path / "c.fictilis", scene)
        edit_json(tmp_path / "c.fictilis", lambda r, w=wrong: r["objects"][2]["along"].update(line=w))
        with pytest.raises(BadFile):
            read_native(tmp_path / "c.fictilis")


def test_gltf_has_the_motion_along_a_line_at_every_frame(led, tmp_path):
    export(led, tmp_path / "a.glb")
    data, _ = read_arrays(tmp_path / "a.glb")
    channel = next(c for c in data.animations[0].channels if c.target.node == 1 and c.target.path == "translation")
    sampler = data.animations[0].samplers[channel.sampler]
    times, places = accessor(data, sampler.input), accessor(data, sampler.output)
    at = int(np.argmin(np.abs(times - 0.5)))
    wanted = placement(led, led.objects[1], 12.0).transform.position
    assert times[at] == pytest.approx(0.5) and np.allclose(places[at] * 100, wanted, atol=0.01)


def test_a_tube_of_too_many_points_is_refused(whip, monkeypatch):
    monkeypatch.setattr("fictilis.core.edits.lines.MOST_TUBE", 600_000)
    long = replace(whip.object(OBJ), geometry=Line(starts=[0, 20], closed=[False], degree=3))
    scene = OPERATIONS["line-tube"].make(Subject(whip.with_object(long), OBJ), {"sides": 256}).scene
    with pytest.raises(EditRefused, match="would have 626,688 points; more than 600,000"):
        set_tube(scene, OBJ, Tube(np.tile(round_profile(256), (16, 1))))
    ring = np.pad(round_profile(5000), ((0, 0), (0, 1)))
    with pytest.raises(EditRefused, match="closed strand of 5,000 places; a profile has up to 4,096"):
        line_profile(Line(starts=[0, 5000], closed=[True], degree=1), ring)


@pytest.mark.parametrize("turn", [True, False])
def test_a_camera_stands_on_a_line_and_looks_along_it_or_at_its_place(led, turn, tmp_path):
    """Source: the definition of a camera that turns about its centre; its eye is the place on the line."""
    scene, camera = add_camera(led, SceneCamera("", "Camera", (5.0, -30.0, 2.0), 80.0, 10.0, -5.0))
    with pytest.raises(EditRefused, match="needs a line"):
        set_along(scene, camera, led.objects[1].id)
    given = {"other": led.objects[0].id, "still": not turn}
    scene = OPERATIONS["camera-along"].make(Subject(scene), given).scene
    for frame in (0.0, 33.0, 96.0):
        seen = Camera.of(placed_camera(scene, scene.camera, frame))
        place, axes = Pose(scene, scene.objects[0], frame).place_on(frame / 96)
        assert np.allclose(seen.position(), place)
        if turn:
            yaw, pitch = (float(np.degrees(a)) for a in (np.arctan2(-axes[2][0], -axes[2][2]), np.arcsin(-axes[2][1])))
            assert np.allclose((np.cos(np.radians(seen.yaw)), seen.pitch), (np.cos(np.radians(yaw + 10)), max(pitch - 5, -90)))
        else:
            assert seen.centre == (5.0, -30.0, 2.0)
    write_native(tmp_path / "c.fictilis", scene)
    assert same(read_native(tmp_path / "c.fictilis"), scene)
    left = remove_object(scene, led.objects[0].id).camera
    assert left.along is None and not left.lanes
    assert OPERATIONS["camera-no-along"].make(Subject(scene)).scene.camera.along is None


def test_a_target_that_can_be_matched_no_more_is_named(everything):
    """A line that is changed keeps the shape of a target that was made of another line, and says what is gone."""
    operation = OPERATIONS["line-reverse"]
    subject = subject_for(operation, everything)
    made = operation.make(subject)
    obj = subject.obj
    (matched,) = (t for t in obj.targets if t.match is not None)
    assert made.scene.object(obj.id).target(matched.id).match is None
    assert made.said.endswith(
        f"{matched.name} keeps its shape, but has no start and direction to set any more; match again for that."
    )
