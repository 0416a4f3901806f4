import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.edits import clips
from fictilis.core.edits.keys import set_beyond, set_key
from fictilis.core.edits.objects import set_appearance, set_visible
from fictilis.core.edits.targets import add_in_between, change_group, group_targets, set_path
from fictilis.core.edits.timeline import add_camera
from fictilis.core.ground.errors import BadFile, EditRefused
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.channels import own_placement, set_value
from fictilis.core.scene.appearance import Appearance
from fictilis.core.scene.clips import choose_clip
from fictilis.core.scene.scene import Scene, SceneCamera
from fictilis.formats.registry import export, export_shapes
from fictilis.formats.tracks import quaternion, weight_track
from tests.formats.gltf_player import accessor, node_at, play, read_arrays

OBJ = "o1"


def keyed(scene, kind, target="t1"):
    for frame, value in ((0, 0), (10, 1.2), (25, -0.3), (40, 0.8)):
        scene = set_key(scene, OBJ, target, Key(frame, value, kind))
    return replace(scene, end=48)


def with_stage(scene, path):
    return add_in_between(set_path(scene, OBJ, "t1", path), OBJ, "t1", 0.5)


def grouped(scene, factor):
    scene, group = group_targets(scene, OBJ, ["t1"])
    return change_group(scene, OBJ, group, factor=factor)


CASES = {
    "linear in a group at 0.7 with straight in-between": (
        lambda s: grouped(keyed(with_stage(s, "straight"), "linear"), 0.7),
        "LINEAR",
    ),
    "linear in a group at 0": (lambda s: grouped(keyed(with_stage(s, "straight"), "linear"), 0.0), "LINEAR"),
    "hold": (lambda s: keyed(s, "hold"), "STEP"),
    "linear": (lambda s: keyed(s, "linear"), "LINEAR"),
    "smooth": (lambda s: keyed(s, "smooth"), "CUBICSPLINE"),
    "hold and smooth": (lambda s: keyed(keyed(s, "hold"), "smooth", "t2"), "CUBICSPLINE"),
    "hold and linear": (lambda s: keyed(keyed(s, "hold"), "linear", "t2"), "LINEAR"),
    "linear with straight in-between": (lambda s: keyed(with_stage(s, "straight"), "linear"), "LINEAR"),
    "smooth with straight in-between": (lambda s: keyed(with_stage(s, "straight"), "smooth"), "CUBICSPLINE"),
    "linear with curved in-between": (lambda s: keyed(with_stage(s, "curved"), "linear"), "CUBICSPLINE"),
    "smooth with curved in-between": (lambda s: keyed(with_stage(s, "curved"), "smooth"), "LINEAR"),
}


@pytest.mark.parametrize("case", CASES)
def test_a_standard_player_shows_the_same_weights(sheet, case):
    make, form = CASES[case]
    scene = make(sheet)
    obj = scene.object(OBJ)
    track = weight_track(scene, obj)
    assert track.interpolation == form or "at 0" in case and "at 0.7" not in case
    # where samples stand in, they are exact at whole frames; else anywhere but just before a step
    sampled = case == "smooth with curved in-between"
    frames = np.arange(0.0, 49.0) if sampled else np.concatenate([np.linspace(0, 48, 289), np.arange(0.0, 49.0)])
    wanted = shares_at(obj, frames).T
    assert np.abs(play(track, frames / scene.fps) - wanted).max() < 1e-6


def test_just_before_a_step_the_other_lanes_are_where_they_belong(sheet):
    scene = keyed(keyed(sheet, "hold"), "linear", "t2")
    obj = scene.object(OBJ)
    track = weight_track(scene, obj)
    frames = np.array([9.999, 24.999, 39.999])
    wanted = shares_at(obj, frames).T
    assert np.abs(play(track, frames / scene.fps) - wanted).max() < 1e-7


def test_the_smallest_form_drops_keys_on_a_straight_line(sheet):
    scene = sheet
    for frame in (0, 10, 20, 30):
        scene = set_key(scene, OBJ, "t1", Key(frame, frame / 30, "linear"))
    track = weight_track(replace(scene, end=30), scene.object(OBJ))
    assert len(track.times) == 2


def test_without_lanes_there_is_no_animation(sheet, tmp_path):
    assert weight_track(sheet, sheet.object(OBJ)) is None
    export(sheet, tmp_path / "s.glb")
    data, _ = read_arrays(tmp_path / "s.glb")
    assert not data.animations and data.meshes[0].weights == [0.0, 0.0]


def test_names_units_and_default_weights(sheet, tmp_path):
    scene = keyed(with_stage(sheet, "straight"), "smooth")
    export(replace(scene, start=5), tmp_path / "s.glb")
    data, arrays = read_arrays(tmp_path / "s.glb")
    assert data.meshes[0].extras["targetNames"] == ["Lift 0.50", "Lift", "Slide"]
    assert np.allclose(arrays["POSITION"], scene.object(OBJ).base * 0.01, atol=1e-7)
    assert np.allclose(arrays["targets"][1]["POSITION"], [0, 0.1, 0], atol=1e-7)
    obj = scene.object(OBJ)
    assert np.allclose(data.meshes[0].weights, shares_at(obj, 5))


def test_seams_split_vertices_and_nothing_else_does(tmp_path):
    import fictilis

    scene, box_id = fictilis.objects.add_object(Scene(), "Box", *reversed(fictilis.primitives.box(segments=2)))
    export(scene, tmp_path / "b.glb")
    _, arrays = read_arrays(tmp_path / "b.glb")
    assert len(arrays["POSITION"]) == 6 * 9 and len(arrays["TEXCOORD_0"]) == 54
    flat = set_appearance(scene, box_id, Appearance(smooth=False))
    export(flat, tmp_path / "f.glb")
    _, arrays = read_arrays(tmp_path / "f.glb")
    assert len(arrays["POSITION"]) == 24 * 4
    assert np.allclose(np.abs(arrays["NORMAL"]).max(1), 1)


def test_hidden_objects_are_named_and_nothing_at_all_is_refused(sheet, tmp_path):
    import fictilis

    more, other = fictilis.objects.add_object(sheet, "Helper", *reversed(fictilis.primitives.plane()))
    warnings = export(set_visible(more, other, False), tmp_path / "s.glb")
    assert warnings == ["Hidden, not chosen or without faces, and so left out: Helper."]
    with pytest.raises(EditRefused, match="nothing to export"):
        export(set_visible(sheet, OBJ, False), tmp_path / "none.glb")
    assert not (tmp_path / "none.glb").exists()


def test_shapes_become_files_and_odd_names_safe_ones(sheet, tmp_path):
    import fictilis

    scene = fictilis.targets.rename_target(sheet, OBJ, "t1", "../Up/Down")
    written, _ = export_shapes(scene, tmp_path / "out")
    assert sorted(p.name for p in written) == ["Slide.obj", "_Up_Down.obj", "base.obj"]
    (lift,) = fictilis.read_meshes(tmp_path / "out" / "_Up_Down.obj").objects
    assert np.array_equal(lift.points, scene.object(OBJ).base + [0, 10, 0])


def test_unknown_kinds_name_the_known(sheet, tmp_path):
    with pytest.raises(BadFile, match=r"\.obj, .*\.glb, "):
        export(sheet, tmp_path / "s.xyz")


def test_the_objects_own_motion_is_played_by_the_node(tmp_path, sheet):
    """Source: glTF 2.0, 3.11: translation, rotation and scale of a node, linear; a quaternion is x, y, z, w."""
    scene = replace(sheet, end=40.0)
    for channel, rows in (
        ("position.x", ((0, 0), (40, 100))),
        ("rotation.y", ((0, 0), (40, 270))),
        ("scale.z", ((0, 1), (40, 3))),
    ):
        for frame, value in rows:
            scene = set_key(scene, OBJ, channel, Key(frame, value, "linear"))
    obj = scene.object(OBJ)
    scene = scene.with_object(replace(obj, transform=replace(obj.transform, pivot=(10.0, 0.0, 0.0))))
    warnings = export(scene, tmp_path / "m.glb")
    data, _ = read_arrays(tmp_path / "m.glb")
    (animation,) = data.animations
    assert warnings == [] and {c.target.path for c in animation.channels} == {"translation", "rotation", "scale"}
    for frame in np.linspace(0, 40, 33):
        assert_stands(data, scene, float(frame), 2e-4 if frame == round(frame) else 0.1)  # about a pivot it goes round


def assert_stands(data, scene, frame, within=2e-4):
    """A standard player shows the object at a frame where it stands here."""
    found = node_at(data, (frame - scene.start) / scene.fps)
    matrix = own_placement(scene.object(OBJ), frame, fps=scene.fps).transform.matrix()
    x, y, z, w = found["rotation"]
    turn = np.array([
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ])  # fmt: skip
    assert np.allclose(turn @ np.diag(found["scale"]), matrix[:3, :3], atol=1e-5), frame
    assert np.allclose(np.array(found["translation"]) * 100, matrix[:3, 3], atol=within), frame


MOTIONS = {
    "held": ("STEP", "hold", ("position.x", "rotation.z", "scale.y")),
    "straight": ("LINEAR", "linear", ("position.x", "rotation.z", "scale.y")),
    "smooth": ("CUBICSPLINE", "smooth", ("position.y", "scale.x")),
    "eased": ("LINEAR", "ease", ("position.z", "rotation.x")),
}


@pytest.mark.parametrize("name", MOTIONS)
def test_motion_goes_in_its_smallest_exact_form(tmp_path, sheet, name):
    """Source: glTF 2.0, appendix C: step, linear, spherical linear and cubic spline interpolation."""
    form, kind, channels = MOTIONS[name]
    scene = replace(sheet, start=-2.0, end=40.0)
    for channel in channels:
        for frame, value in ((0, 1.0), (10, 40.0), (21.5, -300.0), (33, 2.0)):
            part = 0.05 * value + 20 if channel.startswith("scale") else value
            scene = set_key(scene, OBJ, channel, Key(frame, part, kind, ease="cubic-bezier(0.3, 0, 0.3, 1)"))
    export(scene, tmp_path / "m.glb")
    data, _ = read_arrays(tmp_path / "m.glb")
    assert {s.interpolation for s in data.animations[0].samplers} == {form}
    between = np.linspace(-2, 39.5, 84) + 0.01 if kind != "ease" else np.arange(-2, 41)  # times are float32
    for frame in between:
        assert_stands(data, scene, float(frame), 2e-3)


def test_a_held_place_does_not_slide(tmp_path, sheet):
    """The example of the fault: 0 held until 40 at frame 10 must still be 0 at 9.5."""
    scene = set_key(set_key(sheet, OBJ, "position.x", Key(0, 0.0, "hold")), OBJ, "position.x", Key(10, 40.0))
    scene = set_key(scene, OBJ, "position.y", Key(0, 0.0, "smooth"))
    scene = set_key(scene, OBJ, "position.y", Key(20, 5.0))
    export(scene, tmp_path / "m.glb")
    data, _ = read_arrays(tmp_path / "m.glb")
    assert node_at(data, 9.5 / 24)["translation"][0] == pytest.approx(0, abs=1e-6)
    assert node_at(data, 10 / 24)["translation"][0] == pytest.approx(0.4)


def test_what_gltf_cannot_hold_of_an_objects_lanes_is_said(tmp_path, sheet):
    scene = set_key(set_key(sheet, OBJ, "opacity", Key(0, 0.5)), OBJ, "visible", Key(3, 1))
    scene, _ = add_camera(scene, SceneCamera("", "Close up", (0, 0, 0), 9, 0, 0))
    warnings = export(set_value(scene, OBJ, "opacity", 0.25), tmp_path / "m.glb")
    assert len(warnings) == 1 and "opacity and visibility; those of Sheet" in warnings[0]
    data, _ = read_arrays(tmp_path / "m.glb")
    assert data.nodes[data.scenes[0].nodes[1]].name == data.cameras[0].name == "Close up"
    assert data.materials[0].alphaMode == "BLEND" and data.materials[0].pbrMetallicRoughness.baseColorFactor[3] == 0.25


@pytest.mark.parametrize(
    ("colour", "linear"), [("#FFFFFF", (1, 1, 1)), ("#000000", (0, 0, 0)), ("#BC0A80", (0.5029, 0.003035, 0.2159))]
)
def test_the_base_colour_is_linear(sheet, tmp_path, colour, linear):
    """Source: glTF 2.0, 3.9.2, base colour factor in linear space; IEC 61966-2-1, the transfer function of sRGB."""
    obj = sheet.object(OBJ)
    export(sheet.with_object(replace(obj, appearance=replace(obj.appearance, colour=colour))), tmp_path / "m.glb")
    data, _ = read_arrays(tmp_path / "m.glb")
    assert np.allclose(data.materials[0].pbrMetallicRoughness.baseColorFactor[:3], linear, atol=1e-4)


JUMPING = {
    "held on twos": lambda s, c: on_twos(s, c),
    "held on twos between frames": lambda s, c: on_twos(s, c, 0.37),
    "a saw": lambda s, c: set_beyond(keys_of(s, c, "linear", (2, 0.0), (7, 1.0)), OBJ, c, "repeat", "repeat"),
    "a smooth saw": lambda s, c: set_beyond(keys_of(s, c, "smooth", (2, 0.2), (4, -0.3), (7, 1.0)), OBJ, c, "repeat", "repeat"),
    "a mirrored hold": lambda s, c: set_beyond(
        keys_of(s, c, "hold", (2, 0.0), (4, 1.0), (7, 0.4)), OBJ, c, "ping-pong", "ping-pong"
    ),
    "a jump at the end": lambda s, c: keys_of(s, c, "hold", (0, 0.0), (30, 1.0)),
}


def keys_of(scene, channel, way, *rows):
    for frame, value in rows:
        scene = set_key(scene, OBJ, channel, Key(frame, value, way))
    return scene


def on_twos(scene, channel, shift=0.0):
    return keys_of(scene, channel, "hold", *((2 * n + shift, (n * 0.37) % 1) for n in range(13)))


@pytest.mark.parametrize("fps", [24.0, 23.976, 30.0])
@pytest.mark.parametrize("channel", ["t1", "position.x", "rotation.y"])
@pytest.mark.parametrize("case", JUMPING)
def test_at_the_very_frame_of_a_jump_the_file_shows_what_the_application_shows(sheet, tmp_path, case, channel, fps):
    """Read by a player of the standard that counts seconds in doubles, and in floats, with the times that the file holds; and
    what plays lasts as long as the range."""
    scene = JUMPING[case](replace(sheet, start=0.0, end=30.0, fps=fps), channel)
    with_other = set_key(set_key(scene, OBJ, "t2", Key(0, 0.0)), OBJ, "t2", Key(30, 1.0))  # smooth beside what jumps
    for number, made in enumerate((scene, with_other)):
        path = tmp_path / f"s{number}.glb"
        export(made, path)
        data, _ = read_arrays(path)
        obj, ends = made.object(OBJ), []
        for sampler in data.animations[0].samplers:
            ends.append(float(accessor(data, sampler.input)[-1]))
        assert ends == pytest.approx([30 / fps] * len(ends), abs=1e-6)
        for frame in np.arange(31.0):
            for seconds in (frame / fps, float(np.float32(frame / fps)), float(np.float32(frame) / np.float32(fps))):
                found = node_at(data, seconds)
                assert np.allclose(found["weights"], shares_at(obj, frame, fps=fps), atol=3e-5), (frame, seconds)
                stand = own_placement(obj, frame, fps=fps).transform
                assert np.allclose(found["translation"], np.array(stand.position) / 100, atol=3e-5)
                turn = np.array(quaternion(stand.rotation_matrix()))
                assert np.allclose(np.abs(turn @ found["rotation"]), 1, atol=1e-6)


def test_every_clip_says_all_that_any_clip_moves(sheet, tmp_path):
    """A player that goes from one clip to the next shows what the application shows, whatever was played before."""
    scene = keys_of(sheet, "t1", "linear", (0, 0.3), (20, 1.0))
    scene = keys_of(scene, "position.x", "linear", (0, 40.0), (20, 10.0))
    scene, first = clips.duplicate_clip(scene, "Walk")
    scene, other = clips.new_clip(scene, "Rest")
    scene = keys_of(scene, "rotation.y", "linear", (0, 0.0), (20, 50.0))
    scene, last = clips.new_clip(scene, "Stand")
    scene = set_key(scene, OBJ, "position.z", Key(0, 7.0))
    scene = choose_clip(scene, first)
    export(scene, tmp_path / "s.glb")
    data, _ = read_arrays(tmp_path / "s.glb")
    moved = [{(c.target.node, c.target.path) for c in a.channels} for a in data.animations]
    assert all(paths == moved[0] for paths in moved) and len(moved) == 4
    for number, clip in enumerate(scene.clips):
        obj = choose_clip(scene, clip.id).object(OBJ)
        for frame in (0.0, 10.0):
            found = node_at(data, frame / 24, animation=number)
            assert np.allclose(found["translation"], np.array(own_placement(obj, frame).transform.position) / 100, atol=1e-6)
            assert np.allclose(found["weights"], shares_at(obj, frame), atol=1e-6)
