"""What stands in the window beside the view: made once the model is in the picture, all in one go."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QApplication, QFrame, QMainWindow, QMenu, QSplitter, QVBoxLayout, QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.commands.cues import CueCommands
from fictilis.app.commands.exchange import ExchangeCommands
from fictilis.app.commands.files import Commands
from fictilis.app.commands.finder import Finder
from fictilis.app.commands.imports import ImportCommands
from fictilis.app.commands.lines import LineCommands
from fictilis.app.commands.operations import OperationCommands
from fictilis.app.commands.pictures import PictureCommands
from fictilis.app.commands.ports import Ports, Shell
from fictilis.app.commands.relays import RelayCommands
from fictilis.app.commands.scene_time import SceneTimeCommands
from fictilis.app.commands.shape import ShapeCommands
from fictilis.app.commands.targets import TargetCommands
from fictilis.app.commands.time import TimeCommands
from fictilis.app.commands.walking import WalkCommands
from fictilis.app.cues.panel import CuePanel
from fictilis.app.lanes.lanes import Lanes
from fictilis.app.lanes.playback import Playback
from fictilis.app.lanes.sound_player import SoundPlayer
from fictilis.app.lanes.time_rows import MarkerRow, SoundRow
from fictilis.app.lanes.transport import Transport
from fictilis.app.model.garbage import give_back
from fictilis.app.model.making import Making
from fictilis.app.model.recovery import Autosave
from fictilis.app.model.rehearsing import Rehearsing
from fictilis.app.questions import Asker, Questions
from fictilis.app.side.side_column import SideColumn
from fictilis.app.targets.column import Column
from fictilis.app.targets.thumbnails import Thumbnails
from fictilis.app.top_line import TopLine
from fictilis.app.view.start_page import StartPage
from fictilis.app.view.view_frame import ViewFrame
from fictilis.app.widgets.checks_window import Checker
from fictilis.app.widgets.fields import by_tab_only, end_editing
from fictilis.app.widgets.find_field import named_fields
from fictilis.app.widgets.layouts import down
from fictilis.app.widgets.theme import font, load_fonts
from fictilis.core.ground.errors import there
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.scene.by_bytes import keep_only_of
from fictilis.render.background import Background

if TYPE_CHECKING:

    class Parts(QMainWindow, Shell, Asker):  # type: ignore[misc]
        """The window, to those who furnish it: what it has by itself, and what it has after that."""

        playback: Playback
        checker: Checker
        actions_: Actions
        recovery_folder: Path
        idle: QTimer
        sound: SoundPlayer
        thumbnails: Thumbnails
        autosave: Autosave
        ask: Questions
        ports: Ports
        operations: OperationCommands
        commands: Commands
        shape_commands: ShapeCommands
        target_commands: TargetCommands
        relay_commands: RelayCommands
        time_commands: TimeCommands
        scene_time_commands: SceneTimeCommands
        imports: ImportCommands
        rehearsing: Rehearsing
        cue_commands: CueCommands
        cues: CuePanel
        making: Making
        pictures: PictureCommands
        finder: Finder
        top: TopLine
        frame: ViewFrame
        start_page: StartPage
        column: Column
        side: SideColumn
        transport: Transport
        lanes: Lanes
        across: QSplitter
        down: QSplitter
        low: QWidget
        below: QWidget
        timed: QWidget
        marker_row: MarkerRow
        sound_row: SoundRow

        def follow(self) -> None: ...
        def restore_sizes(self) -> None: ...
        def show_lane(self, ref: ChannelRef) -> None: ...


def furnish(w: Parts) -> None:
    """Make and connect all that is not made yet."""
    load_fonts()
    QApplication.setFont(font(13))
    doc, settings = w.doc, w.settings
    w.sound = SoundPlayer(doc)
    w.playback = Playback(doc, sound=w.sound)
    w.thumbnails = Thumbnails()
    w.autosave = Autosave(doc, w.recovery_folder)
    w.checker = Checker(doc)
    w.ask = Questions(w, w)
    w.ports = Ports(w.ask, w, w.playback)
    w.operations = OperationCommands(doc, w.ports)
    w.commands, w.shape_commands = Commands(doc, w.ports), ShapeCommands(doc, w.ports, w.operations)
    w.target_commands = TargetCommands(doc, w.ports, w.operations)
    w.relay_commands = RelayCommands(doc, w.ports, w.operations)
    w.time_commands, w.scene_time_commands = (
        TimeCommands(doc, w.ports, w.operations),
        SceneTimeCommands(doc, w.ports),
    )
    exchange = ExchangeCommands(doc, w.ports)
    w.rehearsing = Rehearsing(doc)
    w.rehearsing.heard.connect(lambda on: _hear(w, on))
    w.cue_commands = CueCommands(doc, w.ports, w.rehearsing)
    w.imports = ImportCommands(doc, w.ports, w.commands, exchange, w.target_commands, w.relay_commands)
    w.making = Making()
    w.pictures = PictureCommands(doc, w.ports, w.making)
    parts = (
        w.operations, w.commands, w.shape_commands, w.target_commands, w.time_commands,
        w.scene_time_commands, w.relay_commands, LineCommands(doc, w.ports), exchange, w.imports,
        w.pictures, WalkCommands(doc, w.ports), w.cue_commands,
    )  # fmt: skip
    w.actions_ = Actions(w, doc, parts, settings.own_keys())
    _build(w)
    w.restore_sizes()
    w.set_theme(w.palette_.name)
    doc.acting.connect(end_editing)
    doc.opened.connect(w.thumbnails.forget)
    doc.opened.connect(lambda: keep_only_of(doc.scene))
    w.thumbnails.elsewhere = lambda: w.view.moving or w.view.picture is not None and w.view.picture.busy
    doc.opened.connect(lambda: QTimer.singleShot(500, give_back))
    doc.changed.connect(w.follow)
    w.follow()
    w.view.picture_shown.connect(w.playback.picture_shown)
    for drawn in (w.view.picture_shown, w.thumbnails.ready):
        drawn.connect(w.idle.start)
    w.playback.changed.connect(lambda: setattr(w.thumbnails, "paused", w.playback.playing))


def _build(w: Parts) -> None:
    p, doc = w.palette_, w.doc
    w.ports.view = w.view
    w.view.touching.rehearsing = w.rehearsing
    times = w.scene_time_commands
    w.finder = Finder(doc, w.actions_, w.show_lane, times.choose_camera, times.choose_clip, lambda: _fields(w))
    w.top = TopLine(doc, w.actions_, p, _lists(w), w.finder.things)
    w.checker.changed.connect(lambda: w.top.show_found(len(w.checker.found)))
    w.frame = ViewFrame(doc, w.view, w.actions_, p)
    w.view.picture_shown.connect(lambda: w.top.state.set_solo(w.view.stage.solo))
    w.frame.more.setMenu(w.top.submenus["See"])
    w.column = Column(doc, w.thumbnails, p, w.target_commands.new_target, w.actions_)
    w.ports.cards = w.column.cards
    w.column.cards.shape.connect(doc.start_shaping)
    w.column.dropped.connect(w.imports.drop_on_targets)
    w.side = SideColumn(doc, p, w.commands, w.shape_commands, w.operations, w.actions_)
    w.transport = Transport(doc, w.playback, w.actions_, p, w.ask.keep_rate, times.choose_clip)
    w.checker.changed.connect(lambda: w.transport.show_seam(w.checker.seam))
    w.lanes = Lanes(doc, w.actions_, p, lambda o, ref, colour: w.thumbnails.get(o, ref, Background(colour, colour)))
    w.thumbnails.ready.connect(w.lanes.picture_ready)
    w.ports.lanes = w.lanes
    w.across = _splitter(Qt.Orientation.Horizontal, "across", (w.column, w.frame, w.side), (222, 826, 232))
    _build_low(w)
    w.down = _splitter(Qt.Orientation.Vertical, "down", (w.across, w.low), (484, 272))
    whole = QWidget()
    layout = down(whole, 0)
    layout.addWidget(w.top)
    line = QFrame()
    line.setFixedHeight(1)
    line.setObjectName("hairline")
    layout.addWidget(line)
    layout.addWidget(w.down, 1)
    w.start_page = StartPage(
        w.view, doc, w.settings, w.actions_, p, w.commands.open_path, w.commands.open_demo, lambda: w.view.drawing.on
    )
    w.setCentralWidget(whole)
    w.setAcceptDrops(True)
    w.setFocusProxy(w.view)
    w.view.setFocus()
    by_tab_only(w)


def _build_low(w: Parts) -> None:
    """The transport line, and below it the lanes with their rows, or the cues."""
    p, doc = w.palette_, w.doc
    w.low = QWidget()
    stack = down(w.low, 0)
    stack.addWidget(w.transport)
    w.below = QWidget()
    stack.addWidget(w.below, 1)
    under = QVBoxLayout(w.below)
    w.timed = QWidget()
    w.cues = CuePanel(doc, w.actions_, w.cue_commands, w.rehearsing, p)
    stack = QVBoxLayout(w.timed)
    for layout in (under, stack):
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
    under.addWidget(w.timed, 1)
    under.addWidget(w.cues, 1)
    stack.addWidget(w.lanes)
    w.lanes.ready = w.playback.ready = w.view.ready
    w.view.ready.changed.connect(w.lanes.viewport().update)
    w.lanes.dropped.connect(w.scene_time_commands.take_sound)
    w.marker_row = MarkerRow(doc, w.lanes, w.actions_, p)
    w.sound_row = SoundRow(w.sound.samples, doc, w.lanes, w.actions_, p)
    for row in (w.marker_row, w.sound_row):
        stack.addWidget(row)
        row.refresh()


def _hear(w: Parts, on: bool) -> None:
    """The sound of a rehearsal, from its beginning."""
    sound = w.doc.committed.scene.sound
    if on and sound is not None:
        start, fps = sound.start, w.doc.committed.scene.fps
        w.sound.start(lambda t: start + np.asarray(t) * fps)
    elif not w.playback.playing:
        w.sound.stop()


def _lists(w: Parts) -> tuple[tuple, ...]:
    """Menus that are filled when they open."""
    doc = w.doc

    def of_object(name: str) -> Callable[[], Sequence]:
        return lambda: getattr(doc.object, name) if doc.object is not None else ()

    picks = _kept(of_object("picks"), lambda kept: w.shape_commands.pick_kept(kept.name))
    mixes = _kept(of_object("mixes"), lambda mix: w.target_commands.put_back(mix.name))
    views = _kept(lambda: doc.scene.views, lambda view: w.view.eye.go_to(view))
    cameras = _kept(lambda: doc.scene.cameras, lambda camera: w.scene_time_commands.choose_camera(camera))
    return (("File", "save", "Open recent", lambda menu: _fill_recent(w, menu)), ("Pick", "drop-pick", "Kept picks", picks),
             ("See/From where", "drop-view", "Kept views", views), ("See/Camera", "remove-camera", "Cameras", cameras),
             ("Target/Groups and mixes", "drop-mix", "Apply a kept mix", mixes))  # fmt: skip


def _fill_recent(w: Parts, menu: QMenu) -> None:
    menu.clear()
    paths = [Path(p) for p in w.settings.recent()]
    for path in paths:
        action = there(menu.addAction(path.name, lambda p=path: w.commands.open_path(p)))
        action.setToolTip(str(path))
    if not paths:
        there(menu.addAction("nothing yet")).setEnabled(False)


def _kept(things: Callable[[], Sequence], go: Callable[[Any], None]) -> Callable[[QMenu], None]:
    """Fills a menu with things kept under names."""

    def fill(menu: QMenu) -> None:
        menu.clear()
        for thing in things():
            menu.addAction(thing.name, lambda t=thing: go(t))
        if not menu.actions():
            there(menu.addAction("none yet")).setEnabled(False)

    return fill


def _fields(w: Parts) -> list[tuple[str, str, QWidget]]:
    return named_fields((("side column", w.side), ("transport line", w.transport)))


def _splitter(way: Qt.Orientation, name: str, parts: Sequence[QWidget], sizes: Sequence[int]) -> QSplitter:
    splitter = QSplitter(way)
    splitter.setObjectName(name)
    splitter.setHandleWidth(1)
    for number, part in enumerate(parts):
        splitter.addWidget(part)
        splitter.setStretchFactor(number, 1 if len(parts) == 3 and number == 1 or len(parts) == 2 and number == 0 else 0)
    splitter.setSizes(list(sizes))
    return splitter
