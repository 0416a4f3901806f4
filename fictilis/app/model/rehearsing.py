"""The rehearsal of a window: cues run by its clock, and what they show goes to the document beside the scene."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

from fictilis.app.model.document import Document
from fictilis.app.model.session import Live
from fictilis.core.ground.errors import FictilisError
from fictilis.core.rehearsal.runner import Event, Runner, UnderWay
from fictilis.render.stage import IN_THE_MIX

TICK = 8  # ms


class Rehearsing(QObject):
    """Runs while the session says so. ``ticked`` after each step of time; ``heard`` when the sound is to begin, or to stop."""

    ticked = pyqtSignal()
    heard = pyqtSignal(bool)

    def __init__(self, doc: Document, clock: Callable[[], float] = time.perf_counter) -> None:
        super().__init__()
        self.doc, self.clock = doc, clock
        self.runner: Runner | None = None
        self._since, self._heard = 0.0, 0
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(TICK)
        self._timer.timeout.connect(self.tick)
        doc.changed.connect(self._follow)

    def begin(self) -> None:
        """From the beginning, at the frame shown. Raises EditRefused where the cues cannot be run."""
        doc = self.doc
        self.runner = Runner(doc.committed.scene, doc.frame)
        self._heard = 0
        self._since = self.clock()
        if not doc.rehearsing:
            doc.change(rehearsing=True, playing=False, shaping=None, cues_shown=True, way=IN_THE_MIX)
        self._timer.start()
        self.tick()

    def leave(self) -> None:
        if self.runner is not None:
            self._timer.stop()
            self.runner = None
            self.heard.emit(False)
            self.doc.show_live(None)
        if self.doc.rehearsing or self.doc.taking:
            self.doc.change(rehearsing=False, taking=False)
        self.ticked.emit()

    def _follow(self) -> None:
        """Another scene begins anew; what ends a rehearsal leaves it."""
        doc, runner = self.doc, self.runner
        if runner is None:
            return
        if not doc.rehearsing or doc.playing or doc.shaping is not None:
            self.leave()
        elif doc.committed.scene is not runner.scene:
            try:
                self.begin()
            except FictilisError as error:
                doc.say(error.said, "error")
                self.leave()
            if doc.taking:
                doc.say("The scene changed, and the take begins anew.", "warning")

    @property
    def seconds(self) -> float:
        """Since it began."""
        return self.clock() - self._since

    def tick(self) -> None:
        """Let the time that passed pass in the runner too, and show what is so now."""
        if self.runner is None:
            return
        if self.doc.frame != self.runner.frame:  # somebody went elsewhere in time
            self.begin()
            return
        self._run(lambda runner: runner.advance(max(self.seconds, runner.now)))

    def _run(self, do: Callable[[Runner], object]) -> object:
        """What the runner says, or None where there is none, or it is over by that."""
        runner = self.runner
        if runner is None:
            return None
        try:
            said = do(runner)
        except FictilisError as error:
            self.doc.say(error.said, "error")
            self.leave()
            return None
        for _, on in runner.heard[self._heard :]:
            self.heard.emit(on)
        self._heard = len(runner.heard)
        posed = runner.values()
        now = self.doc.live
        if now is None or now.scene is not runner.shown or posed != now.posed:  # else nothing moves
            self.doc.show_live(Live(runner.shown, posed))
        self.ticked.emit()
        return said

    def click(self, object_id: str, face: int, points: tuple[int, ...]) -> None:
        heard = self._run(lambda runner: runner.click(max(self.seconds, runner.now), object_id, face, points))
        if heard is False:
            self.doc.say(f"No cue waits for a click here on {self.doc.scene.object(object_id).name}.")

    def listens(self, key: str) -> bool:
        """Whether any cue waits for a key."""
        return self.runner is not None and any(c.when.kind == "key" and c.when.key == key for c in self.runner.cues)

    def key(self, key: str) -> None:
        self._run(lambda runner: runner.key(max(self.seconds, runner.now), key))

    def start(self, cue_id: str) -> None:
        """A cue by its button."""
        self._run(lambda runner: runner.start(max(self.seconds, runner.now), cue_id))

    def under_way(self) -> dict[str, UnderWay]:
        """What runs or waits, by the cue; of several rounds of one the last."""
        return {} if self.runner is None else {u.cue: u for u in self.runner.under_way()}

    def events(self) -> tuple[Event, ...]:
        return () if self.runner is None else tuple(self.runner.events)
