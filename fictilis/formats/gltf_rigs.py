"""Skins, joints and their animations in glTF 2.0, both ways: what was not touched goes out as it came.

Source: glTF 2.0 specification (Khronos Group), 3.7.3 Skins and 3.11 Animations.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.sampled import CUBIC, LINEAR
from fictilis.core.ground.names import tidy_name
from fictilis.core.mix.channels import values_at
from fictilis.core.rig.binding import LEAST_TOTAL
from fictilis.core.rig.named import clip_curve
from fictilis.core.rig.posing import own_over, quaternions
from fictilis.core.scene.rigs import CLIP, PATHS, ROTATION, TIME, Bound, Rig, RigClip, RigTrack, Skin, turn_ids
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.scene.timeline import Lane
from fictilis.formats.gltf_buffer import Buffer
from fictilis.formats.gltf_reading import CM, Moves, Reader, Shape

SAME = 1e-9
FEW = 1e-6  # of a turn or a length, below which a joint stands still


# in


class RigReader:
    """The rigs of a file: skins that share joints hang on one."""

    def __init__(self, reader: Reader, animations: Sequence[tuple[str, Moves]]) -> None:
        self.reader, self.animations = reader, animations
        self._rigs: dict[int, tuple[Rig, dict[int, int]]] = {}
        self._nodes: dict[int, tuple[int, ...]] = {}  # of all skins that are one rig, by skin
        shown = [reader.file.record("nodes", n) for n in reader.shown]
        used = [node["skin"] for node in shown if "skin" in node and "mesh" in node]
        groups: list[tuple[set[int], set[int]]] = []
        for skin in dict.fromkeys(n for n in used if isinstance(n, int)):
            nodes = {step for joint in self._joints(skin) for step in reader.chain(joint)}
            skins = {skin}
            for group in [g for g in groups if g[1] & nodes]:
                groups.remove(group)
                skins, nodes = skins | group[0], nodes | group[1]
            groups.append((skins, nodes))
        for skins, nodes in groups:
            order = tuple(n for n in reader.shown if n in nodes)  # parents first
            self._nodes |= dict.fromkeys(skins, order)

    def _joints(self, skin: Any) -> list[int]:
        file = self.reader.file
        joints = file.part(file.record("skins", skin), "joints", list, [])
        known = set(self.reader.shown)
        if not joints or any(not isinstance(j, int) or j not in known for j in joints):
            raise file.fail(f"skin {skin} has joints that are not in its scene")
        return joints

    def _rig(self, skin: int) -> tuple[Rig, dict[int, int]]:
        nodes = self._nodes[skin]
        if nodes[0] not in self._rigs:
            file, reader = self.reader.file, self.reader
            place = {node: number for number, node in enumerate(nodes)}
            records = [file.record("nodes", node) for node in nodes]
            names = [file.text(record) for record in records]
            numbers = np.array([
                np.concatenate([file.numbers(r, "translation", 3, [0.0] * 3), file.numbers(r, "rotation", 4, [0.0, 0, 0, 1]),
                                file.numbers(r, "scale", 3, [1.0] * 3)])
                for r in records
            ])  # fmt: skip
            matrices = np.concatenate([reader.own(node) for node in nodes])
            by_matrix = np.array(["matrix" in r for r in records])
            for row in np.flatnonzero(by_matrix):
                numbers[row] = numbers_of(matrices[row])
            clips = tuple(clip for name, moves in self.animations if (clip := self._clip(name, moves, place)).tracks)
            roots = [reader.parents.get(node) for node in nodes]
            parents = np.array([-1 if above is None else place[above] for above in roots])
            title = tidy_name(file.text(file.record("skins", skin)) or names[0]) or "Rig"
            rig = Rig(title, tuple(names), parents, matrices, numbers, by_matrix, clips)
            self._rigs[nodes[0]] = rig, place
        return self._rigs[nodes[0]]

    def _clip(self, name: str, moves: Moves, place: dict[int, int]) -> RigClip:
        tracks = [
            RigTrack(place[node], path, c.way, c.times, c.values, c.into, c.out)
            for (node, path), c in moves.items() if node in place and path in PATHS
        ]  # fmt: skip
        return RigClip(name, tuple(tracks))

    def skin(self, number: Any, shape: Shape) -> Skin | None:
        """How a shape hangs on its rig; None where its points say nothing of joints."""
        file = self.reader.file
        record = file.record("skins", number)
        if shape.hangs is None:
            return None
        (rig, place), joints = self._rig(number), self._joints(number)
        inverse = np.tile(np.eye(4), (len(joints), 1, 1))
        if "inverseBindMatrices" in record:
            rows = file.dense(record["inverseBindMatrices"], "MAT4")
            if len(rows) < len(joints):
                raise file.fail(f"skin {number} has {len(joints)} joints and {len(rows)} matrices")
            inverse = rows[: len(joints)].reshape(-1, 4, 4).transpose(0, 2, 1)
        parts, weights = shape.hangs
        if parts.size and parts.max() >= len(joints):
            raise file.fail(f"a point hangs on joint {int(parts.max())} of skin {number}, which has {len(joints)}")
        metres = np.diag([1 / CM, 1 / CM, 1 / CM, 1.0])
        bound = Bound(rig, np.array([place[j] for j in joints]), inverse, parts, weights, metres, np.linalg.inv(metres))
        return Skin(bound)

    def lanes(self, skin: Skin, which: int, fps: float) -> list[Lane]:
        """What plays an animation of the file."""
        name = self.animations[which][0]
        number = next((n for n, clip in enumerate(skin.rig.clips) if clip.name == name), None)
        if number is None:
            return []
        lanes = [Lane(TIME, clip_curve(skin.rig.clips[number], fps))]
        if len(skin.rig.clips) > 1:
            lanes.append(Lane(CLIP, AnimationCurve((Key(0.0, float(number), "hold"),))))
        return lanes


def numbers_of(matrix: np.ndarray) -> np.ndarray:
    """(10,): translation, rotation x, y, z, w, scale of a matrix (4, 4) that does not shear."""
    scale = np.linalg.norm(matrix[:3, :3], axis=0)
    if np.linalg.det(matrix[:3, :3]) < 0:
        scale[0] = -scale[0]
    turn = matrix[:3, :3] / np.where(np.abs(scale) > 1e-12, scale, 1.0)
    return np.concatenate([matrix[:3, 3], quaternions(turn), scale])


# out


class Hung(Struct, eq=False):
    """A rig in the file: the nodes of its joints, some frames later."""

    rig: Rig
    nodes: list[int]
    object_id: str
    later: float


class RigWriter:
    """Writes rigs, each once for all objects that hang on it alike."""

    def __init__(self, g: Any, gltf: Any, buffer: Buffer, metres: float) -> None:
        self.g, self.gltf, self.buffer, self.metres = g, gltf, buffer, metres
        self.hung: list[Hung] = []
        self._known: dict[tuple[Any, ...], Hung] = {}
        self._times: dict[bytes, int] = {}
        self._played: set[tuple[int, int]] = set()

    def skin(self, obj: MorphObject, above: int | None, later: float) -> int:
        """The number of a skin whose joints hang below the node ``above``, or below none where that does nothing."""
        g, gltf = self.g, self.gltf
        assert obj.skin is not None
        bound, rig = obj.skin.bound, obj.skin.rig
        lift = np.diag([self.metres] * 3 + [1.0]) @ bound.out
        if np.abs(lift - np.eye(4)).max() < SAME:
            lift = np.eye(4)
        key = (id(rig), lift.tobytes(), above, later)
        hung = self._known.get(key)
        if hung is None:
            hung = self._known[key] = Hung(rig, self._joints(rig, lift, above), obj.id, later)
            self.hung.append(hung)
        into = bound.into @ np.diag([1 / self.metres] * 3 + [1.0])
        inverse = bound.inverse if np.abs(into - np.eye(4)).max() < SAME else bound.inverse @ into
        rows = inverse.transpose(0, 2, 1).reshape(-1, 16)
        gltf.skins.append(
            g.Skin(name=rig.name, joints=[hung.nodes[j] for j in bound.joints.tolist()],
                   inverseBindMatrices=self.buffer.add(rows, "MAT4"))
        )  # fmt: skip
        return len(gltf.skins) - 1

    def _joints(self, rig: Rig, lift: np.ndarray, above: int | None) -> list[int]:
        g, gltf = self.g, self.gltf
        first = len(gltf.nodes)
        for number, name in enumerate(rig.joints):
            if rig.by_matrix[number]:
                gltf.nodes.append(g.Node(name=name or None, matrix=rig.matrices[number].T.ravel().tolist()))
                continue
            t, q, s = np.split(rig.numbers[number], [3, 7])
            gltf.nodes.append(g.Node(name=name or None, translation=t.tolist(), rotation=q.tolist(), scale=s.tolist()))
        for number, parent in enumerate(rig.parents.tolist()):
            if parent >= 0:
                gltf.nodes[first + parent].children.append(first + number)
        roots = [first + n for n in np.flatnonzero(rig.parents < 0).tolist()]
        if not np.array_equal(lift, np.eye(4)):
            gltf.nodes.append(g.Node(name=f"{rig.name} space", matrix=lift.T.ravel().tolist(), children=roots))
            roots = [len(gltf.nodes) - 1]
        if above is None:
            gltf.scenes[0].nodes += roots
        else:
            gltf.nodes[above].children += roots
        return list(range(first, first + len(rig.joints)))

    def animate(self, scene: Scene, animation: Any) -> None:
        """What the joints do in a scene, put into an animation."""
        for hung in self.hung:
            obj = scene.object(hung.object_id)
            assert obj.skin is not None
            number = plain_clip(scene, obj)
            self._played |= {(id(hung.rig), n) for n in played_clips(obj)}
            if number is not None and hung.later == 0.0:
                self.raw(animation, hung, hung.rig.clips[number])
            else:
                self._sampled(scene, obj, animation, hung)

    def title(self, scene: Scene) -> str:
        """The name of the clip that all rigs play as it is, or nothing."""
        names = set()
        for hung in self.hung:
            number = plain_clip(scene, scene.object(hung.object_id))
            names.add("" if number is None else hung.rig.clips[number].name)
        return names.pop() if len(names) == 1 else ""

    def others(self) -> list[Any]:
        """Animations of the clips of rigs that no clip of the scene plays, as they came."""
        found: dict[str, Any] = {}
        for hung in self.hung:
            for number, clip in enumerate(hung.rig.clips):
                if (id(hung.rig), number) not in self._played and hung.later == 0.0:
                    animation = found.setdefault(clip.name, self.g.Animation(name=clip.name, channels=[], samplers=[]))
                    self.raw(animation, hung, clip)
        return [animation for animation in found.values() if animation.channels]

    def raw(self, animation: Any, hung: Hung, clip: RigClip) -> None:
        """The samples of a clip as they came."""
        for track in clip.tracks:
            values = track.values
            if track.way == CUBIC and track.into is not None and track.out is not None:
                values = np.stack([track.into, values, track.out], axis=1).reshape(-1, values.shape[1])
            self._channel(animation, hung.nodes[track.joint], track.path, track.way, track.times, values)

    def _sampled(self, scene: Scene, obj: MorphObject, animation: Any, hung: Hung) -> None:
        """The pose at each whole frame of the range, of joints that do anything."""
        frames, own = poses_over(scene, obj, hung.later)
        seconds = (frames - scene.start) / scene.fps
        for number in range(len(hung.rig.joints)):
            if np.abs(own[:, number] - hung.rig.matrices[number]).max() <= SAME:
                continue
            node = self.gltf.nodes[hung.nodes[number]]
            if hung.rig.by_matrix[number]:
                t, q, s = np.split(hung.rig.numbers[number], [3, 7])
                node.matrix, node.translation, node.rotation, node.scale = None, t.tolist(), q.tolist(), s.tolist()
            for path, rows in parts_of(own[:, number]).items():
                still = np.ptp(rows, axis=0).max() <= FEW * max(float(np.abs(rows).max()), 1e-9)
                kept = slice(0, 1) if still else slice(None)
                self._channel(animation, hung.nodes[number], path, LINEAR, seconds[kept], rows[kept])

    def _channel(self, animation: Any, node: int, path: str, way: str, times: np.ndarray, values: np.ndarray) -> None:
        g, stored = self.g, times.astype(np.float32)
        key = stored.tobytes()
        if key not in self._times:
            self._times[key] = self.buffer.add(stored, "SCALAR", bounds=True)
        output = self.buffer.add(values, "VEC4" if path == ROTATION else "VEC3")
        animation.samplers.append(g.AnimationSampler(input=self._times[key], output=output, interpolation=way))
        target = g.AnimationChannelTarget(node=node, path=path)
        animation.channels.append(g.AnimationChannel(sampler=len(animation.samplers) - 1, target=target))


def sets_of(bound: Bound) -> list[tuple[np.ndarray, np.ndarray]]:
    """Joints and weights (n, 4) of each point, four by four. One that hangs on nothing hangs on the first joint."""
    parts, weights = np.where(bound.weights > 0, bound.parts, 0), bound.weights.copy()
    wide = -weights.shape[1] % 4
    parts, weights = np.pad(parts, ((0, 0), (0, wide))), np.pad(weights, ((0, 0), (0, wide)))
    weights[weights.sum(axis=1) <= LEAST_TOTAL, 0] = 1.0
    return [(parts[:, n : n + 4], weights[:, n : n + 4]) for n in range(0, parts.shape[1], 4)]


def played_clips(obj: MorphObject) -> set[int]:
    """The numbers of the rig's clips that an object plays by its lanes."""
    assert obj.skin is not None
    lane = obj.lane(CLIP)
    return {obj.skin.clip} if lane is None else {round(key.value) for key in lane.curve.keys}


def poses_over(scene: Scene, obj: MorphObject, later: float = 0.0) -> tuple[np.ndarray, np.ndarray]:
    """Whole frames of the range (f,), and each joint by itself (f, j, 4, 4) at them."""
    assert obj.skin is not None
    frames = np.unique([scene.start, *np.arange(np.ceil(scene.start), np.floor(scene.end) + 1), scene.end])
    return frames, own_over(obj.skin.rig, values_at(obj, frames - later, None, scene.fps), frames.shape)


def parts_of(own: np.ndarray) -> dict[str, np.ndarray]:
    """Matrices (f, 4, 4) by the paths of a node: rotations go on the shorter way from one to the next."""
    rows = np.array([numbers_of(matrix) for matrix in own])
    q = rows[:, 3:7]
    q[1:] *= np.cumprod(np.where((q[1:] * q[:-1]).sum(axis=1) < 0, -1.0, 1.0))[:, None]
    return dict(zip(PATHS, (rows[:, :3], q, rows[:, 7:]), strict=True))


def plain_clip(scene: Scene, obj: MorphObject) -> int | None:
    """The number of the rig's clip that an object plays from the start of the range at its own speed, with no joint turned by
    hand; None where it does otherwise."""
    skin = obj.skin
    assert skin is not None
    lanes = {lane.channel: lane for lane in obj.lanes}
    chosen, time = lanes.get(CLIP), lanes.get(TIME)
    if obj.blend is not None:
        return None
    turned = any(value for _, value in skin.turns) or any(name in lanes for name in turn_ids(skin.rig))
    if turned or time is None or time.modifiers or chosen is not None and (chosen.modifiers or len(chosen.curve.keys) != 1):
        return None
    number = skin.clip if chosen is None else round(chosen.curve.keys[0].value)
    if not 0 <= number < len(skin.rig.clips):
        return None
    wanted = clip_curve(skin.rig.clips[number], scene.fps, scene.start)
    same = [(k.frame, k.value, k.interpolation) for k in wanted.keys][:1] + [(k.frame, k.value) for k in wanted.keys][1:]
    keys = time.curve.keys
    found = [(k.frame, k.value, k.interpolation) for k in keys][:1] + [(k.frame, k.value) for k in keys][1:]
    return number if found == same and (time.curve.before, time.curve.after) == ("hold", "hold") else None
