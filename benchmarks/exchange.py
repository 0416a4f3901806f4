"""Files of other programs beside the least that could be done with the same bytes, in one run.

A scene of 100,000 points × 52 targets that each move a part of them, and a table of 52 × 10,000 weights.
"""

from __future__ import annotations

import json
import os
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace

from benchmarks.measure import Row, ms
from fictilis.core.animation.curve import Key
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.scene.scene import Deltas, Scene, Target
from fictilis.formats.choices import Choices
from fictilis.formats.files import write_whole
from fictilis.formats.gltf_scene import read_gltf
from fictilis.formats.registry import export
from fictilis.formats.usd_reading import read_here
from fictilis.formats.usd_writing import write_usd
from fictilis.formats.weights import read_weights

TARGETS, POINTS, ROWS = 52, 100_000, 10_000


def large() -> Scene:
    """A globe of 100,000 points whose targets move all of it, so that none is written sparsely."""
    scene, ball = add_form(Scene(end=24.0), "Globe", {"segments": 400, "rings": 251})
    obj = scene.object(ball)
    rng = np.random.default_rng(5)
    targets = tuple(
        Target(f"t{n}", f"Target {n}", Deltas.from_dense(rng.normal(size=obj.base.shape))) for n in range(1, TARGETS + 1)
    )
    scene = scene.with_object(replace(obj, targets=targets))
    for n in range(1, TARGETS + 1):
        scene = set_key(set_key(scene, ball, f"t{n}", Key(0, 0.0, "linear")), ball, f"t{n}", Key(n % 24 + 1, 1.0, "linear"))
    return scene


def rows() -> Iterator[Row]:
    with tempfile.TemporaryDirectory(prefix="fictilis-") as name:
        yield from _rows(Path(name))


def _best(function: Callable[[], object]) -> float:
    """The shortest of three runs in seconds, after one that is not counted: what writes to a disk varies upward only."""
    times = []
    for _ in range(4):
        start = time.perf_counter()
        function()
        times.append(time.perf_counter() - start)
    return min(times[1:])


def _row(what: str, mine: Callable[[], object], least: Callable[[], object], goal: float | None) -> Row:
    ours, theirs = _best(mine), _best(least)
    return Row(what, ours / theirs, goal, True, f"{ms(ours)} to {ms(theirs)}")


def _rows(folder: Path) -> Iterator[Row]:
    scene, glb, usd, csv = large(), folder / "a.glb", folder / "a.usdc", folder / "a.csv"
    export(scene, glb)
    data, size = glb.read_bytes(), f"{len(scene.objects[0].base):,} × {TARGETS}"
    yield _row(f"write a glb, {size} / its bytes", lambda: export(scene, glb), lambda: _write(folder / "b.glb", data), 3.0)
    yield _row("read it / NumPy, the same arrays", lambda: read_gltf(glb), lambda: _arrays(glb), 3.0)
    write_usd(usd, scene)
    told, core = _told(usd), folder / "core.usdc"
    yield _row("write OpenUSD / usd-core, the same", lambda: write_usd(usd, scene), lambda: _by_usd_core(told, core), 1.3)
    yield _row("read OpenUSD / usd-core, the same", lambda: read_here(usd), lambda: _read_by_usd_core(usd), None)
    table = np.random.default_rng(3).random((ROWS, TARGETS))
    head = "frame," + ",".join(f"Target {n}" for n in range(1, TARGETS + 1))
    np.savetxt(csv, np.hstack([np.arange(ROWS)[:, None], table]), "%.6f", ",", header=head, comments="")
    loads = lambda: np.loadtxt(csv, delimiter=",", skiprows=1)  # noqa: E731
    yield _row(f"read weights, {TARGETS} × {ROWS:,} / numpy.loadtxt", lambda: read_weights(csv), loads, 3.0)
    whole, out = Choices(first=0.0, last=ROWS - 1.0), folder / "o.csv"
    saves = lambda: np.savetxt(folder / "p.csv", table, "%.9g", ",")  # noqa: E731
    yield _row("write such weights / numpy.savetxt", lambda: export(scene, out, choices=whole), saves, None)


def _write(path: Path, data: bytes) -> None:
    """As whole files are written: to the disk, beside the old one."""
    write_whole(path, lambda temporary: temporary.write_bytes(data))


def _arrays(path: Path) -> list[np.ndarray]:
    """Every accessor of a binary glTF as an array of its own, by NumPy alone."""
    data = path.read_bytes()
    length = int(np.frombuffer(data, "<u4", 1, 12)[0])
    told, start = json.loads(data[20 : 20 + length]), 28 + length
    wide = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}
    out = []
    for accessor in told["accessors"]:
        view = told["bufferViews"][accessor["bufferView"]]
        kind = np.float32 if accessor["componentType"] == 5126 else np.uint32
        flat = np.frombuffer(data, kind, accessor["count"] * wide[accessor["type"]], start + view.get("byteOffset", 0))
        out.append(flat.astype(np.float64 if kind is np.float32 else np.int64))
    return out


def _told(path: Path) -> list[tuple[str, str, str, Any, float | None, Any]]:
    """Every value of a file: its prim, the kind of that, its name, its type, its frame, and what it is, as NumPy has it."""
    from pxr import Usd

    stage, out = Usd.Stage.Open(str(path)), []
    for prim in stage.Traverse():
        for attribute in prim.GetAuthoredAttributes():
            for frame in attribute.GetTimeSamples() or [None]:
                value = attribute.Get() if frame is None else attribute.Get(frame)
                kept = np.array(value) if type(value).__name__.endswith("fArray") else value
                out.append((prim.GetPath(), prim.GetTypeName(), attribute.GetName(), attribute.GetTypeName(), frame, kept))
    return out


def _by_usd_core(told: list[tuple], path: Path) -> None:
    """All of these written anew by usd-core alone, from arrays of NumPy as ours are, and to the disk as ours."""
    from pxr import Usd, Vt

    stage = Usd.Stage.CreateNew(str(path))
    for prim, kind, name, way, frame, value in told:
        if isinstance(value, np.ndarray):
            arrays = {3: Vt.Vec3fArray, 2: Vt.Vec2fArray}
            value = (arrays[value.shape[1]] if value.ndim > 1 else Vt.FloatArray).FromNumpy(value)
        attribute = stage.DefinePrim(prim, kind).CreateAttribute(name, way)
        if frame is None:
            attribute.Set(value)
        else:
            attribute.Set(value, frame)
    stage.GetRootLayer().Save()
    del stage
    with open(path, "rb") as written:
        os.fsync(written.fileno())
    path.unlink()


def _read_by_usd_core(path: Path) -> int:
    from pxr import Usd

    stage, size = Usd.Stage.Open(str(path)), 0
    for prim in stage.Traverse():
        for attribute in prim.GetAuthoredAttributes():
            value = attribute.Get()
            size += len(np.array(value)) if hasattr(value, "__len__") and not isinstance(value, str) else 1
    return size
