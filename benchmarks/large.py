"""Very large scenes in the real window: for each action the longest stretch in which no event was served, in seconds.

``python -m benchmarks.large`` prints the first three scenes, with names of scenes those: points, lanes, objects, million,
more-lanes, more-objects, clips.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ["OPENBLAS_NUM_THREADS"] = "1"

import numpy as np

GOAL = 0.15
FIRST = ("points", "lanes", "objects")
FRAMES = 5000


def _lanes(ids, rng):
    from fictilis.core.animation.curve import AnimationCurve, Key
    from fictilis.core.scene.timeline import Lane

    made = []
    for target_id in ids:
        frames = np.sort(rng.choice(FRAMES, 20, replace=False))
        values = rng.uniform(0, 1, 20)
        keys = tuple(Key(float(f), float(v)) for f, v in zip(frames, values, strict=True))
        made.append(Lane(target_id, AnimationCurve(keys)))
    return tuple(made)


def _object(number: int, side: int, targets: int, share: float, rng, keyed: bool = True):
    from fictilis.core.geometry.primitives import plane
    from fictilis.core.scene.places import Transform
    from fictilis.core.scene.scene import LANE_COLOURS, Deltas, MorphObject, Target

    points, mesh = plane(40, 40, side - 1, side - 1)
    count = len(points)
    made = []
    for n in range(targets):
        away = np.linalg.norm(points - points[rng.integers(0, count)], axis=1)
        radius = 40 * np.sqrt(share / np.pi)
        index = np.flatnonzero(away < radius)  # a smooth bump
        offsets = np.outer((1 - (away[index] / radius) ** 2) ** 2, rng.normal(0, 1.5, 3))
        colour = LANE_COLOURS[n % len(LANE_COLOURS)]
        made.append(Target(f"t{n + 1}", f"Target {n + 1}", Deltas(index.astype(np.int32), offsets), colour))
    lanes = _lanes([t.id for t in made], rng) if keyed else ()
    place = Transform(position=(45.0 * (number % 10), 0.0, 45.0 * (number // 10)))
    return MorphObject(f"o{number + 1}", f"Sheet {number + 1}", mesh, points, tuple(made), lanes, place)


def scene_of(name: str):
    from fictilis.core.scene.scene import Scene

    rng = np.random.default_rng(1)
    many = {
        "points": (1, 447, 60, 0.2), "lanes": (1, 40, 1000, 0.05), "objects": (100, 24, 6, 0.3),
        "million": (1, 1000, 20, 0.2), "more-lanes": (1, 40, 2000, 0.05), "more-objects": (300, 24, 6, 0.3),
        "clips": (10, 40, 10, 0.3),
    }  # fmt: skip
    count, *rest = many[name]
    scene = Scene(name.capitalize(), end=float(FRAMES), objects=tuple(_object(n, *rest, rng) for n in range(count)))
    return _with_clips_and_cues(scene) if name == "clips" else scene


def _with_clips_and_cues(scene):
    """100 clips, and 500 cues one after the other."""
    from fictilis.core.edits.clips import duplicate_clip
    from fictilis.core.edits.cues import add_cue
    from fictilis.core.scene.cues import KEY, LEAD, Act, Cue, Lead, When

    for _ in range(99):
        scene, _ = duplicate_clip(scene)
    for n in range(500):
        act = Act(LEAD, (Lead(f"o{n % 10 + 1}", "t1", 1.0),), seconds=0.5)
        scene, _ = add_cue(scene, Cue("", f"Cue {n + 1}", When(KEY, key="Space"), act))
    return scene


class Watch:
    """Runs actions in a window, and tells the longest stretch between two events served."""

    def __init__(self) -> None:
        from PyQt6.QtCore import QTimer

        self.longest, self._last = 0.0, time.perf_counter()
        self.timer = QTimer()
        self.timer.setInterval(4)
        self.timer.timeout.connect(self._tick)
        self.timer.start()

    def _tick(self) -> None:
        now = time.perf_counter()
        self.longest, self._last = max(self.longest, now - self._last), now

    def during(self, act: Callable[[], object], after: float = 0.7) -> float:
        from PyQt6.QtCore import QTimer
        from PyQt6.QtTest import QTest

        QTest.qWait(60)
        self.longest, self._last = 0.0, time.perf_counter()
        QTimer.singleShot(0, act)
        QTest.qWait(int(after * 1000))
        self._tick()
        return self.longest


def actions(window, folder: Path) -> dict[str, Callable[[], object]]:
    """What is done, in this order."""
    from PyQt6.QtCore import QPointF, Qt
    from PyQt6.QtTest import QTest

    from fictilis.core.mix.shapes import ShapeRef
    from tests.app.conftest import bead, move, point

    doc, view, run = window.doc, window.view, lambda name: window.actions_.by_id[name].trigger()
    left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier

    def drag(widget, start: QPointF, way: QPointF, steps: int = 8) -> None:
        QTest.mousePress(widget, left, none, point(start))
        QTest.qWait(5)  # as for a hand: what waits is served between a press and a first move
        for k in range(1, steps + 1):
            move(widget, start + way * (k / steps))
            QTest.qWait(5)
        QTest.mouseRelease(widget, left, none, point(start + way))

    def stroke(tool: str) -> Callable[[], None]:
        def act() -> None:
            doc.set_tools(tool=tool, size=6.0)
            drag(view, QPointF(view.width() * 0.5, view.height() * 0.5), QPointF(90, 20))

        return act

    lanes = window.lanes
    return {
        "select a target": lambda: doc.select_target("t2"),
        "go to another frame": lambda: doc.set_frame(1234.0),
        "slide a weight": lambda: drag(lanes.viewport(), lanes.place_of("Target 1").slider.center(), QPointF(12, 0)),
        "key whole mix": lambda: run("key-mix"),
        "undo": doc.undo,
        "redo": doc.redo,
        "drag a bead": lambda: drag(
            lanes.viewport(), bead(lanes, "Target 2", doc.object.lane("t2").curve.keys[9].frame), QPointF(9, 4)
        ),
        "select all keys of a lane": lambda: doc.change(keys=frozenset()),
        "raise a weight": lambda: run("raise"),
        "next key": lambda: run("take-next-key"),
        "scroll the lanes": lambda: lanes.verticalScrollBar().setValue(300),
        "zoom in time": lambda: lanes.axis.zoom(0.5, 700),
        "together": lambda: run("together"),
        "lanes again": lambda: run("together"),
        "reduce keys": lambda: window.operations.operate("lanes-snap"),
        "play": lambda: run("play"),
        "stop": lambda: run("play"),
        "cues": lambda: run("cues"),
        "new cue": lambda: run("new-cue"),
        "rehearse": lambda: run("rehearse"),
        "a click in it": lambda: QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=view.rect().center()),
        "and out": lambda: run("done"),
        "lanes once more": lambda: run("cues"),
        "theme": lambda: run("theme"),
        "theme again": lambda: run("theme"),
        "shape a target": lambda: doc.start_shaping(ShapeRef("t2")),
        "push": stroke("push"),
        "smooth": stroke("smooth"),
        "grab": stroke("grab"),
        "pick all": lambda: run("pick-all"),
        "grow": lambda: run("pick-grow"),
        "neighbour": lambda: run("beside-left"),
        "done": doc.done_shaping,
        "alone": lambda: doc.change(way="Alone"),
        "line-up": lambda: doc.change(way="Line-up"),
        "in the mix": lambda: doc.change(way="In the mix"),
        "displacement colour": lambda: run("displacement"),
        "no colour": lambda: run("displacement"),
        "find": lambda: window.top.find_field.begin() or QTest.keyClicks(window.top.find_field, "targ"),
        "leave": lambda: window.top.find_field.leave(),
        "mute": lambda: run("mute"),
        "duplicate": lambda: run("duplicate"),
        "remove": lambda: run("remove-target"),
        "new target": lambda: run("new-target"),
        "next object": lambda: run("next-object"),
        "another object": lambda: doc.select_object(doc.scene.objects[-1].id),
        "save": lambda: window.commands._save_to(folder / "again.fictilis"),
    }  # fmt: skip


def measure(name: str) -> list[tuple[str, float]]:
    from PyQt6.QtTest import QTest

    from fictilis.app.model.document import Document
    from fictilis.app.model.garbage import keep_loaded
    from fictilis.app.model.settings import Settings
    from fictilis.app.start import application
    from fictilis.app.window import Window
    from fictilis.formats.native import write_native

    application()
    folder = Path(tempfile.mkdtemp(prefix="fictilis-large-"))
    scene = scene_of(name)
    write_native(folder / "large.fictilis", scene)
    del scene
    window = Window(Document(), Settings(folder / "s.ini"), folder / "recovery")
    window.show()
    window.activateWindow()
    QTest.qWait(1500)
    keep_loaded()  # as the application does
    watch = Watch()
    out = [("open", watch.during(lambda: window.open_path(folder / "large.fictilis"), 12.0))]
    for action, act in actions(window, folder).items():
        out.append((action, watch.during(act, 2.5 if name in ("points", "million") else 1.2)))
        print(f"  {name:<10}{action:<28}{out[-1][1]:>7.2f}{'' if out[-1][1] <= GOAL else '   over'}", flush=True)
    window.doc.saved_version = window.doc.committed.version
    return out


if __name__ == "__main__":
    for scene_name in sys.argv[1:] or FIRST:
        rows = measure(scene_name)
        worst = max(rows, key=lambda row: row[1])
        over = sum(seconds > GOAL for _, seconds in rows)
        print(
            f"{scene_name}: open {rows[0][1]:.2f} s, longest {worst[1]:.2f} s ({worst[0]}), {over} of {len(rows)} over {GOAL} s"
        )
    os._exit(0)
