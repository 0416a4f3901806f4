"""The proof of an export notices every damage: of any vertex, corner, target, key, clip, in every format that can be read."""

import json
import re
import struct
import zipfile

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.edits import clips
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.objects import add_object, set_appearance
from fictilis.core.edits.targets import target_from_points
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.ground.errors import BadFile
from fictilis.core.scene.appearance import Appearance
from fictilis.formats.proof import prove
from fictilis.formats.registry import export, read_meshes
from tests.formats.dressed import OBJ


@pytest.fixture(scope="module")
def scene():
    """A box with seams and flat faces, a target, keys of its weight and its place; its second clip moves otherwise."""
    made, _ = add_form(__import__("fictilis").Scene(end=12.0), "Box", {"segments": 2})
    made = set_appearance(made, OBJ, Appearance(smooth=False))
    made, target = target_from_points(made, OBJ, "Up", made.object(OBJ).base + [0, 3.0, 0])
    made = set_key(set_key(made, OBJ, target, Key(0, 0.0)), OBJ, target, Key(12, 1.0))
    made = set_key(set_key(made, OBJ, "position.x", Key(0, 0.0)), OBJ, "position.x", Key(12, 9.0))
    made, _ = clips.duplicate_clip(made, "Other")
    return set_key(made, OBJ, target, Key(5, 0.7))


def numbers_of(path):
    """Places in a file's bytes of single numbers that it shows, with how each is written."""
    data, suffix = path.read_bytes(), path.suffix
    if suffix in (".glb", ".gltf"):
        return accessors(path)
    if suffix == ".stl":
        count = struct.unpack("<I", data[80:84])[0]
        return path, [(84 + 50 * n + 12 + 4 * k, "<f") for n in range(count) for k in range(9)]
    if suffix == ".ply":
        start = data.index(b"end_header\n") + 11
        step = 24 + 3 * (b"uchar red" in data)
        count = int(data.split(b"element vertex ")[1].split()[0])
        return path, [(start + step * n + 8 * k, "<d") for n in range(count) for k in range(3)]
    raise AssertionError(suffix)


def accessors(path):
    """Every number of positions, targets, indices, keys' times and values."""
    data, inside = path.read_bytes(), path
    if path.suffix == ".glb":
        length = struct.unpack("<I", data[12:16])[0]
        told, first = json.loads(data[20 : 20 + length]), 28 + length
    else:
        told, first, inside = json.loads(data), 0, path.with_suffix(".bin")
    used = []
    for mesh in told["meshes"]:
        for p in mesh["primitives"]:
            used += [p["attributes"]["POSITION"], p["indices"], *(t["POSITION"] for t in p["targets"])]
    for animation in told["animations"]:
        used += [a for s in animation["samplers"] for a in (s["input"], s["output"])]
    splines = {
        s["output"]: told["accessors"][s["output"]]["count"]
        * {"SCALAR": 1, "VEC3": 3, "VEC4": 4}[told["accessors"][s["output"]]["type"]]
        // (3 * told["accessors"][s["input"]]["count"])
        for a in told["animations"] for s in a["samplers"] if s["interpolation"] == "CUBICSPLINE"
    }  # fmt: skip
    places = []
    for number in dict.fromkeys(used):
        accessor = told["accessors"][number]
        if "bufferView" not in accessor:
            accessor = accessor["sparse"]["values"] | {
                "componentType": 5126,
                "count": accessor["sparse"]["count"],
                "type": "VEC3",
            }
        view = told["bufferViews"][accessor["bufferView"]]
        wide = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}[accessor["type"]]
        at = first + view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
        kind = {5126: "<f", 5125: "<I"}[accessor["componentType"]]
        own = [(at + 4 * n, kind) for n in range(wide * accessor["count"])]
        unused = splines.get(number, 0)  # tangents into the first key and out of the last
        places += own[unused : len(own) - unused]
    return inside, places


def whole_export(scene, path):
    export(scene, path, 6.0)
    whole = prove(scene, path, 6.0)
    assert whole.cm < 1e-3 and whole.weight < 1e-5


def noticed(scene, path) -> bool:
    """Whether the proof says that a damaged file is not what was exported."""
    try:
        proof = prove(scene, path, 6.0)
    except BadFile:
        return True
    return proof.cm >= 0.01 or proof.weight >= 0.01


@pytest.mark.parametrize("suffix", [".stl", ".ply", ".glb", ".gltf"])
def test_any_number_that_is_damaged_is_noticed(suffix, scene, tmp_path):
    path = tmp_path / f"a{suffix}"
    whole_export(scene, path)
    inside, places = numbers_of(path)
    data, unnoticed = inside.read_bytes(), []
    step = max(len(places) // 60, 1)
    for at, kind in places[::step]:
        (value,) = struct.unpack_from(kind, data, at)
        changed = bytearray(data)
        struct.pack_into(kind, changed, at, value + 0.5 if kind != "<I" else (value + 31) % 96)
        inside.write_bytes(bytes(changed))
        if not noticed(scene, path):
            unnoticed.append((at, kind, value))
    inside.write_bytes(data)
    assert not unnoticed


@pytest.mark.parametrize("suffix", [".obj", ".usda", ".csv", ".json"])
def test_any_written_number_that_is_damaged_is_noticed(suffix, scene, tmp_path):
    """In files of text: one number after another of those that say places, weights and keys."""
    path = tmp_path / f"a{suffix}"
    whole_export(scene, path)
    lines, tried, unnoticed = path.read_text().splitlines(), 0, []
    numbers = [number for number in range(len(lines)) if damaged(suffix, lines, number) is not None]
    for number in numbers[:: max(len(numbers) // 40, 1)]:
        line, changed = lines[number], damaged(suffix, lines, number)
        tried += 1
        path.write_text("\n".join([*lines[:number], changed, *lines[number + 1 :]]) + "\n")
        if not noticed(scene, path):
            unnoticed.append(line)
    assert tried > 4 and not unnoticed


NUMBER = re.compile(r"-?\d+(\.\d+)?(e-?\d+)?")


def damaged(suffix, lines, number):
    """A line with one number changed that says where something is; None for a line that does not."""
    line, above = lines[number], "".join(lines[max(number - 4, 0) : number])
    if suffix == ".obj":
        wrong = line.startswith(("v ", "f "))
        other = (lambda n: f"{float(n[0]) + 0.05}") if line[:1] == "v" else (lambda n: f"{int(n[0]) % 20 + 1}")
        return NUMBER.sub(other, line, count=1) if wrong else None
    if suffix == ".csv":
        rest, _, last = line.rpartition(",")
        return f"{rest},{float(last) + 0.05:.9g}" if number else None
    if suffix == ".json":
        return line.replace('"value": ', '"value": 1') if '"value"' in line else None
    whole = re.search(r"(point3f\[\] points|vector3f\[\] offsets|int\[\] faceVertexIndices) = ", line)
    keyed = "timeSamples" in above and re.match(r"\s*\d+: ", line)
    start = (whole or keyed).end() if whole or keyed else None
    if start is None:
        return None
    return line[:start] + NUMBER.sub(lambda n: f"{float(n[0]) + 1:g}", line[start:], count=1)


def test_an_array_of_points_that_is_damaged_is_noticed(scene, tmp_path):
    path = tmp_path / "a.npz"
    export(scene, path)
    assert prove(scene, path, 0.0).cm < 1e-9
    with zipfile.ZipFile(path) as archive:
        rows = {name: archive.read(name) for name in archive.namelist()}
    for name in rows:
        changed = bytearray(rows[name])
        struct.pack_into("<d", changed, len(changed) - 8, 99.0)
        with zipfile.ZipFile(path, "w") as archive:
            for other in rows:
                archive.writestr(other, bytes(changed) if other == name else rows[other])
        if name == "frames.npy":
            with pytest.raises(BadFile, match="frames"):
                prove(scene, path, 0.0)
        else:
            assert prove(scene, path, 0.0).cm > 1


def test_lines_that_stand_beside_a_mesh_give_it_no_points(tmp_path):
    """In an OBJ file a point belongs to the object under whose name it stands."""
    made, _ = add_form(__import__("fictilis").Scene(), "Box", {"segments": 2})
    made, line = add_form(made, "Wave", {"points": 9})
    for order in (made.objects, made.objects[::-1]):
        export(replace(made, objects=order), tmp_path / "a.obj")
        counts = {d.name: len(d.points) for d in read_meshes(tmp_path / "a.obj").objects}
        assert counts["Box"] == 26 and prove(
            replace(made, objects=order), tmp_path / "a.obj", 0.0).cm < 1e-9  # fmt: skip
    assert line


@pytest.mark.parametrize("suffix", [".obj", ".ply"])
def test_points_alone_come_and_go(suffix, tmp_path):
    points = np.random.default_rng(1).normal(size=(7, 3))
    made, _ = add_object(__import__("fictilis").Scene(), "Cloud", Mesh(7, np.zeros(0, int), np.zeros(1, int)), points)
    export(made, tmp_path / f"a{suffix}")
    (found,) = read_meshes(tmp_path / f"a{suffix}").objects
    assert np.allclose(found.points, points) and prove(made, tmp_path / f"a{suffix}", 0.0).cm < 1e-9
