"""Operations on correctives: made for a mix, their drivers, and made plain again."""

from __future__ import annotations

from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits import correctives as edits
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Choice, Number, Parameter, Text
from fictilis.core.mix.channels import channel
from fictilis.core.mix.following import acting_now, full_at, rule_of
from fictilis.core.operations.table import Operation, OtherTarget, Subject, Values, curve_points, named
from fictilis.core.scene.rules import HOWS, LEAST, Follow
from fictilis.core.scene.scene import Scene
from fictilis.core.validity.targets import followed

HOW = Choice("how", "Together", HOWS[0], options=tuple((how, how.capitalize(), how) for how in HOWS))
AT = Number("at", "In full at", None, asked=False, low=-1e6, high=1e6)
WITHIN = Number("within", "Fades within", None, asked=False, low=LEAST, high=1e6)


class _DriverTarget(OtherTarget, frozen=True):
    """A target that drives the corrective, or (not ``known``) one that might."""

    known: bool = False

    def options(self, subject: Subject) -> list[tuple[str, str | None]]:
        rule = subject.target.rule if subject.targets else None
        drivers = {d.target for d in rule.drivers} if rule else set()
        return [(name, t) for name, t in super().options(subject) if (t in drivers) is self.known]


def _weights(s: Subject, given: str | None) -> dict[str, float]:
    """What is to drive, and at which weights: the selected targets where there are several, else all that act."""
    weights = acting_now(s.obj, s.weights)
    acting = [t.id for t in s.obj.targets if t.id in weights and t.rule is None]
    chosen = [t.id for t in s.obj.targets if t.id in s.targets] if len(s.targets) > 1 else acting
    if given:
        chosen = list(s.targets)  # in the order in which they are named, as the weights are
        try:
            numbers = [float(word) for word in given.split(",")]
        except ValueError:
            raise EditRefused(f"“{given}” is no list of weights, such as 1,0.6.") from None
        if len(numbers) != len(chosen):
            raise EditRefused(f"{len(numbers)} weights are given for {len(chosen)} targets.")
        return dict(zip(chosen, numbers, strict=True))
    still = [s.obj.target(t).name for t in chosen if t not in weights]
    if still:
        raise EditRefused(f"{' and '.join(still)} stands at 0; set the targets as they go wrong together first.")
    if len(chosen) < 2:
        raise EditRefused("A corrective needs two targets that act; set them as they go wrong together first.")
    return {t: full_at(s.obj, s.weights, t) for t in chosen}


def _driver(s: Subject, v: Values) -> Scene:
    rule = rule_of(s.scene, s.obj.id, s.target_id)
    known = any(d.target == v["driver"] for d in rule.drivers)
    values = {"width": v["within"]} if v["within"] is not None else {}
    if v["at"] is not None:
        values["at"] = v["at"]
    elif not known:
        values["at"] = full_at(s.obj, s.weights, v["driver"])
    return edits.set_driver(s.scene, s.obj.id, s.target_id, v["driver"], **values)


def _plain(s: Subject, _v: Values) -> Scene:
    return edits.set_rule(s.scene, s.obj.id, s.target_id, None, s.weights.get(s.target_id, 0.0))


class FollowSource(Parameter, frozen=True):
    """A number of the object that a weight may follow: another target, or where the object is."""

    def options(self, subject: Subject) -> list[tuple[str, str]]:
        others = [(t.name, t.id) for t in subject.obj.targets if t.id not in subject.targets[-1:]]
        return [*others, *((name, channel_id) for channel_id, name in followed(subject.obj).items())]

    def checked(self, value: object, subject: Subject) -> str:
        known = dict(self.options(subject))
        if value in known.values():
            return str(value)
        return known[str(value)] if value in known else subject.obj.target_named(str(value)).id


def _follow(s: Subject, v: Values) -> Scene:
    """By a curve that is given as NUMBER=WEIGHT, or over the usual range of what is followed."""
    what = channel(s.obj, v["source"])
    rows = [(max(what.low, min(what.rest, 0.0)), 0.0), (what.high, 1.0)]
    if v["curve"]:
        rows = curve_points(v["curve"])
    curve = AnimationCurve.of([Key(at, weight, v["way"]) for at, weight in rows])
    return edits.set_follow(s.scene, s.obj.id, s.target_id, Follow(v["source"], curve))


CORRECTIVES = (
    Operation("target", "corrective", "Corrective for this mix",
              lambda s, v: named(edits.add_corrective(s.scene, s.obj.id, _weights(s, v["at"]), how=v["how"]), s, v["name"]),
              (Text("at", "Driven in full at", asked=False), replace(HOW, asked=False), Text("name", "Name", asked=False)),
              ("any target",),
              "A target that comes up where others act together, to correct the shape they make.", done="Corrective"),
    Operation("target", "driver", "Add driver", _driver,
              (_DriverTarget("driver", "Driver", needed=True), AT, WITHIN), ("corrective",),
              "Adds a target that drives this one: in full at a weight, or fading on both sides of it.", "Take it",
              "Driver added to {target}", "Driver of {target}"),
    Operation("target", "no-driver", "Remove driver",
              lambda s, v: edits.drop_driver(s.scene, s.obj.id, s.target_id, v["driver"]),
              (_DriverTarget("driver", "Driver", needed=True, known=True),), ("corrective",),
              "The other drivers stay.", "Remove it",
              "Take a driver of {target} away", "Remove a driver of {target}"),
    Operation("target", "together", "How drivers combine",
              lambda s, v: edits.set_how(s.scene, s.obj.id, s.target_id, v["how"]), (HOW,), ("corrective",),
              "Drivers are multiplied, or the smallest of them counts.", "Set it", "Drivers of {target}",
              "Drivers of {target}"),
    Operation("target", "follow", "Follow another number", _follow,
              (FollowSource("source", "Follows", needed=True), Text("curve", "Curve of points NUMBER=WEIGHT", asked=False),
               Choice("way", "From point to point", "linear", options=tuple((w, w.capitalize(), w) for w in ("linear", "smooth",
                                                                                                             "hold")))),
              ("target",), "Another weight, or the object's motion, drives this weight through a curve.", "Follow it",
              "What {target} follows", "{target} follows another number"),
    Operation("target", "plain", "Remove all drivers", _plain, (), ("driven",),
              "Removes what drives it; it keeps the weight it has now.",
              done="Make {target} plain"),
)  # fmt: skip
