"""Operations on relays and their poses."""

from __future__ import annotations

from collections.abc import Callable

from fictilis.core.edits import relays as edits
from fictilis.core.ground.numbers_said import in_cm
from fictilis.core.ground.parameters import Choice, Flag, Number, Parameter, Text
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.relay import members, middle, pose_at, relays
from fictilis.core.operations.table import Operation, Outcome, Subject, Values
from fictilis.core.scene.scene import RELAY_PATHS, STRAIGHT, Scene

PATH_WORDS = {"straight": "Straight", "through": "Through"}
SPREADS = ("frames", "distance")


class RelayShape(Parameter, frozen=True):
    """A shape of the relay, by id or name, or the base."""

    def options(self, subject: Subject) -> list[tuple[str, str]]:
        return [("Base", ""), *((t.name, t.id) for t in members(subject.obj, subject.relay))]

    def checked(self, value: object, subject: Subject) -> str:
        rows = dict(self.options(subject))
        if value in ("", None, "base") or value in rows.values():
            return "" if value in ("", None, "base") else str(value)
        return rows[str(value)] if value in rows else subject.obj.target_named(str(value)).id


def _path_now(s: Subject) -> str:
    return relays(s.obj)[s.relay].relay or STRAIGHT if s.relay_id is not None else STRAIGHT


PATH = Choice("path", "Path", _path_now, options=tuple((p, PATH_WORDS[p], p) for p in RELAY_PATHS))


def _new(s: Subject, v: Values) -> Outcome:
    chosen = [t.id for t in s.obj.targets if t.id in s.targets]
    first = v["first"] if v["first"] is not None else s.span[0] if len(chosen) > 1 else s.frame
    step = v["apart"]
    if step is None and len(chosen) > 1:
        step = max(float((s.scene.span[1] - first) // (len(chosen) - 1)), 1.0)
    scene, group_id = edits.make_relay(s.scene, s.obj.id, chosen, v["name"], first, step, v["way"], v["path"])
    lost = [t.name for t in s.obj.targets if t.id in chosen and s.obj.lane(t.id) is not None]
    said = f"The keys of {', '.join(lost)} went; the poses take their place." if lost else ""
    return Outcome(scene, lanes=(ChannelRef(s.obj.id, group_id),), said=said)


def _posed(
    make: Callable[[Subject, float], tuple[Scene, str]], at: Callable[[Subject, float], float]
) -> Callable[..., Outcome]:
    def run(s: Subject, v: Values) -> Outcome:
        frame = at(s, s.frame if v["frame"] is None else v["frame"])
        scene, made = make(s, frame)
        group = scene.object(s.obj.id).target(made).group or ""
        said = f"{scene.object(s.obj.id).target(made).name} stands at frame {frame:g} now; Enter shapes it."
        return Outcome(scene, targets=(made,), keys=frozenset({KeyRef(s.obj.id, group, frame)}), frame=frame, said=said)

    return run


def _here(_s: Subject, frame: float) -> float:
    return frame


def _pose_here(s: Subject, frame: float) -> float:
    return pose_at(s.obj, s.relay, frame).frame


def _put(s: Subject, v: Values) -> Scene:
    frame = s.frame if v["frame"] is None else v["frame"]
    return edits.set_pose(s.scene, s.obj.id, s.relay, frame, v["shape"])


def _spread(s: Subject, v: Values) -> Scene:
    return edits.spread(s.scene, s.obj.id, s.relay, v["by"] == "distance", not v["no-rounding"])


def _layers(s: Subject, _v: Values) -> Outcome:
    name = relays(s.obj)[s.relay].name
    scene, error = edits.put_in_layers(s.scene, s.obj.id, s.relay)
    how = f"to {in_cm(error)}" if error else "exactly"
    return Outcome(scene, said=f"The targets of {name} have keys of their own now; the motion is the same {how}.")


FRAME = Number("frame", "Frame", low=-1e6, high=1e6, asked=False)
WAY = Choice("way", "To the next pose", "smooth", options=tuple((way, way.capitalize(), way) for way in edits.WAYS))
RELAYS = (
    Operation("relay", "new", "New relay", _new,
              (Text("name", "Name", "Relay"), Number("first", "First pose at", low=-1e6, high=1e6, asked=False),
               Number("apart", "Frames apart", low=1, high=1e6, asked=False), WAY,
               Choice("path", "Path", STRAIGHT, options=PATH.options)), ("object",),
              "A row of poses on one lane: the selected targets one after another, or the base to begin with.", "Make it",
              done="New relay {name}"),
    Operation("relay", "seen", "New pose from what is seen",
              _posed(lambda s, f: edits.new_pose(s.scene, s.obj.id, s.relay, f), _here), (FRAME,), ("relay",),
              "A pose here with a shape of its own: what the relay shows now.", done="New pose of {relay}"),
    Operation("relay", "before", "New pose from the pose before",
              _posed(lambda s, f: edits.pose_from_before(s.scene, s.obj.id, s.relay, f), _here), (FRAME,), ("relay",),
              "A pose here with a copy of the shape before it, to be shaped.", done="New pose of {relay}"),
    Operation("relay", "between", "New pose in the middle of the stretch",
              _posed(lambda s, f: edits.new_pose(s.scene, s.obj.id, s.relay, f), lambda s, f: middle(s.obj, s.relay, f)),
              (FRAME,), ("relay",), "A pose half-way between the two beside the playhead, with the shape seen there.",
              done="New pose of {relay}"),
    Operation("relay", "put", "Replace the shape", _put, (RelayShape("shape", "Shape", needed=True), FRAME), ("relay",),
              "Shows another shape of the relay at this pose, or the base.", "Replace it", "The pose of {relay} here",
              "Replace a shape in {relay}"),
    Operation("relay", "own", "A shape of its own for this pose",
              _posed(lambda s, f: edits.own_shape(s.scene, s.obj.id, s.relay, f), _pose_here), (FRAME,), ("relay",),
              "Gives this pose its own copy of a shape that several poses share.",
              done="A shape of its own in {relay}"),
    Operation("relay", "spread", "Spread the poses evenly", _spread,
              (Choice("by", "By", SPREADS[0], options=(("frames", "Frames", "frames"), ("distance", "How far the points travel",
                  "distance"))), Flag("no-rounding", "Between whole frames too", asked=False)), ("relay",),
              "Between the first and the last pose: as many frames each, or at a constant speed.", "Spread them",
              done="Spread {relay}"),
    Operation("relay", "on", "Poses on twos",
              lambda s, v: edits.on_frames(s.scene, s.obj.id, s.relay, v["frames"]),
              (Number("frames", "Frames that a pose stands", 2.0, True, low=1, high=1e4),), ("relay",),
              "Each pose stands so many frames and is replaced by the next.", "Set it", done="{relay} a pose every {frames:g}"),
    Operation("relay", "path", "Path of the relay",
              lambda s, v: edits.set_relay_path(s.scene, s.obj.id, s.relay, v["path"]), (PATH,), ("relay",),
              "Straight from pose to pose, or through the row in one curve.", "Set it", "Path of {relay}", "Path of {relay}"),
    Operation("relay", "layers", "Relay to weight keys", _layers, (), ("relay",),
              "Turns the relay into weight keys that give the same motion.", done="{relay} as layered keys"),
)  # fmt: skip
