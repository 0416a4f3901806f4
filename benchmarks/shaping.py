"""Brushes on 100,000 points: one dab of each as a ratio to a copy of the points, normals near it, undo's memory, and
strokes in the window by the events it keeps up with."""

from __future__ import annotations

import time

import numpy as np
import scipy.sparse  # noqa: F401 - loaded in the application too, once the first picture stands
from msgspec import Struct
from msgspec.structs import replace

from benchmarks.measure import Row, medians, ms
from benchmarks.mix import sheet
from fictilis.core.edits.shape import move_shape
from fictilis.core.edits.targets import target_from_points
from fictilis.core.geometry.normals import KeptNormals, point_normals
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.history import History
from fictilis.core.scene.scene import Deltas, MorphObject, Scene
from fictilis.core.shaping.brushes import BRUSHES, Brush, BrushStroke, MaskStroke, grab_weights
from fictilis.core.shaping.dabs import columns_of, links

GOALS = {0.01: 12.0, 0.05: 20.0}


def radius_of(obj: MorphObject, part: float) -> float:
    """A radius within which a dab in the middle touches that part of the points."""
    middle = obj.base.mean(axis=0)
    return float(np.sort(np.linalg.norm(obj.base - middle, axis=1))[int(part * len(obj.base))])


def dabs() -> list[Row]:
    obj = sheet()
    links(obj)
    bent = obj.base + np.outer(np.sin(obj.base[:, 0] / 9) * 2, [0, 1, 0])
    normals = point_normals(obj.mesh, bent)
    middles = obj.base[obj.mesh.corners.reshape(-1, 4)].mean(axis=1)
    face = obj.mesh.face(int(np.argmin(np.linalg.norm(middles - obj.base.mean(axis=0), axis=1))))
    centre = bent[face].mean(axis=0)
    out = []
    for part, goal in GOALS.items():
        radius = radius_of(obj, part)
        work = {}
        for along in (False, True):
            for kind in BRUSHES:
                stroke = BrushStroke(obj, bent, normals, Brush(kind, radius, 1e-5, along), goal=obj.base)
                work[kind, along] = lambda s=stroke: s.dab(centre, face)
            mask = MaskStroke(obj, bent, None, Brush("mask", radius, 1e-5, along), normals=normals)
            work["mask", along] = lambda s=mask: s.dab(centre, face)
            brush = Brush("grab", radius, 1.0, along)
            columns = columns_of(bent)
            work["grab", along] = lambda b=brush, c=columns: grab_weights(
                obj, bent, centre, face, b, normals=normals, columns=c
            )
        folded = Brush("grab", radius)
        work["folded", None] = lambda b=folded: grab_weights(obj, bent, centre, face, b)
        t = medians({"copy": lambda: bent.copy(), **work}, rounds=7)
        for along, said in ((False, "through space"), (True, "along the surface")):
            times = {kind: t[kind, a] for kind, a in work if a == along}
            worst = max(times, key=times.get)
            spread = ", ".join(f"{kind} {value / t['copy']:.1f}" for kind, value in times.items())
            detail = f"worst: {worst} {ms(times[worst])}, copy {ms(t['copy'])}; {spread}"
            what = f"a dab at {part:.0%}, {said}, against a copy of the points"
            out.append(Row(what, times[worst] / t["copy"], goal, True, detail))
        detail = f"{ms(t['folded', None])}: where folds make the way along the surface a search"
        out.append(Row(f"a dab at {part:.0%} over folds, against a copy", t["folded", None] / t["copy"], None, True, detail))
    return out


def normals() -> list[Row]:
    obj = sheet()
    points = (obj.base + np.random.default_rng(1).normal(size=obj.base.shape) * 0.05).astype(np.float32)
    ready = KeptNormals(obj.mesh, points)
    centre = points.mean(axis=0)
    near = np.flatnonzero(np.linalg.norm(points - centre, axis=1) < radius_of(obj, 0.05))
    t = medians({"all": lambda: point_normals(obj.mesh, points), "near": lambda: ready.update(points, near)})
    detail = f"{ms(t['near'])} for {len(near):,} points, all {ms(t['all'])}"
    return [Row("normals near a dab of 5 %, against all", t["near"] / t["all"], 0.2, True, detail)]


class _State(Struct, frozen=True):
    scene: Scene


def memory() -> list[Row]:
    obj = sheet()
    scene = Scene(objects=(obj,))
    scene, target = target_from_points(scene, obj.id, "A", obj.base * 1.1)
    history = History(_State(scene))
    rng = np.random.default_rng(0)
    strokes, moved = 200, 0
    for _ in range(strokes):
        centre = obj.base[rng.integers(len(obj.base))]
        near = np.flatnonzero(np.linalg.norm(obj.base - centre, axis=1) < 5.0)
        moved += len(near)
        scene = move_shape(scene, obj.id, ShapeRef(target), Deltas(near, rng.normal(size=(len(near), 3))))
        history.push("Push", _State(scene))
    whole = strokes * scene.objects[0].targets[0].deltas.offsets.nbytes
    detail = f"{history.nbytes / 1e6:.1f} MB for {strokes} strokes that moved {moved:,} points; kept whole {whole / 1e6:.0f} MB"
    return [Row("200 undo steps, against keeping each whole", history.nbytes / whole, 0.05, True, detail)]


def strokes() -> list[Row]:
    """Pointer events a second that a Push keeps up with, each one drawn."""
    from PyQt6.QtCore import QPointF, Qt
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    import fictilis
    from benchmarks.window import open_window
    from fictilis.core.geometry.topology import mesh_from_faces

    out = []
    large = sheet()
    for name, scene, goal in (
        ("the demo", fictilis.moon_jelly(), 60.0),
        ("100,000 points", Scene(objects=(replace(large, geometry=mesh_from_faces(len(large.base),
            large.mesh.corners.reshape(-1, 4))),)), 30.0),
    ):  # fmt: skip
        window = open_window(scene)
        doc, view = window.doc, window.view
        if name != "the demo":
            window.doc.commit("x", target_from_points(scene, large.id, "A", large.base + [0, 1.0, 0])[0])
            view.eye.look("top")
            view.eye.fit()
        doc.start_shaping(ShapeRef(doc.object.targets[0].id))
        doc.change(way="Alone")
        doc.set_tools(tool="push", size=radius_of(doc.object, 0.02))
        QTest.qWait(400)
        from tests.app.conftest import move, point

        middle = QPointF(view.width() * 0.42, view.height() * 0.4)
        for round_ in range(2):
            QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, point(middle))
            begin, count = time.perf_counter(), 40
            for k in range(count):
                move(view, middle + QPointF(3.0 * k, 20 * np.sin(k / 4)))
                view.repaint()
                QApplication.processEvents()
            took = time.perf_counter() - begin
            QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, point(middle))
            if round_ == 0:
                doc.undo()
        rate = count / took
        out.append(Row(f"events a second of a drawn Push stroke, {name}", rate, goal, False, ms(took / count) + " each"))
        doc.saved_version = doc.committed.version
        window.close()
    return out


def rows() -> list[Row]:
    import scipy.sparse.csgraph  # noqa: F401

    return dabs() + normals() + memory() + strokes()
