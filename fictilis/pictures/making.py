"""Makes what was ordered, picture by picture."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.clips import choose_clip, clip_named
from fictilis.core.scene.light import Light
from fictilis.core.scene.scene import Scene
from fictilis.pictures.look import Look
from fictilis.pictures.movie import (
    CODECS,
    SAMPLED,
    SOUND_RATE,
    Watch,
    even,
    numbered,
    shared_palette,
    write_gif,
    write_movie,
    write_numbered,
    write_png,
)
from fictilis.pictures.orders import KINDS, Order, look_of, values_of
from fictilis.pictures.sheet import cells, count_of, laid_out, size_of
from fictilis.pictures.shots import LOOKED_AT, Aim, Shots, aimed
from fictilis.pictures.words import burnt_in
from fictilis.render.beside import Draws
from fictilis.render.camera import Camera
from fictilis.render.renderer import Renderer
from fictilis.render.stage import Stage

MOST_PICTURES = 100_000
QUICK_PICTURES, QUICK_POINTS = 60, 2_000_000  # of a sheet that is shown before it is made


class _Made:
    """Tells whoever watches of each picture."""

    def __init__(self, watch: Watch | None, count: int) -> None:
        self.watch, self.count, self.number = watch, count, 0

    def tell(self, picture: np.ndarray) -> np.ndarray:
        self.number += 1
        if self.watch is not None:
            self.watch(self.number, self.count, picture)
        return picture


def frames_of(values: Mapping[str, Any], scene: Scene) -> list[float]:
    """The frame that each picture of a movie shows: as many a second as its rate says, the first and last frame included,
    but for the last of a loop.
    Raises EditRefused where they are too many."""
    step = scene.fps / values["rate"]
    if "seconds" in values:
        count = max(round(values["seconds"] * abs(values["turns"] or 1.0) * values["rate"]), 1)
    else:
        count = int((values["last"] - values["first"]) / step + 1e-6) + 1
    if count > MOST_PICTURES:
        raise EditRefused(f"That would be {count:,} pictures; up to {MOST_PICTURES:,} are made.")
    if "seconds" in values:
        return [values["frame"]] * count
    frames = [values["first"] + n * step for n in range(count)]
    return frames[:-1] if values["looped"] and count > 1 and frames[-1] > values["last"] - 1e-6 else frames


def clipped(scene: Scene, order: Order) -> Scene:
    """The scene with the active clip that was ordered. Raises EditRefused for one that there is not."""
    return choose_clip(scene, clip_named(scene, order.clip).id) if order.clip else scene


def files_of(order: Order, scene: Scene) -> list[Path]:
    """The files that will be written."""
    scene = clipped(scene, order)
    path, values = Path(order.path), values_of(order, scene)
    if KINDS[order.kind].moves and path.suffix.lower() == ".png":
        first = _first_number(values)
        return [numbered(path, first + n) for n in range(len(frames_of(values, scene)))]
    return [path]


def _first_number(values: Mapping[str, Any]) -> int:
    return max(round(values.get("first", 1)), 0)


def make(scene: Scene, order: Order, watch: Watch | None = None, light: Light = Light()) -> list[str]:
    """Make it; sentences on what is other than was ordered. Raises EditRefused for what cannot be made, and CannotSave."""
    scene = clipped(scene, order)
    if not any(len(obj.base) for obj in scene.objects):
        raise EditRefused(f"{scene.name} has no object to be seen.")
    values = values_of(order, scene)
    path, look = Path(order.path), replace(look_of(values), light=light)
    with Renderer() as renderer:
        if order.kind == "sheet":
            told = _Made(watch, count_of(scene, order, values))
            made = [(name, told.tell(picture)) for name, picture in cells(scene, order, values, Shots(scene, look, renderer))]
            write_png(path, laid_out(made, scene.name, values))
            return []
        if order.kind == "snapshot":
            aim = _aim(scene, order, values, look)
            picture = Shots(scene, look, renderer).picture(values["frame"], aim)
            write_png(path, _Made(watch, 1).tell(_burnt(picture, scene, values["frame"], values)))
            return []
        return _movie(scene, order, values, look, watch, renderer)


def one_of(
    scene: Scene, order: Order, values: Mapping[str, Any], frame: float, most: tuple[int, int], light: Light,
    renderer: Draws, kept: Shots | Stage,
) -> tuple[Shots, np.ndarray]:  # fmt: skip
    """A picture, at most so large, of what would be made: the frame that is asked for, or ``frame`` where it is in the range.
    The shots come back to be handed in again, at first a stage that has the objects ready, so that the next one is quick."""
    size = (values["width"], values["height"])
    sheet = order.kind == "sheet" and _is_light(scene, order, values)
    part = min(
        *(a / b for a, b in zip(most, size_of(count_of(scene, order, values), values) if sheet else size, strict=True)), 1.0
    )
    small = {**values, "width": max(round(size[0] * part), 1), "height": max(round(size[1] * part), 1)}
    look = replace(look_of(small), light=light, step=scene.fps / small.get("rate", scene.fps))
    shots = kept if isinstance(kept, Shots) and kept.scene is scene else None
    shots = shots or Shots(scene, look, renderer, kept if isinstance(kept, Stage) else None)
    shots.take(look)
    if sheet:
        return shots, laid_out(list(cells(scene, order, small, shots)), scene.name, small)
    at = values["frame"] if "frame" in values else min(max(frame, values["first"]), values["last"])
    return shots, _burnt(shots.picture(at, _aim(scene, order, values, look)), scene, at, values)


def _is_light(scene: Scene, order: Order, values: Mapping[str, Any]) -> bool:
    """Whether a whole sheet is made in a moment."""
    count = count_of(scene, order, values)
    return count <= QUICK_PICTURES and count * sum(len(obj.base) for obj in scene.objects) <= QUICK_POINTS


def _movie(
    scene: Scene, order: Order, values: Mapping[str, Any], look: Look, watch: Watch | None, renderer: Draws
) -> list[str]:
    path, suffix, said = Path(order.path), Path(order.path).suffix.lower(), []
    look = replace(look, insides=False)  # which are gone as soon as they would be seen
    if suffix in CODECS and (look.width % 2 or look.height % 2):
        look = replace(look, width=even(look.width), height=even(look.height))
        said.append(f"The size is {look.width} × {look.height}: such a movie has even numbers of pixels.")
    frames = frames_of(values, scene)
    look = replace(look, step=scene.fps / values["rate"])
    shots, aim = Shots(scene, look, renderer), _aim(scene, order, values, look)
    turned = [360.0 * values["turns"] * n / len(frames) for n in range(len(frames))] if "turns" in values else None

    def one(number: int) -> np.ndarray:
        frame = frames[number]
        through = aim if turned is None else _round(aim, frame, turned[number])
        return _burnt(shots.picture(frame, through), scene, frame, values)

    told = _Made(watch, len(frames))

    def pictures() -> Iterator[np.ndarray]:
        for number in range(len(frames)):
            yield told.tell(one(number))

    if suffix == ".png":
        write_numbered(path, pictures(), _first_number(values))
    elif suffix == ".gif":
        chosen = np.unique(np.linspace(0, len(frames) - 1, min(SAMPLED, len(frames))).astype(int))
        palette = shared_palette([one(int(number)) for number in chosen])
        write_gif(path, pictures(), palette, (look.width, look.height), values["rate"])
    else:
        write_movie(
            path, pictures(), (look.width, look.height), values["rate"], _sound(scene, values, len(frames)), values["quality"]
        )
    if suffix not in CODECS and _sound(scene, values, 1) is not None:
        said.append("The sound is left out: only MP4 and WebM have one.")
    return said


def _aim(scene: Scene, order: Order, values: Mapping[str, Any], look: Look) -> Aim:
    """Through what it is seen. A view of all that moves is the same for single pictures of any frame."""
    first, last = (values["first"], values["last"]) if "first" in values else (scene.start, scene.end)
    frames = [values["frame"]] if "turns" in values else np.linspace(first, last, LOOKED_AT).tolist()
    return aimed(scene, order.camera, look, frames, "turns" in values)


def _round(aim: Aim, frame: float, degrees: float) -> Aim:
    """A camera that has gone so far about what it looks at."""
    camera: Camera = aim(frame)
    gone = replace(camera, yaw=(camera.yaw + degrees) % 360)
    return lambda _frame: gone


def _burnt(picture: np.ndarray, scene: Scene, frame: float, values: Mapping[str, Any]) -> np.ndarray:
    marker = ""
    if values.get("markers"):
        passed = [m for m in scene.markers if m.frame <= frame + 1e-6]
        marker = max(passed, key=lambda m: m.frame).name if passed else ""
    name, number = scene.name if values.get("name") else "", f"{frame:g}" if values.get("number") else ""
    return burnt_in(picture, name, marker, number) if name or marker or number else picture


def _sound(scene: Scene, values: Mapping[str, Any], pictures: int) -> np.ndarray | None:
    """(n, 2) int16 that is heard over so many pictures from the first frame on; None where there is nothing to hear."""
    sound = scene.sound
    if sound is None or sound.muted or sound.volume <= 0 or values.get("silent", True):
        return None
    from fictilis.formats.sound import decoded

    samples = decoded(sound).samples
    count = int(Fraction(pictures) / Fraction(values["rate"]).limit_denominator(1001) * SOUND_RATE)
    start = round((values["first"] - sound.start) / scene.fps * SOUND_RATE)  # what is heard first, of the sound
    out = np.zeros((count, 2), np.int16)
    low, high = max(start, 0), min(start + count, len(samples))
    if high > low:
        part = samples[low:high]
        out[low - start : high - start] = part if sound.volume == 1 else np.round(part * sound.volume)
    return out
