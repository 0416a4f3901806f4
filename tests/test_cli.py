import json
import subprocess
import sys
import wave

import numpy as np
import pytest
from msgspec.structs import replace

import fictilis
from fictilis.cli import main
from fictilis.formats.files import MeshData
from fictilis.formats.obj import write_obj


def run(*words, capsys=None):
    code = main([str(w) for w in words])
    return code, *(capsys.readouterr() if capsys else ("", ""))


@pytest.fixture
def scene_file(tmp_path, sheet_files):
    out = tmp_path / "s.fictilis"
    f = sheet_files
    assert main(["new", str(f["base"]), "--target", f"Up={f['lift']}", "--target", str(f["bend"]),
                 "--in-between", f"Up@0.5={f['bend']}", "--path", "Up=curved", "-o", str(out)]) == 0  # fmt: skip
    return out


def test_new_info_and_its_json(scene_file, capsys):
    code, out, _ = run("info", scene_file, "--json", capsys=capsys)
    told = json.loads(out)
    assert code == 0 and told["fps"] == 24 and told["range"] == [0, 96]
    (obj,) = told["objects"]
    assert (obj["name"], obj["points"], obj["faces"], obj["face_sizes"], obj["uvs"]) == ("Sheet", 25, 16, {"4": 16}, 25)
    up, bend = obj["targets"]
    assert up == {
        "name": "Up",
        "moved": 25,
        "largest_cm": 10.0,
        "weight": 0.0,
        "range": [0.0, 1.0],
        "path": "curved",
        "in_betweens": [0.5],
        "built_on": None,
        "masked": False,
        "group": None,
        "together": None,
        "drivers": [],
        "relay": False,
        "follows": None,
        "linked": [],
        "matched": False,
        "states": [],
        "note": "",
        "sweep": None,
    }
    assert bend["name"] == "bend" and bend["moved"] == 20 and obj["lanes"] == []
    code, out, _ = run("info", scene_file, capsys=capsys)
    assert "Up: moves 25 points, up to 10.00 cm" in out


def test_key_evaluate_and_export(scene_file, tmp_path, capsys):
    assert run("key", scene_file, "--object", "Sheet", "--target", "Up", "0=0", "24=1", "--interpolation", "linear")[0] == 0
    assert run("evaluate", scene_file, "--frames", "0,12.5,24", "-o", tmp_path / "e.npz")[0] == 0
    with np.load(tmp_path / "e.npz") as arrays:
        assert arrays["frames"].tolist() == [0, 12.5, 24] and arrays["Sheet"].shape == (3, 25, 3)
        base = fictilis.load(scene_file).objects[0].base
        assert np.array_equal(arrays["Sheet"][0], base) and np.allclose(arrays["Sheet"][2], base + [0, 10, 0])
    assert run("export", scene_file, tmp_path / "m.obj", "--frame", "24")[0] == 0
    assert np.allclose(fictilis.read_meshes(tmp_path / "m.obj").objects[0].points, base + [0, 10, 0])
    assert run("export", scene_file, tmp_path / "m.glb")[0] == 0 and (tmp_path / "m.glb").read_bytes()[:4] == b"glTF"
    assert run("export", scene_file, tmp_path / "shapes", "--shapes")[0] == 0
    assert {p.name for p in (tmp_path / "shapes").iterdir()} == {"base.obj", "Up.obj", "bend.obj"}
    other = tmp_path / "other.fictilis"
    before = scene_file.read_bytes()
    assert run("key", scene_file, "--object", "Sheet", "--target", "bend", "5=1", "-o", other)[0] == 0
    assert scene_file.read_bytes() == before and fictilis.load(other).objects[0].lane("t2") is not None


def test_several_objects(tmp_path, capsys):
    (tmp_path / "two.obj").write_text(
        "o A\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\no B\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 4 5 6 7\n"
    )
    (tmp_path / "wide.obj").write_text("v 0 0 0\nv 3 0 0\nv 3 1 0\nv 0 1 0\nf 1 2 3 4\n")
    out = tmp_path / "s.fictilis"
    assert run("new", tmp_path / "two.obj", "--target", f"B/Wide={tmp_path / 'wide.obj'}", "-o", out)[0] == 0
    told = json.loads(run("info", out, "--json", capsys=capsys)[1])
    assert [(o["name"], len(o["targets"])) for o in told["objects"]] == [("A", 0), ("B", 1)]
    assert run("evaluate", out, "--frames", "0", "--object", "B", "-o", tmp_path / "e.npz")[0] == 0
    with np.load(tmp_path / "e.npz") as arrays:
        assert sorted(arrays) == ["B", "frames"]


def test_snapshot(scene_file, tmp_path):
    from PIL import Image

    assert run("snapshot", scene_file, "--frame", "0", "--size", "320x200", "-o", tmp_path / "p.png")[0] == 0
    with Image.open(tmp_path / "p.png") as picture:
        assert picture.size == (320, 200) and len(picture.getcolors(320 * 200)) > 60
    ways = {"lines": ("--relief", "0", "--clay", "lines"), "open": ("--shade", "0"), "floor": ("--floor",),
            "cut out": ("--floor", "--ground", "clear")}  # fmt: skip
    for name, words in ways.items():
        out = tmp_path / f"{name}.png"
        assert run("snapshot", scene_file, "--frame", "0", "--size", "320x200", *words, "-o", out)[0] == 0
        assert out.read_bytes() != (tmp_path / "p.png").read_bytes(), name


BAD = {
    "other count": (["new", "{base}", "--target", "{lift}", "--target", "{fewer}", "-o", "{out}"],
                    "20 points, the base Sheet has 25"),
    "other faces": (["new", "{base}", "--target", "{faces}", "-o", "{out}"], "first face that differs"),
    "other order": (["new", "{base}", "--target", "{shuffled}", "-o", "{out}"], "another order"),
    "missing target": (["new", "{base}", "--target", "none.obj", "-o", "{out}"], "no file"),
    "same name twice": (["new", "{base}", "--target", "{lift}", "--target", "{lift}", "-o", "{out}"], "already"),
    "in-between of nothing": (["new", "{base}", "--in-between", "X@0.5={lift}", "-o", "{out}"], "no target named X"),
    "in-between at 1": (["new", "{base}", "--target", "{lift}", "--in-between", "lift@1={bend}", "-o", "{out}"],
                        "cannot stand"),
    "in-between at no number": (["new", "{base}", "--target", "{lift}", "--in-between", "lift@half={bend}", "-o", "{out}"],
                                "not a weight"),
    "unknown path": (["new", "{base}", "--target", "{lift}", "--path", "lift=wavy", "-o", "{out}"], "wavy"),
    "no folder": (["new", "{base}", "-o", "{out}/x/y.fictilis"], "could not be saved"),
    "unknown kind": (["new", "s.xyz", "-o", "{out}"], "kinds that can be read"),
    "not a scene": (["info", "{base}"], "no scene file"),
    "unknown object": (["key", "{scene}", "--object", "X", "--target", "Up", "1=1"], "nothing named X"),
    "unknown target": (["key", "{scene}", "--object", "Sheet", "--target", "X", "1=1"], "it has: Up, bend"),
    "bad key": (["key", "{scene}", "--object", "Sheet", "--target", "Up", "1:1"], "FRAME=VALUE"),
    "bad number": (["key", "{scene}", "--object", "Sheet", "--target", "Up", "1=nan"], "not a value"),
    "bad interpolation": (["key", "{scene}", "--object", "Sheet", "--target", "Up", "1=1", "--interpolation", "x"],
                          "no interpolation"),
    "bad frames": (["evaluate", "{scene}", "--frames", "1,x", "-o", "{out}"], "not a frame"),
    "no folder for points": (["evaluate", "{scene}", "--frames", "1", "-o", "{out}/x.npz"], "could not be saved"),
    "bad export": (["export", "{scene}", "{out}.xyz"], "can be written"),
    "bad relief": (["snapshot", "{scene}", "--frame", "0", "--relief", "2", "-o", "{out}"], "must be from 0 to 1, not 2"),
    "bad shade": (["snapshot", "{scene}", "--frame", "0", "--shade", "-1", "-o", "{out}"], "shade must be from 0 to 1, not -1"),
    "bad size": (["snapshot", "{scene}", "--frame", "0", "--size", "big", "-o", "{out}"], "not a size"),
    "two files": (["a.fictilis", "b.fictilis"], "One file"),
}  # fmt: skip


@pytest.mark.parametrize("case", BAD)
def test_errors_are_one_sentence_and_write_nothing(case, tmp_path, sheet_files, scene_file, capsys):
    words, said = BAD[case]
    out = tmp_path / "out.fictilis"
    before = scene_file.read_bytes()
    code, printed, error = run(*(w.format(**sheet_files, out=out, scene=scene_file) for w in words), capsys=capsys)
    assert code == 2 and printed == "" and said in error
    assert error.count("\n") == 1 and "Traceback" not in error
    assert not out.exists() and scene_file.read_bytes() == before


def test_a_missing_material_file_is_a_warning(tmp_path, capsys):
    (tmp_path / "m.obj").write_text("mtllib no.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    code, _, error = run("new", tmp_path / "m.obj", "-o", tmp_path / "s.fictilis", capsys=capsys)
    assert code == 0 and "warning: m.obj: its material file no.mtl is missing" in error


def test_needs_no_display_and_no_window_code(scene_file):
    code = (
        "import sys; from fictilis.cli import main; "
        f"assert main(['info', {str(scene_file)!r}]) == 0; "
        "assert not [m for m in sys.modules if m.startswith(('PyQt6', 'moderngl', 'scipy'))]"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, env={"PATH": ""})
    assert done.returncode == 0, done.stderr


def test_version_and_help(capsys):
    assert main(["--version"]) == 0 and fictilis.__version__ in capsys.readouterr().out
    with pytest.raises(SystemExit) as done:
        main(["--help"])
    assert done.value.code == 0 and "COMMAND" in capsys.readouterr().out


def test_no_display_is_one_sentence():
    done = subprocess.run([sys.executable, "-m", "fictilis", "demo"], capture_output=True, text=True, env={"PATH": ""})
    assert done.returncode == 2 and "no display" in done.stderr and done.stderr.count("\n") == 1


def shape_of(path, target, obj=0):
    from fictilis.core.mix.shapes import full_shape

    thing = fictilis.load(path).objects[obj]
    return full_shape(thing, thing.target_named(target).id)


def test_whole_targets_are_changed(scene_file, tmp_path):
    words = ("target", scene_file, "--object", "Sheet", "--target")
    bend, base = shape_of(scene_file, "bend"), fictilis.load(scene_file).objects[0].base
    assert run(*words, "bend", "duplicate", "--name", "Copy")[0] == 0
    assert run(*words, "Copy", "scale", "--factor", "2")[0] == 0
    assert np.allclose(shape_of(scene_file, "Copy") - base, 2 * (bend - base))
    assert run(*words, "bend", "split", "--seam", "4")[0] == 0
    halves = shape_of(scene_file, "bend left") + shape_of(scene_file, "bend right") - base
    assert np.abs(halves - bend).max() < 1e-12
    assert run(*words, "bend left", "--target", "bend right", "join", "--name", "Again")[0] == 0
    assert np.allclose(shape_of(scene_file, "Again"), bend)
    assert run(*words, "bend left", "mirror")[0] == 0
    assert np.allclose(shape_of(scene_file, "bend right 2"), shape_of(scene_file, "bend right"))
    assert run(*words, "bend", "rebuild", "--on", "Up")[0] == 0
    assert np.allclose(shape_of(scene_file, "bend"), bend)
    assert run(*words, "Copy", "add", "--other", "Up", "--factor", "-1")[0] == 0
    out = tmp_path / "other.fictilis"
    assert run(*words, "Copy", "clean", "--below", "1000", "-o", out)[0] == 0
    assert np.array_equal(shape_of(out, "Copy"), base) and not np.array_equal(shape_of(scene_file, "Copy"), base)


def test_the_mesh_is_changed_and_targets_come_along(scene_file):
    words = ("mesh", scene_file, "--object", "Sheet")
    assert run(*words, "subdivide", "--smooth")[0] == 0
    obj = fictilis.load(scene_file).objects[0]
    assert obj.mesh.face_count == 64 and len(obj.targets[0].deltas.indices) == 81
    assert run(*words, "triangulate")[0] == 0
    assert run(*words, "mirror", "--axis", "x", "--keep", "minus")[0] == 0
    assert run(*words, "freeze")[0] == 0
    assert set(fictilis.load(scene_file).objects[0].mesh.face_sizes) == {3}


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("target", "--target", "Fin", "swap"), "no target named Fin"),
        (("target", "--target", "bend", "bake-mask"), "bend has no mask"),
        (("mesh", "weld", "--within", "0.001"), "close enough"),
        (("mesh", "transfer", "--from", "Bell/Curl", "--far", "3"), "no object named Bell"),
        (("target", "--target", "bend", "scale", "--factor", "nan"), "finite"),
        (("target", "--target", "bend", "--points", "1e400", "keep-region"), "no point inf; they are numbered from 0 to 24"),
        (("target", "--target", "bend", "--points", "nan", "keep-region"), "no point nan"),
        (("target", "--target", "bend", "--points", "1.5", "keep-region"), "no point 1.5"),
        (("target", "--target", "bend", "--points", "one", "keep-region"), "no list of points"),
        (("target", "--target", "bend", "--pick", "Rim", "keep-region"), "no pick named Rim"),
        (("target", "--target", "bend", "--points", "1", "--radius", "nan", "mask-pick"), "radius must be a finite number"),
        (("target", "--target", "bend", "--points", "1", "--radius", "-3", "mask-pick"), "from 0 to 1e+06 cm, not -3"),
        (("keys", "--lane", "bend", "--at", "3", "flat"), "no keys at 3"),
        (("modifier", "--lane", "bend", "spring"), "No lane that is selected has keys yet"),
        (("shape", "--target", "bend", "--at", "0.3", "--points", "2", "inflate"), "no in-between at 0.3"),
        (("shape", "inflate"), "nothing is picked"),
    ],
)
def test_edits_that_cannot_be_are_one_sentence(scene_file, capsys, words, said):
    before = scene_file.read_bytes()
    code, _, err = run(words[0], scene_file, "--object", "Sheet", *words[1:], capsys=capsys)
    assert code == 2 and said in err and err.count("\n") == 1 and scene_file.read_bytes() == before


def test_a_target_in_another_order_is_put_in_order(sheet_files, tmp_path, capsys):
    words = ("new", sheet_files["base"], "--target", f"Mixed up={sheet_files['shuffled']}", "-o", tmp_path / "s.fictilis")
    code, _, err = run(*words, capsys=capsys)
    assert code == 2 and "another order" in err
    code, _, err = run(*words, "--reorder", capsys=capsys)
    assert code == 0 and "several ways" in err
    assert np.allclose(shape_of(tmp_path / "s.fictilis", "Mixed up"), fictilis.load(tmp_path / "s.fictilis").objects[0].base)


def test_checks_are_printed_and_told_by_the_exit(scene_file, capsys):
    assert run("key", scene_file, "--object", "Sheet", "--target", "Up", "0=0", "12=1.5")[0] == 0
    code, out, _ = run("check", scene_file, capsys=capsys)
    assert code == 1 and "Up reaches 1.50 at frame 12" in out and "Remedy: Widen the range" in out
    assert run("key", scene_file, "--object", "Sheet", "--target", "Up", "12=1", "24=0")[0] == 0
    assert run("key", scene_file, "--object", "Sheet", "--target", "bend", "0=0", "12=1", "24=0")[0] == 0
    code, out, _ = run("check", scene_file, "--loop", capsys=capsys)
    assert "Up reaches" not in out


def test_what_differs_between_two_scenes_is_printed_and_told_by_the_exit(scene_file, tmp_path, capsys):
    other = tmp_path / "other.fictilis"
    assert run("key", scene_file, "--object", "Sheet", "--target", "Up", "0=0", "12=1", "-o", other)[0] == 0
    code, out, _ = run("changes", scene_file, other, capsys=capsys)
    assert code == 1 and "Sheet: Up has keys now." in out
    code, out, _ = run("changes", other, other, capsys=capsys)
    assert code == 0 and out == "The two scenes are alike.\n"


def test_time_from_the_command_line(scene_file, tmp_path, capsys):
    key = ("key", scene_file, "--object", "Sheet", "--target")
    assert run(*key, "Up", "0=0", "12=1", "24=0")[0] == 0
    assert run("key", scene_file, "--object", "Sheet", "--lane", "position.y", "0=0", "20=7", "--interpolation", "ease",
               "--ease", "bounce-out")[0] == 0  # fmt: skip
    assert (
        run("lanes", scene_file, "--object", "Sheet", "--lane", "Up", "retime", "--range", "0", "24", "--onto", "10", "58")[0]
        == 0
    )
    frames = [k.frame for k in fictilis.load(scene_file).objects[0].lane("t1").curve.keys]
    assert frames == [10, 34, 58]
    code, out, _ = run("lanes", scene_file, "bake", "--range", "0", "60", capsys=capsys)
    assert code == 0 and run("lanes", scene_file, "reduce", "--within", "0.02", capsys=capsys)[1].endswith("keys went.\n")
    assert run("time", scene_file, "rate", "--fps", "48", "--keep-seconds")[0] == 0
    assert run("time", scene_file, "marker", "--frame", "20", "--name", "Beat")[0] == 0
    assert run("time", scene_file, "play", "--frames", "10", "60")[0] == 0
    sound = tmp_path / "hum.wav"
    with wave.open(str(sound), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(8000)
        file.writeframes(bytes(8000))
    assert run("time", scene_file, "sound", sound, "--at", "6")[0] == 0
    code, out, _ = run("info", scene_file, "--json", capsys=capsys)
    told = json.loads(out)
    assert (told["fps"], told["played"], told["markers"]) == (48, [10, 60], [{"frame": 20, "name": "Beat"}])
    assert told["sound"] == {"name": "hum.wav", "start": 6, "muted": False}
    assert [lane["name"] for lane in told["objects"][0]["lanes"]] == ["Up", "Position Y"]
    out = run("info", scene_file, capsys=capsys)[1]
    assert "marker Beat at frame 20" in out and "sound hum.wav from frame 6" in out


@pytest.mark.parametrize(
    ("words", "said"),
    [(("lanes", "snap"), "no keys yet"), (("lanes", "--lane", "Up", "snap"), "which with --object"),
     (("lanes", "--object", "Sheet", "--lane", "Fin", "snap"), "nothing named Fin"),
     (("time", "sound", "{base}"), "cannot be read as a sound"), (("time", "play", "--frames", "9", "3"), "must rise"),
     (("time", "rate", "--fps", "nan"), "finite")],
)  # fmt: skip
def test_time_that_cannot_be_is_one_sentence(scene_file, sheet_files, capsys, words, said):
    before = scene_file.read_bytes()
    words = [str(sheet_files["base"]) if w == "{base}" else w for w in words]
    code, _, err = run(words[0], scene_file, *words[1:], capsys=capsys)
    assert code == 2 and said in err and err.count("\n") == 1 and scene_file.read_bytes() == before


def test_what_the_command_line_reaches_besides(scene_file):
    """One way through shapes, keys, modifiers, what is kept, and cameras."""
    of = ("--object", "Sheet")
    for words in (
        ("target", *of, "--target", "Up", "--points", "0,1,2", "--radius", "4", "mask-pick"),
        ("target", *of, "--target", "Up", "--target", "bend", "group", "--name", "Sides"),
        ("target", *of, "--target", "Up", "group-factor", "--factor", "0.5"),
        ("shape", *of, "--target", "bend", "--points", "12", "--radius", "6", "inflate", "--distance", "2"),
        ("key", *of, "--target", "bend", "0=0", "12=1", "24=0"),
        ("keys", *of, "--lane", "bend", "--at", "12", "handle", "--side", "out", "--frames", "3", "--value", "0.1"),
        ("keys", *of, "--lane", "bend", "--at", "24", "move", "--frames", "6"),
        ("modifier", *of, "spring", "--damping", "6"),
        ("lanes", *of, "--lane", "bend", "beyond", "--after", "repeat"),
        ("lanes", *of, "--lane", "Position Y", "set", "--value", "3"),
        ("object", *of, "keep-mix", "--name", "Calm"), ("object", *of, "--points", "3,4", "keep-pick", "--name", "Rim"),
        ("mesh", *of, "--faces", "0,1", "extrude", "--offset", "2"), ("camera", "new", "--name", "Side", "--yaw", "90"),
        ("camera", "--camera", "Side", "rename", "--name", "Beside"),
    ):  # fmt: skip
        assert run(words[0], scene_file, *words[1:])[0] == 0, words
    scene = fictilis.load(scene_file)
    obj = scene.objects[0]
    bend, up = obj.target_named("bend"), obj.target_named("Up")
    lane = obj.lane(bend.id)
    assert [k.frame for k in lane.curve.keys] == [0, 12, 30] and lane.curve.keys[1].out == (3, 0.1)
    assert lane.modifiers[0].number("damping") == 6 and lane.curve.after == "repeat" and obj.transform.position[1] == 3
    assert obj.groups[0].factor == 0.5 and up.group == bend.group and up.mask is not None
    assert obj.mixes[0].name == "Calm" and obj.picks[0].name == "Rim" and scene.cameras[0].name == "Beside"
    assert obj.mesh.point_count == 25 + 6 and bend.deltas.dense(31)[12, 1] > 1.5


def test_a_corrective_from_the_command_line(scene_file, capsys):
    targets = ("--object", "Sheet", "--target", "Up", "--target", "bend")
    swapped = ("--object", "Sheet", "--target", "bend", "--target", "Up")
    assert (
        run("target", scene_file, *swapped, "corrective", "--at", "0.5,1", "-o", scene_file.with_name("b"), capsys=capsys)[0]
        == 0
    )
    assert "driven by bend at 0.50 and Up at 1.00" in run("info", scene_file.with_name("b"), capsys=capsys)[1]
    assert run("target", scene_file, *targets, "corrective", "--at", "1,0.5", "--name", "Fix", capsys=capsys)[0] == 0
    fix = ("--object", "Sheet", "--target", "Fix")
    assert run("target", scene_file, *fix, "driver", "--driver", "Up", "--at", "0.5", "--within", "0.25", capsys=capsys)[0] == 0
    assert run("target", scene_file, *fix, "together", "--how", "smallest", capsys=capsys)[0] == 0
    told = json.loads(run("info", scene_file, "--json", capsys=capsys)[1])["objects"][0]["targets"][-1]
    assert (told["name"], told["together"]) == ("Fix", "smallest")
    assert told["drivers"] == [{"name": "Up", "at": 0.5, "width": 0.25}, {"name": "bend", "at": 0.5, "width": None}]
    assert "driven by Up at 0.50 and bend at 0.50" in run("info", scene_file, capsys=capsys)[1]
    code, _, said = run("key", scene_file, "--object", "Sheet", "--target", "Fix", "0=1", capsys=capsys)
    assert code == 2 and "is driven by Up and bend" in said
    assert run("target", scene_file, *fix, "no-driver", "--driver", "Up", capsys=capsys)[0] == 0
    assert run("target", scene_file, *fix, "plain", capsys=capsys)[0] == 0
    assert json.loads(run("info", scene_file, "--json", capsys=capsys)[1])["objects"][0]["targets"][-1]["drivers"] == []


def test_relays_links_sweeps_and_clips(tmp_path, capsys):
    fish = tmp_path / "fish.fictilis"
    fictilis.save(fictilis.lantern_fish(), fish)
    scene = fictilis.load(fish)
    tail = scene.object_named("Tail")
    for number in (1, 2, 10):
        points = fictilis.evaluate_frames(scene, tail.id, [number])[0]
        write_obj(tmp_path / f"sw_{number}.obj", [MeshData("sw", points, tail.mesh)])
    files = [tmp_path / f"sw_{n}.obj" for n in (10, 2, 1)]
    of = ("relay", fish, "--object", "Tail")
    assert run(*of, "--relay", "Swing", "on", "--frames", "3")[0] == 0
    assert run(*of, "files", *files, "--name", "Again", "--range", "0", "20", "--path", "through")[0] == 0
    body = ("target", fish, "--object", "Body", "--target")
    assert run(*body, "Squash", "sweep", "--way", "x", "--softness", "0.4")[0] == 0
    assert run(*body, "Swell", "unlink")[0] == 0 and run(*body, "Swell", "link-names", capsys=capsys)[1] == "Linked: Swell.\n"
    assert run("clip", fish, "duplicate", "--name", "Slow")[0] == 0
    assert run("clip", fish, "blend", "--first", "Clip 1", "--second", "Slow", "--offset", "6")[0] == 0
    capsys.readouterr()
    told = json.loads(run("info", fish, "--json", capsys=capsys)[1])
    body, tail, eye = told["objects"]
    swing, again = tail["relays"]
    assert [p["frame"] for p in swing["poses"]] == [3.0 * n for n in range(9)] and again["path"] == "through"
    assert [p["shape"] for p in again["poses"]] == ["sw_1", "sw_2", "sw_10"]
    assert body["targets"][0]["linked"] == ["Eye/Swell"] and body["targets"][1]["sweep"] == "x"
    assert [c["name"] for c in told["clips"] if c["in_hand"]] == ["Clip 1 to Slow"] and len(told["clips"]) == 3
    write_obj(tmp_path / "sw_3.obj", [MeshData("sw", *fictilis.primitives.plane(2, 2, 1, 1))])
    code, _, said = run(*of, "files", *files, tmp_path / "sw_3.obj", capsys=capsys)
    assert code == 2 and "sw_3 has 4 points" in said and "--skip leaves them out" in said
    assert run(*of, "spread", capsys=capsys)[2].startswith("fictilis: There is no relay here, or several")


def test_lines_from_the_command_line(tmp_path, capsys):
    svg = tmp_path / "marks.svg"
    svg.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg"><path id="ebb" d="M0 0 40 10 80 0"/><circle id="drop" r="9"/></svg>'
    )
    scene = str(tmp_path / "s.fictilis")
    assert run("new", svg, "--together", "-o", scene)[0] == 0
    assert fictilis.load(scene).objects[0].line.closed.tolist() == [False, True]
    assert run("new", svg, "--target", f"ebb/Swash={svg}", "-o", scene)[0] == 0
    ebb = fictilis.load(scene).object_named("ebb")
    assert ebb.line.strand_count == 2 and ebb.targets[0].name == "Swash" and ebb.targets[0].match is not None
    for words in (
        ("line", scene, "--object", "Word", "text", "Io", "--size", "8"),
        ("line", scene, "--object", "drop", "match", "--other", "Word", "--corners", "--name", "Letter"),
        ("line", scene, "--object", "drop", "--target", "Letter", "shift", "--shift", "0.2"),
        ("line", scene, "--object", "drop", "curve", "--degree", "3", "--where", "beside"),
        ("line", scene, "--object", "drop", "--points", "0,1", "width", "--width", "0.5"),
        ("line", scene, "--object", "drop", "tube", "--sides", "5", "--width", "0.4"),
        ("line", scene, "--object", "Word", "fill", "--thickness", "2", "--bevel", "0.2", "--name", "Solid"),
        ("object", scene, "--object", "Solid", "along", "--other", "ebb", "--range", "0", "48"),
        ("key", scene, "--object", "drop", "--lane", "Drawn to", "0=0", "24=1"),
    ):
        assert run(*words)[0] == 0, words
    made = fictilis.load(scene)
    drop, solid = made.object_named("drop"), made.object_named("Solid")
    match = drop.targets[0].match
    assert match.shift == 0.2 and match.corners and (drop.line.degree, drop.line.through) == (3, False)
    assert drop.line.tube.word == "round" and drop.line.strand_count == made.object_named("Word").line.strand_count == 3
    assert solid.along.line == made.object_named("ebb").id and solid.lane("along") is not None and solid.mesh.face_count > 30
    assert run("export", scene, tmp_path / "s.glb")[0] == 0
    capsys.readouterr()
    told = run("info", scene, capsys=capsys)[1]
    assert "drop: a line of" in told and "3 strands, 3 closed, degree 3, a tube of 5 sides" in told and "Solid: " in told
    assert ", follows ebb" in told
    by_name = {o["name"]: o for o in json.loads(run("info", scene, "--json", capsys=capsys)[1])["objects"]}
    assert by_name["drop"]["line"]["tube"]["sides"] == 5 and by_name["drop"]["targets"][0]["matched"]
    assert by_name["Solid"]["line"] is None and by_name["Solid"]["along"] == "ebb"
    code, _, said = run("line", scene, "--object", "Solid", "reverse", capsys=capsys)
    assert code == 2 and "Solid is no line." in said


def test_a_file_without_a_unit_is_read_in_one_upright_centred_and_on_the_ground(tmp_path, sheet, capsys):
    from fictilis.formats.registry import export, load

    export(sheet, tmp_path / "a.obj", 0.0)
    moved = sheet.with_object(replace(sheet.objects[0], base=sheet.objects[0].base + [[1, 2, 3]]))
    export(moved, tmp_path / "b.obj", 0.0)
    out = ["new", str(tmp_path / "a.obj"), "--target", f"Up={tmp_path / 'b.obj'}", "-o", str(tmp_path / "s.fictilis")]
    assert main([*out, "--unit", "m", "--up", "z", "--centre", "--ground"]) == 0
    obj = load(tmp_path / "s.fictilis").objects[0]
    base = sheet.objects[0].base
    upright = base[:, [0, 2, 1]] * [100, 100, -100]
    low, high = upright.min(axis=0), upright.max(axis=0)
    shift = [(low + high)[0] / 2, low[1], (low + high)[2] / 2]
    assert np.allclose(obj.base + obj.transform.position, upright - shift, atol=1e-6)
    assert np.allclose(obj.targets[0].deltas.dense(len(base)), [100, 300, -200], atol=1e-3)
    export(sheet, tmp_path / "a.glb")
    assert main(["new", str(tmp_path / "a.glb"), "--unit", "m", "-o", str(tmp_path / "t.fictilis")]) == 2
    assert "says its unit" in capsys.readouterr().err


def test_files_come_in_as_objects_targets_a_relay_and_lanes_and_go_out_as_chosen(tmp_path, sheet, sheet_files, capsys):
    """``import`` and what ``export`` lets one choose."""
    from fictilis.core.animation.curve import Key
    from fictilis.core.edits.keys import set_key
    from fictilis.formats.registry import load, save

    scene = tmp_path / "s.fictilis"
    save(set_key(set_key(sheet, "o1", "t1", Key(0, 0.0)), "o1", "t1", Key(8, 1.0)), scene)
    bend, lift = str(sheet_files["bend"]), str(sheet_files["lift"])
    assert main(["import", str(scene), bend, "--look"]) == 0 and "25 points" in capsys.readouterr().out
    assert main(["import", str(scene), bend, "--unit", "mm", "--scale", "10"]) == 0
    assert [o.name for o in load(scene).objects] == ["Sheet", "Bend"]
    assert main(["import", str(scene), bend, lift, "--as", "targets", "--object", "Sheet"]) == 0
    assert [t.name for t in load(scene).object_named("Sheet").targets] == ["Lift", "Slide", "bend", "lift"]
    assert main(["import", str(scene), bend, lift, "--as", "relay", "--object", "Bend", "--range", "2", "9"]) == 0
    assert [k.frame for k in load(scene).object_named("Bend").lanes[0].curve.keys] == [2, 9]
    assert main(["export", str(scene), str(tmp_path / "l.json"), "--object", "Sheet"]) == 0
    assert main(["import", str(scene), str(tmp_path / "l.json"), "--as", "lanes", "--object", "Sheet"]) == 0
    mixed = str(sheet_files["shuffled"])
    assert main(["import", str(scene), mixed, "--as", "targets", "--object", "Sheet"]) == 2
    assert main(["import", str(scene), mixed, "--as", "targets", "--object", "Sheet", "--reorder"]) == 0
    new = tmp_path / "new.fictilis"
    assert main(["import", str(new), bend, "--ground"]) == 0 and load(new).objects[0].name == "Bend"
    capsys.readouterr()
    for words, said in (
        ([str(scene), bend, "--as", "targets"], "say which with --object"),
        ([str(scene), bend, "--only", "Fin"], "is called Fin"),
        ([str(scene), str(sheet_files["fewer"]), "--as", "relay", "--object", "Sheet"], "20 points"),
        ([str(scene), bend, "--scale", "0"], "above 0"),
    ):
        assert main(["import", *words]) == 2 and said in capsys.readouterr().err
    out = str(tmp_path / "row.obj")
    words = ["export", str(scene), out, "--object", "Sheet", "--frames", "range", "--range", "0", "4", "--step", "2"]
    assert main([*words, "--unit", "m", "--up", "z", "--prove", "0.001"]) == 0
    assert sorted(p.name for p in tmp_path.glob("row*")) == ["row.0000.obj", "row.0002.obj", "row.0004.obj"]
    assert "over 3 frames" in capsys.readouterr().out
    assert main(["export", str(scene), str(tmp_path / "a.glb"), "--account"]) == 0 and not (tmp_path / "a.glb").exists()
    assert "kept: Targets" in capsys.readouterr().out
    assert main(["export", str(scene), str(tmp_path / "a.glb"), "--unit", "m"]) == 2
    assert main(["export", str(scene), str(tmp_path / "a.csv"), "--weights", "100", "--rows", "seconds", "--prove", "1"]) == 0
    assert (tmp_path / "a.csv").read_text().startswith("seconds,Sheet/Lift")


def test_cues_are_made_rehearsed_taken_and_handed_over(scene_file, tmp_path, capsys):
    def cue(*words):
        code, out, error = run("cue", scene_file, *words, capsys=capsys)
        assert code == 0, error
        return out

    said = cue("new", "--name", "Touch", "--click", "Sheet", "--lead", "Up=1,opacity=0.5", "--seconds", 0.5, "--ease", "linear",
               "--wait", 1, "--back", 0.5)  # fmt: skip
    assert said.startswith("On a click on Sheet, lead Up to 1.00 and Opacity to 0.50 in 0.50 s linear, wait 1 s")
    cue("new", "--name", "More", "--after", "Touch", "--lead", "bend=0.5", "--carry", "on", "--then", "stay")
    cue("new", "--name", "Shy", "--key", "Space", "--end", "Touch")
    cue("--cue", "More", "change", "--meets", "queue", "--every", 3)
    cue("--cue", "Shy", "place", "--place", 1)
    cue("--cue", "Touch", "duplicate")
    cue("--cue", "Touch 2", "rename", "--name", "Idle")
    cue("--cue", "Idle", "switch", "--off")
    scene = fictilis.load(scene_file)
    assert [c.name for c in scene.cues] == ["Shy", "Touch", "Idle", "More"] and not scene.cues[2].on
    told = json.loads(run("info", scene_file, "--json", capsys=capsys)[1])["cues"]
    assert (
        told[3]["says"].startswith("Every 3 s, lead bend to 0.50")
        and "cue Idle (off)" in run("info", scene_file, capsys=capsys)[1]
    )
    code, out, _ = run("rehearse", scene_file, "--event", "0.5 click Sheet", "--event", "1 key B", "--event", "1.2 key Space",
                       "--seconds", 4, "--weights", tmp_path / "w.csv", "--take", "-o", tmp_path / "t.fictilis",
                       capsys=capsys)  # fmt: skip
    assert code == 0 and "1.00 s: no cue listens to that." in out and "1.20 s: Touch comes back" in out
    assert "3.00 s: More begins" in out and "Keys on 3 lanes." in out
    rows = np.genfromtxt(tmp_path / "w.csv", delimiter=",", names=True, deletechars="", replace_space=" ")
    assert rows["seconds"][-1] == 4 and rows["Sheet/Up"][18] == pytest.approx(0.5) and rows["Sheet/Up"][-1] == 0
    lane = fictilis.load(tmp_path / "t.fictilis").objects[0].lane("t1")
    assert np.abs(lane.values(np.arange(97.0), 24.0) - rows["Sheet/Up"]).max() <= 0.002 + 1e-9
    code, _, warned = run("export", scene_file, tmp_path / "s.glb", capsys=capsys)
    handed = json.loads((tmp_path / "s.cues.json").read_text())
    assert code == 0 and [c["name"] for c in handed["cues"]] == ["Shy", "Touch", "Idle", "More"] and not warned
    assert handed["cues"][1]["does"]["leads"][0] == {"object": "Sheet", "target": "Up", "to": 1.0}
    assert handed["in_betweens"][0]["targets"][0]["stages"] == [[0.5, "Up 0.50"], [1.0, "Up"]]
    assert run("export", scene_file, tmp_path / "none" / "s.glb", "--cues", "drop", capsys=capsys)[0] == 2
    code, _, warned = run("export", scene_file, tmp_path / "s.html", capsys=capsys)
    page = (tmp_path / "s.html").read_text()
    assert (
        code == 0
        and "Touch" in page
        and 'src="http' not in page
        and "import " not in page.split('<script type="module">')[1][:200]
    )
    cue("--cue", "Shy", "remove")
    assert len(fictilis.load(scene_file).cues) == 3


@pytest.mark.parametrize(("words", "said"), [
    (("cue", "new", "--click", "Shoe", "--lead", "Up=1"), "no object named Shoe"),
    (("cue", "new", "--lead", "Down=1"), "nothing named Down"), (("cue", "new", "--lead", "Up=x"), "is no value"),
    (("cue", "new", "--after", "Nothing"), "no cue named Nothing"), (("cue", "new", "--relay", "Row=1"), "no relay named Row"),
    (("cue", "new", "--ease", "fast", "--lead", "Up=1"), "is no easing"), (("cue", "remove"), "Choose a cue first"),
    (("rehearse", "--event", "soon click Sheet"), "is no event"),
    (("rehearse", "--event", "1 cue Nothing"), "no cue named Nothing"),
    (("rehearse", "--event", "1 click Sheet/Rim"), "no kept pick Rim"), (("rehearse", "--seconds", "0"), "more than 0"),
    (("rehearse", "--take"), "Nothing moved"),
])  # fmt: skip
def test_cues_that_cannot_be_are_one_sentence(scene_file, capsys, words, said):
    before = scene_file.read_bytes()
    part, *rest = words
    code, _, error = run(part, scene_file, *rest, capsys=capsys)
    assert code == 2 and said in error and error.count("\n") == 1 and scene_file.read_bytes() == before
