"""What a document shows of its channels, and how they are set: posed, keyed, or written where no lane drives them."""

from __future__ import annotations

from collections.abc import Mapping

from fictilis.app.model.arithmetic import number_from
from fictilis.core.channels import Channel, ChannelRef, channel, find_channel, set_value, values_at
from fictilis.core.edits import keys as key_edits
from fictilis.core.errors import FictilisError
from fictilis.core.mix.acting import weights_at
from fictilis.core.scene import MorphObject, targets_by_id
from fictilis.core.timeline import Lane, SceneCamera

LARGEST = {"weight": 1000.0}
LARGEST_NUMBER = 1e7


class Values:
    """Part of the document: what its channels are, and how they are set."""

    def ref(self, channel_id: str, owner: MorphObject | SceneCamera | None = None) -> ChannelRef:
        """A channel of ``owner``, by default of the object shown."""
        return ChannelRef(owner.id if owner is not None else self.object_id or "", channel_id)

    def refs(self, values: Mapping[str, float]) -> dict[ChannelRef, float]:
        """Values by channel id as values of the object shown."""
        return {self.ref(channel_id): value for channel_id, value in values.items()}

    def find(self, ref: ChannelRef) -> Channel | None:
        """A channel, or None when it is not there."""
        owner = next((o for o in self.scene.owners if o.id == ref.owner), None)
        return find_channel(owner, ref.channel) if owner is not None else None

    def channel(self, ref: ChannelRef) -> Channel:
        return channel(self.scene.owner(ref.owner), ref.channel)

    def lane(self, ref: ChannelRef) -> Lane | None:
        return self.scene.owner(ref.owner).lane(ref.channel)

    def value(self, ref: ChannelRef) -> float:
        """What a channel is at this frame, as shown."""
        return self.values(self.scene.owner(ref.owner))[ref.channel]

    @property
    def chosen(self) -> Channel | None:
        """The channel selected last."""
        return self.find(self.selected[-1]) if self.selected else None

    @property
    def selected_targets(self) -> tuple[str, ...]:
        """The targets of the object shown among what is selected, in the order of selecting."""
        obj = self.object
        known = targets_by_id(obj) if obj is not None else {}
        return tuple(ref.channel for ref in self.selected if ref.owner == self.object_id and ref.channel in known)

    def weights(self, obj: MorphObject) -> dict[str, float]:
        """The weight of each target as shown."""
        return weights_at(obj, self.frame, self.state.posed.get(obj.id), self.scene.fps)

    def values(self, owner: MorphObject | SceneCamera) -> dict[str, float]:
        """Every channel of an object or camera as shown."""
        return values_at(owner, self.frame, self.state.posed.get(owner.id), self.scene.fps)

    def set_value(self, ref: ChannelRef, value: float, final: bool = True) -> None:
        """Set a channel: its own value where no lane drives it, else posed over the lane, or keyed by auto-key."""
        what = self.channel(ref)
        of = "Weight of " if what.part == "weight" else ""
        self.set_values({ref: value}, f"{of}{what.name}", final)

    def set_values(self, values: Mapping[ChannelRef, float], label: str, final: bool = True) -> None:
        """Set several channels at once; ``final`` is one undoable step, else it is shown only."""
        values = {ref: float(v) for ref, v in values.items() if self.find(ref) is not None}
        for ref, value in values.items():
            what = self.channel(ref)
            most = LARGEST.get(what.part, LARGEST_NUMBER)
            if not abs(value) <= most:
                word = "A weight" if what.part == "weight" else what.name
                self.say(f"{word} must be from -{most:g} to {most:g}; {what.name} keeps its own.", "error")
                return
        if final and self.auto_key:
            self.key_values(values, label if len(values) != 1 else f"Auto-key {self.channel(next(iter(values))).name}")
            return
        posed = {k: dict(v) for k, v in self.settled.posed.items()}

        def written():
            scene = self.settled.scene
            for ref, value in values.items():
                if self.lane(ref) is None:
                    scene = set_value(scene, *ref, value)
                else:
                    posed.setdefault(ref.owner, {})[ref.channel] = value
            return scene

        scene = self.attempt(written)
        if scene is None:
            self.cancel_preview()
        elif final:
            self.commit(label, scene, posed=posed)
        else:
            self.preview(scene, posed=posed)

    def type_value(self, ref: ChannelRef, text: str) -> None:
        """Set a channel from typed text; what is no number is said and changes nothing."""
        try:
            value = number_from(text)
        except ValueError:
            what = self.channel(ref)
            kept = "its weight" if what.part == "weight" else "its value"
            self.say(f"“{text}” is not a number; {what.name} keeps {kept}.", "error")
            return
        self.set_value(ref, value)

    def key_values(self, values: Mapping[ChannelRef, float], label: str) -> None:
        """Key channels at the present frame, the hold guard watching."""
        by_owner: dict[str, dict[str, float]] = {}
        for ref, value in values.items():
            by_owner.setdefault(ref.owner, {})[ref.channel] = float(value)
        scene, held = self.settled.scene, []
        try:
            for owner_id, given in by_owner.items():
                scene, added = key_edits.key_values(scene, owner_id, self.frame, given, self.hold_guard)
                held += [(ChannelRef(owner_id, hold.channel), hold) for hold in added]
        except FictilisError as error:
            self.say(error.said, "error")
            return
        posed = {k: {c: v for c, v in d.items() if c not in by_owner.get(k, ())} for k, d in self.settled.posed.items()}
        names = {c: self.channel(c).name for c in values}
        self.commit(label, scene, posed={k: d for k, d in posed.items() if d})
        for ref, hold in held:
            self.say(
                f"Hold guard: {names[ref]} stays at {hold.key.value:.2f} until frame {hold.key.frame:g}; "
                "the missing key was added.",
                "warning",
            )
        if self.auto_key and not held:
            self.say(f"Auto-key wrote {', '.join(names.values())} at frame {self.frame:g}.")
