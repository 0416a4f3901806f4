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
from fictilis.core.edits.objects import add_objects
from fictilis.core.ground.errors import BadFile, FictilisError
from fictilis.core.ground.names import fresh_name, tidy_name
from fictilis.core.ground.numbers_said import in_cm
from fictilis.core.rig.posing import rotations
from fictilis.core.scene.appearance import LANE_COLOURS
from fictilis.core.scene.places import Transform
from fictilis.core.scene.scene import MorphObject, Scene, Target
from fictilis.core.scene.timeline import Clip, ClipPart, Lane
from fictilis.formats.cameras import camera_of, with_camera
from fictilis.formats.files import Imported, MeshData, Progress, no_progress
from fictilis.formats.gltf_file import Record
from fictilis.formats.gltf_reading import CM, Moves, Reader, Shape
from fictilis.formats.gltf_rigs import RigReader
from fictilis.formats.sampled_motion import (
    PARTS,
    Matrices,
    angles_on,
    box_of,
    moved_object,
    near_lanes,
    placed_object,
    slants,
)

RATES = (24.0, 25.0, 30.0, 48.0, 50.0, 60.0, 120.0)
MOST_FRAMES = 100_000
TOLD = 0.01  # cm


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
        own: list[list[Lane]] = [[] for _ in self.moves]
        if skin is None:
            obj, own = self._standing(number, obj)
        else:  # joints alone tell where it is
            own = [self.rigs.lanes(skin, which, self.fps) for which in range(len(self.moves))]
        obj = replace(obj, skin=skin, visible=self.reader.seen(number))
        self.scene = self.scene.with_object(obj)
        for which, (_, moves) in enumerate(self.moves):
            lanes = self._weight_lanes(moves.get((number, "weights")), len(targets)) + own[which]
            if lanes:
                self.lanes[which][object_id] = lanes

    def _standing(self, number: int, obj: MorphObject) -> tuple[MorphObject, list[list[Lane]]]:
        """An object where its node stands, and the lanes of its motion in each animation: by the node's keys where nothing else
        has a part in it, else a key a frame and more where that is needed."""
        rest, chain = self.reader.world(number)[0], self.reader.chain(number)
        placed, out = placed_object(obj, rest), list[list[Lane]]()
        for _, moves in self.moves:
            moving = [step for step in chain if any((step, path) in moves for path in ("translation", "rotation", "scale"))]
            above = np.eye(4)
            for step in chain[:-1]:
                above = above @ self.reader.own(step)[0]
            lanes: list[Lane] = []
            if moving == [number] and np.allclose(above, np.eye(4)) and "matrix" not in self.file.record("nodes", number):
                lanes, off = self._plain_motion(number, moves, placed)
            elif moving:
                frames = self._frames([moves[key] for key in moves if key[0] in moving])
                if len(self.moves) == 1:
                    placed, lanes, off = moved_object(obj, frames, self._world(number, moves), rest)
                else:  # its points are those of all clips
                    back = np.linalg.inv(rest) if placed.transform == Transform() and slants(rest) else np.eye(4)
                    lanes, off = near_lanes(frames, self._world(number, moves, back), box_of(placed), *PARTS)
            if lanes and off > TOLD:
                why = "since no position, rotation and scale says it"
                self.reader.said.append(f"{obj.name} is up to {in_cm(off)} off its way, {why}")
            out.append(lanes)
        return placed, out

    def _world(self, number: int, moves: Moves, back: np.ndarray | None = None) -> Matrices:
        """Where an animation has a node at frames, behind ``back`` (4, 4)."""
        return lambda frames: self.reader.world(number, moves, frames / self.fps) @ (np.eye(4) if back is None else back)

    def _plain_motion(self, number: int, moves: Moves, obj: MorphObject) -> tuple[list[Lane], float]:
        """Lanes by the keys of a node that nothing else moves, and how far they are off between, cm."""
        out: list[Lane] = []
        for path, part, factor in (("translation", "position", CM), ("scale", "scale", 1.0)):
            curves = moves.get((number, path))
            if curves is not None:
                out += [Lane(f"{part}.{a}", curve_of(curves, k, self.fps, factor)) for k, a in enumerate("xyz")]
        turning, off = moves.get((number, "rotation")), 0.0
        if turning is not None:
            lanes, off = self._turning(turning, box_of(obj) * np.abs(obj.transform.scale))
            out += lanes
        return out, off

    def _weight_lanes(self, curves: Curves | None, count: int) -> list[Lane]:
        if curves is None:
            return []
        if curves.values.shape[1] != count:
            raise self.file.fail(f"an animation leads {curves.values.shape[1]} weights of a mesh with {count} targets")
        return [Lane(f"t{n + 1}", curve_of(curves, n, self.fps)) for n in range(count)]

    def _frames(self, curves: list[Curves]) -> np.ndarray:
        """Whole frames over which something moves, and its keys between them."""
        keys = frames_of(np.concatenate([c.times for c in curves]), self.fps)
        first, last = float(keys.min()), float(keys.max())
        if last - first > MOST_FRAMES:
            raise self.file.fail(f"a motion of {last - first:,.0f} frames is sampled, up to {MOST_FRAMES:,} are")
        every = np.unique(np.concatenate([np.arange(np.ceil(first), np.floor(last) + 1), keys]))
        return every[np.append(True, np.diff(every) > 1e-4)]

    def _turning(self, curves: Curves, corners: np.ndarray) -> tuple[list[Lane], float]:
        """A rotation as lanes, and how far corners (8, 3) are off between, cm: by its keys about one axis, or where it is held,
        else with keys at frames and between."""
        angles = angles_on(rotations(curves.values))
        one = (np.ptp(angles, axis=0) > 1e-4).sum() <= 1 and curves.way != "CUBICSPLINE"
        if one or curves.way == "STEP":
            plain = Curves(curves.way, curves.times, angles)
            return [Lane(f"rotation.{a}", curve_of(plain, k, self.fps)) for k, a in enumerate("xyz")], 0.0

        def at(frames: np.ndarray) -> np.ndarray:
            matrices = np.tile(np.eye(4), (len(frames), 1, 1))
            matrices[:, :3, :3] = rotations(curves.at(frames / self.fps, turns=True))
            return matrices

        return near_lanes(self._frames([curves]), at, corners, "rotation")

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
        """The lanes of the first animation, the active clip; the others as clips."""
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
    said = [*(f"{what} were left out" for what in reader._lost), *reader.said]
    return scene, tuple(f"{reader.file.name}: {sentence}." for sentence in said)


def read_gltf_meshes(path: Path, progress: Progress = no_progress) -> Imported:
    """The meshes and lines alone, each as it rests."""
    scene, said = read_gltf(path, progress)
    rows = (MeshData(o.name, o.base, o.geometry, o.appearance.colour, o.appearance.smooth) for o in scene.objects)
    return Imported(tuple(rows), said)
