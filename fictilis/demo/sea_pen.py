"""The sea pen: a made-up feather of the sea floor whose stalk and leaves hang on one rig, swaying and bowing by its clips."""

from __future__ import annotations

import numpy as np

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.sampled import LINEAR
from fictilis.core.edits.correctives import set_follow
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.rigs import play_clip, set_skin
from fictilis.core.edits.targets import target_from_points
from fictilis.core.edits.timeline import set_frame_range
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.topology import mesh_from_faces
from fictilis.core.rig.posing import euler_matrices, quaternions
from fictilis.core.scene.appearance import Appearance
from fictilis.core.scene.rigs import ROTATION, Bound, Rig, RigClip, RigTrack, Skin, angle_id
from fictilis.core.scene.rules import Follow
from fictilis.core.scene.scene import Scene
from fictilis.demo.lantern_fish import _grid

HIGH = 60.0
JOINTS = 6  # of the stalk, above the foot
AROUND, ROWS = 20, 49
PAIRS, LONG, WIDE = 11, 9, 5
SECONDS = 4.0


def _heights() -> np.ndarray:
    """(j,): where the joints are, the foot first."""
    return np.concatenate([[0.0], np.linspace(6.0, HIGH * 0.86, JOINTS)])


def _stalk(swell: float = 0.0) -> tuple[np.ndarray, Mesh]:
    t = np.linspace(0.0, 1.0, ROWS)
    radius = 2.3 * (1 - t) ** 0.7 + 0.55 + 2.6 * np.exp(-(((t - 0.06) / 0.07) ** 2)) * (1 + 0.5 * swell)
    radius *= np.where(t > 0.985, 0.35, 1.0)
    angle = np.arange(AROUND) * (2 * np.pi / AROUND)
    points = np.stack([np.outer(radius, np.sin(angle)).ravel(), np.repeat(t * HIGH, AROUND),
                       np.outer(radius, np.cos(angle)).ravel()], 1)  # fmt: skip
    ends = [[0.0, 0.0, 0.0], [0.0, HIGH + 0.6, 0.0]]
    faces = _grid(ROWS, AROUND, True)
    last, low = (ROWS - 1) * AROUND, ROWS * AROUND
    for c in range(AROUND):
        n = (c + 1) % AROUND
        faces += [np.array([low, n, c]), np.array([low + 1, last + c, last + n])]
    every = np.concatenate([points, ends])
    return every, mesh_from_faces(len(every), faces)


def _leaves(open_: float = 0.0, shut: float = 0.0) -> tuple[np.ndarray, Mesh]:
    """Two rows of leaves that stand out to both sides, each a curved blade."""
    blades: list[np.ndarray] = []
    faces: list[np.ndarray] = []
    u, v = (a.ravel() for a in np.meshgrid(np.linspace(0, 1, LONG), np.linspace(-1, 1, WIDE), indexing="ij"))
    for n in range(PAIRS):
        part = n / (PAIRS - 1)
        foot = HIGH * (0.30 + 0.62 * part)
        long = (13.5 * np.sin(np.pi * (0.18 + 0.72 * part)) + 2.0) * (1 - 0.25 * shut)
        lift = np.radians(34 + 30 * part - 26 * open_ + 46 * shut)
        out = 0.8 + long * u * np.cos(lift * (0.55 + 0.45 * u))
        up = long * u * np.sin(lift * (0.55 + 0.45 * u))
        width = (0.55 + 1.9 * np.sin(np.pi * np.minimum(u * 0.92 + 0.06, 1.0))) * (1 + 0.25 * open_)
        depth = v * width + 1.4 * u**2 * (1 + open_)
        ruffle = 0.22 * np.cos(5 * np.pi * u) * np.abs(v) * (1 + open_)
        for side in (-1.0, 1.0):
            first = len(blades) * len(u)
            blades.append(np.stack([side * out, foot + up + ruffle, depth], 1))
            made = [face + first for face in _grid(LONG, WIDE, False)]
            faces += made if side > 0 else [face[::-1] for face in made]
    points = np.concatenate(blades)
    return points, mesh_from_faces(len(points), faces)


def _turned(name: str, curves: list[np.ndarray], times: np.ndarray) -> RigClip:
    """A clip that turns the joints of the stalk by degrees (k, 3) each."""
    tracks = [RigTrack(n, ROTATION, LINEAR, times, quaternions(euler_matrices(rows))) for n, rows in enumerate(curves, 1)]
    return RigClip(name, tuple(tracks))


def sea_pen_rig() -> Rig:
    """A foot and six joints above it, with the clips *Sway* and *Bow* of four seconds each."""
    heights = _heights()
    count = len(heights)
    matrices = np.tile(np.eye(4), (count, 1, 1))
    matrices[:, 1, 3] = np.diff(heights, prepend=0.0)
    numbers = np.tile([0.0, 0, 0, 0, 0, 0, 1, 1, 1, 1], (count, 1))
    numbers[:, 1] = matrices[:, 1, 3]
    times = np.linspace(0.0, SECONDS, 33)
    phase = 2 * np.pi * times / SECONDS
    sway = [np.stack([3 * np.cos(phase - 0.5 * n), 0 * phase, 9 * np.sin(phase - 0.45 * n)], 1) for n in range(JOINTS)]
    deep = np.sin(phase / 2) ** 2
    bow = [np.stack([(9 + 5 * n) * deep, 0 * phase, 0 * phase], 1) for n in range(JOINTS)]
    names = ("Foot", *(f"Stem {n}" for n in range(1, count)))
    return Rig(
        "Sea pen", names, np.arange(count) - 1, matrices, numbers, np.zeros(count, bool),
        (_turned("Sway", sway, times), _turned("Bow", bow, times)),
    )  # fmt: skip


def _bound(rig: Rig, heights_of: np.ndarray) -> Bound:
    """Each point between the two joints it is between."""
    heights = _heights()
    below = np.clip(np.searchsorted(heights, heights_of) - 1, 0, len(heights) - 2)
    part = np.clip((heights_of - heights[below]) / (heights[below + 1] - heights[below]), 0.0, 1.0)
    part = part * part * (3 - 2 * part)
    inverse = np.tile(np.eye(4), (len(heights), 1, 1))
    inverse[:, 1, 3] = -heights
    return Bound(rig, np.arange(len(heights)), inverse, np.stack([below, below + 1], 1), np.stack([1 - part, part], 1),
                 np.eye(4), np.eye(4))  # fmt: skip


def sea_pen() -> Scene:
    """The sea pen as a scene of 96 frames at 24: it bows, its leaves open, and a crease comes where its stalk is bent."""
    scene = set_frame_range(Scene("Sea pen"), 0.0, 24 * SECONDS)
    rig = sea_pen_rig()
    points, mesh = _stalk()
    scene, stalk = add_object(scene, "Stalk", mesh, points, Appearance("#B5654A"))
    scene, _ = target_from_points(scene, stalk, "Swell", _stalk(swell=1.0)[0])
    low, high = HIGH * 0.44, HIGH * 0.66
    ridge = np.exp(-(((points[:, 1] - (low + high) / 2) / 5.0) ** 2)) * (0.5 + 0.5 * np.cos(points[:, 1] * 1.7))
    aside = np.sign(points[:, 0]) * (np.abs(points[:, 0]) > 0.3)
    creased = points + np.stack([0.55 * ridge * aside, 0 * ridge, 0.9 * ridge], 1)
    scene, crease = target_from_points(scene, stalk, "Crease", creased)
    blades, leaf = _leaves()
    scene, leaves = add_object(scene, "Leaves", leaf, blades, Appearance("#D98E7A"))
    scene, opened = target_from_points(scene, leaves, "Open", _leaves(open_=1.0)[0])
    scene, shut = target_from_points(scene, leaves, "Withdraw", _leaves(shut=1.0)[0])
    foot = np.repeat(HIGH * (0.30 + 0.62 * np.arange(PAIRS) / (PAIRS - 1)), 2 * LONG * WIDE)
    scene = set_skin(scene, stalk, Skin(_bound(rig, points[:, 1])))
    scene = set_skin(scene, leaves, Skin(_bound(rig, foot)))
    scene = play_clip(scene, stalk, "Bow")
    curve = AnimationCurve((Key(8.0, 0.0, "linear"), Key(28.0, 1.0, "linear")))
    scene = set_follow(scene, stalk, crease, Follow(angle_id(4, "x"), curve))
    for object_id, target, rows in (
        (leaves, opened, ((0.0, 0.0), (30.0, 1.0), (60.0, 0.8), (96.0, 0.0))),
        (leaves, shut, ((44.0, 0.0), (52.0, 0.45), (70.0, 0.0))),
    ):
        for frame, value in rows:
            scene = set_key(scene, object_id, target, Key(frame, value))
    return scene
