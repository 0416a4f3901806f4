"""What the parts of a scene that was read cannot see of each other: ids, names, lanes, clips and bounds."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable
from typing import Protocol

from fictilis.core.edits.clips import checked_lanes
from fictilis.core.edits.correctives import checked_rule
from fictilis.core.edits.deformers import held_deformer
from fictilis.core.edits.forms import FORMS, defaults
from fictilis.core.edits.keys import checked_keys
from fictilis.core.edits.lines import checked_along
from fictilis.core.edits.repeats import set_repeat
from fictilis.core.edits.rigs import set_skin
from fictilis.core.edits.springs import set_spring
from fictilis.core.edits.sweeps import checked_sweep
from fictilis.core.edits.timeline import LONGEST_RANGE, set_reference, set_sound
from fictilis.core.geometry.finer import MOST_LEVELS
from fictilis.core.ground.errors import BadFile
from fictilis.core.mix.channel_kinds import OWN_IDS
from fictilis.core.mix.relay import relay_of
from fictilis.core.scene.deformers import DEFORMERS
from fictilis.core.scene.rigs import is_rigged
from fictilis.core.scene.scene import BLEND, RELAY_PATHS, MorphObject, Scene, lane_homes
from fictilis.formats.native_records import (
    MOST_ID,
)

COLOUR = re.compile("#[0-9a-fA-F]{6}")
ID = re.compile(r"[A-Za-z][\w.-]{0,59}", re.ASCII)  # also a key of a page's script, and a part of longer keys


class Whole(Protocol):
    """The file that is read, for what its sentences say."""

    def fail(self, what: str) -> BadFile: ...


def _once(archive: Whole, values: Iterable[str], what: str) -> None:
    twice = [value for value, count in Counter(values).items() if count > 1]
    if twice:
        raise archive.fail(f"{what} “{min(twice)}” stands twice")


def check_parts(archive: Whole, scene: Scene) -> None:
    """What the parts cannot see of each other."""
    _check_ids(archive, scene)
    _check_time(archive, scene)
    _once(archive, (o.id for o in scene.objects), "the object id")
    _once(archive, (o.name for o in scene.objects), "the object name")
    _once(archive, (v.name for v in scene.views), "the view")
    _once(archive, (owner.id for owner in scene.owners), "the id")
    _once(archive, (c.name for c in scene.cameras), "the camera")
    for obj in scene.objects:
        _once(archive, (t.link for t in obj.targets if t.link is not None), f"in {obj.name} the link")
    for view in scene.views:
        if not 0 < view.distance < 1e9:
            raise archive.fail(f"the view “{view.name}” looks from {view.distance:g} cm away")
    for obj in scene.objects:
        _check_object(archive, obj)
        if obj.surface is not None and not 1 <= obj.surface.levels <= MOST_LEVELS:
            raise archive.fail(f"{obj.name} has a smooth surface of {obj.surface.levels} levels")
        if [d.kind for d in obj.deformers] != [kind for kind in DEFORMERS if held_deformer(obj, kind)]:
            raise archive.fail(f"what bends {obj.name} is out of order")
        scene.check_shown(obj)
        if obj.repeat is not None:
            set_repeat(scene, obj.id, obj.repeat)
        if obj.skin is not None:
            set_skin(scene, obj.id, obj.skin)
        if obj.spring is not None:
            set_spring(scene, obj.id, obj.spring)
    for camera in scene.cameras:
        if not 0 < camera.distance < 1e9 or not 1 <= camera.lens <= 170:
            raise archive.fail(f"{camera.name} stands {camera.distance:g} cm away and sees {camera.lens:g} degrees")
    for owner in scene.owners:
        if owner.along is not None:
            checked_along(scene, owner.id, owner.along.line)
        _once(archive, (lane.channel for lane in owner.lanes), f"in {owner.name} the lane of")
        for lane in owner.lanes:
            checked_keys(owner, lane.channel, lane.curve.keys)
    _check_clips(archive, scene)
    _once(archive, (c.id for c in scene.cues), "the cue id")
    _once(archive, (c.name for c in scene.cues), "the cue")


def _check_ids(archive: Whole, scene: Scene) -> None:
    parts = [x.id for x in scene.owners] + [c.id for c in scene.clips] + [c.id for c in scene.cues]
    for obj in scene.objects:
        parts += [t.id for t in obj.targets] + [g.id for g in obj.groups]
    wrong = next((part for part in parts if not ID.fullmatch(part)), None)
    if wrong is not None:
        raise archive.fail(f"“{wrong[:40]}” is no id; it has up to 60 letters, digits, points and lines")


def _check_clips(archive: Whole, scene: Scene) -> None:
    _once(archive, (c.id for c in scene.clips), "the clip id")
    _once(archive, (c.name for c in scene.clips), "the clip")
    if (scene.clip is None) is bool(scene.clips) or scene.clips and scene.clip not in {c.id for c in scene.clips}:
        raise archive.fail(f"it has {len(scene.clips)} clips, and “{scene.clip}” in hand")
    objects = {o.id: o for o in scene.objects}
    for obj in scene.objects:
        if obj.blend is not None:
            checked_lanes(obj, obj.blend.lanes, lane_homes(obj))
    for clip in scene.clips:
        _once(archive, (p.owner for p in clip.parts), f"in {clip.name} the object")
        longest = LONGEST_RANGE
        if not -longest <= clip.start < clip.end <= longest or clip.id == scene.clip and clip.parts:
            raise archive.fail(f"its clip {clip.name} runs from {clip.start:g} to {clip.end:g}")
        if clip.played is not None and not clip.start <= clip.played[0] < clip.played[1] <= clip.end:
            raise archive.fail(f"its clip {clip.name} plays {clip.played[0]:g} to {clip.played[1]:g}")
        for part in clip.parts:
            if part.owner not in objects:
                raise archive.fail(f"its clip {clip.name} moves {part.owner}, which is not there")
            obj = objects[part.owner]
            checked_lanes(obj, tuple(x for x in part.lanes if part.blend is None or x.channel != BLEND), lane_homes(obj))
            if part.blend is not None:
                checked_lanes(obj, part.blend.lanes, lane_homes(obj))


def _check_time(archive: Whole, scene: Scene) -> None:
    longest = LONGEST_RANGE
    if not 0.1 <= scene.fps <= 1000 or not -longest <= scene.start < scene.end <= longest:
        raise archive.fail(f"its rate is {scene.fps:g} and its range {scene.start:g} to {scene.end:g}")
    set_sound(scene, scene.sound)
    set_reference(scene, scene.reference)
    frames = [m.frame for m in scene.markers]
    if any(b - a <= 1e-6 for a, b in zip(frames, frames[1:], strict=False)):
        raise archive.fail("its markers are out of order")
    if not 0 <= scene.id_floor < MOST_ID:
        raise archive.fail(f"it says that ids up to {scene.id_floor} are gone; that is from 0 to {MOST_ID:,}")
    if scene.played is not None and not scene.start <= scene.played[0] < scene.played[1] <= scene.end:
        raise archive.fail(f"it plays {scene.played[0]:g} to {scene.played[1]:g}, out of {scene.start:g} to {scene.end:g}")


def _check_object(archive: Whole, obj: MorphObject) -> None:
    for values, what in (
        ((t.id for t in obj.targets), "target id"), ((t.name for t in obj.targets), "target name"),
        ((g.id for g in obj.groups), "group id"), ((p.name for p in obj.picks), "pick"), ((m.name for m in obj.mixes), "mix"),
    ):  # fmt: skip
        _once(archive, values, f"in {obj.name} the {what}")
    if not 0 <= obj.appearance.opacity <= 1:
        raise archive.fail(f"{obj.name} has the opacity {obj.appearance.opacity:g}")
    if obj.form is not None and (obj.form.kind not in FORMS or {n for n, _ in obj.form.numbers} - set(defaults(obj.form.kind))):
        raise archive.fail(f"{obj.name} was made as “{obj.form.kind[:20]}” with numbers that no form has")
    for colour in (obj.appearance.colour, *(t.colour for t in obj.targets)):
        if not COLOUR.fullmatch(colour):
            raise archive.fail(f"“{colour[:20]}” is no colour")
    known = {t.id for t in obj.targets} | OWN_IDS
    for group in obj.groups:
        if group.relay is None:
            continue
        if group.relay not in RELAY_PATHS or group.id in known:
            raise archive.fail(f"{group.name} is a relay with the id {group.id} and the path “{group.relay}”")
        lane = obj.lane(group.id)
        if lane is not None and lane.modifiers:
            raise archive.fail(f"the relay {group.name} has modifiers on its lane")
    for target in obj.targets:
        if target.id in OWN_IDS or is_rigged(target.id):
            raise archive.fail(f"{target.name} has the id {target.id}, which is kept for the object's own lanes")
        obj.ancestors(target)
        checked_rule(obj, target)
        checked_sweep(obj, target)
        if target.group is not None and obj.group(target.group) is None:
            raise archive.fail(f"{target.name} stands in the group {target.group}, which is not there")
        relay = relay_of(obj, target)
        if relay is not None and target.in_betweens:
            raise archive.fail(f"{target.name} has in-betweens, but is a shape of the relay {relay.name}")
    for target_id in (t for m in obj.mixes for t, _ in m.weights):
        obj.target(target_id)
