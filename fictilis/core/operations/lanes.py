"""Operations on lanes and keys, and on what stands in time: rate, range, markers, sound, cameras."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from fictilis.core.animation.curve import BEYOND, INTERPOLATIONS, TANGENTS
from fictilis.core.animation.modifiers import KINDS, Modifier
from fictilis.core.edits import keys as key_edits
from fictilis.core.edits import timeline, timing
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.names import fresh_name
from fictilis.core.ground.parameters import Choice, Flag, Number, Span, Text
from fictilis.core.mix import key_refs
from fictilis.core.mix.channels import ChannelRef, set_value
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.operations.table import Operation, Outcome, Subject, Values
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.waveform import onsets

FRAMES = (-1e6, 1e6)
SPAN = Span("range", "Frames", lambda s: s.span, asked=False)
WAYS_ON = {"hold": "Hold", "linear": "Go on straight", "repeat": "Repeat", "offset": "Repeat with the offset",
           "ping-pong": "Back and forth"}  # fmt: skip


def _thinned(made: tuple[Scene, int]) -> Outcome:
    scene, gone = made
    return Outcome(scene, said=f"{gone} key{'' if gone == 1 else 's'} went." if gone else "Every key is needed.")


def _bake(s: Subject, v: Values) -> Scene:
    first, last = v["range"]
    return timing.bake(s.scene, s.lanes, first, last, v["every"])


def _hold(s: Subject, v: Values) -> Scene:
    scene, frame = s.scene, s.frame if v["frame"] is None else v["frame"]
    for ref in s.keyed:
        scene = timing.hold_until(scene, *ref, frame)
    return scene


def _goes_on(side: str) -> Callable[[Subject], str]:
    def now(s: Subject) -> str:
        lane = s.scene.owner(s.keyed[-1].owner).lane(s.keyed[-1].channel)
        return str(getattr(lane.curve, side)) if lane is not None else "hold"

    return now


def _beyond(s: Subject, v: Values) -> Scene:
    scene = s.scene
    for ref in s.keyed:
        scene = key_edits.set_beyond(scene, *ref, v["before"], v["after"])
    return scene


def _a(word: str) -> str:
    return f"an {word}" if word[0] in "aeiou" else f"a {word}"


def _set(s: Subject, v: Values) -> Scene:
    scene = s.scene
    for ref in s.selected:
        scene = set_value(scene, *ref, v["value"])
    return scene


def _retime(s: Subject, v: Values) -> Outcome:
    (first, last), (to_first, to_last) = v["range"], v["onto"]
    return _met(s, timing.retime(s.scene, s.lanes, first, last, to_first, to_last, not v["no-rounding"]))


def _snap(s: Subject, _v: Values) -> Outcome:
    return _met(s, timing.snap_to_frames(s.scene, s.lanes))


def _close(s: Subject, _v: Values) -> Outcome:
    all_jumping = key_refs.jumping(s.scene)
    lanes = [ref for ref in s.lanes if ref in s.selected] or all_jumping
    if not lanes:
        return Outcome(s.scene, said="All lanes loop cleanly.")
    scene, said = timing.close_loop(s.scene, lanes), []
    several = len({ref.owner for ref in all_jumping}) > 1
    left = [
        f"{s.scene.owner(ref.owner).name}’s {s.named(ref)}" if several else s.named(ref)
        for ref in all_jumping
        if ref not in lanes
    ]
    if left:
        more = f" and {len(left) - 4} more" if len(left) > 4 else ""
        said.append(f"{len(left)} other lane{' jumps' if len(left) == 1 else 's jump'} too: {', '.join(left[:4])}{more}.")
    for ref in lanes:
        before, after = (at.owner(ref.owner).lane(ref.channel) for at in (s.scene, scene))
        last = after.curve.keys[-1].frame if after is not None else 0.0
        if before is not None and last > max(before.curve.keys[-1].frame, s.scene.span[1]):
            said.append(f"{s.named(ref)} has its first pose again at frame {last:g}; let the range end there.")
    return Outcome(scene, said=" ".join(said))


def _met(s: Subject, scene: Scene) -> Outcome:
    return Outcome(scene, said=key_refs.lost_words(key_refs.keys_lost(s.scene, scene, s.lanes)))


LANES = (
    Operation("lanes", "retime", "Retime", _retime,
              (SPAN, Span("onto", "Frames to be", needed=True), Flag("no-rounding", "Without rounding to whole frames")),
              ("lanes",), "Scales and shifts a range of keys; those on whole frames stay on such.",
              done="Retime"),
    Operation("lanes", "shift", "Shift everything after the playhead",
              lambda s, v: timing.shift_after(s.scene, s.lanes, s.frame if v["after"] is None else v["after"], v["by"]),
              (Number("after", "After", low=FRAMES[0], high=FRAMES[1], asked=False),
               Number("by", "Frames", 1.0, True, low=FRAMES[0], high=FRAMES[1])), ("lanes",),
              "Moves all later keys; a negative number moves them back.",
               "Shift it",
              done="Shift what follows"),
    Operation("lanes", "reverse", "Reverse", lambda s, v: timing.reverse(s.scene, s.lanes, *v["range"]), (SPAN,), ("lanes",),
              "Plays a range backwards.", done="Reverse"),
    Operation("lanes", "mirror", "Mirror in value", lambda s, v: timing.mirror_values(s.scene, s.lanes, v["about"]),
              (Number("about", "About the value", 0.5, True, low=-1000, high=1000),), ("lanes",), "Mirrors values about one.",
              "Mirror it", done="Mirror in value"),
    Operation("lanes", "scale", "Scale values", lambda s, v: timing.scale_values(s.scene, s.lanes, v["factor"]),
              (Number("factor", "Factor", 1.0, True, unit="×", low=-1000, high=1000),), ("lanes",),
              "Every value of the lanes is multiplied.", "Scale them", done="Scale values"),
    Operation("lanes", "stagger", "Stagger lanes", lambda s, v: timing.stagger(s.scene, s.lanes, v["by"]),
              (Number("by", "Each later by", 3.0, True, unit="frames", low=FRAMES[0], high=FRAMES[1]),), ("lanes",),
              "The first lane stays; each further one, in the order of the cards, starts that much later.", "Stagger them",
              done="Stagger"),
    Operation("lanes", "snap", "Snap to whole frames", _snap, (), ("lanes",),
              "Every key to the nearest frame.", done="Snap to whole frames"),
    Operation("lanes", "bake", "Bake to keys", _bake,
              (SPAN, Number("every", "A key every", 1.0, unit="frames", low=0.01, high=1e5)), ("lanes",),
              "A key each so many frames, modifiers worked in.", "Bake it", done="Bake"),
    Operation("lanes", "reduce", "Reduce keys", lambda s, v: _thinned(timing.reduce_keys(s.scene, s.lanes, v["within"])),
              (Number("within", "Within", 0.01, True, low=0, high=10, decimals=3),), ("lanes",),
              "As few as keep every value within a tolerance.", "Reduce them", done="Reduce keys"),
    Operation("lanes", "clean", "Clean away keys that change nothing", lambda s,
              _v: _thinned(timing.clean_keys(s.scene, s.lanes)), (),
              ("lanes",), "Deletes keys that do not change the curve.", done="Clean keys"),
    Operation("lanes", "hold", "Hold until here", _hold, (Number("frame", "Frame", low=FRAMES[0], high=FRAMES[1],
        asked=False),),
              ("lane",),
              "Copies the earlier value to this frame, so that it holds until here.", done="Hold until frame {frame}"),
    Operation("lanes", "close", "Close the loop", _close, (), ("lanes",),
              "The selected lanes, or all that jump, get the same value and slope at both ends; a relay its first pose again.",
              done="Close the loop"),
    Operation("lanes", "beyond", "Before and after the keys",
              _beyond,
              tuple(Choice(side, label, _goes_on(side),
                           options=tuple((way, WAYS_ON[way], way) for way in BEYOND))
                    for side, label in (("before", "Before the first"), ("after", "After the last"))),
              ("lane",), "How the lanes go on outside their keys.", "Set it", "{lane} outside its keys",
              "Outside the keys of {lane}"),
    Operation("lanes", "set", "Value", _set, (Number("value", "Value", needed=True, low=-1e7, high=1e7),), ("channel",),
              "The value of a lane where it has no keys.", done="Set {lane}"),
)  # fmt: skip


def _modified(kind: str) -> Callable[[Subject, Values], Scene]:
    def run(s: Subject, v: Values) -> Scene:
        new = Modifier(kind, True, v["amount"], tuple((x.name, v[x.name]) for x in KINDS[kind].settings))
        return _with_modifiers(s, lambda there: (*there, new))

    return run


def _with_modifiers(s: Subject, change: Callable[[tuple[Modifier, ...]], tuple[Modifier, ...]]) -> Scene:
    scene = s.scene
    for ref in s.keyed:
        lane = scene.owner(ref.owner).lane(ref.channel)
        scene = timing.set_modifiers(scene, *ref, change(lane.modifiers if lane is not None else ()))
    return scene


MODIFIERS = (
    *(Operation("modifier", kind, f"New {kind}", _modified(kind),
                (Number("amount", "Amount", 1.0, low=-10, high=10),
                 *(Number(x.name, x.name.capitalize(), x.default, unit=x.unit, low=x.low,
                          high=x.high) for x in KINDS[kind].settings)),
                ("lane",), f"Lays {_a(kind)} over the curves of the lanes.", "Add it",
                done=f"New {kind} of {{lanes}}") for kind in KINDS),
    Operation("modifier", "clear", "Remove all modifiers", lambda s, _v: _with_modifiers(s, lambda _there: ()), (),
              ("lane",),
              "The curves are as they are keyed again.", done="Remove the modifiers of {lanes}"),
)  # fmt: skip


def _move(s: Subject, v: Values) -> Outcome:
    scene, places = key_edits.move_keys(s.scene, s.keys, v["frames"], v["value"], snap=False)
    return Outcome(scene, keys=frozenset(places))


def _handle(s: Subject, v: Values) -> Scene:
    scene = s.scene
    for key in sorted(s.keys, key=lambda k: k.frame):
        scene = key_edits.set_handle(scene, key, v["side"], v["frames"], v["value"])
    return scene


def _delete(s: Subject, _v: Values) -> Outcome:
    return Outcome(key_edits.delete_keys(s.scene, s.keys), keys=frozenset())


def _to_next(way: str) -> Callable[[Subject, Values], Scene]:
    return lambda s, _v: key_edits.set_interpolation(s.scene, s.keys, way)


def _tangents(way: str) -> Callable[[Subject, Values], Scene]:
    return lambda s, _v: key_edits.set_tangent(s.scene, s.keys, way)


_WAYS = {"hold": "Hold until", "linear": "Linear to", "smooth": "Smooth to"}
_TANGENT = {"auto": "Automatic tangents", "flat": "Flatten tangents", "broken": "Break tangents", "joined": "Join tangents"}
KEYS = (
    *(Operation("keys", way, f"{words} the next key", _to_next(way),
                (),
                ("keys",), f"Interpolation of the keys: {way}.", done=f"{way.capitalize()} to the next key")
      for way, words in _WAYS.items()),
    Operation("keys", "ease", "Ease to the next key",
              lambda s, v: key_edits.set_interpolation(s.scene, s.keys, "ease", v["ease"]),
              (Text("ease", "Easing", "ease-in-out", True),), ("keys",),
              "By the name of an easing, or as cubic-bezier(…) of CSS.",
              done="Ease to the next key"),
    *(Operation("keys", way, words, _tangents(way), (), ("keys",),
                f"Tangents of the keys: {way}.", done=words) for way, words in _TANGENT.items()),
    Operation("keys", "straighten", "Straighten tangents", lambda s, _v: key_edits.straighten(s.scene, s.keys), (), ("keys",),
              "Handles point at the neighbouring keys.", done="Straighten tangents"),
    Operation("keys", "handle", "Handle", _handle,
              (Choice("side", "Side", "out", True, options=(("into", "Into the key", "into"),
                                                            ("out", "Out of the key", "out"))),
               Number("frames", "Frames", needed=True, low=0, high=1e6),
               Number("value", "Value", needed=True, low=-1e7, high=1e7)),
              ("keys",), "One handle of the keys, as an offset in frames and value.", done="Move a handle"),
    Operation("keys", "move", "Move keys", _move,
              (Number("frames", "Frames on", 0.0, low=FRAMES[0], high=FRAMES[1]),
               Number("value", "Value up", 0.0, low=-1e7, high=1e7)),
              ("keys",), "Moves keys in time and value.", done="Move keys"),
    Operation("keys", "delete", "Delete keys", _delete, (), ("keys",), "Deletes the keys.", done="Delete keys"),
)  # fmt: skip
assert set(_TANGENT) == set(TANGENTS) and set(_WAYS) | {"ease"} == set(INTERPOLATIONS)


def _marker(s: Subject, v: Values) -> Scene:
    return timeline.set_marker(s.scene, s.frame if v["frame"] is None else v["frame"], v["name"])


def _drop_marker(s: Subject, v: Values) -> Scene:
    return timeline.drop_marker(s.scene, s.frame if v["frame"] is None else v["frame"])


def _peaks(s: Subject, v: Values) -> Outcome:
    scene, sound, wave = s.scene, s.scene.sound, s.wave()
    if sound is None or wave is None:
        raise EditRefused("The sound cannot be read here.")
    frames = sorted({round(sound.start + t * scene.fps) for t in onsets(wave, int(v["most"]), v["apart"])})
    free = [f for f in frames if scene.start <= f <= scene.end and all(abs(m.frame - f) > 0.5 for m in scene.markers)]
    for frame in free:
        scene = timeline.set_marker(scene, float(frame), fresh_name("Beat", {m.name for m in scene.markers}))
    if not free:
        raise EditRefused("The sound has no peak in the range that has no marker yet.")
    return Outcome(scene, said=f"{len(free)} marker{'' if len(free) == 1 else 's'} at the peaks of {sound.name}.")


FRAME = Number("frame", "Frame", low=FRAMES[0], high=FRAMES[1], asked=False)
TIMES = (
    Operation("time", "rate", "Rate", lambda s, v: timeline.set_rate(s.scene, v["fps"], v["keep-seconds"]),
              (Number("fps", "Frames a second", lambda s: s.scene.fps, True, low=0.1, high=1000),
               Flag("keep-seconds", "Keys keep their seconds")), (), "Another frame rate.", done="Change the rate"),
    Operation("time", "range", "Range", lambda s, v: timeline.set_frame_range(s.scene, *v["frames"]),
              (Span("frames", "Frames", lambda s: (s.scene.start, s.scene.end), True),), (), "The frames of the scene.",
              done="Change the range"),
    Operation("time", "play", "Play a part", lambda s, v: timeline.set_played(s.scene, *v["frames"]),
              (Span("frames", "Frames", lambda s: s.scene.span, True),), (), "The part that is played.", done="Play a part"),
    Operation("time", "play-all", "Play all of the range", lambda s, _v: timeline.play_all(s.scene), (), ("played",),
              "The whole range is played.", done="Play all of the range"),
    Operation("time", "marker", "Marker", _marker, (FRAME, Text("name", "Name", "Beat", True)), (), "A name at a frame.",
              done="Marker {name}"),
    Operation("time", "drop-marker", "Delete the marker here", _drop_marker, (FRAME,), ("marker",),
              "Deletes the marker at a frame.",
              done="Delete the marker"),
    Operation("time", "sound-numbers", "Start and volume of the sound",
              lambda s, v: timeline.change_sound(s.scene, start=v["start"], volume=v["volume"]),
              (Number("start", "Begins at frame", lambda s: s.scene.sound.start, low=FRAMES[0], high=FRAMES[1]),
               Number("volume", "Volume", lambda s: s.scene.sound.volume, low=0, high=1)), ("sound",), "", "Set it",
              done="Start and volume of the sound"),
    Operation("time", "sound-markers", "Markers at the sound's peaks", _peaks,
              (Number("most", "At most", 24, low=1, high=1000, decimals=0),
               Number("apart", "Apart by at least", 0.25, unit="s", low=0.02, high=60)), ("sound",),
              "Sets markers where the sound grows louder most suddenly: beats, syllables, steps.", "Set them",
              done="Markers at the sound's peaks"),
    Operation("time", "mute", "Mute the sound", lambda s, v: timeline.change_sound(s.scene, muted=not v["off"]),
              (Flag("off", "On again", asked=False),), ("sound",), "The sound is silent.", done="Mute the sound"),
    Operation("time", "silence", "Remove the sound", lambda s, _v: timeline.set_sound(s.scene, None), (), ("sound",),
              "Removes the sound from the scene.", done="Remove the sound"),
    Operation("time", "reference-numbers", "Place and look of the reference picture",
              lambda s, v: timeline.change_reference(s.scene, **v),
              (Choice("before", "Placed", lambda s: s.scene.reference.before,
                      options=(("behind", "Behind", False), ("before", "In front", True))),
               Number("opacity", "Opacity", lambda s: s.scene.reference.opacity, low=0, high=1),
               Number("size", "Height, of the view’s", lambda s: s.scene.reference.size, low=0.01, high=10),
               Number("across", "To the right", lambda s: s.scene.reference.across, low=-10, high=10),
               Number("up", "Up", lambda s: s.scene.reference.up, low=-10, high=10),
               Number("start", "A movie begins at frame", lambda s: s.scene.reference.start, low=FRAMES[0], high=FRAMES[1]),
               Flag("through", "Only through a camera", lambda s: s.scene.reference.through)),
              ("reference",), "In heights of the view, from its middle.", "Set it", done="Place of the reference picture"),
    Operation("time", "hide-reference", "Hide the reference picture",
              lambda s, v: timeline.change_reference(s.scene, shown=v["off"]),
              (Flag("off", "On again", asked=False),), ("reference",), "The reference picture is not seen.",
              done="Hide the reference picture"),
    Operation("time", "drop-reference", "Remove the reference picture", lambda s, _v: timeline.set_reference(s.scene, None), (),
              ("reference",), "Removes the picture from the scene.", done="Remove the reference picture"),
)  # fmt: skip


def keys_at(scene: Scene, refs: Iterable[ChannelRef], frames: list[float] | None) -> frozenset[KeyRef]:
    """The keys of lanes, all or those at ``frames``."""
    out = set()
    for ref in refs:
        lane = scene.owner(ref.owner).lane(ref.channel)
        for key in lane.curve.keys if lane else ():
            if frames is None or any(abs(key.frame - f) < 1e-6 for f in frames):
                out.add(KeyRef(ref.owner, ref.channel, key.frame))
    return frozenset(out)
