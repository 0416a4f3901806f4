"""The window of movies and pictures: what is made, of which frames, seen how; a picture of it stands beside."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from msgspec import Struct
from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import QColor, QImage, QPixmap
from PyQt6.QtWidgets import (
    QCheckBox,
    QColorDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QWidget,
)

from fictilis.app.model.asking import ask_for
from fictilis.app.widgets.dialogs import Dialog, ask_field, watch
from fictilis.app.widgets.fields import ArrowCombo, Segments
from fictilis.app.widgets.file_place import FilePlace
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.layouts import across, down, empty
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.ground.errors import EditRefused, FictilisError, there
from fictilis.core.mix.key_refs import jumping
from fictilis.core.mix.relay import poses, relays
from fictilis.core.scene.light import Light
from fictilis.core.scene.scene import Scene
from fictilis.pictures.look import CLEAR
from fictilis.pictures.making import clipped, files_of, frames_of, one_of
from fictilis.pictures.orders import AS_SEEN, KINDS, OWN, Order, values_of
from fictilis.pictures.sheet import count_of
from fictilis.pictures.shots import Shots, eyes_of
from fictilis.render.beside import Draws
from fictilis.render.stage import Stage

SUFFIXES = {".mp4": "MP4, H.264 (.mp4)", ".webm": "WebM, VP9 (.webm)", ".gif": "GIF (.gif)", ".png": "Numbered PNG (.png)"}
ONE = {".png": "PNG (.png)"}
LABELS = 118
PREVIEW = QSize(416, 312)
OF_SHEETS = {"frames": ("first", "last", "step"), "targets": ("object",), "poses": ("object", "relay")}
ASIDE = ("width", "height", "first", "last")  # asked for two in a row


class PicturesRequest(Struct, frozen=True):
    """What the window begins with: the scene, the view as it is among its kept ones; its frame, a kind, a file, options by
    kind, the object shown, and the name of the scene's camera where it is looked through."""

    scene: Scene
    frame: float
    kind: str
    path: Path
    options: Mapping[str, Mapping[str, Any]]
    object: str
    through: str | None
    light: Light
    stage: Stage


class PicturesDialog(Dialog):
    """``choose`` asks for another place. ``order`` is what was chosen, once it was accepted."""

    def __init__(
        self, parent: QWidget, request: PicturesRequest, palette: Palette, choose: Callable[[Path, str], Path | None],
        renderer: Draws | None,
    ) -> None:  # fmt: skip
        super().__init__(parent, "Movies and pictures", 930)
        self.request, self.palette_, self._renderer = request, palette, renderer
        self.order: Order | None = None
        self.chosen = {key: dict(row) for key, row in request.options.items()}
        self.fields: dict[str, QWidget] = {}
        self._read: dict[str, Callable[[], Any]] = {}
        self._rows: dict[str, QWidget] = {}
        self._shown = ""
        self._shots: Shots | Stage = request.stage
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._tell)
        self.kind = Segments("What", [kind.name for kind in KINDS.values()])
        self.kind.set_value(KINDS[request.kind].name)
        self.kind.chosen.connect(lambda _name: self._show_kind())
        row = QHBoxLayout()
        row.addWidget(self.kind)
        row.addStretch(1)
        self.body.addLayout(row)
        columns = across(spacing=24)
        self.body.addLayout(columns)
        left, scroll = QWidget(), QScrollArea()
        self.form = down(left, 9, (0, 0, 12, 0))
        left.setFixedWidth(436)
        scroll.setWidgetResizable(True)
        scroll.setFixedWidth(448)
        scroll.setMinimumHeight(484)  # the whole fits a window of 640
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(left)
        columns.addWidget(scroll)
        columns.addWidget(self._beside(), 1)
        self.place = FilePlace(palette, self._kinds, request.path, choose, LABELS)
        self.form.addWidget(self.place)
        self.view = ArrowCombo(palette)
        self.view.setAccessibleName("Seen through")
        others = [name for name in eyes_of(request.scene) if name != AS_SEEN]
        self._eyes: list[str | None] = [AS_SEEN, *others, None]
        self.view.addItems(["The view as it is", *others, "All that moves"])
        self.view.setCurrentIndex(self._eyes.index(request.through) if request.through else 0)
        self.view.currentIndexChanged.connect(lambda _row: self._soon())
        self.form.addWidget(Labelled("Seen through", self.view, width=LABELS))
        self.options = QWidget()
        self.options_rows = down(self.options, 9)
        self.form.addWidget(self.options)
        self.form.addStretch(1)
        self.button("cancel", "Cancel")
        self.button("ok", "Make it", True)
        self.place.changed.connect(self._soon)
        self._show_kind()
        self.place.name.setFocus()

    def _beside(self) -> QWidget:
        """A picture as it will be, and what is told of it."""
        side = QWidget()
        rows = down(side, 10)
        self.picture = QLabel()
        self.picture.setAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
        self.picture.setMinimumWidth(PREVIEW.width())
        self.picture.setAccessibleName("A picture as it will be")
        rows.addWidget(self.picture)
        self.facts, self.wrong = QLabel(), QLabel()
        self.wrong.setProperty("error", True)
        for label in (self.facts, self.wrong):
            label.setWordWrap(True)
            rows.addWidget(label)
        rows.addStretch(1)
        return side

    # what is chosen

    @property
    def key(self) -> str:
        return next(kind.key for kind in KINDS.values() if self.kind.buttons[kind.name].isChecked())

    @property
    def _kinds(self) -> dict[str, str]:
        return SUFFIXES if KINDS[self.key].moves else ONE

    @property
    def eye(self) -> str | None:
        return self._eyes[max(self.view.currentIndex(), 0)]

    def wanted(self) -> Order:
        """What the fields say."""
        values = {name: read() for name, read in self._read.items() if name not in ("object", "relay", "clip")}
        names = {name: self._read[name]() for name in ("object", "relay", "clip") if name in self._read}
        return Order(self.key, self.place.path, values, self.eye, **names)

    # what is shown

    def _show_kind(self) -> None:
        if self._shown:
            self._keep()
        self._shown, self._read = self.key, {}
        self.place.set_kinds(self._kinds)
        empty(self.options_rows)
        self.fields, self._rows = {}, {}
        scene, kind = self.request.scene, KINDS[self.key]
        kept = self.chosen.get(self.key, {})
        for option in kind.options:
            start = option.begins_at(scene)
            if option.name == "frame":
                start = self.request.frame
            elif option.name == "looped":
                start = self._loops()
            elif option.name in kept and option.name not in ("first", "last"):  # a range belongs to its scene
                try:
                    start = option.checked(kept[option.name], scene)
                except FictilisError:
                    pass  # what was remembered is no choice any more
            if option.name == "silent" and scene.sound is None:
                continue
            if option.name == "markers" and not scene.markers:
                continue
            self._add(option.name, option.label, *ask_field(ask_for(option, start), self.palette_))
        if self.key == "sheet":
            self._add_choice("object", "Object", [o.name for o in scene.objects], self.request.object)
            own = [g.name for o in scene.objects for g in relays(o).values() if poses(o, g.id)]
            if own:
                self._add_choice("relay", "Relay", own, own[0])
        elif len(scene.clips) > 1:
            hand = next((c.name for c in scene.clips if c.id == scene.clip), "")
            self._add_choice("clip", "Clip", [c.name for c in scene.clips], hand)
        self._soon()

    def _loops(self) -> bool:
        """Whether the frames that were chosen move, and end as they begin."""
        scene = self.request.scene
        moves = any(len(lane.curve.keys) > 1 for owner in scene.owners for lane in owner.lanes)
        return moves and not jumping(scene, (self._read["first"](), self._read["last"]()))

    def _range_chosen(self) -> None:
        tick = self.fields.get("looped")
        if isinstance(tick, QCheckBox):
            tick.setChecked(self._loops())

    def _add_choice(self, name: str, label: str, texts: list[str], start: str) -> None:
        combo = ArrowCombo(self.palette_)
        combo.setAccessibleName(label)
        combo.addItems(texts)
        combo.setCurrentIndex(texts.index(start) if start in texts else 0)
        self._add(name, label, combo, combo.currentText, first=True)

    def _add(self, name: str, label: str, widget: QWidget, read: Callable[[], Any], first: bool = False) -> None:
        self.fields[name], self._read[name] = widget, read
        if name in ("first", "last"):
            watch(widget, self._range_chosen)
        watch(widget, self._soon)
        if name in ("height", "last"):  # beside what goes before
            before = self._rows["width" if name == "height" else "first"]
            assert isinstance(before, Labelled)
            before.row.addWidget(widget)
            self._rows[name] = before
            return
        row: QWidget
        words = {"width": "Size", "first": "Range"}.get(name, label)
        if isinstance(widget, QLineEdit) and not isinstance(widget, NumberField):  # a colour
            widget.textEdited.connect(lambda _text: self._soon())
            choose = QPushButton("Choose…")
            choose.clicked.connect(lambda _on: self._choose_colour(widget))
            row = Labelled(words, widget, width=LABELS)
            row.row.addWidget(choose)
        elif isinstance(widget, QCheckBox):
            row = widget
        else:
            row = Labelled(words, widget, width=LABELS)
            if isinstance(widget, NumberField) and name not in ASIDE:
                row.row.addStretch(1)
        self._rows[name] = row
        self.options_rows.insertWidget(0 if first else self.options_rows.count(), row)

    def _choose_colour(self, field: QLineEdit) -> None:
        options = QColorDialog.ColorDialogOption.DontUseNativeDialog
        colour = QColorDialog.getColor(QColor(field.text()), self, "Colour of the ground", options)
        if colour.isValid():
            field.setText(colour.name().upper())
            self._soon()

    def _keep(self) -> None:
        if self._shown:
            skipped = ("frame", "object", "relay", "clip")
            self.chosen[self._shown] = {name: read() for name, read in self._read.items() if name not in skipped}

    def _soon(self) -> None:
        if not self._read:
            return
        if "ground" in self._read:
            self._rows["colour"].setVisible(self._read["ground"]() == OWN)
        if "shutter" in self._read:
            self._rows["parts"].setVisible(self._read["shutter"]() > 0)
        if "quality" in self._read:
            self._rows["quality"].setVisible(self.place.suffix in (".mp4", ".webm"))
        if "silent" in self._rows:
            self._rows["silent"].setVisible(self.place.suffix in (".mp4", ".webm"))
        if self.key == "sheet":
            seen = OF_SHEETS[self._read["of"]()]
            for name in {name for names in OF_SHEETS.values() for name in names} & {*self._rows}:
                self._rows[name].setVisible(name in seen)
        self._later.start(60)

    def _tell(self) -> None:
        """What will be made, a picture of it, and what stands in the way."""
        order, scene, wrong, there = self.wanted(), self.request.scene, "", list[Path]()
        try:
            if not order.path.parent.is_dir():
                raise EditRefused(f"There is no folder {order.path.parent}.")
            scene = clipped(scene, order)
            values = values_of(order, scene)
            there = [path for path in files_of(order, scene) if path.exists()]
            self.facts.setText(self._facts(order, scene, values))
            self._preview(order, scene, values)
        except FictilisError as error:
            wrong = error.said
            self.picture.clear()
            self.facts.clear()
        self.wrong.setText(wrong)
        self.wrong.setVisible(bool(wrong))
        self.place.tell(there)
        self.buttons["ok"].setEnabled(not wrong)
        self.rename("ok", "Replace" if there else "Make it", destroys=bool(there))

    def _facts(self, order: Order, scene: Scene, values: Mapping[str, Any]) -> str:
        size = f"{values['width']:,.0f} × {values['height']:,.0f} pixels"
        if order.kind == "sheet":
            count = count_of(scene, order, values)
            return f"{count:,} picture{'' if count == 1 else 's'} of {size} each, on one sheet."
        if not KINDS[order.kind].moves:
            return f"One picture of {size}."
        frames = frames_of(values, scene)
        many = f"{len(frames):,} picture{'' if len(frames) == 1 else 's'} of {size}, {len(frames) / values['rate']:.2f} s."
        heard = scene.sound is not None and not scene.sound.muted and not values.get("silent", True)
        return many + (f" With {there(scene.sound).name}." if heard and self.place.suffix in (".mp4", ".webm") else "")

    def _preview(self, order: Order, scene: Scene, values: Mapping[str, Any]) -> None:
        if self._renderer is None:
            return
        ratio = self.devicePixelRatioF()
        most = (round(PREVIEW.width() * ratio), round(PREVIEW.height() * ratio))
        request = self.request
        self._shots, pixels = one_of(scene, order, values, request.frame, most, request.light, self._renderer, self._shots)
        height, width = pixels.shape[:2]
        image = QImage(pixels.tobytes(), width, height, 4 * width, QImage.Format.Format_RGBA8888).copy()
        image.setDevicePixelRatio(ratio)
        self.picture.setPixmap(QPixmap.fromImage(image))
        self.picture.setStyleSheet(f"border: 1px dashed {self.palette_.line};" if values["ground"] == CLEAR else "")

    def _close(self, name: str) -> None:
        if name == "ok":
            for field in self.fields.values():
                if isinstance(field, NumberField):
                    field.finish()
                    if field.property("bad"):
                        return
            self._tell()
            if not self.buttons["ok"].isEnabled():
                return
            self._keep()
            self.order = self.wanted()
        super()._close(name)
