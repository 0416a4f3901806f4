"""From numbers to coefficients, in one place: what a weight amounts to, and the shares of the columns.

Everybody who mixes asks here; nobody multiplies weights on his own.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from fictilis.core.ground.arrays import recent_by_identity
from fictilis.core.mix.channels import RECENT, values_at
from fictilis.core.mix.coefficients import coefficients, column_numbers, row_ids, weight_rows
from fictilis.core.mix.driven import gains
from fictilis.core.scene.scene import MorphObject
from fictilis.core.scene.sweep import front_of


def weights_at(
    obj: MorphObject, frame: float | np.ndarray, posed: Mapping[str, float] | None = None, fps: float = 24.0
) -> dict[str, Any]:
    """Weight of each target by id, as its slider shows it: of its lane at ``frame``, else its own; ``posed`` wins over both.
    And the front of each sweep, by the id of its channel.

    That of a corrective follows from its drivers. ``frame`` may be an array (f,); then so is each weight. ``fps`` matters to
    modifiers only, which know seconds.
    """
    at = values_at(obj, frame, posed, fps)
    return {row: at[row] for row in row_ids(obj)}


def acting_weights(obj: MorphObject, weights: Mapping[str, float | np.ndarray]) -> dict[str, float | np.ndarray]:
    """What ``weights`` by target id amount to, after mute and groups; fronts stay. A target that is not named counts as 0."""
    known = zip(row_ids(obj), gains(obj).tolist(), strict=True)
    return {row: weights[row] * factor for row, factor in known if row in weights}


def shares(obj: MorphObject, weights: Mapping[str, float | np.ndarray]) -> np.ndarray:
    """Coefficients of the columns, (c,) or (c, f), for ``weights`` as sliders show them."""
    rows = weight_rows(obj, weights)
    return coefficients(obj, rows * gains(obj).reshape(-1, *(1,) * (rows.ndim - 1)))


def shares_at(
    obj: MorphObject, frame: float | np.ndarray, posed: Mapping[str, float] | None = None, fps: float = 24.0
) -> np.ndarray:
    """Coefficients of the columns at a frame (c,), or at frames (f,) as (c, f). Those of one frame are shared: read only."""
    if np.shape(frame):
        return shares(obj, weights_at(obj, frame, posed, fps)).reshape(-1, np.size(frame))
    return _shares_at(obj, float(frame), tuple(posed.items()) if posed else (), float(fps))


@recent_by_identity(RECENT)
def _shares_at(obj: MorphObject, frame: float, posed: tuple[tuple[str, float], ...], fps: float) -> np.ndarray:
    at = values_at(obj, frame, dict(posed), fps)
    ids = row_ids(obj)
    out = coefficients(obj, np.fromiter(map(at.__getitem__, ids), np.float64, len(ids)) * gains(obj))
    out.flags.writeable = False
    return out


def solo_shares(obj: MorphObject, weights: Mapping[str, float | np.ndarray], target_id: str, at: float) -> np.ndarray:
    """Coefficients (c,) with one target acting at ``at`` whatever its slider, its group and its sweep say; a muted one stays
    away."""
    acting = acting_weights(obj, weights)
    if not obj.target(target_id).muted:
        acting[target_id] = at
        acting.pop(front_of(target_id), None)  # all of it
    return coefficients(obj, weight_rows(obj, acting))


def share_of(obj: MorphObject, target_id: str | None, at: float, of: np.ndarray) -> float:
    """How much of a change to a target (``at`` 1), to its in-between at ``at`` or to the base (None) shows in a mix of the
    coefficients ``of`` (c,)."""
    if target_id is None:
        return 1.0
    shown = of[column_numbers(obj, target_id, at)]
    return float(shown[0]) if np.ptp(shown) < 1e-9 else 0.0  # in parts only: as good as unseen
