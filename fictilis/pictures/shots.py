"""Frames of a scene as pictures, in any size and smoothness, seen through a camera, with motion blur or without."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from msgspec.structs import replace

from fictilis.core.at_frame.cameras import placed_camera
from fictilis.core.ground.arrays import box
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import SavedView, SceneCamera
from fictilis.pictures.linear import Sum
from fictilis.pictures.look import BACKGROUNDS, CLEAR, MOST, Look, colour_of, over
from fictilis.render.background import Background
from fictilis.render.beside import Draws
from fictilis.render.camera import Camera
from fictilis.render.covered import ends_of
from fictilis.render.dress import worn_item
from fictilis.render.ground import ground_for, lowest
from fictilis.render.items import DrawItem
from fictilis.render.snapshot import START_PITCH, START_YAW, bounds
from fictilis.render.stage import Stage, StageWish

LOOKED_AT = 9  # frames of a range that a fitted camera looks at

Aim = Callable[[float], Camera]  # the camera of each frame


def eyes_of(scene: Scene) -> dict[str, SceneCamera | SavedView]:
    """What a scene can be seen through, by name: its kept views, and its cameras, which go first where names meet."""
    return {view.name: view for view in scene.views} | {camera.name: camera for camera in scene.cameras}


def aimed(scene: Scene, name: str | None, look: Look, frames: Sequence[float], around: bool = False) -> Aim:
    """The camera of a name, or without one that of the scene; where there is none, or for None, one that sees all that moves
    over ``frames``, from all sides where it goes ``around``. Raises EditRefused for a name that there is not."""
    eye = eyes_of(scene).get(name) if name else scene.camera if name is not None else None
    if name and eye is None:
        known = ", ".join(eyes_of(scene)) or "none"
        raise EditRefused(f"There is no camera or view named “{name}”. There are: {known}.")
    if isinstance(eye, SceneCamera):
        through = eye
        return lambda frame: Camera.of(placed_camera(scene, through, frame))
    if isinstance(eye, SavedView):
        still = Camera(eye.centre, eye.distance, eye.yaw, eye.pitch, eye.parallel)
    else:
        low, high = reach(scene, frames)
        if around:
            wide = np.array([1.0, 0.0, 1.0]) * np.hypot(*(high - low)[[0, 2]]) / 2
            middle = (low + high) / 2
            low, high = np.minimum(low, middle - wide), np.maximum(high, middle + wide)
        still = Camera(yaw=START_YAW, pitch=START_PITCH).fitted(low, high, look.width / look.height, 1.1)
    return lambda _frame: still


def reach(scene: Scene, frames: Sequence[float]) -> tuple[np.ndarray, np.ndarray]:
    """The box (3,), (3,) of all that is seen over some frames; a few of many are looked at."""
    stage, ends = Stage(), []
    for number in np.unique(np.linspace(0, max(len(frames) - 1, 0), min(len(frames), LOOKED_AT)).astype(int)):
        for item in stage.items(StageWish(scene, frames[number])):
            if item.opacity <= 0 or not len(item.points):
                continue
            ends.append(ends_of(item))
    return box(np.concatenate(ends)) if ends else bounds(scene)


class Shots:
    """Draws frames of one scene, and keeps between them what stays. Use it from one thread only."""

    def __init__(self, scene: Scene, look: Look, renderer: Draws, stage: Stage | None = None) -> None:
        """A ``stage`` that has the objects ready is used. Raises EditRefused for a size or background that cannot be drawn."""
        self.scene = scene
        self.take(look)
        self.renderer = renderer
        self._stage = stage or Stage()

    def take(self, look: Look) -> None:
        """Make pictures in another way from now on. Raises EditRefused for a size or background that cannot be drawn."""
        for side, size in (("width", look.width), ("height", look.height)):
            if not 1 <= size <= MOST:
                raise EditRefused(f"The {side} must be from 1 to {MOST:,} pixels, not {size:,}.")
        self.backgrounds = [BACKGROUNDS["black"], BACKGROUNDS["white"]] if look.ground == CLEAR else [colour_of(look.ground)]
        self.look = look

    def picture(self, frame: float, aim: Aim) -> np.ndarray:
        """(height, width, 4) uint8 of a frame, its colours not multiplied by how far they cover. With a shutter the mean, in
        linear light, of the moments it is open."""
        moments = self.look.parts_of(frame)
        if len(moments) == 1:
            return self.instant(moments[0], aim(moments[0]))
        total = Sum()
        for moment in moments:
            total.add(self.instant(moment, aim(moment)))
        return total.mean()

    def instant(self, frame: float, camera: Camera) -> np.ndarray:
        """A picture of one moment."""
        seen = [item for item in self._stage.items(StageWish(self.scene, frame)) if item.opacity > 0]
        return self.of_items([worn_item(item, ("shot", item.obj.id)) for item in seen], camera)

    def of_items(self, items: list[DrawItem], camera: Camera) -> np.ndarray:
        """A picture of anything."""
        drawn = [self._smooth(items, camera, background) for background in self.backgrounds]
        if len(drawn) == 1:
            return drawn[0]
        # what covers a part of a pixel is so much darker before black than before white
        black, white = (picture[..., :3].astype(np.int16) for picture in drawn)
        cover = 255 - (white - black).max(axis=2).clip(0, 255)
        out = np.empty_like(drawn[0])
        out[..., :3] = np.minimum(255, np.round(black * (255 / np.maximum(cover, 1))[..., None]))
        out[..., 3] = cover
        return out

    def _smooth(self, items: list[DrawItem], camera: Camera, background: Background) -> np.ndarray:
        width, height, samples = self.look.width, self.look.height, self.look.samples
        self.renderer.light = self.look.light
        if self.look.floor:
            ground = ground_for(camera, height, lowest(self.scene), over(self.backgrounds[-1]))
            background = replace(background, ground=ground)
        if samples < 16 or 4 * max(width, height) > MOST:
            return self.renderer.draw(items, camera, width, height, background, fine=samples > 1, insides=self.look.insides)
        large = self.renderer.draw(items, camera, 2 * width, 2 * height, background, fine=True, insides=self.look.insides)
        four = large.reshape(height, 2, width, 2, 4)
        sums = four[:, 0, :, 0].astype(np.uint16) + four[:, 0, :, 1] + four[:, 1, :, 0] + four[:, 1, :, 1]
        return ((sums + 2) >> 2).astype(np.uint8)
