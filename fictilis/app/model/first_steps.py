"""The guided first scene: seven steps, each done by the person. Nothing here changes the document; it only looks."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

from fictilis.app.model.document import Document
from fictilis.core.scene.scene import MorphObject, Scene

NOTICED = 0.05  # of a weight


class Entered(Struct, frozen=True, eq=False):
    """What was there when a step began: the ids of the objects, how many targets they had, how many scenes were opened, and
    the weights of the object shown. Not the scene, which would stay in memory when it is left."""

    objects: frozenset[str]
    targets: int
    openings: int
    weights: dict[str, float]

    @staticmethod
    def of(doc: Document) -> Entered:
        return Entered(frozenset(o.id for o in doc.scene.objects), _count(doc.scene), doc.openings, _weights(doc))


class Step(Struct, frozen=True):
    """``how`` names actions in braces, whose keys are put there. ``done`` compares with what was there when the step began;
    ``stands`` says whether it still is so: if not, the step comes again."""

    title: str
    how: str
    done: Callable[[Document, Entered], bool]
    stands: Callable[[Document], bool] = lambda _doc: True


def _weights(doc: Document) -> dict[str, float]:
    return doc.channels.weights(doc.object) if doc.object is not None else {}


def _objects(doc: Document) -> tuple[MorphObject, ...]:
    return doc.scene.objects


def _new_object(doc: Document, entered: Entered) -> bool:
    known = entered.objects if doc.openings == entered.openings else ()
    return any(obj.id not in known for obj in _objects(doc))


def _count(scene: Scene) -> int:
    return sum(len(obj.targets) for obj in scene.objects)


def _has_shape(doc: Document) -> bool:
    return any(len(target.deltas.indices) for obj in _objects(doc) for target in obj.targets)


def _mixed(doc: Document, entered: Entered) -> bool:
    now = _weights(doc)
    return doc.shaping is None and any(abs(now[t] - entered.weights.get(t, 0.0)) >= NOTICED for t in now)


def _most_keys(doc: Document) -> int:
    """On one lane of a weight."""
    weights = {(obj.id, target.id) for obj in _objects(doc) for target in obj.targets}
    lanes = [lane for obj in _objects(doc) for lane in obj.lanes if (obj.id, lane.channel) in weights]
    return max((len(lane.curve.keys) for lane in lanes), default=0)


def _moves(doc: Document) -> bool:
    """Whether some weight is keyed with two values."""
    return any(len({key.value for key in lane.curve.keys}) > 1 for obj in _objects(doc) for lane in obj.lanes)


STEPS: tuple[Step, ...] = (
    Step("A form to begin with", "Press {new}, choose Ball, and press Make it. A mesh from a file would do as well.",
         _new_object, lambda d: bool(_objects(d))),
    Step("A target", "Press {new-target}. A target is a copy of the base with the same points in the same order; it stands on "
         "a card at the left.",
         lambda d, e: _count(d.scene) > e.targets, lambda d: _count(d.scene) > 0),
    Step("Its shape", "Type a name for it, and Enter. Then press {shape}: the view wears a frame while you shape. Take the "
         "brush Grab with {tool-grab}, and drag on the form.",
         lambda d, _e: _has_shape(d), _has_shape),
    Step("The mix", "Press {done}: now you are mixing. Drag the bar on the target’s card, and see how far it goes.", _mixed),
    Step("A first key", "Slide the bar to 0 and press {key}. The dot at the lane’s head, below the view, fills: at this frame "
         "the weight is kept.",
         lambda d, _e: _most_keys(d) > 0, lambda d: _most_keys(d) > 0),
    Step("A second key", "Drag on the ruler above the lanes to another frame, slide the bar to 1, and press {key} again. The "
         "curve between the keys is the motion.",
         lambda d, _e: _moves(d), _moves),
    Step("Motion", "Press {play}. It plays in real time, over and over; the same key stops it.", lambda d, _e: d.playing),
)  # fmt: skip
END = (
    "You have shaped, mixed and keyed a target. {save} saves the scene, {export} hands it over, and {find} finds everything "
    "else by a few words. Where a straight way is wrong, {in-between} puts an in-between."
)


class FirstSteps:
    """How far somebody has come."""

    def __init__(self, doc: Document) -> None:
        self.doc = doc
        self.begin()

    def begin(self) -> None:
        self.at, self._entered = 0, Entered.of(self.doc)

    @property
    def over(self) -> bool:
        return self.at == len(STEPS)

    def look(self) -> bool:
        """Go on, or back to what was undone; whether that changed anything."""
        was, doc = self.at, self.doc
        gone = next((n for n, step in enumerate(STEPS[: self.at]) if not step.stands(doc)), None)
        if gone is not None and not self.over:
            self.at, self._entered = gone, Entered.of(doc)
        while not self.over and STEPS[self.at].done(doc, self._entered):
            self.at, self._entered = self.at + 1, Entered.of(doc)
        return self.at != was
