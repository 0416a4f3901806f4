"""The checks in the window: found in the background after each change, shown as a count, listed with remedies."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QLabel, QPushButton, QScrollArea, QWidget

from fictilis.app.model.document import Document
from fictilis.app.model.tasks import BackgroundTask, Task
from fictilis.app.widgets.dialogs import Dialog
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.layouts import across, down, empty, later
from fictilis.app.widgets.number_field import NumberField
from fictilis.core.checks import Finding, run_checks
from fictilis.core.checks.lanes import loop_seam
from fictilis.core.checks.shapes import PILE
from fictilis.core.ground.errors import there
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.scene.scene import Scene

AFTER = 700  # ms without a change


class Checker(QObject):
    """Runs the checks on the document's scene in a thread; ``found`` holds what the last run gave."""

    changed = pyqtSignal()
    _done = pyqtSignal(object, object)

    def __init__(self, doc: Document) -> None:
        super().__init__()
        self.doc = doc
        self.found: list[Finding] = []
        self.seam: tuple[float, float] | None = None  # of the object shown, cm and cm a frame; None where nothing loops
        self.pile = PILE  # weights on the same points that add up to more are named
        self._looked_at: tuple[Scene, bool, float] | None = None
        self._looking = BackgroundTask(self)
        self._timer = later(self, AFTER, self._start)
        doc.opened.connect(self._forget)
        doc.changed.connect(self._later)
        doc.acting.connect(self._give_way)

    def _forget(self) -> None:
        """What was found in a scene that was left is nothing of this one."""
        self._looked_at, self.found, self.seam = None, [], None
        self.changed.emit()

    def _give_way(self) -> None:
        """Something acts: what is looked at is out of date soon, and the interface needs Python for itself."""
        if self._looking.busy:
            self._looking.cancel()

    def _later(self) -> None:
        if (
            self._looked_at is None
            or self._looked_at[0] is not self.doc.committed.scene
            or self._looked_at[1:] != self._wanted()[1:]
        ):
            self._timer.start()
            self._give_way()

    def _wanted(self) -> tuple[Scene, bool, float]:
        return self.doc.committed.scene, self.doc.loop, self.pile

    def _start(self) -> None:
        if self._looking.busy or self.doc.playing or self.doc.hand.busy:  # these have the processor to themselves
            self._timer.start()
            return
        wanted, obj = self._wanted(), self.doc.object

        def work() -> tuple[list[Finding], tuple[float, float] | None]:
            loops = wanted[1] and obj is not None and obj.lanes
            return run_checks(*wanted), loop_seam(wanted[0], there(obj)) if loops else None

        self._looking.run(work, lambda task: self._take(wanted, task))

    def _take(self, wanted: tuple[Scene, bool, float], task: Task[tuple[list[Finding], tuple[float, float] | None]]) -> None:
        if task.cancelled:
            self._timer.start()
            return
        self._looked_at = wanted
        self.found, self.seam = task.result()
        self.changed.emit()
        if wanted[0] is not self.doc.committed.scene:
            self._timer.start()

    def now(self) -> list[Finding]:
        """What is found in the scene as it is, at once."""
        self._looked_at = self._wanted()
        self.found = run_checks(*self._looked_at)
        self.changed.emit()
        return self.found

    def stop(self) -> None:
        """No further run; one under way is waited for."""
        self._timer.stop()
        self._looking.finish()


class ChecksDialog(Dialog):
    """Each finding with where, why and a remedy. The list is made anew after every remedy."""

    def __init__(self, parent: QWidget, doc: Document, checker: Checker) -> None:
        super().__init__(parent, "Checks", 640)
        self.doc, self.checker = doc, checker
        self.correct: Finding | None = None  # where a corrective was asked for
        self.said = self.sentence("", True)
        self.rows = QWidget()
        self.inside = down(self.rows, 10, (0, 0, 6, 0))
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setMinimumHeight(280)
        scroll.setWidget(self.rows)
        self.body.addWidget(scroll)
        self.pile = NumberField("Weights on the same points may add up to", "", 2, 0.1, 100)
        self.pile.set_value(checker.pile)
        self.pile.setMaximumWidth(80)
        self.pile.committed.connect(self._set_pile)
        row = Labelled("Weights that move the same points may add up to", self.pile, width=310)
        row.row.addStretch(1)
        self.body.addWidget(row)
        self.button("ok", "Close", True)
        self.buttons_of: list[tuple[Finding, QPushButton, QPushButton | None]] = []
        self._fill()

    def _set_pile(self, most: float) -> None:
        self.checker.pile = most
        self._fill()

    def _fill(self) -> None:
        found = self.checker.now()
        empty(self.inside)
        self.buttons_of = []
        many = f"{len(found)} thing{'' if len(found) == 1 else 's'} to look at."
        self.said.setText(many if found else "Nothing suspicious was found.")
        for finding in found:
            self.inside.addWidget(self._row(finding))
        self.inside.addStretch()

    def _row(self, finding: Finding) -> QWidget:
        row = QWidget()
        layout = across(row)
        label = QLabel(finding.sentence)
        label.setWordWrap(True)
        layout.addWidget(label, 1)
        go = QPushButton("Go there")
        go.setAutoDefault(False)
        go.clicked.connect(lambda _on, f=finding: self._go(f))
        layout.addWidget(go)
        mend = None
        if finding.mend is not None:
            mend = QPushButton(finding.remedy)
            mend.setAutoDefault(False)
            mend.clicked.connect(lambda _on, f=finding: self._mend(f))
            layout.addWidget(mend)
        if finding.together:
            correct = QPushButton("Corrective there")
            correct.setAutoDefault(False)
            correct.clicked.connect(lambda _on, f=finding: self._correct(f))
            layout.addWidget(correct)
        self.buttons_of.append((finding, go, mend))
        return row

    def _go(self, finding: Finding) -> None:
        doc = self.doc
        if any(o.id == finding.owner for o in doc.scene.objects):
            doc.select_object(finding.owner)
        if finding.channel is not None:
            doc.select_channel(ChannelRef(finding.owner, finding.channel))
        if finding.frame is not None:
            doc.set_frame(finding.frame)

    def _correct(self, finding: Finding) -> None:
        self.correct = finding
        self.accept()

    def _mend(self, finding: Finding) -> None:
        if self.doc.edit(finding.remedy, there(finding.mend)):
            self._fill()
