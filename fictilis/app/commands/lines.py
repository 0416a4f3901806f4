"""What the actions of lines do that ask for more than a form: drawn in the view, and made of letters."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.app.commands.ports import Ports
from fictilis.app.model.asking import NumberAsk, TextAsk
from fictilis.app.model.document import Document
from fictilis.core.edits.lines import target_from_line
from fictilis.core.edits.objects import add_object
from fictilis.core.geometry.kinds import Line, Match
from fictilis.core.geometry.lines.fitting import fitted
from fictilis.core.ground.affine import placed
from fictilis.core.scene.scene import Scene


class LineCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports) -> None:
        self.doc, self.ports, self.ask = doc, ports, ports.ask

    def draw_line(self, as_target: bool) -> None:
        """Draw in the view: a new line object, or a target of the line shown."""
        self.doc.done_shaping()
        self.ports.view.draw(self._drawn_target if as_target else self._drawn)

    @staticmethod
    def _made(places: np.ndarray, closed: bool, tolerance: float) -> tuple[np.ndarray, Line]:
        if tolerance > 0:
            return fitted(places, tolerance, closed)
        return places, Line(starts=np.array([0, len(places)]), closed=np.array([closed]))

    def _drawn(self, places: np.ndarray, closed: bool, tolerance: float) -> None:
        def make() -> tuple:
            points, line = self._made(places, closed, tolerance)
            middle = (points.min(axis=0) + points.max(axis=0)) / 2
            scene, object_id = add_object(self.doc.ground, "Line", line, points - middle)
            obj = scene.object(object_id)
            there = replace(obj.transform, position=tuple(middle.tolist()))
            return scene.with_object(replace(obj, transform=there)), object_id

        made = self.doc.attempt(make)
        if made is not None:
            self._add(*made)

    def _add(self, scene: Scene, object_id: str) -> None:
        obj = scene.object(object_id)
        self.doc.commit(f"Add {obj.name}", scene)
        self.doc.select_object(object_id)
        self.doc.say(f"{obj.name} has {len(obj.base):,} points.")

    def _drawn_target(self, places: np.ndarray, closed: bool, tolerance: float) -> None:
        doc = self.doc

        def make() -> tuple:
            obj = doc.obj
            points, line = self._made(places, closed, tolerance)
            own = placed(points, np.linalg.inv(obj.transform.matrix()))
            return target_from_line(doc.ground, obj.id, "Drawn", Match(line, own))

        made = doc.attempt(make)
        if made is not None:
            doc.commit("Draw a target", made[0])
            doc.select_target(made[1])

    def text_line(self) -> None:
        """Letters of the font that is shipped, as a line of closed strands."""
        from fictilis.formats.outlines import text_outline

        asks = (TextAsk("text", "Text", "Tide"), NumberAsk("size", "Capitals", "cm", 20.0, 0.001, 1e6, 1))
        said = "The outlines of its letters become the strands of one line; \\n begins a new row."
        given = self.ask.form("Text as a line", said, asks, "Make it")
        if given is None:
            return

        def make() -> tuple:
            points, line = text_outline(given["text"], given["size"])
            return add_object(self.doc.ground, given["text"].replace("\\n", " ")[:40], line, points)

        made = self.doc.attempt(make)
        if made is not None:
            self._add(*made)
            self.ports.view.eye.fit()
