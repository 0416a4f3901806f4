"""What operations are made on."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits import clips, cues, deformers, measures, objects, relays, sweeps, timeline
from fictilis.core.edits.correctives import add_corrective
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.lines import set_along, target_from_line
from fictilis.core.edits.links import link_targets
from fictilis.core.edits.repeats import set_repeat
from fictilis.core.edits.shape import set_mask
from fictilis.core.edits.springs import set_spring
from fictilis.core.edits.targets import add_in_between, group_targets, keep_mix, target_from_points
from fictilis.core.edits.topology import set_surface
from fictilis.core.geometry.kinds import Line, Match, Tube
from fictilis.core.geometry.lines.tubes import round_profile
from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.primitives import plane
from fictilis.core.ground.parameters import Choice, Number, Span, Text
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.operations.clips import ClipChoice
from fictilis.core.operations.lines import OtherLine
from fictilis.core.operations.relays import RelayShape
from fictilis.core.operations.repeats import OtherObject
from fictilis.core.operations.table import ForeignTarget, Kept, OtherTarget, Subject
from fictilis.core.scene.cues import BACK, CLICK, Act, Cue, Lead, Then, When
from fictilis.core.scene.kept import PointOf
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.sweep import Sweep
from fictilis.core.scene.timeline import Reference, SceneCamera, Sound
from fictilis.core.scene.waveform import Waveform
from tests.rigged import rigged

OBJ, ONE, TWO, BOTH, GUST = "o1", "t1", "t2", "t3", "t6"


SPECIAL = {"measure-add": {"first": "Ball", "first-point": 1, "second": "Other", "second-point": 2},
           "light-set": {"line-colour": "#204060"},
           "ease": {"ease": "bounce-out"}, "no-in-between": {"at": 0.5}, "handle": {"side": "out", "frames": 2.0, "value": 0.1},
           "weld": {"within": 5.5}, "numbers": {"segments": 3}, "driver": {"driver": "Slide", "at": 0.4},
           "no-driver": {"driver": "Slide"}, "together": {"how": "smallest"},
           "match": {"other": "Loop", "corners": True}, "line-shift": {"shift": 0.25}, "line-rebuild": {"count": 9},
           "turn": {"joint": "Joint 1", "x": 30.0}, "place": {"place": 2}, "switch": {"off": True},
           "change": {"key": "A", "seconds": 0.2, "then": "next", "next": "Press", "meets": "queue"},
           "follow": {"source": "Lift", "curve": "0=0,1=0.5"}, "sweep-after": {"earlier": "Gust"}}  # fmt: skip


PICKS = {"delete-faces": Pick("faces", [3]), "inset": Pick("faces", [5, 6]), "extrude": Pick("faces", [5]),
         "loop-cut": Pick("edges", [7]), "origin": Pick("points", [12]), "even": Pick("points", [0, 1, 2]),
         "split": Pick("points", [2, 7]), "line-join": Pick("points", [0, 5]), "first": Pick("points", [8]),
         "from-edges": Pick("points", [0, 1, 2])}  # fmt: skip


@pytest.fixture(scope="module")
def everything():
    """A scene in which every operation has something to work on."""
    from fictilis.core.edits.objects import add_object
    from fictilis.core.scene.scene import Scene

    points, mesh = plane(20.0, 20.0, 4, 4)
    scene, _ = add_object(Scene(), "Sheet", mesh, points)
    lift, slide = points.copy(), points.copy()
    lift[:, 1] += 10 * np.exp(-((points[:, 0] / 8) ** 2))
    slide[:8, 2] += 4
    scene, _ = target_from_points(scene, OBJ, "Lift", lift)
    scene, _ = target_from_points(scene, OBJ, "Slide", slide)
    scene, other = add_object(scene, "Other", mesh, points * 1.1)
    scene, _ = target_from_points(scene, other, "Far", lift * 1.1)
    scene = set_mask(add_in_between(scene, OBJ, TWO, 0.5), OBJ, TWO, np.linspace(0.2, 1, len(points)))
    scene, _ = group_targets(scene, OBJ, [TWO], "Sides")
    scene = keep_mix(keep_mix(scene, OBJ, "Calm", {ONE: 0.0, TWO: 0.2}), OBJ, "Storm", {ONE: 1.0, TWO: 0.7})
    scene = objects.keep_pick(scene, OBJ, "Rim", Pick("points", [0, 1, 2]))
    for frame, value in ((0, 0.0), (12, 1.0), (24, 0.25), (40, 0.0)):
        scene = set_key(set_key(scene, OBJ, TWO, Key(frame, value)), OBJ, "position.x", Key(frame + 0.5, 3 * value))
    scene = timeline.set_played(timeline.set_marker(timeline.set_marker(scene, 0, "In"), 30, "Beat"), 0, 48)
    scene = timeline.set_sound(scene, Sound("surf.wav", b"RIFF not really"))
    scene = set_surface(scene, OBJ, 1)
    scene = measures.add_measure(scene, PointOf(OBJ, 0), PointOf(OBJ, 24))
    scene = timeline.set_reference(scene, Reference("take.mp4", b"not really"))
    scene, both = add_corrective(scene, OBJ, {ONE: 1.0, TWO: 0.6}, "Both")
    assert both == BOTH
    for name in ("Fold", "Crease"):
        scene, _ = target_from_points(scene, OBJ, name, lift if name == "Fold" else slide)
    scene, row = relays.make_relay(scene, OBJ, ["t4", "t5"], "Row", 0.0, 10.0)
    scene = relays.set_pose(relays.set_pose(scene, OBJ, row, 20.0, "t5"), OBJ, row, 48.0, "t4", "hold")
    scene, ball_id = add_form(scene, "Ball", {"radius": 4.0})
    scene, gust = target_from_points(scene, OBJ, "Gust", lift)
    assert gust == GUST
    scene = sweeps.set_sweep(scene, OBJ, GUST, Sweep(np.linspace(0, 1, len(points)), way="x"))
    scene, third = add_object(scene, "Third", mesh, points * 1.2)
    scene, named = target_from_points(scene, third, "Far", lift * 1.2)
    scene, _ = target_from_points(scene, third, "Lift", lift * 1.3)
    scene = link_targets(scene, [(other, "t1"), (third, named)])
    for kind, amount in (("bend", 60.0), ("twist", 30.0), ("taper", 0.5)):
        scene = deformers.change_deformer(scene, third, kind, amount=amount)
    scene = rigged(scene, third)
    scene = with_lines(scene)
    scene = set_along(scene, ball_id, scene.object_named("Loop").id)
    scene, bud = add_form(scene, "Globe", {"radius": 2.0, "segments": 4, "rings": 2})
    scene, _ = target_from_points(objects.rename_object(scene, bud, "Bud"), bud, "Wide", scene.object(bud).base * [2, 1, 1])
    scene = set_spring(scene, bud, PointSpring(field=np.linspace(0, 1, len(scene.object(bud).base))))
    scene = set_repeat(scene, bud, Repeat(counts=(3, 2, 1), later=5.0, order="x"))
    scene = clips.rename_clip(*clips.duplicate_clip(scene, "Far"), "Swim")
    for name in ("Touch", "Press"):
        scene, _ = cues.add_cue(scene, Cue("", name, When(CLICK, OBJ, "Rim"), Act(leads=(Lead(OBJ, TWO),)), Then(1.0, BACK)))
    scene, camera = timeline.add_camera(scene, SceneCamera("", "Close up", (1.0, 2.0, 3.0), 90.0, 5.0, 6.0))
    return set_along(scene, camera, scene.object_named("Loop").id)


def with_lines(scene):
    """A line of two strands with a target of its own and one made of another line, and that other one."""
    points, _ = plane(20.0, 20.0, 10, 1)
    line = Line(starts=np.array([0, 6, 11]), closed=np.array([False, True]), degree=3, widths=np.linspace(0, 1, 11),
                tube=Tube(round_profile(5)))  # fmt: skip
    scene, frond = objects.add_object(scene, "Frond", line, points[:11] + np.sin(points[:11, :1]) * [0, 4, 1])
    scene, _ = target_from_points(scene, frond, "Sway", points[:11] + [0, 3, 0])
    scene, loop = add_form(scene, "Star", {"radius": 9.0, "inner": 5.0})
    scene = objects.rename_object(scene, loop, "Loop")
    other = scene.object(loop)
    return target_from_line(scene, frond, "Starry", Match(other.line, other.base))[0]


def subject_for(operation, scene) -> Subject:
    from fictilis.core.mix.channels import ChannelRef

    if operation.verb in ("freeze", "origin", "pivot"):  # not for what moves
        scene = scene.with_object(scene.object(OBJ).with_lane("position.x", AnimationCurve()))
    lanes = (ChannelRef(OBJ, TWO), ChannelRef(OBJ, "position.x"))
    keys = frozenset({KeyRef(OBJ, TWO, 12.0), KeyRef(OBJ, TWO, 24.0)})
    pick = PICKS.get(operation.id) or PICKS.get(operation.verb, Pick("points", [0, 1, 5, 6]))
    targets = (ONE, BOTH) if "corrective" in operation.needs else (ONE, TWO)
    targets = (ONE,) if operation.verb in ("new", "sweep", "sweep-after") else targets
    targets = (ONE, BOTH) if "driven" in operation.needs else (ONE, GUST) if "swept" in operation.needs else targets
    selected = (ChannelRef(OBJ, "opacity"),) if operation.verb == "set" else lanes[:1]
    if operation.id == "clip-offset":
        scene = clips.blend_clips(scene, "p1", "p2")[0]
    if operation.part == "line" and operation.verb != "from-edges":
        frond = scene.object_named("Frond")
        return Subject(scene, frond.id, (frond.targets[0].id, frond.targets[1].id), pick, pick.kind)
    if operation.part in ("deform", "rig"):
        return Subject(scene, scene.object_named("Third").id)
    if operation.part in ("repeat", "spring"):
        bud = scene.object_named("Bud")
        if operation.verb == "points":  # not for copies that move at different times
            scene = scene.with_object(replace(bud, repeat=replace(bud.repeat, later=0.0)))
        return Subject(scene, bud.id)
    if operation.verb == "sound-markers":
        clicks = np.zeros((48_000, 2), np.int16)
        clicks[12_000:12_400] = clicks[36_000:36_200] = 9000
        return Subject(scene, OBJ, wave=lambda: Waveform(clicks, 48_000))
    if operation.id in ("form-numbers", "object-no-along"):
        return Subject(scene, next(o.id for o in scene.objects if o.name == "Ball"))
    if operation.id == "target-unlink":
        return Subject(scene, "o2", ("t1",))
    return Subject(scene, OBJ, targets, pick, pick.kind, lanes, selected, keys,
                   0.0 if operation.verb == "drop-marker" else 30.0,
                   (0.0, 40.0), {ONE: 0.3, TWO: 0.6}, cue_id="q1")  # fmt: skip


def given_for(operation, subject) -> dict:
    """Values for what must be given."""
    out = dict(SPECIAL.get(operation.id) or SPECIAL.get(operation.verb, {}))
    for p in operation.parameters:
        if p.name in out or not p.needed:
            continue
        if isinstance(p, Number):
            out[p.name] = p.begins_at(subject) if p.default is not None else (p.low + p.high) / 2 if p.high < 1e3 else 0.7
        elif isinstance(p, Choice):
            out[p.name] = p.options[-1][0]
        elif isinstance(p, OtherTarget):
            out[p.name] = "base" if p.base else "Lift"
        elif isinstance(p, ClipChoice):
            out[p.name] = "Clip 1" if p.name != "first" else "Swim"
        elif isinstance(p, RelayShape):
            out[p.name] = "base"
        elif isinstance(p, OtherLine):
            out[p.name] = "Loop"
        elif isinstance(p, OtherObject):
            out[p.name] = subject.scene.objects[0].name
        elif isinstance(p, ForeignTarget):
            out[p.name] = "Other/Far"
        elif isinstance(p, Kept):
            out[p.name] = p.among(subject)[0]
        elif isinstance(p, Text):
            out[p.name] = "New name"
        elif isinstance(p, Span):
            out[p.name] = (0.0, 60.0)
    return out
