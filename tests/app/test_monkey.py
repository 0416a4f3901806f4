"""Hours of random input: ``make soak``. Each seed runs in a process of its own, and can be run alone by its number."""

import ctypes
import gc
import os
import random
import sys
from collections import deque
from functools import cache
from importlib import import_module
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pytest
from PyQt6.QtCore import QCoreApplication, QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit

from fictilis.app.commands.rows import ROWS
from fictilis.app.model.garbage import give_back
from fictilis.app.widgets.fields import Editor
from fictilis.app.widgets.spoken import Spoken
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits.clips import duplicate_clip
from fictilis.core.edits.correctives import set_follow
from fictilis.core.edits.deformers import change_deformer
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.lines import set_along, set_tube, target_from_line
from fictilis.core.edits.links import link_targets
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.relays import make_relay
from fictilis.core.edits.repeats import set_repeat
from fictilis.core.edits.springs import set_spring
from fictilis.core.edits.sweeps import key_front, set_sweep
from fictilis.core.edits.targets import target_from_points
from fictilis.core.geometry.kinds import Match, Tube
from fictilis.core.geometry.lines.tubes import round_profile
from fictilis.core.geometry.primitives import ball
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.rules import Follow
from fictilis.core.scene.scene import MorphObject, Target
from fictilis.core.scene.sweep import Sweep
from fictilis.core.shaping.fields import along_axis
from fictilis.demo import SAMPLES, sample
from fictilis.demo.jelly import moon_jelly
from fictilis.formats.native import read_native, write_native
from fictilis.formats.outlines import text_outline
from fictilis.formats.registry import export
from tests.app.conftest import CTRL, NONE, SHIFT, point
from tests.app.doing import nothing_is_left, nothing_points_astray
from tests.rigged import rigged
from tests.sameness import same_bits
from tests.sounds import TONE, wav

FIRST, COUNT = int(os.environ.get("FICTILIS_SOAK", "1")), int(os.environ.get("FICTILIS_SOAK_SEEDS", "20"))
STEPS = int(os.environ.get("FICTILIS_SOAK_STEPS", "2000"))
LEAVE = {"quit", "demo-jelly", "demo-lantern-fish", "demo-tide-marks", "demo-reef-wall", "demo-sea-pen",
         "open", "new", "theme", "play", "save",
         "save-as", "export", "export-shapes", "weights-in", "weights-out", "points-out",
         "lanes-in", "lanes-out", "import", "movie", "turntable", "snapshot", "sheet", "make-again", "making"}  # fmt: skip

pytestmark = [pytest.mark.soak, pytest.mark.timeout(3600)]


@pytest.fixture
def scene(sheet, seed):
    """A sample for five of eight seeds, else the sheet with all there is."""
    samples = dict(enumerate(SAMPLES))
    return sample(samples[seed % 8]) if seed % 8 in samples else _full(sheet)


def _full(sheet):
    """Objects with targets, keys on several lanes; a relay, a sweep, a weight that follows, a link and two clips; a line with a
    tube and a matched target, which the ball follows; buds on springs on every point of the first."""
    scene = set_key(set_key(set_key(sheet, "o1", "t1", Key(0, 0)), "o1", "t1", Key(20, 1)), "o1", "position.x", Key(10, 3))
    points, mesh = ball(8.0, 4)
    scene, other = add_object(scene, "Ball", mesh, points)
    scene = target_from_points(scene, other, "Puff", points * 1.3)[0]
    base = scene.object("o1").base
    for number in range(4):
        scene, _ = target_from_points(scene, "o1", f"Wave {number}", base + [0, np.sin(number), number])
    scene, row = make_relay(scene, "o1", ["t3", "t4"], "Row", 0.0, 12.0, "linear", "through")
    scene = set_follow(scene, "o1", "t6", Follow("t1", AnimationCurve((Key(0, 0), Key(1, 1)))))
    scene = key_front(set_sweep(scene, "o1", "t5", Sweep(along_axis(scene.object("o1"), 0))), "o1", "t5", 0.0, 30.0)
    scene, ring = add_form(scene, "Circle", {"points": 16, "radius": 12.0})
    scene, star = add_form(scene, "Star", {"radius": 14.0, "inner": 6.0})
    star_line = scene.object(star)
    scene, _, _ = target_from_line(scene, ring, "Star", Match(star_line.line, star_line.base))
    scene = set_tube(set_along(scene, other, ring), ring, Tube(round_profile(5)), 1.0)
    scene = set_key(scene, ring, "line.end", Key(12, 0.6))
    scene, bud = add_form(scene, "Globe", {"radius": 2.0, "segments": 6, "rings": 3})
    scene, _ = target_from_points(scene, bud, "Tall", scene.object(bud).base * [1, 2, 1])
    scene = set_key(set_key(scene, bud, "t1", Key(0, 0.0)), bud, "t1", Key(16, 1.0))
    scene = set_repeat(scene, bud, Repeat("points", other="o1", later=8.0, order="x", turns=10.0))
    scene = set_spring(scene, bud, PointSpring(twice=True))
    scene = change_deformer(change_deformer(scene, bud, "bend", amount=30.0), ring, "twist", axis="x", amount=50.0)
    scene = rigged(set_key(scene, bud, "bend", Key(8, 60.0)), other)
    return duplicate_clip(link_targets(scene, [("o1", "t2"), (other, "t1")]), "Slow")[0]


class Monkey:
    """Does one thing after another, whatever comes."""

    def __init__(self, user, seed: int, files: list[Path], sound: Path) -> None:
        self.user, self.random, self.files, self.sound = user, random.Random(seed), files, sound
        self.done = deque[str](maxlen=9)  # what was done last

    def place(self, widget) -> QPointF:
        return QPointF(self.random.uniform(2, widget.width() - 2), self.random.uniform(2, widget.height() - 2))

    def widget(self):
        window = self.user.window
        shown = (window.view, window.view, window.lanes.viewport(), window.column.cards, window.marker_row)
        more = [w for w in (window.side.follow.plot, window.side.match.start, window.side.tube.plot) if w.isVisible()]
        return self.random.choice((*shown, *more))

    def action(self) -> None:
        row = self.random.choice([r for r in ROWS if r.id not in LEAVE])
        self.done.append(row.id)
        action = self.user.window.actions_.by_id[row.id]
        if action.isEnabled():
            action.trigger()

    def drag(self) -> None:
        widget, between = self.widget(), None
        if self.random.random() < 0.3:
            undo, redo = self.user.doc.undo, self.user.doc.redo
            acts = (self.action, self.key, undo, redo, self.shape, self.object, self.second, self.frame)
            between = self.random.choice(acts)
        keys = self.random.choice((NONE, NONE, SHIFT, CTRL))
        button = self.random.choice((Qt.MouseButton.LeftButton,) * 4 + (Qt.MouseButton.RightButton,))
        self.done.append(f"drag {type(widget).__name__}")
        self.user.drag(widget, self.place(widget), self.place(widget), keys, button, between)

    def key(self) -> None:
        key = self.random.choice("1234567890[]mvlk-.") if self.random.random() < 0.6 else None
        focus = self.user.window.focusWidget() or self.user.view
        self.done.append(f"key {key}")
        if key:
            QTest.keyClick(focus, key)
        else:
            QTest.keyClick(focus, self.random.choice((Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Delete)))

    def field(self) -> None:
        """Type into some field, and leave it at once, later, or never."""
        fields = [f for f in self.user.window.findChildren(Editor) if f.isVisible() and f.isEnabled()]
        if not fields:
            return
        field = self.random.choice(fields)
        self.done.append(f"type into {field.accessibleName()}")
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, self.random.choice(("7", "-2.5", "1e9", "x", "0", "12/5", "Sail")))
        if self.random.random() < 0.5:
            QTest.keyClick(field, self.random.choice((Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab)))

    def double(self) -> None:
        widget = self.widget()
        self.done.append(f"double click {type(widget).__name__}")
        self.user.double_click(widget, self.place(widget))
        focus = QApplication.focusWidget()
        if isinstance(focus, QLineEdit) and self.random.random() < 0.6:
            QTest.keyClicks(focus, self.random.choice(("3", "Tide", "")))

    def wheel(self) -> None:
        widget, turn = self.widget(), QPoint(0, self.random.choice((-120, 120)))
        at, keys = self.place(widget), self.random.choice((NONE, SHIFT, CTRL))
        self.done.append(f"wheel {type(widget).__name__}")
        none, phase = Qt.MouseButton.NoButton, Qt.ScrollPhase.NoScrollPhase
        QApplication.sendEvent(widget, QWheelEvent(at, widget.mapToGlobal(at), QPoint(), turn, none, keys, phase, False))

    def drop(self) -> None:
        self.done.append("drop")
        if self.random.random() < 0.5:
            self.user.window.column.dropped.emit([self.random.choice(self.files)])
        else:
            self.user.window.lanes.dropped.emit(self.sound)

    def second(self) -> None:
        """Another button in the middle of a drag."""
        view, right = self.user.view, Qt.MouseButton.RightButton
        QTest.mousePress(view, right, NONE, point(self.place(view)))
        QTest.mouseRelease(view, right, NONE, point(self.place(view)))

    def shape(self) -> None:
        doc = self.user.doc
        if doc.object is not None:
            refs = [ShapeRef(), *(ShapeRef(t.id) for t in doc.object.targets)]
            self.done.append("shape")
            doc.start_shaping(self.random.choice(refs))

    def object(self) -> None:
        if self.user.doc.scene.objects:
            self.done.append("object")
            self.user.doc.select_object(self.random.choice(self.user.doc.scene.objects).id)

    def frame(self) -> None:
        self.user.doc.set_frame(float(self.random.randrange(0, 60)))

    def pick(self) -> None:
        obj = self.user.doc.object
        if obj is not None and len(obj.base):
            self.user.doc.set_picks(np.unique([self.random.randrange(len(obj.base)) for _ in range(4)]))

    def step(self) -> None:
        """One of them; a menu that it opened is closed."""
        self.random.choice(
            (
                self.action,
                self.action,
                self.drag,
                self.drag,
                self.drag,
                self.key,
                self.field,
                self.double,
                self.wheel,
                self.shape,
                self.object,
                self.frame,
                self.pick,
                self.drop,
            )
        )()
        while QApplication.activePopupWidget() is not None:
            QApplication.activePopupWidget().close()


LATE = ("av", "fontTools.ttLib", "mapbox_earcut", "svgelements", "scipy.interpolate", "scipy.sparse.csgraph",
        "scipy.sparse.linalg", "scipy.spatial", "pygltflib")  # fmt: skip


@cache
def first_uses() -> None:
    """What libraries take when they are first used is not looked for."""
    for name in LATE:
        import_module(name)
    text_outline("Jelly", 1.0)
    with TemporaryDirectory() as folder:
        export(moon_jelly(), Path(folder) / "page.html")


class Mallinfo(ctypes.Structure):
    """``struct mallinfo2`` of glibc's malloc.h."""

    _fields_ = [
        (name, ctypes.c_size_t)
        for name in "arena ordblks smblks hblks hblkhd usmblks fsmblks uordblks fordblks keepcost".split()
    ]


def in_use() -> int:
    """Bytes that the C library has given out, and about those of Python's own blocks. What is resident says less: it holds what
    lies free between others, or was given back."""
    ask = getattr(ctypes.CDLL(None), "mallinfo2", None)  # glibc since 2.33
    if ask is None:
        return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
    ask.restype = Mallinfo
    told = ask()
    return told.uordblks + told.hblkhd + 100 * sys.getallocatedblocks()


def memory(user, scene) -> float:
    """MB in use with a scene and a view as at the beginning, once nothing is kept that could go: the least of three looks, as
    what is found in the background takes some too."""
    doc = user.doc
    first_uses()
    doc.interrupt()
    doc.open_scene(scene, None)
    doc.change(large=False, seeing=type(doc.seeing)(), way="In the mix", cues_shown=False)
    return min(look(user) for _ in range(3))


def look(user) -> float:
    """The graphics context goes for the moment: the driver keeps 20 MB of pictures that were drawn, or not."""
    window = user.window
    user.settle(200)
    spoken = window.findChildren(Spoken)  # a slow machine's pictures come so late that they are told when the last is there
    assert user.comes(lambda: not any(part.soon.isActive() for part in spoken))
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)  # without a loop of its own nothing else does
    user.view.ready.forget()
    window.renderer.release()
    give_back()
    used = in_use() / 1e6
    window.renderer = None
    window.start_renderer()
    return used


def living() -> list[object]:
    """The bases of the objects in memory, and the deltas of the targets."""
    things = gc.get_objects()
    return [o.base for o in things if type(o) is MorphObject] + [o.deltas for o in things if type(o) is Target]


def nothing_of_another_lives(scene, known: list[object]) -> None:
    mine = [o.base for o in scene.objects] + [t.deltas for o in scene.objects for t in o.targets]
    there = {id(thing) for thing in (*known, *mine)}
    assert all(id(thing) in there for thing in living())


@pytest.mark.parametrize("seed", range(FIRST, FIRST + COUNT))
def test_a_monkey_at_the_window_leaves_a_whole_scene(
    open_window, scene, forms, monkeypatch, tmp_path, sheet_files, seed
):  # fmt: skip
    """After each step nothing is left of a gesture, nothing points astray, and the scene comes back from its file; at the end
    from the first step to the last one bit for bit; memory does not grow, and holds no object of a scene that was left."""
    monkeypatch.setattr("fictilis.app.model.document.UNDO_STEPS", 100)
    first, known = tmp_path / "first.fictilis", living()
    write_native(first, scene)
    user = open_window(read_native(first))  # which shares nothing with another, and so leaves nothing to it
    for section in user.window.side._parts:  # all of them: else those made on the way are what grows
        getattr(user.window.side, section)
    dialogs = forms(user)
    answered = user.window.ask.show

    def shown(dialog):
        try:
            return answered(dialog)
        finally:
            dialog.deleteLater()  # as the window does; else forms are all that grows
            dialogs.clear()

    monkeypatch.setattr(user.window.ask, "show", shown)
    (tmp_path / "tide.wav").write_bytes(wav(TONE))
    ask, doc, monkey = user.window.ask, user.doc, Monkey(user, seed, list(sheet_files.values()), tmp_path / "tide.wav")
    for name in ("open", "save", "folder_for"):
        monkeypatch.setattr(ask.files, name, lambda *_a: None)
    monkeypatch.setattr(ask.files, "open_several", lambda *_a: [])
    answers = dict.fromkeys(("new_scene", "shortcuts", "light", "blend", "about", "checks", "unsaved"))
    answers |= {"colour": "#112233", "ease": "back-in", "base": "follow", "keep_rate": True}
    for name, answer in answers.items():
        monkeypatch.setattr(ask, name, lambda *_a, said=answer: said)
    user.view.ask_base, user.window.transport._ask_keep = lambda _moved: "follow", lambda _rate: True
    written, quarters, file = None, [], tmp_path / "s.fictilis"
    for number in range(STEPS):
        monkey.step()
        if doc.hand.gesture is None:
            assert nothing_is_left(user), [*monkey.done]
        assert nothing_points_astray(user), [*monkey.done]
        if doc.committed.scene is not written:
            written = doc.committed.scene
            write_native(file, written)
            assert same_bits(read_native(file), written), [*monkey.done]
        if sum(len(o.base) for o in doc.scene.objects) > 20_000 or not doc.scene.objects:
            doc.open_scene(read_native(first), None)
        if number % 10 == 9:
            user.settle(1)
        if (number + 1) % (STEPS // 4) == 0 and number + 1 < STEPS:
            written = None
            quarters.append(memory(user, read_native(first)))
            nothing_of_another_lives(doc.scene, known)
    doc.interrupt()  # what stands typed in a field is taken by the first undo otherwise
    now = doc.committed.scene
    steps = 0
    while doc.undo_label():
        doc.undo()
        steps += 1
    for _ in range(steps):
        doc.redo()
    assert same_bits(doc.committed.scene, now)
    now = written = None  # and all that is kept for them
    quarters.append(memory(user, read_native(first)))
    nothing_of_another_lives(doc.scene, known)
    assert quarters[-1] <= quarters[1] * 1.03 + 4, quarters
