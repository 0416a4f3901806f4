"""Where the view looks from: a camera of its own, or the scene's."""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np
from msgspec.structs import replace

from fictilis.app.model.document import Document
from fictilis.app.model.hand import Gesture
from fictilis.core.at_frame.cameras import placed_camera
from fictilis.core.ground.arrays import box
from fictilis.core.ground.errors import there
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.scene.scene import MorphObject
from fictilis.core.scene.timeline import SavedView, SceneCamera
from fictilis.render.camera import DIRECTIONS, Camera
from fictilis.render.snapshot import ROOM, START_PITCH, START_YAW, bounds
from fictilis.render.stage import LINE_UP, StageItem, StageWish, line_up_corners, line_up_refs


class Sight(Protocol):
    """What of a view its camera needs."""

    turning: Any

    def width(self) -> int: ...
    def height(self) -> int: ...
    def items(self) -> list[StageItem]: ...
    def wish(self) -> StageWish: ...
    def shaped_item(self) -> StageItem | None: ...
    def refresh(self) -> None: ...


class Aim(Gesture):
    """The camera that is looked through is turned: shown now, one step when it rests or something else acts."""

    def __init__(self, doc: Document, view: Sight, camera: SceneCamera) -> None:
        self.doc, self.view, self.camera = doc, view, camera
        self.aims: dict[ChannelRef, float] = {}

    @property
    def by_keys(self) -> bool:
        """The wheel turns it, with no button held."""
        return not self.view.turning.on

    def move(self, camera: Camera) -> None:
        before, along = self.doc.channels.values(self.camera), self.camera.along
        now = Camera.of(placed_camera(self.doc.scene, self.camera, self.doc.frame, self.doc.state.posed))
        turn = (camera.yaw - now.yaw + 180) % 360 - 180  # on from where it is, not once around
        wanted = {f"centre.{a}": v for a, v in zip("xyz", camera.centre, strict=True)}
        if along is not None and along.turn:  # its own numbers count from the line's
            wanted = {"yaw": before["yaw"] + turn, "pitch": before["pitch"] + camera.pitch - now.pitch}
        elif along is None:
            wanted |= {"distance": camera.distance, "yaw": now.yaw + turn, "pitch": camera.pitch}
        self.aims |= {self.doc.channels.ref(c, self.camera): v for c, v in wanted.items() if abs(v - before[c]) > 1e-9}
        self.doc.channels.set_values(self.aims, "Aim the camera", final=False)

    def end(self, _event: object = None) -> None:
        if self.aims:
            self.doc.channels.set_values(self.aims, f"Aim {self.camera.name}")

    def cancel(self) -> None:
        self.view.turning.at = None

    def interrupt(self) -> None:
        self.end()
        self.cancel()


class Eye:
    """The camera of a view, and how it is turned."""

    def __init__(self, doc: Document, view: Sight) -> None:
        self.doc, self.view = doc, view
        self._own = Camera(yaw=START_YAW, pitch=START_PITCH)
        self._before_line_up: Camera | None = None
        self._was_way = doc.way
        self._fitted: tuple[Camera, tuple[str | None, int]] | None = None  # how a Line-up was fitted, and to what
        self._boxed: tuple[Camera, np.ndarray, np.ndarray] | None = None  # how a box was fitted, and its ends
        self.covered = 0  # pixels at the top of the view that buttons lie over from side to side

    @property
    def own(self) -> Camera:
        """The view's own camera, also while the scene's is looked through."""
        return self._own

    @own.setter
    def own(self, camera: Camera) -> None:
        self._own = camera
        self.view.refresh()

    def looks_through(self) -> bool:
        """Whether the view is that of the scene's camera."""
        return self.doc.through_camera and self.doc.way != LINE_UP and self.doc.scene.camera is not None

    @property
    def camera(self) -> Camera:
        """The view's own, or the scene's as it stands at this frame."""
        if not self.looks_through():
            return self._own
        doc, camera = self.doc, there(self.doc.scene.camera)
        return Camera.of(placed_camera(doc.scene, camera, doc.frame, doc.state.posed))

    @camera.setter
    def camera(self, camera: Camera) -> None:
        if self.looks_through():
            if not isinstance(self.doc.hand.gesture, Aim):
                self.doc.hand.take(Aim(self.doc, self.view, there(self.doc.scene.camera)))
            self.doc.hand.move(camera)
        else:
            self._own = camera

    def aim_done(self) -> None:
        if isinstance(self.doc.hand.gesture, Aim) and not self.view.turning.on:
            self.doc.hand.release()

    def changed(self) -> None:
        """The document changed: fit the view anew for another way of showing, and for a Line-up that grew while seen whole."""
        if self.doc.way == self._was_way:
            if self.doc.way == LINE_UP and self._fitted is not None:
                camera, stood = self._fitted
                if stood != self._lined_up() and (camera is self._own or stood[0] != self.doc.object_id):
                    self.fit()
            return
        was, self._was_way = self._was_way, self.doc.way
        if self.doc.way == LINE_UP:
            self._before_line_up = self._own
            self.fit()
        elif was == LINE_UP and self._before_line_up is not None:
            self._own = self._before_line_up

    def _lined_up(self) -> tuple[str | None, int]:
        """The object in the Line-up, and how many shapes it has there."""
        obj = self.doc.object
        return self.doc.object_id, 0 if obj is None else len(line_up_refs(obj, self.view.wish()))

    def look(self, way: str) -> None:
        """Turn to one of DIRECTIONS, change the projection, or fit."""
        if way != "fit" and self.doc.through_camera:
            self.doc.change(through_camera=False)
        if way in DIRECTIONS:
            self.camera = replace(self.camera, yaw=DIRECTIONS[way][0], pitch=DIRECTIONS[way][1], parallel=True)
        elif way == "free":
            self.camera = replace(self.camera, yaw=START_YAW, pitch=START_PITCH, parallel=False)
        elif way == "parallel":
            self.camera = replace(self.camera, parallel=not self.camera.parallel)
        else:
            self.fit()
        if self.doc.way == LINE_UP and way != "fit":
            self.fit()
        self.view.refresh()

    def turn(self, yaw: float, pitch: float) -> None:
        """Turn about the middle by degrees."""
        now = self.camera
        self.camera = replace(now, yaw=(now.yaw + yaw) % 360, pitch=float(np.clip(now.pitch + pitch, -90, 90)))
        self.view.refresh()

    def nearer(self, factor: float) -> None:
        """A factor below 1 is nearer."""
        wide, high = self.view.width(), self.view.height()
        self.camera = self.camera.zoomed(factor, wide / 2, high / 2, wide, high)
        self.view.refresh()

    def resized(self, covered: int) -> None:
        """The view has another size, or other parts of it are covered: what was fitted and not turned since stays fitted."""
        self.covered = covered
        if self.doc.way == LINE_UP:
            if self._fitted is not None and self._fitted[0] is self._own:
                self.fit()
        elif self._boxed is not None and self._boxed[0] is self._own and not self.looks_through():
            self._fit_box(*self._boxed[1:])

    def _fit_box(self, low: np.ndarray, high: np.ndarray) -> None:
        wide, tall, free = self._room()
        self._take(self.camera.fitted(low, high, aspect=wide / free, margin=ROOM * tall / free))
        self._boxed = None if self.looks_through() else (self._own, low, high)

    def _room(self) -> tuple[int, int, int]:
        """Width and height of the view, and the height below what covers it."""
        return self.view.width(), max(self.view.height(), 1), max(self.view.height() - self.covered, 1)

    def _take(self, fitted: Camera) -> None:
        """A camera that was fitted to the whole view, for what of it is free."""
        self.camera = fitted.moved(0.0, self.covered / 2, max(self.view.height(), 1))
        self.view.refresh()

    def fit(self) -> None:
        """Show the pick, else the object, whole; in the Line-up all shapes."""
        if self.doc.way == LINE_UP and self.doc.object is not None:
            wide, tall, free = self._room()
            # what stands where depends on the camera's axes only
            every = line_up_corners(self.doc.object, self.view.wish())
            axes = self.camera.axes()
            flat = every @ axes.T
            low, high = box(flat)
            across, above = high[0] - low[0], (high[1] - low[1]) * 1.12  # room for the labels
            half = max(above / free, across / wide) * tall / 2 * 1.12
            distance = half / self.camera.tangent + (high[2] - low[2]) / 2
            self._take(replace(self.camera, centre=tuple(axes.T @ ((low + high) / 2)), distance=float(distance)))
            self._fitted = self._own, self._lined_up()
            return
        shaped = self.view.shaped_item()
        if shaped is not None and len(self.doc.picks()) > 1:
            cloud = shaped.in_scene()[self.doc.picks()]
            low, high = box(cloud)
            grow = 0.3 * max(float((high - low).max()), 1e-3)
            low, high = low - grow, high + grow
        else:
            low, high = bounds(self.doc.scene, self.doc.frame)
        self._fit_box(low, high)

    def go_to(self, view: SavedView) -> None:
        """Look from where a kept view looks."""
        if self.doc.through_camera:
            self.doc.change(through_camera=False)
        self.camera = Camera(view.centre, view.distance, view.yaw, view.pitch, view.parallel)
        self.view.refresh()

    def projection(self, obj: MorphObject) -> np.ndarray:
        """(n, 2): texture coordinates of an object's points as they are seen from here; the picture's height is 0…1."""
        item = next((i for i in self.view.items() if i.obj.id == obj.id), None)
        cloud = item.in_scene() if item is not None else obj.base
        width, height = self.view.width(), self.view.height()
        pixels, _ = self.camera.project(cloud, width, height)
        return np.stack([(pixels[:, 0] - width / 2) / height + 0.5, 1 - pixels[:, 1] / height], axis=1)
