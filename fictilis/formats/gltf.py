"""glTF 2.0, out: morph targets with names and weights, normals, textures, motion and cameras, an animation a clip.

Source: glTF 2.0 specification (Khronos Group), 3.7.2.2 Morph Targets, 3.11 Animations.
"""

from __future__ import annotations

from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import make_dataclass
from functools import cache
from pathlib import Path
from typing import Any
from urllib.parse import quote

import numpy as np
from msgspec import Struct

from fictilis.core.at_frame.cameras import eye, placed_camera
from fictilis.core.at_frame.copies import copies
from fictilis.core.at_frame.drawn import as_drawn, shown_points
from fictilis.core.at_frame.fewer_bands import FORMAT_BANDS, banded_words, with_bands
from fictilis.core.at_frame.pose import Pose
from fictilis.core.geometry.kinds import WHOLE, Line
from fictilis.core.geometry.normals import face_normals, normal_axes, point_normals
from fictilis.core.geometry.topology import face_of_corner, triangles
from fictilis.core.ground.arrays import lengths
from fictilis.core.ground.errors import CannotSave
from fictilis.core.ground.numbers_said import in_cm
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.bands import swept
from fictilis.core.mix.channel_kinds import LINE_IDS, OBJECT_KINDS
from fictilis.core.mix.coefficients import FULL, Column, columns
from fictilis.core.scene.clips import choose_clip
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.scene.timeline import SceneCamera
from fictilis.formats.files import Progress, as_targets, no_progress, writable, write_whole
from fictilis.formats.gltf_buffer import ARRAY_BUFFER, ELEMENT_BUFFER, Buffer, Packed, packed, single
from fictilis.formats.gltf_dress import material
from fictilis.formats.gltf_moves import METRES, Nodes, Still, animate, moves_of
from fictilis.formats.gltf_rigs import RigWriter, sets_of
from fictilis.formats.tracks import (
    camera_tracks,
    parted,
    quaternion,
)

LINES = 1
SAID_CM = 1e-4
LOOKED_AT = 25  # frames at which a tube is looked at


class Vertices(Struct, frozen=True, eq=False, weakref=True):
    """File vertices: the point of each (v,), its UV (v, 2) or None, its face (flat shading) or None; index (t, 3)."""

    points: np.ndarray
    uvs: np.ndarray | None
    faces: np.ndarray | None
    index: np.ndarray


def file_vertices(obj: MorphObject) -> Vertices:
    """Points split where UVs (or, flat shaded, faces) part; without either the base's vertex order stays."""
    mesh, flat = obj.mesh, not obj.appearance.smooth
    count = mesh.point_count
    corners = mesh.corners.astype(np.int64)
    uv = mesh.uv_corners.astype(np.int64) if mesh.uv_corners is not None else np.full(len(corners), -1)
    face = face_of_corner(mesh).astype(np.int64) if flat else np.zeros(len(corners), np.int64)
    loose = np.flatnonzero(np.bincount(corners, minlength=count) == 0)
    alone = np.stack([loose, np.full_like(loose, -1), np.zeros_like(loose)], axis=1)
    keys = np.concatenate([np.stack([corners, uv, face], axis=1), alone])
    _, uvs_wide, faces_wide = (keys.max(axis=0, initial=0) + 2).tolist()
    packed = (keys[:, 0] * uvs_wide + keys[:, 1] + 1) * faces_wide + keys[:, 2]  # in one number: a row is slow to sort
    _, first, where = np.unique(packed, return_index=True, return_inverse=True)
    unique = keys[first]
    uvs = None
    texture = obj.appearance.texture
    if texture is not None and texture.projected is not None and len(texture.projected) == len(obj.base):
        uvs = texture.projected[unique[:, 0]] * [1, -1] + [0, 1]
    elif mesh.uvs is not None:
        uvs = np.where(unique[:, 1:2] >= 0, mesh.uvs[np.clip(unique[:, 1], 0, None)], 0.0)
        uvs = np.stack([uvs[:, 0], 1 - uvs[:, 1]], axis=1)  # glTF's V runs down
    return Vertices(unique[:, 0], uvs, unique[:, 2] if flat else None, where[: len(corners)][triangles(mesh).corners])


def _normals(obj: MorphObject, axes: list[np.ndarray], vertices: Vertices) -> list[np.ndarray]:
    """x, y and z (v,) float32 of the normals of points (n,) float32; upward where there is no face."""
    if vertices.faces is not None:
        faces = face_normals(obj.mesh, np.stack(axes, axis=1))
        out = [faces[:, k][vertices.faces] for k in range(3)]
    elif (obj.mesh.face_sizes > 4).any():
        normals = point_normals(obj.mesh, np.stack(axes, axis=1))
        out = [normals[:, k][vertices.points] for k in range(3)]
    else:
        out = [axis[vertices.points] for axis in normal_axes(obj.mesh, axes)]
    empty = (out[0] == 0) & (out[1] == 0) & (out[2] == 0)
    if empty.any():
        out[1][empty] = 1.0
    return out


def column_names(obj: MorphObject) -> list[str]:
    """A name for each column: the target's, for an in-between with its weight, for a band of a sweep with its number."""
    names = {target.id: target.name for target in obj.targets}

    def name(column: Column) -> str:
        if column.band is not None:
            return f"{names[column.target]} band {column.band + 1}"
        return names[column.target] if column.at == FULL else f"{names[column.target]} {column.at:.2f}"

    return [name(column) for column in columns(obj)]


def write_gltf(path: Path, scene: Scene, progress: Progress = no_progress, sampled: bool = False) -> list[str]:
    """Export the visible objects of a scene and its cameras: as one ``.glb``, or as ``.gltf`` with a ``.bin`` beside it.
    ``sampled`` gives weights a value each frame, straight between. Returns warnings about what was left out. Raises CannotSave.
    """
    import pygltflib as g

    path = Path(path)
    scene, sprung = as_targets(scene)
    shown, left_out = writable(scene, [obj for obj in scene.objects if obj.visible])
    left_out += sprung + [banded_words(scene, obj) for obj in shown if swept(obj)]
    shown = [with_bands(obj, FORMAT_BANDS) if swept(obj) else obj for obj in shown]
    gltf = g.GLTF2(asset=g.Asset(version="2.0", generator="Fictilis"))
    gltf.scenes, gltf.scene = [g.Scene(name=scene.name, nodes=[])], 0
    buffer = Buffer(gltf)
    parts: list[Nodes] = []
    rigs = RigWriter(g, gltf, buffer, METRES)
    for number, obj in enumerate(shown):
        gltf.materials.append(material(g, gltf, buffer.view, obj))
        gltf.meshes.append(_mesh(g, buffer, scene, obj, number))
        parts.append(_nodes(g, gltf, scene, obj, number, rigs))
        progress(0.5 * (number + 1) / len(shown))
    cameras = [_camera_node(g, gltf, scene, camera) for camera in scene.cameras]
    clips = [(c.name, choose_clip(scene, c.id)) for c in scene.clips] or [(rigs.title(scene) or scene.name, scene)]
    told = []
    for done, (name, clip) in enumerate(clips):
        led, off = moves_of(clip, [obj.id for obj in shown], parts, sampled)
        for camera, node in zip(clip.cameras, cameras, strict=True):
            led.update({((node,), part): track for part, track in camera_tracks(clip, camera).items()})
        told.append(led)
        left_out += [f"{sentence} in {name}." if scene.clips else f"{sentence}." for sentence in off]
        progress(0.5 + 0.4 * (done + 1) / len(clips))
    stills = [Still(clip, [obj.id for obj in shown], parts, cameras) for _, clip in clips]
    every = dict.fromkeys([*(key for led in told for key in led), *Still.differing(stills)])
    for (name, clip), led, still in zip(clips, told, stills, strict=True):
        animation = g.Animation(name=name, channels=[], samplers=[])
        for key in every:  # what one clip moves the others say too, else it stays where the one before left it
            animate(g, buffer, animation, led.get(key) or still.track(*key), *key)
        rigs.animate(clip, animation)
        gltf.animations += [animation] if animation.channels else []
    gltf.animations += rigs.others()
    gltf.buffers = [g.Buffer(byteLength=buffer.length)]
    if path.suffix.lower() == ".gltf":
        _write_apart(path, gltf, buffer)
    else:
        told = gltf.gltf_to_json(separators=(",", ":"), indent=None).encode()
        told += b" " * (-len(told) % 4)
        whole = 12 + 8 + len(told) + 8 + buffer.length
        head = np.array([0x46546C67, 2, whole, len(told), 0x4E4F534A], "<u4").tobytes()
        parts_of = [head, told, np.array([buffer.length, 0x004E4942], "<u4").tobytes(), *buffer.parts]
        write_whole(path, lambda temporary: _write(temporary, parts_of))
    return left_out + _lost(scene, shown)


def _write(path: Path, parts: Iterable[bytes | memoryview]) -> None:
    with open(path, "wb") as file:
        file.writelines(parts)


def _write_apart(path: Path, gltf: Any, buffer: Buffer) -> None:
    """The numbers in a file beside the one that tells of them: both, or neither where the numbers are new."""
    beside = path.with_suffix(".bin")
    gltf.buffers[0].uri = quote(beside.name)
    fresh, data = not beside.exists(), gltf.gltf_to_json().encode()
    write_whole(beside, lambda temporary: _write(temporary, buffer.parts))
    try:
        write_whole(path, lambda temporary: temporary.write_bytes(data))
    except CannotSave:
        if fresh:
            beside.unlink(missing_ok=True)
        raise


def _camera_node(g: Any, gltf: Any, scene: Scene, camera: SceneCamera) -> int:
    """A camera where it stands at the start. Source: glTF 2.0, 3.10 Cameras."""
    stand = placed_camera(scene, camera, scene.start)
    half = float(np.tan(np.radians(stand.lens) / 2))
    if stand.parallel:
        high = stand.distance * half * METRES
        kind = {"orthographic": g.Orthographic(xmag=high * 1.6, ymag=high, znear=0.0, zfar=1e4), "type": "orthographic"}
    else:
        kind = {"perspective": g.Perspective(yfov=float(np.radians(stand.lens)), znear=1e-3), "type": "perspective"}
    gltf.cameras.append(g.Camera(name=camera.name, **kind))
    matrix = eye(stand)
    place = (matrix[:3, 3] * METRES).tolist()
    gltf.nodes.append(
        g.Node(name=camera.name, camera=len(gltf.cameras) - 1, translation=place, rotation=quaternion(matrix[:3, :3]))
    )
    gltf.scenes[0].nodes.append(len(gltf.nodes) - 1)
    return len(gltf.nodes) - 1


def _lost(scene: Scene, shown: list[MorphObject]) -> list[str]:
    """Sentences on what glTF does not hold."""
    out = []
    fading = [obj.name for obj in shown if any(lane.channel in ("opacity", "visible") for lane in obj.lanes)]
    if fading:
        out.append(f"glTF holds no keys of opacity and visibility; those of {', '.join(fading)} were left out.")
    own = [scene.object(obj.id) for obj in shown]
    partly = [o.name for o in own if o.drawn != WHOLE or any(lane.channel in LINE_IDS for lane in o.lanes)]
    if partly:
        out.append(f"Lines are written whole, not as far as they are drawn: {', '.join(partly)}.")
    tubes = [_tube_words(scene, o) for o in own if isinstance(o.geometry, Line) and o.geometry.tube is not None]
    out += [words for words in tubes if words]
    zoomed = [c.name for c in scene.cameras if any(lane.channel == "lens" for lane in c.lanes)]
    if zoomed:
        out.append(f"glTF holds no keys of a field of view; those of {', '.join(zoomed)} were left out.")
    white = [obj.name for obj in shown if obj.appearance.texture is not None and obj.appearance.texture.image is not None]
    if white:
        out.append(f"Under their image a white surface is written: {', '.join(white)}.")
    return out


def _tube_words(scene: Scene, obj: MorphObject) -> str:
    """How far the mesh of a tube is off the tube itself while its targets are mixed, or nothing."""
    solid, far = as_drawn(obj), 0.0
    for frame in np.unique(np.round(np.linspace(*scene.span, LOOKED_AT))):
        own, its = (Pose(scene, o, frame).mixed for o in (obj, solid))
        far = max(far, float(lengths(shown_points(obj, own) - its).max(initial=0.0)))
    return f"The tube of {obj.name} is exact at its targets, and up to {in_cm(far)} off between." if far > SAID_CM else ""


def _line(g: Any, buffer: Buffer, obj: MorphObject, number: int) -> Any:
    """The strands of a line as separate segments, in the order of their points."""
    first, last = obj.line.joined()
    index = np.stack([first, last], axis=1)
    primitive = g.Primitive(
        attributes=g.Attributes(POSITION=buffer.add(obj.base * METRES, "VEC3", ARRAY_BUFFER, bounds=True)),
        indices=buffer.add(index.ravel(), "SCALAR", ELEMENT_BUFFER), material=number, mode=LINES,
    )  # fmt: skip
    for column in columns(obj):
        moved = single(column.deltas.dense(len(obj.base)) * METRES)
        primitive.targets.append({"POSITION": buffer.take(packed(list(moved.T)))})
    return primitive


def _surface(g: Any, buffer: Buffer, obj: MorphObject, number: int) -> Any:
    vertices, exact = file_vertices(obj), [np.ascontiguousarray(axis) for axis in obj.base.T]
    base = [single(axis) for axis in exact]
    base_normals = _normals(obj, base, vertices)
    attributes = g.Attributes(
        POSITION=buffer.add(obj.base[vertices.points] * METRES, "VEC3", ARRAY_BUFFER, bounds=True),
        NORMAL=buffer.add(np.stack(base_normals, axis=1), "VEC3", ARRAY_BUFFER),
    )
    if obj.skin is not None and obj.skin.on:
        for n, (joints, weights) in enumerate(sets_of(obj.skin.bound)):
            setattr(attributes, f"JOINTS_{n}", buffer.numbers(joints[vertices.points]))
            setattr(attributes, f"WEIGHTS_{n}", buffer.add(weights[vertices.points], "VEC4", ARRAY_BUFFER))
    if vertices.uvs is not None:
        attributes.TEXCOORD_0 = buffer.add(vertices.uvs, "VEC2", ARRAY_BUFFER)
    primitive = g.Primitive(
        attributes=attributes, indices=buffer.add(vertices.index.ravel(), "SCALAR", ELEMENT_BUFFER), material=number
    )

    def told(column: Column) -> tuple[Packed, Packed]:
        """How far the vertices move, in metres, and how their normals turn."""
        at, offsets, moved, shape = column.deltas.indices, column.deltas.offsets, [], []
        with np.errstate(over="ignore"):  # which _single says
            for k in range(3):
                far = (offsets[:, k] * METRES).astype(np.float32)
                if len(at) < len(base[k]):
                    axis = _spread(base[k].copy(), at, exact[k][at] + offsets[:, k])
                    far = _spread(np.zeros_like(base[k]), at, far)
                else:
                    axis = (exact[k] + offsets[:, k]).astype(np.float32)
                moved.append(far[vertices.points])
                shape.append(axis)
            turned = [n - b for n, b in zip(_normals(obj, shape, vertices), base_normals, strict=True)]
        return packed(moved), packed(turned)

    with ThreadPoolExecutor(2) as pool:
        for far, turn in pool.map(told, columns(obj)):
            primitive.targets.append({"POSITION": buffer.take(far), "NORMAL": buffer.take(turn)})
    return primitive


def _spread(out: np.ndarray, at: np.ndarray, values: np.ndarray) -> np.ndarray:
    out[at] = values
    return out


def _mesh(g: Any, buffer: Buffer, scene: Scene, obj: MorphObject, number: int) -> Any:
    make = _line if isinstance(obj.geometry, Line) else _surface
    mesh = g.Mesh(name=obj.name, primitives=[make(g, buffer, obj, number)])
    if obj.targets:
        if obj.repeated is None:  # else each copy has its own
            mesh.weights = shares_at(obj, scene.start, fps=scene.fps).tolist()
        mesh.extras = {"targetNames": column_names(obj)}
    return mesh


@cache
def _weighted_node(g: Any) -> Any:
    """pygltflib's node with the weights that the standard gives it (glTF 2.0, 5.25)."""
    return make_dataclass("WeightedNode", [("weights", list[float] | None, None)], bases=(g.Node,))


def _nodes(g: Any, gltf: Any, scene: Scene, obj: MorphObject, number: int, rigs: RigWriter) -> Nodes:
    """One node, or for the copies of an object as many: below the one that moves them all, or each with its own motion. Where
    it hangs on a rig, these carry the joints, and nodes beside them the mesh."""

    def add(name: str, matrix: np.ndarray, **more: Any) -> int:
        translation, rotation, scale = parted(matrix)
        places = {"rotation": rotation, "scale": scale.tolist(), "translation": (translation * METRES).tolist()}
        gltf.nodes.append(_weighted_node(g)(name=name, **places, **more))
        return len(gltf.nodes) - 1

    spread = copies(scene, scene.object(obj.id), scene.start)
    delays = spread.delays.tolist()
    single = len(spread) == 1 and obj.repeated is None
    hung = obj.skin is not None and obj.skin.on
    names = [obj.name] if single else [f"{obj.name} {n}" for n in range(1, len(spread) + 1)]
    mixed: list[dict[str, Any]] = [{"mesh": number} for _ in delays]
    if not single and obj.targets:
        over = shares_at(obj, scene.start - spread.delays, fps=scene.fps)
        mixed = [{"mesh": number, "weights": over[:, n].tolist()} for n in range(len(delays))]
    if hung and single and _stays(scene, obj):
        return Nodes([], [_hung_node(g, gltf, obj, rigs, None, 0.0, mixed[0])], delays)
    meshes = mixed
    mixed = [{} for _ in mixed] if hung else mixed
    flat = single or np.array_equal(spread.inner, np.eye(4)[None]) and len(spread.outer) == len(spread)
    if flat:
        movers = [add(name, outer, **more) for name, outer, more in zip(names, spread.outer, mixed, strict=True)]
        shapes = movers
    else:
        inner = np.broadcast_to(spread.inner, (len(spread), 4, 4))
        shapes = [add(name, matrix, **more) for name, matrix, more in zip(names, inner, mixed, strict=True)]
        if len(spread.outer) == 1:
            movers = [add(obj.name, spread.outer[0], children=shapes)]
        else:
            movers = [
                add(f"{name} place", outer, children=[shape])
                for name, outer, shape in zip(names, spread.outer, shapes, strict=True)
            ]
    gltf.scenes[0].nodes += movers
    if hung:
        rows = zip(shapes, delays, meshes, strict=True)
        shapes = [_hung_node(g, gltf, obj, rigs, above, later, mesh) for above, later, mesh in rows]
    return Nodes(movers, shapes, delays)


def _hung_node(
    g: Any, gltf: Any, obj: MorphObject, rigs: RigWriter, above: int | None, later: float, mesh: dict[str, Any]
) -> int:
    """The node of a mesh that joints move; it has no place of its own. Source: glTF 2.0, 3.7.3.3."""
    skin = rigs.skin(obj, above, later)
    gltf.nodes.append(_weighted_node(g)(name=obj.name, skin=skin, **mesh))
    gltf.scenes[0].nodes.append(len(gltf.nodes) - 1)
    return len(gltf.nodes) - 1


def _stays(scene: Scene, obj: MorphObject) -> bool:
    """Whether an object stands where its rig puts it, in every clip."""
    own = scene.object(obj.id)
    every = [*own.lanes, *(x for c in scene.clips for p in c.parts if p.owner == obj.id for x in p.lanes)]
    moves = any(lane.channel in OBJECT_KINDS and "." in lane.channel for lane in every)
    return not moves and own.along is None and own.transform.matrix().tolist() == np.eye(4).tolist()
