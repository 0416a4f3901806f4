"""What an operation is: one row from which the menu, the form, the command line and the documents are made.

An operation says what it is for, which numbers it takes within which bounds, what must be there, and how it is run.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cached_property
from typing import Any

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from fictilis.core.geometry.carry import Carry
from fictilis.core.geometry.kinds import Line, Mesh
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.arrays import extent
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Parameter, Text, completed
from fictilis.core.mix.channels import ChannelRef, channel
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.relay import relays
from fictilis.core.rehearsal.meaning import cue
from fictilis.core.scene.cues import Cue
from fictilis.core.scene.deformers import DEFORMERS
from fictilis.core.scene.scene import MorphObject, Scene, Target, targets_by_id
from fictilis.core.scene.shared_lanes import each_once
from fictilis.core.scene.timeline import SceneCamera
from fictilis.core.scene.waveform import Waveform
from fictilis.core.shaping import picks
from fictilis.core.shaping.mirror import NO_MIRROR, Mirror
from fictilis.core.shaping.reach import Reach, pick_weights
from fictilis.core.validity.scenes import check


class Subject(Struct, frozen=True, eq=False, weakref=True, dict=True):
    """What an operation is made on: what is shown, selected and picked, and where the playhead is.

    ``targets`` are the selected ones, the last of them *the* target; ``lanes`` those with keys that an operation on lanes is
    for; ``selected`` the channels selected, with keys or without. ``kind`` is what picks are made of. ``span`` is the range an
    operation on lanes is for. ``weights`` are those of the mix as shown, by target id; ``camera_id`` names another
    camera than the one that is looked through, ``group_id`` a relay; ``at`` is the weight of the in-between of the target
    that is meant. ``shown`` are the values of all channels of the object as shown, where a window shows them.
    ``cue_id`` is the cue that is meant; ``pixels`` gives those of the object's image, (h, w, 3) uint8, where it has one;
    ``wave`` the samples of the scene's sound.
    """

    scene: Scene
    object_id: str | None = None
    targets: tuple[str, ...] = ()
    pick: Pick = field(default_factory=Pick)
    kind: str = "points"
    lanes: tuple[ChannelRef, ...] = ()
    selected: tuple[ChannelRef, ...] = ()
    keys: frozenset[KeyRef] = frozenset()
    frame: float = 0.0
    span: tuple[float, float] = (0.0, 0.0)
    weights: Mapping[str, float] = field(default_factory=dict)
    mirror: Mirror = NO_MIRROR
    reach: Reach = field(default_factory=Reach)
    camera_id: str | None = None
    group_id: str | None = None
    pixels: Callable[[], np.ndarray | None] = lambda: None
    at: float = 1.0
    shown: Mapping[str, float] = field(default_factory=dict)
    cue_id: str | None = None
    wave: Callable[[], Waveform | None] = lambda: None

    @cached_property
    def found(self) -> MorphObject | None:
        return next((o for o in self.scene.objects if o.id == self.object_id), None)

    def meets(self, need: str) -> bool:
        """Whether it has what an operation needs, by the names of NEEDS; many ask the same."""
        known = self.__dict__.setdefault("_met", {})
        if need not in known:
            known[need] = NEEDS[need][0](self)
        return bool(known[need])

    @property
    def obj(self) -> MorphObject:
        if self.found is None:
            raise EditRefused("There is no object here; begin with a form or a file.")
        return self.found

    @property
    def target(self) -> Target:
        return self.obj.target(self.targets[-1])

    @property
    def target_id(self) -> str:
        return self.targets[-1]

    @property
    def relay_id(self) -> str | None:
        """The relay that is meant: named, of the lane or the target selected last, else the only one there is."""
        if self.found is None:
            return None
        known = relays(self.found)
        chosen = [ref.channel for ref in self.selected if ref.owner == self.object_id]
        chosen += [self.found.target(t).group or "" for t in self.targets if t in targets_by_id(self.found)]
        named = [g for g in (*chosen, self.group_id or "") if g in known]
        return named[-1] if named else next(iter(known)) if len(known) == 1 else None

    @property
    def relay(self) -> str:
        if self.relay_id is None:
            raise EditRefused("There is no relay here; make one first.")
        return self.relay_id

    @property
    def camera(self) -> SceneCamera:
        found = next((c for c in self.scene.cameras if c.id == self.camera_id), self.scene.camera)
        if found is None:
            raise EditRefused("There is no camera in the scene; make one from the view first.")
        return found

    @property
    def cue(self) -> Cue:
        return cue(self.scene, self.cue_id or "")

    @property
    def lane(self) -> ChannelRef:
        return self.selected[-1]

    @property
    def keyed(self) -> tuple[ChannelRef, ...]:
        """Those of the channels selected that have keys; one of those that are one by a link or a rig."""
        keyed = (ref for ref in self.selected if self.scene.owner(ref.owner).lane(ref.channel) is not None)
        return tuple(ChannelRef(*ref) for ref in each_once(self.scene, keyed))

    @property
    def axis(self) -> int:
        """Across which axis sides are told apart: the mirror's first, or X."""
        return "XYZ".index(self.mirror.axes[:1] or "X")

    @property
    def size(self) -> float:
        """How large the object is, cm."""
        base = self.obj.base
        return float(np.linalg.norm(extent(base))) if len(base) else 1.0

    @property
    def faces(self) -> np.ndarray:
        return picks.faces_of(self.obj.geometry, self.pick)

    @property
    def points(self) -> np.ndarray:
        return picks.points_of(self.obj.geometry, self.pick)

    @property
    def edges(self) -> np.ndarray:
        return picks.edges_of(self.obj.geometry, self.pick)

    @property
    def soft(self) -> np.ndarray:
        """(n,) in 0…1: the pick with its falloff, on the base."""
        return pick_weights(self.obj, self.obj.base, self.points, self.reach)

    def named(self, channel_ref: ChannelRef) -> str:
        return channel(self.scene.owner(channel_ref.owner), channel_ref.channel).name


class Outcome(Struct, frozen=True, eq=False, weakref=True):
    """What came of an operation. ``targets``, ``pick`` and ``keys`` are what is selected afterwards, where they say so;
    ``lanes`` the channels; ``frame`` is where to go, ``object_id`` which object to show, ``cue`` which cue; ``made`` is the
    new target that may be named, ``said`` a sentence for the user."""

    scene: Scene
    targets: tuple[str, ...] | None = None
    pick: Pick | None = None
    keys: frozenset[KeyRef] | None = None
    lanes: tuple[ChannelRef, ...] | None = None
    frame: float | None = None
    said: str = ""
    object_id: str | None = None
    cue: str | None = None

    @property
    def made(self) -> str | None:
        return self.targets[-1] if self.targets else None


class Kept(Text, frozen=True):
    """One of the names that ``among(subject)`` gives."""

    among: Callable[[Subject], list[str]] = lambda _subject: []

    def checked(self, value: Any, subject: Subject) -> str:
        names = self.among(subject)
        if value not in names:
            raise EditRefused(f"{self.label} is none of {', '.join(names) or 'none'}: {value}.")
        return str(value)


class OtherTarget(Parameter, frozen=True):
    """Another target of the object, by id or name; with ``base`` the base (None) too."""

    base: bool = False

    def options(self, subject: Subject) -> list[tuple[str, str | None]]:
        others: list[tuple[str, str | None]] = [(t.name, t.id) for t in subject.obj.targets if t.id not in subject.targets[-1:]]
        return [("Base", None), *others] if self.base else others

    def checked(self, value: Any, subject: Subject) -> str | None:
        if self.base and value in (None, "base"):
            return None
        return str(value) if value in targets_by_id(subject.obj) else subject.obj.target_named(str(value)).id


class ForeignTarget(Parameter, frozen=True):
    """A target of another object, as (object id, target id), or as OBJECT/TARGET by their names."""

    def options(self, subject: Subject) -> list[tuple[str, tuple[str, str]]]:
        others = [o for o in subject.scene.objects if o.id != subject.object_id]
        return [(f"{o.name}: {t.name}", (o.id, t.id)) for o in others for t in o.targets]

    def checked(self, value: Any, subject: Subject) -> tuple[str, str]:
        if isinstance(value, tuple):
            return value
        name, _, target = str(value).partition("/")
        other = subject.scene.object_named(name)
        return other.id, other.target_named(target).id


Values = Mapping[str, Any]
Made = Scene | Outcome | tuple[Scene, str]


class Operation(Struct, frozen=True):
    """``verb`` is its word on the command line, under ``part``; ``label`` its menu row, ``title`` that of its form, ``done``
    the step in the history, all with {target}, {object} and {lane} filled in. ``needs`` are names of NEEDS."""

    part: str
    verb: str
    label: str
    run: Callable[[Subject, Values], Made]
    parameters: tuple[Parameter, ...] = ()
    needs: tuple[str, ...] = ()
    sentence: str = ""
    button: str = ""
    title: str = ""
    done: str = ""

    @property
    def id(self) -> str:
        return f"{self.part}-{self.verb}"

    @property
    def asked(self) -> tuple[Parameter, ...]:
        return tuple(p for p in self.parameters if p.asked)

    def missing(self, subject: Subject) -> str:
        """Why it cannot be made on a subject, or nothing."""
        why = next((NEEDS[need][1] for need in self.needs if not subject.meets(need)), "")
        if "{object}" in why and not _has_object(subject):  # nothing to be named
            return NEEDS["object"][1]
        if "{target}" in why and not _has_target(subject):
            return NEEDS["target"][1]
        return self.says(why, subject) if why else ""

    def says(self, text: str, subject: Subject, values: Values | None = None) -> str:
        """A text of the operation with the names of what it is made on."""
        if "{" not in text:
            return text
        names = {
            "object": subject.found.name if subject.found else "",
            "target": subject.target.name if subject.found and subject.targets else "",
            "lane": subject.named(subject.lane) if subject.selected else "",
            "targets": ", ".join(subject.obj.target(t).name for t in subject.targets) if subject.found else "",
            "lanes": ", ".join(subject.named(ref) for ref in subject.selected),
            "frame": f"{subject.frame:g}",
            "relay": relays(subject.obj)[subject.relay].name if subject.relay_id is not None else "",
        }
        return text.format(**names, **{k: v for k, v in (values or {}).items() if k not in names})

    def completed(self, subject: Subject, given: Values) -> dict[str, Any]:
        """Every parameter's value: given, or as it begins; each checked. Raises EditRefused with the reason."""
        return completed(self.label, self.parameters, given, subject)

    def make(self, subject: Subject, given: Values | None = None) -> Outcome:
        """The operation made. Raises EditRefused with one sentence where something is missing or out of bounds."""
        why = self.missing(subject)
        if why:
            raise EditRefused(why)
        made = self.run(subject, self.completed(subject, given or {}))
        if isinstance(made, tuple):
            made = Outcome(made[0], targets=(made[1],))
        made = made if isinstance(made, Outcome) else Outcome(made)
        check(made.scene, subject.scene)
        return replace(made, said=" ".join([made.said, *_unmatched(subject, made.scene)]).strip())


def _unmatched(subject: Subject, after: Scene) -> list[str]:
    """A sentence on targets of a line that were made of another one and cannot be matched to it anew from now on."""
    found = next((o for o in after.objects if o.id == subject.object_id), None)
    if subject.found is None or found is None:
        return []
    had = {t.id for t in subject.found.targets if t.match is not None}
    lost = [t.name for t in found.targets if t.id in had and t.match is None]
    verb = "keep their shapes, but have" if len(lost) > 1 else "keeps its shape, but has"
    return [f"{', '.join(lost)} {verb} no start and direction to set any more; match again for that."] if lost else []


def _has_object(s: Subject) -> bool:
    return s.found is not None


def _has_target(s: Subject) -> bool:
    return s.found is not None and bool(s.targets)


def _has_deformer(kind: str) -> Callable[[Subject], bool]:
    return lambda s: _has_object(s) and any(d.kind == kind for d in s.obj.deformers)


NEEDS: dict[str, tuple[Callable[[Subject], bool], str]] = {
    "object": (_has_object, "There is no object here; begin with a form or a file."),
    "target": (_has_target, "Select a target first."),
    "targets": (lambda s: _has_object(s) and len(s.targets) > 1, "Select at least two targets first."),
    "other target": (lambda s: _has_target(s) and len(s.obj.targets) > 1, "{object} has no other target than {target}."),
    "any target": (lambda s: _has_object(s) and bool(s.obj.targets), "{object} has no target yet."),
    "mask": (lambda s: _has_target(s) and s.target.mask is not None, "{target} has no mask; mask it first."),
    "corrective": (lambda s: _has_target(s) and s.target.rule is not None, "{target} is no corrective; nothing drives it."),
    "driven": (lambda s: _has_target(s) and (s.target.rule is not None or s.target.follows is not None),
               "{target} follows nothing; it has a weight of its own."),
    "follower": (lambda s: _has_target(s) and s.target.follows is not None,
                 "{target} follows no number; it has a weight of its own."),
    "other objects": (lambda s: _has_object(s) and bool(s.obj.targets) and sum(bool(o.targets) for o in s.scene.objects) > 1,
                      "No other object of the scene has targets."),
    "swept": (
        lambda s: _has_target(s) and s.target.sweep is not None,
        "{target} has no sweep; let it sweep over the object first.",
    ),
    "clips": (lambda s: bool(s.scene.clips), "The scene has no clips by name yet; make one."),
    "two clips": (lambda s: len(s.scene.clips) > 1, "Make at least two clips first."),
    "blended": (
        lambda s: any(o.blend is not None for o in s.scene.objects),
        "The active clip plays one clip only; blend two clips first.",
    ),
    "linked": (lambda s: _has_target(s) and s.target.link is not None, "{target} is not linked."),
    "group": (lambda s: _has_target(s) and s.target.group is not None, "{target} is in no group."),
    "relay": (lambda s: s.relay_id is not None,
              "There is no relay here, or several; select a lane or a shape of one, or name it."),
    "line": (lambda s: _has_object(s) and isinstance(s.obj.geometry, Line), "{object} is no line."),
    "matched": (lambda s: _has_target(s) and s.target.match is not None, "{target} was not made of another line."),
    "along": (lambda s: _has_object(s) and s.obj.along is not None, "{object} stops following."),
    "point spring": (
        lambda s: _has_object(s) and s.obj.spring is not None,
        "{object} has no point spring; put one on it first.",
    ),
    **{kind: (_has_deformer(kind), f"{{object}} has no {kind}.") for kind in DEFORMERS},
    "deformed": (
        lambda s: _has_object(s) and bool(s.obj.deformers),
        "{object} is not bent, twisted or tapered; bend, twist or taper it first.",
    ),
    "rig": (
        lambda s: _has_object(s) and s.obj.skin is not None,
        "{object} hangs on no rig; rigs come with glTF and OpenUSD files.",
    ),
    "rig clips": (lambda s: _has_object(s) and s.obj.skin is not None and bool(s.obj.skin.rig.clips),
                  "{object} hangs on no rig that has clips."),
    "repeated": (lambda s: _has_object(s) and s.obj.repeat is not None, "{object} is not repeated; repeat it first."),
    "two objects": (lambda s: len(s.scene.objects) > 1, "The scene has no other object."),
    "tube": (lambda s: _has_object(s) and isinstance(s.obj.geometry, Line) and s.obj.geometry.tube is not None,
             "{object} has no tube."),
    "surface": (lambda s: _has_object(s) and s.obj.surface is not None, "{object} has no smooth surface."),
    "mesh": (lambda s: _has_object(s) and isinstance(s.obj.geometry, Mesh), "{object} is no mesh."),
    "other line": (lambda s: any(isinstance(o.geometry, Line) and o.id != s.object_id for o in s.scene.objects),
                   "The scene has no other line."),
    "pick": (lambda s: _has_object(s) and len(s.pick) > 0, "Pick something first; nothing is picked."),
    "kept pick": (lambda s: _has_object(s) and bool(s.obj.picks), "No pick is kept with {object}."),
    "mix": (lambda s: _has_object(s) and bool(s.obj.mixes), "No mix is kept with {object}."),
    "two mixes": (lambda s: _has_object(s) and len(s.obj.mixes) > 1, "Keep at least two mixes of {object} first."),
    "lanes": (lambda s: bool(s.lanes), "There are no keys yet."),
    "channel": (lambda s: bool(s.selected), "Select a lane first."),
    "lane": (lambda s: bool(s.keyed),
             "No lane that is selected has keys yet."),
    "keys": (lambda s: bool(s.keys), "Select keys first."),
    "marker": (lambda s: bool(s.scene.markers), "There are no markers yet."),
    "sound": (lambda s: s.scene.sound is not None, "The scene has no sound; choose one first."),
    "reference": (lambda s: s.scene.reference is not None, "The scene has no reference picture; choose one first."),
    "measure": (lambda s: bool(s.scene.measures), "Nothing is measured yet; measure between two points first."),
    "played": (lambda s: s.scene.played is not None, "All of the range is played already."),
    "any line": (lambda s: any(isinstance(o.geometry, Line) for o in s.scene.objects), "The scene has no line."),
    "led camera": (lambda s: s.camera.along is not None, "The camera follows no line."),
    "cue": (lambda s: any(c.id == s.cue_id for c in s.scene.cues), "Choose a cue first."),
    "camera": (lambda s: s.scene.camera is not None, "There is no camera in the scene; make one from the view first."),
}  # fmt: skip


def curve_points(text: str) -> list[tuple[float, float]]:
    """Points of a curve that is given as NUMBER=VALUE,NUMBER=VALUE. Raises EditRefused."""
    try:
        return [(float(a), float(b)) for a, b in (word.split("=") for word in text.split(","))]
    except ValueError:
        raise EditRefused(f"“{text}” is no curve of points, such as 0=0,45=1.") from None


def named(made: tuple[Scene, str], subject: Subject, name: str | None) -> tuple[Scene, str]:
    """What made a target, which takes a name where one was given. Ids count for each object: it is the subject's."""
    from fictilis.core.edits.targets import rename_target

    scene, target_id = made
    return (scene if name is None else rename_target(scene, subject.obj.id, target_id, name)), target_id


def carried(subject: Subject, carry: Carry) -> Outcome:
    """A change of topology, everything carried through; the pick afterwards is what it was about."""
    from fictilis.core.edits.topology import carry_through

    obj = subject.obj
    scene = carry_through(subject.scene, obj.id, carry)
    pick = carry.pick if len(carry.pick) else carry.picked(subject.pick, obj.geometry)
    if len(pick) and pick.kind != subject.kind:
        pick = picks.as_kind(carry.geometry, pick, subject.kind)
    new = scene.object(obj.id)
    count = len(new.targets)
    along = f", {count} target{'' if count == 1 else 's'} carried through" if count else ""
    parts = f"{new.geometry.face_count:,} faces"
    if isinstance(new.geometry, Line):
        parts = f"{new.geometry.strand_count:,} strand{'' if new.geometry.strand_count == 1 else 's'}"
    said = f"{new.name} has {len(new.base):,} points and {parts} now{along}."
    return Outcome(scene, pick=pick, said=said)


def with_targets(subject: Subject, change: Callable[[Scene, str], Scene]) -> Scene:
    """Every selected target changed, one after the other."""
    scene = subject.scene
    for target_id in subject.targets:
        scene = change(scene, target_id)
    return scene
