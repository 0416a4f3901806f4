"""What the actions of targets do: each method is one row's."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np

from fictilis.app.commands.files import file_kinds
from fictilis.app.commands.ports import Ports
from fictilis.app.model.asking import ChoiceAsk, NumberAsk, TextAsk
from fictilis.app.model.document import Document
from fictilis.core.edits import keys as key_edits
from fictilis.core.edits import targets as target_edits
from fictilis.core.edits import whole_shapes as whole
from fictilis.core.edits.shape import FOLLOW, STAY, ShapeRef
from fictilis.core.errors import FictilisError, NotATarget
from fictilis.core.geometry.matching import Order, find_order
from fictilis.core.scene import MorphObject, Scene
from fictilis.core.shaping.strokes import pick_weights
from fictilis.formats.files import MeshData
from fictilis.formats.registry import read_meshes


class TargetCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports) -> None:
        self.doc, self.ports, self.ask = doc, ports, ports.ask

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
        self.ports.cards.edit_name(target_id)

    def delete(self) -> None:
        doc = self.doc
        if doc.keys:
            count = len(doc.keys)
            doc.edit(f"Delete {count} key{'' if count == 1 else 's'}", lambda s: key_edits.delete_keys(s, doc.keys))
        elif doc.selected_targets and doc.shaping is None:
            self.remove_targets()

    def add_targets(self) -> None:
        self.targets_from_files(self.ask.files.open_several("Add targets from files", file_kinds("read")))

    def targets_from_files(self, paths: Sequence[Path]) -> None:
        """Add each file that matches the base; the others are named with their reason. One undoable step.

        A file whose points are in another order is offered to be put in the base's.
        """
        if not paths:
            return
        doc = self.doc
        if doc.object is None:
            self.ports.shell.open_path(paths[0])
            return
        scene, sentences, added = doc.settled.scene, [], []
        for path in paths:
            try:
                read = self.ask.run(f"Reading {path.name}", lambda progress, p=path: read_meshes(p, progress))
                for data in read.objects:
                    name = path.stem if len(read.objects) == 1 else data.name
                    scene, target_id = self._from_mesh(scene, name, data)
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
            self.ask.tell("Targets from files", sentences)

    def _from_mesh(self, scene: Scene, name: str, data: MeshData) -> tuple[Scene, str]:
        """A target from a mesh; one with its points in another order is asked about."""
        object_id = self.doc.object_id
        try:
            return target_edits.target_from_mesh(scene, object_id, name, data.mesh, data.points)
        except NotATarget as error:
            order = self._ask_order(scene.object(object_id), name, data) if error.reason == "order" else None
            if order is None:
                raise
            return target_edits.target_from_mesh(scene, object_id, name, data.mesh, data.points, order)

    def _ask_order(self, obj: MorphObject, name: str, data: MeshData) -> Order | None:
        """The order found, shown with its proof; with two points that belong together where it is ambiguous."""
        seeds: tuple[tuple[int, int], ...] = ()
        while True:
            order = self.ask.run(
                f"Finding the order of {name}",
                lambda _progress, s=seeds: find_order(obj.mesh, data.mesh, obj.base, data.points, s),
            )
            if order is None and not seeds:
                return None
            if order is None:
                self.doc.say(f"No order of {name} has point {seeds[-1][1]} on point {seeds[-1][0]} of the base.", "error")
                seeds = ()
                continue
            moved = int((order.points != np.arange(len(order.points))).sum())
            gap = float(np.sqrt(((order.apply(data.points) - obj.base) ** 2).sum(1).mean()))
            said = (
                f"Its faces are those of the base with the points in another order. Renumbering {moved:,} of "
                f"{len(order.points):,} points makes all {order.faces:,} faces the same; the points then lie {gap:.2f} cm "
                "from the base on average."
            )
            asks: tuple = ()
            if order.choices > 1:
                said += (
                    " The mesh is symmetric, so there are several such orders; the one that lies nearest was taken. "
                    "Name two points that belong together to choose another."
                )
                most = len(obj.base) - 1
                asks = (NumberAsk("mine", "Point of the base", "", -1, -1, most, 0),
                        NumberAsk("its", f"Point of {name}", "", -1, -1, most, 0))  # fmt: skip
            given = self.ask.form(f"Put the points of {name} in the base's order?", said, asks, "Put them in order")
            if given is None:
                return None
            pair = (int(given.get("mine", -1)), int(given.get("its", -1)))
            if min(pair) < 0 or pair in seeds:
                return order
            seeds = (*seeds, pair)

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
        self.ports.cards.edit_name(self.doc.target.id)

    def remove_targets(self) -> None:
        doc, chosen = self.doc, self.doc.selected_targets

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

    # whole shapes

    def _new(self, label: str, make: Callable[[Scene, str, str], tuple[Scene, str]]) -> None:
        """A new target from the selected one, then selected itself."""
        doc, target = self.doc, self.doc.target
        made = doc.attempt(lambda: make(doc.settled.scene, doc.object_id, target.id))
        if made is not None:
            doc.commit(f"{label} {target.name}", made[0])
            doc.select_target(made[1])

    def _change(self, label: str, change: Callable[[Scene, str, str], Scene]) -> None:
        doc, target = self.doc, self.doc.target
        doc.edit(f"{label} {target.name}", lambda s: change(s, doc.object_id, target.id))

    def _others(self) -> list[tuple[str, str]]:
        return [(t.name, t.id) for t in self.doc.object.targets if t.id != self.doc.target.id]

    def _axis(self) -> int:
        return "XYZ".index(self.doc.tools.mirror.axes[:1] or "X")

    def duplicate(self) -> None:
        self._new("Duplicate", whole.duplicate)

    def mirror_new(self) -> None:
        mirror = self.doc.tools.mirror
        self._new("Mirror", lambda s, o, t: whole.mirror_into_new(s, o, t, self._axis(), mirror))

    def swap_sides(self) -> None:
        mirror = self.doc.tools.mirror
        self._change("Swap sides of", lambda s, o, t: whole.swap_sides(s, o, t, self._axis(), mirror))

    def split(self) -> None:
        doc, target = self.doc, self.doc.target
        across = float(np.ptp(doc.object.base[:, self._axis()])) if len(doc.object.base) else 1.0
        seam = NumberAsk("width", "Seam", "cm", float(f"{across / 10:.2g}"), 0, 1e6)
        said = "Two new targets, one a side, that add up to it exactly. Across the seam one fades into the other."
        given = self.ask.form(f"Split {target.name} into left and right", said, (seam,), "Split it")
        if given is None:
            return
        made = doc.attempt(lambda: whole.split_sides(doc.settled.scene, doc.object_id, target.id, given["width"], self._axis()))
        if made is not None:
            doc.commit(f"Split {target.name}", made[0])
            doc.select_target(made[1][0])
            doc.select_target(made[1][1], add=True)

    def join(self) -> None:
        doc = self.doc
        chosen = [t.id for t in doc.object.targets if t.id in doc.selected_targets]
        made = doc.attempt(lambda: whole.join(doc.settled.scene, doc.object_id, chosen))
        if made is not None:
            doc.commit("Join targets", made[0])
            doc.select_target(made[1])

    def scale_deltas(self) -> None:
        ask = NumberAsk("factor", "Factor", "×", 1.0, -1000, 1000)
        given = self.ask.form(f"Scale {self.doc.target.name}", "Every offset times a factor.", (ask,), "Scale it")
        if given is not None:
            self._change("Scale", lambda s, o, t: whole.scale_deltas(s, o, t, given["factor"]))

    def clean(self) -> None:
        doc, target = self.doc, self.doc.target
        ask = NumberAsk("threshold", "Shorter than", "cm", 0.01, 0, 1e6, 4)
        said = "Points that move less go back to where the base has them."
        given = self.ask.form(f"Clean {target.name}", said, (ask,), "Clean it")
        if given is None:
            return
        scene, gone = whole.clean(doc.settled.scene, doc.object_id, target.id, given["threshold"])
        if scene.object(doc.object_id).target(target.id).deltas is not target.deltas and gone:
            doc.commit(f"Clean {target.name}", scene)
        doc.say(f"{gone:,} point{'' if gone == 1 else 's'} of {target.name} moved less than {given['threshold']:g} cm.")

    def combine(self) -> None:
        asks = (ChoiceAsk("other", "Target", self._others()), NumberAsk("factor", "Times", "", 1.0, -1000, 1000))
        said = "Adds another target's offsets to this one; a factor of -1 subtracts them."
        given = self.ask.form(f"Add to {self.doc.target.name}", said, asks, "Add it")
        if given is not None:
            self._change("Add to", lambda s, o, t: whole.combine(s, o, t, given["other"], given["factor"]))

    def copy_onto(self) -> None:
        target = self.doc.target
        said = "Another target takes over its shape and in-betweens; that one's name, weight and lane stay."
        asks = (ChoiceAsk("onto", "Onto", self._others()),)
        given = self.ask.form(f"Copy the shape of {target.name}", said, asks, "Copy it")
        if given is not None:
            self._change("Copy the shape of", lambda s, o, t: whole.copy_deltas(s, o, t, given["onto"]))

    def apply_to_base(self) -> None:
        target = self.doc.target
        asks = (
            NumberAsk("weight", "At weight", "", 1.0, -1000, 1000),
            ChoiceAsk("targets", "Targets", [("Follow", FOLLOW), ("Stay", STAY)], FOLLOW),
        )
        said = "The base takes on its shape. Targets follow with their offsets, or stay in their own shape."
        given = self.ask.form(f"Apply {target.name} to the base", said, asks, "Apply it")
        if given is not None:
            self._change("Apply to the base:", lambda s, o, t: whole.apply_to_base(s, o, t, given["weight"], given["targets"]))

    def keep_region(self) -> None:
        doc, obj = self.doc, self.doc.object
        weights = pick_weights(obj, obj.base, doc.picks(), doc.tools.reach)
        self._change("Keep the picked region of", lambda s, o, t: whole.keep_region(s, o, t, weights))

    def rebuild_on(self) -> None:
        choices = [("Base", None), *self._others()]
        ask = ChoiceAsk("parent", "Build on", choices, self.doc.target.built_on)
        said = "It keeps its shape at full weight; only what its offsets count from changes."
        given = self.ask.form(f"Rebuild {self.doc.target.name}", said, (ask,), "Rebuild it")
        if given is not None:
            self._change("Rebuild", lambda s, o, t: whole.rebuild_on(s, o, t, given["parent"]))

    def transfer(self) -> None:
        doc, obj = self.doc, self.doc.object
        sources = [(f"{o.name}: {t.name}", (o.id, t.id)) for o in doc.scene.objects if o.id != obj.id for t in o.targets]
        if not sources:
            doc.say("No other object of this scene has a target to transfer from.", "warning")
            return
        size = float(np.linalg.norm(np.ptp(obj.base, axis=0))) if len(obj.base) else 1.0
        asks = (
            ChoiceAsk("source", "From", sources),
            NumberAsk("near", "In full up to", "cm", float(f"{size / 50:.2g}"), 0, 1e6),
            NumberAsk("far", "Not beyond", "cm", float(f"{size / 5:.2g}"), 0, 1e6),
        )
        said = f"Each point of {obj.name} takes the offset of the nearest place on the other surface, as both stand now."
        given = self.ask.form("Transfer a target", said, asks, "Transfer it")
        if given is None:
            return
        source = given["source"]
        made = doc.attempt(lambda: whole.transfer(doc.settled.scene, obj.id, source[0], source[1], given["near"], given["far"]))
        if made is not None:
            doc.commit("Transfer a target", made[0])
            doc.select_target(made[1])

    def bake_mask(self) -> None:
        self._change("Bake the mask of", whole.bake_mask)

    def clear_mask(self) -> None:
        self.doc.set_mask(self.doc.target.id, None)

    def mask_from_pick(self) -> None:
        """The mask lets through what is picked, with its falloff, and nothing else."""
        doc, obj = self.doc, self.doc.object
        doc.set_mask(doc.target.id, np.clip(pick_weights(obj, obj.base, doc.picks(), doc.tools.reach), 0, 1))

    # stored mixes

    def keep_mix(self) -> None:
        doc, obj = self.doc, self.doc.object
        ask = TextAsk("name", "Name", f"Mix {len(obj.mixes) + 1}")
        given = self.ask.form("Keep this mix", "The weights as they are now, under a name.", (ask,), "Keep it")
        if given is not None:
            weights = doc.weights(obj)
            doc.edit(f"Keep the mix {given['name']}", lambda s: target_edits.keep_mix(s, obj.id, given["name"], weights))

    def drop_mix(self) -> None:
        doc, obj = self.doc, self.doc.object
        ask = ChoiceAsk("name", "Mix", [(m.name, m.name) for m in obj.mixes])
        given = self.ask.form("Forget a kept mix", "", (ask,), "Forget it")
        if given is not None:
            doc.edit(f"Forget the mix {given['name']}", lambda s: target_edits.drop_mix(s, obj.id, given["name"]))

    def put_back(self, name: str) -> None:
        """Set the weights of a kept mix."""
        mix = next(m for m in self.doc.object.mixes if m.name == name)
        self.doc.set_values(self.doc.refs(dict(mix.weights)), f"Put back {name}")

    def blend_mixes(self) -> None:
        """Between two kept mixes, by one slider."""
        self.ask.blend()

    # groups

    def group(self) -> None:
        doc = self.doc
        chosen = [t.id for t in doc.object.targets if t.id in doc.selected_targets]
        given = self.ask.form("Group the selected targets", "", (TextAsk("name", "Name", "Group"),), "Group them")
        if given is None:
            return
        made = doc.attempt(lambda: target_edits.group_targets(doc.settled.scene, doc.object_id, chosen, given["name"]))
        if made is not None:
            doc.commit(f"Group {len(chosen)} targets", made[0])

    def ungroup(self) -> None:
        doc = self.doc
        doc.edit("Take out of the group", lambda s: target_edits.put_in_group(s, doc.object_id, doc.selected_targets, None))

    def colour(self) -> None:
        colour = self.ask.colour(self.doc.target.colour, f"Colour of {self.doc.target.name}")
        if colour is not None:
            self._change("Colour of", lambda s, o, t: target_edits.set_colour(s, o, t, colour))
