"""Cameras as other programs know them: a place and a turn over time, and a field of view."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.core.edits.timeline import add_camera
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import Lane, SceneCamera
from fictilis.formats.tracks import thinned

STILL = 1e-9


def camera_of(
    name: str, frames: np.ndarray, matrices: np.ndarray, lenses: np.ndarray, distance: float, parallel: bool
) -> SceneCamera:
    """A camera that stands at frames (f,) as matrices (f, 4, 4) say, with fields of view (f,) in degrees; what moves gets keys
    there. A turn about its own view is not kept."""
    back = matrices[:, :3, 2] / np.maximum(np.linalg.norm(matrices[:, :3, 2], axis=1), 1e-9)[:, None]
    centres = matrices[:, :3, 3] - back * distance
    yaws = np.degrees(np.unwrap(np.arctan2(back[:, 0], back[:, 2])))
    pitches = np.degrees(np.arcsin(np.clip(back[:, 1], -1, 1)))
    rows = {f"centre.{axis}": centres[:, k] for k, axis in enumerate("xyz")}
    rows |= {"yaw": yaws, "pitch": pitches, "lens": np.clip(lenses, 1.0, 170.0)}
    x, y, z = centres[0].tolist()
    made = SceneCamera("", name, (x, y, z), distance, float(yaws[0]), float(pitches[0]), float(rows["lens"][0]), parallel)
    lanes = [
        Lane(part, thinned(frames, values))
        for part, values in rows.items()
        if np.ptp(values) > STILL * max(1.0, float(np.abs(values).max()))
    ]
    return replace(made, lanes=tuple(lanes))


def with_camera(scene: Scene, camera: SceneCamera) -> tuple[Scene, str]:
    """A scene with a camera behind those it has, and its id."""
    scene, made = add_camera(scene, camera)
    return replace(scene, cameras=(*scene.cameras[1:], scene.cameras[0])), made
