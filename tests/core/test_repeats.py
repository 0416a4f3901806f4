"""Repeats: where copies stand against SciPy's rotations, when they move, what becomes of them, in files and for others."""

import json
from types import SimpleNamespace

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.spatial.transform import Rotation

from fictilis.core.animation.curve import Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.at_frame.copies import copies, up_to
from fictilis.core.at_frame.drawn import finer_of
from fictilis.core.at_frame.pose import Pose
from fictilis.core.edits.deformers import change_deformer
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.lines import set_along
from fictilis.core.edits.objects import remove_object
from fictilis.core.edits.repeats import many_objects, one_object, set_repeat
from fictilis.core.edits.targets import target_from_points
from fictilis.core.edits.timing import set_modifiers
from fictilis.core.edits.topology import set_surface
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.normals import normals_of_many, point_normals
from fictilis.core.ground.affine import placed
from fictilis.core.ground.errors import BadFile, EditRefused
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.core.scene.places import Transform
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.scene import Scene
from fictilis.core.validity.scenes import check
from fictilis.formats.native import read_native, write_native
from fictilis.formats.registry import export, read_meshes
from tests.formats.gltf_player import accessor, play, read_arrays
from tests.mixes import mix_at
from tests.rigged import rigged
from tests.sameness import edit_json

PLACE = Transform((3.0, -2.0, 5.0), (20.0, -35.0, 50.0), (2.0, 2.0, 2.0), (1.0, 0.5, -1.0))
REPEATS = {
    "grid": Repeat("grid", (3, 2, 2), (4.0, 6.0, 9.0), "all", later=10.0, order="point", origin=(1.0, 2.0, 0.0)),
    "sizes": Repeat("grid", (4, 1, 1), (1.0, 1.0, 1.0), "sizes", later=9.0, turns=10.0, sizes=0.2),
    "ring": Repeat("ring", (5, 1, 1), radius=12.0, axis="z", later=-8.0, order="y"),
    "arc": Repeat("ring", (3, 1, 1), radius=12.0, angle=90.0, turn=False),
    "line": Repeat("line", (4, 1, 1), other="o2", later=6.0, order="random"),
    "points": Repeat("points", other="o3", later=12.0, order="x", turns=5.0),
    "faces": Repeat("faces", other="o3", turn=False, sizes=0.3, later=5.0),
}


@pytest.fixture(scope="module")
def plain():
    """A ball with two keyed targets, a wave that moves, and a box with a target."""
    scene, ball = add_form(Scene(), "Ball", {"radius": 2.0, "segments": 2})
    base, mesh = scene.object(ball).base, scene.object(ball).mesh
    bare = Mesh(mesh.point_count, mesh.corners, mesh.offsets)  # without seams, where files split points
    scene = scene.with_object(replace(scene.object(ball), geometry=bare))
    scene, wide = target_from_points(scene, ball, "Wide", base * [2, 1, 1])
    scene, tall = target_from_points(scene, ball, "Tall", base * [1, 2, 1])
    for frame, value in ((0, 0.0), (24, 1.0), (60, 0.25)):
        scene = set_key(set_key(scene, ball, wide, Key(frame, value)), ball, tall, Key(frame + 4, 1 - value, "smooth"))
    scene, wave = add_form(scene, "Wave", {"points": 9})
    scene, box = add_form(scene, "Box", {"segments": 1})
    scene, _ = target_from_points(scene, box, "Long", scene.object(box).base * [1, 3, 1])
    for frame, value in ((0, 0.0), (48, 1.0)):
        scene = set_key(set_key(scene, box, "t1", Key(frame, value)), wave, "position.y", Key(frame, 20 * value))
    return scene.with_object(replace(scene.object(ball), transform=PLACE))


def repeated(scene, name):
    return set_repeat(scene, "o1", REPEATS[name])


def test_a_grid_counts_x_first_and_a_ring_turns_about_its_axis(plain):
    """Source: SciPy's Rotation, and the definition of a grid."""
    own = PLACE.matrix()
    spread = copies(repeated(plain, "grid"), repeated(plain, "grid").object("o1"), 0.0)
    wanted = [own @ _moved((2.0 * x, 6.0 * y, 9.0 * z)) for z in range(2) for y in range(2) for x in range(3)]
    assert np.allclose(spread.matrices, wanted)
    far = np.linalg.norm([(2.0 * x - 1, 6.0 * y - 2, 9.0 * z) for z in range(2) for y in range(2) for x in range(3)], axis=1)
    assert np.allclose(spread.delays, 10 * (far - far.min()) / np.ptp(far))
    spread = copies(repeated(plain, "ring"), repeated(plain, "ring").object("o1"), 0.0)
    for k, matrix in enumerate(spread.matrices):
        turn = Rotation.from_euler("z", 72 * k, degrees=True).as_matrix()
        assert np.allclose(matrix, own @ _moved(turn @ [0, 12.0, 0], turn))
    spread = copies(repeated(plain, "arc"), repeated(plain, "arc").object("o1"), 0.0)
    assert np.allclose(spread.matrices[2], own @ _moved(Rotation.from_euler("y", 90, degrees=True).apply([12.0, 0, 0])))
    sizes = copies(repeated(plain, "sizes"), repeated(plain, "sizes").object("o1"), 0.0)
    assert np.allclose(np.diff((sizes.inner[:, :3, :3] @ PLACE.pivot + sizes.inner[:, :3, 3])[:, 0]), 4.0)  # touching: its size
    scales = np.cbrt(np.linalg.det(sizes.inner[:, :3, :3]))
    assert np.ptp(scales) > 0.01 and (abs(scales - 1) <= 0.2).all()


def _moved(place, turn=np.eye(3)):
    out = np.eye(4)
    out[:3, :3], out[:3, 3] = turn, place
    return out


def test_more_copies_leave_the_others_as_they_are(plain):
    few, many = (
        copies(s, s.object("o1"), 0.0)
        for n in (3, 7)
        for s in [set_repeat(plain, "o1", Repeat("ring", (n, 1, 1), turns=20.0, sizes=0.5, later=30.0, order="random"))]
    )
    own = np.linalg.inv(few.inner[1]) @ few.inner[1]
    assert np.allclose(own, np.eye(4)) and np.array_equal(few.delays, many.delays[:3]) and (few.delays % 1 == 0).all()
    assert np.allclose(np.cbrt(np.linalg.det(few.inner[:, :3, :3])), np.cbrt(np.linalg.det(many.inner[:3, :3, :3])))


@pytest.mark.parametrize("name", ["line", "points", "faces"])
def test_copies_stand_on_another_object_while_it_morphs_and_moves(plain, name):
    scene = repeated(plain, name)
    ball, other = scene.object("o1"), scene.object(scene.object("o1").repeat.other)
    for frame in (0.0, 24.0, 48.0):
        spread = copies(scene, ball, frame)
        points = mix_at(other, frame)
        if name == "line":
            points = points + [0, 20 * frame / 48, 0]
            wanted = points[[0, -1]]
        else:
            wanted = points if name == "points" else [points[other.geometry.face(f)].mean(axis=0) for f in range(6)]
        turn = spread.outer[:, :3, :3] @ np.linalg.inv(PLACE.matrix()[:3, :3])
        offset = turn @ np.array(PLACE.position)
        pivots = spread.matrices[:, :3, :3] @ PLACE.pivot + spread.matrices[:, :3, 3] - offset
        assert np.allclose(pivots[[0, -1]] if name == "line" else pivots, wanted, atol=1e-9)
        assert len(spread) == scene.copy_count(ball) == len(spread.delays)
        if name == "points":
            assert np.allclose(turn[:, :, 1], point_normals(other.geometry, points))
    assert np.array_equal(copies(scene, ball, 0.0).delays, spread.delays)  # they do not change while it moves


def test_the_least_turn_to_a_normal():
    normals = np.array([[0, 1, 0], [0, -1, 0], [1, 0, 0], [0.6, 0, -0.8], [0, 0, 0]], float)
    turns = up_to(normals)
    assert np.allclose(turns[:4, :, 1], normals[:4]) and np.allclose(turns[4], np.eye(3))
    assert np.allclose(turns @ turns.transpose(0, 2, 1), np.eye(3)) and np.allclose(np.linalg.det(turns), 1)
    assert np.trace(turns[3]) == pytest.approx(1 + 2 * normals[3, 1])  # the angle between them


def test_normals_of_many_shapes_are_those_of_each(plain):
    for obj in plain.objects:
        shapes = (obj.base * np.linspace(1, 3, 4)[:, None, None] + np.sin(obj.base)).astype(np.float32)
        assert np.allclose(normals_of_many(obj.geometry, shapes), [point_normals(obj.geometry, s) for s in shapes], atol=1e-5)


def seen(scene, frame):
    """All copies of the first object in the scene, points (k, n, 3)."""
    obj = scene.object("o1")
    spread = copies(scene, obj, frame)
    shapes = np.array([mix_at(obj, frame - later) for later in spread.delays])
    return shapes @ spread.matrices[:, :3, :3].transpose(0, 2, 1) + spread.matrices[:, None, :3, 3]


@pytest.mark.parametrize("name", REPEATS)
def test_objects_from_copies_do_at_each_frame_what_the_copies_did(plain, name):
    scene = repeated(plain, name)
    if name == "grid":
        scene = set_modifiers(scene, "o1", "t2", (Modifier("wobble", numbers=(("height", 0.2),)),))
    if name == "ring":
        for frame, value in ((0, -35.0), (48, 100.0)):
            scene = set_key(scene, "o1", "rotation.y", Key(frame, value, "linear"))
    apart, ids = many_objects(scene, "o1")
    assert len(ids) == scene.copy_count(scene.object("o1")) and apart.object("o1").repeat is None
    for frame in (0.0, 7.0, 31.0):
        wanted = seen(scene, frame)
        for number, object_id in enumerate(ids):
            own = apart.object(object_id)
            spread = copies(apart, own, frame)
            found = mix_at(own, frame) @ spread.matrices[0, :3, :3].T + spread.matrices[0, :3, 3]
            assert np.abs(found - wanted[number]).max() < 1e-6, (frame, number)


def test_one_object_from_copies_has_their_points_in_every_target(plain):
    scene = set_repeat(plain, "o1", replace(REPEATS["grid"], later=0.0, turns=12.0, sizes=0.1))
    whole = one_object(scene, "o1", 0.0)
    assert whole.object("o1").geometry.face_count == 12 * plain.object("o1").geometry.face_count
    for frame in (0.0, 20.0):
        found = mix_at(whole.object("o1"), frame) @ PLACE.matrix()[:3, :3].T + PLACE.matrix()[:3, 3]
        assert np.abs(found - seen(scene, frame).reshape(-1, 3)).max() < 1e-9
    with pytest.raises(EditRefused, match="move at different times"):
        one_object(repeated(plain, "grid"), "o1", 0.0)


def test_copies_that_are_bent_or_posed_each_where_it_stands_are_no_points_of_one_object(plain):
    scene = set_repeat(plain, "o1", replace(REPEATS["grid"], later=0.0))
    with pytest.raises(EditRefused, match="hangs on a rig"):
        one_object(rigged(scene), "o1", 0.0)
    for kind in ("bend", "twist", "taper"):
        bent = change_deformer(scene, "o1", kind, amount=0.4)
        with pytest.raises(EditRefused, match=f"^The {kind} of .* as one"):
            one_object(bent, "o1", 0.0)
        resting = one_object(change_deformer(bent, "o1", kind, on=False), "o1", 0.0)
        assert len(resting.object("o1").base) == 12 * len(plain.object("o1").base)


@pytest.mark.parametrize("name", REPEATS)
def test_gltf_and_obj_show_what_the_copies_do(plain, name, tmp_path):
    """Source: glTF 2.0, 3.5 (nodes) and 3.7.2.2: a node's own weights win over its mesh's."""
    scene = repeated(plain, name)
    export(scene, tmp_path / "a.glb")
    data, _ = read_arrays(tmp_path / "a.glb")
    raw = (tmp_path / "a.glb").read_bytes()
    own_weights = [n.get("weights") for n in json.loads(raw[20 : 20 + int.from_bytes(raw[12:16], "little")])["nodes"]]
    primitive = data.meshes[0].primitives[0]
    base = accessor(data, primitive.attributes.POSITION).astype(float)
    targets = [accessor(data, t["POSITION"]).astype(float) for t in primitive.targets]
    parent = {child: n for n, node in enumerate(data.nodes) for child in node.children or []}
    shown = [n for n, node in enumerate(data.nodes) if node.mesh == 0]
    moving = {(c.target.node, c.target.path): data.animations[0].samplers[c.sampler] for c in data.animations[0].channels}
    assert len(data.meshes) == 3 and len(shown) == scene.copy_count(scene.object("o1"))

    def value(node, path, seconds):
        sampler = moving.get((node, path))
        if sampler is None:
            return own_weights[node] if path == "weights" else getattr(data.nodes[node], path)
        rows, times = accessor(data, sampler.output).astype(float), accessor(data, sampler.input).astype(float)
        three = 3 if sampler.interpolation == "CUBICSPLINE" else 1
        rows = rows.reshape(len(times), three, -1)
        track = SimpleNamespace(interpolation=sampler.interpolation, times=times, values=rows[:, three // 2],
                                tangents_in=rows[:, 0], tangents_out=rows[:, -1])  # fmt: skip
        return play(track, [seconds], path == "rotation")[0]

    def matrix(node, seconds):
        out = np.eye(4)
        turn = Rotation.from_quat(value(node, "rotation", seconds)).as_matrix()
        out[:3, :3] = turn * value(node, "scale", seconds)
        out[:3, 3] = value(node, "translation", seconds)
        return matrix(parent[node], seconds) @ out if node in parent else out

    for frame in (0.0, 24.0, 40.0):
        wanted = seen(scene, frame)
        for number, node in enumerate(shown):
            weights = value(node, "weights", frame / 24)
            points = base + sum(w * t for w, t in zip(weights, targets, strict=True))
            at = matrix(node, frame / 24)
            assert np.abs(100 * (points @ at[:3, :3].T + at[:3, 3]) - wanted[number]).max() < 0.01, (frame, number)
    export(scene, tmp_path / "a.obj", 24.0)
    read = [d.points for d in read_meshes(tmp_path / "a.obj").objects if d.name.startswith("Ball")]
    own = PLACE.matrix() if scene.object("o1").repeat.other is None else np.eye(4)
    assert np.abs(np.array(read) @ own[:3, :3].T + own[:3, 3] - seen(scene, 24.0)).max() < 1e-4


@pytest.mark.parametrize("name", REPEATS)
def test_a_repeat_is_kept_in_a_file(plain, name, tmp_path):
    scene = repeated(plain, name)
    write_native(tmp_path / "a.fictilis", scene)
    assert read_native(tmp_path / "a.fictilis").object("o1").repeat == REPEATS[name]


@pytest.mark.parametrize(
    "wrong",
    [{"way": "spiral"}, {"counts": [0, 1, 1]}, {"counts": [10_000, 10_000, 10_000]}, {"other": "o1"},
     {"way": "line", "other": "o9"},
     {"way": "line", "other": "o3"}, {"way": "faces", "other": "o2"}, {"way": "points", "other": None}, {"sizes": 1.0},
     {"spacing": [1e300, 0, 0]}, {"order": "w"}],
)  # fmt: skip
def test_a_file_with_a_repeat_that_cannot_be_is_refused(plain, wrong, tmp_path):
    write_native(tmp_path / "a.fictilis", repeated(plain, "grid"))
    edit_json(tmp_path / "a.fictilis", lambda record: record["objects"][0]["repeat"].update(wrong))
    with pytest.raises(BadFile):
        read_native(tmp_path / "a.fictilis")


def test_what_goes_leaves_the_object_by_itself_and_too_much_is_refused(plain):
    scene = repeated(plain, "points")
    assert remove_object(scene, "o3").object("o1").repeat is None
    empty = scene.with_object(replace(scene.object("o1"), transform=Transform(scale=(1.0, 2.0, 1.0))))
    with pytest.raises(EditRefused, match="scaled unevenly; freeze its transform first"):
        many_objects(set_repeat(empty, "o1", REPEATS["ring"]), "o1")
    for repeat, words in (
        (Repeat(counts=(100, 100, 1)), None), (Repeat("points", other="o1"), "not on itself"),
        (Repeat("faces", other="o2"), "has no faces to stand on"),
    ):  # fmt: skip
        if words is None:
            assert set_repeat(plain, "o1", repeat).copy_count(set_repeat(plain, "o1", repeat).object("o1")) == 10_000
            with pytest.raises(EditRefused, match="10,000 copies; up to 1,000 become objects"):
                many_objects(set_repeat(plain, "o1", repeat), "o1")
            continue
        with pytest.raises(EditRefused, match=words):
            set_repeat(plain, "o1", repeat)
    scene, big = add_form(plain, "Ball", {"segments": 40})
    with pytest.raises(EditRefused, match="would have .* points; up to 4,000,000"):
        set_repeat(scene, big, Repeat(counts=(30, 30, 1)))
    within = set_repeat(scene, big, Repeat(counts=(20, 20, 1)))
    too_many = replace(scene.object(big), repeat=Repeat(counts=(30, 30, 1)))
    with pytest.raises(EditRefused, match="would have .* points"):  # as a file asks that has it already
        check(replace(scene, objects=(too_many,)))
    for grown, name in ((within, big), (set_repeat(scene, big, Repeat("faces", other="o1")), "o1")):
        with pytest.raises(EditRefused, match="The copies of Ball 2 would have .* points"):  # it grows, or what it stands on
            _subdivided(grown, name, 3)
    with pytest.raises(EditRefused, match="has no copies|not repeated"):
        OPERATIONS["repeat-later"].make(Subject(plain, "o1"))


def test_a_grid_begins_a_quarter_apart_and_keeps_its_steps_in_another_measure(plain):
    def grid(scene, **given):
        return OPERATIONS["repeat-grid"].make(Subject(scene, "o1"), given).scene

    first = grid(plain, across=4)
    assert first.object("o1").repeat.spacing == (1.25, 1.25, 1.25)
    for measure in ("step", "all", "sizes"):
        other = grid(first, measure=measure)
        assert np.allclose(copies(other, other.object("o1"), 0.0).matrices, copies(first, first.object("o1"), 0.0).matrices)
    along = set_along(first, "o1", "o2")  # what is repeated may follow a line as well
    assert len(copies(along, along.object("o1"), 12.0)) == 4


def _subdivided(scene, name: str, times: int):
    for _ in range(times):
        scene = OPERATIONS["mesh-subdivide"].make(Subject(scene, name)).scene
    return scene


@pytest.mark.parametrize("levels", [1, 2])
@pytest.mark.parametrize("way", ["points", "faces"])
def test_copies_stand_on_the_smooth_surface_that_is_seen(way, levels):
    """Each on the surface's own point there, upright on it, also while it is bent; not on the cage inside of which it lies."""
    scene, box = add_form(Scene(), "Box", {"segments": 2})
    scene = set_surface(change_deformer(scene, box, "bend", amount=40.0), box, levels)
    scene, ball = add_form(scene, "Ball", {"radius": 1.0})
    scene = set_repeat(scene, ball, Repeat(way, other=box))
    seen = copies(scene, scene.object(ball), 0.0).matrices
    ground = scene.object(box)
    fine, shown = finer_of(ground), Pose(scene, ground, 0.0).drawn()
    shown = placed(shown, ground.transform.matrix())
    assert len(seen) == (ground.geometry.point_count if way == "points" else ground.geometry.face_count)
    apart = np.sqrt(((seen[:, None, :3, 3] - shown[None]) ** 2).sum(axis=2))
    assert apart.min(axis=1).max() < 1e-9
    normals = point_normals(fine.geometry, shown)[apart.argmin(axis=1)]
    assert np.allclose(seen[:, :3, 1], normals, atol=1e-6)
    cage = copies(set_surface(scene, box, 0), scene.object(ball), 0.0).matrices
    assert way == "faces" or np.abs(cage[:, :3, 3] - seen[:, :3, 3]).max() > 0.1
