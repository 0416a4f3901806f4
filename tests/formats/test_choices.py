"""What exports let one choose, and what they say becomes of a scene, against what a file read again shows."""

import io
import json
from contextlib import suppress

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

import fictilis
import fictilis.pictures.poster as poster_of
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.at_frame.cameras import placed_camera
from fictilis.core.at_frame.drawn import finer_of
from fictilis.core.at_frame.pose import placement
from fictilis.core.at_frame.sizes import size_of
from fictilis.core.edits import clips
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.imports import laid, sized, stood
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.lines import set_tube
from fictilis.core.edits.topology import set_surface
from fictilis.core.geometry.kinds import Tube
from fictilis.core.geometry.lines.tubes import round_profile
from fictilis.core.geometry.units import UNITS, fitting_unit, linear_from
from fictilis.core.ground.errors import BadFile, Cancelled, EditRefused
from fictilis.core.mix.acting import weights_at
from fictilis.core.scene.appearance import Texture
from fictilis.core.scene.places import Transform
from fictilis.formats import proof
from fictilis.formats.account import FEATURES, account, fate
from fictilis.formats.choices import Choices
from fictilis.formats.fates import CHANGED, IN_MIX, KEPT, LEFT_OUT
from fictilis.formats.importing import Laying, added, read_held, taken
from fictilis.formats.lanes import read_lanes, set_lanes
from fictilis.formats.proof import prove
from fictilis.formats.registry import FORMATS, as_chosen, export, read_meshes, scene_from_file
from fictilis.formats.usd_reading import read_here
from fictilis.formats.weights import matched_names, read_weights, set_weights
from tests import features as pairs
from tests.formats.dressed import MAKERS, OBJ, dressed, made, png, seen_through, shaken
from tests.formats.gltf_player import read_arrays
from tests.sameness import same_bits

WRITTEN = {f.key: f.suffixes[0] for f in FORMATS if f.export}


@pytest.fixture(autouse=True)
def stages_are_read_here(monkeypatch):
    """Not each in a process of its own, which has tests of its own and takes a second."""
    whole = proof.scene_from_file
    here = lambda path: read_here(path) if path.suffix.startswith(".usd") else whole(path)  # noqa: E731
    monkeypatch.setattr(proof, "scene_from_file", here)
    monkeypatch.setattr(poster_of, "poster", lambda _scene: None)  # a picture takes most of a small page's time


def test_every_feature_of_the_account_has_a_scene_and_a_fate():
    assert {f.name for f in FEATURES} == set(MAKERS)
    assert {f.key for f in FORMATS if f.fates} == set(WRITTEN)
    assert set().union(*(f.fates for f in FORMATS)) == set(MAKERS)


@pytest.mark.parametrize("name", MAKERS)
def test_what_is_said_of_a_feature_is_what_a_file_read_again_shows(name, tmp_path):
    scene = made(name)
    shown = list(scene.objects)
    having = [f for f in FEATURES if f.name == name and f.found(scene, shown)]
    assert len(having) == 1
    (feature,) = having
    for key, suffix in WRITTEN.items():
        if key in ("ply", "stl") and MAKERS[name][1] == "line":
            continue  # which hold none, and say so
        if key in ("csv", "lanes") and MAKERS[name][1] == "form":
            continue
        path = tmp_path / f"a{suffix}"
        chosen, values = as_chosen(scene, path, Choices())
        rows = [row for row in account(scene, chosen, key, values) if row.feature == name]
        state = (fate(feature, key, values) or (None,))[0]
        assert [row.state for row in rows] == ([state] if state not in (None, IN_MIX) else [])
        export(scene, path, 6.0)
        seen = prove(scene, path, 6.0)
        loose = key in ("gltf", "usd") and name in ("Sweeps", "Tubes") or key == "gltf" and name == "Dual quaternions"
        assert seen is None or seen.cm < (2.0 if loose else 0.03), (key, seen)
        if key in ("gltf", "usd"):
            back = scene_from_file(path)[0] if key == "gltf" else read_here(path)[0]
            again = any(f.found(back, list(back.objects)) for f in FEATURES if f.name == name)
            if state == KEPT:
                assert again, (key, name)
            elif state == LEFT_OUT and name not in ("Lines drawn in part",):
                assert not again, (key, name)


def spring_and_all():
    scene = MAKERS["Springs"][0](seen_through(pairs.FEATURES["moves"](pairs.made("mesh"))))
    return dressed(scene, Texture("Skin", png()))


OPTIONS = {
    "obj in mm, Z up": (".obj", {"unit": "mm", "up": "z"}), "ply in m": (".ply", {"unit": "m"}),
    "stl in inches": (".stl", {"unit": "inch"}),
    "obj where it stands": (".obj", {"motion": "keep"}), "ply without colours": (".ply", {"colours": "drop"}),
    "stage in m, Z up": (".usda", {"unit": "m", "up": "z"}), "points by frame": (".usdc", {"as": "points"}),
    "a smooth cage": (".usda", {"unit": "m", "up": "z", "subdivision": "catmull-clark"}),
    "weights each frame": (".usdc", {"keys": "frames"}), "glTF keys each frame": (".glb", {"keys": "frames"}),
    "a surface as glTF": (".glb", {"surface": "result"}), "a cage as OBJ": (".obj", {"surface": "cage"}),
    "a surface as points": (".usdc", {"surface": "result", "as": "points"}), "a surface as a stage": (".usda", {
        "surface": "result", "unit": "m", "up": "z"}),
    "no springs": (".glb", {"springs": "drop"}), "no motion": (".glb", {"motion": "drop"}),
    "no cameras": (".usdc", {"cameras": "drop"}),
    "no textures": (".gltf", {"textures": "drop"}), "a row of files": (".obj", {"frames": "range", "step": 3}),
}  # fmt: skip


@pytest.mark.parametrize("name", OPTIONS)
def test_options_of_formats(name, tmp_path):
    suffix, options = OPTIONS[name]
    scene, path = spring_and_all(), tmp_path / f"a{suffix}"
    choices = Choices(options=options)
    if "surface" in options:
        scene = set_surface(scene, OBJ, 1)
        cage, fine = len(scene.object(OBJ).base), finer_of(scene.object(OBJ)).geometry.point_count
    export(scene, path, 6.0, choices=choices)
    if "surface" in options:
        back = {".glb": scene_from_file, ".obj": scene_from_file}.get(suffix, read_here)(path)[0]
        count = len(back.objects[0].base)  # glTF has more where UVs part
        assert (count == cage) if options["surface"] == "cage" else (count >= fine if suffix == ".glb" else count == fine)
    assert prove(scene, path, 6.0, choices=choices).cm < 0.01
    rows = {r.feature: r.state for r in account(scene, *_kind(scene, path, choices))}
    if "unit" in options and suffix != ".usda":
        export(scene, tmp_path / f"b{suffix}", 6.0)
        raw, plain = (np.concatenate([d.points for d in read_meshes(p).objects]) for p in (path, tmp_path / f"b{suffix}"))
        assert np.ptp(raw[:, 0]) == pytest.approx(np.ptp(plain[:, 0]) / UNITS[options["unit"]], rel=1e-6)
    if suffix == ".usda":
        text = path.read_text()
        assert "metersPerUnit = 1" in text and 'upAxis = "Z"' in text
        assert ("catmullClark" in text) == (name == "a smooth cage")
    if name == "points by frame":
        assert not read_here(path)[0].objects[0].lane("t1") and rows["Targets"] == CHANGED
    if name == "glTF keys each frame":
        data, _ = read_arrays(path)
        counts = [data.accessors[s.input].count for s in data.animations[0].samplers]
        assert max(counts) >= 13 and rows["Weights over time"] == CHANGED
    if name in ("no springs", "no motion", "no cameras", "no textures"):
        about = {"no springs": "Springs", "no motion": "Own motion", "no cameras": "Cameras", "no textures": "Textures"}[name]
        assert rows[about] == LEFT_OUT
    if name == "no cameras":
        assert not read_here(path)[0].cameras
    if name == "a row of files":
        assert sorted(p.name for p in tmp_path.iterdir()) == [f"a.{n:04d}.obj" for n in (0, 3, 6, 9, 12)]


def _kind(scene, path, choices):
    chosen, values = as_chosen(scene, path, choices)
    return chosen, next(f.key for f in FORMATS if path.suffix in f.suffixes), values


def test_only_what_is_chosen_is_written_over_the_range_that_is_chosen(tmp_path):
    scene = clips.duplicate_clip(add_form(pairs.made("mesh"), "Globe", {})[0], "Other")[0]
    other = scene.objects[1].id
    first = scene.clips[0].id
    export(scene, tmp_path / "a.glb", choices=Choices((other,), (first,), 3.0, 9.0))
    back = scene_from_file(tmp_path / "a.glb")[0]
    assert [o.name for o in back.objects] == ["Globe"] and not back.clips
    export(scene, tmp_path / "b.glb", choices=Choices((OBJ,), (first,), 3.0, 9.0))
    assert (scene_from_file(tmp_path / "b.glb")[0].start, scene_from_file(tmp_path / "b.glb")[0].end) == (0.0, 6.0)
    assert prove(scene, tmp_path / "b.glb", 0.0, choices=Choices((OBJ,), (first,), 3.0, 9.0)).cm < 1e-3
    for wrong, said in (
        (Choices(first=9.0, last=3.0), "must rise"),
        (Choices(("o9",)), "o9"),
        (Choices(clips=()), "No clip is chosen"),
        (Choices(options={"unit": "m"}), "takes no unit"),
        (Choices(options={"keys": "x"}), "one of"),
    ):
        with pytest.raises(EditRefused, match=said):
            export(scene, tmp_path / "c.glb", choices=wrong)
    assert not (tmp_path / "c.glb").exists()
    export(scene, tmp_path / "w.csv", choices=Choices(options={"weights": "100", "rows": "seconds"}))
    table = read_weights(tmp_path / "w.csv")
    assert table.percent and table.seconds is not None and len(table.values) == 13


@pytest.mark.parametrize("texture", [Texture("Skin", png()), Texture(tiles=5)])
def test_textures_and_cameras_go_to_gltf_and_come_back(texture, tmp_path):
    scene = seen_through(dressed(pairs.made("mesh"), texture))
    export(scene, tmp_path / "a.gltf")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["a.bin", "a.gltf"]
    back = scene_from_file(tmp_path / "a.gltf")[0]
    image = back.objects[0].appearance.texture.image
    if texture.image is not None:
        assert image == texture.image
    else:  # the fields of a checker repeat, so that they are even in number
        pixels = np.asarray(Image.open(io.BytesIO(image)))
        assert pixels.shape == (6, 6, 3) and pixels[-1, 0].sum() > pixels[-1, 1].sum()
    wanted, found = scene.object(OBJ).appearance.texture.projected, back.objects[0].geometry.uvs
    assert np.allclose(np.unique(np.round(found, 5), axis=0), np.unique(np.round(wanted, 5), axis=0), atol=2e-5)
    for frame in (0.0, 5.0, 12.0):
        mine, its = (placed_camera(s, s.cameras[0], frame) for s in (scene, back))
        assert np.allclose((mine.yaw, mine.pitch, mine.lens), (its.yaw, its.pitch, its.lens), atol=1e-3)


def test_targets_that_move_little_are_sparse(tmp_path):
    scene, box = add_form(fictilis.Scene(), "Globe", {"segments": 24, "rings": 16})
    points = scene.object(box).base.copy()
    points[:5] += 1.0
    scene, _ = fictilis.targets.target_from_points(scene, box, "Tip", points)
    export(scene, tmp_path / "a.glb")
    data, arrays = read_arrays(tmp_path / "a.glb")
    target = data.accessors[data.meshes[0].primitives[0].targets[0]["POSITION"]]
    assert target.sparse.count < 40 and target.bufferView is None
    assert np.isclose(arrays["targets"][0]["POSITION"].max(), 0.01) and prove(scene, tmp_path / "a.glb", 0.0).cm < 1e-4


def test_lanes_keep_their_seconds_and_what_fits_nothing_is_named(tmp_path):
    scene = shaken(seen_through(pairs.FEATURES["relay"](pairs.made("mesh"))))
    export(scene, tmp_path / "a.json")
    file = read_lanes(tmp_path / "a.json")
    bare = replace(scene, objects=tuple(replace(o, lanes=()) for o in scene.objects), cameras=())
    again, count, lost = set_lanes(bare, file)
    assert same_bits(again.object(OBJ).lanes, scene.object(OBJ).lanes) and count == len(scene.object(OBJ).lanes)
    assert lost == ["Close up"]
    faster = set_lanes(replace(bare, fps=scene.fps * 2), file)[0].object(OBJ).lanes[0].curve.keys
    assert [k.frame for k in faster] == [2 * k.frame for k in scene.object(OBJ).lanes[0].curve.keys]
    data = json.loads((tmp_path / "a.json").read_text())
    for change, said in ((lambda d: d.update(kind="x"), "it is “x”"), (lambda d: d.update(fps=-1), "frames a second"),
                         (lambda d: d.update(more=1), "unknown field"), (lambda d: d.update(owners=[]), "0 objects"),
                         (lambda d: d["owners"][0]["lanes"][0]["keys"].append({"frame": "x"}), "frame"),
                         (lambda d: d["owners"][0]["lanes"][0]["keys"][0].update(tangent="odd"), "odd")):  # fmt: skip
        broken = json.loads(json.dumps(data))
        change(broken)
        (tmp_path / "b.json").write_text(json.dumps(broken))
        with pytest.raises(BadFile, match=said):
            read_lanes(tmp_path / "b.json")


def test_what_is_read_is_laid_sized_and_stood_together_with_its_motion(tmp_path):
    scene = seen_through(pairs.FEATURES["moves"](pairs.made("mesh")), "centre.x")
    scene = fictilis.objects.set_transform(scene, OBJ, Transform((3, 2, 1), (0, 0, 0), (1, 1, 1), (4, 5, 6)))
    scene = set_key(set_key(scene, OBJ, "position.x", Key(0, 1.0)), OBJ, "position.x", Key(12, 9.0))
    ids = [o.id for o in scene.owners]
    larger = sized(scene, ids, 2.0)
    for frame in (0.0, 5.0, 12.0):
        one, other = (_points(s, frame) for s in (scene, larger))
        assert np.allclose(other, 2 * one)
        mine, its = (placed_camera(s, s.cameras[0], frame) for s in (scene, larger))
        assert np.allclose(its.centre, 2 * np.array(mine.centre)) and its.distance == 2 * mine.distance
    on_ground = stood(scene, ids, centre=True, ground=True)
    low, high = (f(_rest(on_ground), axis=0) for f in (np.min, np.max))
    assert low[1] == pytest.approx(0) and np.allclose((low + high)[[0, 2]], 0)
    assert np.allclose(_points(on_ground, 12.0) - _points(scene, 12.0), _points(on_ground, 0.0) - _points(scene, 0.0))
    assert np.allclose(size_of(scene, ids), size_of(on_ground, ids))
    for unit in UNITS:
        for z_up in (False, True):
            away = np.linalg.inv(linear_from(unit, z_up))
            assert fitting_unit(scene.object(OBJ).base @ away.T, scene.object(OBJ).base) == (unit, z_up)
    with pytest.raises(EditRefused, match="above 0"):
        laid(scene, ids, factor=0.0)
    export(scene, tmp_path / "a.obj")
    export(scene, tmp_path / "b.glb")
    held = read_held([tmp_path / "a.obj", tmp_path / "b.glb"])
    assert len(held.scene.objects) == 2 and len(held.bare) == 1 and len(held.scene.cameras) == 1
    only = taken(held, held.bare, Laying("mm", factor=10.0))
    assert len(only.owners) == 1 and np.allclose(only.objects[0].base, read_meshes(tmp_path / "a.obj").objects[0].points)


def _points(scene, frame):
    obj = scene.object(OBJ)
    matrix = placement(scene, obj, frame).transform.matrix()
    return obj.base @ matrix[:3, :3].T + matrix[:3, 3]


def _rest(scene):
    return _points(scene, scene.start)


def test_colours_of_points_are_an_objects_colour(tmp_path):
    scene, box = add_form(fictilis.Scene(), "Box", {})
    scene = scene.with_object(replace(scene.object(box), appearance=replace(scene.object(box).appearance, colour="#336699")))
    export(scene, tmp_path / "a.ply")
    (read,) = read_meshes(tmp_path / "a.ply").objects
    assert read.colour == "#336699"
    head = "ply\nformat ascii 1.0\nelement vertex 3\n" + "".join(f"property float {a}\n" for a in "xyz")
    for kind, most in (("uchar", 255), ("float", 1.0)):
        parts = "".join(f"property {kind} {c}\n" for c in ("red", "green", "blue"))
        rows = f"0 0 0 {most} 0 0\n1 0 0 0 0 0\n0 1 0 0 0 0\n3 0 1 2\n"
        faces = "element face 1\nproperty list uchar int vertex_indices\nend_header\n"
        (tmp_path / "b.ply").write_text(head + parts + faces + rows)
        varied = read_meshes(tmp_path / "b.ply")
        assert varied.objects[0].colour == "#550000" and "vary" in varied.warnings[0]


def test_tubes_and_curves_are_proven_too(tmp_path):
    scene, line = add_form(fictilis.Scene(end=12.0), "Wave", {"points": 7})
    scene = set_tube(scene, line, Tube(round_profile(5), radius=AnimationCurve((Key(0, 1.0), Key(1, 2.0)))), 3.0)
    for suffix in (".glb", ".usdc", ".obj"):
        export(scene, tmp_path / f"a{suffix}")
        assert prove(scene, tmp_path / f"a{suffix}", 0.0).cm < 1e-3


@pytest.mark.parametrize("suffix", [".glb", ".gltf", ".usdc", ".json", ".csv"])
def test_weights_come_back_at_fifty_random_times(suffix, tmp_path):
    """Straight keys at frames are the same at every time in every format; in glTF and as lanes curves are too."""
    way = "linear" if suffix in (".usdc", ".csv") else "smooth"
    scene = replace(pairs.made("mesh"), end=24.0)
    for frame, value in ((0, 0.1), (7, 0.9), (24, 0.4)):
        scene = set_key(set_key(scene, OBJ, "t1", Key(frame, value, way)), OBJ, "t2", Key(frame, 1 - value, way))
    for key in scene.object(OBJ).lane("t1").curve.keys:  # those that were there before
        scene = set_key(scene, OBJ, "t1", replace(key, interpolation=way))
        scene = set_key(scene, OBJ, "t2", replace(key, value=0.3 * key.value, interpolation=way))
    path = tmp_path / f"a{suffix}"
    export(scene, path)
    if suffix == ".json":
        back = set_lanes(scene, read_lanes(path))[0]
    elif suffix == ".csv":
        table = read_weights(path)
        back = set_weights(scene, OBJ, table, matched_names(scene.object(OBJ), table.names))
    else:
        back = read_here(path)[0] if suffix == ".usdc" else scene_from_file(path)[0]
    for frame in np.random.default_rng(8).uniform(0, 24, 50).tolist():
        mine, its = (weights_at(s.object(OBJ), frame, fps=24.0) for s in (scene, back))
        assert abs(mine["t1"] - its["t1"]) < 1e-6 and abs(mine["t2"] - its["t2"]) < 1e-6, frame


@pytest.mark.parametrize("suffix", [s for f in FORMATS if f.export for s in f.suffixes])
@pytest.mark.parametrize("when", [0.0, 0.6])
def test_a_cancelled_export_leaves_no_half_file_and_the_old_one(suffix, when, tmp_path):
    def stop(part):
        if part > when:
            raise Cancelled("The work was cancelled; nothing was changed.")

    scene, path = pairs.made("mesh"), tmp_path / f"a{suffix}"
    row = Choices(options={"frames": "range"} if suffix in (".obj", ".ply", ".stl") else {})
    with suppress(Cancelled):  # what writes all at once is whole before it tells how far it is
        export(scene, path, progress=stop, choices=row)
    assert {p.name for p in tmp_path.iterdir()} <= {path.name, "a.bin"} and not list(tmp_path.glob("a.0*"))
    if path.exists():
        assert path.stat().st_size > 60
    (tmp_path / "old").mkdir()
    old = tmp_path / "old" / f"a{suffix}"
    old.write_bytes(b"precious")
    with suppress(Cancelled):
        export(scene, old, progress=stop)
    assert [p.name for p in old.parent.iterdir() if p.suffix != ".bin"] == [old.name] and old.stat().st_size


def test_what_is_added_keeps_its_seconds_and_a_camera_comes_alone(tmp_path):
    scene = replace(seen_through(pairs.made("mesh")), fps=30.0)
    export(scene, tmp_path / "a.glb")
    held = read_held([tmp_path / "a.glb"])
    beside = pairs.made("mesh")
    both = added(beside, held.scene)
    theirs = both.objects[1].lane("t1").curve.keys[-1].frame / both.fps
    assert theirs == pytest.approx(scene.object(OBJ).lane("t1").curve.keys[-1].frame / 30.0)
    camera = held.scene.cameras[0].id
    alone = added(beside, taken(held, {camera}, Laying()))
    assert len(alone.objects) == 1 and [c.name for c in alone.cameras] == ["Close up"]
