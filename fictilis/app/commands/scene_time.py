"""What the actions of markers, sound, played part, cameras and ghosts do: each method is one row's."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from msgspec.structs import replace

from fictilis.app.commands.ports import Ports
from fictilis.app.model.asking import NumberAsk, TextAsk
from fictilis.app.model.document import Document
from fictilis.core.edits import timeline as edits
from fictilis.core.ground.errors import there
from fictilis.core.ground.names import fresh_name
from fictilis.core.scene.clips import choose_clip, clip
from fictilis.core.scene.timeline import SceneCamera
from fictilis.formats.reference import SUFFIXES as PICTURE_SUFFIXES
from fictilis.formats.reference import read_reference
from fictilis.formats.sound import SUFFIXES, read_sound

PICTURES = f"Pictures and movies ({' '.join('*' + s for s in PICTURE_SUFFIXES)})"
SOUNDS = f"Sounds ({' '.join('*' + s for s in SUFFIXES)})"


class SceneTimeCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports) -> None:
        self.doc, self.ports, self.ask = doc, ports, ports.ask

    # the part that is played

    def play_from(self) -> None:
        frame = self.doc.frame
        self.doc.edit(f"Play from frame {frame:g}", lambda s: edits.set_played(s, first=frame))

    def play_until(self) -> None:
        frame = self.doc.frame
        self.doc.edit(f"Play until frame {frame:g}", lambda s: edits.set_played(s, last=frame))

    # markers

    def marker(self) -> None:
        """A marker at the playhead, or another name for the one that is there. While playing it is set without a question."""
        doc, frame = self.doc, float(round(self.doc.frame)) if self.doc.playing else self.doc.frame
        there = next((m for m in doc.scene.markers if abs(m.frame - frame) < 1e-6), None)
        name = there.name if there else fresh_name("Beat", (m.name for m in doc.scene.markers))
        if doc.playing:
            if there is None:
                doc.edit(f"Marker {name}", lambda s: edits.set_marker(s, frame, name))
            return
        title = f"Rename the marker at frame {frame:g}" if there else f"Marker at frame {frame:g}"
        given = self.ask.form(title, "", (TextAsk("name", "Name", name),), "Rename it" if there else "Set it")
        if given is not None:
            doc.edit(f"Marker {given['name']}", lambda s: edits.set_marker(s, frame, given["name"]))

    def to_marker(self, way: int) -> None:
        self.doc.step_among((m.frame for m in self.doc.scene.markers), way)

    # sound

    def sound(self) -> None:
        """Replace the sound; the new one begins where the old one did, else at the start of the range."""
        path = self.ask.files.open("Sound of the scene", SOUNDS)
        if path is not None:
            self.take_sound(path)

    def take_sound(self, path) -> None:
        doc = self.doc
        start = doc.scene.sound.start if doc.scene.sound is not None else doc.scene.start
        sound = doc.attempt(lambda: self.ask.run(f"Reading {path.name}", lambda progress: read_sound(path, start, progress)))
        if sound is not None:
            doc.edit(f"Sound {sound.name}", lambda s: edits.set_sound(s, sound))
            if not self.ports.shell.has_speaker():
                doc.say("There is no sound device here; the waveform shows, and playing is silent.")

    # reference picture

    def reference(self) -> None:
        """Replace the reference picture, at the old one's place; a movie begins at the frame shown."""
        path = self.ask.files.open("Reference picture or movie", PICTURES)
        if path is not None:
            self.take_reference(path)

    def take_reference(self, path: Path) -> None:
        doc, old = self.doc, self.doc.committed.scene.reference
        start = old.start if old is not None else doc.frame
        new = doc.attempt(lambda: self.ask.run(f"Reading {path.name}", lambda _progress: read_reference(path, start)))
        if new is not None:
            if old is not None:
                new = replace(old, name=new.name, data=new.data)
            doc.edit(f"Reference {new.name}", lambda s: edits.set_reference(s, new))

    def sound_here(self) -> None:
        frame = self.doc.frame
        self.doc.edit(f"Sound from frame {frame:g}", lambda s: edits.change_sound(s, start=frame))

    # cameras

    def new_camera(self) -> None:
        """A camera that sees what the view sees, and is looked through at once."""
        doc, view = self.doc, self.ports.view.eye.camera
        made = SceneCamera("", "Camera", view.centre, view.distance, _near(view.yaw), view.pitch, view.lens, view.parallel)
        scene, camera_id = edits.add_camera(doc.ground, made)
        doc.commit(f"New {scene.owner(camera_id).name}", scene)
        doc.change(through_camera=True)

    def through_camera(self) -> None:
        self.doc.change(through_camera=not self.doc.through_camera)

    def choose_camera(self, camera: SceneCamera) -> None:
        doc = self.doc
        if camera is not doc.scene.camera:
            doc.edit(f"Look through {camera.name}", lambda s: edits.first_camera(s, camera.id))
        doc.change(through_camera=True)

    # seeing time

    def next_clip(self, way: int) -> None:
        """The clip after the active one, or before it, round and round."""
        ids = [clip.id for clip in self.doc.scene.clips]
        self.choose_clip(ids[(ids.index(there(self.doc.scene.clip)) + way) % len(ids)])

    def choose_clip(self, clip_id: str) -> None:
        """Another active clip, played as it is to be."""
        doc = self.doc
        if clip_id != doc.scene.clip:
            chosen = clip(doc.scene, clip_id)
            if doc.edit(f"Choose {chosen.name}", lambda s: choose_clip(s, clip_id)):
                doc.change(loop=chosen.loop)

    def ghosts(self, way: str) -> None:
        now = self.doc.seeing.ghosts
        self.doc.see(ghosts="" if now == way else way)

    def ghost_numbers(self) -> None:
        seeing = self.doc.seeing
        asks = (
            NumberAsk("count", "On each side", "", seeing.ghost_count, 1, 8, 0),
            NumberAsk("step", "Frames between", "", seeing.ghost_step, 1, 1000, 0),
        )
        said = "Ghosts of frames stand this many frames apart; ghosts of keys stand on the nearest keys."
        given = self.ask.form("Ghosts in time", said, asks, "Set them")
        if given is not None:
            self.doc.change(seeing=replace(seeing, ghost_count=int(given["count"]), ghost_step=int(given["step"])))

    # lanes

    def together(self) -> None:
        self.doc.change(together=not self.doc.together, cues_shown=False)

    def show_time(self, way: str) -> None:
        self.doc.change(time_shown=way)

    def fit_values(self) -> None:
        self.ports.lanes.fit_values()

    def lane_height(self, height: int) -> None:
        """Set the height of the selected lanes, else of all that are shown."""
        self.ports.lanes.set_heights(self.doc.selected, height)


def _near(degrees: float) -> float:
    """The same direction in degrees, from -180 to 180."""
    return float((np.asarray(degrees) + 180) % 360 - 180)
