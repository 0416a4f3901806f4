"""The questions that commands ask, as dialogs of the window."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Protocol, TypeVar

from msgspec.structs import replace
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtWidgets import QApplication, QColorDialog, QWidget

from fictilis import __version__
from fictilis.app.commands.actions import Actions
from fictilis.app.commands.files import file_kinds
from fictilis.app.lanes.playback import Playback
from fictilis.app.model.asking import Ask, ChoiceAsk
from fictilis.app.model.document import Document
from fictilis.app.model.exchange import Exported, ImportChoice, Write
from fictilis.app.model.recovery import Recoverable
from fictilis.app.model.settings import Settings
from fictilis.app.model.tasks import run_task
from fictilis.app.shortcuts import ShortcutsDialog
from fictilis.app.targets.thumbnails import shape_picture
from fictilis.app.view.view import View
from fictilis.app.widgets import dialogs, export_window, file_questions, import_window, new_scene, pictures_window
from fictilis.app.widgets.checks_window import Checker, ChecksDialog
from fictilis.app.widgets.file_dialog import FileChooser, keys_back
from fictilis.app.widgets.light_dialog import LightDialog
from fictilis.app.widgets.targets_window import TargetsDialog
from fictilis.app.widgets.theme import Palette
from fictilis.core.checks.finding import Finding
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.shape import move_shape
from fictilis.core.edits.timeline import set_light
from fictilis.core.geometry.forms import point_count
from fictilis.core.ground.errors import there
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.mix.shapes import ShapeRef, shape_points
from fictilis.core.scene.kept import blended
from fictilis.core.scene.light import Light
from fictilis.core.scene.scene import Deltas, MorphObject, Scene
from fictilis.formats.choices import Choices
from fictilis.formats.importing import Held
from fictilis.pictures import orders as pictures_orders
from fictilis.pictures.orders import Order
from fictilis.render.background import Background
from fictilis.render.beside import Draws

T = TypeVar("T")
SEEN_LIVE = 200_000  # points of a form that is shown while its numbers are typed


class Asker(Protocol):
    """What a window of questions knows of the main window."""

    doc: Document
    settings: Settings
    palette_: Palette
    renderer: Draws | None
    playback: Playback
    checker: Checker
    actions_: Actions
    view: View

    def show_light(self, light: Light, picked: str) -> None: ...
    def light(self) -> Light: ...


class Questions:
    """Every dialog is shown by ``show``, which tests put their own answers in the place of."""

    def __init__(self, window: QWidget, asker: Asker) -> None:
        self._window, self._asker, self.doc = window, asker, asker.doc
        self._front: QWidget = window
        self.files = FileChooser(window, asker)

    def run(self, label: str, work: Callable[[Callable[[float], None]], T]) -> T:
        """Long work off the interface thread."""
        return run_task(self._front, label, work)

    def show(self, dialog: dialogs.Dialog) -> str | None:
        """Show a dialog until it is answered; playing stops meanwhile."""
        self._asker.playback.stop()
        before, self._front = self._front, dialog
        had = QApplication.focusWidget()
        try:
            dialog.exec()
        finally:
            self._front = before
        dialog.deleteLater()
        if before is self._window:
            keys_back(self._window, had)
        return dialog.answer

    def export(self, path: Path | None, objects: tuple[str, ...], write: Write) -> None:
        """The window of exports, which writes as often as its button is pressed. What is chosen is remembered by format."""
        doc, settings = self.doc, self._asker.settings
        kind = path.suffix if path is not None else settings.export_kind()
        kind = kind if kind in export_window.KINDS else ".glb"
        place = Path(self.files.folder) / (path or Path(f"{doc.title}{kind}"))
        request = export_window.ExportRequest(
            doc.committed.scene, doc.frame, place, objects, settings.exports(), doc.prove_exports
        )  # fmt: skip

        def kept(path: Path, choices: Choices, frame: float, proves: bool) -> Exported:
            done = write(path, choices, frame, proves)
            self.files.folder = str(path.parent)
            settings.set_export_kind(path.suffix.lower())
            settings.set_exports(dialog.chosen)
            return done

        dialog = export_window.ExportDialog(self._window, request, self._asker.palette_, self._place, kept)
        self.show(dialog)

    def pictures(self, kind: str, scene: Scene) -> tuple[Order, Light] | None:
        """The window of movies and pictures. What is chosen is remembered by kind."""
        doc, asker, settings = self.doc, self._asker, self._asker.settings
        last = doc.ordered[0].path if doc.ordered is not None and doc.ordered[0].kind == kind else None
        suffix = last.suffix if last is not None else pictures_orders.KINDS[kind].suffixes[0]
        ends = {"turntable": " turning", "sheet": " sheet"}.get(kind, "")
        path = last or Path(self.files.folder) / f"{doc.title}{ends}{suffix}"
        through = scene.camera.name if doc.through_camera and scene.camera is not None else None
        request = pictures_window.PicturesRequest(
            scene, doc.frame, kind, path, settings.pictures(), doc.object.name if doc.object is not None else "", through,
            asker.light(), asker.view.stage,
        )  # fmt: skip
        dialog = pictures_window.PicturesDialog(self._window, request, asker.palette_, self._place, asker.renderer)
        self.show(dialog)
        if dialog.order is None:
            return None
        settings.set_pictures(dialog.chosen)
        self.files.folder = str(dialog.order.path.parent)
        return dialog.order, request.light

    def _place(self, at: Path, kinds: str) -> Path | None:
        """Where a file goes that is at a place now."""
        self.files.folder = str(at.parent)
        return self.files.save("Where to", at.name, kinds.replace("(.", "(*."))

    def form(self, title: str, sentence: str, asks: Sequence[Ask], verb: str, destroys: bool = False) -> dict | None:
        """Values by name, or None when it was given up."""
        dialog = dialogs.FormDialog(self._window, title, sentence, asks, verb, self._asker.palette_, destroys)
        return dialog.values if self.show(dialog) == "ok" else None

    def blend(self) -> None:
        """Blend two kept mixes; the weights are set, or keyed."""
        doc, obj = self.doc, self.doc.obj
        mixes = {m.name: m for m in obj.mixes}

        def weights(first: str, second: str, part: float) -> dict[ChannelRef, float]:
            return doc.channels.refs(blended(mixes[first], mixes[second], part))

        dialog = dialogs.BlendDialog(
            self._window,
            list(mixes),
            self._asker.palette_,
            lambda *which: doc.channels.set_values(weights(*which), "Blend", final=False),
        )
        dialog.stand_aside()
        answer = self.show(dialog)
        doc.cancel_preview()
        if answer in ("ok", "key"):
            first, second = dialog.values["first"], dialog.values["second"]
            label = f"Blend {first} and {second}"
            if answer == "key":
                doc.channels.key_values(weights(first, second, dialog.part), label)
            else:
                doc.channels.set_values(weights(first, second, dialog.part), label)

    def checks(self) -> Finding | None:
        """What is found; returns where a corrective is to be begun."""
        dialog = ChecksDialog(self._window, self.doc, self._asker.checker)
        self.show(dialog)
        return dialog.correct

    def targets(self) -> None:
        self.show(TargetsDialog(self._window, self.doc))

    def keep_rate(self, rate: float) -> bool | None:
        """Whether keys keep their seconds (True) or their frames (False) at another rate; None when it was given up."""
        scene = self.doc.scene
        length = scene.end - scene.start
        asks = (ChoiceAsk("keep", "Keep", [("Frames", False), ("Seconds", True)], False),)
        said = (
            f"Keeping frames, {length:g} frames last {length / rate:.2f} s instead of {length / scene.fps:.2f} s. Keeping "
            f"seconds, every key moves, and the range becomes {length * rate / scene.fps:g} frames long."
        )
        given = self.form(f"{rate:g} frames a second", said, asks, "Change the rate")
        return None if given is None else given["keep"]

    def ease(self, ease: str) -> str | None:
        """An easing, as its name or as CSS, or None."""
        dialog = dialogs.EaseDialog(self._window, ease, self._asker.palette_)
        return dialog.ease if self.show(dialog) == "ok" else None

    def colour(self, colour: str, title: str) -> str | None:
        options = QColorDialog.ColorDialogOption.DontUseNativeDialog
        chosen = QColorDialog.getColor(QColor(colour), self._window, title, options)
        return chosen.name().upper() if chosen.isValid() else None

    def light(self) -> None:
        asker, settings = self._asker, self._asker.settings
        was = (asker.light(), settings.picked())
        dialog = LightDialog(self._window, *was, asker.palette_, asker.show_light)
        dialog.stand_aside()
        if self.show(dialog) == "ok":
            settings.set_light(dialog.light())  # also of scenes to come
            settings.set_picked(dialog.picked)
            if dialog.light() != was[0]:
                self.doc.edit("Light", lambda s: set_light(s, dialog.light()))
        asker.show_light(asker.light(), settings.picked())

    def new_scene(self) -> new_scene.NewSceneChoice | None:
        """Which form or file; meanwhile the form is seen in the view, and then everything is as it was."""
        doc, eye = self.doc, self._asker.view.eye
        session, camera = doc.session, eye.own

        def seen(choice: new_scene.NewSceneChoice) -> None:
            if point_count(there(choice.form), there(choice.numbers)) <= SEEN_LIVE:
                doc.attempt(
                    lambda: see(*add_form(doc.ground if choice.beside else Scene(), there(choice.form), there(choice.numbers)))
                )

        def see(scene: Scene, object_id: str) -> None:
            alone = replace(session.for_scene(scene), object_id=object_id, playing=False, frame=session.frame)
            doc.preview(scene, alone, others=True, posed={}, picks={})
            eye.fit()

        files = lambda: self.files.open("Take a mesh file", file_kinds("read"))  # noqa: E731
        dialog = new_scene.NewSceneDialog(self._window, files, bool(doc.scene.objects), seen)
        dialog.stand_aside()
        self.show(dialog)
        doc.session = session
        doc.cancel_preview()
        eye.own = camera
        return dialog.choice if dialog.answer not in (None, "cancel") else None

    def take(self, held: Held, ways: Sequence[str], base: MorphObject | None) -> ImportChoice | None:
        """What of some files is taken, as what, and how large; None when it was given up."""
        settings, folder = self._asker.settings, held.paths[0].parent
        begin = settings.import_unit(folder)
        dialog = import_window.ImportDialog(self._window, held, ways, base, self._asker.palette_, begin)
        if self.show(dialog) != "ok" or dialog.choice is None:
            return None
        if held.bare:
            settings.set_import_unit(folder, dialog.choice.laying.unit, dialog.choice.laying.z_up)
        return dialog.choice

    def unsaved(self, changes: Sequence[str] = ()) -> str | None:
        return self.show(file_questions.UnsavedDialog(self._window, self.doc.scene.name, changes))

    def stop_making(self) -> bool:
        """Whether what is being made may be given up."""
        said = "Something is still being made. Closing the window stops it, and nothing of it is kept."
        return self.form("A movie or picture is being made", said, (), "Stop it and close", destroys=True) is not None

    def changed_on_disk(self, path: Path) -> str | None:
        return self.show(file_questions.ChangedOnDisk(self._window, path))

    def base(self, displacement: Deltas) -> str | None:
        """``follow``, ``stay``, or None to give the stroke up. Asked once until Done, or once when remembered."""
        doc = self.doc
        obj = doc.obj
        target = doc.target or obj.targets[0]
        pictures: list[QImage | None] = []
        for choice in ("follow", "stay"):
            if self._asker.renderer is None:
                pictures.append(None)
                continue
            after = move_shape(doc.committed.scene, obj.id, ShapeRef(), displacement, choice).object(obj.id)
            background = Background(self._asker.palette_.raised, self._asker.palette_.raised)
            pictures.append(
                shape_picture(self._asker.renderer, after, shape_points(after, ShapeRef(target.id)), 380, 284, background)
            )
        dialog = dialogs.BaseQuestion(self._window, pictures, target.name)
        answer = self.show(dialog)
        if answer not in ("follow", "stay"):
            return None
        doc.change(base_choice=answer, base_choice_kept=dialog.remember.isChecked())
        return answer

    def shortcuts(self) -> None:
        dialog = ShortcutsDialog(self._window, self._asker.settings.own_keys())
        if self.show(dialog) in ("keep", "reset"):
            self._asker.settings.set_own_keys(dialog.own)
            self._asker.actions_.set_keys(dialog.own)

    def tell(self, title: str, sentences: Sequence[tuple[str, str]]) -> None:
        self.show(dialogs.SentencesDialog(self._window, title, sentences))

    def about(self) -> None:
        drawn = self._asker.renderer
        self.show(dialogs.AboutDialog(self._window, __version__, drawn.card if drawn is not None else ""))

    def recover(self, found: Recoverable) -> str | None:
        return self.show(file_questions.RecoverDialog(self._window, found))
