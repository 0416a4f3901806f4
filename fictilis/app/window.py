"""The main window: it only puts the parts together, and asks the questions the commands need answered."""

from __future__ import annotations

import sys
import threading
import traceback
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TypeVar

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QColor, QImage
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QColorDialog,
    QFrame,
    QMainWindow,
    QMenu,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from fictilis.app import dialogs
from fictilis.app.actions import Actions
from fictilis.app.asking import Ask, ChoiceAsk
from fictilis.app.checking import Checker, ChecksDialog
from fictilis.app.column import Column
from fictilis.app.commands import Commands
from fictilis.app.document import Document
from fictilis.app.lanes import Lanes
from fictilis.app.playback import Playback
from fictilis.app.recovery import Autosave, left_behind
from fictilis.app.scene_time_commands import SceneTimeCommands
from fictilis.app.settings import Settings
from fictilis.app.shape_commands import ShapeCommands
from fictilis.app.side_column import SideColumn
from fictilis.app.sound_player import SoundPlayer
from fictilis.app.target_commands import TargetCommands
from fictilis.app.tasks import run_task
from fictilis.app.theme import PALETTES, style_sheet
from fictilis.app.thumbnails import Thumbnails, shape_picture
from fictilis.app.time_commands import TimeCommands
from fictilis.app.time_rows import MarkerRow, SoundRow
from fictilis.app.top_line import TopLine
from fictilis.app.transport import Transport
from fictilis.app.view import View
from fictilis.app.view_frame import ViewFrame
from fictilis.core.channels import ChannelRef
from fictilis.core.edits.shape import ShapeRef, move_shape, shape_points
from fictilis.core.edits.targets import blended
from fictilis.core.errors import FictilisError
from fictilis.core.scene import Deltas
from fictilis.render.renderer import Ground, Light, Renderer

T = TypeVar("T")
WIDTH, HEIGHT = 1280, 800


class Window(QMainWindow):
    def __init__(self, doc: Document, settings: Settings, recovery_folder: Path) -> None:
        super().__init__()
        self.doc, self.settings, self.recovery_folder = doc, settings, recovery_folder
        self.palette_ = PALETTES.get(settings.theme(), PALETTES["Bisque"])
        doc.dark = self.palette_.dark
        doc.hold_guard = settings.flag("hold_guard", True)
        self.setWindowTitle("Fictilis")
        self.resize(WIDTH, HEIGHT)
        self.renderer: Renderer | None = None
        self.sound = SoundPlayer(doc)
        self.playback = Playback(doc, sound=self.sound)
        self.thumbnails = Thumbnails()
        self.commands, self.shape_commands, self.target_commands = Commands(self), ShapeCommands(self), TargetCommands(self)
        self.time_commands, self.scene_time_commands = TimeCommands(self), SceneTimeCommands(self)
        parts = (
            self.commands, self.shape_commands, self.target_commands, self.time_commands, self.scene_time_commands
        )  # fmt: skip
        self.actions_ = Actions(self, doc, parts, settings.own_keys())
        self.autosave = Autosave(doc, recovery_folder)
        self.checker = Checker(doc)
        self._build()
        self._restore_sizes()
        self.set_theme(self.palette_.name)
        doc.changed.connect(self._on_change)
        self.view.picture_shown.connect(self.playback.picture_shown)
        self.playback.changed.connect(lambda: setattr(self.thumbnails, "paused", self.playback.playing))
        self.view.first_painted.connect(self._start_renderer, Qt.ConnectionType.QueuedConnection)

    def _build(self) -> None:
        p, doc = self.palette_, self.doc
        self.view = View(doc, p, self.ask_base)

        def of_object(name: str) -> Callable[[], Sequence]:
            return lambda: getattr(doc.object, name) if doc.object is not None else ()

        picks = self._kept(of_object("picks"), lambda kept: self.shape_commands.pick_kept(kept.name))
        mixes = self._kept(of_object("mixes"), lambda mix: self.target_commands.put_back(mix.name))
        views = self._kept(lambda: doc.scene.views, lambda view: self.view.go_to(view))
        cameras = self._kept(lambda: doc.scene.cameras, lambda camera: self.scene_time_commands.choose_camera(camera))
        lists = (("File", "save", "Open recent", self._fill_recent), ("Pick", "drop-pick", "Kept picks", picks),
                 ("View", "drop-view", "Kept views", views), ("View", "remove-camera", "Cameras", cameras),
                 ("Target", "drop-mix", "Put back a kept mix", mixes))  # fmt: skip
        self.top = TopLine(doc, self.actions_, p, lists)
        self.checker.changed.connect(lambda: self.top.show_found(len(self.checker.found)))
        self.frame = ViewFrame(self, self.view)
        self.frame.more.setMenu(self.top.submenus["See"])
        self.column = Column(doc, self.thumbnails, p, self.target_commands.new_target, self.actions_)
        self.column.cards.shape.connect(doc.start_shaping)
        self.column.dropped.connect(self.target_commands.targets_from_files)
        self.side = SideColumn(doc, p, self.commands, self.shape_commands)
        self.transport = Transport(doc, self.playback, self.actions_, p, self.ask_keep)
        self.checker.changed.connect(lambda: self.transport.show_seam(self.checker.seam))
        self.lanes = Lanes(doc, self.actions_, p, self.time_commands)
        self.across = self._splitter(Qt.Orientation.Horizontal, "across", (self.column, self.frame, self.side), (222, 826, 232))
        low = QWidget()
        stack = QVBoxLayout(low)
        stack.setContentsMargins(0, 0, 0, 0)
        stack.setSpacing(0)
        stack.addWidget(self.transport)
        stack.addWidget(self.lanes)
        self.lanes.dropped.connect(self.scene_time_commands.take_sound)
        self.marker_row = MarkerRow(doc, self.lanes, self.actions_, p)
        self.sound_row = SoundRow(doc, self.lanes, self.actions_, p)
        for row in (self.marker_row, self.sound_row):
            stack.addWidget(row)
            row.refresh()
        self.down = self._splitter(Qt.Orientation.Vertical, "down", (self.across, low), (484, 272))
        whole = QWidget()
        layout = QVBoxLayout(whole)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.top)
        line = QFrame()
        line.setFixedHeight(1)
        line.setObjectName("line")
        self.line = line
        layout.addWidget(line)
        layout.addWidget(self.down, 1)
        self.setCentralWidget(whole)
        self.setFocusProxy(self.view)
        for button in self.findChildren(QAbstractButton):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keys to the view
        QApplication.instance().installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Space and Enter press the button that Tab has reached, instead of playing or shaping."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(watched, QAbstractButton):
            if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
                event.accept()
                return True
        return super().eventFilter(watched, event)

    @staticmethod
    def _splitter(way: Qt.Orientation, name: str, parts: Sequence[QWidget], sizes: Sequence[int]) -> QSplitter:
        splitter = QSplitter(way)
        splitter.setObjectName(name)
        splitter.setHandleWidth(1)
        for number, part in enumerate(parts):
            splitter.addWidget(part)
            splitter.setStretchFactor(number, 1 if len(parts) == 3 and number == 1 or len(parts) == 2 and number == 0 else 0)
        splitter.setSizes(list(sizes))
        return splitter

    def _start_renderer(self) -> None:
        try:
            self.renderer = Renderer()
        except FictilisError as error:
            self.doc.say(f"{error.sentence} {error.hint}", "error")
            return
        self.thumbnails.renderer = self.renderer
        self.thumbnails.ratio = self.devicePixelRatioF()
        self.view.set_renderer(self.renderer)
        self.show_light(self.settings.light(), self.settings.picked())
        self.view.fit()
        QTimer.singleShot(300, warm_up)

    # theme and sizes

    def set_theme(self, name: str) -> None:
        picked = self.settings.picked()
        self.palette_ = replace(PALETTES[name], picked=picked) if picked else PALETTES[name]
        self.settings.set_theme(name)
        sheet, application = style_sheet(self.palette_), QApplication.instance()
        if application.styleSheet() != sheet:  # setting it dresses every widget anew
            application.setStyleSheet(sheet)
        self.line.setStyleSheet(f"background: {self.palette_.line};")
        for part in (self.top, self.frame, self.column, self.side, self.transport):
            part.set_palette_(self.palette_)
        for part in (self.lanes, self.marker_row, self.sound_row):
            part.palette_ = self.palette_
        self.doc.set(dark=self.palette_.dark)

    def _restore_sizes(self) -> None:
        geometry = self.settings.sizes("window")
        if geometry is not None:
            self.restoreGeometry(geometry)
        for splitter in (self.across, self.down):
            state = self.settings.sizes(splitter.objectName())
            if state is not None:
                splitter.restoreState(state)
                splitter.setHandleWidth(1)

    def _keep_sizes(self) -> None:
        self.settings.set_sizes("window", self.saveGeometry())
        for splitter in (self.across, self.down):
            self.settings.set_sizes(splitter.objectName(), splitter.saveState())

    def _on_change(self) -> None:
        mark = "*" if self.doc.unsaved else ""
        self.setWindowTitle(f"{mark}{self.doc.title} — Fictilis")
        self.settings.set_flag("hold_guard", self.doc.hold_guard)

    def _fill_recent(self, menu: QMenu) -> None:
        menu.clear()
        paths = [Path(p) for p in self.settings.recent()]
        for path in paths:
            action = menu.addAction(path.name, lambda p=path: self.commands.open_path(p))
            action.setToolTip(str(path))
        if not paths:
            menu.addAction("nothing yet").setEnabled(False)

    def _kept(self, things: Callable[[], Sequence], go: Callable[[object], None]) -> Callable[[QMenu], None]:
        """Fills a menu with things kept under names."""

        def fill(menu: QMenu) -> None:
            menu.clear()
            for thing in things():
                menu.addAction(thing.name, lambda t=thing: go(t))
            if not menu.actions():
                menu.addAction("none yet").setEnabled(False)

        return fill

    # questions

    def run(self, label: str, work: Callable[[Callable[[float], None]], T]) -> T:
        """Long work off the interface thread."""
        return run_task(self, label, work)

    def ask(self, dialog: dialogs.Dialog) -> str | None:
        self.playback.stop()
        dialog.exec()
        dialog.deleteLater()
        return dialog.answer

    def ask_form(self, title: str, sentence: str, asks: Sequence[Ask], verb: str) -> dict | None:
        """Values by name, or None when it was given up."""
        dialog = dialogs.FormDialog(self, title, sentence, asks, verb, self.palette_)
        return dialog.values if self.ask(dialog) == "ok" else None

    def ask_blend(self) -> None:
        """Blend two kept mixes; the weights are set, or keyed."""
        doc, obj = self.doc, self.doc.object
        mixes = {m.name: m for m in obj.mixes}

        def weights(first: str, second: str, part: float) -> dict[ChannelRef, float]:
            return doc.refs(blended(mixes[first], mixes[second], part))

        dialog = dialogs.BlendDialog(
            self, list(mixes), self.palette_, lambda *which: doc.set_values(weights(*which), "Blend", final=False)
        )
        answer = self.ask(dialog)
        doc.cancel_preview()
        if answer in ("ok", "key"):
            first, second = dialog.values["first"], dialog.values["second"]
            label = f"Blend {first} and {second}"
            if answer == "key":
                doc.key_values(weights(first, second, dialog.part), label)
            else:
                doc.set_values(weights(first, second, dialog.part), label)

    def show_checks(self) -> None:
        self.ask(ChecksDialog(self, self.doc, self.checker))

    def ask_keep(self, rate: float) -> bool | None:
        """Whether keys keep their seconds (True) or their frames (False) at another rate; None when it was given up."""
        scene = self.doc.scene
        length = scene.end - scene.start
        asks = (ChoiceAsk("keep", "Keep", [("Frames", False), ("Seconds", True)], False),)
        said = (
            f"Keeping frames, {length:g} frames last {length / rate:.2f} s instead of {length / scene.fps:.2f} s. Keeping "
            f"seconds, every key moves, and the range becomes {length * rate / scene.fps:g} frames long."
        )
        given = self.ask_form(f"{rate:g} frames a second", said, asks, "Change the rate")
        return None if given is None else given["keep"]

    def ask_ease(self, ease: str) -> str | None:
        """An easing, as its name or as CSS, or None."""
        dialog = dialogs.EaseDialog(self, ease, self.palette_)
        return dialog.ease if self.ask(dialog) == "ok" else None

    def ask_colour(self, colour: str, title: str) -> str | None:
        options = QColorDialog.ColorDialogOption.DontUseNativeDialog
        chosen = QColorDialog.getColor(QColor(colour), self, title, options)
        return chosen.name().upper() if chosen.isValid() else None

    def ask_light(self) -> None:
        was = (self.settings.light(), self.settings.picked())
        dialog = dialogs.LightDialog(self, *was, self.palette_, self.show_light)
        if self.ask(dialog) == "ok":
            self.settings.set_light(dialog.light(), dialog.picked)
        self.show_light(self.settings.light(), self.settings.picked())

    def show_light(self, light: Light, picked: str) -> None:
        """Light the view, and colour what is picked; an empty colour is the theme's."""
        if self.renderer is not None:
            self.renderer.light = light
        palette = PALETTES[self.palette_.name]
        self.palette_ = replace(palette, picked=picked) if picked else palette
        self.frame.set_palette_(self.palette_)

    def ask_new_scene(self) -> dialogs.NewSceneChoice | None:
        from fictilis.app.commands import file_kinds

        dialog = dialogs.NewSceneDialog(
            self, lambda: self.commands.files.open("Take a mesh file", file_kinds("read")), bool(self.doc.scene.objects)
        )
        self.ask(dialog)
        return dialog.choice if dialog.answer not in (None, "cancel") else None

    def ask_unsaved(self) -> str | None:
        return self.ask(dialogs.UnsavedDialog(self, self.doc.scene.name))

    def ask_base(self, displacement: Deltas) -> str | None:
        """``follow``, ``stay``, or None to give the stroke up. Asked once until Done, or once when remembered."""
        doc = self.doc
        obj = doc.object
        target = doc.target or obj.targets[0]
        pictures: list[QImage | None] = []
        for choice in ("follow", "stay"):
            if self.renderer is None:
                pictures.append(None)
                continue
            after = move_shape(doc.settled.scene, obj.id, ShapeRef(), displacement, choice).object(obj.id)
            ground = Ground(self.palette_.raised, self.palette_.raised)
            pictures.append(shape_picture(self.renderer, after, shape_points(after, ShapeRef(target.id)), 380, 284, ground))
        dialog = dialogs.BaseQuestion(self, tuple(pictures), target.name)
        answer = self.ask(dialog)
        if answer not in ("follow", "stay"):
            return None
        doc.base_choice, doc.base_choice_kept = answer, dialog.remember.isChecked()
        return answer

    def ask_shortcuts(self) -> None:
        dialog = dialogs.ShortcutsDialog(self, self.settings.own_keys())
        if self.ask(dialog) in ("keep", "reset"):
            self.settings.set_own_keys(dialog.own)
            self.actions_.set_keys(dialog.own)

    def tell(self, title: str, sentences: Sequence[tuple[str, str]]) -> None:
        self.ask(dialogs.SentencesDialog(self, title, sentences))

    def show_about(self, version: str) -> None:
        self.ask(dialogs.AboutDialog(self, version))

    def offer_recovery(self) -> None:
        """Offer each scene that a crashed session left behind."""
        for found in left_behind(self.recovery_folder):
            answer = self.ask(dialogs.RecoverDialog(self, found))
            if answer == "discard":
                found.discard()
            elif answer == "recover" and self.commands.may_leave() and self._recover(found):
                return

    def _recover(self, found) -> bool:
        from fictilis.formats.registry import load

        try:
            scene = load(found.file)
        except FictilisError as error:
            self.doc.say(error.sentence, "error")
            return False
        self.doc.open_scene(scene, found.path, saved=False)
        self.view.fit()
        self.autosave.tick()
        self.autosave.finish()
        found.discard()
        self.doc.say(f"Recovered {found.name}; save it to keep it.", "warning")
        return True

    def closeEvent(self, event: QCloseEvent) -> None:
        self.playback.stop()
        if not self.commands.may_leave():
            event.ignore()
            return
        self._keep_sizes()
        self.autosave.stop()
        self.checker.stop()
        event.accept()


def warm_up() -> None:
    """Import what strokes and quick mixing need while the user looks at the first picture."""

    def work() -> None:
        import scipy.linalg.blas
        import scipy.sparse.csgraph
        import scipy.spatial  # noqa: F401

    threading.Thread(target=work, daemon=True).start()


def install_crash_log(folder: Path, window: Window) -> None:
    """An unexpected error goes to a log file that the message names; the work is kept in the recovery file."""

    def hook(kind, value, trace) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        log = folder / "fictilis.log"
        with open(log, "a", encoding="utf-8") as stream:
            stream.write("".join(traceback.format_exception(kind, value, trace)) + "\n")
        window.autosave.tick()
        window.doc.cancel_preview()
        window.doc.say(f"Something went wrong inside Fictilis. Your work is kept; details are in {log}.", "error")

    sys.excepthook = hook
