"""Operations on bend, twist and taper."""

from __future__ import annotations

from typing import Any

from fictilis.core.edits import deformers as edits
from fictilis.core.edits.springs import CLOSE, bake_deformers
from fictilis.core.ground.numbers_said import in_cm
from fictilis.core.ground.parameters import Choice, Flag, Number
from fictilis.core.operations.table import Operation, Outcome, Subject, Values
from fictilis.core.scene.deformers import BEND, DEFORMERS, MOST_TAPER, MOST_TURN, TAPER, Deformer
from fictilis.core.scene.scene import Scene

ALONG = (("x", "X", "x"), ("y", "Y", "y"), ("z", "Z", "z"))
SENTENCES = {
    BEND: "Bends the object into an arc along an axis, after the mix; 0 to 1 is its whole length.",
    "twist": "Twists the object along an axis, after the mix; 0 to 1 is its whole length.",
    TAPER: "Widens or narrows the object along an axis, after the mix; 0 to 1 is its whole length.",
}


def _held(s: Subject, kind: str) -> Deformer:
    return (s.obj.deformer(kind) if s.found is not None else None) or Deformer(kind)


def _begins(kind: str, name: str) -> Any:
    return lambda s: getattr(_held(s, kind), name)


def _first_amount(kind: str) -> Any:
    """A new one does something that is seen."""
    return lambda s: _held(s, kind).amount or (0.5 if kind == TAPER else 90.0)


def _put_on(kind: str) -> Any:
    def run(s: Subject, v: Values) -> Scene:
        return edits.change_deformer(s.scene, s.obj.id, kind, on=True, **v)

    return run


def _numbers(kind: str) -> tuple[Any, ...]:
    most, unit, label = (MOST_TAPER, "", "Wider by") if kind == TAPER else (MOST_TURN, "°", "Angle")
    toward = Number("toward", "Toward", _begins(kind, "toward"), unit="°", low=-360, high=360, decimals=1)
    return (
        Number("amount", label, _first_amount(kind), unit=unit, low=-most, high=most, decimals=2 if kind == TAPER else 1),
        Choice("axis", "Along", _begins(kind, "axis"), options=ALONG),
        Number("low", "From", _begins(kind, "low"), low=-100, high=100),
        Number("high", "To", _begins(kind, "high"), low=-100, high=100),
        Number("still", "Fixed at", _begins(kind, "still"), low=-100, high=100),
        *((toward,) if kind == BEND else ()),
    )


def _rest(kind: str) -> Any:
    return lambda s, v: edits.change_deformer(s.scene, s.obj.id, kind, on=bool(v["off"]))


def _none(kind: str) -> Any:
    return lambda s, _v: edits.leave_deformer(s.scene, s.obj.id, kind)


def _bake(s: Subject, v: Values) -> Outcome:
    scene, ids, off = bake_deformers(s.scene, s.obj.id, v["within"])
    count = f"{len(ids)} target{'' if len(ids) == 1 else 's'}"
    said = f"{count} move {s.obj.name} as it was bent, up to {in_cm(off)} off at a frame."
    return Outcome(scene, targets=tuple(ids[-1:]), said=said)


def _of(kind: str) -> tuple[Operation, ...]:
    word = kind.capitalize()
    return (
        Operation("deform", kind, word, _put_on(kind), _numbers(kind), ("object",), SENTENCES[kind], f"{word} it",
                  done=f"{word} {{object}}"),
        Operation("deform", f"rest-{kind}", f"{word} on", _rest(kind), (Flag("off", "On again", asked=False),),
                  ("object", kind), "Off, it does nothing and keeps its numbers and its lane.",
                  done=f"{word} of {{object}} off"),
        Operation("deform", f"no-{kind}", f"Remove {kind}", _none(kind), (), ("object", kind), "Removes it and its lane.",
                  done=f"Remove {kind} of {{object}}"),
    )  # fmt: skip


DEFORMS = (
    *(operation for kind in DEFORMERS for operation in _of(kind)),
    Operation("deform", "fit", "Fit to the shape as it is", lambda s, _v: edits.fit_deformers(s.scene, s.obj.id), (),
              ("object", "deformed"), "Bend, twist and taper run from end to end of the base as it is now.",
              done="Fit bend, twist and taper of {object}"),
    Operation("deform", "bake", "Targets from bend, twist and taper", _bake,
              (Number("within", "Within", CLOSE, unit="cm", low=1e-6, high=1e3, decimals=4),), ("object", "deformed"),
              "Makes targets with a key at each frame that give the same motion, and removes the deformers.", "Make them",
              done="Targets from bend, twist and taper of {object}"),
)  # fmt: skip
