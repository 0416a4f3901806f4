import io
import json
import zipfile
from contextlib import suppress
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.cli import main
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.edits import timeline
from fictilis.core.edits.cues import add_cue
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_beyond, set_key
from fictilis.core.edits.measures import add_measure
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.repeats import set_repeat
from fictilis.core.edits.shape import set_mask
from fictilis.core.edits.targets import (
    add_in_between,
    change_group,
    group_targets,
    keep_mix,
    set_built_on,
    set_muted,
    set_path,
    set_range,
)
from fictilis.core.edits.timing import set_modifiers
from fictilis.core.geometry.kinds import Tube
from fictilis.core.geometry.lines.tubes import round_profile
from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.primitives import plane
from fictilis.core.ground.errors import BadFile, CannotSave, EditRefused
from fictilis.core.mix.channels import own_placement, set_value
from fictilis.core.scene.appearance import Appearance, Surface, Texture
from fictilis.core.scene.cues import MARKER, NEXT, QUEUE, RELAY, Act, Cue, Lead, Then, When
from fictilis.core.scene.kept import NamedPick, PointOf
from fictilis.core.scene.light import Light
from fictilis.core.scene.places import Along, Transform
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.rules import Driver, Follow, Rule
from fictilis.core.scene.scene import Deltas, Scene, Target
from fictilis.core.scene.timeline import Marker, Reference, SavedView, SceneCamera, Sound
from fictilis.core.validity.scenes import check
from fictilis.demo.jelly import moon_jelly
from fictilis.formats import files
from fictilis.formats.native import read_native, write_native
from fictilis.formats.native_migrations import VERSION
from tests.mixes import mix_at
from tests.sameness import edit_json, rewrite, same

OBJ = "o1"


@pytest.fixture
def full(sheet):
    """A scene that uses everything a file can hold."""
    scene = set_range(set_path(add_in_between(sheet, OBJ, "t1", 0.5), OBJ, "t1", "curved"), OBJ, "t1", -1, 2)
    scene = set_muted(set_built_on(scene, OBJ, "t2", "t1"), OBJ, "t2", True)
    for key in (Key(0, 0, "hold"), Key(12.5, 1.25, "linear"), Key(20, 0), Key(30, 1, "ease", ease="bounce-out"),
                Key(40, 2, "smooth", "broken", (2.0, 0.5), (3.0, 1.0))):  # fmt: skip
        scene = set_key(scene, OBJ, "t1", key)
    scene = set_beyond(scene, OBJ, "t1", "linear", "ping-pong")
    scene = set_modifiers(scene, OBJ, "t1", (Modifier("spring", False, 0.5, (("damping", 9.0),)), Modifier("offset")))
    obj = replace(
        scene.object(OBJ), transform=Transform((1, 2, 3), (4, 5, 6), (1, 2, 1), (7, 8, 9)),
        appearance=Appearance("#102030", False, Texture("Photo", b"\x89PNG not really", np.eye(25)[:, :2], 8)), visible=False,
        locked=True, picks=(NamedPick("Rim", Pick("edges", np.array([3, 5]))), NamedPick("Hem", Pick("faces", np.array([1])))),
    )  # fmt: skip
    scene = set_mask(scene.with_object(replace(obj, locked=False)), OBJ, "t1", np.linspace(0, 1, 25))
    scene, group = group_targets(scene, OBJ, ["t2"], "Sides")
    scene = change_group(scene, OBJ, group, factor=0.5, folded=True)
    scene = keep_mix(scene, OBJ, "Storm", {"t1": 0.3, "t2": 1.0})
    scene = scene.with_object(replace(scene.object(OBJ), locked=True))
    views = (SavedView("Close", (1.0, 2.0, 3.0), 40.0, 30.0, -10.0, True),)
    scene = replace(scene, fps=29.97, start=-5, end=50, views=views)
    scene = set_key(set_value(scene, OBJ, "opacity", 0.4), OBJ, "position.y", Key(3, 7.5))
    scene, camera = timeline.add_camera(scene, SceneCamera("", "Close up", (1.0, 2.0, 3.0), 90.0, 5.0, 6.0, 24.0, True))
    scene = timeline.add_camera(
        set_key(scene, camera, "lens", Key(0, 40, "hold")), SceneCamera("", "Wide", (0, 0, 0), 9, 0, 0)
    )[0]
    scene = timeline.set_marker(timeline.set_marker(scene, 12.5, "Beat"), -5, "In")
    scene = timeline.set_sound(scene, Sound("surf.wav", b"RIFF not really", -3.5, True, 0.25))
    scene = timeline.set_light(scene, Light(120.0, -20.0, 1.25, 0.75, "glazed", 0.25, 0.5, "#112233"))
    scene = add_measure(scene, PointOf(OBJ, 3), PointOf(OBJ, 24), "Gap")
    scene = timeline.set_reference(scene, Reference("take.mp4", b"not really", 2.5, 0.5, 0.75, -1.0, 0.25, True, True, False))
    scene = timeline.set_played(scene, 0, 40)
    act = Act(
        RELAY, (Lead(OBJ, "t1", -0.5), Lead("o9", "gone", 2.0)), OBJ, "Storm", "g1", 1.5, "p1", 0, "t1", 1, False, "q9", 0.3
    )
    when = When(MARKER, OBJ, "Rim", "Ctrl+A", "Beat", "q8", 2.5)
    scene, _ = add_cue(scene, Cue("", "Touch", when, act, Then(3.0, NEXT, 0.8, "spring(0.3)", "q7"), QUEUE, True, False))
    return add_cue(scene, Cue("", "Plain"))[0]


@pytest.mark.parametrize("which", ["full", "demo"])
def test_everything_survives_save_and_open(tmp_path, full, which):
    scene = full if which == "full" else moon_jelly()
    first = scene.objects[0]
    noted = replace(first.targets[0], solo=True, locked=True, note="Too strong at the rim")
    scene = scene.with_object(first.with_target(noted))
    write_native(tmp_path / "s.fictilis", scene)
    assert same(read_native(tmp_path / "s.fictilis"), scene)


def as_version_3(record):
    for obj in record["objects"]:
        obj["transform"]["location"] = obj["transform"].pop("position")
    for lane in (x for owner in (*record["objects"], *record["cameras"]) for x in owner["lanes"]):
        lane["channel"] = lane["channel"].replace("position.", "location.")
        for key in lane["keys"]:
            key["tangent"] = {"joined": "aligned", "broken": "free"}.get(key["tangent"], key["tangent"])


def as_version_2(record):
    for name in ("cameras", "markers", "sound", "played"):
        del record[name]
    for obj in record["objects"]:
        del obj["opacity"]
        for lane in obj["lanes"]:
            lane["target"] = lane.pop("channel")


def as_version_1(record):
    del record["views"]
    for obj in record["objects"]:
        for name in ("locked", "groups", "picks", "texture", "mixes"):
            del obj[name]
        for target in obj["targets"]:
            del target["mask"], target["group"]
        for lane in obj["lanes"]:
            del lane["before"], lane["after"], lane["modifiers"]
            for key in lane["keys"]:
                for name in ("tangent", "into", "out", "ease"):
                    del key[name]


def as_version_4(record):
    for obj in record["objects"]:
        obj["mesh"] = obj.pop("geometry")
        del obj["mesh"]["kind"]


def as_version_5(record):
    record.pop("id_floor")
    for obj in record["objects"]:
        obj.pop("form")


def as_version_6(record):
    for obj in record["objects"]:
        for target in obj["targets"]:
            target.pop("rule")


def as_version_7(record):
    del record["clips"], record["clip"]
    for obj in record["objects"]:
        obj.pop("blend")
        for group in obj["groups"]:
            group.pop("relay")
        for target in obj["targets"]:
            target.pop("follows")
            target.pop("link")
            target.pop("sweep")
        for key in (key for lane in obj["lanes"] for key in lane["keys"]):
            key.pop("shape")
    for camera in record["cameras"]:
        for key in (key for lane in camera["lanes"] for key in lane["keys"]):
            key.pop("shape")


def as_version_8(record):
    for obj in record["objects"]:
        for target in obj["targets"]:
            target.pop("match")


def as_version_9(record):
    for obj in record["objects"]:
        obj.pop("repeat")
        obj.pop("spring")
    for camera in record["cameras"]:
        camera.pop("along")


def as_version_11(record):
    record.pop("rigs")
    for obj in record["objects"]:
        obj.pop("deformers")
        obj.pop("skin")


def as_version_13(record):
    for target in (t for obj in record["objects"] for t in obj["targets"]):
        del target["solo"], target["locked"], target["note"]


def as_version_15(record):
    del record["measures"]
    if record["light"] is not None:
        del record["light"]["lines"], record["light"]["line_colour"]


BACK = {
    15: as_version_15,
    14: lambda record: record.pop("light", None),
    13: as_version_13,
    12: lambda record: record.pop("cues", None),
    11: as_version_11,
    10: lambda record: record.pop("reference", None),
    9: as_version_9,
    8: as_version_8,
    7: as_version_7,
    6: as_version_6,
    5: as_version_5,
    4: as_version_4,
    3: as_version_3,
    2: as_version_2,
    1: as_version_1,
}


@pytest.mark.parametrize("version", sorted(BACK))
def test_a_file_of_an_older_version_opens_with_what_it_knew(tmp_path, sheet, full, version):
    """Every migration has a way back here. Those from 3 on could hold all of ``full`` but a reference, cues, a light and
    measures."""
    full = replace(full, reference=None, cues=(), light=None, measures=())
    scene = full if version >= 3 else set_key(set_key(sheet, OBJ, "t1", Key(0, 0)), OBJ, "t1", Key(10, 1, "linear"))
    path = tmp_path / "old.fictilis"
    write_native(path, scene)

    def as_it_was(record):
        for earlier in range(VERSION - 1, version - 1, -1):
            BACK[earlier](record)
        record["schema"] = version

    edit_json(path, as_it_was)
    assert same(read_native(path), scene)


@pytest.mark.parametrize("version", range(3, VERSION))
def test_a_scene_that_an_older_version_saved_has_every_lane_in_place(version):
    """The files were written by the releases before, not made from today's."""
    scene = read_native(Path(__file__).parent / f"data/version-{version}.fictilis")
    bell = scene.object_named("Bell")
    assert bell.transform == Transform((1, 2, 3), (4, 5, 6), (1, 2, 1), (7, 8, 9))
    assert [lane.channel for lane in bell.lanes] == ["t1", "position.x", "position.y", "position.z", "rotation.y", "opacity"]
    keys = bell.lane("t1").curve.keys
    assert [k.tangent for k in keys] == ["auto", "joined", "broken", "flat"]
    assert keys[1].into == (2, -0.5) and keys[2].out == (2, -0.5)
    assert own_placement(bell, 12.0).transform.position == (3, 5, -3) and own_placement(bell, 12.0).opacity == 0.75
    assert scene.cameras[0].lane("yaw").curve.evaluate(12.0) == 25


@pytest.mark.parametrize("junk", [3, None, [1], {"lanes": 5}, {"transform": 7, "lanes": [{"channel": 4, "keys": [None]}]}])
def test_an_older_file_full_of_junk_is_refused_in_a_sentence(tmp_path, sheet, junk):
    path = tmp_path / "old.fictilis"
    write_native(path, sheet)
    edit_json(path, lambda record: record.update(schema=2, objects=[junk], cameras=junk))
    with pytest.raises(BadFile, match=r"old.fictilis cannot be opened: its scene.json is wrong"):
        read_native(path)


def test_saving_twice_gives_the_same_bytes_but_for_the_clock(tmp_path, full):
    contents = []
    for name in ("a", "b"):
        write_native(tmp_path / name, full)
        with zipfile.ZipFile(tmp_path / name) as archive:
            contents.append({i.filename: archive.read(i) for i in archive.infolist()})
    assert contents[0] == contents[1]


def npy(array, pickle=False):
    out = io.BytesIO()
    np.lib.format.write_array(out, array, allow_pickle=pickle)
    return out.getvalue()


def first_object(record):
    return record["objects"][0]


def deltas_x(record):
    return first_object(record)["geometry"]["offsets"]


JSON_DAMAGE = {
    "newer version": (lambda r: r.update(schema=99), "version 99"),
    "version zero": (lambda r: r.update(schema=0), "no version 0"),
    "unknown field": (lambda r: r.update(extra=1), "extra"),
    "missing field": (lambda r: r.pop("fps"), "fps"),
    "wrong type": (lambda r: r.update(fps="fast"), "fps"),
    "impossible rate": (lambda r: r.update(fps=0), "rate is 0"),
    "falling range": (lambda r: r.update(end=-99), "range"),
    "missing array": (lambda r: first_object(r).update(base="arrays/77.npy"), "missing"),
    "array of another kind": (lambda r: first_object(r).update(base=first_object(r)["geometry"]["corners"]), "needed"),
    "wrong count": (lambda r: first_object(r)["geometry"].update(points=9), "counts 9"),
    "unknown path": (lambda r: first_object(r)["targets"][0].update(path="wavy"), "wavy"),
    "built on nothing": (lambda r: first_object(r)["targets"][1].update(built_on="t7"), "t7"),
    "built on itself": (lambda r: first_object(r)["targets"][0].update(built_on="t2"), "built on itself"),
    "same id twice": (lambda r: first_object(r)["targets"][1].update(id="t1"), "twice"),
    "same name twice": (lambda r: first_object(r)["targets"][1].update(name="Lift"), "twice"),
    "lane of nothing": (lambda r: first_object(r)["lanes"][0].update(channel="t9"), "t9"),
    "an object's lane on a camera": (
        lambda r: r["cameras"][0]["lanes"].append({"channel": "opacity", "keys": first_object(r)["lanes"][0]["keys"]}),
        "nothing called opacity",
    ),
    "target with a channel's id": (lambda r: first_object(r)["targets"][0].update(id="opacity"), "kept for"),
    "opacity": (lambda r: first_object(r).update(opacity=1.5), "opacity 1.5"),
    "camera too near": (lambda r: r["cameras"][0].update(distance=0), "stands 0 cm"),
    "measure of a point too many": (lambda r: r["measures"][0]["first"].update(point=99), "from 0 to 24, not 99"),
    "measure of nothing": (lambda r: r["measures"][0]["second"].update(owner="o9"), "no object with the id o9"),
    "measure of one point": (lambda r: r["measures"][0]["second"].update(point=3), "to itself"),
    "line colour": (lambda r: r["light"].update(line_colour="red"), "no colour"),
    "two cameras of a name": (lambda r: r["cameras"][0].update(name="Close up"), "twice"),
    "markers out of order": (lambda r: r["markers"].reverse(), "out of order"),
    "loud sound": (lambda r: r["sound"].update(volume=3.0), "volume"),
    "played out of the range": (lambda r: r.update(played=[-20, 10]), "out of -5 to 50"),
    "falling keys": (lambda r: first_object(r)["lanes"][0]["keys"].reverse(), "rising"),
    "unknown interpolation": (lambda r: first_object(r)["lanes"][0]["keys"][0].update(interpolation="x"), "interpolation"),
    "mix of nothing": (lambda r: first_object(r)["mixes"][0]["weights"].append(["t9", 1.0]), "t9"),
    "unknown modifier": (lambda r: first_object(r)["lanes"][0]["modifiers"][0].update(kind="jelly"), "no modifier"),
    "modifier beyond its bounds": (
        lambda r: first_object(r)["lanes"][0]["modifiers"][0].update(numbers=[["damping", -4.0]]),
        "Damping of spring",
    ),
    "unknown tangent": (lambda r: first_object(r)["lanes"][0]["keys"][0].update(tangent="x"), "no tangent"),
    "unknown easing": (lambda r: first_object(r)["lanes"][0]["keys"][3].update(ease="jump"), "no easing"),
    "handle back in time": (lambda r: first_object(r)["lanes"][0]["keys"][4].update(into=[-1, 0]), "back in time"),
    "unknown way on": (lambda r: first_object(r)["lanes"][0].update(after="x"), "way to go on"),
    "flattened object": (lambda r: first_object(r)["transform"].update(scale=[1, 0, 1]), "scale of 0"),
    "half of its UVs": (lambda r: first_object(r)["geometry"].update(uv_corners=None), "texture coordinates"),
    "no colour": (lambda r: first_object(r).update(colour="red"), "colour"),
    "falling weight range": (lambda r: first_object(r)["targets"][0].update(range=[1, 0]), "range"),
    "in-between at 1": (lambda r: first_object(r)["targets"][0]["in_betweens"][0].update(at=1.0), "impossible"),
    "group that is not there": (lambda r: first_object(r)["targets"][0].update(group="g9"), "g9, which is not there"),
    "mask of other points": (lambda r: first_object(r)["targets"][0].update(mask=deltas_x(r)), "needed|one number"),
    "pick of an unknown kind": (lambda r: first_object(r)["picks"][0].update(kind="loops"), "loops"),
    "same pick twice": (lambda r: first_object(r)["picks"].append(first_object(r)["picks"][0]), "twice"),
    "texture of no fields": (lambda r: first_object(r)["texture"].update(tiles=0), "0 fields"),
    "view from nowhere": (lambda r: r["views"][0].update(distance=0), "stands 0 cm away"),
    "infinite number": (lambda r: r.update(start=float("inf")), "scene.json"),
}


@pytest.mark.parametrize("case", JSON_DAMAGE)
def test_impossible_scenes_are_one_sentence(tmp_path, full, case):
    change, said = JSON_DAMAGE[case]
    path = tmp_path / "s.fictilis"
    write_native(path, full)
    edit_json(path, change)
    with pytest.raises(BadFile, match=said) as error:
        read_native(path)
    assert error.value.sentence.startswith("s.fictilis cannot be opened:") and "\n" not in error.value.sentence


def base_name(entries):
    return json.loads(entries["scene.json"])["objects"][0]["base"]


def put_base(make):
    def change(entries):
        entries[base_name(entries)] = make()

    return change


def put_corners(make):
    def change(entries):
        entries[json.loads(entries["scene.json"])["objects"][0]["geometry"]["corners"]] = make()

    return change


ARRAY_DAMAGE = {
    "pickled": (put_base(lambda: npy(np.array([{}], object), True)), "object"),
    "nan": (put_base(lambda: npy(np.full((25, 3), np.nan))), "finite"),
    "huge count": (put_base(lambda: npy(np.zeros((25, 3))).replace(b"(25, 3)", b"(9999999, 3)")[:300]), "length|no array"),
    "half": (put_base(lambda: npy(np.zeros((25, 3)))[:300]), "length"),
    "flat": (put_base(lambda: npy(np.zeros(75))), "shaped"),
    "no array": (put_base(lambda: b"hello"), "no array"),
    "corner out of range": (put_corners(lambda: npy(np.full(64, 999, np.int32))), "face corner"),
    "no scene": (lambda e: e.pop("scene.json"), "scene.json is missing"),
    "garbled scene": (lambda e: e.update({"scene.json": b"\xff\xfe{"}), "scene.json is wrong"),
    "deep scene": (lambda e: e.update({"scene.json": b"[" * 100_000}), "scene.json is wrong"),
    "path traversal": (lambda e: e.update({"../../evil": b"x"}), "outside of itself"),
    "absolute path": (lambda e: e.update({"/etc/evil": b"x"}), "outside of itself"),
}  # fmt: skip


@pytest.mark.parametrize("case", ARRAY_DAMAGE)
def test_damaged_parts_are_one_sentence(tmp_path, full, case):
    change, said = ARRAY_DAMAGE[case]
    path = tmp_path / "s.fictilis"
    write_native(path, full)
    rewrite(path, change)
    with pytest.raises(BadFile, match=said) as error:
        read_native(path)
    assert "\n" not in error.value.sentence


def test_a_zip_bomb_is_refused_before_it_unpacks(tmp_path, full):
    path = tmp_path / "s.fictilis"
    write_native(path, full)
    with zipfile.ZipFile(path, "a", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("arrays/bomb.npy", b"\0" * 50_000_000)
    with pytest.raises(BadFile, match="would unpack"):
        read_native(path)


@pytest.mark.parametrize("keep", [0, 10, 400, 0.5, 0.98])
def test_cut_off_files(tmp_path, full, keep):
    path = tmp_path / "s.fictilis"
    write_native(path, full)
    data = path.read_bytes()
    path.write_bytes(data[: int(keep * len(data)) if isinstance(keep, float) else keep])
    with pytest.raises(BadFile, match="cut off|empty"):
        read_native(path)


def test_every_single_damaged_byte_is_noticed_or_harmless(tmp_path, full):
    path = tmp_path / "s.fictilis"
    write_native(path, full)
    data = bytearray(path.read_bytes())
    rng = np.random.default_rng(5)
    for place in rng.choice(len(data), 150, replace=False):
        broken = bytearray(data)
        broken[place] ^= 0x41
        path.write_bytes(broken)
        with suppress(BadFile):
            read_native(path)


@pytest.mark.parametrize("how", ["full disk", "read-only file", "missing folder", "cut short at the last step"])
def test_a_save_that_fails_leaves_the_old_file_whole(tmp_path, full, monkeypatch, how):
    path = tmp_path / "s.fictilis"
    write_native(path, full)
    before = path.read_bytes()
    if how == "full disk":
        monkeypatch.setattr(files.os, "fsync", lambda _fd: (_ for _ in ()).throw(OSError(28, "No space left on device")))
        said = "no space left on device. The file that was there is unchanged"
    elif how == "cut short at the last step":
        monkeypatch.setattr(files.os, "replace", lambda *_a: (_ for _ in ()).throw(OSError(5, "Input/output error")))
        said = "input/output error"
    elif how == "read-only file":
        path.chmod(0o444)
        monkeypatch.setattr(files.os, "access", lambda *_a: False)  # root may write everywhere
        said = "write-protected"
    else:
        path = tmp_path / "gone" / "s.fictilis"
        said = "could not be saved"
    with pytest.raises(CannotSave, match=said):
        write_native(path, moon_jelly())
    assert (tmp_path / "s.fictilis").read_bytes() == before
    assert [p.name for p in tmp_path.iterdir()] == ["s.fictilis"]


def test_cancelled_writing_leaves_nothing(tmp_path, full):
    from fictilis.core.ground.errors import Cancelled

    def stop(_fraction):
        raise Cancelled("stopped")

    with pytest.raises(Cancelled):
        write_native(tmp_path / "s.fictilis", full, stop)
    assert list(tmp_path.iterdir()) == []


def test_numbers_of_numpys_are_numbers_too(tmp_path, sheet):
    """They come from sums over arrays, as where a camera looks; a file must not fail for them."""
    one = np.float64(1.5)
    scene = set_key(sheet, OBJ, "t1", Key(one, one, "smooth", "broken", (one, one), (one, one)))
    scene, _ = timeline.add_camera(scene, SceneCamera("", "Camera", (one, one, one), one, one, one, one * 20))
    scene = timeline.set_marker(timeline.set_played(scene, one, one * 9), one, "Beat")
    obj = replace(scene.object(OBJ), transform=Transform((one, one, one)))
    scene = replace(scene.with_object(obj), fps=one * 20, views=(SavedView("V", (one, one, one), one, one, one),))
    scene = scene.with_object(obj.with_target(replace(obj.target("t1"), weight=one, range=(np.float64(0), one))))
    write_native(tmp_path / "s.fictilis", scene)
    assert same(read_native(tmp_path / "s.fictilis"), scene)
    key = scene.object(OBJ).lane("t1").curve.keys[0]
    assert type(key.frame) is type(key.into[1]) is type(scene.cameras[0].centre[0]) is float


FAR_OUT = {
    "range end": (lambda r: r.update(end=1e15), "its (start|end) is"),
    "range start": (lambda r: r.update(start=-1e15), "its (start|end) is"),
    "key frame": (lambda r: r["objects"][0]["lanes"][0]["keys"][0].update(frame=-1e12), "a key of"),
    "key value": (lambda r: r["objects"][0]["lanes"][0]["keys"][0].update(value=1e300), "a key of"),
    "weight": (lambda r: r["objects"][0]["targets"][0].update(weight=1e300), "its weight is 1e\\+300"),
    "place": (lambda r: r["objects"][0]["transform"].update(position=[1e200, 0, 0]), "its position is"),
    "view": (lambda r: r["views"][0].update(yaw=1e300), "its yaw is"),
    "a long name": (lambda r: r["objects"][0].update(name="x" * 5000), "its name has 5,000 letters"),
    "a name of two lines": (lambda r: r["objects"][0].update(name="Bell\nof the sea"), "line break"),
    "a target of two lines": (lambda r: r["objects"][0]["targets"][0].update(name="a\u2028b"), "line break"),
    "many markers": (lambda r: r.update(markers=[{"frame": float(n), "name": "m"} for n in range(100_001)]), "100,001 markers"),
    "a played part far away": (lambda r: r.update(played=[1e300, 1e301]), "its played is"),
}


@pytest.mark.parametrize("name", FAR_OUT)
def test_numbers_and_names_out_of_all_proportion_are_one_sentence(tmp_path, full, name):
    path = tmp_path / "far.fictilis"
    write_native(path, full)
    change, said = FAR_OUT[name]
    edit_json(path, change)
    with pytest.raises(BadFile, match=said) as refused:
        read_native(path)
    assert "\n" not in str(refused.value) and len(str(refused.value)) <= 300


@pytest.mark.parametrize("seconds", [0.0, 4.5e9])
def test_a_clock_that_stands_wrong_stops_no_save(tmp_path, sheet, monkeypatch, seconds):
    """A zip archive has no date before 1980 or after 2107."""
    import time

    monkeypatch.setattr(time, "time", lambda: seconds)
    write_native(tmp_path / "s.fictilis", sheet)
    assert same(read_native(tmp_path / "s.fictilis"), sheet)


def test_a_link_is_followed_and_owner_and_mode_are_kept(tmp_path, sheet):
    import os

    real = tmp_path / "real" / "sea.fictilis"
    real.parent.mkdir()
    write_native(real, sheet)
    real.chmod(0o640)
    if os.geteuid() == 0:
        os.chown(real, 1234, 2345)
    link = tmp_path / "link.fictilis"
    link.symlink_to(real)
    write_native(link, replace(sheet, name="Other"))
    assert link.is_symlink() and read_native(real).name == "Other"
    found = real.stat()
    assert found.st_mode & 0o777 == 0o640 and (os.geteuid() or (found.st_uid, found.st_gid) == (1234, 2345))


@pytest.mark.parametrize("kind", ["folder", "pipe", "socket", "device", "link to a pipe"])
def test_only_a_regular_file_is_ever_replaced(tmp_path, sheet, kind):
    import os
    import socket

    path = tmp_path / "odd.fictilis"
    if kind == "folder":
        path.mkdir()
    elif kind == "pipe":
        os.mkfifo(path)
    elif kind == "socket":
        with socket.socket(socket.AF_UNIX) as bound:
            bound.bind(str(path))
    elif kind == "device":
        path.symlink_to("/dev/null")
    else:
        os.mkfifo(tmp_path / "pipe")
        path.symlink_to(tmp_path / "pipe")
    before = os.stat(path).st_mode
    with pytest.raises(CannotSave, match=r"it is a (folder|pipe|socket|device), not a file"):
        write_native(path, sheet)
    assert os.stat(path).st_mode == before


@pytest.mark.parametrize("length", [243, 250, 255])
def test_names_as_long_as_the_file_system_takes_are_saved(tmp_path, sheet, length):
    name = "é" * ((length - 9) // 2) + "x" * ((length - 9) % 2) + ".fictilis"
    assert len(name.encode()) == length
    write_native(tmp_path / name, sheet)
    assert same(read_native(tmp_path / name), sheet)


def test_a_name_that_is_no_text_is_saved_and_opened(tmp_path, sheet):
    import os

    from fictilis.formats.registry import load, save

    path = Path(os.fsdecode(os.fsencode(tmp_path) + b"/se\xff\xfe.fictilis"))
    named = save(sheet, path)
    assert load(path).name == named.name == "se" and path.exists()
    with pytest.raises(BadFile) as refused:
        load(path.with_name(path.name + "x"))
    str(refused.value).encode()


def test_a_suffix_in_capitals_is_one(tmp_path, sheet):
    from fictilis.formats.registry import save

    assert save(sheet, tmp_path / "x.FICTILIS").name == "x"


def test_shapes_with_names_too_long_for_files_are_shortened_and_all_written(tmp_path, sheet):
    from fictilis.core.edits.targets import rename_target
    from fictilis.formats.registry import export_shapes

    scene = rename_target(rename_target(sheet, OBJ, "t1", "ä" * 199 + "1"), OBJ, "t2", "ä" * 199 + "2")
    written, _ = export_shapes(scene, tmp_path / "out")
    assert len({p.name for p in written}) == 3 and all(len(p.name.encode()) <= 255 and p.exists() for p in written)


def test_shapes_are_written_all_or_none(tmp_path, sheet, monkeypatch):
    from fictilis.formats import registry

    real, calls = registry.write_obj, []

    def full_disk(path, *rest):
        calls.append(path)
        if len(calls) == 3:
            raise CannotSave(f"{path} could not be saved: no space left on device.")
        real(path, *rest)

    monkeypatch.setattr(registry, "write_obj", full_disk)
    with pytest.raises(CannotSave, match="no space"):
        registry.export_shapes(sheet, tmp_path / "out")
    assert len(calls) == 3 and not list((tmp_path / "out").iterdir())


@pytest.mark.parametrize("kind", ["points", "weight", "name"])
def test_what_could_not_be_opened_again_is_not_written_over_what_can(tmp_path, sheet, kind):
    path = tmp_path / "s.fictilis"
    write_native(path, sheet)
    obj = sheet.object(OBJ)
    wrong = {
        "points": replace(obj, base=obj.base * 1e13),
        "weight": obj.with_target(replace(obj.target("t1"), weight=1e13)),
        "name": replace(obj, name="two\nlines"),
    }[kind]
    with pytest.raises(CannotSave, match="could not be saved: its"):
        write_native(path, sheet.with_object(wrong))
    assert same(read_native(path), sheet)


def test_a_lane_without_keys_is_not_read(tmp_path, full):
    """No edit leaves one; in a clip put by it would be a fault, so a scene read with one could not be opened again."""
    path = tmp_path / "bare.fictilis"
    write_native(path, full)
    edit_json(path, lambda r: first_object(r)["lanes"][0].update(keys=[]))
    assert [lane.channel for lane in read_native(path).objects[0].lanes] == [lane.channel for lane in full.objects[0].lanes[1:]]


def chained(name):
    """Scenes that no edit makes, by what is written of them."""
    points, mesh = plane(40, 40, 4, 4)
    scene, obj_id = add_object(Scene(), "Sheet", mesh, points)
    few = Deltas(np.arange(3, dtype=np.int32), np.ones((3, 3)))
    if name == "a missing driver behind another":
        rows = (Target("t1", "A", few, rule=Rule((Driver("t2"),))), Target("t2", "B", few, rule=Rule((Driver("t9"),))))
        return scene.with_object(replace(scene.object(obj_id), targets=rows))
    if name == "drivers in a circle":
        rows = (Target("t1", "A", few, rule=Rule((Driver("t2"),))), Target("t2", "B", few, rule=Rule((Driver("t1"),))))
        return scene.with_object(replace(scene.object(obj_id), targets=rows))
    if name == "built on one another in a circle":
        rows = (Target("t1", "A", few, built_on="t2"), Target("t2", "B", few, built_on="t1"))
        return scene.with_object(replace(scene.object(obj_id), targets=rows))
    if name == "lines along lines, 200 deep":
        scene, line = add_form(Scene(), "Wave", {"points": 4})
        first = scene.object(line)
        rows = [replace(first, id=f"o{n}", name=f"L{n}", along=Along(f"o{n - 1}") if n > 1 else None) for n in range(1, 201)]
        return replace(scene, objects=tuple(rows))
    if name == "copies of a tube":
        scene, line = add_form(Scene(), "Wave", {"points": 200})
        obj = scene.object(line)
        thick = replace(obj.line, degree=3, tube=Tube(round_profile(64)))
        return replace(scene, objects=(replace(obj, geometry=thick, repeat=Repeat(counts=(100, 1, 1))),))
    assert name == "copies of a surface"
    obj = add_object(Scene(), "Sheet", *plane(40, 40, 8, 8)[::-1])[0].objects[0]
    rows = (replace(obj, surface=Surface(2), repeat=Repeat(counts=(100, 100, 1))),)
    return replace(scene, objects=rows)


CHAINED = {
    "a missing driver behind another": "no target with the id t9", "drivers in a circle": "cannot drive itself",
    "built on one another in a circle": "is built on itself", "lines along lines, 200 deep": "32 deep",
    "copies of a tube": "copies of Wave would have", "copies of a surface": "copies of Sheet would have",
}  # fmt: skip


@pytest.mark.parametrize("name", CHAINED)
def test_chains_circles_and_more_than_is_drawn_are_refused_when_edited_written_and_read(name, tmp_path, monkeypatch):
    scene, path = chained(name), tmp_path / "s.fictilis"
    with pytest.raises(EditRefused, match=CHAINED[name]):
        check(scene, Scene())
    with pytest.raises(CannotSave, match=CHAINED[name]):
        write_native(path, scene)
    assert not path.exists()
    with monkeypatch.context() as unchecked:
        unchecked.setattr("fictilis.formats.native.check", lambda _scene: None)
        write_native(path, scene)
    with pytest.raises(BadFile, match=CHAINED[name]):
        read_native(path)


@pytest.mark.parametrize("wrong", ["__proto__", "constructor|x", "", "a b", "x" * 70, "\u202e1"])
def test_an_id_is_a_plain_word(wrong, tmp_path, sheet):
    """Which a page's script has as a key."""
    write_native(tmp_path / "s.fictilis", sheet)
    edit_json(tmp_path / "s.fictilis", lambda record: first_object(record)["targets"][0].update(id=wrong))
    with pytest.raises(BadFile, match="is no id|wrong|stands twice"):
        read_native(tmp_path / "s.fictilis")


@pytest.mark.parametrize("seed", [-1, 2**33])
def test_a_seed_that_draws_nothing_is_refused(seed, tmp_path, sheet):
    scene = set_repeat(sheet, "o1", Repeat(counts=(2, 1, 1), turns=5.0))
    write_native(tmp_path / "s.fictilis", scene)
    edit_json(tmp_path / "s.fictilis", lambda record: first_object(record)["repeat"].update(seed=seed))
    with pytest.raises(BadFile, match="seed is from 0"):
        read_native(tmp_path / "s.fictilis")


@pytest.mark.parametrize("kind", ["built on", "driven"])
def test_a_long_chain_is_read_and_mixed_at_once(kind, tmp_path):
    """800 targets, each by the one before it, in the worst order: nothing is done by recursion, and each once."""
    points, mesh = plane(40, 40, 4, 4)
    scene, obj_id = add_object(Scene(), "Sheet", mesh, points)
    few, curve = Deltas(np.array([0]), np.array([[0.0, 1.0, 0.0]])), AnimationCurve((Key(0, 0.0, "linear"), Key(1, 1.0)))
    rows = []
    for n in range(800):
        more = (
            {"built_on": f"t{n}" if n else None} if kind == "built on" else {"follows": Follow(f"t{n}", curve) if n else None}
        )
        last = kind == "built on" and n == 799
        rows.append(Target(f"t{n + 1}", f"T{n + 1}", few, weight=1.0 if not n or last else 0.0, **more))
    scene = scene.with_object(replace(scene.object(obj_id), targets=tuple(rows[::-1])))
    write_native(tmp_path / "s.fictilis", scene)
    obj = read_native(tmp_path / "s.fictilis").objects[0]
    wanted = 801.0 if kind == "built on" else 800.0
    assert mix_at(obj, 0.0)[0, 1] - obj.base[0, 1] == pytest.approx(wanted)


def test_letters_that_are_not_seen_are_shown(tmp_path, sheet, capsys):
    """Source: Unicode Standard Annex 9: overrides turn the writing round; ECMA-48: what a terminal obeys."""
    evil = "gnp\u202e.exe\x1b[2J\u2066x"
    scene = replace(sheet, objects=(replace(sheet.objects[0], name=evil),), markers=(Marker(3.0, evil),))
    write_native(tmp_path / "s.fictilis", scene)
    read = read_native(tmp_path / "s.fictilis")
    assert read.objects[0].name == read.markers[0].name == "gnp\ufffd.exe\ufffd[2J\ufffdx"
    assert main(["info", str(tmp_path / "s.fictilis")]) == 0
    assert main(["info", str(tmp_path / f"{evil}.fictilis")]) == 2
    said = capsys.readouterr()
    assert not any(c in said.out + said.err for c in evil if not c.isprintable())
    assert "\\u202e" in said.err and "\\u001b" in said.err
