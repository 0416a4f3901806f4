"""Where points are at a frame, composed by hand from its stages, against everybody who asks for it."""

from types import SimpleNamespace

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.at_frame.after import After
from fictilis.core.at_frame.cameras import placed_camera
from fictilis.core.at_frame.copies import copies, first_matrix
from fictilis.core.at_frame.drawn import finer_of
from fictilis.core.at_frame.paths import points_over
from fictilis.core.at_frame.pose import Pose, evaluate, evaluate_frames
from fictilis.core.at_frame.rails import Rail
from fictilis.core.at_frame.springs import Run, in_time
from fictilis.core.checks.lanes import loop_seam
from fictilis.core.edits.deformers import change_deformer
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.lines import set_along, set_tube
from fictilis.core.edits.objects import set_transform
from fictilis.core.edits.repeats import many_objects, set_repeat
from fictilis.core.edits.springs import bake_spring, set_spring
from fictilis.core.edits.targets import target_from_points
from fictilis.core.edits.timeline import add_camera
from fictilis.core.edits.topology import set_surface
from fictilis.core.geometry.kinds import Tube
from fictilis.core.geometry.lines.measuring import Measured
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.tubes import round_profile, tube_points
from fictilis.core.ground.affine import placed
from fictilis.core.mix.channels import values_at
from fictilis.core.scene.places import ALONG, Along, Transform
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import SceneCamera
from fictilis.formats.choices import Choices
from fictilis.formats.points import read_points, write_points
from fictilis.formats.registry import export, read_meshes
from fictilis.formats.tracks import motion_tracks
from fictilis.formats.usd_reading import read_here
from fictilis.render.dress import KeptArrays, time_ghost
from fictilis.render.stage import Stage, StageWish
from tests.mixes import mix_at
from tests.rigged import rigged

FRAMES = (0.0, 7.0, 12.5, 24.0)


@pytest.fixture(scope="module")
def scene():
    """A sprung tube; a ball with every stage that moves along it; copies on a sprung sheet; a camera on the tube."""
    scene = Scene(end=24.0)
    ids = []
    for form, numbers, moves in (
        ("Wave", {"points": 7}, [0, 8.0, 0]), ("Ball", {"radius": 4.0, "segments": 2}, [0, 3.0, 0]),
        ("Plane", {"width": 8.0, "depth": 8.0, "columns": 2, "rows": 2}, [0, 6.0, 0]), ("Box", {}, [2.0, 0, 0]),
    ):  # fmt: skip
        scene, made = add_form(scene, form, numbers)
        base = scene.object(made).base
        scene, target = target_from_points(scene, made, "Up", base * [1.2, 1, 1] + moves)
        for frame, value in ((0, 0.0), (6, 1.0), (24, 0.2)):
            scene = set_key(scene, made, target, Key(frame, value, "linear"))
        ids.append(made)
    line, ball, sheet, grown = ids
    spring = PointSpring(stiffness=120.0, damping=5.0)
    for one in (line, ball, sheet):
        scene = set_spring(scene, one, replace(spring, mix=one == ball))
    scene = set_tube(scene, line, Tube(round_profile(6)), 2.0)
    scene = set_transform(scene, sheet, Transform((30, 0, 5), (0, 40, 0)))
    scene = set_along(change_deformer(scene, ball, "bend", axis="y", amount=50.0), ball, line)
    scene = set_key(set_key(scene, ball, ALONG, Key(0, 0.1, "linear")), ball, ALONG, Key(24, 0.9, "linear"))
    scene = rigged(set_surface(scene, ball, 1), ball)
    scene = set_repeat(scene, grown, Repeat("points", other=sheet, later=4.0))
    scene, camera = add_camera(scene, SceneCamera("", "Eye", (0.0, 0.0, 0.0), 50.0, 0.0, 0.0))
    return scene.with_owner(replace(scene.owner(camera), along=Along(line)))


def own_points(scene, obj, frame):
    """Stage by stage, each on its own: the points before the skin, as they are at last, and those that are drawn."""

    def follow(_scene, plain, at):
        after = After(plain, values_at(plain, at, None, scene.fps))
        return SimpleNamespace(bent=after.cage(mix_at(plain, at, scene.fps)), matrix=stand(scene, plain, at))

    sprung = follow(scene, obj, frame).bent
    if obj.spring is not None:
        sprung = Run(scene, obj, follow).points(scene, frame)
    after, fine = After(obj, values_at(obj, frame, None, scene.fps)), finer_of(obj)
    points = after.posed(sprung)
    if obj.name == "Wave":
        return points, tube_points(obj.line, points)
    return points, points if fine is None else after.fine(sprung, fine)


def on_line(scene, value, frame):
    line = scene.objects[0]
    fine = drawn(line.line)
    where, axes = Rail(Measured(fine.line, fine.of(own_points(scene, line, frame)[0]), 0)).at(np.array([value]))
    return where[0], axes[0]


def stand(scene, obj, frame):
    """(4, 4): where an object stands."""
    if obj.along is None:
        return obj.transform.matrix()
    where, axes = on_line(scene, values_at(obj, frame, None, scene.fps)[ALONG], frame)
    out = np.eye(4)
    out[:3, :3], out[:3, 3] = axes.T, where
    return out


@pytest.fixture(scope="module")
def wanted(scene):
    return {(obj.name, f): (*own_points(scene, obj, f), stand(scene, obj, f)) for obj in scene.objects for f in FRAMES}


def stage_item(scene, obj, frame, before=0.0):
    stage = Stage()
    stage.items(StageWish(scene, before))
    return next(item for item in stage.items(StageWish(scene, frame)) if item.obj is obj)


ASKED = {  # the object's own points, in its own space
    "evaluate": lambda s, o, f: evaluate(s, f)[o.name],
    "evaluate_frames": lambda s, o, f: evaluate_frames(s, o.id, [1.0, f, 3.0])[1],
    "the view, exactly": lambda s, o, f: stage_item(s, o, f).exact_points(),
    "the view": lambda s, o, f: stage_item(s, o, f).points,
    "a picture after others": lambda s, o, f: (
        [Stage().items(StageWish(s, at)) for at in (3.0, f)] and stage_item(s, o, f).points
    ),
    "a ghost": lambda s, o, f: time_ghost(KeptArrays(), s, o, 0, 0.0, f, 1.0).points,
}


@pytest.mark.parametrize("who", ASKED)
def test_everybody_has_the_points_where_the_stages_have_them(who, scene, wanted):
    for obj in [o for o in scene.objects if o.repeated is None]:
        for frame in FRAMES:
            off = np.abs(ASKED[who](scene, obj, frame) - wanted[obj.name, frame][0]).max()
            assert off < 2e-4, (obj.name, frame, off)


def test_a_spring_moves_the_points_of_that_scene_far(scene, wanted):
    for obj in scene.objects[:3]:
        still = replace(obj, spring=None)
        apart = max(np.abs(Pose(scene, still, f).points - wanted[obj.name, f][0]).max() for f in FRAMES)
        assert apart > 0.5, obj.name


PLACED = {  # (4, 4) of the ball
    "the view": lambda s, o, f: stage_item(s, o, f).matrix,
    "first_matrix": first_matrix,
    "copies": lambda s, o, f: copies(s, o, f).matrices[0],
    "a ghost": lambda s, o, f: time_ghost(KeptArrays(), s, o, 0, 0.0, f, 1.0).matrix,
}


@pytest.mark.parametrize("who", PLACED)
def test_what_follows_a_sprung_line_is_where_the_line_is(who, scene, wanted):
    ball = scene.objects[1]
    for frame in FRAMES:
        assert np.abs(PLACED[who](scene, ball, frame) - wanted["Ball", frame][2]).max() < 1e-9


def test_a_camera_on_a_sprung_line_a_path_of_points_and_the_seam_of_a_loop(scene, wanted):
    line, ball = scene.objects[:2]
    for frame in FRAMES:
        where, _ = on_line(scene, float(values_at(scene.cameras[0], frame, None, scene.fps)[ALONG]), frame)
        seen = placed_camera(scene, scene.cameras[0], frame)
        yaw, pitch = np.radians([seen.yaw, seen.pitch])
        back = np.array([np.sin(yaw) * np.cos(pitch), np.sin(pitch), np.cos(yaw) * np.cos(pitch)])
        assert np.allclose(np.array(seen.centre) + seen.distance * back, where, atol=1e-8)
    for obj in (line, ball):
        rows = np.array([0, 3])
        path = points_over(scene, obj, rows, np.array(FRAMES))
        for row, frame in zip(path, FRAMES, strict=True):
            points, _, matrix = wanted[obj.name, frame]
            assert np.allclose(row, placed(points[rows], matrix), atol=1e-9)
    ends = [placed(wanted["Ball", f][0], wanted["Ball", f][2]) for f in (0.0, 24.0)]
    assert loop_seam(scene, ball)[0] == pytest.approx(np.linalg.norm(ends[1] - ends[0], axis=1).max())


def test_copies_stand_on_the_sprung_points(scene, wanted):
    sheet, grown = scene.objects[2:4]
    for frame in FRAMES:
        points, _, matrix = wanted["Plane", frame]
        found = copies(scene, grown, frame).matrices[:, :3, 3]
        assert np.allclose(found, placed(points, matrix), atol=1e-9)
        items = [i for i in Stage().items(StageWish(scene, frame)) if i.obj is grown]
        assert np.allclose(items[0].many.matrices[:, :3, 3], placed(points, matrix)[1:], atol=1e-9)
    smooth = set_surface(scene, sheet.id, 1)
    fine = finer_of(smooth.object(sheet.id)).of(wanted["Plane", 7.0][0])[: len(sheet.base)]
    found = copies(smooth, smooth.object(grown.id), 7.0).matrices[:, :3, 3]
    assert np.allclose(found, placed(fine, wanted["Plane", 7.0][2]), atol=1e-9)


def test_files_hold_the_points_where_the_stages_have_them(scene, wanted, tmp_path):
    shown = replace(scene, objects=scene.objects[:3])
    write_points(tmp_path / "a.npz", shown, shown.objects, FRAMES)
    for obj in shown.objects:
        _, rows = read_points(tmp_path / "a.npz", obj.name, len(obj.base))
        assert all(np.allclose(row, wanted[obj.name, f][0], atol=1e-9) for row, f in zip(rows, FRAMES, strict=True))
    for frame in FRAMES:
        export(shown, tmp_path / "a.obj", frame, choices=Choices(options={"motion": "keep"}))
        drawn_in_scene = [placed(wanted[o.name, frame][1], wanted[o.name, frame][2]) for o in shown.objects]
        found = np.concatenate([mesh.points for mesh in read_meshes(tmp_path / "a.obj").objects])
        assert np.abs(found - np.concatenate(drawn_in_scene)).max() < 1e-4
    export(shown, tmp_path / "a.usdc")
    back = read_here(tmp_path / "a.usdc")[0]
    for frame in (0.0, 7.0, 24.0):
        for obj in back.objects:
            cage, points, matrix = wanted[obj.name, frame]
            points = points if len(points) == len(obj.base) else cage  # what divides a surface is written as its cage
            assert np.abs(Pose(back, obj, frame).in_scene - placed(points, matrix)).max() < 0.02, (obj.name, frame)
    tracks = motion_tracks(shown, shown.objects[1])
    at = np.searchsorted(tracks["translation"].times, np.array(FRAMES) / scene.fps)
    for number, frame in zip(at, FRAMES, strict=True):
        if abs(tracks["translation"].times[number] * scene.fps - frame) < 1e-6:
            assert np.allclose(tracks["translation"].values[number], wanted["Ball", frame][2][:3, 3], atol=1e-4)


def test_what_is_made_of_the_motion_is_where_the_motion_was(scene, wanted):
    """Copies as objects, and a spring as targets."""
    made, ids = many_objects(scene, scene.objects[3].id)
    for frame in (0.0, 7.0, 24.0):
        points, _, matrix = wanted["Plane", frame]
        found = [Pose(made, made.object(one), frame).matrix[:3, 3] for one in ids]
        assert np.allclose(found, placed(points, matrix), atol=1e-6)
    baked, _, off = bake_spring(scene, scene.objects[2].id)
    assert np.abs(Pose(baked, baked.objects[2], 7.0).points - wanted["Plane", 7.0][0]).max() < off + 1e-6


def test_a_picture_that_has_no_time_shows_them_without_springs_and_no_wrong_place_is_kept(scene, wanted):
    later = replace(scene, objects=tuple(replace(o, spring=o.spring and replace(o.spring)) for o in scene.objects))
    ball = later.objects[1]
    with in_time(-1.0) as asked:
        hurried = Pose(later, ball, 24.0)
        assert asked.late is False and np.abs(hurried.matrix - wanted["Ball", 24.0][2]).max() > 0.1 and asked.late
    stage = Stage(seconds=0.002)
    for _ in range(200):
        items = stage.items(StageWish(later, 24.0))
        if not stage.unfinished:
            break
    assert not stage.unfinished
    item = next(i for i in items if i.obj is ball)
    assert np.abs(item.points - wanted["Ball", 24.0][0]).max() < 2e-4
    assert np.abs(item.matrix - wanted["Ball", 24.0][2]).max() < 1e-9
