"""Mesh files numbered in a row, such as ``fin_01.obj`` to ``fin_24.obj``, or points over a range, as shapes of one object."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from fictilis.core.geometry.matching import require_match
from fictilis.core.ground.errors import FictilisError, NotATarget
from fictilis.core.ground.names import by_number
from fictilis.core.scene.scene import MorphObject
from fictilis.formats.files import MeshData, Progress, no_progress
from fictilis.formats.points import SUFFIX, read_points
from fictilis.formats.registry import read_meshes


class Row(NamedTuple):
    """The shapes that fit, by name and points (n, 3); the meshes that do not, each with the reason; what else was said; and
    the frames of the shapes, where a file says them."""

    shapes: list[tuple[str, np.ndarray]]
    others: list[tuple[MeshData, str]]
    warnings: list[str]
    frames: list[float]


def in_order(paths: Sequence[Path]) -> list[Path]:
    """Files by their numbers: ``fin_2`` before ``fin_10``."""
    return sorted(paths, key=lambda path: by_number(path.name))


def row_name(paths: Sequence[Path]) -> str:
    """What the files are called without their numbers: “fin” of ``fin_01.obj``."""
    return re.sub(r"[\W_]*\d+\Z", "", paths[0].stem) or "Relay"


def read_row(obj: MorphObject, paths: Sequence[Path], progress: Progress = no_progress) -> Row:
    """Read numbered files as shapes of ``obj``, in the order of their numbers. One that cannot be read raises BadFile."""
    out = Row([], [], [], [])
    for number, path in enumerate(in_order(paths)):
        if path.suffix.lower() == SUFFIX:
            frames, points = read_points(path, obj.name, len(obj.base))
            out.shapes.extend((f"{path.stem} {frame:g}", shape) for frame, shape in zip(frames, points, strict=True))
            if len(paths) == 1:
                out.frames.extend(frames.tolist())
            continue
        read = read_meshes(path)
        out.warnings.extend(read.warnings)
        if len(read.objects) != 1:
            raise FictilisError(f"{path.name} holds {len(read.objects)} objects; a shape in a row is one.")
        add_shape(out, obj, replace(read.objects[0], name=path.stem))
        progress((number + 1) / len(paths))
    return out


def add_shape(row: Row, obj: MorphObject, data: MeshData) -> None:
    """Put a mesh among the shapes of ``obj``, or with the reason among those that do not fit."""
    try:
        require_match(obj.geometry, data.geometry, data.name, f"the base {obj.name}")
        row.shapes.append((data.name, data.points))
    except NotATarget as error:
        row.others.append((data, error.said))
