"""What the actions of picking, shaping and the mesh do: each method is one row's."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from fictilis.app.commands.ports import Ports
from fictilis.app.model.asking import ChoiceAsk, NumberAsk, TextAsk
from fictilis.app.model.document import Document
from fictilis.app.view.tools import TOOLS
from fictilis.core.edits import objects as object_edits
from fictilis.core.edits import topology
from fictilis.core.edits.shape import ShapeRef
from fictilis.core.errors import EditRefused
from fictilis.core.geometry import carry as mesh_operations
from fictilis.core.geometry.carry import Carry
from fictilis.core.scene import MorphObject, Pick
from fictilis.core.shaping import picks

SIDES = {"left": (0, -1), "right": (0, 1)}


class ShapeCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports) -> None:
        self.doc, self.ports, self.ask = doc, ports, ports.ask

    # what is shaped, and by which tool

    def shape(self) -> None:
        doc = self.doc
        if doc.shaping is None:
            doc.start_shaping(ShapeRef(doc.target.id if doc.target else None))

    def done(self) -> None:
        self.doc.done_shaping()

    def tool(self, name: str) -> None:
        self.doc.set_tools(tool=name)

    def exact(self, operation: str) -> None:
        self.doc.set_tools(tool="exact", exact=operation)

    def resize(self, factor: float) -> None:
        tools, family = self.doc.tools, TOOLS[self.doc.tools.tool].family
        if family == "pick" or family == "brush" and tools.in_px:
            self.doc.set_tools(size_px=float(np.clip(tools.size_px * factor, 1, 2000)))
        elif family == "brush":
            self.doc.set_tools(size=max(tools.size * factor, 1e-3))
        else:
            start = tools.radius or tools.size
            self.doc.set_tools(radius=start * factor if tools.radius else start)

    def strengthen(self, step: float) -> None:
        strength = float(np.clip(round(self.doc.tools.strength + step, 2), 0.05, 1.0))
        self.doc.set_tools(strength=strength)

    def mirror(self, axis: str) -> None:
        mirror = self.doc.tools.mirror
        axes = "".join(a for a in "XYZ" if (a in mirror.axes) != (a == axis))
        self.doc.set_tools(mirror=replace(mirror, axes=axes))

    def place_pivot(self) -> None:
        self.ports.view.place_pivot()

    # picking

    def pick_kind(self, kind: str) -> None:
        """Pick points, edges or faces from now on; what is picked is picked in these terms."""
        doc = self.doc
        if kind != doc.tools.kind:
            now = doc.pick()
            doc.set_tools(kind=kind)
            if len(now):
                doc.set_pick(picks.as_kind(doc.object.mesh, now, kind))

    def _pick(self, make: Callable[[MorphObject, Pick], Pick]) -> None:
        doc = self.doc
        pick = doc.attempt(lambda: make(doc.object, doc.pick()))
        if pick is not None:
            doc.set_pick(pick)

    def pick_all(self) -> None:
        self._pick(lambda obj, pick: picks.inverse(obj.mesh, Pick(self.doc.tools.kind)))

    def pick_none(self) -> None:
        self._pick(lambda obj, pick: Pick(self.doc.tools.kind))

    def pick_inverse(self) -> None:
        self._pick(lambda obj, pick: picks.inverse(obj.mesh, pick))

    def pick_grow(self) -> None:
        self._pick(lambda obj, pick: picks.grow(obj.mesh, pick))

    def pick_shrink(self) -> None:
        self._pick(lambda obj, pick: picks.shrink(obj.mesh, pick))

    def pick_connected(self) -> None:
        self._pick(lambda obj, pick: picks.connected(obj.mesh, pick))

    def pick_along(self, way: str) -> None:
        """The loops of the picked edges, or the rings across them."""
        run = picks.edge_loop if way == "loop" else picks.edge_ring

        def make(obj: MorphObject, pick: Pick) -> Pick:
            edges = picks.edges_of(obj.mesh, pick)
            if not len(edges):
                raise EditRefused(f"An edge {way} starts at a picked edge; pick an edge, or two points at its ends.")
            found = np.unique(np.concatenate([run(obj.mesh, int(e)) for e in edges[:200]]))
            return picks.as_kind(obj.mesh, Pick("edges", found), self.doc.tools.kind)

        self._pick(make)

    def pick_moved(self) -> None:
        self._pick(lambda obj, pick: picks.moved_by(obj, self.doc.target.id, self.doc.tools.kind))

    def pick_side(self, side: str) -> None:
        axis, way = SIDES[side]
        self._pick(lambda obj, pick: picks.side(obj, axis, way, self.doc.tools.kind))

    def pick_mirrored(self) -> None:
        """The mirror image of the pick, in its place."""

        def make(obj: MorphObject, pick: Pick) -> Pick:
            mirror = self.doc.tools.mirror
            ((_, pairs),) = replace(mirror, axes=mirror.axes[:1] or "X").pairs(obj)
            there = pairs[picks.points_of(obj.mesh, pick)]
            return picks.as_kind(obj.mesh, Pick("points", there[there >= 0]), pick.kind)

        self._pick(make)

    def keep_pick(self) -> None:
        doc, obj = self.doc, self.doc.object
        name = f"Pick {len(obj.picks) + 1}"
        given = self.ask.form("Keep this pick", "It is kept with the object.", (TextAsk("name", "Name", name),), "Keep it")
        if given is not None:
            name = given["name"]
            doc.edit(f"Keep the pick {name}", lambda s: object_edits.keep_pick(s, obj.id, name, doc.pick()))

    def drop_pick(self) -> None:
        doc, obj = self.doc, self.doc.object
        ask = ChoiceAsk("name", "Pick", [(p.name, p.name) for p in obj.picks])
        given = self.ask.form("Forget a kept pick", "", (ask,), "Forget it")
        if given is not None:
            doc.edit(f"Forget the pick {given['name']}", lambda s: object_edits.drop_pick(s, obj.id, given["name"]))

    def pick_kept(self, name: str) -> None:
        """Pick what was kept under a name."""
        doc = self.doc
        kept = next(p for p in doc.object.picks if p.name == name)
        doc.set_tools(kind=kept.pick.kind)
        doc.set_pick(kept.pick)

    # changes by a form

    def apply_numbers(self, kind: str, numbers: tuple[float, float, float], to: bool) -> None:
        """Move, rotate or scale by numbers; ``to`` moves the pivot to a place in the scene, or scales to a size in cm."""
        self.ports.view.apply_numbers(kind, numbers, to)

    def numbers(self, kind: str, to: bool) -> tuple[float, ...]:
        """What the form of numbers begins with: nothing to do, or where the pivot and how large the pick is now."""
        return self.ports.view.numbers(kind, to)

    def apply_exact(self) -> None:
        self.ports.view.apply_exact()

    # the mesh

    def _mesh(self, label: str, make: Callable[[MorphObject, Pick], Carry]) -> None:
        """Change the topology, everything carried through; the new pick is what the operation was about."""
        doc = self.doc

        def work():
            obj = doc.object
            # while mixing a pick made earlier is not seen, and must not decide
            carry = make(obj, doc.pick() if doc.shaping is not None else Pick())
            return carry, topology.carry_through(doc.settled.scene, obj.id, carry)

        done = doc.attempt(work)
        if done is None:
            return
        carry, scene = done
        old, was = doc.object, doc.pick()
        pick = carry.pick if len(carry.pick) else carry.picked(was, old.mesh)
        if len(pick) and pick.kind != doc.tools.kind and doc.shaping is not None:
            pick = picks.as_kind(carry.mesh, pick, doc.tools.kind)
        doc.commit(f"{label} {old.name}", scene, picks={**doc.settled.picks, old.id: pick})
        new = doc.object
        carried = f", {len(new.targets)} target{'' if len(new.targets) == 1 else 's'} carried through" if new.targets else ""
        doc.say(f"{new.name} has {len(new.base):,} points and {new.mesh.face_count:,} faces now{carried}.")

    def _faces(self, obj: MorphObject, pick: Pick) -> np.ndarray:
        return picks.faces_of(obj.mesh, pick)

    def subdivide(self, smooth: bool) -> None:
        def make(obj: MorphObject, pick: Pick) -> Carry:
            faces = self._faces(obj, pick)
            if len(faces) and not smooth:
                return mesh_operations.subdivide_faces(obj.mesh, faces)
            return mesh_operations.subdivide(obj.mesh, smooth)

        self._mesh("Subdivide", make)

    def extrude(self) -> None:
        asks = (
            NumberAsk("offset", "Offset", "cm", self.doc.tools.size / 4),
            ChoiceAsk("region", "Faces", [("As a region", True), ("Each on its own", False)], True),
        )
        given = self.ask.form("Extrude faces", "The picked faces are pushed out; 0 is allowed.", asks, "Extrude")
        if given is not None:
            self._mesh(
                "Extrude",
                lambda o, p: mesh_operations.extrude(o.mesh, o.base, self._faces(o, p), given["offset"], given["region"]),
            )

    def inset(self) -> None:
        asks = (
            NumberAsk("part", "Part of the way", "", 0.3, 0, 0.99),
            ChoiceAsk("region", "Faces", [("As a region", True), ("Each on its own", False)], False),
        )
        given = self.ask.form("Inset faces", "A rim of new faces inside the picked ones.", asks, "Inset")
        if given is not None:
            self._mesh("Inset", lambda o, p: mesh_operations.inset(o.mesh, self._faces(o, p), given["part"], given["region"]))

    def loop_cut(self) -> None:
        asks = (NumberAsk("cuts", "Cuts", "", 1, 1, 100, 0), NumberAsk("at", "At, for one cut", "", 0.5, 0.01, 0.99))
        given = self.ask.form("Cut a loop", "Across the row of faces through the picked edge.", asks, "Cut")
        if given is None:
            return

        def make(obj: MorphObject, pick: Pick) -> Carry:
            edges = picks.edges_of(obj.mesh, pick)
            if not len(edges):
                raise EditRefused("A loop is cut through a picked edge; pick an edge, or the two points at its ends.")
            return mesh_operations.loop_cut(obj.mesh, int(edges[0]), given["at"], int(given["cuts"]))

        self._mesh("Cut a loop in", make)

    def delete_faces(self) -> None:
        self._mesh("Delete faces of", lambda o, p: mesh_operations.delete_faces(o.mesh, self._faces(o, p)))

    def delete_points(self) -> None:
        self._mesh("Delete points of", lambda o, p: mesh_operations.delete_points(o.mesh, picks.points_of(o.mesh, p)))

    def weld_middle(self) -> None:
        def make(obj: MorphObject, pick: Pick) -> Carry:
            points = picks.points_of(obj.mesh, pick)
            if len(points) < 2:
                raise EditRefused("Welding needs at least two picked points.")
            labels = np.arange(len(obj.base))
            labels[points] = points[0]
            return mesh_operations.weld(obj.mesh, labels)

        self._mesh("Weld", make)

    def weld_near(self) -> None:
        ask = NumberAsk("distance", "Within", "cm", 0.01, 0, 1e6, 4)
        said = "Points of the pick, or of the whole object while nothing is picked."
        given = self.ask.form("Weld points that are near", said, (ask,), "Weld")
        if given is None:
            return

        def make(obj: MorphObject, pick: Pick) -> Carry:
            chosen = picks.points_of(obj.mesh, pick) if len(pick) else np.arange(len(obj.base))
            return mesh_operations.weld(obj.mesh, mesh_operations.labels_within(obj.base, chosen, given["distance"]))

        self._mesh("Weld", make)

    def triangulate(self) -> None:
        self._mesh("Triangulate", lambda o, p: mesh_operations.triangulate(o.mesh, o.base, self._faces(o, p)))

    def mirror_weld(self) -> None:
        asks = (
            ChoiceAsk("axis", "Across", [("X", 0), ("Y", 1), ("Z", 2)], 0),
            ChoiceAsk("side", "Keep", [("Minus side", -1), ("Plus side", 1)], 1),
            NumberAsk("tolerance", "Middle within", "cm", 0.01, 0, 1e6, 4),
        )
        said = "Keeps one half and welds its mirror image on, in the base and in every target."
        given = self.ask.form("Mirror and weld", said, asks, "Mirror it")
        if given is not None:
            self._mesh("Mirror", lambda o, p: mesh_operations.mirror_weld(o.mesh, o.base, **given))

    def freeze_transform(self) -> None:
        doc, obj = self.doc, self.doc.object
        doc.edit(f"Freeze the transform of {obj.name}", lambda s: topology.freeze_transform(s, obj.id))

    def origin_to_point(self) -> None:
        doc, obj = self.doc, self.doc.object
        points = doc.picks()
        if len(points) != 1:
            doc.say(f"Pick the one point that becomes the origin of {obj.name}; {len(points)} are picked.", "error")
            return
        doc.edit(f"Move the origin of {obj.name}", lambda s: topology.origin_to_point(s, obj.id, int(points[0])))
