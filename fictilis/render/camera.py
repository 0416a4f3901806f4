"""A camera that turns about a centre. Scene units, Y up; pixels run right and down from the top left corner."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.ground.arrays import frozen
from fictilis.core.scene.timeline import SceneCamera

LENS = 30.0  # degrees, vertical


@lru_cache(maxsize=64)
def _axes(yaw: float, pitch: float) -> np.ndarray:
    across, rise = np.radians(yaw), np.radians(pitch)
    sy, cy, sp, cp = np.sin(across), np.cos(across), np.sin(rise), np.cos(rise)
    return frozen([[cy, 0.0, -sy], [-sp * sy, cp, -sp * cy], [sy * cp, sp, cy * cp]], np.float64, 3)


class Camera(Struct, frozen=True):
    """``yaw`` and ``pitch`` in degrees: yaw 0 looks along -Z (front), pitch 90 looks down. ``lens`` is the vertical field of
    view, in degrees too."""

    centre: tuple[float, float, float] = (0.0, 0.0, 0.0)
    distance: float = 300.0
    yaw: float = 0.0
    pitch: float = 8.0
    parallel: bool = False
    lens: float = LENS

    @classmethod
    def of(cls, camera: SceneCamera) -> Camera:
        """The view of a camera of the scene, which must have no lanes (see ``camera_standing``)."""
        return cls(camera.centre, camera.distance, camera.yaw, camera.pitch, camera.parallel, camera.lens)

    @property
    def tangent(self) -> float:
        """Of half the field of view."""
        return float(np.tan(np.radians(self.lens / 2)))

    def axes(self) -> np.ndarray:
        """(3, 3) float64: rows right, up, toward the viewer."""
        return _axes(self.yaw, self.pitch)

    def position(self) -> np.ndarray:
        return np.array(self.centre) + self.axes()[2] * self.distance

    def view(self) -> np.ndarray:
        """(4, 4): scene to camera space, looking along -Z."""
        out = np.eye(4)
        out[:3, :3] = self.axes()
        out[:3, 3] = -self.axes() @ self.position()
        return out

    def half_height(self) -> float:
        """Half of what the picture shows at the centre, in scene units."""
        return self.distance * self.tangent

    def projection(self, width: int, height: int) -> np.ndarray:
        """(4, 4): camera to clip space. Source: the OpenGL specification's perspective and orthographic matrices."""
        aspect, near, far = width / max(height, 1), self.distance / 100, self.distance * 40
        out = np.zeros((4, 4))
        if self.parallel:
            h = self.half_height()
            near = -far
            out[0, 0], out[1, 1], out[2, 2] = 1 / (h * aspect), 1 / h, -2 / (far - near)
            out[2, 3], out[3, 3] = -(far + near) / (far - near), 1
            return out
        f = 1 / self.tangent
        out[0, 0], out[1, 1], out[2, 2] = f / aspect, f, -(far + near) / (far - near)
        out[2, 3], out[3, 2] = -2 * far * near / (far - near), -1
        return out

    def project(self, points: np.ndarray, width: int, height: int) -> tuple[np.ndarray, np.ndarray]:
        """Pixels (n, 2) and depths (n,) in 0…1 of scene points (n, 3); depth is outside 0…1 behind the viewer."""
        matrix = self.projection(width, height) @ self.view()
        clip = np.asarray(points, np.float64) @ matrix[:, :3].T + matrix[:, 3]
        w = np.where(np.abs(clip[:, 3]) < 1e-12, 1e-12, clip[:, 3])
        x, y, z = (clip[:, :3] / w[:, None]).T
        depth = np.where(clip[:, 3] > 0, (z + 1) / 2, 2.0)
        return np.stack([(x + 1) / 2 * width, (1 - y) / 2 * height], axis=1), depth

    def ray(self, x: float, y: float, width: int, height: int) -> tuple[np.ndarray, np.ndarray]:
        """Start (3,) and unit direction (3,) of the line of sight through a pixel."""
        right, up, back = self.axes()
        h = self.half_height()
        across = (2 * x / width - 1) * h * width / max(height, 1) * right + (1 - 2 * y / height) * h * up
        on_plane = np.array(self.centre) + across
        if self.parallel:
            return on_plane + back * self.distance * 20, -back
        direction = on_plane - self.position()
        return self.position(), direction / np.linalg.norm(direction)

    def drag(self, at: np.ndarray, dx: float, dy: float, height: int) -> np.ndarray:
        """(3,): the scene vector that moves a point at ``at`` by dx, dy pixels on the screen."""
        right, up, back = self.axes()
        depth = self.distance if self.parallel else max(float((self.position() - at) @ back), 1e-6)
        unit = 2 * depth * self.tangent / max(height, 1)
        return (dx * right - dy * up) * unit

    def turned(self, dx: float, dy: float, about: np.ndarray | None = None) -> Camera:
        """Turned by a drag of dx, dy pixels about the centre, or about a place (3,) that stays where it is seen."""
        new = replace(self, yaw=(self.yaw - 0.4 * dx) % 360, pitch=float(np.clip(self.pitch + 0.4 * dy, -90, 90)))
        if about is None:
            return new
        seen = self.axes() @ (np.asarray(about) - np.array(self.centre))
        return replace(new, centre=tuple(np.asarray(about) - new.axes().T @ seen))

    def moved(self, dx: float, dy: float, height: int) -> Camera:
        step = self.drag(np.array(self.centre), dx, dy, height)
        return replace(self, centre=tuple(np.array(self.centre) - step))

    def zoomed(self, factor: float, x: float, y: float, width: int, height: int) -> Camera:
        """Nearer by ``factor`` below 1, what lies under the pixel staying there."""
        distance = float(np.clip(self.distance * factor, 1e-3, 1e7))
        h, aspect = self.half_height(), width / max(height, 1)
        right, up, _ = self.axes()
        under = (2 * x / width - 1) * h * aspect * right + (1 - 2 * y / height) * h * up
        kept = 1 - distance / self.distance
        return replace(self, distance=distance, centre=tuple(np.array(self.centre) + under * kept))

    def fitted(self, low: np.ndarray, high: np.ndarray, aspect: float = 1.6, margin: float = 1.12) -> Camera:
        """Centred on a box, with all of it in the picture."""
        low, high = np.asarray(low, float), np.asarray(high, float)
        if not (np.isfinite(low).all() and np.isfinite(high).all()):
            return self
        corners = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)]) * (high - low) + low
        centre = (low + high) / 2
        right, up, back = self.axes()
        across, above, toward = ((corners - centre) @ axis for axis in (right, up, back))
        tangent = self.tangent / margin
        need = np.maximum(np.abs(above), np.abs(across) / max(aspect, 0.1)) / tangent
        distance = float(np.max(need + (0 if self.parallel else toward)))
        return replace(self, centre=tuple(centre), distance=max(distance, 1e-2))


DIRECTIONS = {  # yaw and pitch
    "front": (0.0, 0.0), "side": (90.0, 0.0), "top": (0.0, 90.0), "back": (180.0, 0.0), "other-side": (270.0, 0.0),
    "bottom": (0.0, -90.0),
}  # fmt: skip
