"""What the actions of time do: each method is one row's."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType

import numpy as np
from msgspec.structs import replace

from fictilis.app.commands.operations import OperationCommands, lanes_of, span_of
from fictilis.app.commands.ports import Ports
from fictilis.app.model.asking import NumberAsk
from fictilis.app.model.document import Document
from fictilis.core.animation.curve import Key
from fictilis.core.edits import keys as key_edits
from fictilis.core.edits import timing
from fictilis.core.ground.errors import EditRefused, there
from fictilis.core.ground.names import other_side_name
from fictilis.core.mix.channels import ChannelRef, channels
from fictilis.core.mix.key_refs import KeyRef


class TimeCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports, operations: OperationCommands) -> None:
        self.doc, self.ports, self.ask, self.operations = doc, ports, ports.ask, operations

    def play(self) -> None:
        self.ports.playback.toggle()

    def step(self, frames: int) -> None:
        scene = self.doc.scene
        frame = np.floor(self.doc.frame) + frames if frames > 0 else np.ceil(self.doc.frame) + frames
        self.doc.set_frame(float(np.clip(frame, scene.start, scene.end)))

    def to_key(self, way: int) -> None:
        doc = self.doc
        doc.step_among((k.frame for ref in lanes_of(doc) for k in there(doc.channels.lane(ref)).curve.keys), way)

    def to_end(self, way: int) -> None:
        scene = self.doc.scene
        self.doc.set_frame(scene.end if way > 0 else scene.start)

    def keys_by_value(self) -> None:
        """Select the keys of the lanes whose values lie within two numbers."""
        doc = self.doc
        asks = (NumberAsk("low", "From", "", 1.0, -1e7, 1e7, 3), NumberAsk("high", "To", "", 1.0, -1e7, 1e7, 3))
        given = self.ask.form("Select keys by value", "The selected lanes, or all of the object.", asks, "Select them")
        if given is None:
            return
        low, high = sorted((given["low"], given["high"]))
        rows = [ref for ref in lanes_of(doc) if not doc.channels.channel(ref).poses]
        keys = frozenset(
            KeyRef(*ref, k.frame) for ref in rows for k in there(doc.channels.lane(ref)).curve.keys if low <= k.value <= high
        )
        doc.change(keys=keys)
        doc.say(f"{len(keys)} key{' is' if len(keys) == 1 else 's are'} selected." if keys else "No key has such a value.")

    def key(self) -> None:
        doc = self.doc
        if doc.chosen is not None and doc.chosen.poses:
            self.operations.operate("relay-seen")
            return
        values = {ref: doc.channels.value(ref) for ref in doc.selected}
        doc.channels.key_values(values, f"Key {', '.join(doc.channels.channel(ref).name for ref in values)}")

    def key_mix(self) -> None:
        self.doc.channels.key_values(self.doc.channels.refs(self.doc.channels.weights(self.doc.obj)), "Key whole mix")

    def speed(self, part: float) -> None:
        self.doc.change(speed=part)

    def show_lanes(self, which: str) -> None:
        self.doc.change(lanes_shown=which, cues_shown=False)

    # the keys selected

    def ease(self) -> None:
        """Lead to the next key by an easing, from a list with pictures or as CSS."""
        doc = self.doc
        now = next((k.ease for k in self._selected_keys() if k.interpolation == "ease"), "ease-in-out")
        ease = self.ask.ease(now)
        if ease is not None:
            doc.edit("Ease to the next key", lambda s: key_edits.set_interpolation(s, doc.keys, "ease", ease))

    def _selected_keys(self) -> list[Key]:
        scene = self.doc.committed.scene
        return [
            there(scene.owner(r.owner).lane(r.channel)).curve.key_at(r.frame)
            for r in sorted(self.doc.keys, key=lambda r: r.frame)
        ]

    def key_numbers(self) -> None:
        """The exact frame and value of one key; of several, what is added to both."""
        keys = self._selected_keys()
        one = len(keys) == 1
        asks = (
            NumberAsk("frame", "Frame" if one else "Frames on", "", keys[0].frame if one else 0.0, -1e6, 1e6),
            NumberAsk("value", "Value" if one else "Value up", "", keys[0].value if one else 0.0, -1000, 1000, 3),
        )
        title = "Frame and value of the key" if one else f"Move {len(keys)} keys"
        given = self.ask.form(title, "", asks, "Set it" if one else "Move them")
        if given is not None:
            start = (keys[0].frame, keys[0].value) if one else (0.0, 0.0)
            self._move(given["frame"] - start[0], given["value"] - start[1], "Set frame and value")

    def nudge(self, frames: float) -> None:
        self._move(frames, 0.0, "Nudge keys")

    def nudge_value(self, parts: float) -> None:
        """Raise or lower the values of keys by a part of each lane's range."""
        doc = self.doc
        scene, places = doc.committed.scene, []
        for lane in {ref.lane for ref in doc.keys}:
            refs, what = [r for r in doc.keys if r.lane == lane], doc.channels.channel(lane)
            scene, moved = key_edits.move_keys(scene, refs, 0.0, parts * (what.high - what.low), snap=False)
            places += moved
        doc.commit("Nudge values", scene, replace(doc.session, keys=frozenset(places)))

    def _move(self, frames: float, value: float, label: str) -> None:
        doc = self.doc
        scene, places = key_edits.move_keys(doc.committed.scene, doc.keys, frames, value, snap=False)
        doc.commit(label, scene, replace(doc.session, keys=frozenset(places)))

    def copy_keys(self) -> None:
        doc = self.doc
        rows: dict[ChannelRef, list[Key]] = {}
        for ref, key in zip(sorted(doc.keys, key=lambda r: r.frame), self._selected_keys(), strict=True):
            rows.setdefault(ref.lane, []).append(key)
        doc.change(copied=MappingProxyType({ref: tuple(row) for ref, row in rows.items()}))
        doc.say(f"Copied {len(doc.keys)} key{'' if len(doc.keys) == 1 else 's'}; they are pasted at the playhead.")

    def paste_keys(self) -> None:
        """At the playhead: keys of one lane onto the selected lanes, others onto their own."""
        doc = self.doc
        rows = doc.copied
        (first, row), *more = rows.items()
        if not more and doc.selected and not any(key.shape for key in row) and doc.channels.channel(doc.selected[-1]).slides:
            rows = dict.fromkeys(doc.selected, row)
        self._paste({ref: row for ref, row in self._here(rows).items() if doc.channels.find(ref) is not None}, "Paste keys")

    def _here(self, rows: Mapping[ChannelRef, Sequence[Key]]) -> Mapping[ChannelRef, Sequence[Key]]:
        """Keys copied from another object go to what has the same name in the object shown."""
        by_name = {c.name: c.ref for c in channels(self.doc.obj)}
        out = {}
        for ref, row in rows.items():
            source = self.doc.channels.find(ref)
            elsewhere = source is not None and source.part != "camera" and ref.owner != self.doc.object_id
            if elsewhere and there(source).poses:
                raise EditRefused(f"The poses of {there(source).name} are shapes of its own object, and stay there.")
            out[by_name.get(there(source).name, ref) if elsewhere else ref] = row
        return out

    def paste_mirrored(self) -> None:
        """Keys of left targets onto the right ones, and the other way round."""
        doc, obj = self.doc, self.doc.obj
        by_name, names = {t.name: t.id for t in obj.targets}, {t.id: t.name for t in obj.targets}
        here = {ref.channel: row for ref, row in self._here(doc.copied).items() if ref.owner == doc.object_id}
        sides = {by_name.get(other_side_name(names[t])): row for t, row in here.items() if t in names}
        rows = {doc.channels.ref(t): row for t, row in sides.items() if t is not None}
        if not rows:
            doc.say("None of the copied lanes has a counterpart named for the other side, as left and right.", "warning")
            return
        self._paste(rows, "Paste keys mirrored")

    def _paste(self, rows: Mapping[ChannelRef, Sequence[Key]], label: str) -> None:
        doc = self.doc
        scene, places = doc.committed.scene, []
        first = min((k.frame for row in rows.values() for k in row), default=0.0)
        for ref, row in rows.items():  # each at its own distance from the earliest
            at = doc.frame + min(k.frame for k in row) - first
            scene, made = timing.paste_keys(scene, ref.owner, {ref.channel: row}, at)
            places += made
        doc.commit(label, scene, replace(doc.session, keys=frozenset(places)))

    # whole lanes

    def retime(self) -> None:
        """Show or hide the Retime band on the ruler."""
        doc = self.doc
        doc.change(band=None if doc.band is not None else span_of(self.doc))

    def key_neutral(self) -> None:
        """Key every target at 0."""
        self.doc.channels.key_values({self.doc.channels.ref(t.id): 0.0 for t in self.doc.obj.targets}, "Key the neutral mix")

    def fit_time(self, what: str) -> None:
        """Show the range, or what is selected, in the full width of the lanes."""
        self.ports.lanes.fit(span_of(self.doc) if what == "keys" else None)
