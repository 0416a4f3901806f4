"""What the actions of targets do: each method is one row's."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PyQt6.QtWidgets import QApplication

from fictilis.app.commands.files import file_kinds
from fictilis.app.commands.operations import OperationCommands
from fictilis.app.commands.ports import Ports
from fictilis.app.model.asking import ChoiceAsk, NumberAsk
from fictilis.app.model.document import Document
from fictilis.core.edits import keys as key_edits
from fictilis.core.edits import targets as target_edits
from fictilis.core.edits.lines import target_from_copy
from fictilis.core.edits.targets import target_projected
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.matching import Order, find_order
from fictilis.core.geometry.units import UNITS, fitting_unit, linear_from
from fictilis.core.ground.errors import FictilisError, NotATarget, there
from fictilis.core.mix.driven import drivers_of
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.formats.files import MeshData
from fictilis.formats.registry import format_for, read_meshes, with_meshes
from fictilis.render.stage import IN_THE_MIX


class TargetCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports, operations: OperationCommands) -> None:
        self.doc, self.ports, self.ask, self.operations = doc, ports, ports.ask, operations

    def new_target(self) -> None:
        self._make_target("New target", lambda scene: target_edits.new_target(scene, self.doc.obj.id))

    def new_from_seen(self) -> None:
        doc = self.doc
        posed = doc.state.posed.get(doc.obj.id, {})
        self._make_target(
            "New target from what is seen",
            lambda scene: target_edits.target_from_seen(scene, doc.obj.id, doc.frame, posed),
        )

    def corrective(self) -> None:
        """A corrective for the mix as it is seen, shaped at once."""
        doc, known = self.doc, {t.id for t in self.doc.obj.targets}
        self.operations.operate("target-corrective")
        target = doc.target
        if target is None or target.id in known:
            return
        doc.change(way=IN_THE_MIX)
        doc.start_shaping(ShapeRef(target.id))
        self.ports.cards.bring(target.id)
        doc.say(f"Shape away what {drivers_of(doc.obj, target)} do wrong together; it acts in full at this mix.")

    def checks(self) -> None:
        """Show what is found, and begin the corrective that was asked for there."""
        finding = self.ask.checks()
        if finding is None or finding.frame is None:
            return
        self.doc.select_object(finding.owner)
        self.doc.set_frame(finding.frame)
        for number, target_id in enumerate(finding.together):
            self.doc.select_target(target_id, add=number > 0)
        self.corrective()

    def _make_target(self, label: str, make: Callable[[Scene], tuple[Scene, str]]) -> None:
        """Make a target, select it, and let the user name it at once."""
        scene, target_id = make(self.doc.ground)
        self.doc.commit(label, scene)
        self.doc.select_target(target_id)
        self.ports.cards.edit_name(target_id)

    def delete(self) -> None:
        doc = self.doc
        if doc.cues_shown and doc.cue is not None:  # chosen last: a target that is selected leaves it
            self.operations.operate("cue-remove")
        elif doc.keys:
            count = len(doc.keys)
            doc.edit(f"Delete {count} key{'' if count == 1 else 's'}", lambda s: key_edits.delete_keys(s, doc.keys))
        elif doc.selected_targets and doc.shaping is None:
            self.operations.operate("target-remove")

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
        shapes: list[MeshData] = []
        sentences: list[tuple[str, str]] = []
        for path in paths:
            try:
                read = self.ask.run(f"Reading {path.name}", lambda progress, p=path: read_meshes(p, progress))
            except FictilisError as error:
                sentences.append((error.said, "error"))
                continue
            if doc.object.geometry.kind == "line":
                read = read.together(path.stem)
            alone = len(read.objects) == 1
            linear = np.eye(3) if format_for(path, "read").unit else self._linear(path, read.objects)
            if linear is None:
                return
            named = (
                replace(data, points=data.points @ linear.T, name=path.stem if alone else data.name) for data in read.objects
            )
            shapes += named
            sentences += [(warning, "warning") for warning in read.warnings]
        self._take(shapes, sentences)

    def take_targets(self, shapes: Sequence[MeshData], warnings: Sequence[str] = ()) -> None:
        """Add shapes that were read as targets."""
        self._take(shapes, [(warning, "warning") for warning in warnings])

    def _linear(self, path: Path, objects: Sequence[MeshData]) -> np.ndarray | None:
        """(3, 3): what brings a file that says no unit to the base's size; asked where it lies plainly in another unit or
        another way up, and None where that was given up."""
        obj = self.doc.obj
        if not objects or not len(objects[0].points) or len(objects[0].points) != len(obj.base):
            return np.eye(3)
        unit, z_up = fitting_unit(objects[0].points, obj.base)
        if (unit, z_up) == ("cm", False):
            return np.eye(3)
        asks = (
            ChoiceAsk("unit", "Its numbers are in", [(u, u) for u in UNITS], unit),
            ChoiceAsk("up", "Up is", [("Y", False), ("Z", True)], z_up),
        )
        how = f"In {unit} with {'Z' if z_up else 'Y'} up"
        said = f"It says neither its unit nor what is up. {how} it is of the size of {obj.name}."
        given = self.ask.form(f"How large is {path.name}?", said, asks, "Take it")
        return None if given is None else linear_from(given["unit"], given["up"])

    def _take(self, shapes: Sequence[MeshData], sentences: list[tuple[str, str]]) -> None:
        """Add each shape that matches the base as a target, in one step; say what was added, and why the others were not."""
        doc = self.doc
        scene = ground = doc.ground
        added, others = list[str](), dict[str, MeshData]()
        for data in shapes:
            try:
                scene, target_id = self._from_mesh(scene, data.name, data)
                added.append(target_id)
            except FictilisError as error:
                if isinstance(error, NotATarget) and error.reason == "counts" and data.geometry.face_count:
                    others[error.said] = data
                else:
                    sentences.append((error.said, "error"))
        if others:
            was, (scene, more) = scene, self._otherwise(scene, list(others.values()))
            added += more
            sentences += [(said, "error") for said in others] if scene is was else []
        count = len(added)
        if added:
            names = {t.id: t.name for t in scene.object(doc.obj.id).targets}
            doc.commit(f"Add {count} target{'' if count == 1 else 's'}", scene)
            doc.select_target(added[-1])
            sentences.insert(0, (f"Added {', '.join(names[i] for i in added)}.", "note"))
        elif scene is not ground:
            doc.commit("Objects from files", scene)
        if len(sentences) == 1:
            doc.say(*sentences[0])
        elif sentences:
            self.ask.tell("Targets from files", sentences)

    def _otherwise(self, scene: Scene, others: Sequence[MeshData]) -> tuple[Scene, list[str]]:
        """Meshes of another number of points: projected, taken as objects, or left out, as is asked once for all."""
        name, many = self.doc.obj.name, len(others) > 1
        named = ", ".join(data.name for data in others[:3]) + (f" and {len(others) - 3} more" if len(others) > 3 else "")
        counts = f", which has {len(self.doc.obj.base):,}" if many else (
            f": {len(others[0].points):,}, not {len(self.doc.obj.base):,}"
        )  # fmt: skip
        said = f"{named} {'have' if many else 'has'} another number of points than {name}{counts}."
        ways = [
            (f"Project {name} onto {'them' if many else 'it'}", "project"),
            ("Take as objects", "objects"),
            ("Leave out", ""),
        ]
        given = self.ask.form("Another number of points", said, (ChoiceAsk("way", "Instead", ways, "project"),), "Do it")
        made: list[str] = []
        if given is not None and given["way"] == "project":
            for data in others:
                assert isinstance(data.geometry, Mesh)  # as only those with faces come here
                scene, target_id = target_projected(scene, self.doc.obj.id, data.name, data.geometry, data.points)
                made.append(target_id)
        elif given is not None and given["way"] == "objects":
            scene = with_meshes(scene, others)
        return scene, made

    def _from_mesh(self, scene: Scene, name: str, data: MeshData) -> tuple[Scene, str]:
        """A target from a mesh; one with its points in another order is asked about."""
        object_id = there(self.doc.object_id)
        try:
            return target_from_copy(scene, object_id, name, data.geometry, data.points)
        except NotATarget as error:
            order = self._ask_order(scene.object(object_id), name, data) if error.reason == "order" else None
            if order is None:
                raise
            return target_from_copy(scene, object_id, name, data.geometry, data.points, order)

    def _ask_order(self, obj: MorphObject, name: str, data: MeshData) -> Order | None:
        """The order found, shown with its proof; with two points that belong together where it is ambiguous."""
        seeds: tuple[tuple[int, int], ...] = ()
        mesh = data.geometry
        if not isinstance(mesh, Mesh):
            return None
        while True:
            order = self.ask.run(
                f"Finding the order of {name}",
                lambda _progress, s=seeds: find_order(obj.mesh, mesh, obj.base, data.points, s),
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
                asks = (NumberAsk("mine", "Point of the base", "", -1, -1, most, 0, "not said"),
                        NumberAsk("its", f"Point of {name}", "", -1, -1, most, 0, "not said"))  # fmt: skip
            given = self.ask.form(f"Put the points of {name} in the base's order?", said, asks, "Put them in order")
            if given is None:
                return None
            pair = (int(given.get("mine", -1)), int(given.get("its", -1)))
            if min(pair) < 0 or pair in seeds:
                return order
            seeds = (*seeds, pair)

    def targets_table(self) -> None:
        self.ask.targets()

    def zero_weights(self) -> None:
        doc, obj = self.doc, self.doc.obj
        doc.channels.set_values({doc.channels.ref(t.id): 0.0 for t in obj.targets}, "All weights to zero")

    def new_from_names(self) -> None:
        """A target for each line that was copied elsewhere."""
        clipboard = QApplication.clipboard()
        self.operations.operate("object-new-targets", {"names": clipboard.text() if clipboard is not None else ""})

    def in_between(self) -> None:
        doc, obj, target = self.doc, self.doc.obj, there(self.doc.target)
        at = round(doc.channels.weights(obj)[target.id], 4)
        if doc.edit(
            f"In-between of {target.name} at {at:.2f}", lambda s: target_edits.add_in_between(s, obj.id, target.id, at)
        ):
            doc.say(f"{target.name} has an in-between at {at:.2f} now; you are shaping it.")
            doc.start_shaping(ShapeRef(target.id, at))

    def remove_shaped_stage(self) -> None:
        doc, ref = self.doc, there(self.doc.shaping)
        name = doc.obj.target(there(ref.target)).name
        doc.edit(
            f"Remove in-between of {name}", lambda s: target_edits.remove_in_between(s, doc.obj.id, there(ref.target), ref.at)
        )

    def rename(self) -> None:
        self.ports.cards.edit_name(there(self.doc.target).id)

    # whole shapes

    def _change(self, label: str, change: Callable[[Scene, str, str], Scene]) -> None:
        doc, target = self.doc, there(self.doc.target)
        doc.edit(f"{label} {target.name}", lambda s: change(s, doc.obj.id, target.id))

    # stored mixes

    def put_back(self, name: str) -> None:
        """Set the weights of a kept mix."""
        mix = next(m for m in self.doc.obj.mixes if m.name == name)
        self.doc.channels.set_values(self.doc.channels.refs(dict(mix.weights)), f"Apply the mix {name}")

    def blend_mixes(self) -> None:
        """Between two kept mixes, by one slider."""
        self.ask.blend()

    # groups

    def colour(self) -> None:
        colour = self.ask.colour(there(self.doc.target).colour, f"Colour of {there(self.doc.target).name}")
        if colour is not None:
            self._change("Colour of", lambda s, o, t: target_edits.set_colour(s, o, t, colour))
