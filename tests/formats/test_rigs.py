"""Rigged files in and out: what was not touched is the same, element by element, and ours is added."""

import json

import numpy as np
import pygltflib as g
import pytest
from msgspec.structs import replace
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

import fictilis
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.at_frame.pose import Pose
from fictilis.core.edits import clips, rigs
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.objects import set_transform
from fictilis.core.edits.repeats import set_repeat
from fictilis.core.edits.targets import target_from_points
from fictilis.core.ground.errors import BadFile
from fictilis.core.mix.channels import values_at
from fictilis.core.scene.clips import choose_clip, clip, clip_named
from fictilis.core.scene.places import Transform
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.rigs import CLIP, TIME, turn_id
from fictilis.formats.gltf_buffer import Buffer
from fictilis.formats.registry import export, scene_from_file
from fictilis.formats.usd_reading import read_here
from tests.features import OBJ, made
from tests.formats.shown import shown
from tests.rigged import rigged

KINDS = {5121: np.uint8, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}


def numbers(gltf, accessor):
    """An accessor's numbers, by pygltflib and NumPy alone."""
    a = gltf.accessors[accessor]
    view = gltf.bufferViews[a.bufferView]
    start = (view.byteOffset or 0) + (a.byteOffset or 0)
    kind, width = KINDS[a.componentType], WIDTHS[a.type]
    return np.frombuffer(gltf.binary_blob(), kind, a.count * width, start).reshape(a.count, width)


def packed(path, record, blob):
    """A .glb of a record and its numbers."""
    record += b" " * (-len(record) % 4)
    head = np.array([0x46546C67, 2, 28 + len(record) + len(blob), len(record), 0x4E4F534A], "<u4").tobytes()
    path.write_bytes(head + record + np.array([len(blob), 0x004E4942], "<u4").tobytes() + blob)


def character(path, joints=7, sets=2):
    """A character as another program might write it: a root that is no joint, one joint told by a matrix, eight joints a point,
    two meshes on one skin, a third on another without inverse matrices, and clips by STEP, LINEAR and CUBICSPLINE."""
    rng = np.random.default_rng(8)
    gltf = g.GLTF2(asset=g.Asset(version="2.0"), scenes=[g.Scene(nodes=[0, joints + 1, joints + 2, joints + 3])], scene=0)
    buffer = Buffer(gltf)
    gltf.nodes.append(g.Node(name="Armature", scale=[1.5, 1.5, 1.5], rotation=[0.0, 0.0, 0.6, 0.8], children=[1]))
    for n in range(joints):
        turn = Rotation.from_euler("xyz", rng.normal(size=3) * 0.2)
        node = g.Node(name="Bone" if n in (2, 3) else f"Bone {n}", translation=[0.0, 0.31, 0.01 * n])
        if n == 4:
            matrix = np.eye(4)
            matrix[:3, :3], matrix[:3, 3] = turn.as_matrix(), [0.02, 0.3, 0.0]
            node = g.Node(name="By matrix", matrix=matrix.T.ravel().tolist())
        else:
            node.rotation = turn.as_quat().tolist()
        node.children = [n + 2] if n + 1 < joints else []
        gltf.nodes.append(node)
    inverse = rng.normal(size=(joints, 16)).astype(np.float32)
    inverse[:, 12:] = [0, 0, 0, 1]
    inverse = inverse.reshape(-1, 4, 4).transpose(0, 2, 1).reshape(-1, 16)
    gltf.skins = [
        g.Skin(name="Body", joints=list(range(joints, 0, -1)), inverseBindMatrices=buffer.add(inverse, "MAT4")),
        g.Skin(name="Hat", joints=[joints]),
    ]
    for n, skin in ((0, 0), (1, 0), (2, 1)):
        points = rng.normal(size=(30 + n, 3)).astype(np.float32)
        attributes = g.Attributes(POSITION=buffer.add(points, "VEC3", bounds=True))
        for k in range(sets if skin == 0 else 1):
            weights = rng.random((len(points), 4)).astype(np.float32) / sets
            attributes_joints = rng.integers(0, joints if skin == 0 else 1, (len(points), 4))
            setattr(attributes, f"JOINTS_{k}", buffer.numbers(attributes_joints))
            setattr(attributes, f"WEIGHTS_{k}", buffer.add(weights, "VEC4"))
        index = np.arange(len(points) // 3 * 3)
        primitive = g.Primitive(attributes=attributes, indices=buffer.add(index, "SCALAR"))
        moved = np.zeros_like(points)
        moved[:5] = 0.25
        primitive.targets = [{"POSITION": buffer.add(moved, "VEC3", bounds=True)}]
        gltf.meshes.append(g.Mesh(name=f"Mesh {n}", primitives=[primitive], extras={"targetNames": ["Smile"]}))
        gltf.nodes.append(g.Node(name=f"Part {n}", mesh=n, skin=skin, translation=[9.0, 9.0, 9.0]))
    for name, way in (("Walk", "LINEAR"), ("Jump", "CUBICSPLINE"), ("Blink", "STEP")):
        animation = g.Animation(name=name, channels=[], samplers=[])
        times = np.array([0.0, 0.25, 0.5, 1.0], np.float32)
        for node in (1, 2, 4):
            for moved, kind in (("rotation", "VEC4"), ("translation", "VEC3"), ("scale", "VEC3")):
                rows = rng.normal(size=(12 if way == "CUBICSPLINE" else 4, 4 if kind == "VEC4" else 3)).astype(np.float32)
                rows += 2.0 if moved == "scale" else 0.0
                if moved == "rotation" and way != "CUBICSPLINE":
                    rows /= np.linalg.norm(rows, axis=1, keepdims=True)
                output = buffer.add(rows, kind)
                animation.samplers.append(g.AnimationSampler(input=buffer.add(times, "SCALAR", bounds=True), output=output,
                                                             interpolation=way))  # fmt: skip
                target = g.AnimationChannelTarget(node=node, path=moved)
                animation.channels.append(g.AnimationChannel(sampler=len(animation.samplers) - 1, target=target))
        gltf.animations.append(animation)
    gltf.buffers = [g.Buffer(byteLength=buffer.length)]
    packed(path, gltf.gltf_to_json().encode(), b"".join(bytes(part) for part in buffer.parts))
    return g.GLTF2().load_binary(str(path))


def told(gltf):
    """What a file says of its rigs, as numbers by names: nodes, skins, weights of points, samples."""
    names, out = [n.name for n in gltf.nodes], {}
    for node in gltf.nodes:
        if node.mesh is None:
            out["node", node.name, len([1 for k in out if k[:2] == ("node", node.name)])] = (
                node.translation, node.rotation, node.scale, node.matrix, [names[c] for c in node.children])  # fmt: skip
        else:
            skin = gltf.skins[node.skin]
            joints = [names[j] for j in skin.joints]
            primitive = gltf.meshes[node.mesh].primitives[0]
            rows = vars(primitive.attributes)
            found = np.eye(4, dtype=np.float32).reshape(1, 16).repeat(len(joints), axis=0)
            if skin.inverseBindMatrices is not None:
                found = numbers(gltf, skin.inverseBindMatrices)
            order = np.lexsort(numbers(gltf, rows["POSITION"]).T)
            sets = [k for k in ("JOINTS_0", "WEIGHTS_0", "JOINTS_1", "WEIGHTS_1") if rows.get(k) is not None]
            weights = [numbers(gltf, rows[k])[order].tolist() for k in sets]
            places = numbers(gltf, rows["POSITION"])[order].tolist()
            out["mesh", gltf.meshes[node.mesh].name.replace("Mesh", "Part"), 0] = (joints, found.tolist(), weights, places)
    for animation in gltf.animations:
        for channel in animation.channels:
            sampler = animation.samplers[channel.sampler]
            place = [n for n, name in enumerate(names) if name == names[channel.target.node]].index(channel.target.node)
            rows = numbers(gltf, sampler.input).tolist(), sampler.interpolation, numbers(gltf, sampler.output).tolist()
            if channel.target.path != "weights":
                out["animation", animation.name, names[channel.target.node], place, channel.target.path] = rows
    return out


def renamed(rows):
    return json.loads(json.dumps({str(k): v for k, v in rows.items()}))


def test_a_rigged_gltf_goes_in_and_out_element_by_element(tmp_path):
    first = told(character(tmp_path / "a.glb"))
    scene = scene_from_file(tmp_path / "a.glb")[0]
    assert [o.name for o in scene.objects] == ["Part 0", "Part 1", "Part 2"] and len(scene.clips) == 3
    rig = scene.objects[0].skin.rig
    assert all(o.skin.rig is rig for o in scene.objects) and [c.name for c in rig.clips] == ["Walk", "Jump", "Blink"]
    assert scene.objects[0].transform == Transform()  # a skinned mesh's own place counts for nothing
    export(scene, tmp_path / "b.glb")
    again = told(g.GLTF2().load_binary(str(tmp_path / "b.glb")))
    wanted, found = renamed(first), renamed(again)
    for key, rows in wanted.items():
        assert key in found, key
        if "'node'" in key:
            assert all(a == b or a is None and b is not None for a, b in zip(rows, found[key], strict=True)), key
        else:
            assert rows == found[key], key
    fictilis.save(scene, tmp_path / "s.fictilis")
    kept = fictilis.load(tmp_path / "s.fictilis")
    for a, b in zip(scene.objects, kept.objects, strict=True):
        assert np.array_equal(Pose(scene, a, 7.0).points, Pose(kept, b, 7.0).points)


def test_ours_is_added_to_what_stays_as_it_was(tmp_path):
    first = told(character(tmp_path / "a.glb"))
    scene = scene_from_file(tmp_path / "a.glb")[0]
    obj = scene.objects[0]
    scene, new = target_from_points(scene, obj.id, "Frown", obj.base + [0, 1, 0])
    scene = set_key(set_key(scene, obj.id, new, Key(0, 0.0)), obj.id, new, Key(12, 1.0))
    export(scene, tmp_path / "b.glb")
    data = g.GLTF2().load_binary(str(tmp_path / "b.glb"))
    again = renamed(told(data))
    for key, rows in renamed(first).items():
        if "'animation'" in key:
            assert again[key] == rows, key
    assert data.meshes[0].extras["targetNames"] == ["Smile", "Frown"]
    assert any(c.target.path == "weights" for c in data.animations[0].channels)
    back = scene_from_file(tmp_path / "b.glb")[0]
    for frame in (0.0, 5.0, 12.0):
        for a, b in zip(scene.objects, back.objects, strict=True):
            assert np.abs(Pose(scene, a, frame).points - Pose(back, b, frame).points).max() < 1e-3 * np.abs(a.base).max()


@pytest.mark.parametrize("clip", ["Walk", "Jump", "Blink"])
def test_each_clip_is_what_a_player_of_gltf_shows(clip, tmp_path):
    """The formula by hand from the file's own numbers, against what the scene shows in that clip."""
    gltf = character(tmp_path / "a.glb")
    scene = scene_from_file(tmp_path / "a.glb")[0]
    scene = choose_clip(scene, clip_named(scene, clip).id)
    moves = {(c.target.node, c.target.path): s for a in gltf.animations if a.name == clip
             for c in a.channels for s in [a.samplers[c.sampler]]}  # fmt: skip
    for seconds in (0.0, 0.1, 0.25, 0.4, 0.9):
        local = []
        for n, node in enumerate(gltf.nodes):
            rest = {"translation": node.translation or [0, 0, 0], "rotation": node.rotation or [0, 0, 0, 1],
                    "scale": node.scale or [1, 1, 1]}  # fmt: skip
            for path in rest:
                if (n, path) in moves:
                    rest[path] = sample(gltf, moves[n, path], seconds, path)
            matrix = np.eye(4)
            matrix[:3, :3] = Rotation.from_quat(rest["rotation"]).as_matrix() * np.array(rest["scale"])
            matrix[:3, 3] = rest["translation"]
            local.append(np.array(node.matrix).reshape(4, 4).T if node.matrix and any(node.matrix) and n == 5 else matrix)
        worlds = dict.fromkeys(range(1))
        worlds[0] = local[0]
        for n in range(7):
            worlds[n + 1] = worlds[n] @ local[n + 1]
        for number, obj in enumerate(scene.objects):
            skin = gltf.skins[gltf.nodes[8 + number].skin]
            rows = vars(gltf.meshes[number].primitives[0].attributes)
            inverse = np.eye(4)[None].repeat(len(skin.joints), axis=0)
            if skin.inverseBindMatrices is not None:
                inverse = numbers(gltf, skin.inverseBindMatrices).reshape(-1, 4, 4).transpose(0, 2, 1)
            points = np.c_[numbers(gltf, rows["POSITION"]), np.ones(len(obj.base))].astype(float)
            wanted = np.zeros((len(points), 4))
            for k in (0, 1):
                if rows.get(f"JOINTS_{k}") is None:
                    continue
                parts, weights = numbers(gltf, rows[f"JOINTS_{k}"]), numbers(gltf, rows[f"WEIGHTS_{k}"])
                for m in range(4):
                    each = np.array([worlds[skin.joints[j]] @ inverse[j] for j in parts[:, m]])
                    wanted += weights[:, m : m + 1] * np.einsum("nij,nj->ni", each, points)
            found = Pose(scene, obj, seconds * scene.fps).points
            assert np.abs(found - 100 * wanted[:, :3]).max() < 1e-3 * max(np.abs(found).max(), 1.0), (seconds, obj.name)


def sample(gltf, sampler, seconds, path):
    """Source: glTF 2.0, appendix C; SciPy's Slerp and cubic Hermite spline."""
    from scipy.interpolate import CubicHermiteSpline
    from scipy.spatial.transform import Slerp

    times, rows = numbers(gltf, sampler.input)[:, 0].astype(float), numbers(gltf, sampler.output).astype(float)
    if sampler.interpolation == "STEP":
        return rows[np.searchsorted(times, seconds + 1e-6, side="right") - 1]
    if sampler.interpolation == "LINEAR":
        if path == "rotation":
            return Slerp(times, Rotation.from_quat(rows))(seconds).as_quat()
        return np.array([np.interp(seconds, times, column) for column in rows.T])
    a, v, b = rows.reshape(len(times), 3, -1).transpose(1, 0, 2)
    n = min(np.searchsorted(times, seconds, side="right") - 1, len(times) - 2)
    return CubicHermiteSpline(times[n : n + 2], v[n : n + 2], np.stack([b[n], a[n + 1]]))(seconds)


PLACE = Transform((3, 2, 1), (10, 20, 30), (2, 2, 2))
TOUCHED = {
    "retimed": lambda s: with_time(s, lambda c: replace(c, keys=(c.keys[0], replace(c.keys[1], frame=9.0)))),
    "again and again": lambda s: with_time(s, lambda c: replace(c, after="ping-pong")),
    "turned": lambda s: rigs.turn_joint(s, OBJ, 1, {"x": 30.0, "z": -20.0}),
    "turned by keys": lambda s: set_key(set_key(s, OBJ, turn_id(2, "y"), Key(0, 0.0)), OBJ, turn_id(2, "y"), Key(10, 80.0)),
    "another clip from frame 6": lambda s: set_key(set_key(s, OBJ, CLIP, Key(0, 0.0, "hold")), OBJ, CLIP, Key(6, 1.0, "hold")),
    "moved": lambda s: set_key(set_transform(s, OBJ, PLACE), OBJ, "position.x", Key(4, 9.0)),
    "copies": lambda s: set_repeat(s, OBJ, Repeat(counts=(2, 1, 1), later=3.0)),
    "no clip": lambda s: rigs.straighten(s.with_object(s.object(OBJ).with_lane(TIME, AnimationCurve(()))), OBJ),
}  # fmt: skip


def with_time(scene, change):
    obj = scene.object(OBJ)
    return scene.with_object(obj.with_lane(TIME, change(obj.lane(TIME).curve)))


@pytest.mark.parametrize("suffix", [".glb", ".usdc"])
@pytest.mark.parametrize("name", TOUCHED)
def test_what_was_touched_is_sampled_and_shows_the_same(name, suffix, tmp_path):
    scene = TOUCHED[name](rigged(made("mesh")))
    export(scene, tmp_path / f"a{suffix}")
    back = scene_from_file(tmp_path / "a.glb")[0] if suffix == ".glb" else read_here(tmp_path / "a.usdc")[0]
    for frame in (0.0, 3.0, 6.0, 11.0):
        near = cKDTree(np.concatenate(shown(back, frame))).query(np.concatenate(shown(scene, frame)))[0]
        assert near.max() < 0.02, frame
    if suffix == ".glb" and name != "no clip":  # the clip that nothing plays is there as it came
        data = g.GLTF2().load_binary(str(tmp_path / "a.glb"))
        assert len(data.animations) == (1 if "another" in name else 2)


def test_two_clips_of_a_rig_blend_by_their_poses(tmp_path):
    scene = clips.duplicate_clip(rigged(made("mesh")), "Grow")[0]
    scene = rigs.play_clip(choose_clip(scene, clip_named(scene, "Grow").id), OBJ, "Stretch")
    names = [c.name for c in scene.clips]
    scene = clips.blend_clips(scene, *(clip_named(scene, n).id for n in names))[0]
    obj = scene.object(OBJ)
    alone = [choose_clip(scene, c.id) for c in scene.clips[:2]]
    for part in (0.0, 1.0):
        at = set_key(scene, OBJ, "blend", Key(0, part))
        its = [np.abs(Pose(at, at.object(OBJ), 7.0).points - Pose(s, s.object(OBJ), 7.0).points).max() for s in alone]
        assert min(its) < 1e-9
    half = set_key(scene, OBJ, "blend", Key(0, 0.5))
    own = values_at(half.object(OBJ), 7.0)
    many = values_at(half.object(OBJ), np.array([7.0, 8.0]))
    assert all(np.isclose(many[name][0], value) for name, value in own.items())
    assert obj.skin is not None
    export(half, tmp_path / "a.glb")
    back = scene_from_file(tmp_path / "a.glb")[0]
    name = clip(half).name
    back = choose_clip(back, clip_named(back, name).id)
    near = cKDTree(Pose(back, back.objects[0], 7.0).points).query(Pose(half, half.object(OBJ), 7.0).points)[0]
    assert near.max() < 0.01


def first_of(record, attribute):
    return record["meshes"][0]["primitives"][0]["attributes"][attribute]


BROKEN = {
    "a joint that is not there": lambda j: j["skins"][0]["joints"].append(99),
    "no joints": lambda j: j["skins"][0].update(joints=[]),
    "a skin that is not there": lambda j: j["nodes"][-1].update(skin=7),
    "a skin that is no number": lambda j: j["nodes"][-1].update(skin=[1]),
    "too few matrices": lambda j: j["accessors"][j["skins"][0]["inverseBindMatrices"]].update(count=2),
    "matrices of another kind": lambda j: j["accessors"][j["skins"][0]["inverseBindMatrices"]].update(type="VEC4"),
    "weights of too few points": lambda j: j["accessors"][first_of(j, "WEIGHTS_0")].update(count=3),
    "a joint beyond the skin": lambda j: j["skins"][0].update(joints=j["skins"][0]["joints"][:2]),
    "a joint twice in the tree": lambda j: j["nodes"][0]["children"].append(2),
}  # fmt: skip


@pytest.mark.parametrize("name", BROKEN)
def test_a_broken_rig_is_refused_in_a_sentence(name, tmp_path):
    character(tmp_path / "a.glb")
    data = (tmp_path / "a.glb").read_bytes()
    length = int(np.frombuffer(data[12:16], "<u4")[0])
    record = json.loads(data[20 : 20 + length])
    BROKEN[name](record)
    packed(tmp_path / "b.glb", json.dumps(record).encode(), data[28 + length :])
    with pytest.raises(BadFile, match=r"^b\.glb cannot be read: .*\.$"):
        scene_from_file(tmp_path / "b.glb")


def test_a_rigged_stage_goes_in_and_out_element_by_element(tmp_path):
    """By usd-core's own arrays: joints, bind and rest transforms, influences, samples of all animations."""
    from pxr import Usd, UsdSkel

    scene = rigged(made("mesh"), dual=True)
    export(scene, tmp_path / "a.usda")
    first = read_here(tmp_path / "a.usda")[0]
    export(first, tmp_path / "b.usda")

    def rows(path):
        out, stage = {}, Usd.Stage.Open(str(path))
        for prim in stage.Traverse():
            for attribute in prim.GetAttributes():
                name = attribute.GetName()
                if prim.IsA(UsdSkel.Skeleton) or prim.IsA(UsdSkel.Animation) or name.startswith(("primvars:skel", "skel:")):
                    codes = attribute.GetTimeSamples()
                    values = [str(attribute.Get(code)) for code in codes] if codes else [str(attribute.Get())]
                    out[prim.GetDisplayName() or prim.GetName(), name] = (list(codes), values)
        return out

    wanted, found = rows(tmp_path / "a.usda"), rows(tmp_path / "b.usda")
    assert wanted == found and any("dualQuaternion" in v[1][0] for v in wanted.values())
    assert len({name for name, attribute in wanted if attribute == "rotations"}) == 2  # both clips
    assert [o.skin.dual for o in first.objects] == [True] and first.objects[0].skin.rig.joints == scene.objects[
        0
    ].skin.rig.joints


def test_arrays_of_an_exported_rig_are_of_small_whole_numbers_and_parts_that_sum_to_one(tmp_path):
    scene = rigged(made("mesh"))
    more = fictilis.topology.set_surface(scene, OBJ, 2)
    export(more, tmp_path / "a.glb", choices=fictilis.Choices(options={"surface": "result"}))
    gltf = g.GLTF2().load_binary(str(tmp_path / "a.glb"))
    rows = vars(gltf.meshes[0].primitives[0].attributes)
    assert gltf.accessors[rows["JOINTS_0"]].componentType == 5121
    total = sum(numbers(gltf, rows[f"WEIGHTS_{k}"]).sum(axis=1) for k in range(4) if rows.get(f"WEIGHTS_{k}") is not None)
    assert np.allclose(total, 1.0, atol=1e-5)
