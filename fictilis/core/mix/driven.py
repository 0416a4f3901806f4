"""Weights that follow others: which targets have a rule, in which order they are found, and what they come to."""

from __future__ import annotations

from typing import Any

from fictilis.core.arrays import cached_by_identity
from fictilis.core.errors import EditRefused
from fictilis.core.scene import MorphObject, Target, targets_by_id


def gain(obj: MorphObject, target: Target) -> float:
    """By what a target's weight is multiplied before it acts: 0 while it is muted, else the factor of its group."""
    if target.muted:
        return 0.0
    group = obj.group(target.group)
    return group.factor if group else 1.0


@cached_by_identity
def driven_targets(obj: MorphObject) -> tuple[str, ...]:
    """Ids of the targets that have a rule, each behind those it is driven by. Raises EditRefused where rules go in a circle."""
    targets = targets_by_id(obj)
    out: list[str] = []
    open_: list[str] = []

    def visit(target_id: str) -> None:
        target = targets[target_id]
        if target.rule is None or target_id in out:
            return
        if target_id in open_:
            round_ = [targets[t].name for t in open_[open_.index(target_id) :]]
            raise EditRefused(f"{' drives '.join([*reversed(round_), round_[-1]])}: a corrective cannot drive itself.")
        open_.append(target_id)
        for driver in target.rule.drivers:
            visit(driver.target)
        open_.pop()
        out.append(target_id)

    for target in obj.targets:
        visit(target.id)
    return tuple(out)


def drive(obj: MorphObject, weights: dict[str, Any]) -> None:
    """Put in the weights of all correctives of an object, in place, from those of its other targets (numbers or arrays)."""
    targets = targets_by_id(obj)
    for target_id in driven_targets(obj):
        rule = targets[target_id].rule
        assert rule is not None
        weights[target_id] = rule.weight({d.target: weights[d.target] * gain(obj, targets[d.target]) for d in rule.drivers})


def drivers_of(obj: MorphObject, target: Target) -> str:
    """The names of what drives a corrective: “Contract and Lean left”."""
    names = [obj.target(d.target).name for d in target.rule.drivers] if target.rule else []
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)
