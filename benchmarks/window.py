"""The window: a frame of playback against the bare draw, the rate that holds, a grab stroke, and the start."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from benchmarks.measure import Row, medians, ms

WIDTH, HEIGHT = 1280, 800
EMPTY = """
import sys, time
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
class W(QMainWindow):
    def paintEvent(self, e):
        super().paintEvent(e)
        QTimer.singleShot(0, lambda: (print('painted', time.time(), flush=True), app.quit()))
w = W(); w.resize(1280, 800); w.show(); app.exec()
"""
# the program as it is called; once its window was told to show, and before any event, its event loop is listened to
OURS = """
import os, sys, time
from PyQt6 import QtWidgets
from PyQt6.QtCore import QEvent, QObject, QTimer
from fictilis.cli import main

def say(*words):
    print(*words, flush=True)

class First(QObject):
    told = False
    def eventFilter(self, _o, e):
        if e.type() == QEvent.Type.Paint and not self.told:
            self.told = True
            QTimer.singleShot(0, lambda: say('painted', time.time()))
        return False

def run(_app):
    w = next(w for w in QtWidgets.QApplication.topLevelWidgets() if w.isVisible())
    first = First()
    w.installEventFilter(first)
    def shown():
        say('picture', time.time())
        say('loaded', *[m for m in ('scipy', 'trimesh', 'pxr', 'av') if m in sys.modules])
    w.pictured.connect(shown)
    w.ready.connect(lambda: (say('ready', time.time()), QTimer.singleShot(0, lambda: os._exit(0))))
    return loop()

loop, QtWidgets.QApplication.exec = QtWidgets.QApplication.exec, run
main(['demo'])
"""


def _launch(code: str, home: str) -> dict[str, float]:
    known = {**os.environ, "FICTILIS_HOME": home}
    start = time.time()
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, env=known)
    out = {}
    for line in done.stdout.splitlines():
        name, *rest = line.split()
        if name == "loaded":
            assert not rest, f"loaded before the first picture: {rest}"
        else:
            out[name] = float(rest[0]) - start
    return out


def start_rows() -> list[Row]:
    empty, first, picture, ready = [], [], [], []
    with tempfile.TemporaryDirectory() as home:
        for _ in range(6):
            empty.append(_launch(EMPTY, home)["painted"])
            ours = _launch(OURS, home)
            first.append(ours["painted"])
            picture.append(ours["picture"])
            ready.append(ours["ready"])
    e, f, p, r = (sorted(v)[len(v) // 2] for v in (empty, first, picture, ready))
    detail = f"first painted frame {f:.2f} s, model in it {p:.2f} s, all of the window {r:.2f} s, empty window {e:.2f} s"
    return [
        Row("start: first painted frame against an empty PyQt6 window", f / e, 3.5, True, detail),
        Row("start: model in the picture against an empty PyQt6 window", p / e, 4.5, True, detail),
    ]


def open_window(scene):
    from fictilis.app.model.document import Document
    from fictilis.app.model.settings import Settings
    from fictilis.app.window import Window

    home = Path(tempfile.mkdtemp())
    doc = Document()
    doc.open_scene(scene, None)
    window = Window(doc, Settings(home / "s.ini"), home / "r")
    window.show()
    return window


def _heavy_scene(segments: int):
    """A ball of 12 triangles a segment's square with two keyed targets; 64 segments are about 50,000 triangles."""
    import fictilis
    from fictilis.core.animation.curve import Key

    points, mesh = fictilis.primitives.ball(40.0, segments)
    scene, ball = fictilis.objects.add_object(fictilis.Scene(name="Ball"), "Ball", mesh, points)
    for name, shape in (("Wide", points * [1.4, 1, 1]), ("Wave", points + np.sin(points[:, [1]] / 5) * [3, 0, 0])):
        scene, target = fictilis.targets.target_from_points(scene, ball, name, shape)
        for frame, value in ((0, 0), (24, 1), (48, 0)):
            scene = fictilis.keys.set_key(scene, ball, target, Key(frame, value))
    return scene


def playback_rows() -> list[Row]:
    from PyQt6.QtTest import QTest

    from fictilis.app.start import application
    from fictilis.demo.jelly import moon_jelly

    app = application()
    out = []
    from benchmarks.repeats import cups
    from fictilis.core.scene.light import Light

    heavy = ((f"{count},000 triangles", _heavy_scene(segments)) for count, segments in ((50, 64), (100, 91), (200, 129)))
    scenes = (("200 cups of 510 faces, each later", cups()), ("Moon jelly", moon_jelly()), *heavy)
    for name, scene in scenes:
        window = open_window(scene)
        QTest.qWait(2500)
        view, doc = window.view, window.doc
        plain, camera, picture = window.palette_.view, view.camera, view.picture
        doc.see(ground=True)
        grounded, items, frame = view.backing.background(), view.draw_items(), {"at": 0.0}
        doc.see(ground=False)

        def whole(view=view, doc=doc, frame=frame, picture=picture, camera=camera, plain=plain) -> None:
            frame["at"] = (frame["at"] + 1) % 90
            doc.session = replace(doc.session, frame=frame["at"])
            picture.draw(view.draw_items(), camera, WIDTH, HEIGHT, 1.0, plain, False)

        def drawn(light: Light, background, fine: bool, renderer=picture.renderer, items=items, camera=camera):
            def draw() -> None:
                renderer.light = light
                renderer.draw(items, camera, WIDTH, HEIGHT, background, fine, swift=not fine)
                renderer.light = Light()

            return draw

        t = medians({"whole": whole, "bare": drawn(Light(), plain, False)}, rounds=15)
        t |= medians(
            {
                "flat": drawn(Light(relief=0), plain, False), "ground": drawn(Light(), grounded, False),
                "still": drawn(Light(), grounded, True), "open": drawn(Light(shade=0), plain, True),
                "lines": drawn(Light(shade=0, lines=1), plain, True),
            }, rounds=4,
        )  # fmt: skip
        detail = f"whole {ms(t['whole'])}, bare draw {ms(t['bare'])} at 1280×800"
        out.append(Row(f"a frame of {name} (evaluate, normals, upload, draw)", t["whole"] / t["bare"], 1.6, True, detail))
        for what, a, b, goal in (
            ("with relief and ground / neither", "ground", "flat", 1.15),
            ("at rest with shade, ground and shadow / neither", "still", "open", 1.6),
            ("at rest with surface lines / without", "lines", "open", 2.0),
        ):
            out.append(Row(f"{name} {what}", t[a] / t[b], goal, True, f"{ms(t[a])} at 1280×800"))
        window.resize(1280, 800)
        window.playback.start()
        QTest.qWait(3000)
        shown = window.playback.measured
        window.playback.stop()
        out.append(
            Row(
                f"{name} playing in the window: shown of 24 a second", shown / 24, 0.97, False, f"{shown:.1f} pictures a second"
            )
        )
        window.close()
    app.processEvents()
    return out


def _drag_times(widget, places, after) -> list[float]:
    """Seconds from each move of a drag to its frame being painted; ``after`` is the widget whose picture counts."""
    from PyQt6.QtCore import QEvent, QPointF, Qt
    from PyQt6.QtGui import QMouseEvent
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    from fictilis.app.view import picture

    left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    soon, picture.SOON = picture.SOON, 5.0  # each picture is waited for

    def send(kind, at, button, buttons) -> None:
        place = QPointF(*at)
        QApplication.sendEvent(
            widget, QMouseEvent(kind, place, QPointF(widget.mapToGlobal(place.toPoint())), button, buttons, none)
        )

    send(QEvent.Type.MouseButtonPress, places[0], left, left)
    times = []
    for at in places[1:]:
        start = time.perf_counter()
        send(QEvent.Type.MouseMove, at, Qt.MouseButton.NoButton, left)
        after.repaint()
        widget.repaint()
        times.append(time.perf_counter() - start)
    send(QEvent.Type.MouseButtonRelease, places[-1], left, Qt.MouseButton.NoButton)
    QTest.qWait(300)
    picture.SOON = soon
    return times


def lane_rows() -> list[Row]:
    """Scrubbing the demo, and dragging a bead while 100 lanes stand in the list, each against the bare draw of the view."""
    from msgspec.structs import replace
    from PyQt6.QtTest import QTest

    from fictilis.app.start import application
    from fictilis.core.animation.curve import AnimationCurve, Key
    from fictilis.demo.jelly import moon_jelly

    application()
    scene = moon_jelly()
    window = open_window(scene)
    window.resize(WIDTH, HEIGHT)
    QTest.qWait(2500)
    view, lanes = window.view, window.lanes
    items = view.draw_items()

    def bare() -> float:
        draws = {"bare": lambda: view.picture.renderer.draw(
            items, view.camera, view.width(), view.height(), window.palette_.view)}  # fmt: skip
        return medians(draws, rounds=15)["bare"]

    def median(times: list[float]) -> float:
        return sorted(times)[len(times) // 2]

    y = 12
    scrub = _drag_times(lanes.viewport(), [(lanes.axis.x(f), y) for f in range(10, 80)], view)
    quiet = bare()
    obj = scene.objects[0]
    targets = tuple(replace(obj.targets[n % len(obj.targets)], id=f"t{n + 1}", name=f"Target {n + 1}") for n in range(100))
    keyed = replace(obj, targets=tuple(replace(t, built_on=None) for t in targets), lanes=())
    for n, target in enumerate(targets):
        curve = AnimationCurve(tuple(Key(float(f + n % 5), (f // 8) % 2 * 0.05) for f in range(0, 90, 8)))
        keyed = keyed.with_lane(target.id, curve)
    window.doc.open_scene(replace(scene, objects=(keyed,)), None)
    QTest.qWait(1500)
    place = lanes.place_of("Target 1")
    x, y = lanes.axis.x(8.0), place.y(place.curve.key_at(8.0).value)
    drag = _drag_times(lanes.viewport(), [(x + 0.7 * n, y - 0.1 * n) for n in range(60)], view)
    slow = bare()
    window.doc.saved_version = window.doc.committed.version
    window.close()
    return [
        Row("scrubbing the demo in the window: event to painted / bare draw", median(scrub) / quiet, None, True,
            f"{ms(median(scrub))} to {ms(quiet)}"),
        Row("dragging a bead with 100 lanes: event to painted / bare draw", median(drag) / slow, None, True,
            f"{ms(median(drag))} to {ms(slow)}"),
    ]  # fmt: skip


def rows() -> list[Row]:
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    return start_rows() + playback_rows() + lane_rows()
