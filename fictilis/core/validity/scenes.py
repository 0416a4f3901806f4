"""What a scene may be: asked when an edit gives a new one, when one is read, and when it is written."""

from __future__ import annotations

from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.kept import Measure
from fictilis.core.scene.light import CLAYS, LIGHT_BOUNDS, Light
from fictilis.core.scene.repeats import FACES, LINE, Repeat
from fictilis.core.scene.scene import BLEND, LANE_HOLDERS, MorphObject, Scene, lane_homes
from fictilis.core.scene.timeline import LONGEST_RANGE, Clip, Reference, SavedView, SceneCamera, Sound
from fictilis.core.validity.cue_bounds import checked_cue
from fictilis.core.validity.lanes import checked_keys, checked_lanes
from fictilis.core.validity.objects import check_id, check_object, checked_colour, once
from fictilis.core.validity.proportion import MOST_ID, in_proportion

REACH = 10.0  # of a reference: views from the middle, and in size
MOST_FOLLOWING = 32  # lines, each along the next


def checked_along(scene: Scene, object_id: str, line_id: str) -> None:
    """Raises EditRefused unless an object can follow a line: one that is there, and does not follow the object."""
    name, seen = scene.owner(object_id).name, object_id
    scene.object(line_id).line  # noqa: B018 - which refuses what is none
    step: str | None = line_id
    for depth in range(len(scene.objects) + 1):
        if step is None:
            return
        if depth >= MOST_FOLLOWING:
            raise EditRefused(f"{name} would follow lines that follow one another {MOST_FOLLOWING} deep; take it off one.")
        if step == seen:
            raise EditRefused(f"{name} cannot follow {scene.object(line_id).name}, which follows {name} itself.")
        way = scene.object(step).along
        step = way.line if way is not None else None
    raise EditRefused(
        f"{name} cannot follow {scene.object(line_id).name}: the lines there follow one another in a circle; "
        "take one of them off its line first."
    )


def check(scene: Scene, before: Scene | None = None) -> None:
    """Raises EditRefused, in a sentence with names and numbers, for a scene that could not be opened, drawn, edited or written.
    Of what is the same as in a valid scene ``before`` nothing is looked at again."""
    if scene is before:
        return
    for part in scene.__struct_fields__:
        if before is None or getattr(scene, part) is not getattr(before, part):
            in_proportion(getattr(scene, part), part)
    _names(scene)
    _time(scene)
    _measures(scene)
    looking: tuple[SavedView | SceneCamera, ...] = (*scene.views, *scene.cameras)
    for some in looking:
        lens = some.lens if isinstance(some, SceneCamera) else 30.0
        if not 0 < some.distance < 1e9 or not 1 <= lens <= 170:
            raise EditRefused(f"{some.name} stands {some.distance:g} cm away, and sees {lens:g} degrees.")
    known = {} if before is None else {o.id: o for o in before.objects}
    for obj in scene.objects:
        was = known.get(obj.id)
        check_object(obj, was)
        if obj is not was:
            scene.check_shown(obj)
        if obj.repeat is not None:
            checked_repeat(scene, obj, obj.repeat)
    for camera in scene.cameras:
        once((lane.channel for lane in camera.lanes), f"In {camera.name} the lane of")
        for lane in camera.lanes:
            checked_keys(camera, lane.channel, lane.curve.keys)
    for owner in scene.owners:
        if owner.along is not None:
            checked_along(scene, owner.id, owner.along.line)
    _clips(scene, before)
    if before is None or before.cues is not scene.cues:
        for some_cue in scene.cues:
            checked_cue(some_cue)


def checked_measure(scene: Scene, measure: Measure) -> None:
    """Raises EditRefused unless it goes from a point to another one."""
    for end in (measure.first, measure.second):
        obj = scene.object(end.owner)
        if not 0 <= end.point < len(obj.base):
            raise EditRefused(f"{measure.name} needs a point of {obj.name} from 0 to {len(obj.base) - 1:,}, not {end.point:,}.")
    if measure.first == measure.second:
        raise EditRefused(f"{measure.name} goes from a point to itself; name two points.")


def _measures(scene: Scene) -> None:
    for measure in scene.measures:
        checked_measure(scene, measure)


def _names(scene: Scene) -> None:
    for values, what in (
        ((x.id for x in scene.owners), "The id"), ((o.name for o in scene.objects), "The object name"),
        ((c.name for c in scene.cameras), "The camera"), ((v.name for v in scene.views), "The view"),
        ((c.id for c in scene.clips), "The clip id"), ((c.name for c in scene.clips), "The clip"),
        ((m.name for m in scene.measures), "The measure"),
        ((c.id for c in scene.cues), "The cue id"), ((c.name for c in scene.cues), "The cue"),
    ):  # fmt: skip
        once(values, what)
    for part in (*(x.id for x in scene.owners), *(x.id for x in scene.clips), *(x.id for x in scene.cues)):
        check_id(part)


def _time(scene: Scene) -> None:
    longest = LONGEST_RANGE
    if not 0.1 <= scene.fps <= 1000 or not -longest <= scene.start < scene.end <= longest:
        raise EditRefused(f"Its rate is {scene.fps:g} and its range {scene.start:g} to {scene.end:g}.")
    if scene.played is not None and not scene.start <= scene.played[0] < scene.played[1] <= scene.end:
        raise EditRefused(f"It plays {scene.played[0]:g} to {scene.played[1]:g}, out of {scene.start:g} to {scene.end:g}.")
    frames = [m.frame for m in scene.markers]
    if any(b - a <= 1e-6 for a, b in zip(frames, frames[1:], strict=False)):
        raise EditRefused("Its markers are out of order.")
    if not 0 <= scene.id_floor < MOST_ID:
        raise EditRefused(f"It says that ids up to {scene.id_floor} are gone; that is from 0 to {MOST_ID:,}.")
    checked_sound(scene.sound)
    checked_reference(scene.reference)
    checked_light(scene.light)


def checked_sound(sound: Sound | None) -> None:
    """Raises EditRefused for numbers out of bounds."""
    if sound is not None and not abs(sound.start) <= LONGEST_RANGE:
        raise EditRefused(f"A sound cannot begin at frame {sound.start:g}.")
    if sound is not None and not 0 <= sound.volume <= 1:
        raise EditRefused(f"A volume must be from 0 to 1, not {sound.volume:g}.")


def checked_light(light: Light | None) -> None:
    """Raises EditRefused for numbers out of bounds."""
    if light is None:
        return
    for name, (low, high) in LIGHT_BOUNDS.items():
        if not low <= getattr(light, name) <= high:
            raise EditRefused(f"The light’s {name} must be from {low:g} to {high:g}, not {getattr(light, name):g}.")
    checked_colour(light.line_colour)
    if light.clay not in CLAYS:
        raise EditRefused(f"Clay is one of {', '.join(CLAYS)}, not “{light.clay}”.")


def checked_reference(reference: Reference | None) -> None:
    """Raises EditRefused for numbers out of bounds."""
    if reference is None:
        return
    for value, words, low, high in (
        (reference.start, "A reference cannot begin at frame", -LONGEST_RANGE, LONGEST_RANGE),
        (reference.opacity, "An opacity must be from 0 to 1, not", 0.0, 1.0),
        (reference.size, f"A size must be from 0.01 to {REACH:g}, not", 0.01, REACH),
        (reference.across, f"A place must be from {-REACH:g} to {REACH:g}, not", -REACH, REACH),
        (reference.up, f"A place must be from {-REACH:g} to {REACH:g}, not", -REACH, REACH),
    ):
        if not low <= value <= high:
            raise EditRefused(f"{words} {value:g}.")


def checked_repeat(scene: Scene, obj: MorphObject, repeat: Repeat) -> None:
    """Raises EditRefused where an object cannot stand in copies so."""
    if repeat.other is None:
        return
    if repeat.other == obj.id:
        raise EditRefused(f"{obj.name} is repeated on another object, not on itself; choose another one.")
    other = scene.object(repeat.other)
    if repeat.way == LINE:
        other.line  # noqa: B018 - which refuses what is none
    if repeat.way == FACES and not other.geometry.face_count:
        raise EditRefused(f"{other.name} has no faces to stand on; repeat {obj.name} on its points.")


def _clips(scene: Scene, before: Scene | None) -> None:
    """The clips, the active one, and what both clips of a blend hold."""
    if (scene.clip is None) is bool(scene.clips) or scene.clips and scene.clip not in {c.id for c in scene.clips}:
        raise EditRefused(f"It has {len(scene.clips)} clips, and “{scene.clip}” is to be active.")
    objects = {o.id: o for o in scene.objects}
    were = {o.id: o for o in before.objects} if before is not None else {}
    for obj in scene.objects:
        if obj.blend is not None:
            checked_lanes(obj, obj.blend.lanes, lane_homes(obj))
    fitting = {  # objects that may have the lanes that they might have before
        o.id for o in scene.objects if o.id in were and all(getattr(were[o.id], p) is getattr(o, p) for p in LANE_HOLDERS)
    }
    known = {id(part) for clip in before.clips for part in clip.parts} if before is not None else set[int]()
    for clip in scene.clips:
        _clip(scene, clip)
        for part in clip.parts:
            if part.owner not in objects:
                raise EditRefused(f"Its clip {clip.name} moves {part.owner}, which is not there.")
            obj = objects[part.owner]
            if part.owner in fitting and id(part) in known:
                continue
            checked_lanes(obj, tuple(x for x in part.lanes if part.blend is None or x.channel != BLEND), lane_homes(obj))
            if part.blend is not None:
                checked_lanes(obj, part.blend.lanes, lane_homes(obj))


def _clip(scene: Scene, clip: Clip) -> None:
    once((p.owner for p in clip.parts), f"In {clip.name} the object")
    longest = LONGEST_RANGE
    if not -longest <= clip.start < clip.end <= longest or clip.id == scene.clip and clip.parts:
        raise EditRefused(f"Its clip {clip.name} runs from {clip.start:g} to {clip.end:g}.")
    if clip.played is not None and not clip.start <= clip.played[0] < clip.played[1] <= clip.end:
        raise EditRefused(f"Its clip {clip.name} plays {clip.played[0]:g} to {clip.played[1]:g}.")
