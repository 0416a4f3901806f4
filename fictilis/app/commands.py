"""What the actions do: each method is one row's, through the document, the dialogs and the formats."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtWidgets import QFileDialog

from fictilis import __version__
from fictilis.core.edits import keys as key_edits
from fictilis.core.edits import objects as object_edits
from fictilis.core.edits import targets as target_edits
from fictilis.core.edits.shape import ShapeRef
from fictilis.core.errors import FictilisError
from fictilis.core.geometry.primitives import FORMS
from fictilis.core.scene import Appearance, Scene
from fictilis.formats.native import SUFFIX
from fictilis.formats.registry import FORMATS, export, export_shapes, load, read_meshes, save, scene_from_file

if TYPE_CHECKING:
    from fictilis.app.window import Window

SCENES = f"Fictilis scenes (*{SUFFIX})"


class FileChooser:
    """Asks for files. Tests put their own in its place."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self.folder = str(Path.home())

    def _remember(self, path: str) -> Path | None:
        if path:
            self.folder = str(Path(path).parent)
        return Path(path) if path else None

    def open(self, title: str, kinds: str) -> Path | None:
        return self._remember(QFileDialog.getOpenFileName(self.window, title, self.folder, kinds)[0])

    def open_several(self, title: str, kinds: str) -> list[Path]:
        paths = QFileDialog.getOpenFileNames(self.window, title, self.folder, kinds)[0]
        return [path for path in map(self._remember, paths) if path]

    def save(self, title: str, name: str, kinds: str) -> Path | None:
        return self._remember(QFileDialog.getSaveFileName(self.window, title, str(Path(self.folder, name)), kinds)[0])

    def folder_for(self, title: str) -> Path | None:
        path = QFileDialog.getExistingDirectory(self.window, title, self.folder)
        if path:
            self.folder = path
        return Path(path) if path else None


def file_kinds(doing: str) -> str:
    """The chooser's filter for all formats that can be read as meshes, or written."""
    able = [f for f in FORMATS if (f.read_mesh if doing == "read" else f.export)]
    return ";;".join(f"{f.name} ({' '.join('*' + s for s in f.suffixes)})" for f in able)


class Commands:
    """One method a row of the actions table."""

    def __init__(self, window: Window) -> None:
        self.window, self.doc = window, window.doc
        self.files = FileChooser(window)

    def _try(self, work: Callable[[], object]) -> object | None:
        """Run ``work``; an expected error becomes a sentence on the screen, and None comes back."""
        try:
            return work()
        except FictilisError as error:
            self.doc.say(f"{error.sentence} {error.hint}".strip(), "error")
            return None

    # files

    def new_scene(self) -> None:
        choice = self.window.ask_new_scene()
        if choice is None or (not choice.beside and not self.may_leave()):
            return
        beside = self.doc.settled.scene if choice.beside else None

        def make() -> tuple[Scene, tuple[str, ...]]:
            if choice.file is None:
                points, mesh = FORMS[choice.form](**choice.numbers)
                smooth = choice.form not in ("Box", "Plane")
                scene, _ = object_edits.add_object(beside or Scene(), choice.form, mesh, points, Appearance(smooth=smooth))
                return scene, ()
            return self.window.run(
                f"Reading {choice.file.name}", lambda progress: scene_from_file(choice.file, progress, beside)
            )

        made = self._try(make)
        if made is None:
            return
        scene, warnings = made
        if choice.beside:
            self.doc.commit(f"Add {scene.objects[-1].name}", scene)
            self.doc.select_object(scene.objects[-1].id)
        else:
            self.doc.open_scene(scene, None, saved=False)
        self.window.view.fit()
        for warning in warnings:
            self.doc.say(warning, "warning")

    def open_file(self) -> None:
        path = self.files.open("Open a scene", f"{SCENES};;{file_kinds('read')}")
        if path is not None:
            self.open_path(path)

    def open_path(self, path: Path) -> bool:
        """Open a scene, or a mesh file as a new scene; asks first when there are unsaved changes."""
        if not self.may_leave():
            return False

        def read(progress: Callable[[float], None]) -> tuple[Scene, tuple[str, ...], bool]:
            if path.suffix.lower() == SUFFIX:
                return load(path, progress), (), True
            return *scene_from_file(path, progress), False

        opened = self._try(lambda: self.window.run(f"Opening {path.name}", read))
        if opened is None:
            return False
        scene, warnings, native = opened
        self.doc.open_scene(scene, path if native else None, saved=native)
        if native:
            self.window.settings.add_recent(path)
        self.window.view.fit()
        for warning in warnings:
            self.doc.say(warning, "warning")
        return True

    def open_demo(self) -> None:
        from fictilis.demo.jelly import moon_jelly

        if self.may_leave():
            self.doc.open_scene(moon_jelly(), None)
            self.window.view.fit()

    def save(self) -> bool:
        return self.save_as() if self.doc.path is None else self._save_to(self.doc.path)

    def save_as(self) -> bool:
        path = self.files.save("Save the scene", f"{self.doc.scene.name}{SUFFIX}", SCENES)
        if path is None:
            return False
        return self._save_to(path if path.suffix == SUFFIX else path.with_name(path.name + SUFFIX))

    def _save_to(self, path: Path) -> bool:
        scene = self.doc.settled.scene
        named = self._try(lambda: self.window.run(f"Saving {path.name}", lambda progress: save(scene, path, progress)))
        if named is None:
            return False
        self.doc.mark_saved(scene, named, path)
        self.window.settings.add_recent(path)
        self.window.autosave.clear()
        self.doc.say(f"Saved {path.name}.")
        return True

    def export(self) -> None:
        path = self.files.save("Export the scene", f"{self.doc.scene.name}.glb", file_kinds("write"))
        if path is None:
            return
        if not path.suffix:
            path = path.with_suffix(".glb")
        scene, frame = self.doc.settled.scene, self.doc.frame
        warnings = self._try(
            lambda: self.window.run(f"Exporting {path.name}", lambda progress: export(scene, path, frame, progress))
        )
        if warnings is not None:
            self.doc.say(" ".join([f"Exported {path.name}.", *warnings]), "warning" if warnings else "note")

    def export_shapes(self) -> None:
        folder = self.files.folder_for("Export base and targets to a folder")
        if folder is None:
            return
        scene = self.doc.settled.scene
        written = self._try(lambda: self.window.run("Exporting shapes", lambda _progress: export_shapes(scene, folder)))
        if written is not None:
            self.doc.say(f"Exported {len(written)} OBJ files to {folder}.")

    def may_leave(self) -> bool:
        """Whether the present scene may be left: nothing unsaved, or the user has decided."""
        if not self.doc.unsaved or not self.doc.settled.scene.objects:
            return True
        answer = self.window.ask_unsaved()
        if answer == "save":
            return self.save()
        return answer == "discard"

    def quit(self) -> None:
        self.window.close()

    # edit

    def undo(self) -> None:
        self.doc.undo()

    def redo(self) -> None:
        self.doc.redo()

    def delete(self) -> None:
        doc = self.doc
        if doc.keys:
            count = len(doc.keys)
            doc.edit(f"Delete {count} key{'' if count == 1 else 's'}", lambda s: key_edits.delete_keys(s, doc.keys))
        elif doc.selected and doc.shaping is None:
            self.remove_targets()

    def pick_all(self) -> None:
        count = len(self.doc.object.base)
        self.doc.set_picks(np.arange(count), f"Pick {count} points")

    def pick_none(self) -> None:
        if len(self.doc.picks()):
            self.doc.set_picks(np.zeros(0, np.int64), "Pick nothing")

    # targets

    def new_target(self) -> None:
        self._make_target("New target", lambda scene: target_edits.new_target(scene, self.doc.object_id))

    def new_from_seen(self) -> None:
        doc = self.doc
        posed = doc.state.posed.get(doc.object_id, {})
        self._make_target(
            "New target from what is seen",
            lambda scene: target_edits.target_from_seen(scene, doc.object_id, doc.frame, posed),
        )

    def _make_target(self, label: str, make: Callable[[Scene], tuple[Scene, str]]) -> None:
        """Make a target, select it, and let the user name it at once."""
        scene, target_id = make(self.doc.settled.scene)
        self.doc.commit(label, scene)
        self.doc.select_target(target_id)
        self.window.column.cards.edit_name(target_id)

    def add_targets(self) -> None:
        self.targets_from_files(self.files.open_several("Add targets from files", file_kinds("read")))

    def targets_from_files(self, paths: Sequence[Path]) -> None:
        """Add each file that matches the base; the others are named with their reason. One undoable step."""
        if not paths:
            return
        doc = self.doc
        if doc.object is None:
            if self.may_leave():
                self.open_path(paths[0])
            return
        scene, sentences, added = doc.settled.scene, [], []
        for path in paths:
            try:
                read = self.window.run(f"Reading {path.name}", lambda progress, p=path: read_meshes(p, progress))
                for data in read.objects:
                    name = path.stem if len(read.objects) == 1 else data.name
                    scene, target_id = target_edits.target_from_mesh(scene, doc.object_id, name, data.mesh, data.points)
                    added.append(target_id)
                sentences += [(warning, "warning") for warning in read.warnings]
            except FictilisError as error:
                sentences.append((f"{error.sentence} {error.hint}".strip(), "error"))
        count = len(added)
        if added:
            names = {t.id: t.name for t in scene.object(doc.object_id).targets}
            doc.commit(f"Add {count} target{'' if count == 1 else 's'}", scene)
            doc.select_target(added[-1])
            sentences.insert(0, (f"Added {', '.join(names[i] for i in added)}.", "note"))
        if len(sentences) == 1:
            doc.say(*sentences[0])
        else:
            self.window.tell("Targets from files", sentences)

    def in_between(self) -> None:
        doc, obj, target = self.doc, self.doc.object, self.doc.target
        at = round(doc.weights(obj)[target.id], 4)
        if doc.edit(
            f"In-between of {target.name} at {at:.2f}", lambda s: target_edits.add_in_between(s, obj.id, target.id, at)
        ):
            doc.say(f"{target.name} has an in-between at {at:.2f} now; Enter shapes it.")
            doc.start_shaping(ShapeRef(target.id, at))

    def remove_shaped_stage(self) -> None:
        doc, ref = self.doc, self.doc.shaping
        name = doc.object.target(ref.target).name
        doc.edit(
            f"Remove in-between of {name}",
            lambda s: target_edits.remove_in_between(s, doc.object_id, ref.target, ref.at),
        )

    def rename(self) -> None:
        self.window.column.cards.edit_name(self.doc.target.id)

    def remove_targets(self) -> None:
        doc, chosen = self.doc, self.doc.selected

        def remove(scene: Scene) -> Scene:
            for target_id in chosen:
                scene = target_edits.remove_target(scene, doc.object_id, target_id)
            return scene

        names = ", ".join(doc.object.target(t).name for t in chosen)
        doc.edit(f"Remove {names}", remove)

    def mute(self) -> None:
        doc, target = self.doc, self.doc.target
        word = "Unmute" if target.muted else "Mute"
        doc.edit(
            f"{word} {target.name}",
            lambda s: target_edits.set_muted(s, doc.object_id, target.id, not target.muted),
        )

    # shaping

    def shape(self) -> None:
        doc = self.doc
        if doc.shaping is None:
            doc.start_shaping(ShapeRef(doc.target.id if doc.target else None))

    def done(self) -> None:
        self.doc.done_shaping()

    def tool(self, name: str) -> None:
        self.doc.set_tools(tool=name)

    def resize(self, factor: float) -> None:
        tools = self.doc.tools
        if tools.tool not in ("grab", "pick"):
            start = tools.radius or tools.size
            self.doc.set_tools(radius=start * factor if tools.radius else start)
        else:
            self.doc.set_tools(size=max(tools.size * factor, 1e-3))

    def strengthen(self, step: float) -> None:
        strength = float(np.clip(round(self.doc.tools.strength + step, 2), 0.05, 1.0))
        self.doc.set_tools(strength=strength)

    def mirror(self) -> None:
        self.doc.set_tools(mirror=not self.doc.tools.mirror)

    # view

    def next_way(self) -> None:
        self.doc.next_way()

    def toggle(self, name: str) -> None:
        self.doc.set(**{name: not getattr(self.doc, name)})

    def look(self, way: str) -> None:
        self.window.view.look(way)

    def hide(self) -> None:
        doc, obj = self.doc, self.doc.object
        doc.edit(f"Hide {obj.name}", lambda s: object_edits.set_visible(s, obj.id, False))

    def remove_object(self) -> None:
        doc, obj = self.doc, self.doc.object
        doc.edit(f"Remove {obj.name}", lambda s: object_edits.remove_object(s, obj.id))

    def show_all(self) -> None:
        self.doc.edit("Show all objects", object_edits.show_all)

    def theme(self) -> None:
        self.window.set_theme("Bisque" if self.doc.dark else "Kiln")

    # time

    def play(self) -> None:
        self.window.playback.toggle()

    def step(self, frames: int) -> None:
        scene = self.doc.scene
        frame = np.floor(self.doc.frame) + frames if frames > 0 else np.ceil(self.doc.frame) + frames
        self.doc.set_frame(float(np.clip(frame, scene.start, scene.end)))

    def to_key(self, way: int) -> None:
        obj = self.doc.object
        lanes = [lane for lane in obj.lanes if lane.target in self.doc.selected] or obj.lanes if obj else []
        frames = sorted({k.frame for lane in lanes for k in lane.curve.keys})
        further = [f for f in frames if (f > self.doc.frame + 1e-6 if way > 0 else f < self.doc.frame - 1e-6)]
        if further:
            self.doc.set_frame(further[0] if way > 0 else further[-1])

    def to_end(self, way: int) -> None:
        scene = self.doc.scene
        self.doc.set_frame(scene.end if way > 0 else scene.start)

    def key(self) -> None:
        doc = self.doc
        weights = doc.weights(doc.object)
        names = ", ".join(doc.object.target(t).name for t in doc.selected)
        doc.key_targets({t: weights[t] for t in doc.selected}, f"Key {names}")

    def key_mix(self) -> None:
        self.doc.key_targets(self.doc.weights(self.doc.object), "Key whole mix")

    def interpolate(self, kind: str) -> None:
        doc = self.doc
        doc.edit(f"{kind.capitalize()} to the next key", lambda s: key_edits.set_interpolation(s, doc.keys, kind))

    # help

    def shortcuts(self) -> None:
        self.window.ask_shortcuts()

    def about(self) -> None:
        self.window.show_about(__version__)
