"""What the actions do: each method is one row's, through the document, the dialogs and the formats."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from fictilis.app.commands.ports import Ports
from fictilis.app.model.asking import ChoiceAsk, NumberAsk, TextAsk
from fictilis.app.model.document import Document
from fictilis.app.model.exchange import OBJECTS, SCENE
from fictilis.app.model.recovery import Recoverable, left_behind, sweep
from fictilis.app.model.scene_file import read_scene
from fictilis.app.model.session import Session
from fictilis.app.model.stamps import stamp_of
from fictilis.core.checks.changes import changes
from fictilis.core.edits import objects as object_edits
from fictilis.core.edits.forms import add_form
from fictilis.core.ground.errors import FictilisError
from fictilis.core.ground.names import fresh_name
from fictilis.core.scene.appearance import Texture
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.scene.timeline import SavedView
from fictilis.demo import sample
from fictilis.formats.images import image_texture
from fictilis.formats.importing import Held, added, read_held, taken
from fictilis.formats.native import SUFFIX
from fictilis.formats.registry import FORMATS, load, save
from fictilis.render.dress import image_of_bytes
from fictilis.render.stage import Stage, first_stage, warm_surfaces

SCENES = f"Fictilis scenes (*{SUFFIX})"


def file_kinds(doing: str) -> str:
    """The chooser's filter for all formats that can be read as meshes, or written."""
    able = [f for f in FORMATS if (f.read_mesh if doing == "read" else f.export)]
    return ";;".join(f"{f.name} ({' '.join('*' + s for s in f.suffixes)})" for f in able)


class Commands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports) -> None:
        self.doc, self.ports, self.ask = doc, ports, ports.ask
        self._recovered: tuple[Recoverable, int] | None = None  # and which opening it was

    # files

    def new_scene(self) -> None:
        choice = self.ask.new_scene()
        if choice is None or (not choice.beside and not self.may_leave()):
            return
        beside = self.doc.ground if choice.beside else Scene()
        if choice.file is None:
            scene = self.doc.attempt(lambda: add_form(beside, choice.form, choice.numbers)[0])
        else:
            scene = self._read(choice.file, OBJECTS if choice.beside else SCENE)
        if scene is None:
            return
        if choice.beside and choice.file is not None:
            self.put_beside(replace(scene, sound=None))
            return
        if choice.beside:
            self.doc.commit(f"Add {scene.objects[-1].name}", scene)
            self.doc.select_object(scene.objects[-1].id)
        else:
            self.doc.open_scene(scene, None, saved=False)
        self.ports.view.eye.fit()

    def put_beside(self, other: Scene) -> None:
        """Add all that another scene holds to this one, in one step."""
        doc, known = self.doc, {o.id for o in self.doc.scene.objects}
        whole = doc.attempt(lambda: added(doc.ground, other))
        if whole is None:
            return
        whole = whole if other.sound is None else replace(whole, sound=other.sound)
        new = [o for o in whole.objects if o.id not in known]
        names = ", ".join(o.name for o in new[:3]) + (f" and {len(new) - 3} more" if len(new) > 3 else "")
        doc.commit(f"Import {names or 'cameras'}", whole)
        if new:
            doc.select_object(new[0].id)
        self.ports.view.eye.fit()

    def _read(self, path: Path, way: str) -> Scene | None:
        """Read a file, and ask what it does not say of itself. None where the user gave up."""
        doc = self.doc

        def read(progress: Callable[[float], None]) -> Held:
            held = read_held([path], progress)
            warm_surfaces(held.scene)
            return held

        held = doc.attempt(lambda: self.ask.run(f"Reading {path.name}", read))
        if held is None:
            return None
        scene: Scene | None = held.scene
        if held.bare:
            choice = self.ask.take(held, [way], None)
            if choice is None:
                return None
            scene = doc.attempt(lambda: taken(held, choice.ids, choice.laying, choice.sound))
        for warning in held.said:
            doc.say(warning, "warning")
        return scene

    def offer_recovery(self, folder: Path) -> None:
        """Offer each scene that a crashed session left behind in the folder for it."""
        sweep(folder)
        for found in left_behind(folder):
            answer = self.ask.recover(found)
            if answer == "discard":
                found.throw_away()
            elif answer == "recover" and self.may_leave() and self._recover(found):
                return

    def _recover(self, found: Recoverable) -> bool:
        try:
            scene = load(found.file)
        except FictilisError as error:
            self.doc.say(error.said, "error")
            return False
        # a scene of its own, so that saving asks where; the copy stays until it is saved
        self.doc.open_scene(replace(scene, name=f"{found.name} recovered"), None, saved=False)
        self.ports.view.eye.fit()
        self._recovered = (found, self.doc.openings)
        self.doc.say(f"Recovered {found.name}; save it to keep it.", "warning")
        return True

    def recovered_is_saved(self) -> None:
        """What a crash left can go, where it is this scene."""
        if self._recovered is not None and self._recovered[1] == self.doc.openings:
            self._recovered[0].discard()
            self._recovered = None

    def open_file(self) -> None:
        path = self.ask.files.open("Open a scene", f"{SCENES};;{file_kinds('read')}")
        if path is not None:
            self.open_path(path)

    def open_path(self, path: Path) -> bool:
        """Open a scene, or a mesh file as a new scene; asks first when there are unsaved changes."""
        if not self.may_leave():
            return False

        def read(progress: Callable[[float], None]) -> tuple[Scene, Stage]:
            scene = read_scene(path, progress)
            return scene, first_stage(scene)

        if path.suffix.lower() == SUFFIX:
            stamp = stamp_of(path)
            opened = self.doc.attempt(lambda: self.ask.run(f"Opening {path.name}", read))
            if opened is None:
                return False
            self.doc.open_scene(opened[0], path, stamp=stamp)
            self.ports.view.take_stage(opened[1])
            self.ports.shell.opened(path)
        else:
            scene = self._read(path, SCENE)
            if scene is None:
                return False
            self.doc.open_scene(scene, None, saved=False)
        self.ports.view.eye.fit()
        return True

    def open_demo(self, name: str) -> None:
        if self.may_leave():
            self.doc.open_scene(sample(name), None)
            self.ports.view.eye.fit()

    def save(self) -> bool:
        if self.doc.path is None:
            return self.save_as()
        while self.doc.changed_on_disk():
            answer = self.ask.changed_on_disk(self.doc.path)
            if answer == "look":
                self.ask.tell("The file on the disk", self._differences(self.doc.path))
            elif answer == "as":
                return self.save_as()
            elif answer != "save":
                return False
            else:
                break
        return self._save_to(self.doc.path)

    def _differences(self, path: Path) -> list[tuple[str, str]]:
        """How the scene differs from its file, in sentences."""
        try:
            there = load(path)
        except FictilisError as error:
            return [(error.said, "error")]
        found = changes(there, self.doc.committed.scene)
        return [
            ("Here, beside what is on the disk:", "note"),
            *((sentence, "note") for sentence in found or ["All is the same."]),
        ]

    def changed(self) -> None:
        """Say what changed since the scene was opened or saved."""
        found = self.doc.changes()
        since = "it was saved" if self.doc.path is not None else "it was opened"
        rows = [(sentence, "note") for sentence in found] or [(f"Nothing changed since {since}.", "note")]
        self.ask.tell(f"What changed since {since}", rows)

    def save_as(self) -> bool:
        path = self.ask.files.save("Save the scene", f"{self.doc.scene.name}{SUFFIX}", SCENES)
        if path is None:
            return False
        return self._save_to(path if path.suffix.lower() == SUFFIX else path.with_name(path.name + SUFFIX))

    def _save_to(self, path: Path) -> bool:
        scene = self.doc.committed.scene
        named = self.doc.attempt(lambda: self.ask.run(f"Saving {path.name}", lambda progress: save(scene, path, progress)))
        if named is None:
            return False
        self.ports.shell.saved_as(path)  # before all is told and painted anew
        self.doc.mark_saved(scene, named, path)
        self.doc.say(f"Saved {path.name}.")
        return True

    def may_leave(self) -> bool:
        """Whether the present scene may be left: nothing unsaved, or the user has decided."""
        if not self.doc.unsaved or not self.doc.committed.scene.objects:
            return True
        answer = self.ask.unsaved(self.doc.changes())
        if answer == "save":
            return self.save()
        return answer == "discard"

    def quit(self) -> None:
        self.ports.shell.close()

    # edit

    def find(self) -> None:
        self.ports.shell.find()

    def undo(self) -> None:
        self.doc.undo()

    def redo(self) -> None:
        self.doc.redo()

    # view

    def next_way(self) -> None:
        self.doc.next_way()

    def toggle(self, turned: Callable[[Session], Session]) -> None:
        """Flip a switch of the session."""
        self.doc.put(turned(self.doc.session))

    def see(self, name: str) -> None:
        """Show or hide one of the view's extras."""
        doc, on = self.doc, not getattr(self.doc.seeing, name)
        doc.see(**{name: on})
        if name == "texture" and on and doc.object is not None:
            self._say_bare(doc.object)

    def _say_bare(self, obj: MorphObject) -> None:
        """Say why no texture shows on an object without coordinates."""
        texture = obj.appearance.texture
        if obj.geometry.uvs is None and (texture is None or texture.projected is None):
            self.doc.say(f"{obj.name} has no texture coordinates; project the texture from a view to see it.", "warning")

    def colour_by(self, way: str) -> None:
        self.doc.see(colour="" if self.doc.seeing.colour == way else way)

    def colour_scale(self) -> None:
        scale = NumberAsk("scale", "Full colour at", "cm", self.doc.seeing.scale, 0, 1e6)
        given = self.ask.form(
            "Scale of the displacement colour", "0 takes the largest displacement that is shown.", (scale,), "Set it"
        )
        if given is not None:
            self.doc.see(scale=given["scale"], colour="displacement")

    def light(self) -> None:
        self.ask.light()

    def keep_view(self) -> None:
        camera, doc = self.ports.view.eye.camera, self.doc
        name = fresh_name("View", (v.name for v in doc.scene.views))
        given = self.ask.form("Keep this view", "", (TextAsk("name", "Name", name),), "Keep it")
        if given is not None:
            view = SavedView(given["name"], camera.centre, camera.distance, camera.yaw, camera.pitch, camera.parallel)
            doc.edit(f"Keep the view {given['name']}", lambda s: object_edits.keep_view(s, view))

    def _views(self) -> ChoiceAsk:
        return ChoiceAsk("name", "View", [(v.name, v.name) for v in self.doc.scene.views])

    def rename_view(self) -> None:
        given = self.ask.form("Rename a kept view", "", (self._views(), TextAsk("to", "New name", needed=True)), "Rename it")
        if given is not None:
            self.doc.edit(f"Rename the view {given['name']}", lambda s: object_edits.rename_view(s, given["name"], given["to"]))

    def drop_view(self) -> None:
        given = self.ask.form("Delete a kept view", "", (self._views(),), "Delete")
        if given is not None:
            self.doc.edit(f"Forget the view {given['name']}", lambda s: object_edits.drop_view(s, given["name"]))

    def look(self, way: str) -> None:
        self.ports.view.eye.look(way)

    def hide(self) -> None:
        doc, obj = self.doc, self.doc.obj
        doc.channels.set_values(doc.channels.refs({"visible": 0.0}), f"Hide {obj.name}")

    def choose_texture(self) -> None:
        path = self.ask.files.open("Choose an image for the surface", "Images (*.png *.jpg *.jpeg)")
        if path is not None:
            self.doc.attempt(lambda: self._set_texture(self.ask.run(f"Reading {path.name}", lambda _progress: _unpacked(path))))

    def _set_texture(self, texture: Texture | None) -> None:
        doc, obj = self.doc, self.doc.obj
        look = replace(obj.appearance, texture=texture)
        if doc.edit(f"Texture of {obj.name}", lambda s: object_edits.set_appearance(s, obj.id, look)):
            doc.see(texture=texture is not None)
            if texture is not None:
                self._say_bare(doc.obj)

    def plain_texture(self) -> None:
        self._set_texture(None)

    def checker_texture(self) -> None:
        self._set_texture(Texture(projected=self._projected()))

    def project_texture(self) -> None:
        """Project the texture onto the object from the present view."""
        texture = self.doc.obj.appearance.texture or Texture()
        self._set_texture(replace(texture, projected=self.ports.view.eye.projection(self.doc.obj)))

    def unproject_texture(self) -> None:
        texture = self.doc.obj.appearance.texture or Texture()
        self._set_texture(replace(texture, projected=None))

    def _projected(self) -> np.ndarray | None:
        """Without UVs a checker is projected at once, so that it is seen."""
        obj = self.doc.obj
        texture = obj.appearance.texture
        if texture is not None:
            return texture.projected
        return None if obj.geometry.uvs is not None else self.ports.view.eye.projection(obj)

    def show_all(self) -> None:
        self.doc.edit("Show all objects", object_edits.show_all)

    def theme(self) -> None:
        self.ports.shell.set_theme("Bisque" if self.doc.dark else "Kiln")

    def large_view(self) -> None:
        """Fold both columns and the lanes, or show them again."""
        self.doc.change(large=not self.doc.large)

    # help

    def shortcuts(self) -> None:
        self.ask.shortcuts()

    def about(self) -> None:
        self.ask.about()


def _unpacked(path: Path) -> Texture:
    texture = image_texture(path)
    image_of_bytes(texture.image)
    return texture
