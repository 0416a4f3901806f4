"""What the actions of picking, shaping and the mesh do: each method is one row's."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from fictilis.app.commands.operations import OperationCommands, subject_of
from fictilis.app.commands.ports import Ports
from fictilis.app.model.document import Document
from fictilis.app.model.session import Notice
from fictilis.app.view.tools import TOOLS
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.arrays import distinct
from fictilis.core.ground.errors import EditRefused, there
from fictilis.core.mix.relay import pose_at
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.scene import MorphObject
from fictilis.core.shaping import picks
from fictilis.render.stage import IN_THE_MIX

SIDES = {"left": (0, -1), "right": (0, 1)}


class ShapeCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports, operations: OperationCommands) -> None:
        self.doc, self.ports, self.ask, self.operations = doc, ports, ports.ask, operations

    # what is shaped, and by which tool

    def shape(self) -> None:
        doc = self.doc
        if doc.chosen is not None and doc.chosen.poses:
            self.shape_pose()
        elif doc.shaping is None:
            doc.start_shaping(ShapeRef(doc.target.id if doc.target else None))

    def shape_pose(self) -> None:
        """Shape the pose under the playhead, else the one before it, where the relay stands on it."""
        doc = self.doc
        key = pose_at(doc.obj, subject_of(doc).relay, doc.frame)
        doc.set_frame(key.frame)
        if key.shape:
            doc.change(way=IN_THE_MIX)
            doc.start_shaping(ShapeRef(key.shape))
            return
        sentence = f"The pose at frame {key.frame:g} shows the base, from which every shape counts."
        doc.notice([Notice(sentence, "Give it a shape of its own", self._shape_own)])

    def _shape_own(self) -> None:
        self.operations.operate("relay-own")
        if self.doc.target is not None:
            self.doc.start_shaping(ShapeRef(self.doc.target.id))

    def done(self) -> None:
        """End shaping, or the rehearsal."""
        if self.doc.rehearsing:
            self.doc.change(rehearsing=False)
        else:
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

    def beside(self, what: str = "") -> None:
        """A second view of something; the same once more, or of nothing while there is one, makes it one view again."""
        seeing, camera = self.doc.seeing, self.doc.scene.camera
        if what and what != seeing.beside:
            self.doc.see(beside=what, beside_frame=self.doc.frame if what == "frame" else seeing.beside_frame)
        elif seeing.beside:
            self.doc.see(beside="")
        else:
            self.doc.see(beside="camera" if camera is not None and not self.doc.through_camera else "before")

    def measure(self) -> None:
        self.ports.view.measure()

    def place_pivot(self) -> None:
        self.ports.view.place_pivot()

    # picking

    def pick_kind(self, kind: str) -> None:
        """Pick points, edges or faces from now on; the present pick is converted."""
        doc = self.doc
        if kind != doc.tools.kind:
            now = doc.pick()
            doc.set_tools(kind=kind)
            if len(now):
                doc.set_pick(picks.as_kind(doc.obj.geometry, now, kind))

    def _pick(self, make: Callable[[MorphObject, Pick], Pick]) -> None:
        doc = self.doc
        pick = doc.attempt(lambda: make(doc.obj, doc.pick()))
        if pick is not None:
            doc.set_pick(pick)

    def pick_all(self) -> None:
        self._pick(lambda obj, pick: picks.inverse(obj.geometry, Pick(self.doc.tools.kind)))

    def pick_none(self) -> None:
        self._pick(lambda obj, pick: Pick(self.doc.tools.kind))

    def pick_inverse(self) -> None:
        self._pick(lambda obj, pick: picks.inverse(obj.geometry, pick))

    def pick_grow(self) -> None:
        self._pick(lambda obj, pick: picks.grow(obj.geometry, pick))

    def pick_shrink(self) -> None:
        self._pick(lambda obj, pick: picks.shrink(obj.geometry, pick))

    def pick_connected(self) -> None:
        self._pick(lambda obj, pick: picks.connected(obj.geometry, pick))

    def pick_along(self, way: str) -> None:
        """The loops of the picked edges, or the rings across them."""
        run = picks.edge_loop if way == "loop" else picks.edge_ring

        def make(obj: MorphObject, pick: Pick) -> Pick:
            edges = picks.edges_of(obj.geometry, pick)
            if not len(edges):
                raise EditRefused(f"An edge {way} starts at a picked edge; pick an edge, or two points at its ends.")
            found = distinct(np.concatenate([run(obj.geometry, int(e)) for e in edges[:200]]))
            return picks.as_kind(obj.geometry, Pick("edges", found), self.doc.tools.kind)

        self._pick(make)

    def pick_moved(self) -> None:
        self._pick(lambda obj, pick: picks.moved_by(obj, there(self.doc.target).id, self.doc.tools.kind))

    def pick_side(self, side: str) -> None:
        axis, way = SIDES[side]
        self._pick(lambda obj, pick: picks.side(obj, axis, way, self.doc.tools.kind))

    def pick_mirrored(self) -> None:
        """Replace the pick by its mirror image."""

        def make(obj: MorphObject, pick: Pick) -> Pick:
            mirror = self.doc.tools.mirror
            ((_, pairs),) = replace(mirror, axes=mirror.axes[:1] or "X").pairs(obj)
            there = pairs[picks.points_of(obj.geometry, pick)]
            return picks.as_kind(obj.geometry, Pick("points", there[there >= 0]), pick.kind)

        self._pick(make)

    def pick_kept(self, name: str) -> None:
        """Pick what was kept under a name."""
        doc = self.doc
        kept = next(p for p in doc.obj.picks if p.name == name)
        doc.set_tools(kind=kept.pick.kind)
        doc.set_pick(kept.pick)

    # changes by a form

    def apply_numbers(self, kind: str, numbers: tuple[float, float, float], to: bool) -> None:
        """Move, rotate or scale by numbers; ``to`` moves the pivot to a place in the scene, or scales to a size in cm."""
        self.ports.view.strokes.apply_numbers(kind, numbers, to)

    def numbers(self, kind: str, to: bool) -> tuple[float, ...]:
        """What the form of numbers begins with: nothing to do, or where the pivot and how large the pick is now."""
        return self.ports.view.strokes.numbers(kind, to)

    def pick_size(self) -> tuple[float, ...]:
        return self.ports.view.strokes.pick_size()

    def apply_exact(self) -> None:
        self.ports.view.strokes.apply_exact()

    # the mesh
