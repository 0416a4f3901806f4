"""What an action needs, and the sentence that says so while it is not there."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

from fictilis.app.commands.operations import subject_of
from fictilis.app.model.document import Document
from fictilis.core.geometry.kinds import Line
from fictilis.core.mix.relay import relays
from fictilis.core.scene.deformers import DEFORMERS

Check = Callable[[Document], bool]


class Need(Struct, frozen=True):
    """``met`` of a document, else ``why``: half a sentence behind a name, as in *Split: select a target first*."""

    why: str
    met: Callable[[Document], bool]

    def __call__(self, doc: Document) -> bool:
        return self.met(doc)


def _has_pick(doc: Document) -> bool:
    return doc.object is not None and len(doc.pick()) > 0


def acts(part: str) -> Check:
    """Whether something that comes after the object's mix is there and on."""

    def is_on(doc: Document) -> bool:
        held = getattr(doc.object, part, None) if part not in DEFORMERS else None
        if part in DEFORMERS and doc.object is not None:
            held = doc.object.deformer(part)
        return held is not None and held.on

    return is_on


def target_is(flag: str) -> Check:
    """Whether the target selected last is ``muted``, ``solo`` or ``locked``, whatever else is selected after it."""
    return lambda doc: bool(doc.selected_targets) and getattr(doc.obj.target(doc.selected_targets[-1]), flag)


def path_of(doc: Document) -> str | None:
    """The path of the relay that is meant, or None without one."""
    subject = subject_of(doc)  # of the scene itself, whatever a question shows meanwhile
    return relays(subject.obj)[subject.relay_id].relay if subject.relay_id is not None else None


always = Need("", lambda _doc: True)
has_object = Need("there is no object yet", lambda d: d.object is not None)
has_target = Need("select a target first", lambda d: d.target is not None)
has_targets = Need("the object has no targets yet", lambda d: d.object is not None and bool(d.object.targets))
has_keys = Need("select keys in the lanes first", lambda d: bool(d.keys))
has_lanes = Need("nothing has keys yet", lambda d: any(owner.lanes for owner in d.scene.owners))
has_chosen = Need("select a lane or a target first", lambda d: d.chosen is not None)
has_markers = Need("the scene has no markers", lambda d: bool(d.scene.markers))
has_sound = Need("the scene has no sound", lambda d: d.scene.sound is not None)
has_camera = Need("the scene has no camera", lambda d: bool(d.scene.cameras))
has_relay = Need("there is no relay here", lambda d: path_of(d) is not None)
has_rig = Need("show an object that hangs on a rig first", lambda d: d.object is not None and d.object.skin is not None)
has_changes = Need("nothing changed since it was saved", lambda d: d.unsaved and d.saved_scene is not None)
has_clips = Need("the scene has one clip only", lambda d: len(d.scene.clips) > 1)
has_views = Need("no view is kept", lambda d: bool(d.scene.views))
has_mixes = Need("keep two mixes first", lambda d: d.object is not None and len(d.object.mixes) > 1)
has_copied = Need("copy keys first", lambda d: d.object is not None and bool(d.copied))
has_undo = Need("nothing was done yet", lambda d: bool(d.undo_label()))
has_export = Need("this scene was not exported yet", lambda d: d.exported is not None and bool(d.scene.objects))
has_order = Need("nothing was made of this scene yet", lambda d: d.ordered is not None and bool(d.scene.objects))
has_redo = Need("nothing was undone", lambda d: bool(d.redo_label()))
has_chosen_parts = Need(
    "select keys or targets first", lambda d: bool(d.keys or d.selected_targets or d.cues_shown and d.cue is not None)
)
is_line = Need("show a line first", lambda d: d.object is not None and isinstance(d.object.geometry, Line))
is_shaping = Need("shape a target or the base first", lambda d: d.shaping is not None)
has_done = Need("nothing is shaped or rehearsed", lambda d: d.shaping is not None or d.rehearsing)
is_shaping_stage = Need("shape an in-between first", lambda d: d.shaping is not None and d.shaping.at != 1.0)
is_shaping_target = Need("shape a target first", lambda d: d.shaping is not None and d.target is not None)
shaping_pick = Need("shape something and pick points of it first", lambda d: d.shaping is not None and _has_pick(d))
