"""The second view, *Beside*: the scene once more next to the view, seen in another way, turned alike or by itself."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QPushButton, QToolButton, QWidget

from fictilis.app.model.document import Document
from fictilis.app.view.backing import Backing
from fictilis.app.view.dressing import Dressing, Worn
from fictilis.app.view.picture import Picture
from fictilis.app.view.showing import Showing
from fictilis.app.view.turning import Turning
from fictilis.app.view.view import AT_ONCE, FINE_AFTER, View
from fictilis.app.widgets.fields import ArrowCombo, show_checked
from fictilis.app.widgets.layouts import across, later
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette, icon
from fictilis.core.at_frame.cameras import placed_camera
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.clips import choose_clip
from fictilis.core.scene.scene import Scene
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem
from fictilis.render.stage import ALONE, IN_THE_MIX, Stage, StageItem, StageWish

CAMERA, BEFORE, MIX, TARGET, FRAME = WHAT = ("camera", "before", "mix", "target", "frame")
WORDS = {CAMERA: "Camera", MIX: "The mix", TARGET: "Target alone", FRAME: "Frame"}


class SecondView(QWidget):
    """Shows; nothing is shaped or posed in it. ``own`` is its camera where it is not turned as the view is."""

    def __init__(self, view: View, doc: Document, palette: Palette) -> None:
        super().__init__()
        self.view, self.doc, self.palette_ = view, doc, palette
        self.setAccessibleName("Second view of the objects")
        self.setMinimumSize(160, 160)
        self.eye, self.pointer = view.eye, QPointF(-1, -1)
        self.turning, self.backing = Turning(self), Backing(doc, self, lambda: self.sees == CAMERA)
        self.own = view.camera
        self.stage, self.dressing = Stage(AT_ONCE), Dressing(doc)
        self.showing = Showing(self, doc)
        self.moving = False
        self._clip: tuple[Scene, str, Scene] | None = None
        self._fine = later(self, FINE_AFTER, self._settle)
        self.what = ArrowCombo(palette)
        self.what.setAccessibleName("What is seen beside")
        self.what.activated.connect(self._choose)
        self.frame = NumberField("Frame beside", "", 0)
        self.frame.setToolTip("The frame that is seen beside")
        self.frame.setMaximumWidth(64)
        self.frame.committed.connect(lambda value: doc.see(beside_frame=value))
        self.alike = QPushButton("Turned alike")
        self.alike.setCheckable(True)
        self.alike.setProperty("segment", True)
        self.alike.setProperty("place", "only")
        self.alike.clicked.connect(self._set_alike)
        self.close_ = QToolButton()
        self.close_.setToolTip("One view again")
        self.close_.setAccessibleName("One view again")
        self.close_.setIcon(icon("x", palette))
        self.close_.clicked.connect(lambda: doc.see(beside=""))
        row = across(self, 6)
        row.setContentsMargins(12, 12, 12, 0)
        row.setAlignment(Qt.AlignmentFlag.AlignTop)
        for part in (self.what, self.frame, self.alike):
            row.addWidget(part)
        row.addStretch()
        row.addWidget(self.close_)
        view.refreshed.connect(self.refresh)
        doc.opened.connect(self.forget)
        doc.changed.connect(self._fill)

    def set_palette_(self, palette: Palette) -> None:
        self.palette_ = self.what.palette_ = palette
        self.close_.setIcon(icon("x", palette))
        self.refresh()

    def forget(self) -> None:
        self.stage, self.dressing, self._clip = Stage(AT_ONCE), Dressing(self.doc), None
        self.showing.forget()

    # what is seen

    @property
    def sees(self) -> str:
        """One of WHAT, or the id of a clip; the active one is the mix. Of what is gone, how it was before."""
        asked, scene = self.doc.seeing.beside, self.doc.scene
        if asked == scene.clip:
            return MIX
        there = {BEFORE, MIX, FRAME, *(c.id for c in scene.clips)}
        there |= {CAMERA} if scene.camera is not None else set()
        there |= {TARGET} if self.doc.target is not None else set()
        return asked if asked in there else BEFORE

    def _fill(self) -> None:
        """The chooser and its neighbours, as the document is."""
        if self.isHidden():
            return
        scene, sees, seeing = self.doc.scene, self.sees, self.doc.seeing
        words = {**WORDS, BEFORE: "Before" if self.doc.shaping is not None else "The base"}
        rows = [(words[what], what) for what in WHAT if what != CAMERA or scene.camera is not None]
        rows += [(f"Clip {c.name}", c.id) for c in scene.clips if c.id != scene.clip]
        if rows != [(self.what.itemText(n), self.what.itemData(n)) for n in range(self.what.count())]:
            self.what.clear()
            for text, what in rows:
                self.what.addItem(text, what)
        self.what.setCurrentIndex(max(self.what.findData(sees), 0))
        self.frame.setVisible(sees == FRAME)
        self.frame.set_value(seeing.beside_frame)
        self.alike.setVisible(sees != CAMERA)
        show_checked(self.alike, seeing.beside_alike)

    def _choose(self, number: int) -> None:
        """Another frame begins as this one."""
        what = self.what.itemData(number)
        at = self.doc.frame if what == FRAME != self.sees else self.doc.seeing.beside_frame
        self.doc.see(beside=what, beside_frame=at)

    def _set_alike(self, alike: bool) -> None:
        self.own = self.view.camera
        self.doc.see(beside_alike=alike)

    @property
    def camera(self) -> Camera:
        doc, camera = self.doc, self.doc.scene.camera
        if self.sees == CAMERA and camera is not None:
            return Camera.of(placed_camera(doc.scene, camera, doc.frame, doc.state.posed))
        return self.view.camera if doc.seeing.beside_alike else self.own

    @camera.setter
    def camera(self, camera: Camera) -> None:
        if self.sees == CAMERA:
            return  # it is turned where one looks through it
        if self.doc.seeing.beside_alike:
            self.view.camera = camera
            self.view.refresh()
        else:
            self.own = camera

    @property
    def picture(self) -> Picture | None:
        return self.showing.picture

    def shaped_item(self) -> StageItem | None:
        return self.view.shaped_item()

    def wish(self) -> StageWish:
        doc, sees = self.doc, self.sees
        wish = replace(self.view.wish(), way=IN_THE_MIX, swift=self.moving, chosen=())
        if sees == BEFORE:
            return self.view.before_wish(wish)
        if sees == TARGET and doc.target is not None:
            return replace(wish, way=ALONE, shaping=ShapeRef(doc.target.id))
        if sees == FRAME:
            return replace(wish, frame=doc.seeing.beside_frame, posed={}, shaping=None)
        if any(c.id == sees for c in wish.scene.clips):
            return replace(wish, scene=self._with_clip(wish.scene, sees), posed={}, shaping=None)
        return wish

    def _with_clip(self, scene: Scene, clip_id: str) -> Scene:
        if self._clip is None or self._clip[0] is not scene or self._clip[1] != clip_id:
            self._clip = scene, clip_id, choose_clip(scene, clip_id)
        return self._clip[2]

    def draw_items(self) -> list[DrawItem]:
        wish = self.wish()
        live = self.view.strokes.live if wish.shaping is not None and wish.shaping == self.doc.shaping else None
        items = self.stage.items(wish, live)
        for item in items:
            item.shaped = False
        return self.dressing.items(items, self.palette_, Worn(), False, "beside")

    # pictures

    def refresh(self) -> None:
        """Draw again soon, by what draws the view."""
        renderer = self.view.picture.renderer if self.view.picture is not None else None
        if (self.picture.renderer if self.picture is not None else None) is not renderer:
            self.showing.set_renderer(renderer)
        if self.isVisible():
            self.showing.dirty = self.moving = True
            self._fine.start()
            self.update()

    def _settle(self) -> None:
        self.moving, self.showing.dirty = False, True
        self.update()

    def showEvent(self, _event: object) -> None:
        self.own = self.view.camera
        self._fill()
        self.refresh()

    def hideEvent(self, _event: object) -> None:
        self.forget()  # of a large scene it is large

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.refresh()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        if not self.showing.fits:
            late = lambda: self.stage.unfinished  # noqa: E731 - known once there are items
            self.showing.ask(self.draw_items, self.camera, self.backing.background(), not self.moving, late, None, waits=False)
        self.showing.paint(painter, self.palette_.view, None)
        self.backing.paint(painter)
        self.turning.paint(painter)

    # the mouse

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.turning.press(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.turning.move(event):
            self.refresh()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.turning.release(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if not self.turning.double_click(event):
            self.turning.press(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.turning.wheel(event)
