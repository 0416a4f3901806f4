"""The paper lantern fish: a made-up lantern of paper with a tail that a relay swings, and an eye that is linked with it."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.links import link_targets
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.relays import relay_from_points, set_pose
from fictilis.core.edits.targets import target_from_points
from fictilis.core.edits.timeline import set_frame_range, set_marker
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.topology import mesh_from_faces
from fictilis.core.mix.relay import poses
from fictilis.core.scene.appearance import Appearance
from fictilis.core.scene.places import Transform
from fictilis.core.scene.scene import THROUGH, Scene

RIBS, AROUND = 15, 48
LENGTH, GIRTH = 46.0, 15.0
ACROSS, DEEP = 17, 21
STROKES = 8  # poses of the tail's way there and back
END = 64.0


def _grid(rows: int, columns: int, closed: bool) -> list[np.ndarray]:
    """Quads between rows of points laid one after another; ``closed`` around."""
    last = columns if closed else columns - 1
    r, c = (a.ravel() for a in np.meshgrid(np.arange(rows - 1), np.arange(last), indexing="ij"))
    after = (c + 1) % columns
    return list(np.stack([r * columns + c, r * columns + after, (r + 1) * columns + after, (r + 1) * columns + c], 1))


def _body(swell: float = 0.0, squash: float = 0.0) -> tuple[np.ndarray, Mesh]:
    """A paper lantern along X: ribs that stand out, paper drawn in between them."""
    rows = 4 * RIBS + 1
    t = np.linspace(0.0, 1.0, rows)
    outline = np.sin(np.pi * t**0.82) ** 0.8 * (1 - 0.28 * t) + 0.09 + 0.10 * np.clip(t - 0.86, 0, 1) * 7
    rib = np.cos(2 * np.pi * RIBS * t)
    radius = GIRTH * outline * (1 + (0.045 - 0.03 * swell) * rib) * (1 + 0.3 * swell * np.sin(np.pi * t))
    x = (t - 0.5) * LENGTH * (1 - 0.08 * swell - 0.34 * squash)
    radius = radius * (1 + 0.24 * squash * np.sin(np.pi * t))
    angle = np.arange(AROUND) * (2 * np.pi / AROUND)
    points = np.stack(
        [np.repeat(x, AROUND), np.outer(radius * 1.12, np.cos(angle)).ravel(), np.outer(radius, np.sin(angle)).ravel()], 1
    )
    faces = _grid(rows, AROUND, True)
    faces = [face[::-1] for face in faces]
    return points, mesh_from_faces(len(points), faces)


def _tail(phase: float | None = None) -> np.ndarray:
    """A pleated fan behind the body; ``phase`` 0…1 of its stroke, None for the fan at rest."""
    u, v = (a.ravel() for a in np.meshgrid(np.linspace(0, 1, DEEP), np.linspace(-1, 1, ACROSS), indexing="ij"))
    spread = 3.2 + 13.5 * u**0.9
    points = np.stack([LENGTH * 0.47 + 21.0 * u * (1 - 0.16 * v**2), spread * v, 0.55 * np.cos(np.pi * 8 * v) * u], 1)
    if phase is None:
        return points
    turn = 0.85 * np.sin(2 * np.pi * phase - 1.5 * u) * u + 0.22 * np.sin(2 * np.pi * phase) * u**2
    out = points.copy()
    out[:, 2] += 15.0 * turn
    out[:, 0] -= 5.5 * turn**2
    out[:, 1] *= 1 + 0.16 * np.cos(4 * np.pi * phase) * u
    return out


def _eye() -> tuple[np.ndarray, Mesh]:
    """A ball that looks along Z."""
    rows, around = 13, 24
    theta, phi = np.linspace(0, np.pi, rows)[1:-1], np.arange(around) * (2 * np.pi / around)
    ring = np.stack([np.outer(np.sin(theta), np.cos(phi)).ravel(), np.outer(np.sin(theta), np.sin(phi)).ravel(),
                     np.repeat(np.cos(theta), around)], 1)  # fmt: skip
    points = 2.7 * np.concatenate([ring, [[0, 0, 1], [0, 0, -1]]])
    faces = [face[::-1] for face in _grid(rows - 2, around, True)]
    last, top, bottom = (rows - 3) * around, len(points) - 2, len(points) - 1
    for c in range(around):
        n = (c + 1) % around
        faces += [np.array([top, c, n]), np.array([bottom, last + n, last + c])]
    return points, mesh_from_faces(len(points), faces)


def _keyed(scene: Scene, object_id: str, channel: str, rows: tuple[tuple[float, float], ...]) -> Scene:
    for frame, value in rows:
        scene = set_key(scene, object_id, channel, Key(frame, value))
    return scene


def lantern_fish() -> Scene:
    """The paper lantern fish as a scene of 64 frames at 24: its tail swings in a relay of eight shapes that closes."""
    scene = set_frame_range(Scene("Paper lantern fish"), 0.0, END)
    points, mesh = _body()
    scene, body = add_object(scene, "Body", mesh, points, Appearance("#D9A35F"))
    scene, swell = target_from_points(scene, body, "Swell", _body(swell=1.0)[0])
    scene, squash = target_from_points(scene, body, "Squash", _body(squash=1.0)[0])
    rest = _tail()
    fan = mesh_from_faces(len(rest), _grid(DEEP, ACROSS, False))
    scene, tail = add_object(scene, "Tail", fan, rest, Appearance("#C4685A"))
    strokes = [(f"Stroke {n + 1}", _tail(n / STROKES)) for n in range(STROKES)]
    scene, row = relay_from_points(scene, tail, strokes, "Swing", 0.0, END / 2 * (1 - 1 / STROKES), "linear", THROUGH)
    first = poses(scene.object(tail), row)[0].shape
    scene = set_pose(scene, tail, row, END / 2, first)
    lane = scene.object(tail).lane(row)
    assert lane is not None
    scene = scene.with_object(scene.object(tail).with_lane(row, replace(lane.curve, after="repeat")))
    ball, sphere = _eye()
    place = Transform(position=(-LENGTH * 0.31, 3.2, GIRTH * 0.72))
    scene, eye = add_object(scene, "Eye", sphere, ball, Appearance("#3A4A57"))
    scene = scene.with_object(replace(scene.object(eye), transform=place))
    scene, wide = target_from_points(scene, eye, "Swell", ball * 1.22 + [0, 0, 2.6])
    pulse = ((0.0, 0.0), (18.0, 0.9), (30.0, 0.9), (50.0, 0.0), (END, 0.0))
    scene = _keyed(link_targets(scene, [(body, swell), (eye, wide)]), body, swell, pulse)
    scene = _keyed(scene, body, squash, ((0.0, 0.0), (50.0, 0.0), (56.0, 0.5), (END, 0.0)))
    bob = ((0.0, 0.0), (22.0, 1.8), (46.0, -1.4), (END, 0.0))
    for object_id, height in ((body, 0.0), (tail, 0.0), (eye, place.position[1])):
        scene = _keyed(scene, object_id, "position.y", tuple((frame, height + y) for frame, y in bob))
    return set_marker(scene, 18.0, "Glow")
