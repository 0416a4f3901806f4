"""What a page for the browser holds: shapes, how weights become them, clips and cues, as numbers and plain records."""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec.structs import asdict, replace

from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.at_frame.copies import copies
from fictilis.core.at_frame.drawn import as_drawn
from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.topology import triangles
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channel_kinds import OBJECT_KINDS
from fictilis.core.mix.channels import find_channel, values_at
from fictilis.core.mix.coefficients import cardinals, columns, row_ids
from fictilis.core.mix.driven import driven_targets, gains
from fictilis.core.mix.relay import members, place_shares, relays
from fictilis.core.rehearsal.cue_words import sentence
from fictilis.core.rehearsal.layers import with_active
from fictilis.core.rehearsal.meaning import fault, goals, takes
from fictilis.core.scene.clips import whole_clips
from fictilis.core.scene.cues import MODIFIER
from fictilis.core.scene.kept import NamedPick
from fictilis.core.scene.rules import SMALLEST
from fictilis.core.scene.scene import STRAIGHT, MorphObject, Scene, targets_by_id
from fictilis.core.scene.timeline import Lane
from fictilis.core.shaping.picks import points_of
from fictilis.formats.gltf import file_vertices
from fictilis.formats.pieces import Function, Pieces, fitted

WITHIN = 2e-7  # of a value: how near pieces are to what they stand for
FAR = 20.0  # ranges of a curve's keys beyond its ends, which a page still knows
Record = dict[str, Any]


class Store:
    """Arrays one after another, told by where they begin."""

    def __init__(self) -> None:
        self.parts: list[bytes] = []
        self.length = 0

    def bytes(self, data: bytes) -> list[int]:
        """[first byte, number of bytes]."""
        self.parts += [data, b"\0" * (-len(data) % 8)]
        at, self.length = self.length, self.length + len(data) + -len(data) % 8
        return [at, len(data)]

    def floats(self, values: np.ndarray) -> list[int]:
        """Float32: [first byte, number of numbers]."""
        with np.errstate(over="ignore"):
            single = np.ascontiguousarray(values, "<f4")
        if not np.isfinite(single).all():
            raise EditRefused(f"A number of the scene is too large for a page: {np.abs(values).max():g}.")
        at, _ = self.bytes(single.tobytes())
        return [at, int(np.size(values))]

    def counts(self, values: np.ndarray) -> list[int]:
        """Uint32."""
        at, _ = self.bytes(np.ascontiguousarray(values, "<u4").tobytes())
        return [at, int(np.size(values))]

    def pieces(self, pieces: Pieces) -> Record:
        at, _ = self.bytes(np.ascontiguousarray(pieces.knots, "<f8").tobytes())
        return {"x": [at, len(pieces.knots)], "c": self.floats(pieces.cubics)}


def page_data(scene: Scene, store: Store) -> Record:
    """The records of a scene whose arrays go into ``store``: the visible objects that have faces or strands, all clips, the
    cues that can run, and the sound."""
    ids = {o.id for o in shown_objects(scene)}
    clips = [(c.id, c.name, c.loop) for c in whole_clips(scene)] or [("", scene.name, True)]
    return {
        "name": scene.name, "fps": scene.fps, "start": scene.start, "hand": scene.clip or "",
        "objects": [_object(scene, obj, store) for obj in scene.objects if obj.id in ids],
        "clips": [_clip(scene, clip_id, name, loop, ids, store) for clip_id, name, loop in clips],
        "markers": [{"frame": m.frame, "name": m.name} for m in scene.markers],
        "cues": [_cue(scene, c) for c in scene.cues if c.on and not fault(scene, c)],
        "sound": _sound(scene, store),
    }  # fmt: skip


def shown_objects(scene: Scene) -> list[MorphObject]:
    """Those that a page shows."""
    return [o for o in scene.objects if o.visible and (o.geometry.face_count or isinstance(o.geometry, Line))]


def _sound(scene: Scene, store: Store) -> Record | None:
    x = scene.sound
    if x is None or x.muted:
        return None
    return {"name": x.name, "data": store.bytes(x.data), "start": x.start, "volume": x.volume}


# objects


def _object(scene: Scene, own: MorphObject, store: Store) -> Record:
    obj = as_drawn(own)
    out: Record = {
        "id": obj.id, "name": obj.name, "colour": obj.appearance.colour, "flat": not obj.appearance.smooth,
        "points": store.floats(obj.base), "pivot": list(obj.transform.pivot), **_surface(obj, store),
        "columns": [{"i": store.counts(c.deltas.indices), "d": store.floats(c.deltas.offsets)} for c in columns(obj)],
        "targets": _targets(obj, own, store), "drives": _drives(obj, store), "relays": _relays(own, store),
        "picks": {p.name: _pick(obj, p) for p in obj.picks},
        "own": {name: float(value) for name, value in values_at(_still(own), scene.start, None, scene.fps).items()
                if name in page_channels(own)},
    }  # fmt: skip
    spread = copies(scene, own, scene.start)
    if len(spread) > 1:
        stand = len(spread.outer) > 1
        out["copies"] = store.floats((spread.matrices if stand else spread.inner).transpose(0, 2, 1))
        out["stand"] = stand
    return out


def _pick(obj: MorphObject, kept: NamedPick) -> Record:
    """A kept pick as the faces or the points that a click must meet."""
    if kept.pick.kind == "faces" and not isinstance(obj.geometry, Line):
        return {"faces": kept.pick.elements.tolist()}
    return {"points": points_of(obj.geometry, kept.pick).tolist()}


def _still(obj: MorphObject) -> MorphObject:
    return replace(obj, lanes=(), blend=None)


def page_channels(obj: MorphObject) -> set[str]:
    """The channels that a page knows: weights, fronts, relays, and the object's own place and look."""
    return {*row_ids(obj), *relays(obj), *OBJECT_KINDS}


def _surface(obj: MorphObject, store: Store) -> Record:
    if isinstance(obj.geometry, Line):
        first, last = obj.line.joined()
        return {"line": store.counts(np.stack([first, last], axis=1))}
    vertices = file_vertices(obj)
    out: Record = {"index": store.counts(vertices.index), "faces": store.counts(_faces(obj))}
    if vertices.faces is not None or vertices.uvs is not None:
        out["corner"] = store.counts(vertices.points)
    texture = obj.appearance.texture
    if texture is not None and texture.image is not None and vertices.uvs is not None:
        out["uv"], out["image"] = store.floats(vertices.uvs), store.bytes(texture.image)
    return out


def _faces(obj: MorphObject) -> np.ndarray:
    """(t,) the face of each triangle."""
    return triangles(obj.geometry).faces


def _targets(obj: MorphObject, own: MorphObject, store: Store) -> list[Record]:
    """Each target with its columns and how its weight becomes their shares."""
    known, first, out = targets_by_id(obj), 0, []
    starts: dict[str, int] = {}
    for target in obj.targets:
        starts[target.id] = first
        first += len(target.in_betweens) + (target.sweep.bands if target.sweep is not None else 1)
    for target, gain in zip(obj.targets, gains(obj).tolist(), strict=False):
        what = find_channel(own, target.id)
        row: Record = {
            "id": target.id, "name": target.name, "colour": target.colour, "low": target.range[0], "high": target.range[1],
            "gain": gain, "first": starts[target.id], "slides": what is not None and what.slides, "link": target.link,
        }  # fmt: skip
        if target.in_betweens:
            row["parts"] = _stages(target, store)
        if target.sweep is not None:
            s = target.sweep
            row["sweep"] = {"softness": s.softness, "linear": s.profile == "linear", "bands": s.bands, "until": s.until}
        row["under"] = []
        for parent in obj.ancestors(target):
            whole = starts[parent.id] + len(known[parent.id].in_betweens)
            row["under"].append([whole, parent.sweep.bands if parent.sweep is not None else 1])
        out.append(row)
    return out


def _stages(target: Any, store: Store) -> list[Record]:
    """The share of each stage as pieces over the weight, far beyond 0…1."""
    knots = tuple(stage.at for stage in target.in_betweens) + (1.0,)
    ends = np.array(sorted({0.0, *knots}))
    span = float(ends[-1] - ends[0])
    wide = np.concatenate([[ends[0] - FAR * span], ends, [ends[-1] + FAR * span]])

    def share(n: int) -> Function:
        return lambda w: cardinals(knots, target.path, w)[n]

    return [store.pieces(fitted(share(n), wide, WITHIN)) for n in range(len(knots))]


def _drives(obj: MorphObject, store: Store) -> list[Record]:
    """What is driven, each behind what drives it."""
    place, out = {t.id: n for n, t in enumerate(obj.targets)}, []
    for target_id in driven_targets(obj):
        target = obj.target(target_id)
        if target.rule is not None:
            drivers = [[place[d.target], d.at, d.width or 0.0] for d in target.rule.drivers]
            out.append({"n": place[target_id], "drivers": drivers, "smallest": target.rule.how == SMALLEST})
        elif target.follows is not None and target.follows.curve.keys:
            source = target.follows.source
            curve = store.pieces(_curve(target.follows.curve))
            out.append({"n": place[target_id], "source": place.get(source), "channel": source, "curve": curve})
    return out


def _curve(curve: AnimationCurve) -> Pieces:
    at = np.unique([k.frame for k in curve.keys])
    reach = FAR * max(float(at[-1] - at[0]), 1.0)
    return fitted(curve.evaluate, np.concatenate([[at[0] - reach], at, [at[-1] + reach]]), WITHIN)


def _relays(obj: MorphObject, store: Store) -> Record:
    """How a place in a relay's row becomes weights of its shapes."""
    out: Record = {}
    for group_id, group in relays(obj).items():
        lane = obj.lane(group_id)
        if lane is None:
            continue
        path, last = group.relay or STRAIGHT, len(lane.curve.keys) - 1
        ends, shares = np.arange(max(last, 1) + 1.0), {}
        for shape in members(obj, group_id):
            shares[shape.id] = store.pieces(fitted(_share(lane.curve, path, shape.id), ends, WITHIN))
        out[group_id] = {"last": last, "shares": shares}
    return out


def _share(curve: AnimationCurve, path: str, shape: str) -> Function:
    return lambda x: np.array([place_shares(curve, path, float(place)).get(shape, 0.0) for place in x])


# clips


def _clip(scene: Scene, clip_id: str, name: str, loop: bool, ids: set[str], store: Store) -> Record:
    there = with_active(scene, clip_id)
    start, end = there.span
    tracks = {o.id: _tracks(there, o, store) for o in there.objects if o.id in ids}
    turned = {
        (c.act.owner, c.act.channel, c.act.modifier) for c in scene.cues if c.act.kind == MODIFIER and not fault(scene, c)
    }
    return {
        "id": clip_id, "name": name, "start": start, "end": end, "loop": loop, "tracks": {k: v for k, v in tracks.items() if v},
        "turned": [_turned(there, ref, store) for ref in sorted(turned) if _has(there, ref)],
    }  # fmt: skip


def _ends(scene: Scene, lanes: tuple[Lane, ...], later: float = 0.0) -> np.ndarray:
    """Where pieces over a clip's range begin: its keys, and each twelfth frame, so that none is far from even."""
    start, end = scene.span
    keys = [k.frame + later for lane in lanes for k in lane.curve.keys]
    inside = [f for f in (*keys, *np.arange(start, end, 12.0).tolist()) if start < f < end]
    return np.unique([start, *inside, end])


def _tracks(scene: Scene, obj: MorphObject, store: Store) -> Record:
    """The channels of an object that a clip moves, by id."""
    out: Record = {}
    known = page_channels(obj)
    if obj.blend is None:
        for lane in obj.lanes:
            if lane.channel in known and lane.channel not in relays(obj):
                out[lane.channel] = store.pieces(_moved(scene, lane))
        led = [(g, m.id) for g in relays(obj) if obj.lane(g) is not None for m in members(obj, g)]
        mixed = {g for g, _ in led} | {m for _, m in led}
        lanes = tuple(lane for lane in obj.lanes if lane.channel in relays(obj))
    else:
        mixed, lanes = known, obj.lanes
    ends = _ends(scene, lanes)
    if obj.blend is not None:
        ends = np.union1d(ends, _ends(scene, obj.blend.lanes, obj.blend.offset))

    def value(channel: str) -> Function:
        return lambda x: np.asarray(values_at(obj, x, None, scene.fps)[channel], np.float64)

    for channel in sorted(mixed):
        pieces = fitted(value(channel), ends, WITHIN)
        if np.ptp(pieces.cubics[:, 0]) > WITHIN or np.abs(pieces.cubics[:, 1:]).max(initial=0.0) > WITHIN:
            out[channel] = store.pieces(pieces)
        else:
            out[channel] = store.pieces(Pieces(ends[[0, -1]], pieces.cubics[:1]))
    return out


def _moved(scene: Scene, lane: Lane) -> Pieces:
    largest = max((abs(k.value) for k in lane.curve.keys), default=1.0)
    return fitted(lambda x: lane.values(x, scene.fps), _ends(scene, (lane,)), WITHIN * max(largest, 1.0))


def _has(scene: Scene, ref: tuple[str, str, int]) -> bool:
    lane = scene.object(ref[0]).lane(ref[1])
    return lane is not None and ref[2] < len(lane.modifiers)


def _turned(scene: Scene, ref: tuple[str, str, int], store: Store) -> Record:
    """A lane with a motion that a cue turns, off and on, whatever else is laid over it."""
    owner, channel, number = ref
    lane = scene.object(owner).lane(channel)
    assert lane is not None
    out: Record = {"object": owner, "channel": channel, "modifier": number, "on": float(lane.modifiers[number].on)}
    for name, on in (("without", False), ("with", True)):
        modifiers = tuple(replace(m, on=on) if n == number else m for n, m in enumerate(lane.modifiers))
        out[name] = store.pieces(_moved(scene, replace(lane, modifiers=modifiers)))
    return out


# cues


def _cue(scene: Scene, cue: Any) -> Record:
    """A cue with its goals worked out."""
    led = goals(scene, cue)
    endless = cue.act.kind == "clip" and not cue.act.times
    return {
        "id": cue.id, "name": cue.name, "says": sentence(scene, cue), "when": asdict(cue.when), "then": asdict(cue.then),
        "act": {"kind": cue.act.kind, "seconds": cue.act.seconds, "ease": cue.act.ease, "clip": cue.act.clip,
                "times": cue.act.times, "cue": cue.act.cue, "on": cue.act.on},
        "goals": [[list(key), goal] for key, goal in led.items()], "meets": cue.meets, "carry": cue.carry,
        "takes": None if endless else takes(scene, cue),
    }  # fmt: skip
