"""What differs between two states of a scene, in sentences."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, TypeVar

import numpy as np
from msgspec import Struct

from fictilis.core.ground.arrays import lengths
from fictilis.core.ground.numbers_said import in_cm
from fictilis.core.mix.channels import find_channel
from fictilis.core.scene.scene import Deltas, InBetween, MorphObject, Scene, Target
from fictilis.core.scene.timeline import Lane, SceneCamera, lanes_by_channel

T = TypeVar("T")
MOST_NAMED = 5
LEAST = 1e-12  # cm

# what is told in words of its own; every other field is told by its name in WORDS
SCENE_WORDS = {
    "name": "", "fps": "", "start": "", "end": "", "objects": "", "cameras": "", "markers": "", "id_floor": "", "clips": "",
    "cues": "",
    "views": "kept views", "sound": "sound", "played": "part that is played", "clip": "active clip",
    "reference": "reference picture", "light": "light", "measures": "measures",
}  # fmt: skip
OBJECT_WORDS = {
    "id": "", "name": "", "geometry": "", "base": "", "targets": "", "lanes": "", "visible": "", "locked": "",
    "transform": "place", "appearance": "look", "groups": "groups", "picks": "kept picks", "mixes": "kept mixes",
    "form": "", "blend": "blend of two clips", "drawn": "part that is drawn", "along": "way along a line", "repeat": "copies",
    "spring": "point spring", "surface": "smooth surface", "deformers": "bend, twist and taper", "skin": "rig",
}  # fmt: skip
TARGET_WORDS = {
    "id": "", "name": "", "deltas": "", "in_betweens": "", "weight": "", "muted": "", "colour": "colour", "range": "range",
    "path": "path", "built_on": "base", "mask": "mask", "group": "group", "rule": "drivers", "follows": "curve it follows",
    "link": "link", "sweep": "sweep", "match": "match",
    "solo": "solo", "locked": "lock", "note": "note",
}  # fmt: skip


def changes(before: Scene, after: Scene) -> list[str]:
    """Sentences on everything in which ``after`` differs from ``before``; none where they are alike."""
    out = _scene(before, after)
    for old, new, name in _pairs(before.objects, after.objects, lambda o: o.id):
        if old is None or new is None:
            out.append(f"{name} was {'added' if old is None else 'removed'}.")
        elif old is not new:
            out += _object(old, new)
    for old, new, name in _pairs(before.cameras, after.cameras, lambda c: c.id):
        if old is None or new is None:
            out.append(f"The camera {name} was {'added' if old is None else 'removed'}.")
        elif old is not new:
            out += _camera(old, new)
    return out


def _pairs(old: Sequence[Any], new: Sequence[Any], key: Callable[[Any], object]) -> Iterable[tuple[Any, Any, str]]:
    """What stands on both sides under one key, or on one of them, with its name."""
    was, now = {key(o): o for o in old}, {key(o): o for o in new}
    for place in dict.fromkeys([*was, *now]):
        a, b = was.get(place), now.get(place)
        yield a, b, getattr(a if b is None else b, "name", "")


def alike(a: object, b: object) -> bool:
    """Whether two values hold the same, arrays by their content."""
    if a is b:
        return True
    if isinstance(a, np.ndarray) or isinstance(b, np.ndarray):
        return isinstance(a, np.ndarray) and isinstance(b, np.ndarray) and np.array_equal(a, b, equal_nan=a.dtype.kind == "f")
    if isinstance(a, Struct) and type(a) is type(b):
        return all(alike(getattr(a, f), getattr(b, f)) for f in a.__struct_fields__)
    if isinstance(a, tuple) and isinstance(b, tuple):
        return len(a) == len(b) and all(alike(x, y) for x, y in zip(a, b, strict=True))
    return a == b


def _and(words: Sequence[str]) -> str:
    shown = list(words[:MOST_NAMED])
    if len(words) > MOST_NAMED:
        shown.append(f"{len(words) - MOST_NAMED} more")
    return " and ".join([", ".join(shown[:-1]), shown[-1]] if len(shown) > 1 else shown)


def _others(a: Struct, b: Struct, words: dict[str, str], whose: str) -> list[str]:
    """One sentence on all fields that are told by their names."""
    found = [word for name, word in words.items() if word and not alike(getattr(a, name), getattr(b, name))]
    several = [f"{'other' if word.endswith('s') else 'another'} {word}" for word in found]
    return [f"{whose} has {_and(several)}."] if found else []


def _scene(a: Scene, b: Scene) -> list[str]:
    out = []
    if a.name != b.name:
        out.append(f"The scene is called {b.name}, not {a.name}.")
    if a.fps != b.fps:
        out.append(f"The rate is {b.fps:g} frames a second, not {a.fps:g}.")
    if (a.start, a.end) != (b.start, b.end):
        out.append(f"The range is {b.start:g} to {b.end:g}, not {a.start:g} to {a.end:g}.")
    out += _others(a, b, SCENE_WORDS, "The scene")
    kept = [o.id for o in a.objects if any(p.id == o.id for p in b.objects)]
    if kept != [o.id for o in b.objects if o.id in kept]:
        out.append("The objects stand in another order.")
    was, now = {(m.frame, m.name) for m in a.markers}, {(m.frame, m.name) for m in b.markers}
    for left, verb in ((now - was, "set"), (was - now, "gone")):
        if left:
            out.append(f"Markers {verb}: {_and([f'{name} at {frame:g}' for frame, name in sorted(left)])}.")
    for old, new, name in _pairs(a.clips, b.clips, lambda c: c.id):
        if old is None or new is None:
            out.append(f"The clip {name} was {'made' if old is None else 'removed'}.")
        elif not alike(old, new) and b.clip == a.clip:
            out.append(f"The clip {name} is another.")
    for old, new, name in _pairs(a.cues, b.cues, lambda c: c.id):
        if old is None or new is None:
            out.append(f"The cue {name} was {'made' if old is None else 'removed'}.")
        elif old != new:
            out.append(f"The cue {name} is another.")
    kept_cues = [c.id for c in a.cues if any(d.id == c.id for d in b.cues)]
    if kept_cues != [c.id for c in b.cues if c.id in kept_cues]:
        out.append("The cues stand in another order.")
    return out


def _camera(a: SceneCamera, b: SceneCamera) -> list[str]:
    out = [f"The camera {a.name} is called {b.name}."] if a.name != b.name else []
    fields = [f for f in a.__struct_fields__ if f not in ("id", "name", "lanes") and not alike(getattr(a, f), getattr(b, f))]
    if fields:
        out.append(f"The camera {b.name} stands or looks otherwise.")
    return out + _lanes(a, b)


def _object(a: MorphObject, b: MorphObject) -> list[str]:
    name, out = b.name, []
    if a.name != b.name:
        out.append(f"{a.name} is called {name}.")
    if a.geometry is not b.geometry and not alike(a.geometry, b.geometry):
        counts = f"{len(b.base):,} points, not {len(a.base):,}" if len(a.base) != len(b.base) else "other faces or strands"
        out.append(f"{name} has {counts}.")
    if a.base is not b.base and len(a.base) == len(b.base):
        far = lengths(b.base - a.base)
        if far.max(initial=0.0) > LEAST:
            out.append(f"The base of {name} was reshaped: {_moved(far)}.")
    for flag, on, off in (("visible", "shown", "hidden"), ("locked", "locked", "unlocked")):
        if getattr(a, flag) != getattr(b, flag):
            out.append(f"{name} is {on if getattr(b, flag) else off}.")
    out += _others(a, b, OBJECT_WORDS, name)
    weights = []
    for old, new, called in _pairs(a.targets, b.targets, lambda t: t.id):
        if old is None or new is None:
            out.append(f"{name}: the target {called} was {'added' if old is None else 'removed'}.")
        elif old is not new:
            out += _target(old, new, name, len(a.base) == len(b.base))
            weights += [f"{called} {new.weight:.2f}"] if old.weight != new.weight else []
    kept = [t.id for t in a.targets if any(u.id == t.id for u in b.targets)]
    if kept != [t.id for t in b.targets if t.id in kept]:
        out.append(f"The targets of {name} stand in another order.")
    if weights:
        out.append(f"{name}: weights without keys were set: {_and(weights)}.")
    return out + _lanes(a, b)


def _moved(far: np.ndarray) -> str:
    count = int((far > LEAST).sum())
    return f"{count:,} point{'' if count == 1 else 's'}, up to {in_cm(float(far.max()))}"


def _target(a: Target, b: Target, name: str, same_points: bool) -> list[str]:
    out, called = [], f"{name}, {b.name}"
    if a.name != b.name:
        out.append(f"{name}: {a.name} is called {b.name}.")
    if same_points:
        far = _apart(a.deltas, b.deltas)
        if len(far):
            out.append(f"{called} was reshaped: {_moved(far)}.")
    if a.muted != b.muted:
        out.append(f"{called} is {'muted' if b.muted else 'heard again'}.")
    was, now = {s.at: s for s in a.in_betweens}, {s.at: s for s in b.in_betweens}
    for at in sorted({*was, *now}):
        out += _between(was.get(at), now.get(at), at, called, same_points)
    return out + _others(a, b, TARGET_WORDS, called)


def _between(a: InBetween | None, b: InBetween | None, at: float, called: str, same_points: bool) -> list[str]:
    if a is None or b is None:
        return [f"{called} has {'an' if a is None else 'no'} in-between at {at:.2f}{'' if a is None else ' any more'}."]
    far = _apart(a.deltas, b.deltas) if same_points else np.zeros(0)
    out = [f"{called} at {at:.2f} was reshaped: {_moved(far)}."] if len(far) else []
    return out + ([f"{called}: the in-between at {at:.2f} is called {b.name or 'nothing'}."] if a.name != b.name else [])


def _apart(a: Deltas, b: Deltas) -> np.ndarray:
    """(k,) cm: how far points are apart, of those that are."""
    if a is b or alike(a, b):
        return np.zeros(0)
    every = np.union1d(a.indices, b.indices)
    rows = np.zeros((len(every), 3))
    rows[np.searchsorted(every, b.indices)] += b.offsets
    rows[np.searchsorted(every, a.indices)] -= a.offsets
    far = lengths(rows)
    return far[far > LEAST]


def _lanes(a: MorphObject | SceneCamera, b: MorphObject | SceneCamera) -> list[str]:
    """One sentence on lanes that are new or gone, and one on those whose keys are others."""
    was, now = lanes_by_channel(a), lanes_by_channel(b)

    def called(channel: str) -> str:
        found = find_channel(b, channel) or find_channel(a, channel)
        return found.name if found is not None else channel

    groups: dict[str, list[str]] = {"has keys now": [], "has no keys any more": [], "": []}
    for channel in dict.fromkeys([*was, *now]):
        old, new = was.get(channel), now.get(channel)
        if old is None or new is None:
            groups["has keys now" if old is None else "has no keys any more"].append(called(channel))
        elif old is not new and not alike(old, new):
            groups[""].append(f"{called(channel)} ({_keys(old, new)})")
    out = [f"{b.name}: {_and(names)} {verb if len(names) == 1 else verb.replace('has', 'have', 1)}."
           for verb, names in groups.items() if verb and names]  # fmt: skip
    return out + ([f"{b.name}: other keys on {_and(groups[''])}."] if groups[""] else [])


def _keys(a: Lane, b: Lane) -> str:
    was, now = {k.frame: k for k in a.curve.keys}, {k.frame: k for k in b.curve.keys}
    counts = (len(now.keys() - was.keys()), len(was.keys() - now.keys()),
              sum(not alike(now[f], was[f]) for f in now.keys() & was.keys()))  # fmt: skip
    words = [f"{count} {word}" for count, word in zip(counts, ("new", "gone", "changed"), strict=True) if count]
    if not alike(a.modifiers, b.modifiers):
        words.append("other motion laid over it")
    if (a.curve.before, a.curve.after) != (b.curve.before, b.curve.after):
        words.append("goes on otherwise")
    return ", ".join(words)
