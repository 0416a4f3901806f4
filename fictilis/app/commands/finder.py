"""Everything the find field can find: actions, objects, targets, lanes, markers, cameras, and fields of numbers."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from functools import cache

from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.commands.operations import subject_of
from fictilis.app.commands.rows import ROWS
from fictilis.app.model.document import Document
from fictilis.app.model.finding import Findable
from fictilis.app.widgets.theme import ASSETS
from fictilis.core.mix.channels import ChannelRef, channels
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.rehearsal.cue_words import sentence
from fictilis.core.scene.timeline import SceneCamera


@cache
def other_words() -> dict[str, str]:
    """Phrases by which actions are known elsewhere, apart by commas, by an action's id."""
    rows = ASSETS.joinpath("other_words.txt").read_text("utf-8").splitlines()
    return dict(row.split(": ", 1) for row in rows)


class Finder:
    """Lists what can be found in a document and its window. ``show_lane`` brings a lane into sight, ``choose_camera`` looks
    through one, ``choose_clip`` takes a clip active, ``fields`` gives the
    fields on the screen, each with its name and place."""

    def __init__(
        self,
        doc: Document,
        actions: Actions,
        show_lane: Callable[[ChannelRef], None],
        choose_camera: Callable[[SceneCamera], None],
        choose_clip: Callable[[str], None],
        fields: Callable[[], Iterable[tuple[str, str, QWidget]]],
    ) -> None:
        self.doc, self.actions_, self.fields = doc, actions, fields
        self.show_lane, self.choose_camera, self.choose_clip = show_lane, choose_camera, choose_clip

    def things(self) -> list[Findable]:
        return [*self._actions(), *self._objects(), *self._lanes(), *self._times(), *self._fields()]

    def _actions(self) -> Iterator[Findable]:
        subject = subject_of(self.doc)
        for row in ROWS:
            action = self.actions_.by_id[row.id]
            keys = action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
            on = ("on" if action.isChecked() else "off") if row.checked is not None else ""
            sentence = row.operation.sentence if row.operation else ""
            why = "" if action.isEnabled() else self.actions_.why_not(row.id, subject)
            yield Findable(
                row.text, action.trigger, on, row.place, keys, why,
                f"{row.id.replace('-', ' ')} {sentence}", other_words().get(row.id, ""),
            )  # fmt: skip

    def _objects(self) -> Iterator[Findable]:
        doc = self.doc
        for obj in doc.scene.objects:
            note = f"object, {len(obj.targets)} target{'' if len(obj.targets) == 1 else 's'}"
            yield Findable(obj.name, lambda i=obj.id: doc.select_object(i), note, "show it", icon="cube")
            for target in obj.targets:
                go = lambda i=obj.id, t=target.id: self._target(i, t)  # noqa: E731
                yield Findable(target.name, go, f"target of {obj.name}", "go to its card", colour=target.colour)
                for stage in target.in_betweens:
                    at = lambda i=obj.id, t=target.id, w=stage.at: self._stage(i, t, w)  # noqa: E731
                    name = f"{stage.name} " if stage.name else ""
                    note = f"{name}at {stage.at:g}, in-between"
                    yield Findable(target.name, at, note, "shape it", colour=target.colour)

    def _target(self, object_id: str, target_id: str) -> None:
        self.doc.select_object(object_id)
        self.doc.select_target(target_id)
        self.show_lane(self.doc.channels.ref(target_id))

    def _stage(self, object_id: str, target_id: str, at: float) -> None:
        self.doc.select_object(object_id)
        self.doc.start_shaping(ShapeRef(target_id, at))

    def _lanes(self) -> Iterator[Findable]:
        doc = self.doc
        for owner in (doc.object, doc.scene.camera):
            if owner is None:
                continue
            for channel in channels(owner):
                if channel.part != "weight":
                    keyed = ", keyed" if owner.lane(channel.id) is not None else ""
                    go = lambda ref=channel.ref: self._lane(ref)  # noqa: E731
                    yield Findable(
                        channel.name, go, f"lane of {owner.name}{keyed}", "go to its lane", colour=channel.colour
                    )  # fmt: skip

    def _lane(self, ref: ChannelRef) -> None:
        self.doc.select_channel(ref)
        self.show_lane(ref)

    def _times(self) -> Iterator[Findable]:
        doc = self.doc
        for marker in doc.scene.markers:
            go = lambda frame=marker.frame: doc.set_frame(frame)  # noqa: E731
            yield Findable(marker.name, go, f"marker at {marker.frame:g}", f"go to frame {marker.frame:g}", icon="flag")
        for clip in doc.scene.clips:
            take = lambda c=clip.id: self.choose_clip(c)  # noqa: E731
            yield Findable(clip.name, take, "clip", "make it active", icon="repeat")
        for camera in doc.scene.cameras:
            go = lambda c=camera: self.choose_camera(c)  # noqa: E731
            yield Findable(camera.name, go, "camera", "look through it", icon="video-camera")

        for cue in doc.scene.cues:
            go = lambda c=cue.id: doc.change(cue=c, cues_shown=True)  # noqa: E731
            yield Findable(cue.name, go, "cue", "go to its sentence", icon="hand-grabbing", words=sentence(doc.scene, cue))

    def _fields(self) -> Iterator[Findable]:
        for name, place, field in self.fields():
            yield Findable(name, lambda f=field: f.setFocus(), "setting", place, icon="sliders-horizontal")
