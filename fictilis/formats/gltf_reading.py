"""What a glTF 2.0 file holds: its nodes, meshes and lines with their targets, colours and textures, its animations.

Source: glTF 2.0 specification (Khronos Group), 3.5 to 3.11 and appendix C.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.animation.sampled import Curves
from fictilis.core.geometry.kinds import Geometry, Mesh
from fictilis.core.ground.arrays import any_in_rows
from fictilis.core.ground.names import fresh_names, tidy_name
from fictilis.core.rig.posing import rotations
from fictilis.core.scene.appearance import Appearance, Texture
from fictilis.core.scene.scene import Deltas
from fictilis.formats.files import Progress
from fictilis.formats.gltf_file import GltfFile, Record
from fictilis.formats.line_rows import line_of

CM = 100.0  # in glTF's metre
MOST_DEPTH = 1_000
MOST_SETS = 16  # of four joints each that a point hangs on
TRIANGLES, STRIP, FAN = 4, 5, 6
READ = {"KHR_mesh_quantization", "KHR_materials_unlit", "KHR_texture_transform", "KHR_lights_punctual", "KHR_node_visibility"}
LINES, LINE_LOOP, LINE_STRIP = 1, 2, 3


class Shape(Struct):
    """A mesh of the file, or its lines: points (n, 3) in cm, and deltas of each target; ``look`` of its first primitive;
    ``hangs``: numbers of joints (n, m) and what each has to say."""

    name: str
    geometry: Geometry
    points: np.ndarray
    targets: list[tuple[str, Deltas]]
    weights: np.ndarray
    look: Appearance
    hangs: tuple[np.ndarray, np.ndarray] | None = None


Moves = dict[tuple[int, str], Curves]  # of one animation, by node and path


class Reader:
    """Reads one file into a scene."""

    def __init__(self, path: Path, progress: Progress) -> None:
        self.file = GltfFile(path)
        self.progress, self.said = progress, list[str]()
        self.parents: dict[int, int] = {}
        self.shown: list[int] = []
        self._lost: dict[str, int] = {}

    # the tree of nodes

    def walk(self) -> None:
        """The nodes of the file's scene, and which stands below which."""
        file = self.file
        scenes = file.records("scenes")
        roots: Any = list(range(len(file.records("nodes"))))
        if scenes:
            roots = file.record("scenes", file.json.get("scene", 0)).get("nodes", [])
        elif roots:
            below = {c for node in file.records("nodes") for c in node.get("children") or () if isinstance(c, int)}
            roots = [n for n in roots if n not in below]
        if not isinstance(roots, list):
            raise file.fail("the nodes of its scene are no list")
        left = [(n, None, 0) for n in reversed(roots)]
        seen: set[int] = set()
        while left:
            number, parent, depth = left.pop()
            node = file.record("nodes", number)
            if number in seen or depth > MOST_DEPTH:
                raise file.fail("a node stands below itself, or in two places")
            seen.add(number)
            if parent is not None:
                self.parents[number] = parent
            self.shown.append(number)
            children = node.get("children", [])
            if not isinstance(children, list):
                raise file.fail("the children of a node are no list")
            left += [(child, number, depth + 1) for child in reversed(children)]

        lights = sum("KHR_lights_punctual" in self.extensions(file.record("nodes", number)) for number in self.shown)
        if lights:
            self._lost["lights"] = lights
        others = [name for name in file.listed_texts("extensionsUsed") if name not in READ]
        if others:
            self.said.append(f"what {', '.join(others[:6])} say{'s' if len(others) == 1 else ''} was not read")

    def extensions(self, record: Record) -> Record:
        """What extensions say of a part of the file, by their names."""
        return dict(self.file.part(record, "extensions", dict, {}))

    def seen(self, number: int) -> bool:
        """Whether a node is shown. Source: KHR_node_visibility, which hides all below it too."""
        every = (self.extensions(self.file.record("nodes", step)).get("KHR_node_visibility", {}) for step in self.chain(number))
        return all(not isinstance(said, dict) or said.get("visible", True) is not False for said in every)

    def chain(self, number: int) -> list[int]:
        """A node and all above it, the highest first."""
        out = [number]
        while out[-1] in self.parents:
            out.append(self.parents[out[-1]])
        return out[::-1]

    def own(self, number: int, moves: Moves | None = None, seconds: np.ndarray | None = None) -> np.ndarray:
        """(s, 4, 4) of a node by itself, in metres; (1, 4, 4) where it rests."""
        file, node = self.file, self.file.record("nodes", number)
        if "matrix" in node:
            return file.numbers(node, "matrix", 16, []).reshape(1, 4, 4).transpose(0, 2, 1)
        rest = {"translation": [0.0, 0, 0], "rotation": [0.0, 0, 0, 1], "scale": [1.0, 1, 1]}
        parts = {}
        for path, otherwise in rest.items():
            curves = (moves or {}).get((number, path))
            if curves is None or seconds is None:
                parts[path] = file.numbers(node, path, len(otherwise), otherwise)[None]
            else:
                parts[path] = curves.at(seconds, path == "rotation")
        count = max(len(rows) for rows in parts.values())
        out = np.tile(np.eye(4), (count, 1, 1))
        out[:, :3, :3] = rotations(parts["rotation"]) * parts["scale"][:, None]
        out[:, :3, 3] = parts["translation"]
        return out

    def world(self, number: int, moves: Moves | None = None, seconds: np.ndarray | None = None) -> np.ndarray:
        """(s, 4, 4) of a node in the scene, in cm."""
        out = np.eye(4)[None]
        for step in self.chain(number):
            out = out @ self.own(step, moves, seconds)
        out = out.copy()
        out[:, :3, 3] *= CM
        return out

    # meshes

    def shapes(self, number: Any) -> list[Shape]:
        """The surface of a mesh, and its lines apart; primitives that share their points share them here too."""
        file, mesh = self.file, self.file.record("meshes", number)
        groups: dict[str, list[tuple[Record, int]]] = {"surface": [], "line": []}
        for primitive in file.listed(mesh, "primitives"):
            mode = file.whole(primitive, "mode", TRIANGLES, 6)
            if mode == 0:
                self._lost["loose points"] = self._lost.get("loose points", 0) + 1
            else:
                groups["surface" if mode >= TRIANGLES else "line"].append((primitive, mode))
        out = []
        for kind, parts in groups.items():
            if parts:
                shape = self._shape(mesh, number, parts, kind == "line")
                out += [shape] if shape is not None else []
        return out

    def _shape(self, mesh: Record, number: int, parts: list[tuple[Record, int]], line: bool) -> Shape | None:
        file = self.file
        firsts: dict[Any, int] = {}
        blocks, uvs, count = [], [], 0
        rows: list[np.ndarray] = []
        moved: dict[int, list[tuple[np.ndarray, np.ndarray]]] = {}
        hung: list[tuple[np.ndarray, np.ndarray]] = []
        for primitive, mode in parts:
            attributes = file.part(primitive, "attributes", dict, {})
            if "POSITION" not in attributes:
                raise file.fail(f"mesh {number} has no positions")
            key = (attributes["POSITION"], tuple(t.get("POSITION") for t in file.listed(primitive, "targets")))
            if key not in firsts:
                firsts[key] = count
                points = file.dense(attributes["POSITION"], "VEC3") * CM
                uvs.append(self._coordinates(primitive, attributes)[: len(points)])
                if len(uvs[-1]) < len(points):
                    raise file.fail(f"mesh {number} has {len(points):,} points and {len(uvs[-1]):,} texture coordinates")
                blocks.append(points)
                for which, target in enumerate(file.listed(primitive, "targets")):
                    if "POSITION" in target:
                        at, offsets = self._deltas(target["POSITION"], len(points), number)
                        moved.setdefault(which, []).append((at + count, offsets))
                hung.append(hanging_rows(attributes, len(points), file, number))
                count += len(points)
            own = len(file.dense(attributes["POSITION"], "VEC3"))
            rows.append(self._indices(primitive, mode, own, number) + firsts[key])
        points = np.concatenate(blocks)
        names = self._target_names(mesh, max((len(file.listed(p, "targets")) for p, _ in parts), default=0))
        deltas = []
        for which, name in enumerate(names):
            pieces = moved.get(which, [])
            if len(pieces) == 1:
                deltas.append((name, Deltas(*pieces[0])))
                continue
            at = np.concatenate([a for a, _ in pieces]) if pieces else np.zeros(0, np.int64)
            deltas.append((name, Deltas(at, np.concatenate([o for _, o in pieces]) if pieces else np.zeros((0, 3)))))
        look, name = self._look(parts[0][0]), tidy_name(file.text(mesh)) or f"Mesh {number + 1}"
        weights = self._weights(mesh, len(names))
        if not line:
            faces = np.concatenate(rows)
            faces = faces[(faces != np.roll(faces, 1, axis=1)).all(axis=1)]  # one that is a line is none
            geometry: Geometry = _mesh(count, faces, np.concatenate(uvs))
            return Shape(name, geometry, points, deltas, weights, look, _joined(hung))
        made = line_of(np.concatenate(rows).tolist())
        if made is None:
            return None
        order, strands = made
        place = np.full(count, -1)
        place[order] = np.arange(len(order))
        kept = [(n, _reordered(d, place)) for n, d in deltas]
        return Shape(name, strands, points[order], kept, weights, replace(look, texture=None))

    def _coordinates(self, primitive: Record, attributes: Record) -> np.ndarray:
        """(n, 2) of a primitive's points, as its picture is laid on them; not a number where there are none.

        Source: glTF 2.0, 3.9.2 (texCoord); KHR_texture_transform: offset · rotation · scale, the rotation counter-clockwise.
        """
        file, info = self.file, Record()
        if "material" in primitive:
            pbr = file.part(file.record("materials", primitive["material"]), "pbrMetallicRoughness", dict, {})
            info = file.part(pbr, "baseColorTexture", dict, {})
        laid = self.extensions(info).get("KHR_texture_transform", {})
        laid = laid if isinstance(laid, dict) else {}
        which = file.whole(laid if "texCoord" in laid else info, "texCoord", 0, 16)
        uv = attributes.get(f"TEXCOORD_{which}")
        if uv is None:
            return np.full((len(file.dense(attributes["POSITION"], "VEC3")), 2), np.nan)
        rows = file.dense(uv, "VEC2")
        offset, scale = file.numbers(laid, "offset", 2, [0.0, 0.0]), file.numbers(laid, "scale", 2, [1.0, 1.0])
        angle = float(file.numbers({"rotation": [laid.get("rotation", 0.0)]}, "rotation", 1, [])[0])
        turn = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
        return (rows * scale) @ turn.T + offset if laid else rows

    def _deltas(self, accessor: Any, count: int, number: int) -> tuple[np.ndarray, np.ndarray]:
        """Which points move (k,), and how far (k, 3) in cm."""
        found = self.file.accessor(accessor, ("VEC3",), raw=True)
        if found.count != count:
            raise self.file.fail(f"a target of mesh {number} has {found.count:,} points, its base {count:,}")
        rows = found.rows if found.dense is None else found.dense
        there = any_in_rows(rows != 0)
        if there.all():
            at, far = found.at if found.dense is None else np.arange(count), np.multiply(rows, CM, dtype=np.float64)
        else:
            kept = np.flatnonzero(there)
            at, far = found.at[kept] if found.dense is None else kept, np.multiply(rows[kept], CM, dtype=np.float64)
        far.flags.writeable = False  # so that it is not copied once more
        return at, far

    def _indices(self, primitive: Record, mode: int, count: int, number: int) -> np.ndarray:
        """(f, 3) corners of faces, or (f, 2) ends of segments."""
        if "indices" in primitive:
            flat = self.file.dense(primitive["indices"], "SCALAR")[:, 0].astype(np.int64)
        else:
            flat = np.arange(count)
        if len(flat) and (flat.min() < 0 or flat.max() >= count):
            raise self.file.fail(f"a face of mesh {number} uses point {int(flat.max()):,} of {count:,}")
        if mode in (TRIANGLES, LINES):
            size = 3 if mode == TRIANGLES else 2
            return flat[: len(flat) // size * size].reshape(-1, size)
        if mode == STRIP:
            runs = np.stack([flat[:-2], flat[1:-1], flat[2:]], axis=1) if len(flat) > 2 else np.zeros((0, 3), np.int64)
            runs[1::2] = runs[1::2][:, [1, 0, 2]]
            return runs
        if mode == FAN:
            if len(flat) < 3:
                return np.zeros((0, 3), np.int64)
            return np.stack([np.full(len(flat) - 2, flat[0]), flat[1:-1], flat[2:]], axis=1)
        pairs = np.stack([flat[:-1], flat[1:]], axis=1) if len(flat) > 1 else np.zeros((0, 2), np.int64)
        return np.concatenate([pairs, flat[[-1, 0]][None]]) if mode == LINE_LOOP and len(flat) > 2 else pairs

    def _target_names(self, mesh: Record, count: int) -> list[str]:
        extras = mesh.get("extras")
        given = extras.get("targetNames") if isinstance(extras, dict) else None
        given = given if isinstance(given, list) else []
        out: list[str] = []
        for number in range(count):
            said = given[number] if number < len(given) and isinstance(given[number], str) else ""
            out.append(tidy_name(said) or f"Target {number + 1}")
        return fresh_names(out)

    def _weights(self, record: Record, count: int) -> np.ndarray:
        found = self.file.numbers(record, "weights", None, []) if record.get("weights") else np.zeros(0)
        return np.concatenate([found, np.zeros(count)])[:count]

    def _look(self, primitive: Record) -> Appearance:
        file = self.file
        if "material" not in primitive:
            return Appearance()
        pbr = file.part(file.record("materials", primitive["material"]), "pbrMetallicRoughness", dict, {})
        red, green, blue, alpha = np.clip(file.numbers(pbr, "baseColorFactor", 4, [1.0] * 4), 0, 1)
        shown = [12.92 * c if c <= 0.0031308 else 1.055 * c ** (1 / 2.4) - 0.055 for c in (red, green, blue)]
        colour = "#" + "".join(f"{round(255 * c):02X}" for c in shown)
        return Appearance(colour, texture=self._texture(pbr), opacity=float(alpha))

    def _texture(self, pbr: Record) -> Texture | None:
        file = self.file
        if "baseColorTexture" not in pbr:
            return None
        texture = file.record("textures", file.part(pbr, "baseColorTexture", dict, {}).get("index"))
        image = file.record("images", texture.get("source"))
        if "bufferView" in image:
            data, start, length, _ = file.view(image["bufferView"])
            content = bytes(data[start : start + length])
        else:
            content = file.resource(image.get("uri"))
        if content[:4] not in (b"\x89PNG", *(b"\xff\xd8\xff" + bytes([n]) for n in range(256))):
            self._lost["images that are neither PNG nor JPEG"] = 1
            return None
        return Texture(tidy_name(file.text(image)) or "Image", content)

    # animations

    def animations(self) -> list[tuple[str, Moves]]:
        file, out = self.file, []
        for number, animation in enumerate(file.records("animations"), 1):
            samplers, moves = file.listed(animation, "samplers"), Moves()
            for channel in file.listed(animation, "channels"):
                target = file.part(channel, "target", dict, {})
                node, path, which = target.get("node"), target.get("path"), channel.get("sampler")
                if node is None or path not in ("weights", "translation", "rotation", "scale"):
                    continue
                file.record("nodes", node)
                if not isinstance(which, int) or not 0 <= which < len(samplers):
                    raise file.fail(f"animation {number} names sampler {str(which)[:12]} of {len(samplers)}")
                moves[node, path] = self._curves(samplers[which], path, number)
            out.append((tidy_name(file.text(animation)) or f"Animation {number}", moves))
        return out

    def _curves(self, sampler: Record, path: str, number: int) -> Curves:
        file = self.file
        times = file.dense(sampler.get("input"), "SCALAR")[:, 0]
        kind = {"weights": "SCALAR", "rotation": "VEC4"}.get(path, "VEC3")
        values = file.dense(sampler.get("output"), kind)
        way = sampler.get("interpolation", "LINEAR")
        three = 3 if way == "CUBICSPLINE" else 1
        if way not in ("STEP", "LINEAR", "CUBICSPLINE"):
            raise file.fail(f"animation {number} goes on by {str(way)[:12]}")
        if not len(times) or (np.diff(times) <= 0).any() or values.size % (len(times) * three):
            raise file.fail(
                f"animation {number} has {len(times):,} times, which do not rise, or {values.size:,} values for them"
            )
        if times[-1] * 1000 > 1e9 or times[0] < 0:
            raise file.fail(f"animation {number} runs from {times[0]:g} to {times[-1]:g} s")
        rows = values.reshape(len(times), three, -1)
        if three == 3:
            return Curves(way, times, rows[:, 1], rows[:, 0], rows[:, 2])
        return Curves(way, times, rows[:, 0])


def hanging_rows(attributes: Record, count: int, file: GltfFile, number: int) -> tuple[np.ndarray, np.ndarray]:
    """parts and weights (count, m) of a primitive's points; m is 0 where it says nothing of joints."""
    sets = sorted(name for name in attributes if name.startswith("JOINTS_") and name.replace("JOINTS", "WEIGHTS") in attributes)
    parts, weights = [np.zeros((count, 0))], [np.zeros((count, 0))]
    for name in sets[:MOST_SETS]:
        parts.append(file.dense(attributes[name], "VEC4"))
        weights.append(file.dense(attributes[name.replace("JOINTS", "WEIGHTS")], "VEC4"))
        if len(parts[-1]) != count or len(weights[-1]) != count:
            raise file.fail(f"mesh {number} has {count:,} points, and {len(weights[-1]):,} weights for its joints")
    return np.concatenate(parts, axis=1).astype(np.int32), np.concatenate(weights, axis=1).astype(np.float32)


def _joined(hung: list[tuple[np.ndarray, np.ndarray]]) -> tuple[np.ndarray, np.ndarray] | None:
    """Those of all primitives, as wide as the widest; None where no point says anything of joints."""
    wide = max(parts.shape[1] for parts, _ in hung)
    if not wide:
        return None
    parts, weights = (
        np.concatenate([np.pad(pair[k], ((0, 0), (0, wide - pair[k].shape[1]))) for pair in hung]) for k in (0, 1)
    )
    return parts, weights


def _mesh(count: int, faces: np.ndarray, uvs: np.ndarray) -> Mesh:
    offsets = np.arange(len(faces) + 1) * 3
    there = np.isfinite(uvs).all(axis=1)
    if not there.any():
        return Mesh(count, faces.ravel(), offsets)
    place = np.where(there, np.cumsum(there) - 1, -1)
    kept = uvs[there]
    return Mesh(count, faces.ravel(), offsets, np.stack([kept[:, 0], 1 - kept[:, 1]], axis=1), place[faces.ravel()])


def _reordered(deltas: Deltas, place: np.ndarray) -> Deltas:
    at = place[deltas.indices]
    keep = np.flatnonzero(at >= 0)
    keep = keep[np.argsort(at[keep])]
    return Deltas(at[keep], deltas.offsets[keep])
