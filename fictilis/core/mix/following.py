"""What drives which weight, and what it comes to."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.acting import acting_weights
from fictilis.core.mix.channels import values_at
from fictilis.core.scene.rules import LEAST, Follow, Rule
from fictilis.core.scene.scene import MorphObject, Scene


def acting_now(obj: MorphObject, weights: Mapping[str, float]) -> dict[str, float]:
    """What weights at one frame come to after mute and groups, where that is enough to drive something."""
    acting = {target_id: float(weight) for target_id, weight in acting_weights(obj, weights).items()}
    return {target_id: weight for target_id, weight in acting.items() if abs(weight) >= LEAST}


def full_at(obj: MorphObject, weights: Mapping[str, float], target_id: str) -> float:
    """The acting weight at which a target drives in full from now on: what it is by now, or 1 where it does not act."""
    return round(acting_now(obj, weights).get(target_id, 1.0), 4)


def follow_of(scene: Scene, object_id: str, target_id: str) -> Follow:
    """Raises EditRefused for a target that follows no number."""
    target = scene.object(object_id).target(target_id)
    if target.follows is None:
        raise EditRefused(f"{target.name} follows no number; it has a weight of its own.")
    return target.follows


def rule_of(scene: Scene, object_id: str, target_id: str) -> Rule:
    """Raises EditRefused for a target that nothing drives."""
    target = scene.object(object_id).target(target_id)
    if target.rule is None:
        raise EditRefused(f"{target.name} is no corrective; nothing drives it.")
    return target.rule


def followers(obj: MorphObject, sources: Collection[str]) -> list[str]:
    """Ids of the targets that follow one of some channels or targets."""
    return [t.id for t in obj.targets if t.follows is not None and t.follows.source in sources]


def weights_kept(obj: MorphObject, targets: Collection[str], frame: float, fps: float) -> dict[str, float]:
    """The weights that targets have at a frame, by id: what they keep when that which leads them goes."""
    values = values_at(obj, frame, None, fps) if targets else {}
    return {target_id: float(values[target_id]) for target_id in targets}
