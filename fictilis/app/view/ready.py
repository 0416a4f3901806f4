"""Preview from pictures: those of the range are made before it plays, and kept until something that they show changes."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from fictilis.app.model.document import Document
from fictilis.app.view.canvas import Canvas
from fictilis.app.view.picture import Picture

MOST_BYTES = 1_000_000_000
PARTS = (1.0, 0.5, 0.25)  # of the resolution: less where the range would not fit
TOLD_EVERY = 8  # pictures


class Ready(QObject):
    """Pictures of the frames that are played. They are dropped when anything but the frame changes."""

    changed = pyqtSignal()

    def __init__(self, doc: Document, view: Canvas) -> None:
        super().__init__()
        self.doc, self.view = doc, view
        self._pictures: dict[float, QImage] = {}
        self._of: tuple = ()
        self._then: Callable[[], None] | None = None
        self._picture: Picture | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._make)
        doc.changed.connect(self.look)

    @property
    def making(self) -> bool:
        return self._timer.isActive()

    def _now(self) -> tuple:
        """All that pictures show, but the frame."""
        doc, view, session = self.doc, self.view, self.doc.session
        eye = None if view.eye.looks_through() else view.eye.own
        return (
            doc.scene, doc.state.posed, session.seeing, session.tools, session.way, session.object_id, session.selected,
            session.shaping, session.before, session.through_camera, eye, view.width(), view.height(), view.palette_,
            view.picture and view.picture.renderer.light,
        )  # fmt: skip

    def _fits(self) -> bool:
        now = self._now()
        return len(now) == len(self._of) and all(a is b or a == b for a, b in zip(now, self._of, strict=True))

    def look(self) -> None:
        """Drop pictures that are out of date."""
        if self._pictures and (not self.doc.exact or not self._fits()):
            self.forget()

    def forget(self) -> None:
        self._timer.stop()
        self._pictures.clear()
        self._of, self._then = (), None
        self.changed.emit()

    def frames(self) -> list[float]:
        """The frames that are played."""
        start, end = self.doc.scene.span
        return [start + n for n in range(int(end - start + 1e-6) + 1)]

    def left(self) -> list[float]:
        """Those that have no picture yet."""
        kept = self._pictures if self._fits() else {}
        return [frame for frame in self.frames() if frame not in kept]

    def spans(self) -> list[tuple[float, float]]:
        """Unbroken rows of frames that are kept: the first and the last of each."""
        out: list[tuple[float, float]] = []
        for frame in sorted(self._pictures):
            if out and frame - out[-1][1] <= 1.0 + 1e-6:
                out[-1] = (out[-1][0], frame)
            else:
                out.append((frame, frame))
        return out

    def picture(self) -> QImage | None:
        """That of the frame shown, where there is one that still shows what is so."""
        kept = self._pictures.get(self.doc.frame) if self.doc.exact and self.doc.live is None else None
        return kept if kept is not None and self._fits() else None

    @property
    def part(self) -> float | None:
        """Of the resolution, so that the range fits into MOST_BYTES; None where it does not."""
        ratio = self.view.devicePixelRatioF()
        whole = 4 * self.view.width() * self.view.height() * ratio * ratio * len(self.frames())
        return next((part for part in PARTS if whole * part * part <= MOST_BYTES), None)

    def fill(self, then: Callable[[], None]) -> None:
        """Make those that are missing, one between each two events, and go on with ``then``."""
        if not self._fits():
            self.forget()
            self._of = self._now()
        part, left = self.part, self.left()
        if part is None:
            self.doc.say(f"{len(self.frames()):,} pictures do not fit into memory; it plays as it can.", "warning")
            then()
            return
        small = f", at {100 * part:.0f} % of the resolution," if part < 1 else ""
        self.doc.say(f"Making {len(left):,} picture{'' if len(left) == 1 else 's'}{small} before it plays.")
        self._then = then
        self._timer.start()

    def stop(self) -> None:
        """Make no more; what there is stays."""
        self._timer.stop()
        self._then = None
        self.view.refresh()  # its items stood at other frames meanwhile
        self.changed.emit()

    def _make(self) -> None:
        left = self.left()
        if left and (not self._fits() or self.doc.hand.busy):
            self.stop()
            return
        if left:
            image = self._drawn(left[0])
            if image is not None:
                self._pictures[left[0]] = image
                if len(left) % TOLD_EVERY == 0:
                    self.changed.emit()
            return
        then, self._then = self._then, None
        self.stop()
        if then is not None:
            then()

    def _drawn(self, frame: float) -> QImage | None:
        """The picture of a frame as it is at rest; None where it needs another turn."""
        doc, view = self.doc, self.view
        if view.picture is None:
            return None
        if self._picture is None or self._picture.renderer is not view.picture.renderer:
            self._picture = Picture(view.picture.renderer, self)
        session, moving = doc.session, view.moving
        doc.session, view.moving = session.at(frame), False  # nobody is told: it is only looked at there
        try:
            size = (view.width(), view.height(), view.devicePixelRatioF())
            image = self._picture.draw(
                view.draw_items(), view.camera, *size, view.backing.background(), True, self.part or PARTS[-1]
            )
        finally:
            doc.session, view.moving = session, moving
        return None if view.stage.unfinished else image
