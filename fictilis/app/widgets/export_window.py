"""The window of exports: format, file, what of the scene, and what becomes of it; after writing, the proof."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from html import escape
from pathlib import Path
from typing import Any

from msgspec import Struct
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QCheckBox, QLabel, QScrollArea, QWidget

from fictilis.app.model.asking import ask_for
from fictilis.app.model.exchange import Exported, Write
from fictilis.app.widgets.dialogs import Dialog, ask_field, watch
from fictilis.app.widgets.fields import ArrowCombo
from fictilis.app.widgets.file_place import FilePlace
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.layouts import across, down, empty
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.app.widgets.tick_list import TickList, ticks_row
from fictilis.core.ground.errors import FictilisError
from fictilis.core.scene.scene import Scene
from fictilis.formats.account import Row, account, matters
from fictilis.formats.choices import Choices, files_of
from fictilis.formats.fates import CHANGED, KEPT, LEFT_OUT
from fictilis.formats.registry import FORMATS, Format, as_chosen, format_for

KINDS: dict[str, str] = {
    suffix: f"{f.name} ({suffix})" for f in FORMATS if f.export for suffix in f.suffixes if suffix != ".usd"
}
HEADS = {LEFT_OUT: "Left out", CHANGED: "Changed", KEPT: "Kept"}
LABELS = 84
AROUND = 118  # the heading and the buttons, px


class ExportRequest(Struct, frozen=True):
    """What the window begins with: the scene and its frame, a file, the objects that are ticked, options by a format's key, and
    whether a proof is wanted."""

    scene: Scene
    frame: float
    path: Path
    objects: tuple[str, ...]
    options: Mapping[str, Mapping[str, Any]]
    proves: bool


class ExportDialog(Dialog):
    """``write`` writes the file, and raises what is wrong; ``choose`` asks for another place."""

    def __init__(
        self,
        parent: QWidget,
        request: ExportRequest,
        palette: Palette,
        choose: Callable[[Path, str], Path | None],
        write: Write,
    ) -> None:
        super().__init__(parent, "Export", 884)
        self.request, self.palette_, self._write = request, palette, write
        self.exported: Exported | None = None
        self.chosen = {key: dict(row) for key, row in request.options.items()}
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._tell)
        columns = across(spacing=24)
        self.body.addLayout(columns)
        self.left, scroll = QWidget(), QScrollArea()
        self.form = down(self.left, 9, (0, 0, 12, 0))
        scroll.setWidgetResizable(True)
        self.left.setFixedWidth(442)
        scroll.setFixedWidth(454)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(self.left)
        columns.addWidget(scroll)
        columns.addWidget(self._fates(), 1)
        self.place = FilePlace(palette, KINDS, request.path, choose, LABELS, (".usd",))
        self.kind, self.name = self.place.kind, self.place.name
        self.form.addWidget(self.place)
        self._scene_rows()
        self.options = QWidget()
        self.options_rows = down(self.options, 9)
        self.form.addWidget(self.options)
        self.form.addWidget(self.frame_row)
        self.form.addWidget(self.range_row)
        self.proves = QCheckBox("Read it again as a proof")
        self.proves.setChecked(request.proves)
        self.form.addWidget(self.proves)
        self.form.addStretch(1)
        self.button("cancel", "Cancel")
        self.button("ok", "Export", True)
        self.fields: dict[str, QWidget] = {}
        self._read: dict[str, Callable[[], Any]] = {}
        self._format_shown: Format | None = None
        self.place.changed.connect(self._show_format)
        self._show_format()

    def _fates(self) -> QWidget:
        """What becomes of the scene, and below it what came of writing it."""
        side = QWidget()
        rows = down(side, 10)
        self.fates = QLabel()
        self.fates.setWordWrap(True)
        self.fates.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self.fates.setContentsMargins(14, 12, 14, 12)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setMinimumHeight(230)
        scroll.setObjectName("fates")
        scroll.setWidget(self.fates)
        rows.addWidget(scroll, 1)
        self.wrote, self.wrong = QLabel(), QLabel()
        self.wrong.setProperty("error", True)
        for label in (self.wrote, self.wrong):
            label.setWordWrap(True)
            label.hide()
            rows.addWidget(label)
        return side

    def _scene_rows(self) -> None:
        scene = self.request.scene
        objects = [
            (o.id, f"{o.name}   {len(o.base):,} points" + (f", {len(o.targets)} targets" if o.targets else ""),
             o.id in self.request.objects)
            for o in scene.objects
        ]  # fmt: skip
        self.objects = TickList("Objects", objects, self._soon)
        self.form.addWidget(ticks_row("Objects", self.objects, LABELS))
        self.clips = TickList("Clips", [(c.id, c.name, True) for c in scene.clips], self._soon)
        self.clips_row = Labelled("Clips", self.clips, width=LABELS)
        self.form.addWidget(self.clips_row)
        self.clip = ArrowCombo(self.palette_)
        self.clip.setAccessibleName("Clip")
        self.clip.addItems([c.name for c in scene.clips])
        self.clip.setCurrentIndex(next((n for n, c in enumerate(scene.clips) if c.id == scene.clip), -1))
        self.clip.currentIndexChanged.connect(lambda _row: self._soon())
        self.clip_row = Labelled("Clip", self.clip, width=LABELS)
        self.form.addWidget(self.clip_row)
        self.frame, self.first, self.last = (self._frame_field(*row) for row in (
            ("At frame", self.request.frame), ("From frame", scene.start), ("To frame", scene.end)))  # fmt: skip
        self.frame_row = Labelled("At frame", self.frame, width=LABELS)
        self.frame_row.row.addStretch(2)
        self.range_row = Labelled("Range", self.first, self.last, width=LABELS)
        self.range_row.row.addStretch(1)

    def _frame_field(self, name: str, value: float) -> NumberField:
        field = NumberField(name, "", 0 if value == round(value) else 2, -1e6, 1e6)
        field.set_value(value)
        field.committed.connect(lambda _value: self._soon())
        return field

    # what is chosen

    @property
    def path(self) -> Path:
        return self.place.path

    @property
    def format(self) -> Format:
        return format_for(self.path, "write")

    @property
    def choices(self) -> Choices:
        """What the fields say."""
        scene, kind = self.request.scene, self.format
        seen = tuple(o.id for o in scene.objects if o.visible)
        objects = None if self.objects.ticked == seen else self.objects.ticked
        clips: tuple[str, ...] | None = None
        if kind.clips:
            clips = None if len(self.clips.ticked) == len(scene.clips) else self.clips.ticked
        elif scene.clips:
            chosen = scene.clips[max(self.clip.currentIndex(), 0)].id
            clips = None if chosen == scene.clip else (chosen,)
        ranged = not self.range_row.isHidden()
        first, last = self.first.value, self.last.value
        return Choices(
            objects, clips, first if ranged and first != scene.start else None, last if ranged and last != scene.end else None,
            {name: read() for name, read in self._read.items()},
        )  # fmt: skip

    # what is shown

    def _show_format(self) -> None:
        kind = self.format
        if kind is not self._format_shown:
            self._keep_options()
            self._format_shown = kind
            self._show_options(kind)
        scene = self.request.scene
        self.clips_row.setVisible(bool(scene.clips) and kind.clips)
        self.clip_row.setVisible(bool(scene.clips) and not kind.clips)
        self.proves.setVisible(kind.told)
        self._soon()

    def _fit(self) -> None:
        """As high as its fields ask for, within the screen."""
        self.options_rows.activate()
        self.form.activate()
        screen = self.screen()
        most = screen.availableGeometry().height() - 60 if screen is not None else 700
        self.setMinimumHeight(min(max(560, self.left.sizeHint().height() + AROUND), most))

    def _keep_options(self) -> None:
        if self._format_shown is not None:
            kept = self.chosen.setdefault(self._format_shown.key, {})
            kept |= {name: read() for name, read in self._read.items()}

    def _show_options(self, kind: Format) -> None:
        empty(self.options_rows)
        self.fields, self._read = {}, {}
        for option in kind.options:
            if not matters(self.request.scene, option.name):
                continue
            start = self.chosen.get(kind.key, {}).get(option.name, option.default)
            try:
                start = option.checked(start, None)
            except FictilisError:
                start = option.default  # what was remembered is no choice any more
            ask = ask_for(option, start)
            widget, self._read[option.name] = ask_field(ask, self.palette_)
            watch(widget, self._soon)
            self.fields[option.name] = row = widget
            self.options_rows.addWidget(row if isinstance(widget, QCheckBox) else Labelled(ask.label, widget, width=LABELS))

    def _soon(self) -> None:
        """Tell what becomes of it once the hands rest."""
        self.wrong.hide()
        self.wrote.hide()
        self.buttons["cancel"].setText("Cancel")
        kind, one = self.format, True
        if "frames" in self._read:
            one = self._read["frames"]() == "one"
            step = self.fields["step"].parentWidget()
            if step is not None:
                step.setVisible(not one)
        self.frame_row.setVisible(not kind.over and one)
        self.range_row.setVisible((kind.over or not one) and not (kind.clips and len(self.clips.ticked) > 1))
        self._later.start(0)

    def _tell(self) -> None:
        """The list of what becomes of it, and what stands in the way."""
        path, scene = self.path, self.request.scene
        wrong, rows, there = "", list[Row](), list[Path]()
        try:
            chosen, values = as_chosen(scene, path, self.choices)
            rows = account(scene, chosen, self.format.key, values)
            files = [place for place, _ in files_of(path, chosen, self.frame.value, values)]
            there = [place for place in files if place.exists()]
            if not any(obj.visible for obj in chosen.objects):
                wrong = "No object is chosen; choose one at least."
        except FictilisError as error:
            wrong = error.said
        self.fates.setText(f'<p style="color:{self.palette_.error}">{escape(wrong)}</p>' if wrong else self._listed(rows))
        self.place.tell(there)
        self.rename("ok", "Replace" if there else "Export", destroys=bool(there))
        self.buttons["ok"].setEnabled(not wrong)
        self._fit()

    def _listed(self, rows: list[Row]) -> str:
        """Three short lists, what is lost first."""
        colours = {LEFT_OUT: self.palette_.error, CHANGED: self.palette_.auto_key, KEPT: self.palette_.primary}
        lines: list[str] = []
        for state, head in HEADS.items():
            own = [row.sentence for row in rows if row.state == state]
            if own:
                apart = 12 if lines else 0
                lines.append(f'<div style="margin-top:{apart}px"><b style="color:{colours[state]}">{head}</b></div>')
            lines += [f'<div style="margin-top:4px">{escape(sentence)}</div>' for sentence in own]
        return "".join(lines) or "Nothing of this scene is for such a file."

    def _close(self, name: str) -> None:
        if name != "ok":
            super()._close(name)
            return
        for field in (self.frame, self.first, self.last, *(f for f in self.fields.values() if isinstance(f, NumberField))):
            field.finish()
            if field.property("bad"):
                return
        self._tell()
        if not self.buttons["ok"].isEnabled():
            return
        self._keep_options()
        try:
            self.exported = self._write(self.path, self.choices, self.frame.value, self.proves.isChecked() and self.format.told)
        except FictilisError as error:
            self.wrong.setText(error.said)
            self.wrong.show()
            return
        self._tell()
        said = " ".join([f"Wrote {self.path.name}.", *self.exported.said])
        proof = f'<p style="margin-top:6px"><b style="color:{self.palette_.primary}">{escape(self.exported.proof)}</b></p>'
        self.wrote.setText(f"{escape(said)}{proof if self.exported.proof else ''}")
        self.wrote.show()
        self.buttons["cancel"].setText("Close")
