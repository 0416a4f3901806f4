"""glTF read: what was written comes back, what others write is understood, and what is broken is refused in one sentence."""

import base64
import json
from contextlib import suppress
from types import SimpleNamespace

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.spatial import cKDTree

import fictilis
from fictilis.core.at_frame.drawn import as_drawn
from fictilis.core.at_frame.pose import placement
from fictilis.core.edits import clips
from fictilis.core.ground.errors import BadFile, FictilisError
from fictilis.core.rig.posing import rotations
from fictilis.core.scene.clips import choose_clip
from fictilis.core.scene.places import Transform
from fictilis.formats.gltf_reading import Curves
from fictilis.formats.gltf_scene import read_gltf
from fictilis.formats.registry import export, load, read_meshes, save, scene_from_file
from tests.formats.gltf_player import play
from tests.formats.shown import shown, travelling
from tests.mixes import mix_at

TRIANGLE = [[0, 0, 0], [1, 0, 0], [0, 1, 0]]


@pytest.mark.parametrize("name", ["moon_jelly", "lantern_fish", "tide_marks", "reef_wall", "travelling"])
def test_what_was_written_comes_back(name, tmp_path):
    """Vertex order, names, and every point in the scene at random times, within the 0.01 cm of the trade."""
    scene = travelling() if name == "travelling" else getattr(fictilis, name)()
    said = export(scene, tmp_path / "a.glb")
    back, warnings = scene_from_file(tmp_path / "a.glb")
    assert (back.start, back.end, back.fps) == (scene.start, scene.end, scene.fps) and not warnings
    exact = name == "reef_wall"  # what else is sampled at frames is straight between them, and a sweep has twelve bands
    for frame in (0.0, 17.0, 33.0, *((11.37, 25.81) if exact else ())):
        wanted = np.concatenate(shown(scene, frame))
        found = np.concatenate(shown(back, frame))
        if len(found) == len(wanted):
            assert np.abs(found - wanted).max() < (0.15 if name == "tide_marks" else 0.01), frame
        else:  # points parted at seams are twins
            assert cKDTree(found).query(wanted)[0].max() < 0.02
    assert said == export(scene, tmp_path / "b.glb")
    save(back, tmp_path / "a.fictilis")
    assert [o.name for o in load(tmp_path / "a.fictilis").objects] == [o.name for o in back.objects]


def test_several_animations_become_clips_and_objects_are_added_beside_others(tmp_path):
    scene = fictilis.moon_jelly()
    scene = clips.rename_clip(*clips.duplicate_clip(scene, "Glide"), "Glide")
    export(scene, tmp_path / "a.glb")
    back = scene_from_file(tmp_path / "a.glb")[0]
    assert [c.name for c in back.clips] == [c.name for c in scene.clips]
    bell = back.objects[0]
    assert bell.lanes and choose_clip(back, back.clips[1].id).objects[0].lanes
    both = scene_from_file(tmp_path / "a.glb", beside=scene)[0]
    assert len({o.id for o in both.objects}) == len({o.name for o in both.objects}) == 2
    assert np.array_equal(mix_at(both.objects[1], 20.0), mix_at(bell, 20.0))


class File:
    """A glTF put together by hand, from the standard's text."""

    def __init__(self) -> None:
        self.json = {"asset": {"version": "2.0"}, "bufferViews": [], "accessors": [], "nodes": [{"mesh": 0}]}
        self.data = b""

    def add(self, rows, dtype="<f4", kind="VEC3", **more) -> int:
        array = np.asarray(rows, dtype)
        self.data += b"\0" * (-len(self.data) % 4)
        self.json["bufferViews"].append({"buffer": 0, "byteOffset": len(self.data), "byteLength": array.nbytes})
        self.data += array.tobytes()
        component = {"i1": 5120, "u1": 5121, "i2": 5122, "u2": 5123, "u4": 5125, "f4": 5126}[np.dtype(dtype).str[1:]]
        accessor = {
            "bufferView": len(self.json["bufferViews"]) - 1,
            "componentType": component,
            "count": len(array),
            "type": kind,
        }
        self.json["accessors"].append(accessor | more)
        return len(self.json["accessors"]) - 1

    def mesh(self, *primitives, **more):
        self.json["meshes"] = [{"primitives": list(primitives)} | more]
        return self

    def write(self, folder, how="glb"):
        uri = {"data": "data:application/octet-stream;base64," + base64.b64encode(self.data).decode(), "file": "a%20b.bin"}
        self.json["buffers"] = [{"byteLength": len(self.data)} | ({"uri": uri[how]} if how in uri else {})]
        if how == "file":
            (folder / "a b.bin").write_bytes(self.data)
        text = json.dumps(self.json).encode()
        if how != "glb":
            (folder / "a.gltf").write_bytes(text)
            return folder / "a.gltf"
        text += b" " * (-len(text) % 4)
        body = self.data + b"\0" * (-len(self.data) % 4)
        parts = [
            np.array([len(text), 0x4E4F534A], "<u4").tobytes(),
            text,
            np.array([len(body), 0x4E4942], "<u4").tobytes(),
            body,
        ]
        whole = b"".join(parts)
        (folder / "a.glb").write_bytes(b"glTF" + np.array([2, 12 + len(whole)], "<u4").tobytes() + whole)
        return folder / "a.glb"


@pytest.mark.parametrize("how", ["glb", "data", "file"])
def test_numbers_lie_in_the_file_in_text_or_beside_it(how, tmp_path):
    file = File()
    file.mesh({"attributes": {"POSITION": file.add(TRIANGLE)}, "indices": file.add([0, 1, 2], "<u2", "SCALAR")})
    scene, _ = read_gltf(file.write(tmp_path, how))
    assert np.array_equal(scene.objects[0].base, np.array(TRIANGLE) * 100.0) and scene.objects[0].mesh.corners.tolist() == [
        0,
        1,
        2,
    ]


def test_sparse_and_quantized_numbers(tmp_path):
    """Source: glTF 2.0, 3.6.2.3 and KHR_mesh_quantization."""
    file = File()
    at = file.add([1, 2], "<u2", "SCALAR")
    values = file.add([[0, 0, 5], [0, 0, 7]])
    sparse = {"count": 2, "indices": {"bufferView": at, "componentType": 5123}, "values": {"bufferView": values}}
    file.json["accessors"].append({"componentType": 5126, "count": 3, "type": "VEC3", "sparse": sparse})
    short = file.add(np.array(TRIANGLE) * 32767, "<i2", normalized=True)
    plain = file.add(np.array(TRIANGLE) * 3, "|u1")
    file.json["extensionsRequired"] = ["KHR_mesh_quantization"]
    file.mesh({"attributes": {"POSITION": short}, "targets": [{"POSITION": 2}, {"POSITION": plain}, {}]},
              extras={"targetNames": ["Up", "Up"]}, weights=[0.5, 0.25])  # fmt: skip
    obj = read_gltf(file.write(tmp_path))[0].objects[0]
    assert np.allclose(obj.base, np.array(TRIANGLE) * 100)
    assert [(t.name, t.weight) for t in obj.targets] == [("Up", 0.5), ("Up 2", 0.25), ("Target 3", 0.0)]
    assert obj.targets[0].deltas.indices.tolist() == [1, 2] and obj.targets[0].deltas.offsets[:, 2].tolist() == [500, 700]
    assert np.allclose(obj.targets[1].deltas.dense(3), np.array(TRIANGLE) * 300) and not len(obj.targets[2].deltas.indices)


@pytest.mark.parametrize(
    ("mode", "rows", "wanted"),
    [(4, [0, 1, 2, 2, 1, 3], [[0, 1, 2], [2, 1, 3]]), (5, [0, 1, 2, 3], [[0, 1, 2], [2, 1, 3]]),
     (6, [0, 1, 2, 3], [[0, 1, 2], [0, 2, 3]])],
)  # fmt: skip
def test_triangles_strips_and_fans(mode, rows, wanted, tmp_path):
    file = File()
    points = file.add([*TRIANGLE, [1, 1, 0]])
    file.mesh({"attributes": {"POSITION": points}, "indices": file.add(rows, "|u1", "SCALAR"), "mode": mode})
    assert read_gltf(file.write(tmp_path))[0].objects[0].mesh.corners.reshape(-1, 3).tolist() == wanted


@pytest.mark.parametrize(
    ("mode", "rows", "strands", "closed"),
    [(1, [3, 1, 1, 0, 0, 2], [[3, 1, 0, 2]], [False]), (2, [0, 1, 2, 3], [[0, 1, 2, 3]], [True]),
     (3, [2, 0, 1], [[2, 0, 1]], [False]), (1, [0, 1, 2, 3], [[0, 1], [2, 3]], [False, False])],
)  # fmt: skip
def test_line_primitives_become_strands_with_their_targets(mode, rows, strands, closed, tmp_path):
    file = File()
    points = np.array([*TRIANGLE, [1, 1, 0]], float)
    moved = file.add(points[:, [2, 0, 1]])
    primitive = {"attributes": {"POSITION": file.add(points)}, "indices": file.add(rows, "<u4", "SCALAR"), "mode": mode}
    surface = {"attributes": {"POSITION": file.add(TRIANGLE)}}
    scene, _ = read_gltf(file.mesh(primitive | {"targets": [{"POSITION": moved}]}, surface | {"targets": [{}]}).write(tmp_path))
    mesh, line = scene.objects
    order = np.concatenate(strands)
    assert line.line.closed.tolist() == closed and mesh.geometry.face_count == 1
    assert np.array_equal(line.base, points[order] * 100) and line.line.counts.tolist() == [len(s) for s in strands]
    assert np.array_equal(line.targets[0].deltas.dense(len(order)), points[order][:, [2, 0, 1]] * 100)


def test_primitives_that_share_their_points_share_them_here(tmp_path):
    file = File()
    points = file.add([*TRIANGLE, [1, 1, 0]])
    one, two = (file.add(rows, "<u2", "SCALAR") for rows in ([0, 1, 2], [2, 1, 3]))
    other = file.add(TRIANGLE)
    parts = [{"attributes": {"POSITION": p}, "indices": i} for p, i in ((points, one), (points, two))]
    obj = read_gltf(file.mesh(*parts, {"attributes": {"POSITION": other}}).write(tmp_path))[0].objects[0]
    assert len(obj.base) == 7 and obj.mesh.corners.tolist() == [0, 1, 2, 2, 1, 3, 4, 5, 6]


@pytest.mark.parametrize("way", ["STEP", "LINEAR", "CUBICSPLINE"])
def test_a_lane_is_the_animation_at_every_instant(way, tmp_path):
    """Source: glTF 2.0, appendix C, by the player of the tests."""
    rng = np.random.default_rng(3)
    times, values = np.array([0.1, 0.5, 0.9, 2.0]), rng.normal(size=(4, 3, 1))
    rows = values if way == "CUBICSPLINE" else values[:, 1:2]
    file = File()
    target = {"POSITION": file.add(TRIANGLE)}
    file.mesh({"attributes": {"POSITION": file.add(TRIANGLE)}, "targets": [target]})
    sampler = {"input": file.add(times, kind="SCALAR"), "output": file.add(rows.ravel(), kind="SCALAR"), "interpolation": way}
    file.json["animations"] = [{"samplers": [sampler], "channels": [{"sampler": 0, "target": {"node": 0, "path": "weights"}}]}]
    scene, _ = read_gltf(file.write(tmp_path), fps=25.0)
    into, middle, out = values.transpose(1, 0, 2)
    track = SimpleNamespace(interpolation=way, times=times, values=middle, tangents_in=into, tangents_out=out)
    seconds = np.sort(np.append(rng.uniform(0, 2.2, 50), times + 1e-3))
    lane = scene.objects[0].lane("t1")
    assert np.abs(lane.curve.evaluate(seconds * 25) - play(track, seconds)[:, 0]).max() < 1e-5
    assert (scene.start, scene.end) == (0, 50)


def test_motion_of_a_node_under_others_is_that_of_the_whole_chain(tmp_path):
    """Source: glTF 2.0, 3.5.3: the product of all transforms from the root."""
    file = File()
    file.mesh({"attributes": {"POSITION": file.add(TRIANGLE)}})
    half = float(np.sqrt(0.5))
    file.json["nodes"] = [
        {"mesh": 0, "translation": [1, 0, 0], "scale": [1, 2, 1]},
        {"children": [0], "rotation": [0, half, 0, half]},
    ]
    turns = file.add([[0, 0, 0, 1], [0, 0, 1, 0]], kind="VEC4")
    moves = file.add([[0, 0, 0], [0, 3, 0]])
    times = file.add([0.0, 1.0], kind="SCALAR")
    file.json["animations"] = [{
        "samplers": [{"input": times, "output": turns}, {"input": times, "output": moves}],
        "channels": [{"sampler": 0, "target": {"node": 1, "path": "rotation"}},
                     {"sampler": 1, "target": {"node": 0, "path": "translation"}}],
    }]  # fmt: skip
    scene, _ = read_gltf(file.write(tmp_path))
    for second in (0.0, 0.25, 1.0):
        turn = Curves("LINEAR", np.array([0.0, 1.0]), np.array([[0, 0, 0, 1.0], [0, 0, 1.0, 0]])).at(np.array([second]), True)[
            0
        ]
        x, y, z, w = turn
        rot = np.array([[1 - 2 * z * z, -2 * z * w, 0], [2 * z * w, 1 - 2 * z * z, 0], [0, 0, 1]])
        wanted = (np.array(TRIANGLE) * [1, 2, 1] + [0, 3 * second, 0]) @ rot.T * 100
        matrix = placement(scene, scene.objects[0], second * scene.fps).transform.matrix()
        found = scene.objects[0].base @ matrix[:3, :3].T + matrix[:3, 3]
        assert np.abs(found - wanted).max() < 0.01


def test_a_matrix_a_camera_a_colour_and_an_image(tmp_path):
    file = File()
    image = b"\x89PNG\r\n\x1a\n and more"
    file.data += image
    file.json["bufferViews"].append({"buffer": 0, "byteOffset": 0, "byteLength": len(image)})
    uv = file.add([[0, 0], [1, 0], [0, 1]], kind="VEC2")
    pbr = {"baseColorFactor": [1, 0, 0.21586, 0.5], "baseColorTexture": {"index": 0}}
    views = [{"type": "perspective", "perspective": {"yfov": 0.6}}, {"type": "orthographic", "orthographic": {"ymag": 2}}]
    file.json |= {"images": [{"bufferView": 0, "mimeType": "image/png", "name": "Weed"}], "textures": [{"source": 0}],
                  "materials": [{"pbrMetallicRoughness": pbr}], "cameras": views}  # fmt: skip
    file.mesh({"attributes": {"POSITION": file.add(TRIANGLE), "TEXCOORD_0": uv}, "material": 0}, name="Leaf")
    shear = [1, 0, 0, 0, 0.5, 1, 0, 0, 0, 0, 1, 0, 2, 3, 4, 1]
    file.json["nodes"] = [{"mesh": 0, "matrix": shear}, {"camera": 0, "translation": [0, 0, 5], "name": "Look"}, {"camera": 1}]
    scene, _ = read_gltf(file.write(tmp_path))
    leaf = scene.objects[0]
    assert leaf.name == "Leaf" and leaf.transform == Transform() and np.allclose(leaf.base[2], [250, 400, 400])
    assert leaf.appearance.colour == "#FF0080" and leaf.appearance.opacity == 0.5 and leaf.appearance.texture.image == image
    assert leaf.mesh.uvs.tolist() == [[0, 1], [1, 1], [0, 0]]
    look = next(c for c in scene.cameras if c.name == "Look")
    assert look.lens == pytest.approx(np.degrees(0.6)) and np.allclose(look.centre, 0) and look.distance == pytest.approx(500)
    assert [c.parallel for c in scene.cameras].count(True) == 1


def test_a_file_of_a_general_library_is_read(tmp_path):
    """Source: trimesh, an independent writer."""
    trimesh = pytest.importorskip("trimesh")
    box = trimesh.creation.capsule(height=0.6, radius=0.4)
    trimesh.Scene({"ball": box}).export(tmp_path / "t.glb")
    obj = scene_from_file(tmp_path / "t.glb")[0].objects[0]
    assert np.allclose(obj.base, np.float32(box.vertices) * 100, atol=1e-4)
    assert np.array_equal(obj.mesh.corners.reshape(-1, 3), box.faces)
    assert len(read_meshes(tmp_path / "t.glb").objects) == 1


WRONG = {
    "Draco": lambda f: f.json.update(extensionsRequired=["KHR_draco_mesh_compression"]),
    "meshopt": lambda f: f.json.update(extensionsRequired=["EXT_meshopt_compression"]),
    "without MY_own": lambda f: f.json.update(extensionsRequired=["MY_own"]),
    "version 1.0": lambda f: f.json.update(asset={"version": "1.0"}),
    "not in its folder": lambda f: f.json.update(images=[{"uri": "../../etc/passwd"}], textures=[{"source": 0}],
                                                 materials=[{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}]),
    "do not fit": lambda f: f.json["accessors"][0].update(count=2**33),
    "no bytes for them": lambda f: f.json["accessors"].__setitem__(0, {"componentType": 5126, "count": 2**33, "type": "VEC3"}),
    "uses point 9": lambda f: f.json["meshes"][0]["primitives"][0].update(indices=f.add([0, 1, 9], "<u2", "SCALAR")),
    "below itself": lambda f: f.json["nodes"].append({"children": [1]}) or f.json.update(scenes=[{"nodes": [1]}]),
    "number 7 of its 1 meshes": lambda f: f.json["nodes"][0].update(mesh=7),
    "shows no mesh": lambda f: f.json["nodes"][0].pop("mesh"),
    "no positions": lambda f: f.json["meshes"][0]["primitives"][0].update(attributes={}),
    "not finite": lambda f: f.json["meshes"][0]["primitives"][0]["attributes"].update(POSITION=f.add([[np.nan, 0, 0]] * 3)),
    "do not rise": lambda f: f.json.update(animations=[{"samplers": [{"input": f.add([1.0, 0.0], kind="SCALAR"), "output": 0}],
                                                        "channels": [{"sampler": 0, "target": {"node": 0, "path": "scale"}}]}]),
}  # fmt: skip


@pytest.mark.parametrize("words", WRONG)
def test_what_is_wrong_is_said_in_one_sentence(words, tmp_path):
    file = File()
    file.mesh(
        {"attributes": {"POSITION": file.add(TRIANGLE)}, "material": 0}
        if "folder" in words
        else {"attributes": {"POSITION": file.add(TRIANGLE)}}
    )
    WRONG[words](file)
    with pytest.raises(BadFile, match=words) as refused:
        read_gltf(file.write(tmp_path))
    assert str(refused.value).startswith("a.glb cannot be read: ")


@pytest.fixture(scope="module")
def whole(tmp_path_factory):
    folder = tmp_path_factory.mktemp("fuzz")
    scene = travelling()
    export(scene.with_object(replace(as_drawn(scene.objects[0]), id="o1")), folder / "w.glb")
    return folder, (folder / "w.glb").read_bytes()


@pytest.mark.parametrize("seed", range(6))
def test_a_broken_file_is_read_or_refused_but_never_worse(whole, seed):
    folder, good = whole
    rng, end = np.random.default_rng(seed), int.from_bytes(good[12:16], "little") + 20
    telling = np.frombuffer(b'0123456789-.{}[]",:eE\0\xff', np.uint8)
    for _ in range(25):
        broken = bytearray(good)
        for at in rng.integers(0, end, rng.integers(1, 7)):
            broken[at] = rng.choice(telling) if rng.random() < 0.5 else broken[at] ^ 1
        cut = rng.choice([len(good), len(good), end // 2, end + 40])
        (folder / "b.glb").write_bytes(bytes(broken[:cut]))
        with suppress(FictilisError):
            scene_from_file(folder / "b.glb")


def rotating(times, quaternions, way="LINEAR", above=None):
    """A triangle whose node turns, below another node."""
    file = File()
    file.mesh({"attributes": {"POSITION": file.add(TRIANGLE)}}, name="Leaf")
    file.json["nodes"] = [{"mesh": 0}, {"children": [0]} | (above or {})]
    file.json["scenes"] = [{"nodes": [1]}]
    sampler = {"input": file.add(times, kind="SCALAR"), "output": file.add(quaternions, kind="VEC4"), "interpolation": way}
    file.json["animations"] = [{"samplers": [sampler], "channels": [{"sampler": 0, "target": {"node": 0, "path": "rotation"}}]}]
    return file, Curves(way, np.array(times), np.array(quaternions, float))


def worst_of(scene, curves, above, seconds):
    """How far the points are off the product of the nodes, cm."""
    out = 0.0
    for second in seconds:
        (turn,) = rotations(curves.at(np.array([second]), turns=True))
        wanted = (np.array(TRIANGLE) * 100) @ turn.T @ above.T
        matrix = placement(scene, scene.objects[0], second * scene.fps).transform.matrix()
        found = scene.objects[0].base @ matrix[:3, :3].T + matrix[:3, 3]
        out = max(out, float(np.abs(found - wanted).max()))
    return out


TURNS = [[0, 0, 0, 1], [0.6, 0.2, 0.1, np.sqrt(0.59)], [-0.3, 0.5, 0.6, np.sqrt(0.3)], [0.1, -0.8, 0.2, np.sqrt(0.31)]]


@pytest.mark.parametrize("way", ["LINEAR", "STEP"])
def test_a_turn_about_any_axis_is_met_between_frames_too(way, tmp_path):
    """Source: glTF 2.0, appendix C.4, spherical linear interpolation; a turn of more than 100 degrees within three frames."""
    times = [0.0, 0.125, 0.25, 0.5]
    file, curves = rotating(times, TURNS, way)
    scene, said = read_gltf(file.write(tmp_path))
    seconds = np.linspace(0, 0.5, 401)[:-1] + 1e-5
    assert worst_of(scene, curves, np.eye(3), seconds) < 0.01 and not said
    assert len(scene.objects[0].lane("rotation.x").curve.keys) < 400


@pytest.mark.parametrize("above", ["uneven", "slanting"])
def test_a_turn_below_what_slants_it_is_met_as_near_as_can_be_and_told(above, tmp_path):
    """Source: glTF 2.0, 3.5.3: the product of all transforms from the root. No position, rotation and scale says it; how far
    it is off is said, and is what it is."""
    linear = np.diag([1.0, 2.0, 1.0]) if above == "uneven" else np.array([[1, 0.5, 0], [0, 1, 0], [0, 0, 1.0]])
    matrix = np.eye(4)
    matrix[:3, :3] = linear
    top = {"matrix": matrix.T.ravel().tolist()}
    file, curves = rotating([0.0, 1.0], [[0, 0, 0, 1], [0, 0, np.sin(0.6), np.cos(0.6)]], above=top)
    scene, said = read_gltf(file.write(tmp_path))
    off = worst_of(scene, curves, linear, np.linspace(0, 1, 97))
    told = float(said[0].split(" cm off")[0].rpartition(" ")[2])
    assert "Leaf is up to" in said[0] and 0.4 * told <= off <= 1.05 * told and off < 60  # 99 and 41 before
    still, _ = rotating([0.0, 1.0], [[0, 0, 0, 1], [0, 0, 0, 1]], above=top)
    scene, said = read_gltf(still.write(tmp_path))
    assert worst_of(scene, Curves("STEP", np.array([0.0]), np.array([[0, 0, 0, 1.0]])), linear, [0.0, 0.5]) < 1e-3 and not said


def test_a_picture_is_laid_as_its_transform_says(tmp_path):
    """Source: KHR_texture_transform: a scale, then a rotation, then an offset, from the upper left of the picture; the sign of
    the rotation: value from memory."""
    file = File()
    image = b"\x89PNG\r\n\x1a\n and more"
    file.data += image
    file.json["bufferViews"].append({"buffer": 0, "byteOffset": 0, "byteLength": len(image)})
    rows = [file.add([[0, 0], [1, 0], [0, 1]], kind="VEC2"), file.add([[0.5, 0], [1, 0.25], [0, 1]], kind="VEC2")]
    laid = {"offset": [0.25, 0.5], "rotation": 0.3, "scale": [2, 3], "texCoord": 1}
    pbr = {"baseColorTexture": {"index": 0, "extensions": {"KHR_texture_transform": laid}}}
    file.json |= {"images": [{"bufferView": 0, "mimeType": "image/png"}], "textures": [{"source": 0}],
                  "materials": [{"pbrMetallicRoughness": pbr}], "extensionsRequired": ["KHR_texture_transform"]}  # fmt: skip
    attributes = {"POSITION": file.add(TRIANGLE), "TEXCOORD_0": rows[0], "TEXCOORD_1": rows[1]}
    file.mesh({"attributes": attributes, "material": 0})
    scene, _ = read_gltf(file.write(tmp_path))
    c, s = np.cos(0.3), np.sin(0.3)
    wanted = np.array([[0.5, 0], [1, 0.25], [0, 1]]) * [2, 3] @ np.array([[c, s], [-s, c]]).T + [0.25, 0.5]
    mesh = scene.objects[0].mesh
    seen = mesh.uvs[mesh.uv_corners] * [1, -1] + [0, 1]
    assert np.allclose(seen, wanted[mesh.corners], atol=1e-6)


def test_what_is_hidden_stays_hidden_and_what_is_not_read_is_said(tmp_path):
    """Source: KHR_node_visibility: a node that is not visible hides all below it; KHR_lights_punctual."""
    file = File()
    file.mesh({"attributes": {"POSITION": file.add(TRIANGLE)}})
    file.json["nodes"] = [
        {"mesh": 0, "name": "Seen"}, {"children": [2], "extensions": {"KHR_node_visibility": {"visible": False}}},
        {"mesh": 0, "name": "Below"}, {"mesh": 0, "name": "Lamp", "extensions": {"KHR_lights_punctual": {"light": 0}}},
    ]  # fmt: skip
    file.json["extensionsUsed"] = ["KHR_node_visibility", "KHR_lights_punctual", "EXT_made_up"]
    file.json["extensionsRequired"] = ["KHR_node_visibility"]
    scene, said = read_gltf(file.write(tmp_path))
    assert {o.name: o.visible for o in scene.objects} == {"Seen": True, "Below": False, "Lamp": True}
    assert any("lights were left out" in s for s in said) and any("what EXT_made_up says was not read" in s for s in said)
