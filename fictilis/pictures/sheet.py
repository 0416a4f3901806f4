"""Many pictures on one, each with its name below it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from fictilis.core.ground.affine import placed_box, rgb
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.relay import poses, relays, shape_name
from fictilis.core.mix.shapes import ShapeRef, shape_points
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.pictures.look import CLEAR, Look, colour_of
from fictilis.pictures.orders import Order, look_of
from fictilis.pictures.shots import Shots, aimed
from fictilis.pictures.words import font, shortened
from fictilis.render.camera import Camera
from fictilis.render.dress import cloth_of
from fictilis.render.snapshot import START_PITCH, START_YAW, draw_item

LARGEST = 16_384  # pixels along a side
Cell = tuple[str, np.ndarray]


def frames_of(values: Mapping[str, Any]) -> list[float]:
    """Every n-th frame of the range."""
    return np.arange(values["first"], values["last"] + 1e-6, values["step"]).tolist()


def count_of(scene: Scene, order: Order, values: Mapping[str, Any]) -> int:
    """How many pictures there will be. Raises EditRefused where there is nothing."""
    if values["of"] == "frames":
        return len(frames_of(values))
    obj = _object(scene, order, values)
    if values["of"] == "poses":
        return len(poses(obj, _relay(obj, order)))
    if not obj.targets:
        raise EditRefused(f"{obj.name} has no targets for a sheet.")
    return len(obj.targets) + 1


def cells(scene: Scene, order: Order, values: Mapping[str, Any], shots: Shots) -> Iterator[Cell]:
    """The pictures, each with its name."""
    look = shots.look
    if values["of"] == "frames":
        frames = frames_of(values)
        aim = aimed(scene, order.camera, look, frames)
        named = {round(m.frame): m.name for m in scene.markers}
        for frame in frames:
            marker = named.get(round(frame))
            yield f"{frame:g}" + (f" · {marker}" if marker else ""), shots.picture(frame, aim)
        return
    obj = _object(scene, order, values)
    shapes = [("Base", ShapeRef(None)), *((t.name, ShapeRef(t.id)) for t in obj.targets)]
    if values["of"] == "poses":
        row = poses(obj, _relay(obj, order))
        shapes = [(f"{k.frame:g} · {shape_name(obj, k.shape or '')}", ShapeRef(k.shape or None)) for k in row]
    matrix = obj.transform.matrix()
    camera = _eye(scene, order, obj, [ref for _, ref in shapes], look.width / look.height)
    cloth = None if obj.appearance.texture is None else cloth_of(obj.geometry, obj.appearance.texture)
    for number, (name, ref) in enumerate(shapes):
        item = draw_item(obj, shape_points(obj, ref), ("sheet", number % 2))
        item.matrix, item.cloth = matrix, cloth
        yield name, shots.of_items([item], camera)


def _eye(scene: Scene, order: Order, obj: MorphObject, refs: list[ShapeRef], aspect: float) -> Camera:
    """From where all shapes are seen, in the direction of a camera where one is named."""
    boxes = [placed_box(shape_points(obj, ref), obj.transform.matrix()) for ref in refs]
    low, high = np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)
    camera = Camera(yaw=START_YAW, pitch=START_PITCH)
    if order.camera is not None and (order.camera or scene.camera is not None):
        camera = aimed(scene, order.camera, Look(), ())(scene.start)
    return camera.fitted(low, high, aspect, 1.15)


def _object(scene: Scene, order: Order, values: Mapping[str, Any]) -> MorphObject:
    """The object that is named; else the first that has what the sheet is of."""
    if order.object:
        return scene.object_named(order.object)
    if values["of"] == "poses":
        leads = [o for o in scene.objects if any(poses(o, g.id) and order.relay in ("", g.name) for g in relays(o).values())]
        if leads:
            return leads[0]
    if not scene.objects:
        raise EditRefused(f"{scene.name} has no object for a sheet.")
    return next((obj for obj in scene.objects if obj.visible and obj.targets), scene.objects[0])


def _relay(obj: MorphObject, order: Order) -> str:
    for group_id, group in relays(obj).items():
        if poses(obj, group_id) and order.relay in ("", group.name):
            return group_id
    raise EditRefused(f"{obj.name} has no relay{f' named “{order.relay}”' if order.relay else ''} with poses for a sheet.")


def laid_out(made: list[Cell], title: str, values: Mapping[str, Any]) -> np.ndarray:
    """(h, w, 4) uint8: the sheet. Raises EditRefused where it is too large to be drawn."""
    from PIL import Image, ImageDraw

    width, height = int(values["width"]), int(values["height"])
    across, gap, size, line, head, whole = _measures(len(made), values)
    if max(whole) > LARGEST:
        raise EditRefused(f"The sheet would be {whole[0]:,} × {whole[1]:,} pixels; up to {LARGEST:,} each way are drawn.")
    ground = values["ground"]
    clear, paper = ground == CLEAR, "#F6F1E8" if ground == CLEAR else colour_of(look_of(values).ground).top
    dark = sum(rgb(paper)) < 1.5
    ink = (237, 230, 219, 255) if dark else (46, 41, 37, 255)
    sheet = Image.new("RGBA", whole, (0, 0, 0, 0) if clear else paper)
    draw = ImageDraw.Draw(sheet)
    draw.text(
        (gap, head / 2), shortened(title, font(size * 1.25, True), whole[0] - 2 * gap), ink, font(size * 1.25, True), "lm"
    )
    for number, (name, picture) in enumerate(made):
        row, column = divmod(number, across)
        left, top = gap + column * (width + gap), head + row * (height + line + gap)
        sheet.paste(Image.fromarray(np.ascontiguousarray(picture)), (left, top))
        draw.text((left + width / 2, top + height + line / 2), shortened(name, font(size), width), ink, font(size), "mm")
    return np.asarray(sheet)


def _measures(count: int, values: Mapping[str, Any]) -> tuple[int, int, float, int, int, tuple[int, int]]:
    """Pictures across, the gap between them, the size of the type, the heights of a name and of the title, and the whole size;
    all but the first in pixels."""
    width, height = int(values["width"]), int(values["height"])
    across = min(int(values["columns"]) or columns_for(count, width, height), count)
    down = -(-count // across)
    gap, size = max(round(width / 22), 6), max(width / 20, 9.0)
    line, head = round(size * 1.9), round(size * 3.2)
    return across, gap, size, line, head, (gap + across * (width + gap), head + down * (height + line + gap))


def size_of(count: int, values: Mapping[str, Any]) -> tuple[int, int]:
    """Of a sheet of so many pictures, in pixels."""
    return _measures(count, values)[-1]


def columns_for(count: int, width: int, height: int) -> int:
    """So many that the sheet is about as wide as a screen."""
    return max(1, min(count, round((count * 1.6 * height / width) ** 0.5)))
