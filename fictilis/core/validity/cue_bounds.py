"""What a cue may be."""

from __future__ import annotations

import numpy as np

from fictilis.core.ground.errors import EditRefused
from fictilis.core.rehearsal.segment import damping_of
from fictilis.core.scene.cues import (
    ACTS,
    LEAST_EVERY,
    LONGEST,
    LONGEST_WAIT,
    MEETINGS,
    MOST_TIMES,
    THENS,
    WHENS,
    Cue,
)


def checked_cue(some: Cue) -> Cue:
    """The cue. Raises EditRefused for kinds, easings and numbers that cannot be."""
    when, act, then, name = some.when, some.act, some.then, some.name
    for value, known, what in (
        (when.kind, WHENS, "waits for"), (act.kind, ACTS, "does"), (then.kind, THENS, "goes on with"),
        (some.meets, MEETINGS, "meets others by"),
    ):  # fmt: skip
        if value not in known:
            raise EditRefused(f"{name} {what} “{value}”; that is one of {', '.join(known)}.")
    for number, low, high, what in (
        (when.seconds, LEAST_EVERY, LONGEST_WAIT, "is repeated every so many seconds"), (act.seconds, 0, LONGEST, "takes"),
        (then.wait, 0, LONGEST_WAIT, "waits"), (then.seconds, 0, LONGEST, "comes back in"), (act.times, 0, MOST_TIMES, "plays"),
        (act.place, 0, 1e6, "leads a relay to"), (act.modifier, 0, 1000, "turns the motion"),
        *((lead.to, -1e6, 1e6, "leads to") for lead in act.leads),
    ):  # fmt: skip
        if not (np.isfinite(number) and low <= number <= high):
            raise EditRefused(f"{name} {what} {number:g}; that is from {low:g} to {high:g}.")
    for ease in (act.ease, then.ease):
        if ease:
            damping_of(ease)
    if not act.ease:
        raise EditRefused(f"{name} has no easing; use linear, for instance.")
    return some
