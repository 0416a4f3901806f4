"""From one thing to the next by keys: keys of lanes, objects, what is picked, the view, and a value little by little."""

from __future__ import annotations

import numpy as np

from fictilis.app.commands.operations import lanes_of
from fictilis.app.commands.ports import Ports
from fictilis.app.model.document import Document
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.errors import EditRefused, there
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.shaping.picks import element_beside


class WalkCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports) -> None:
        self.doc, self.ports = doc, ports

    def take_key(self, way: int) -> None:
        """Select the next key of the selected lanes, or the previous one, and go to its frame."""
        doc = self.doc
        rows = [(key.frame, n, ref) for n, ref in enumerate(lanes_of(doc)) for key in there(doc.channels.lane(ref)).curve.keys]
        order = {ref: n for n, ref in enumerate(lanes_of(doc))}
        now = [(key.frame, order[key.lane]) for key in doc.keys if key.lane in order and key.frame == doc.frame]
        place = (doc.frame, -1 if way > 0 else len(order))  # where none is selected, the keys here come first
        if now:
            place = (max if way > 0 else min)(now)
        further = [row for row in rows if (row[:2] > place if way > 0 else row[:2] < place)]
        if not further:
            raise EditRefused(f"No key {'after' if way > 0 else 'before'} frame {place[0]:g} in the lanes that are selected.")
        frame, _, ref = (min if way > 0 else max)(further, key=lambda row: row[:2])
        doc.set_frame(frame)
        doc.change(keys=frozenset({KeyRef(*ref, frame)}))

    def next_object(self, way: int) -> None:
        """Show the next or the previous object; after the last comes the first."""
        ids = [obj.id for obj in self.doc.scene.objects]
        self.doc.select_object(ids[(ids.index(self.doc.obj.id) + way) % len(ids)])

    def raise_values(self, part: float) -> None:
        """The values of the selected lanes by a part of their ranges; what has words goes to the next one."""
        doc, values = self.doc, {}
        for ref in doc.selected:
            what = doc.channels.channel(ref)
            if what.slides:
                step = np.sign(part) if what.stepped else part * (what.high - what.low)
                values[ref] = round(doc.channels.value(ref) + float(step), 6)
                if what.stepped:
                    values[ref] = float(np.clip(values[ref], what.low, what.high))
        if not values:
            raise EditRefused("Nothing that is selected has a value of its own to raise or lower.")
        names = [doc.channels.channel(ref).name for ref in values]
        doc.channels.set_values(values, f"Set {names[0] if len(names) == 1 else f'{len(names)} lanes'}")

    def walk_pick(self, way: tuple[float, float]) -> None:
        """Pick what lies beside the pick, as it is seen; where nothing is picked, what is nearest to the middle."""
        doc = self.doc
        pixels, middle = self.ports.view.strokes.shaped_pixels()
        pick = doc.pick() if doc.pick().kind == doc.tools.kind else Pick(doc.tools.kind)
        found = element_beside(doc.obj.geometry, pick, pixels, middle, np.array(way))
        if found is None:
            raise EditRefused(f"No {doc.tools.kind[:-1]} lies that way from what is picked.")
        doc.set_pick(Pick(doc.tools.kind, np.array([found])))

    def turn(self, by: tuple[float, float]) -> None:
        """Turn the view by degrees about its middle: to the right, and up."""
        self.ports.view.eye.turn(*by)

    def nearer(self, factor: float) -> None:
        self.ports.view.eye.nearer(factor)
