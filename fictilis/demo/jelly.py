"""The Moon jelly: a made-up bell with trailing arms and threads, its targets, and two pulses that loop."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits.correctives import add_corrective
from fictilis.core.edits.cues import add_cue
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.targets import set_path, set_range, target_from_points
from fictilis.core.edits.timeline import set_marker
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.scene.cues import BACK, CLICK, KEY, Act, Cue, Lead, Then, When
from fictilis.core.scene.scene import Deltas, InBetween, Scene

SEGMENTS, OUTER, INNER = 80, 32, 16
RADIUS, HEIGHT = 34.0, 27.0
BELL, ARM, THREAD = 0, 1, 2


class _Builder:
    """Collects points with what the targets need to know of each: its part, how far down it hangs, its angle."""

    def __init__(self) -> None:
        self.points: list[np.ndarray] = []
        self.part: list[np.ndarray] = []
        self.down: list[np.ndarray] = []
        self.angle: list[np.ndarray] = []
        self.faces: list[np.ndarray] = []
        self.count = 0

    def add(self, points: np.ndarray, part: int, down: np.ndarray | float, angle: np.ndarray | float) -> int:
        first = self.count
        self.points.append(points)
        self.part.append(np.full(len(points), part))
        self.down.append(np.broadcast_to(down, len(points)))
        self.angle.append(np.broadcast_to(angle, len(points)))
        self.count += len(points)
        return first

    def grid(self, first: int | np.ndarray, rings: int, around: int) -> np.ndarray:
        """(…, (rings − 1) · around, 4): quads between rings of points laid one after another from ``first``, closed around."""
        r, c = (a.ravel() for a in np.meshgrid(np.arange(rings - 1), np.arange(around), indexing="ij"))
        after = (c + 1) % around
        quads = np.stack([r * around + c, (r + 1) * around + c, (r + 1) * around + after, r * around + after], 1)
        return np.asarray(first)[..., None, None] + quads

    def cap(self, ring: int, around: int, tip: int, up: bool) -> None:
        a = ring + np.arange(around)
        b = ring + (np.arange(around) + 1) % around
        self.faces.append(np.stack([np.full(around, tip), *((a, b) if up else (b, a))], 1))

    def mesh(self) -> Mesh:
        sizes = np.concatenate([np.full(len(rows), rows.shape[1]) for rows in self.faces])
        corners = np.concatenate([rows.ravel() for rows in self.faces]).astype(np.int32)
        return Mesh(self.count, corners, np.concatenate([[0], np.cumsum(sizes)]))


def _bell(build: _Builder) -> None:
    theta = np.arange(SEGMENTS) * (2 * np.pi / SEGMENTS)
    outer = np.linspace(0, 1, OUTER + 1)[1:]
    inner = np.linspace(1, 0.08, INNER)

    def ring(s: np.ndarray, inside: bool) -> np.ndarray:
        phi = s[:, None] * np.radians(104)
        lappets = 1 + 0.035 * np.cos(16 * theta) * np.clip((s[:, None] - 0.72) / 0.28, 0, 1) ** 2
        depth = 1.0 - (0.10 + 0.12 * (1 - s[:, None])) * inside
        radius = RADIUS * np.sin(phi) ** 0.92 * lappets * (1 - 0.035 * inside)
        y = HEIGHT * np.cos(phi) * depth - 1.6 * np.clip((s[:, None] - 0.8) / 0.2, 0, 1) * (1 + np.cos(16 * theta))
        return np.stack([radius * np.sin(theta), np.broadcast_to(y, radius.shape), radius * np.cos(theta)], -1)

    top = build.add(np.array([[0.0, HEIGHT, 0.0]]), BELL, 0.0, 0.0)
    shell = np.concatenate([ring(outer, False), ring(inner, True)])
    s = np.concatenate([outer, inner])
    first = build.add(shell.reshape(-1, 3), BELL, np.repeat(s, SEGMENTS), np.tile(theta, len(s)))
    rings = len(s)
    low = build.add(np.array([[0.0, 0.78 * HEIGHT, 0.0]]), BELL, 0.0, 0.0)
    build.faces.append(build.grid(first, rings, SEGMENTS))
    build.cap(first, SEGMENTS, top, True)
    build.cap(first + (rings - 1) * SEGMENTS, SEGMENTS, low, False)


def _strands(build: _Builder, part: int, starts: np.ndarray, lengths: np.ndarray, thick: float, rings: int, around: int,
             angles: np.ndarray, frill: float) -> None:  # fmt: skip
    """As many strands as there are angles (k,); ``starts`` (k, 3)."""
    t, count = np.linspace(0, 1, rings), len(angles)
    turn, angle = np.arange(around) * (2 * np.pi / around), angles[:, None]
    none = np.zeros((count, rings))
    sway = np.stack([np.sin(t * 5 + 3 * angle), none, np.cos(t * 4 + 2 * angle)], -1) * (3.2 * t**1.3)[:, None]
    inward = -np.stack([np.sin(angles), np.zeros(count), np.cos(angles)], 1)[:, None] * (4.0 * np.sin(t * np.pi * 0.8))[:, None]
    down = np.stack([none, -lengths[:, None] * t, none], -1)
    line = starts[:, None] + down + sway + inward * (part == ARM)
    width = thick * (1 - 0.82 * t**1.4) * (1 + frill * np.sin(t * 26 + angle * 4))
    circle = np.stack([np.sin(turn + angle), np.zeros((count, around)), np.cos(turn + angle)], -1)
    circle[..., [0, 2]] *= 1 + 0.5 * frill * np.cos(2 * turn)[:, None]
    points = line[:, :, None] + width[..., None, None] * circle[:, None]
    each = rings * around
    first = build.add(points.reshape(-1, 3), part, np.tile(np.repeat(t, around), count), np.repeat(angles, each))
    firsts = first + each * np.arange(count)
    quads, ends = build.grid(firsts, rings, around), np.arange(around)
    for k, begin in enumerate(firsts):
        build.faces += [quads[k], (begin + ends)[None], (begin + each - around + ends[::-1])[None]]


def _model() -> tuple[np.ndarray, Mesh, np.ndarray, np.ndarray, np.ndarray]:
    build = _Builder()
    _bell(build)
    k = np.arange(4)
    angle = k * np.pi / 2 + 0.5
    start = np.stack([5.0 * np.sin(angle), np.full(4, 0.72 * HEIGHT), 5.0 * np.cos(angle)], 1)
    _strands(build, ARM, start, 62.0 + 5 * (k % 2), 3.4, 34, 7, angle, 0.22)
    k = np.arange(16)
    angle = (k + 0.5) * 2 * np.pi / 16
    start = np.stack([30.6 * np.sin(angle), np.full(16, -5.2), 30.6 * np.cos(angle)], 1)
    _strands(build, THREAD, start, 30.0 + 9 * np.sin(k * 2.3), 0.55, 16, 4, angle, 0.0)
    points = np.concatenate(build.points)
    return points, build.mesh(), np.concatenate(build.part), np.concatenate(build.down), np.concatenate(build.angle)


def _squeeze(points: np.ndarray, radial: np.ndarray, lift: np.ndarray) -> np.ndarray:
    out = points.copy()
    out[:, [0, 2]] *= radial[:, None]
    out[:, 1] += lift
    return out


def moon_jelly() -> Scene:
    """The sample scene: one object named Bell, all of its targets keyed over 96 frames at 24 a second."""
    points, mesh, part, down, angle = _model()
    bell, arm, thread = part == BELL, part == ARM, part == THREAD
    rim = np.where(bell, down**2.2, np.where(thread, 1.0, 0.0))
    hang = np.where(bell, 0.0, down)

    contract = _squeeze(
        points, 1 - 0.40 * rim - 0.25 * (arm * (0.3 + 0.7 * down)), -7.5 * rim + 6.5 * (bell * (1 - down)) - 5 * arm
    )
    curl = _squeeze(points, 1 - 0.13 * rim - 0.2 * (rim > 0.5) * (rim - 0.5), -6.5 * rim + 2.0 * (bell * (1 - down)) - 2 * arm)
    flare = _squeeze(points, 1 + 0.20 * rim + 0.35 * thread * down, 8.5 * rim - 4.5 * bell * (1 - down) - 6 * hang * thread)
    dome = _squeeze(points, 1 - 0.08 * bell * np.sin(np.pi * np.clip(down, 0, 1)), 10 * bell * np.cos(down * np.pi / 2) ** 1.5)
    side = np.clip(-points[:, 0] / RADIUS, 0.0, 1.0)  # toward which it leans when it leans left
    over = _squeeze(points, 1 + 0.16 * rim * side, 4.0 * rim * side) - points

    def lean(way: float) -> np.ndarray:
        out = points.copy()
        tilt = np.radians(22 * way)
        x, y = points[:, 0], points[:, 1]
        bell_x, bell_y = x * np.cos(tilt) + y * np.sin(tilt), y * np.cos(tilt) - x * np.sin(tilt)
        trail = np.where(bell, 0.0, down)
        out[:, 0] = bell_x * (1 - trail) + (x - 14 * way * trail) * trail
        out[:, 1] = bell_y * (1 - trail) + y * trail
        return out

    sway = points.copy()
    sway[:, 0] += 9.0 * hang**1.5 * np.sin(3.2 * hang + angle)
    sway[:, 2] += 7.0 * hang**1.5 * np.cos(2.6 * hang + 1.3 * angle)

    scene, bell_id = add_object(Scene(name="Moon jelly", fps=24.0, start=0.0, end=96.0), "Bell", mesh, points)
    ids: dict[str, str] = {}
    shapes = {"Contract": contract, "Flare": flare, "Lean left": lean(-1), "Lean right": lean(1), "Dome": dome, "Sway": sway}
    for name, shape in shapes.items():
        scene, ids[name] = target_from_points(scene, bell_id, name, np.where(np.abs(shape - points) > 1e-6, shape, points))
    scene, fix = add_corrective(scene, bell_id, {ids["Contract"]: 1.0, ids["Lean left"]: 0.5}, "Rim over arms")
    obj = scene.object(bell_id)
    scene = scene.with_object(obj.with_target(replace(obj.target(fix), deltas=Deltas.from_dense(np.round(over, 9)))))
    obj = scene.object(bell_id)
    stage = InBetween(0.5, Deltas.from_dense(np.where(np.abs(curl - points) > 1e-6, curl - points, 0.0)), "rim curl")
    scene = scene.with_object(obj.with_target(replace(obj.target(ids["Contract"]), in_betweens=(stage,))))
    scene = set_path(scene, bell_id, ids["Contract"], "curved")
    scene = set_range(scene, bell_id, ids["Sway"], -1.0, 1.0)
    pulses: dict[str, list[tuple[float, float]]] = {
        "Contract": [(0, 0), (14, 1), (22, 1), (40, 0), (48, 0), (62, 1), (70, 1), (88, 0), (96, 0)],
        "Flare": [(0, 0.1), (8, 0), (26, 0), (42, 0.8), (51, 0.1), (57, 0), (74, 0), (90, 0.8), (96, 0.1)],
        "Lean left": [(0, 0), (30, 0.5), (54, 0), (96, 0)],
        "Lean right": [(0, 0), (48, 0), (72, 0.45), (96, 0)],
        "Sway": [(0, 0.2), (20, 0.8), (44, -0.2), (68, 0.8), (96, 0.2)],
    }
    rises = [(0.0, 0.0), (26.0, 7.0), (48.0, 0.0), (74.0, 7.0), (96.0, 0.0)]  # with each pulse, and sinks again
    rows = {**{ids[name]: keys for name, keys in pulses.items()}, "position.y": rises}
    curves = {
        lane: AnimationCurve(tuple(Key(float(frame), float(value)) for frame, value in keys)) for lane, keys in rows.items()
    }
    scene = scene.with_object(scene.object(bell_id).with_lanes(curves))
    for frame, name in ((8, "Pulse"), (40, "Glide"), (56, "Pulse again"), (88, "Rest")):
        scene = set_marker(scene, frame, name)
    return _cued(scene, bell_id, ids)


def _cued(scene: Scene, bell: str, ids: dict[str, str]) -> Scene:
    """Touched it closes, and opens again after a while; a key startles it."""
    closes = Act(leads=(Lead(bell, ids["Contract"]),), seconds=0.5, ease="spring")
    lifts = Act(leads=(Lead(bell, ids["Flare"], 0.9), Lead(bell, ids["Dome"], 0.6)), seconds=0.6, ease="back-out")
    scene, _ = add_cue(scene, Cue("", "Touch", When(CLICK, bell), closes, Then(2.0, BACK, 1.2, "sine-in-out")))
    return add_cue(scene, Cue("", "Startle", When(KEY, key="A"), lifts, Then(0.5, BACK, 0.8), carry=True))[0]
