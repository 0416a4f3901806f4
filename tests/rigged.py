"""Small rigs for tests: a chain of joints, and an object that hangs on it."""

import numpy as np

from fictilis.core.animation.sampled import LINEAR
from fictilis.core.edits.rigs import play_clip, set_skin
from fictilis.core.rig.posing import euler_matrices, quaternions
from fictilis.core.scene.rigs import ROTATION, SCALE, TRANSLATION, Bound, Rig, RigClip, RigTrack, Skin

WAVE, STRETCH = "Wave", "Stretch"


def chain(joints=3, long=4.0, seconds=0.5):
    """Joints one above the other, with a clip that turns all of them and one that moves and stretches the last."""
    matrices = np.tile(np.eye(4), (joints, 1, 1))
    matrices[1:, 1, 3] = long
    numbers = np.tile([0.0, 0, 0, 0, 0, 0, 1, 1, 1, 1], (joints, 1))
    numbers[1:, 1] = long
    times = np.linspace(0, seconds, 5)
    turned = [np.stack([20.0 * np.sin(4 * times + n), 50.0 * n * times, 30.0 * times], 1) for n in range(joints)]
    wave = [RigTrack(n, ROTATION, LINEAR, times, quaternions(euler_matrices(rows))) for n, rows in enumerate(turned)]
    grown = np.stack([1 + times, 1 + times, 1 + times], 1)
    lifted = np.stack([0 * times, long + times, times], 1)
    stretch = [RigTrack(joints - 1, SCALE, LINEAR, times, grown), RigTrack(joints - 1, TRANSLATION, LINEAR, times, lifted)]
    names = tuple(f"Joint {n}" for n in range(joints))
    return Rig("Chain", names, np.arange(joints) - 1, matrices, numbers, np.zeros(joints, bool),
               (RigClip(WAVE, tuple(wave)), RigClip(STRETCH, tuple(stretch))))  # fmt: skip


def bound_to(rig, points, seed=5):
    """Points that hang on four joints each, by random weights."""
    rng = np.random.default_rng(seed)
    count = len(rig.joints)
    parts = np.stack([rng.permutation(count)[: min(count, 4)] for _ in points])
    weights = rng.random(parts.shape) ** 3
    inverse = np.tile(np.eye(4), (count, 1, 1))
    inverse[:, 1, 3] = -rig.matrices[:, 1, 3].cumsum()
    return Bound(rig, np.arange(count), inverse, parts, weights / weights.sum(axis=1, keepdims=True), np.eye(4), np.eye(4))


def rigged(scene, object_id="o1", clip=WAVE, **more):
    """A scene whose object hangs on a chain and plays a clip of it."""
    rig = chain()
    scene = set_skin(scene, object_id, Skin(bound_to(rig, scene.object(object_id).base), **more))
    return play_clip(scene, object_id, clip, scene.start) if clip else scene
