"""The side column's section of a weight that follows one number: the curve that leads it, with points to be dragged."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QLabel

from fictilis.app.model.document import Document
from fictilis.app.side.curve_section import CurveSection
from fictilis.app.widgets.curve_plot import Bounds, CurvePlot
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits import correctives as edits
from fictilis.core.ground.errors import there
from fictilis.core.mix.channels import channel
from fictilis.core.mix.driven import gain
from fictilis.core.scene.rules import Follow
from fictilis.core.scene.scene import Scene, Target, targets_by_id
from fictilis.core.validity.targets import followed


class FollowPlot(CurvePlot):
    """The curve: the number that is followed from left to right, the weight upwards."""

    def followed(self) -> tuple[Target, Follow] | None:
        target = self.doc.target
        return (target, target.follows) if target is not None and target.follows is not None else None

    def curve(self) -> AnimationCurve | None:
        found = self.followed()
        return found[1].curve if found and self.doc.object is not None else None

    def owner(self) -> str:
        return there(self.doc.target).name

    def colour(self) -> str:
        return there(self.doc.target).colour

    def bounds(self) -> Bounds:
        found = self.followed()
        if found is None or self.doc.object is None:
            return 0.0, 1.0, 0.0, 1.0
        target, follow = found
        what = channel(self.doc.object, follow.source)
        at, weights = [k.frame for k in follow.curve.keys], [k.value for k in follow.curve.keys]
        low, high = min(what.low, *at), max(what.high, *at)
        return low, max(high, low + 1e-6), min(target.range[0], *weights), max(target.range[1], *weights)

    def now(self) -> float | None:
        found, obj = self.followed(), self.doc.obj
        if found is None:
            return None
        values = self.doc.channels.values(obj)
        source = targets_by_id(obj).get(found[1].source)
        return values[found[1].source] * (gain(obj, source) if source is not None else 1.0)

    def feet(self) -> tuple[str, str, str]:
        low, high = self.bounds()[:2]
        follow, now = there(there(self.doc.target).follows), self.now() or 0.0
        unit = channel(self.doc.obj, follow.source).unit
        return f"{low:g}", f"now {now:.2f} → {float(follow.curve.evaluate(now)):.2f}", f"{high:g} {unit}"

    def with_keys(self, scene: Scene, keys: Sequence[Key]) -> Scene:
        return edits.set_follow_keys(scene, self.doc.obj.id, there(self.doc.target).id, list(keys))


class FollowSection(CurveSection[FollowPlot]):
    """Shown for a target that follows one number."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.source = self.chooser("The number that is followed", self._follow_other)
        self.add(Labelled("Follows", self.source))
        at, weight = NumberField("Number followed at the point", "", 2), NumberField("Weight at the point", "", 2)
        self.add_curve(FollowPlot(doc, palette, "Curve that leads the weight"), at, weight, "From point to point")
        hint = QLabel("A double click adds a point, Delete takes the chosen one away.")
        hint.setWordWrap(True)
        hint.setProperty("quiet", True)
        self.add(hint)

    def subject(self) -> object:
        target = self.doc.target
        return self.doc.openings, self.doc.object_id, target and target.id, self.plot.chosen

    def _follow_other(self, row: int) -> None:
        """Another number is followed, by the same curve."""
        doc, found, source = self.doc, self.plot.followed(), self.source.itemData(row)
        if found is not None and source != found[1].source:
            target, follow = found
            other = Follow(source, AnimationCurve(follow.curve.keys, follow.curve.before, follow.curve.after))
            doc.edit(f"{target.name} follows {self.source.itemText(row)}",
                     lambda s: edits.set_follow(s, doc.obj.id, target.id, other))  # fmt: skip
        self.refresh()

    def refresh(self) -> None:
        found, obj = self.plot.followed(), self.doc.object
        self.setVisible(found is not None)
        if found is None or obj is None:
            return
        target, follow = found
        self.set_heading(f"What {target.name} follows")
        self.source.clear()
        for other in obj.targets:
            if other.id != target.id:
                self.source.addItem(other.name, other.id)
        for channel_id, name in followed(obj).items():
            self.source.addItem(name, channel_id)
        self.source.setCurrentIndex(self.source.findData(follow.source))
        self.show_values()
