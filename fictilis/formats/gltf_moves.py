"""glTF 2.0, out: what moves in each clip, and what stands still there because another clip moves it.

Source: glTF 2.0 specification (Khronos Group), 3.11 Animations.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.at_frame.cameras import eye, placed_camera
from fictilis.core.at_frame.copies import copies
from fictilis.core.at_frame.fewer_bands import FORMAT_BANDS, with_bands
from fictilis.core.ground.numbers_said import said as number_said
from fictilis.core.mix.bands import swept
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.formats.gltf_buffer import Buffer
from fictilis.formats.tracks import EXACT, Track, copy_tracks, motion_tracks, still_motion, still_weights, weight_track

METRES = 0.01  # a scene's centimetre in glTF's metres
SAID_FROM = 1e-4  # of a weight
NODE_PARTS = {
    "translation": ("VEC3", METRES), "rotation": ("VEC4", 1.0), "scale": ("VEC3", 1.0), "weights": ("SCALAR", 1.0),
}  # fmt: skip


class Nodes(Struct, frozen=True):
    """The nodes of one object: those that move, those that have its mesh, and by how many frames each is later."""

    movers: list[int]
    shapes: list[int]
    delays: list[float]

    def alike(self, later: float) -> tuple[int, ...]:
        """The nodes of its mesh that are so many frames later."""
        return tuple(node for node, delay in zip(self.shapes, self.delays, strict=True) if delay == later)


Led = dict[tuple[tuple[int, ...], str], Track]  # by nodes and what of them


def moves_of(scene: Scene, ids: list[str], nodes: list[Nodes], sampled: bool) -> tuple[Led, list[str]]:
    """What moves the nodes of objects in one clip, and what of it is not exact."""
    off: list[str] = []
    out: Led = {}
    for object_id, own in zip(ids, nodes, strict=True):
        obj = scene.object(object_id)
        obj = with_bands(obj, FORMAT_BANDS) if swept(obj) else obj
        error = 0.0
        for later in sorted(set(own.delays)) if obj.targets else ():
            track = weight_track(scene, obj, later, sampled)
            if track is not None:
                error = max(error, track.error)
                out[own.alike(later), "weights"] = track
        if error > SAID_FROM or error and sampled:
            off.append(f"The weights of {obj.name} are sampled at each frame, and up to {number_said(error)} off between")
        if not own.movers:
            continue
        apart = len(own.movers) > 1 or obj.repeated is not None and obj.repeated.other is not None
        moves = copy_tracks(scene, obj) if apart else [motion_tracks(scene, obj)]
        for node, tracks in zip(own.movers, moves, strict=True):
            out.update({((node,), part): track for part, track in tracks.items()})
    return out, off


class Still:
    """What the nodes of one clip keep where nothing moves them there."""

    def __init__(self, scene: Scene, ids: list[str], nodes: list[Nodes], cameras: list[int]) -> None:
        self.scene = scene
        self.places: dict[int, np.ndarray] = {}
        self.weights: dict[tuple[int, ...], tuple[MorphObject, float]] = {}
        for object_id, own in zip(ids, nodes, strict=True):
            obj = scene.object(object_id)
            outer = copies(scene, obj, scene.start).outer
            self.places |= dict(zip(own.movers, outer, strict=False))
            obj = with_bands(obj, FORMAT_BANDS) if swept(obj) else obj
            self.weights |= {own.alike(later): (obj, later) for later in own.delays}
        for camera, node in zip(scene.cameras, cameras, strict=True):
            self.places[node] = eye(placed_camera(scene, camera, scene.start))

    @staticmethod
    def differing(clips: list[Still]) -> list[tuple[tuple[int, ...], str]]:
        """What is not the same in all clips."""
        first, *others = clips
        keys: list[tuple[tuple[int, ...], str]] = []
        if others:
            keys = [((node,), part) for node in first.places for part in ("translation", "rotation", "scale")]
        keys += [(nodes, "weights") for nodes, (obj, _) in first.weights.items() if obj.targets] if others else []
        values = [{key: clip.track(*key).values[0] for key in keys} for clip in clips]
        return [key for key in keys if any(np.abs(v[key] - values[0][key]).max(initial=0.0) > EXACT for v in values)]

    def track(self, nodes: tuple[int, ...], part: str) -> Track:
        if part == "weights":
            return still_weights(self.scene, *self.weights[nodes])
        return still_motion(self.scene, self.places[nodes[0]])[part]


def animate(g: Any, buffer: Buffer, animation: Any, track: Track, nodes: tuple[int, ...], path: str) -> None:
    kind, unit = NODE_PARTS[path]
    values = track.values[:, None]
    if track.tangents_in is not None and track.tangents_out is not None:
        values = np.stack([track.tangents_in, track.values, track.tangents_out], axis=1)
    animation.samplers.append(
        g.AnimationSampler(
            input=buffer.add(track.stored, "SCALAR", bounds=True),
            output=buffer.add(unit * (values.ravel() if kind == "SCALAR" else values.reshape(-1, values.shape[2])), kind),
            interpolation=track.interpolation,
        )
    )
    sampler = len(animation.samplers) - 1
    for node in nodes:
        animation.channels.append(g.AnimationChannel(sampler=sampler, target=g.AnimationChannelTarget(node=node, path=path)))
