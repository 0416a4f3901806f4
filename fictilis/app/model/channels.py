"""What a document shows of its channels, and how they are set: posed, keyed, or written where no lane drives them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Protocol, TypeVar

from fictilis.app.model.arithmetic import number_from
from fictilis.app.model.session import Notice, Session, State
from fictilis.core.edits import keys as key_edits
from fictilis.core.ground.errors import FictilisError
from fictilis.core.mix.acting import weights_at
from fictilis.core.mix.channels import Channel, ChannelRef, channel, find_channel, set_value, settable, values_at
from fictilis.core.mix.hold_guard import Hold
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.scene.rigs import is_rigged
from fictilis.core.scene.scene import MorphObject, Scene, targets_by_id
from fictilis.core.scene.shared_lanes import partners
from fictilis.core.scene.timeline import Lane, SceneCamera

T = TypeVar("T")
Owner = TypeVar("Owner", MorphObject, SceneCamera, MorphObject | SceneCamera)
Posed = Mapping[str, Mapping[str, float]]
LARGEST = {"weight": 1000.0}
LARGEST_NUMBER = 1e7


class Shown(Protocol):
    """What a rehearsal shows beside the scene."""

    @property
    def scene(self) -> Scene: ...
    @property
    def posed(self) -> Posed: ...


class Edited(Protocol):
    """What of a document the channels need."""

    session: Session

    @property
    def scene(self) -> Scene: ...
    @property
    def live(self) -> Shown | None: ...
    @property
    def state(self) -> State: ...
    @property
    def committed(self) -> State: ...

    def attempt(self, work: Callable[[], T]) -> T | None: ...
    def commit(self, label: str, scene: Scene | None = None, *, posed: Posed) -> bool: ...
    def preview(self, scene: Scene | None = None, *, posed: Posed) -> None: ...
    def cancel_preview(self) -> None: ...
    def interrupt(self) -> None: ...
    def say(self, sentence: str, kind: str = "note") -> None: ...
    def notice(self, notices: Sequence[Notice]) -> None: ...
    def edit(self, label: str, change: Callable[[Scene], Scene]) -> bool: ...
    def set_frame(self, frame: float) -> None: ...


class Channels:
    """The channels of a document: what they are, and how they are set."""

    def __init__(self, doc: Edited) -> None:
        self.doc = doc
        self.left_told = False  # that a posed mix goes with its frame

    def ref(self, channel_id: str, owner: MorphObject | SceneCamera | None = None) -> ChannelRef:
        """A channel of ``owner``, by default of the object shown."""
        return ChannelRef(owner.id if owner is not None else self.doc.session.object_id or "", channel_id)

    def refs(self, values: Mapping[str, float]) -> dict[ChannelRef, float]:
        """Values by channel id as values of the object shown."""
        return {self.ref(channel_id): value for channel_id, value in values.items()}

    def find(self, ref: ChannelRef) -> Channel | None:
        """A channel, or None when it is not there."""
        owner = next((o for o in self.doc.scene.owners if o.id == ref.owner), None)
        return find_channel(owner, ref.channel) if owner is not None else None

    def channel(self, ref: ChannelRef) -> Channel:
        return channel(self.doc.scene.owner(ref.owner), ref.channel)

    def lane(self, ref: ChannelRef) -> Lane | None:
        return self.doc.scene.owner(ref.owner).lane(ref.channel)

    def value(self, ref: ChannelRef) -> float:
        """What a channel is at this frame, as shown."""
        return self.values(self.doc.scene.owner(ref.owner))[ref.channel]

    def weights(self, obj: MorphObject) -> dict[str, float]:
        """The weight of each target as shown."""
        shown, posed = self._shown(obj)
        return weights_at(shown, self.doc.session.frame, posed, self.doc.scene.fps)

    def values(self, owner: MorphObject | SceneCamera) -> Mapping[str, float]:
        """Every channel of an object or camera as shown."""
        shown, posed = self._shown(owner)
        return values_at(shown, self.doc.session.frame, posed, self.doc.scene.fps)

    def _shown(self, owner: Owner) -> tuple[Owner, Mapping[str, float] | None]:
        """An owner, and its posed values, as they are shown: in a rehearsal as it leads them."""
        live = self.doc.live
        there = next((o for o in live.scene.objects if o.id == owner.id), None) if live is not None else None
        if live is None or there is None:
            return owner, self.doc.state.posed.get(owner.id)
        return there, live.posed.get(owner.id)  # type: ignore[return-value]

    def set_value(self, ref: ChannelRef, value: float, final: bool = True) -> None:
        """Set a channel: its own value where no lane drives it, else posed over the lane, or keyed by auto-key."""
        what = self.channel(ref)
        of = "Weight of " if what.part == "weight" else ""
        self.set_values({ref: value}, f"{of}{what.name}", final)

    def set_values(self, values: Mapping[ChannelRef, float], label: str, final: bool = True) -> None:
        """Set several channels at once; ``final`` is one undoable step, else it is shown only."""
        values = self._free({ref: float(v) for ref, v in values.items() if self.find(ref) is not None})
        values = {**values, **{other: v for ref, v in values.items() for other in self._linked(ref)}}
        for ref, value in values.items():
            what = self.channel(ref)
            most = LARGEST.get(what.part, LARGEST_NUMBER)
            if not abs(value) <= most:
                word = "A weight" if what.part == "weight" else what.name
                self.doc.say(f"{word} must be from -{most:g} to {most:g}; {what.name} keeps its own.", "error")
                return
        if final:
            self.doc.interrupt()
        if final and self.doc.session.auto_key:
            self.key_values(values, label if len(values) != 1 else f"Auto-key {self.channel(next(iter(values))).name}")
            return
        posed = {k: dict(v) for k, v in self.doc.committed.posed.items()}

        def written():
            scene = self.doc.committed.scene
            for ref, value in values.items():
                if self.lane(ref) is None and self.channel(ref).part != "joint":  # which is turned for a look only
                    scene = set_value(scene, *ref, value)
                else:
                    posed.setdefault(ref.owner, {})[ref.channel] = value
            return scene

        scene = self.doc.attempt(written)
        if scene is None:
            self.doc.cancel_preview()
        elif final:
            self.doc.commit(label, scene, posed=posed)
        else:
            self.doc.preview(scene, posed=posed)

    def _linked(self, ref: ChannelRef) -> list[ChannelRef]:
        """The channels of other objects that have one weight with a channel."""
        scene = self.doc.committed.scene
        obj = next((o for o in scene.objects if o.id == ref.owner), None)
        target = targets_by_id(obj).get(ref.channel) if obj is not None else None
        if obj is not None and obj.skin is not None and is_rigged(ref.channel):
            rig = obj.skin.rig
            return [ChannelRef(o.id, ref.channel) for o in scene.objects if o.skin is not None and o.skin.rig is rig]
        if obj is None or target is None:
            return []
        return [ChannelRef(o.id, t.id) for o, t in partners(scene, obj, target)]

    def _free(self, values: Mapping[ChannelRef, float]) -> Mapping[ChannelRef, float]:
        """Without what follows others, where there is anything else."""
        return {ref: value for ref, value in values.items() if self.channel(ref).slides} or values

    def may_set(self, ref: ChannelRef) -> bool:
        """Whether a channel has a value of its own; says what drives it where it has none."""
        return self.doc.attempt(lambda: settable(self.doc.scene.owner(ref.owner), ref.channel)) is not None

    def type_value(self, ref: ChannelRef, text: str) -> None:
        """Set a channel from typed text; what is no number is said and changes nothing."""
        try:
            value = number_from(text)
        except ValueError:
            what = self.channel(ref)
            kept = "its weight" if what.part == "weight" else "its value"
            self.doc.say(f"“{text}” is not a number; {what.name} keeps {kept}.", "error")
            return
        self.set_value(ref, value)

    def key_values(self, values: Mapping[ChannelRef, float], label: str) -> None:
        """Key channels at the present frame, the hold guard watching."""
        values = self._free(values)
        by_owner: dict[str, dict[str, float]] = {}
        for ref, value in values.items():
            by_owner.setdefault(ref.owner, {})[ref.channel] = float(value)
        scene, holds = self.doc.committed.scene, []
        try:
            for owner_id, given in by_owner.items():
                scene, found = key_edits.key_values(scene, owner_id, self.doc.session.frame, given, self.doc.session.hold_guard)
                holds += [(ChannelRef(owner_id, hold.channel), hold) for hold in found]
        except FictilisError as error:
            self.doc.say(error.said, "error")
            return
        gone = {*values, *(other for ref in values for other in self._linked(ref))}
        posed = {k: {c: v for c, v in d.items() if ChannelRef(k, c) not in gone} for k, d in self.doc.committed.posed.items()}
        self.doc.commit(label, scene, posed={k: d for k, d in posed.items() if d})
        self.doc.notice([self._notice(ref, self.channel(ref).name, hold) for ref, hold in holds])
        if self.doc.session.auto_key and not holds:
            names = ", ".join(self.channel(ref).name for ref in values)
            self.doc.say(f"Auto-key wrote {names} at frame {self.doc.session.frame:g}.")

    def say_left(self, left: State) -> None:
        """Once: a mix that was posed and not keyed went with its frame."""
        rows = [(left.scene.owner(o), ChannelRef(o, c), v) for o, row in left.posed.items() for c, v in row.items()]
        values = {ref: v for owner, ref, v in rows if owner.lane(ref.channel) is not None}
        if self.doc.session.playing or self.doc.session.auto_key or not values or self.left_told:
            return
        self.left_told = True

        def key() -> None:
            frame = self.doc.session.frame
            if self.doc.committed.scene is left.scene:
                self.doc.set_frame(left.frame)
                self.key_values(values, "Key the posed mix")
                self.doc.set_frame(frame)

        said = f"The mix posed at frame {left.frame:g} was not keyed and is gone; undo brings it back."
        self.doc.notice([Notice(said, "Key it", key)])

    def _notice(self, ref: ChannelRef, name: str, hold: Hold) -> Notice:
        """What the hold guard did and how it is taken back, or what it offers to do; only while the lane is as it was left."""
        key, lane = hold.key, self.lane(ref)

        def edit(label: str, change: Callable[[Scene], Scene]) -> None:
            owner = next((o for o in self.doc.committed.scene.owners if o.id == ref.owner), None)
            if owner is None or owner.lane(ref.channel) is not lane:
                self.doc.say(f"{name} has changed since; nothing was done.", "warning")
            else:
                self.doc.edit(label, change)

        if hold.certain:
            return Notice(
                f"Hold guard: {name} stays at {key.value:.2f} until frame {key.frame:g}; the missing key was added.",
                "Take it back",
                lambda: edit(f"Take back the hold of {name}", lambda s: key_edits.delete_keys(s, [KeyRef(*ref, key.frame)])),
            )
        return Notice(
            f"Hold guard: {name} leaves {key.value:.2f} at its last key, though the move before this one ended at frame "
            f"{key.frame:g}. Is a slow move meant?",
            f"Hold until {key.frame:g}",
            lambda: edit(f"Hold {name} until {key.frame:g}", lambda s: key_edits.set_key(s, *ref, key)),
        )
