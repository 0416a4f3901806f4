"""What a document shows of its channels, and how they are set: posed, keyed, or written where no lane drives them."""

from __future__ import annotations

from collections.abc import Mapping

from fictilis.app.arithmetic import number_from
from fictilis.core.channels import CAMERA_KINDS, OBJECT_KINDS, Channel, channel, set_value, values_at
from fictilis.core.edits import keys as key_edits
from fictilis.core.errors import FictilisError
from fictilis.core.mix.acting import weights_at
from fictilis.core.scene import MorphObject, SceneCamera

LARGEST = {"weight": 1000.0}
LARGEST_NUMBER = 1e7


class Values:
    """Part of the document: a channel is named by its id alone, of the object shown or of the first camera."""

    def owner_of(self, channel_id: str) -> MorphObject | SceneCamera:
        """The object shown, or the first camera for one of a camera's channels."""
        return self.scene.cameras[0] if channel_id in CAMERA_KINDS else self.object

    def has_channel(self, channel_id: str) -> bool:
        if channel_id in CAMERA_KINDS:
            return bool(self.scene.cameras)
        obj = self.object
        return obj is not None and (channel_id in OBJECT_KINDS or any(t.id == channel_id for t in obj.targets))

    def channel(self, channel_id: str) -> Channel:
        return channel(self.owner_of(channel_id), channel_id)

    @property
    def chosen(self) -> Channel | None:
        """The channel selected last."""
        return self.channel(self.selected[-1]) if self.selected and self.has_channel(self.selected[-1]) else None

    @property
    def selected_targets(self) -> tuple[str, ...]:
        """The targets among what is selected, in the order of selecting."""
        return tuple(c for c in self.selected if c not in CAMERA_KINDS and c not in OBJECT_KINDS)

    def weights(self, obj: MorphObject) -> dict[str, float]:
        """The weight of each target as shown."""
        return weights_at(obj, self.frame, self.state.posed.get(obj.id), self.scene.fps)

    def values(self, owner: MorphObject | SceneCamera) -> dict[str, float]:
        """Every channel of an object or camera as shown."""
        return values_at(owner, self.frame, self.state.posed.get(owner.id), self.scene.fps)

    def set_value(self, channel_id: str, value: float, final: bool = True) -> None:
        """Set a channel: its own value where no lane drives it, else posed over the lane, or keyed by auto-key."""
        what = self.channel(channel_id)
        of = "Weight of " if what.part == "weight" else ""
        self.set_values({channel_id: value}, f"{of}{what.name}", final)

    def set_values(self, values: Mapping[str, float], label: str, final: bool = True) -> None:
        """Set several channels at once; ``final`` is one undoable step, else it is shown only."""
        values = {c: float(v) for c, v in values.items() if self.has_channel(c)}
        for channel_id, value in values.items():
            what = self.channel(channel_id)
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
            for channel_id, value in values.items():
                owner = self.owner_of(channel_id)
                if owner.lane(channel_id) is None:
                    scene = set_value(scene, owner.id, channel_id, value)
                else:
                    posed.setdefault(owner.id, {})[channel_id] = value
            return scene

        scene = self.attempt(written)
        if scene is None:
            self.cancel_preview()
        elif final:
            self.commit(label, scene, posed=posed)
        else:
            self.preview(scene, posed=posed)

    def type_value(self, channel_id: str, text: str) -> None:
        """Set a channel from typed text; what is no number is said and changes nothing."""
        try:
            value = number_from(text)
        except ValueError:
            what = self.channel(channel_id)
            kept = "its weight" if what.part == "weight" else "its value"
            self.say(f"“{text}” is not a number; {what.name} keeps {kept}.", "error")
            return
        self.set_value(channel_id, value)

    def key_values(self, values: Mapping[str, float], label: str) -> None:
        """Key channels at the present frame, the hold guard watching."""
        by_owner: dict[str, dict[str, float]] = {}
        for channel_id, value in values.items():
            by_owner.setdefault(self.owner_of(channel_id).id, {})[channel_id] = float(value)
        scene, held = self.settled.scene, []
        try:
            for owner_id, given in by_owner.items():
                scene, added = key_edits.key_values(scene, owner_id, self.frame, given, self.hold_guard)
                held += added
        except FictilisError as error:
            self.say(error.sentence, "error")
            return
        posed = {k: {c: v for c, v in d.items() if c not in by_owner.get(k, ())} for k, d in self.settled.posed.items()}
        names = {c: self.channel(c).name for c in values}
        self.commit(label, scene, posed={k: d for k, d in posed.items() if d})
        for hold in held:
            self.say(
                f"Hold guard: {names[hold.channel]} stays at {hold.key.value:.2f} until frame {hold.key.frame:g}; "
                "the missing key was added.",
                "warning",
            )
        if self.auto_key and not held:
            self.say(f"Auto-key wrote {', '.join(names.values())} at frame {self.frame:g}.")
