"""Cameras at a frame: from where they look, along the line that they follow."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.core.at_frame.pose import Pose, Posed
from fictilis.core.mix.channel_kinds import LEAST_DISTANCE
from fictilis.core.mix.channels import camera_at, values_at
from fictilis.core.scene.places import ALONG
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import SceneCamera


def placed_camera(scene: Scene, camera: SceneCamera, frame: float, posed: Posed | None = None) -> SceneCamera:
    """A camera as it stands at a frame, without lanes: where it follows a line, from there."""
    at = camera_at(camera, frame, (posed or {}).get(camera.id), scene.fps)
    if camera.along is None:
        return at
    value = float(values_at(camera, frame, (posed or {}).get(camera.id), scene.fps)[ALONG])
    line = Pose(scene, scene.object(camera.along.line), frame, posed)
    where, axes = line.place_on(value, camera.along.even)
    if camera.along.turn:
        yaw, pitch = _aim(axes[2])
        yaw, pitch, distance = yaw + at.yaw, min(max(pitch + at.pitch, -90.0), 90.0), at.distance
        (cy, cp), (sy, sp) = np.cos(np.radians([yaw, pitch])), np.sin(np.radians([yaw, pitch]))
        centre = where - distance * np.array([sy * cp, sp, cy * cp])
    else:
        centre = np.array(at.centre)
        distance = max(float(np.linalg.norm(centre - where)), LEAST_DISTANCE)
        yaw, pitch = _aim(centre - where)
    return replace(at, centre=tuple(centre.tolist()), distance=distance, yaw=yaw, pitch=pitch, along=None)


def eye(camera: SceneCamera) -> np.ndarray:
    """(4, 4): a camera's space, which looks along −Z, in the scene."""
    (cy, cp), (sy, sp) = np.cos(np.radians([camera.yaw, camera.pitch])), np.sin(np.radians([camera.yaw, camera.pitch]))
    back = np.array([sy * cp, sp, cy * cp])
    right = np.array([cy, 0.0, -sy])
    out = np.eye(4)
    out[:3, :3] = np.stack([right, np.cross(back, right), back], axis=1)
    out[:3, 3] = np.array(camera.centre) + back * camera.distance
    return out


def _aim(forward: np.ndarray) -> tuple[float, float]:
    """Yaw and pitch in degrees of a camera that looks along a direction (3,)."""
    x, y, z = forward / max(float(np.linalg.norm(forward)), 1e-300)
    return float(np.degrees(np.arctan2(-x, -z))), float(np.degrees(np.arcsin(np.clip(-y, -1.0, 1.0))))
