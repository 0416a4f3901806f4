"""What can be animated besides weights: the object's place and look, and a camera."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.at_frame.paths import points_over
from fictilis.core.checks import run_checks
from fictilis.core.checks.lanes import loop_seam
from fictilis.core.edits import timeline, timing
from fictilis.core.edits.keys import key_values, set_key
from fictilis.core.edits.topology import freeze_transform, origin_to_point
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.acting import weights_at
from fictilis.core.mix.channels import camera_at, channel, channel_named, channels, own_placement, set_value, values_at
from fictilis.core.scene.places import Transform
from fictilis.core.scene.scene import SceneCamera
from fictilis.render.camera import Camera
from tests.mixes import mix_at

OBJ = "o1"
CAMERA = SceneCamera("", "Camera", (0.0, 10.0, 0.0), 200.0, 20.0, 10.0)


def keyed(scene, owner, channel_id, *rows, kind="linear"):
    for frame, value in rows:
        scene = set_key(scene, owner, channel_id, Key(frame, value, kind))
    return scene


def test_every_channel_is_set_by_its_id_and_read_back(sheet):
    scene, camera = timeline.add_camera(sheet, CAMERA)
    for owner_id in (OBJ, camera):
        for number, what in enumerate(channels(scene.owner(owner_id))):
            value = 1.0 if what.stepped else 0.25 + number / 100 if what.id in ("opacity", "t1", "t2") else 3.5 + number
            scene = set_value(scene, owner_id, what.id, value)
            assert channel(scene.owner(owner_id), what.id).value == pytest.approx(value)
            assert values_at(scene.owner(owner_id), 5.0)[what.id] == pytest.approx(value)
    obj = scene.object(OBJ)
    assert obj.transform.position == (5.5, 6.5, 7.5) and obj.transform.scale[2] == 13.5 and obj.appearance.opacity == 0.36


@pytest.mark.parametrize(
    ("owner", "name", "value", "said"),
    [(OBJ, "scale.x", 0.0, "must not be 0"), (OBJ, "opacity", float("nan"), "finite"), ("c1", "lens", 0.5, "1 to 170"),
     ("c1", "distance", -4.0, "at least"), (OBJ, "lens", 30.0, "nothing called lens"), ("c1", "t1", 1.0, "nothing called t1")],
)  # fmt: skip
def test_what_a_channel_cannot_be_is_one_sentence(sheet, owner, name, value, said):
    scene, _ = timeline.add_camera(sheet, CAMERA)
    with pytest.raises(EditRefused, match=said):
        set_value(scene, owner, name, value)


def test_names_and_words_find_a_channel(sheet):
    obj = sheet.object(OBJ)
    assert channel_named(obj, "Lift").id == "t1" and channel_named(obj, "Rotation Y").id == "rotation.y"
    assert channel_named(obj, "rotation.y").unit == "°"
    with pytest.raises(EditRefused, match="nothing named t1.*Lift, Slide, Position X"):
        channel_named(obj, "t1")


def test_an_object_moves_turns_and_fades_while_it_morphs(sheet):
    scene = keyed(sheet, OBJ, "t1", (0, 0), (10, 1))
    scene = keyed(scene, OBJ, "position.x", (0, 0), (10, 20))
    scene = keyed(scene, OBJ, "rotation.y", (0, 0), (10, 90))
    scene = keyed(scene, OBJ, "opacity", (0, 1), (10, 0.4))
    scene = keyed(scene, OBJ, "visible", (0, 1), (10, 0), kind="hold")
    obj = scene.object(OBJ)
    half, end = own_placement(obj, 5.0), own_placement(obj, 10.0)
    assert (
        half.transform.position == (10, 0, 0) and half.transform.rotation == (0, 45, 0) and half.opacity == pytest.approx(0.7)
    )
    assert half.visible and not end.visible
    path = points_over(scene, obj, np.array([0, 24]), np.array([0.0, 10.0]))
    a = obj.base[0] + [0, 10, 0]
    assert np.allclose(path[1, 0], [a[2] + 20, a[1], -a[0]])  # a quarter turn about Y, then along X
    assert np.allclose(path[0], obj.base[[0, 24]])
    assert weights_at(obj, 5.0, {"position.x": 3.0, "t2": 0.5}) == {"t1": 0.5, "t2": 0.5}


def test_posed_values_win_and_an_unkeyed_object_stands_as_it_is(sheet):
    obj = replace(sheet.object(OBJ), transform=Transform((1, 2, 3)), visible=False)
    assert own_placement(obj, 7.0).transform is obj.transform and not own_placement(obj, 7.0).visible
    posed = own_placement(obj, 7.0, {"position.y": 9.0, "visible": 1.0, "t1": 0.4})
    assert posed.transform.position == (1, 9, 3) and posed.visible


def test_a_scale_that_runs_through_nothing_stays_usable(sheet):
    scene = keyed(sheet, OBJ, "scale.x", (0, 1), (10, -1))
    matrix = own_placement(scene.object(OBJ), 5.0).transform.matrix()
    assert np.linalg.det(matrix) != 0


def test_new_keys_of_on_and_off_hold(sheet):
    scene, _ = key_values(sheet, OBJ, 4, {"visible": 0.0, "opacity": 0.5})
    obj = scene.object(OBJ)
    assert obj.lane("visible").curve.keys[0].interpolation == "hold"
    assert obj.lane("opacity").curve.keys[0].interpolation == "smooth"


def test_a_camera_is_keyed_and_kept_within_what_can_be_seen(sheet):
    scene, camera = timeline.add_camera(sheet, CAMERA)
    scene = keyed(scene, camera, "yaw", (0, 0), (10, 90))
    scene = keyed(scene, camera, "distance", (0, 200), (10, -100))
    scene = keyed(scene, camera, "lens", (0, 30), (10, 500))
    at = camera_at(scene.owner(camera), 5.0)
    assert at.yaw == 45 and at.distance == 50 and at.lanes == () and at.lens == 170
    assert camera_at(scene.owner(camera), 10.0).distance > 0
    assert camera_at(scene.owner(camera), 5.0, {"yaw": -3.0}).yaw == -3


def test_cameras_have_names_of_their_own_and_the_first_is_looked_through(sheet):
    scene, one = timeline.add_camera(sheet, CAMERA)
    scene, two = timeline.add_camera(scene, CAMERA)
    assert [c.name for c in scene.cameras] == ["Camera 2", "Camera"] and one != two
    scene = timeline.first_camera(scene, one)
    assert scene.cameras[0].id == one
    assert [c.id for c in timeline.remove_camera(scene, one).cameras] == [two]


def test_retiming_and_rate_take_all_lanes_along(sheet):
    scene, camera = timeline.add_camera(sheet, CAMERA)
    scene = keyed(scene, camera, "yaw", (0, 0), (24, 90))
    scene = keyed(scene, OBJ, "position.x", (0, 0), (24, 5))
    lanes = [(camera, "yaw"), (OBJ, "position.x")]
    slower = timing.retime(scene, lanes, 0, 24, 0, 48)
    assert slower.owner(camera).lane("yaw").curve.value(24) == 45
    assert slower.object(OBJ).lane("position.x").curve.keys[-1].frame == 48
    quick = timeline.set_rate(scene, 48, keep_seconds=True)
    assert quick.owner(camera).lane("yaw").curve.keys[-1].frame == 48


def test_the_seam_counts_the_objects_own_motion_over_what_is_played(sheet):
    scene = keyed(replace(sheet, end=20.0), OBJ, "position.x", (0, 0), (10, 3), (20, 3))
    assert loop_seam(scene, scene.object(OBJ))[0] == pytest.approx(3)
    scene = timeline.set_played(scene, 10, 20)
    assert loop_seam(scene, scene.object(OBJ)) == pytest.approx((0, 0), abs=1e-9)
    found = [f for f in run_checks(replace(scene, played=None), loops=True) if f.check == "seam"]
    assert "jumps 3.00 cm from frame 20 back to 0" in found[0].sentence
    mended = found[0].mend(replace(scene, played=None))
    assert loop_seam(mended, mended.object(OBJ)) == pytest.approx((0, 0), abs=1e-2)


def test_checks_name_lanes_of_any_kind(sheet):
    scene, camera = timeline.add_camera(replace(sheet, end=60.0), CAMERA)
    scene = keyed(scene, OBJ, "position.x", (0, 0), (20, 5), (60, 5))
    scene = keyed(scene, OBJ, "opacity", (0, 1), (50, 0))
    scene = keyed(scene, camera, "yaw", (0, 0), (10.5, 4), (80, 4))
    said = {f.check: f.sentence for f in run_checks(scene) if f.check in ("creep", "between", "outside")}
    assert said["creep"].startswith("Opacity creeps from frame 0: the move before it ends at 20")
    assert said["between"].startswith("Turn has 1 key between frames") and "80" in said["outside"]
    for finding in [f for f in run_checks(scene) if f.check in said]:
        scene = finding.mend(scene)
    assert not {f.check for f in run_checks(scene)} & set(said)


def test_weights_wait_for_weights_and_the_object_for_the_object(sheet):
    scene = keyed(sheet, OBJ, "position.x", (0, 0), (20, 5), (60, 5))
    scene = keyed(scene, OBJ, "t1", (0, 0), (50, 1))
    assert not [f for f in run_checks(scene) if f.check == "creep"]
    resting = keyed(keyed(sheet, OBJ, "position.x", (0, 0), (20, 5)), OBJ, "t1", (0, 0))
    made, held = key_values(resting, OBJ, 40, {"t1": 1.0})
    assert held == [] and [k.frame for k in made.object(OBJ).lane("t1").curve.keys] == [0, 40]
    made, held = key_values(keyed(resting, OBJ, "opacity", (0, 1)), OBJ, 40, {"opacity": 0.0})
    assert [(h.channel, h.key.frame) for h in held if h.certain] == [("opacity", 20)]


def test_what_would_tear_an_object_from_its_keys_is_refused(sheet):
    scene = keyed(sheet, OBJ, "position.x", (0, 0), (10, 3))
    for work in (lambda: freeze_transform(scene, OBJ), lambda: origin_to_point(scene, OBJ, 3)):
        with pytest.raises(EditRefused, match="Sheet has keys on its position"):
            work()
    turned = keyed(sheet, OBJ, "rotation.x", (0, 0), (10, 3))
    assert origin_to_point(turned, OBJ, 3).object(OBJ).transform.position != (0, 0, 0)


def test_a_motion_path_knows_the_rate_at_which_modifiers_move(sheet):
    scene = keyed(sheet, OBJ, "t1", (0, 0), (4, 1), (40, 1))
    lane = scene.object(OBJ).lane("t1")
    obj = scene.object(OBJ).with_modifiers("t1", (Modifier("spring"),))
    assert lane.modifiers == ()
    paths = {f: points_over(replace(scene, fps=f), obj, np.array([12]), np.arange(0.0, 12.0)) for f in (12.0, 48.0)}
    assert np.abs(paths[12.0] - paths[48.0]).max() > 0.1
    for fps, path in paths.items():
        assert np.allclose(path[7, 0], mix_at(obj, 7.0, fps)[12])


@pytest.mark.parametrize(("pitch", "shown"), [(200.0, 90.0), (-200.0, -90.0), (30.0, 30.0)])
def test_a_camera_does_not_look_past_straight_up_or_down(pitch, shown):
    camera = SceneCamera("c1", "Close up", (0, 0, 0), 50.0, 0.0, 0.0)
    assert camera_at(camera, 0.0, {"pitch": pitch}).pitch == shown
    assert Camera.of(camera_at(camera, 0.0, {"pitch": shown})).turned(0.0, 1e4).pitch == 90.0
    assert Camera.of(camera_at(camera, 0.0, {"pitch": shown})).turned(0.0, -1e4).pitch == -90.0
