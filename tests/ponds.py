"""A pond with cues."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.edits import clips, cues, objects, relays, timeline
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.links import link_targets
from fictilis.core.edits.targets import keep_mix, target_from_points
from fictilis.core.edits.timing import set_modifiers
from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.primitives import plane
from fictilis.core.rehearsal.segment import EASES
from fictilis.core.scene.clips import choose_clip
from fictilis.core.scene.cues import (
    AFTER,
    CLICK,
    CLIP,
    END,
    EVERY,
    KEY,
    LEAD,
    LEAVE,
    MARKER,
    MIX,
    MODIFIER,
    OVER,
    QUEUE,
    RELAY,
    THENS,
    Act,
    Cue,
    Lead,
    Then,
    When,
)
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import Sound

OBJ = "o1"


@pytest.fixture(scope="module")
def pond():
    """An object with four targets, two of them a relay, a mix, a pick, markers, a sound, two clips; and a second object one of
    whose targets is linked with it."""
    points, mesh = plane(20.0, 20.0, 4, 4)
    scene, _ = objects.add_object(Scene(end=48.0), "Pad", mesh, points)
    for n, name in enumerate(("Curl", "Lift", "Near", "Far")):
        scene, _ = target_from_points(scene, OBJ, name, points + np.eye(3)[n % 3] * (1 + n))
    scene, _ = relays.make_relay(scene, OBJ, ["t3", "t4"], "Row", 0.0, 24.0)
    scene = keep_mix(scene, OBJ, "Open", {"t1": 0.8, "t2": 0.2})
    scene = objects.keep_pick(scene, OBJ, "Hem", Pick("faces", [0, 1]))
    scene = objects.keep_pick(scene, OBJ, "Tip", Pick("points", [24]))
    scene, other = objects.add_object(scene, "Bud", mesh, points * 0.5)
    scene, far = target_from_points(scene, other, "Wide", points)
    scene = link_targets(scene, [(OBJ, "t2"), (other, far)])
    scene = timeline.set_marker(timeline.set_marker(scene, 0, "Begin"), 12, "Beat")
    scene = timeline.set_sound(scene, Sound("drip.wav", b"RIFF not really"))
    scene = clips.rename_clip(*clips.duplicate_clip(scene, "Still"), "Still")
    scene, swim = clips.new_clip(scene, "Swim")
    for frame, value in ((0, 0.0), (24, 1.0), (48, 0.0)):
        scene = set_key(scene, OBJ, "t1", Key(frame, value, "linear"))
    scene = set_modifiers(scene, OBJ, "t1", (Modifier("wobble", False, 1.0, (("height", 0.3),)),))
    assert swim == "p3"
    return choose_clip(scene, "p1")


def with_cues(scene, *rows):
    for row in rows:
        scene, _ = cues.add_cue(scene, replace(row, name=row.name or "Cue"))
    return scene


def random_pond(pond, rng, count=20, shortest=0.0):
    """A pond with many cues of all kinds that meet each other."""
    scene = pond
    kinds = [LEAD] * 6 + [MIX, RELAY, CLIP, MODIFIER, END]
    for number in range(count):
        kind = kinds[rng.integers(len(kinds))]
        seconds = float(rng.uniform(shortest, 1.5))
        some = Act(kind, (Lead(OBJ, f"t{rng.integers(1, 3)}", float(rng.uniform(-1, 2))),), OBJ, "Open", "g1",
                   float(rng.uniform(0, 1)), f"p{rng.integers(2, 4)}", int(rng.integers(0, 3)), "t1", 0,
                   bool(rng.integers(2)), f"q{rng.integers(1, count + 1)}", seconds, str(rng.choice(EASES)))  # fmt: skip
        when = When((CLICK, KEY, MARKER, AFTER, EVERY)[rng.integers(5)], OBJ, key="A", marker="Beat",
                    cue=f"q{rng.integers(1, count + 1)}", seconds=float(rng.uniform(0.5, 3)))  # fmt: skip
        then = Then(float(rng.uniform(0.05, 1)), THENS[rng.integers(3)], float(rng.uniform(shortest, 1)), "",
                    f"q{rng.integers(1, count + 1)}")  # fmt: skip
        cue = Cue("", f"Cue {number}", when, some, then, (OVER, LEAVE, QUEUE)[rng.integers(3)], bool(rng.integers(2)))
        scene = with_cues(scene, cue)
    return scene
