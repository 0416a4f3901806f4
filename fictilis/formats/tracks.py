"""Weights and motion over time in the smallest exact form that glTF can play: STEP, LINEAR, CUBICSPLINE, else samples."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key, pieces
from fictilis.core.animation.sampled import slerp
from fictilis.core.at_frame.cameras import eye, placed_camera
from fictilis.core.at_frame.copies import copies
from fictilis.core.at_frame.jumps import jumping, jumps_of
from fictilis.core.at_frame.pose import Pose, placement
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.bands import swept
from fictilis.core.mix.channel_kinds import OBJECT_KINDS
from fictilis.core.mix.driven import gain
from fictilis.core.mix.relay import poses, relays
from fictilis.core.rig.posing import is_angle
from fictilis.core.scene.places import Transform
from fictilis.core.scene.rigs import is_rigged
from fictilis.core.scene.scene import BLEND, MorphObject, Scene, targets_by_id
from fictilis.core.scene.sweep import front_of
from fictilis.core.scene.timeline import Lane, SceneCamera

Values = Callable[[np.ndarray], np.ndarray]
JUMP = 1e-3  # frames before a step at which the value still stands, where steps mix with slopes
EXACT = 1e-9
JUST = 1e-9  # of a stretch
SAME = 1e-6  # values nearer to one another are no jump
MOST_TURN = 100.0  # degrees from one key to the next, since a quaternion goes the shorter way
_NODES = np.array([0.02, 0.33, 0.67, 0.98])
_PROBES = np.array([0.11, 0.5, 0.84])


class Track(Struct, frozen=True, eq=False, weakref=True):
    """times (k,) seconds; values (k, c); tangents (k, c) a second, in and out, for CUBICSPLINE only; ``error`` is how far
    values are off between keys where the motion was sampled, 0 where it is exact. ``sharp`` (k,) says of a time beside a jump
    to which side it may be rounded: -1 to an earlier one, 1 to a later one, 0 to the nearest."""

    interpolation: str
    times: np.ndarray
    values: np.ndarray
    tangents_in: np.ndarray | None = None
    tangents_out: np.ndarray | None = None
    error: float = 0.0
    sharp: np.ndarray | None = None

    @property
    def stored(self) -> np.ndarray:
        """(k,) float32 rising times, rounded so that none tips over a jump."""
        times = self.times.astype(np.float32)
        if self.sharp is not None:
            for side, off in ((-1, times > self.times), (1, times < self.times)):
                on = off & (self.sharp == side)
                times[on] = np.nextafter(times[on], np.float32(side * np.inf))
        for i in range(1, len(times)):
            if times[i] <= times[i - 1]:
                times[i] = np.nextafter(times[i - 1], np.float32(np.inf))
        return times


def weight_track(scene: Scene, obj: MorphObject, later: float = 0.0, sampled: bool = False) -> Track | None:
    """The coefficients of an object's columns over the scene's range, some frames ``later``, or None when no lane drives it.

    Between keys and the weights at which an in-between stands or a corrective begins or ends to be driven a coefficient is one
    polynomial in time. Where it is no cubic (a curved path meets a curved lane, curved drivers are multiplied) the motion is
    sampled at the scene's rate, straight between the samples, and so it is where ``sampled`` asks for it.
    """
    sampled = sampled or any(t.follows is not None and is_angle(t.follows.source) for t in obj.targets)
    if not _weight_lanes(obj) and not any(poses(obj, group_id) for group_id in relays(obj)) and obj.blend is None:
        return None

    def shares(frames: np.ndarray) -> np.ndarray:
        return shares_at(obj, frames - later, fps=scene.fps).T

    return _track_of(scene, _within(scene, np.array(_bends(scene, obj, later)) + later), shares, sampled)


def still_weights(scene: Scene, obj: MorphObject, later: float = 0.0) -> Track:
    """The coefficients of an object that nothing drives, over the scene's range."""
    return _still(scene, shares_at(obj, scene.start - later, fps=scene.fps))


def still_motion(scene: Scene, matrix: np.ndarray) -> dict[str, Track]:
    """Where something stands all the time, (4, 4), by the paths of its node."""
    paths = zip(("translation", "rotation", "scale"), parted(matrix), strict=True)
    return {path: _still(scene, np.array(value)) for path, value in paths}


def _still(scene: Scene, value: np.ndarray) -> Track:
    return Track("STEP", np.array([0.0, (scene.end - scene.start) / scene.fps]), np.array([value, value]))


def _track_of(scene: Scene, knots: np.ndarray, values: Values, sampled: bool = False) -> Track:
    """The track of values (f, c) at frames (f,), which may bend at ``knots`` only."""
    cubics = None if sampled else _cubics(values, knots)
    if cubics is not None:
        return _track(scene, knots, cubics, values)
    knots = _sampled(scene, knots)
    cubics = _chords(values, knots)
    inside = values((knots[:-1, None] + np.diff(knots)[:, None] * _PROBES).ravel()).reshape(len(cubics), len(_PROBES), -1)
    chords = cubics[:, None, 0] + cubics[:, None, 1] * _PROBES[:, None]
    return replace(_track(scene, knots, cubics, values), error=float(np.abs(inside - chords).max(initial=0.0)))


def _sampled(scene: Scene, knots: np.ndarray) -> np.ndarray:
    whole = np.arange(np.ceil(scene.start), np.floor(scene.end) + 1)
    return _within(scene, [*knots, *whole])


def motion_tracks(scene: Scene, obj: MorphObject) -> dict[str, Track]:
    """Where the object itself stands over the scene's range, by the paths of a glTF node that it moves: translation in cm,
    rotation as quaternions x, y, z, w, scale.

    Rotation is straight (by slerp) between keys where that is exact, as about one axis, else sampled at the scene's rate.
    """
    both = (*obj.lanes, *(obj.blend.lanes if obj.blend is not None else ()))
    moving = [lane for lane in both if lane.channel in OBJECT_KINDS and "." in lane.channel]
    if not moving and obj.along is None:
        return {}
    if obj.along is not None:  # the line moves too, so that only frames tell
        return _sampled_tracks(scene, obj, lambda frame: Pose(scene, obj, frame).matrix)
    shift = obj.blend.offset if obj.blend is not None else 0.0
    led = [lane for lane in obj.lanes if lane.channel == BLEND]
    knots = _within(scene, np.concatenate([
        _knots(scene, lane, 0.0 if lane in obj.lanes else shift) for lane in (*moving, *led)]))  # fmt: skip

    def stands(frames: np.ndarray) -> list[Transform]:
        return [placement(scene, obj, float(f)).transform for f in frames]

    def translation(frames: np.ndarray) -> np.ndarray:
        return np.array([t.matrix()[:3, 3] for t in stands(frames)])

    def scale(frames: np.ndarray) -> np.ndarray:
        return np.array([t.scale for t in stands(frames)])

    def rotation(frames: np.ndarray) -> np.ndarray:
        return np.array([quaternion(t.rotation_matrix()) for t in stands(frames)])

    angles = np.array([t.rotation for t in stands(knots)])
    steps = np.ceil(np.abs(np.diff(angles, axis=0)).max(axis=1) / MOST_TURN).astype(int) + 1
    rows = [np.linspace(k, n, count + 1) for k, n, count in zip(knots, knots[1:], steps, strict=False)]
    turned = _within(scene, np.concatenate(rows))
    tracks = {
        "translation": _track_of(scene, knots, translation),
        "rotation": _rotation_track(scene, turned, rotation),
        "scale": _track_of(scene, knots, scale),
    }
    return {path: track for path, track in tracks.items() if np.ptp(track.values, axis=0).any()}


def camera_tracks(scene: Scene, camera: SceneCamera) -> dict[str, Track]:
    """As motion_tracks, for a camera: sampled at each frame, straight between."""
    if not camera.lanes and camera.along is None:
        return {}
    return _sampled_tracks(scene, camera, lambda frame: eye(placed_camera(scene, camera, frame)))


def copy_tracks(scene: Scene, obj: MorphObject) -> list[dict[str, Track]]:
    """As motion_tracks, for each copy of an object that is repeated on another one: sampled at each frame, straight between."""
    frames, jumps = _sampled_with_jumps(scene, obj)
    outer = np.array([copies(scene, obj, float(frame)).outer for frame in frames])
    return [_between(scene, frames, outer[:, number], jumps) for number in range(outer.shape[1])]


def _sampled_tracks(scene: Scene, owner: MorphObject | SceneCamera, stands: Callable[[float], np.ndarray]) -> dict[str, Track]:
    """What a matrix (4, 4) does at each frame and around jumps, straight between, by the paths of a node that it moves."""
    frames, jumps = _sampled_with_jumps(scene, owner)
    return _between(scene, frames, np.array([stands(float(frame)) for frame in frames]), jumps)


def _sampled_with_jumps(scene: Scene, owner: MorphObject | SceneCamera) -> tuple[np.ndarray, np.ndarray]:
    """Frames (f,) at which an owner is looked at: its keys, whole ones, and those around its jumps (k,)."""
    jumps = jumps_of(jumping(scene, owner), scene.start, scene.end)
    keyed = [key.frame for lane in owner.lanes for key in lane.curve.keys]
    return _sampled(scene, np.concatenate([keyed, jumps - JUMP, jumps, jumps + JUMP])), jumps


def _between(scene: Scene, frames: np.ndarray, matrices: np.ndarray, jumps: np.ndarray) -> dict[str, Track]:
    """Matrices (f, 4, 4) at frames (f,), straight between them, by the paths of a node that they move."""
    if not np.ptp(matrices, axis=0).any():
        return {}
    times, sharp = (frames - scene.start) / scene.fps, np.zeros(len(frames), int)
    flat = matrices.reshape(len(frames), -1)
    for n in np.flatnonzero(np.isin(frames, jumps)).tolist():
        before, after = (np.abs(flat[n] - flat[k]).max() for k in (max(n - 1, 0), min(n + 1, len(frames) - 1)))
        sharp[n] = 1 if before < after else -1
    out = {}
    parts = [parted(matrix) for matrix in matrices]
    for path, rows in zip(("translation", "rotation", "scale"), zip(*parts, strict=True), strict=True):
        values = np.array(rows)
        if path == "rotation":
            signs = np.where((values[1:] * values[:-1]).sum(axis=1) < 0, -1.0, 1.0)
            values[1:] *= np.cumprod(signs)[:, None]  # the shorter way round
        if np.ptp(values, axis=0).max() > EXACT:
            out[path] = Track("LINEAR", times, values, sharp=sharp)
    return out


def parted(matrix: np.ndarray) -> tuple[np.ndarray, list[float], np.ndarray]:
    """Translation (3,), rotation as a quaternion x, y, z, w, and scale (3,) of a matrix (4, 4) that does not shear."""
    scale = np.linalg.norm(matrix[:3, :3], axis=0)
    turn = matrix[:3, :3] / np.maximum(scale, 1e-300)
    if np.linalg.det(turn) < 0:
        turn, scale = turn * [-1.0, 1.0, 1.0], scale * [-1.0, 1.0, 1.0]
    return matrix[:3, 3], quaternion(turn), scale


def _rotation_track(scene: Scene, knots: np.ndarray, turns: Values) -> Track:
    """STEP where every stretch stands still, else LINEAR: at the knots, or at the frames."""
    first, probes, last = _stretches(turns, knots)
    still = max(_apart(first, probes[:, n]).max() for n in range(probes.shape[1])) < EXACT and _apart(first, last).max() < EXACT
    between = [slerp(first, last, part) for part in _PROBES]
    if not still and max(_apart(found, probes[:, n]).max() for n, found in enumerate(between)) > EXACT:
        knots = _sampled(scene, knots)
        first, _, last = _stretches(turns, knots)
    track = _keyed(scene, knots, turns, (last, first), _apart, still)
    values = track.values.copy()
    for n in range(1, len(values)):  # the shorter way round
        values[n] *= 1 if values[n] @ values[n - 1] >= 0 else -1
    return replace(track, values=values)


def _keyed(
    scene: Scene, knots: np.ndarray, values: Values, ends: tuple[np.ndarray, np.ndarray],
    apart: Callable[[np.ndarray, np.ndarray], np.ndarray], still: bool,
) -> Track:  # fmt: skip
    """Keys at knots (k,). ``ends`` are the values (k - 1, c) with which each stretch between them ends, and those with which it
    begins: where the value at a knot is another one it jumps, just before or just after.
    """
    here, (before, after) = values(knots), ends
    left, right = np.concatenate([here[:1], before]), np.concatenate([after, here[-1:]])
    early, late = apart(left, here) > SAME, apart(here, right) > SAME
    rows: list[tuple[float, np.ndarray, int]] = []
    for n, knot in enumerate(knots.tolist()):
        if early[n] and not still:
            rows.append((knot - JUMP, values(np.array([knot - JUMP]))[0], 0))
        if not still or early[n] or n in (0, len(knots) - 1):
            rows.append((knot, here[n], -1 if early[n] else 1 if late[n] else 0))
        if late[n]:
            rows.append((knot + JUMP, right[n] if still else values(np.array([knot + JUMP]))[0], 0))
    times = (np.array([row[0] for row in rows]) - scene.start) / scene.fps
    kind = "STEP" if still else "LINEAR"
    return Track(kind, times, np.array([row[1] for row in rows]), sharp=np.array([row[2] for row in rows]))


def _stretches(values: Values, knots: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Values (i, c) just after the start of each stretch, (i, 3, c) at the probes in it, and (i, c) just before its end."""
    spans = np.diff(knots)
    inside = values((knots[:-1, None] + spans[:, None] * _PROBES).ravel()).reshape(len(spans), len(_PROBES), -1)
    return values(knots[:-1] + JUST * spans), inside, values(knots[1:] - JUST * spans)


def _apart(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """(n,): how far quaternions (n, 4) are from one another; the opposite is the same rotation."""
    return np.minimum(np.abs(a - b).max(axis=1, initial=0.0), np.abs(a + b).max(axis=1, initial=0.0))


def quaternion(m: np.ndarray) -> list[float]:
    """x, y, z, w of a rotation (3, 3). Source: eigenvector form of Bar-Itzhack (2000), J. Guidance 23(6)."""
    k = np.array([
        [m[0, 0] - m[1, 1] - m[2, 2], m[1, 0] + m[0, 1], m[2, 0] + m[0, 2], m[2, 1] - m[1, 2]],
        [m[1, 0] + m[0, 1], m[1, 1] - m[0, 0] - m[2, 2], m[2, 1] + m[1, 2], m[0, 2] - m[2, 0]],
        [m[2, 0] + m[0, 2], m[2, 1] + m[1, 2], m[2, 2] - m[0, 0] - m[1, 1], m[1, 0] - m[0, 1]],
        [m[2, 1] - m[1, 2], m[0, 2] - m[2, 0], m[1, 0] - m[0, 1], m[0, 0] + m[1, 1] + m[2, 2]],
    ])  # fmt: skip
    vector = np.linalg.eigh(k)[1][:, -1]
    return (vector * (1 if vector[3] >= 0 else -1)).tolist()


def _weight_lanes(obj: MorphObject) -> list[Lane]:
    followed = {t.follows.source for t in obj.targets if t.follows}
    moved = {*targets_by_id(obj), *map(front_of, swept(obj)), *followed}
    if any(is_angle(source) for source in followed):
        return [lane for lane in obj.lanes if lane.channel in moved or is_rigged(lane.channel)]
    return [lane for lane in obj.lanes if lane.channel in moved]


def _levels(obj: MorphObject) -> dict[str, set[float]]:
    """Acting weights at which a coefficient bends, by target: its stages, and where it begins and ends to drive another."""
    out: dict[str, set[float]] = {
        t.id: {0.0, 1.0, *(s.at for s in t.in_betweens)} if t.in_betweens else set() for t in obj.targets
    }
    for target in obj.targets:
        for d in target.rule.drivers if target.rule else ():
            out[d.target] |= {0.0, d.at} if d.width is None else {d.at - d.width, d.at, d.at + d.width}
        if target.follows is not None:
            out.setdefault(target.follows.source, set()).update(key.frame for key in target.follows.curve.keys)
    return out


def _knots(scene: Scene, lane: Lane, shift: float = 0.0) -> np.ndarray:
    """Frames of the range at which a lane may bend, where it is played so many frames later."""
    return lane.curve.knots(scene.start - shift, scene.end - shift) + shift


def _bends(scene: Scene, obj: MorphObject, later: float) -> list[float]:
    """Frames, ``later`` before those of the range, at which a coefficient may bend: keys, and weights crossing a level."""
    led = {BLEND, *relays(obj)}
    knots = [f for lane in obj.lanes if lane.channel in led for f in _knots(scene, lane, later) - later]
    if obj.blend is not None:
        shift = obj.blend.offset
        knots += [f for lane in obj.blend.lanes for f in _knots(scene, lane, later + shift) - later]
    levels = _levels(obj)
    for lane in _weight_lanes(obj):
        knots += (_knots(scene, lane, later) - later).tolist()
        target = targets_by_id(obj).get(lane.channel)
        factor = gain(obj, target) if target is not None else 1.0
        if not levels.get(lane.channel) or not factor:
            continue
        part = pieces(lane.curve)
        if not part.is_cubic:
            continue
        stops = np.append(part.starts[1:], part.starts[-1] + 1)
        for start, stop, cubic in zip(part.starts, stops, part.coefficients, strict=True):
            for at in sorted(levels[lane.channel]):
                shifted = cubic[::-1].copy()
                shifted[-1] -= at / factor
                if np.any(shifted[:-1]):
                    roots = np.roots(shifted)
                    real = roots.real[np.abs(roots.imag) < 1e-9]
                    knots += [start + r for r in real if 0 < r < stop - start]
    return knots


def _within(scene: Scene, knots: Sequence[float] | np.ndarray) -> np.ndarray:
    """The knots within the scene's range, rising, and its ends."""
    inside = np.unique([scene.start, scene.end, *(k for k in knots if scene.start <= k <= scene.end)])
    return inside[np.append(True, np.diff(inside) > 1e-6)]


def _cubics(values_at: Values, knots: np.ndarray) -> np.ndarray | None:
    """(i, 4, c): each interval as a cubic of 0…1, lowest power first; None when one is no cubic."""
    spans = np.diff(knots)
    frames = knots[:-1, None] + spans[:, None] * np.concatenate([_NODES, _PROBES])
    values = values_at(frames.ravel()).reshape(len(spans), 7, -1)
    cubics = np.einsum("pn,inc->ipc", np.linalg.inv(np.vander(_NODES, 4, increasing=True)), values[:, :4])
    guessed = np.einsum("np,ipc->inc", np.vander(_PROBES, 4, increasing=True), cubics)
    if np.abs(guessed - values[:, 4:]).max(initial=0.0) > EXACT * max(1.0, np.abs(values).max(initial=0.0)):
        return None
    cubics[np.abs(cubics) < EXACT] = 0.0
    return cubics


def _chords(values_at: Values, knots: np.ndarray) -> np.ndarray:
    """(i, 4, c): straight lines between the values just inside each interval."""
    spans = np.diff(knots)
    first, last = values_at(knots[:-1] + JUST * spans), values_at(knots[1:] - JUST * spans)
    out = np.zeros((len(spans), 4, first.shape[1]))
    out[:, 0], out[:, 1] = first, last - first
    return out


def _track(scene: Scene, knots: np.ndarray, cubics: np.ndarray, values_at: Values) -> Track:
    """What cubics (k - 1, 4, c) between knots (k,) do, with the values that stand right at the knots."""
    spans = np.diff(knots)[:, None]
    begin, finish = cubics[:, 0], cubics.sum(1)
    if not cubics[:, 2:].any():
        still = not cubics[:, 1:].any()
        track = _keyed(scene, knots, values_at, (finish, begin), lambda a, b: np.abs(a - b).max(axis=1, initial=0.0), still)
        if still and np.ptp(track.values, axis=0).max(initial=0.0) > SAME:
            return track
        keep = _needed(track.times, track.values)
        sharp = None if track.sharp is None else track.sharp[keep]
        return Track("LINEAR", track.times[keep], track.values[keep], sharp=sharp)
    slopes_first, slopes_last = cubics[:, 1] / spans, (cubics[:, 1] + 2 * cubics[:, 2] + 3 * cubics[:, 3]) / spans
    rows: list[tuple[float, np.ndarray, np.ndarray, np.ndarray, int]] = []
    flat, here = np.zeros_like(begin[0]), values_at(knots)
    for n, knot in enumerate(knots.tolist()):
        into, out = slopes_last[n - 1] if n else slopes_first[0], slopes_first[n] if n < len(begin) else slopes_last[-1]
        early = n > 0 and np.abs(finish[n - 1] - here[n]).max(initial=0.0) > SAME
        late = n < len(begin) and np.abs(begin[n] - here[n]).max(initial=0.0) > SAME
        if early:
            value, slope = _inside(cubics[n - 1], spans[n - 1, 0], 1 - JUMP / spans[n - 1, 0])
            rows.append((knot - JUMP, value, slope, flat, 0))
        rows.append((knot, here[n], flat if early else into, flat if late else out, -1 if early else 1 if late else 0))
        if late:
            value, slope = _inside(cubics[n], spans[n, 0], JUMP / spans[n, 0])
            rows.append((knot + JUMP, value, flat, slope, 0))
    frames, values, into, out, sharp = (np.array(column) for column in zip(*rows, strict=True))
    times = (frames - scene.start) / scene.fps
    return Track("CUBICSPLINE", times, values, into * scene.fps, out * scene.fps, sharp=sharp)


def _inside(cubic: np.ndarray, span: float, u: float) -> tuple[np.ndarray, np.ndarray]:
    """The value (c,) and the slope a frame (c,) of a cubic (4, c) at a part of its span."""
    return u ** np.arange(4) @ cubic, np.array([0, 1, 2 * u, 3 * u * u]) @ cubic / span


def _needed(times: np.ndarray, values: np.ndarray) -> np.ndarray:
    """(k,) bool: keys that do not lie on the straight line between the kept key before and the next."""
    keep = np.ones(len(times), bool)
    last = 0
    for i in range(1, len(times) - 1):
        part = (times[i] - times[last]) / (times[i + 1] - times[last])
        if np.abs(values[last] + (values[i + 1] - values[last]) * part - values[i]).max(initial=0.0) < 1e-12:
            keep[i] = False
        else:
            last = i
    return keep


def thinned(times: np.ndarray, values: np.ndarray) -> AnimationCurve:
    """Samples with straight lines between, without those that lie on one."""
    keep, last = [0], 0
    for n in range(1, len(times) - 1):
        part = (times[n] - times[last]) / (times[n + 1] - times[last])
        if abs(values[last] + (values[n + 1] - values[last]) * part - values[n]) > 2e-7 * max(1.0, abs(values[n])):
            keep.append(n)
            last = n
    keep.append(len(times) - 1)
    return AnimationCurve(tuple(Key(float(times[n]), float(np.round(values[n], 7)), "linear") for n in keep))
