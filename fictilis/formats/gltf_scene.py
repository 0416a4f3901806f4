"""glTF 2.0 as a scene: objects with their targets, lanes with the same curves, motion, clips and cameras.

Source: glTF 2.0 specification (Khronos Group), 3.5 to 3.11 and appendix C.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.sampled import Curves
from fictilis.core.deform.posing import rotations
from fictilis.core.edits.objects import add_objects
from fictilis.core.errors import BadFile, FictilisError
from fictilis.core.names import fresh_name, tidy_name
from fictilis.core.places import Transform
from fictilis.core.scene import LANE_COLOURS, Deltas, MorphObject, Scene, Target
from fictilis.core.standing import angles_of
from fictilis.core.timeline import Clip, ClipPart, Lane
from fictilis.formats.cameras import camera_of, with_camera
from fictilis.formats.files import Imported, MeshData, Progress, no_progress
from fictilis.formats.gltf_file import Record
from fictilis.formats.gltf_reading import CM, Moves, Reader, Shape
from fictilis.formats.gltf_rigs import RigReader
from fictilis.formats.tracks import parted

RATES = (24.0, 25.0, 30.0, 48.0, 50.0, 60.0, 120.0)
MOST_FRAMES = 100_000


def rate_of(times: np.ndarray) -> float:
    """The frame rate that all times are whole frames of, else 24."""
    for rate in RATES:
        if np.abs(times * rate - np.round(times * rate)).max(initial=0.0) < 5e-3:
            return rate
    return RATES[0]


def frames_of(times: np.ndarray, fps: float) -> np.ndarray:
    """(k,): times in s as frames; whole ones where single precision cannot tell them from such."""
    frames = times * fps
    whole = np.round(frames)
    return np.where(np.abs(frames - whole) <= np.maximum(2e-4, 2e-7 * whole), whole, frames)


def curve_of(curves: Curves, column: int, fps: float, factor: float = 1.0) -> AnimationCurve:
    """One column of an animation as a lane's curve: the same at every instant. A Hermite span is a Bézier one whose handles
    are a third of it long."""
    frames, values = frames_of(curves.times, fps), curves.values[:, column] * factor
    if curves.way != "CUBICSPLINE" or curves.into is None or curves.out is None:
        way = "hold" if curves.way == "STEP" else "linear"
        return AnimationCurve(tuple(Key(float(f), float(v), way) for f, v in zip(frames, values, strict=True)))
    spans = np.diff(frames)
    before, after = np.append(0.0, spans) / 3, np.append(spans, 0.0) / 3
    into = -curves.into[:, column] * factor / fps * before
    out = curves.out[:, column] * factor / fps * after

    def handle(long: float, high: float) -> tuple[float, float] | None:
        return (float(long), float(high)) if long else None

    rows = zip(frames, values, before, into, after, out, strict=True)
    return AnimationCurve(
        tuple(Key(float(f), float(v), "smooth", "broken", handle(b, i), handle(a, o)) for f, v, b, i, a, o in rows)
    )


class _Builder:
    """Makes the scene."""

    def __init__(self, reader: Reader, fps: float | None) -> None:
        self.reader, self.file = reader, reader.file
        self.moves = reader.animations()
        times = [c.times for _, moves in self.moves for c in moves.values()]
        every = np.concatenate(times) if times else np.zeros(0)
        self.fps = fps or rate_of(every)
        self.scene = Scene(name=reader.file.path.stem, fps=self.fps)
        self.lanes: list[dict[str, list[Lane]]] = [{} for _ in self.moves]
        self.rigs = RigReader(reader, self.moves)

    def build(self) -> Scene:
        reader = self.reader
        shapes: dict[Any, list[Shape]] = {}
        for done, number in enumerate(reader.shown, 1):
            node = self.file.record("nodes", number)
            if "mesh" in node:
                known = node["mesh"]
                if known not in shapes:
                    shapes[known] = reader.shapes(known)
                for shape in shapes[known]:
                    self._object(number, node, shape)
            if "camera" in node:
                self._camera(number, node)
            reader.progress(done / len(reader.shown))
        return self._timed()

    def _object(self, number: int, node: Record, shape: Shape) -> None:
        name = tidy_name(self.file.text(node)) or shape.name
        self.scene, (object_id,) = add_objects(self.scene, [(name, shape.geometry, shape.points, shape.look)])
        weights = self.reader._weights(node, len(shape.targets)) if node.get("weights") else shape.weights
        targets = tuple(
            Target(f"t{n}", said, deltas, LANE_COLOURS[(n - 1) % len(LANE_COLOURS)], float(weights[n - 1]))
            for n, (said, deltas) in enumerate(shape.targets, 1)
        )
        obj = replace(self.scene.object(object_id), targets=targets)
        skin = self.rigs.skin(node["skin"], shape) if "skin" in node else None
        matrix = self.reader.world(number)[0] if skin is None else np.eye(4)  # joints alone tell where a skin is
        self.scene = self.scene.with_object(replace(placed_object(obj, matrix), skin=skin))
        for which, (_, moves) in enumerate(self.moves):
            lanes = self._weight_lanes(moves.get((number, "weights")), len(targets))
            if skin is not None:
                lanes += self.rigs.lanes(skin, which, self.fps)
            elif not _shears(matrix):
                lanes += self._motion(number, moves)
            if lanes:
                self.lanes[which][object_id] = lanes

    def _weight_lanes(self, curves: Curves | None, count: int) -> list[Lane]:
        if curves is None:
            return []
        if curves.values.shape[1] != count:
            raise self.file.fail(f"an animation leads {curves.values.shape[1]} weights of a mesh with {count} targets")
        return [Lane(f"t{n + 1}", curve_of(curves, n, self.fps)) for n in range(count)]

    def _motion(self, number: int, moves: Moves) -> list[Lane]:
        """Lanes of an object's own motion: by its keys where nothing else has a part in it, else a key a frame."""
        chain = self.reader.chain(number)
        moving = [step for step in chain if any((step, path) in moves for path in ("translation", "rotation", "scale"))]
        if not moving:
            return []
        above = np.eye(4)
        for step in chain[:-1]:
            above = above @ self.reader.own(step)[0]
        plain = moving == [number] and np.allclose(above, np.eye(4)) and "matrix" not in self.file.record("nodes", number)
        out: list[Lane] = []
        if plain:
            for path, part, factor in (("translation", "position", CM), ("scale", "scale", 1.0)):
                curves = moves.get((number, path))
                if curves is not None:
                    out += [Lane(f"{part}.{a}", curve_of(curves, k, self.fps, factor)) for k, a in enumerate("xyz")]
            turning = moves.get((number, "rotation"))
            if turning is not None:
                out += self._turning(turning)
            return out
        seconds = self._frames([moves[key] for key in moves if key[0] in moving]) / self.fps
        return sampled_lanes(seconds * self.fps, self.reader.world(number, moves, seconds), "position", "rotation", "scale")

    def _frames(self, curves: list[Curves]) -> np.ndarray:
        """Whole frames over which something moves, and its keys between them."""
        keys = frames_of(np.concatenate([c.times for c in curves]), self.fps)
        first, last = float(keys.min()), float(keys.max())
        if last - first > MOST_FRAMES:
            raise self.file.fail(f"a motion of {last - first:,.0f} frames is sampled, up to {MOST_FRAMES:,} are")
        every = np.unique(np.concatenate([np.arange(np.ceil(first), np.floor(last) + 1), keys]))
        return every[np.append(True, np.diff(every) > 1e-4)]

    def _turning(self, curves: Curves) -> list[Lane]:
        """A rotation as lanes: by its keys about one axis, else a key a frame."""
        angles = _angles(rotations(curves.values))
        one = (np.ptp(angles, axis=0) > 1e-4).sum() <= 1 and curves.way != "CUBICSPLINE"
        if one:
            plain = Curves(curves.way, curves.times, angles)
            return [Lane(f"rotation.{a}", curve_of(plain, k, self.fps)) for k, a in enumerate("xyz")]
        frames = self._frames([curves])
        matrices = np.tile(np.eye(4), (len(frames), 1, 1))
        matrices[:, :3, :3] = rotations(curves.at(frames / self.fps, turns=True))
        return sampled_lanes(frames, matrices, "rotation")

    def _camera(self, number: int, node: Record) -> None:
        file = self.file
        camera = file.record("cameras", node["camera"])
        rest = self.reader.world(number)
        parallel = camera.get("type") == "orthographic"
        lens, distance = 30.0, max(float(np.linalg.norm(rest[0, :3, 3])), 1.0)
        if not parallel:
            perspective = file.part(camera, "perspective", dict, {})
            lens = float(np.degrees(file.numbers({"yfov": [perspective.get("yfov", 0.5)]}, "yfov", 1, [])[0]))
        else:
            high = file.part(camera, "orthographic", dict, {}).get("ymag", 1.0)
            half = float(file.numbers({"ymag": [high]}, "ymag", 1, [])[0]) * CM
            distance = max(abs(half) / np.tan(np.radians(lens / 2)), 1.0)
        name = tidy_name(file.text(node)) or tidy_name(file.text(camera)) or "Camera"
        made = camera_of(name, np.zeros(1), rest, np.array([lens]), distance, parallel)
        self.scene, camera_id = with_camera(self.scene, made)
        for which, (_, moves) in enumerate(self.moves):
            moving = [moves[key] for key in moves if key[0] in self.reader.chain(number) and key[1] != "weights"]
            if moving:
                frames = self._frames(moving)
                matrices = self.reader.world(number, moves, frames / self.fps)
                stands = camera_of(name, frames, matrices, np.full(len(frames), lens), distance, parallel)
                self.lanes[which][camera_id] = list(stands.lanes)

    def _timed(self) -> Scene:
        """The lanes of the first animation in hand, the others as clips."""
        scene, spans = self.scene, []
        for _, moves in self.moves:
            ends = [c.times[[0, -1]] * self.fps for c in moves.values()] or [np.array([0.0, 96.0])]
            first, last = np.floor(min(e[0] for e in ends)), np.ceil(max(e[1] for e in ends) - 1e-3)
            spans.append((float(min(first, 0.0)), float(max(last, first + 1.0))))
        for owner_id, lanes in self.lanes[0].items() if self.lanes else ():
            scene = scene.with_owner(replace(scene.owner(owner_id), lanes=tuple(lanes)))
        if spans:
            scene = replace(scene, start=spans[0][0], end=spans[0][1])
        if len(self.moves) > 1:
            clips: list[Clip] = []
            for n, ((name, _), span, lanes_of) in enumerate(zip(self.moves, spans, self.lanes, strict=True), 1):
                parts = tuple(ClipPart(owner, tuple(lanes)) for owner, lanes in lanes_of.items())
                told = fresh_name(name, {c.name for c in clips})
                clips.append(Clip(f"p{n}", told, 0.0, 1.0) if n == 1 else Clip(f"p{n}", told, *span, parts=parts))
            scene = replace(scene, clips=tuple(clips), clip="p1")
        return scene


def sampled_lanes(frames: np.ndarray, matrices: np.ndarray, *parts: str) -> list[Lane]:
    """Lanes of an object's parts with a key at each of some frames (f,), of matrices (f, 4, 4) in the scene."""
    places, scales = matrices[:, :3, 3], np.array([parted(m)[2] for m in matrices])
    turns = matrices[:, :3, :3] / np.where(np.abs(scales) > 1e-12, scales, 1.0)[:, None]
    rows = {"position": places, "rotation": _angles(turns), "scale": scales}
    out = []
    for part in parts:
        for k, axis in enumerate("xyz"):
            keys = zip(frames.tolist(), rows[part][:, k].tolist(), strict=True)
            out.append(Lane(f"{part}.{axis}", AnimationCurve(tuple(Key(f, v, "linear") for f, v in keys))))
    return out


def placed_object(obj: MorphObject, matrix: np.ndarray) -> MorphObject:
    """An object where a matrix (4, 4) puts it: by its transform, or where that cannot say it by its points."""
    return _through(obj, matrix) if _shears(matrix) else replace(obj, transform=_transform(matrix))


def _angles(turns: np.ndarray) -> np.ndarray:
    """(s, 3) degrees about X, Y, Z that go on from one to the next."""
    angles = np.radians([angles_of(turn) for turn in turns]).reshape(-1, 3)
    other = angles + [np.pi, 0, np.pi]
    other[:, 1] = np.pi - angles[:, 1]  # the same rotation, said the other way
    for n in range(1, len(angles)):
        near = [row + 2 * np.pi * np.round((angles[n - 1] - row) / (2 * np.pi)) for row in (angles[n], other[n])]
        gaps = [float(np.abs(row - angles[n - 1]).sum()) for row in near]
        angles[n] = near[int(gaps[1] + 1e-9 < gaps[0])]
    return np.degrees(angles)


def _transform(matrix: np.ndarray) -> Transform:
    place, _, scale = parted(matrix)
    turn = matrix[:3, :3] / np.where(np.abs(scale) > 1e-12, scale, 1.0)
    x, y, z = (float(s) if abs(s) > 1e-9 else 1e-9 for s in scale)
    return Transform(tuple(place.tolist()), angles_of(turn), (x, y, z))


def _shears(matrix: np.ndarray) -> bool:
    size = np.linalg.norm(matrix[:3, :3], axis=0)
    if (size < 1e-9).any():
        return True
    turn = matrix[:3, :3] / size
    return bool(np.abs(turn.T @ turn - np.eye(3)).max() > 1e-5)


def _through(obj: MorphObject, matrix: np.ndarray) -> MorphObject:
    """An object whose points have gone through a matrix that no transform says."""
    linear = matrix[:3, :3].T
    targets = tuple(replace(t, deltas=Deltas(t.deltas.indices, t.deltas.offsets @ linear)) for t in obj.targets)
    return replace(obj, base=obj.base @ linear + matrix[:3, 3], targets=targets)


def read_gltf(path: Path, progress: Progress = no_progress, fps: float | None = None) -> tuple[Scene, tuple[str, ...]]:
    """A scene of all that a .glb or .gltf file shows, and sentences on what was left out. Raises BadFile."""
    reader = Reader(Path(path), progress)
    try:
        reader.walk()
        scene = _Builder(reader, fps).build()
    except BadFile:
        raise
    except (FictilisError, ValueError) as error:
        raise reader.file.fail(str(error).rstrip(".")) from None
    if not scene.objects:
        raise reader.file.fail("it shows no mesh and no line")
    return scene, tuple(f"{reader.file.name}: {what} were left out." for what in reader._lost)


def read_gltf_meshes(path: Path, progress: Progress = no_progress) -> Imported:
    """The meshes and lines alone, each as it rests."""
    scene, said = read_gltf(path, progress)
    rows = (MeshData(o.name, o.base, o.geometry, o.appearance.colour, o.appearance.smooth) for o in scene.objects)
    return Imported(tuple(rows), said)
