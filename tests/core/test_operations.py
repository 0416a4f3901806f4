"""Every operation of the table, by the same tests: it runs, is saved and opened, keeps to locks, and refuses bad numbers."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.at_frame.pose import evaluate
from fictilis.core.edits import clips, cues, deformers, objects, relays, sweeps, timeline
from fictilis.core.edits.correctives import add_corrective, set_follow
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.lines import set_along, target_from_line
from fictilis.core.edits.links import link_targets
from fictilis.core.edits.repeats import set_repeat
from fictilis.core.edits.shape import set_mask
from fictilis.core.edits.springs import set_spring
from fictilis.core.edits.targets import add_in_between, group_targets, keep_mix, new_target, target_from_points
from fictilis.core.edits.topology import set_surface
from fictilis.core.geometry.kinds import Line, Match, Tube
from fictilis.core.geometry.lines.tubes import round_profile
from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.primitives import plane
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Choice, Flag, Number, Span, Text
from fictilis.core.mix.channels import values_at
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.clips import ClipChoice
from fictilis.core.operations.lines import OtherLine
from fictilis.core.operations.relays import RelayShape
from fictilis.core.operations.repeats import OtherObject
from fictilis.core.operations.table import ForeignTarget, Kept, OtherTarget, Subject
from fictilis.core.scene.cues import BACK, CLICK, Act, Cue, Lead, Then, When
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.rules import Follow
from fictilis.core.scene.sweep import Sweep
from fictilis.core.scene.timeline import Reference, SceneCamera, Sound
from fictilis.core.scene.waveform import Waveform
from fictilis.core.validity.targets import followed
from fictilis.formats.native import read_native, write_native
from fictilis.formats.registry import export, scene_from_file
from tests.formats.test_native import same
from tests.rigged import rigged

OBJ, ONE, TWO, BOTH, GUST = "o1", "t1", "t2", "t3", "t6"
SPECIAL = {"ease": {"ease": "bounce-out"}, "no-in-between": {"at": 0.5}, "handle": {"side": "out", "frames": 2.0, "value": 0.1},
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
FREE = {"target-mute", "target-solo", "target-lock", "target-note",
        "target-group-factor", "target-range", "object-keep-mix", "object-drop-mix", "object-put-back",
        "object-blend-mixes", "object-keep-pick", "object-drop-pick", "object-lock", "object-rename",
        "object-remove", "line-from-edges", "line-tube-mesh", "line-fill", "target-link", "target-link-names", "target-unlink",
        "relay-put", "relay-spread", "relay-on", "relay-path"}  # fmt: skip
HELD = {"object-sort-targets", "object-new-targets"}


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


@pytest.mark.parametrize("operation", OPERATIONS.values(), ids=list(OPERATIONS))
def test_an_operation_runs_and_what_it_made_is_saved_and_opened(operation, everything, tmp_path):
    subject = subject_for(operation, everything)
    assert not operation.missing(subject)
    made = operation.make(subject, given_for(operation, subject))
    assert made.scene is not everything or made.said
    label = operation.says(
        operation.done or operation.label, subject, operation.completed(subject, given_for(operation, subject))
    )
    assert label and "{" not in label and "{" not in operation.says(operation.title or operation.label, subject)
    write_native(tmp_path / "s.fictilis", made.scene)
    assert same(read_native(tmp_path / "s.fictilis"), made.scene)
    if made.pick is not None:
        assert made.pick.kind == subject.kind or not len(made.pick)
    assert all(made.scene.object(subject.obj.id).target(t) for t in made.targets or ())


@pytest.mark.parametrize("operation", OPERATIONS.values(), ids=list(OPERATIONS))
def test_a_locked_object_keeps_its_shapes_targets_and_mesh(operation, everything):
    """Weights, keys, ranges, kept picks and mixes stay free."""
    locked = everything
    for object_id in (OBJ, "o2", everything.object_named("Frond").id):
        locked = locked.with_object(replace(locked.object(object_id), locked=True))
    subject = subject_for(operation, locked)
    given = given_for(operation, subject)
    held = operation.part in ("target", "relay", "mesh", "line", "shape") or operation.id in HELD
    if held and operation.id not in FREE:
        with pytest.raises(EditRefused, match="(Sheet|Frond) is locked; unlock it in the list of objects first"):
            operation.make(subject, given)
    else:
        operation.make(subject, given)


NUMBERS = [(o, p) for o in OPERATIONS.values() for p in o.parameters if isinstance(p, Number | Span)]


@pytest.mark.parametrize(("operation", "parameter"), NUMBERS, ids=[f"{o.id}-{p.name}" for o, p in NUMBERS])
def test_a_number_out_of_bounds_is_refused_in_a_sentence(operation, parameter, everything):
    subject = subject_for(operation, everything)
    wrong = [np.nan, np.inf, "much", 1e300, -1e300]
    if isinstance(parameter, Number):
        wrong += [parameter.low - 1, parameter.high + 1]
    for value in wrong:
        asked = value if isinstance(parameter, Number) else (0.0, value)
        with pytest.raises(EditRefused) as refused:
            operation.make(subject, given_for(operation, subject) | {parameter.name: asked})
        assert parameter.label in str(refused.value) and len(str(refused.value)) <= 300 and str(refused.value).endswith(".")


@pytest.mark.parametrize("operation", OPERATIONS.values(), ids=list(OPERATIONS))
def test_what_an_operation_needs_is_said_where_it_is_missing(operation, sheet):
    bare = Subject(replace(sheet, objects=()))
    if operation.needs:
        assert operation.missing(bare).endswith(".")
        with pytest.raises(EditRefused):
            operation.make(bare)
    with pytest.raises(EditRefused, match="takes no nonsense"):
        operation.completed(Subject(bare.scene), {"nonsense": 1})


def test_every_flag_and_choice_has_words_of_its_own():
    for operation in OPERATIONS.values():
        names = [p.name for p in operation.parameters]
        assert len(names) == len(set(names)) and operation.label[0].isupper()
        for p in operation.parameters:
            if isinstance(p, Choice):
                assert len({w for w, _, _ in p.options}) == len(p.options)
            assert not (isinstance(p, Flag) and p.needed)


def test_a_new_target_of_the_command_line_is_named_in_its_own_object(everything):
    """Ids count for each object: another object has a target of the same id, and keeps its name."""
    for verb in ("duplicate", "mirror"):
        subject = replace(subject_for(OPERATIONS[f"target-{verb}"], everything), targets=(ONE,))
        made = OPERATIONS[f"target-{verb}"].make(subject, {"name": "Brand new"})
        assert made.scene.object(OBJ).target(made.made).name == "Brand new"
        assert made.scene.objects[1] is everything.objects[1]


def sources(obj) -> list[str]:
    """Every kind of number that a weight of an object can follow: one of each."""
    kinds = {s.split(".")[0] if not s.startswith("angle") else s: s for s in followed(obj)}
    return [*kinds.values(), *(t.id for t in obj.targets[:1])]


@pytest.mark.parametrize("operation", OPERATIONS.values(), ids=list(OPERATIONS))
def test_what_follows_a_number_outlives_every_operation_that_takes_it_away(operation, everything, tmp_path):
    """With a target that follows each number of its object, an operation is refused, or what it makes can be saved, opened and
    drawn; where the number went, the follower keeps its weight."""
    subject = subject_for(operation, everything)
    if subject.found is None or subject.found.locked:
        return
    followers = {}
    scene = subject.scene
    for source in sources(subject.obj):
        follow = Follow(source, AnimationCurve((Key(-1, 0.3, "linear"), Key(1, 0.7, "linear"))))
        scene, made = new_target(scene, subject.object_id, f"After {source}")
        scene = set_follow(scene, subject.object_id, made, follow)
        followers[made] = source
    subject = replace(subject, scene=scene)
    before = values_at(subject.obj, 3.0, fps=scene.fps)
    try:
        made = operation.make(replace(subject, frame=3.0) if operation.id == "target-remove" else subject,
                              given_for(operation, subject))  # fmt: skip
    except EditRefused:
        return
    write_native(tmp_path / "s.fictilis", made.scene)
    read = read_native(tmp_path / "s.fictilis")
    evaluate(read, 3.0)
    left = next((o for o in read.objects if o.id == subject.object_id), None)
    for target_id, _source in followers.items() if left is not None else ():
        target = next((t for t in left.targets if t.id == target_id), None)
        if target is not None and target.follows is None and operation.id not in ("target-plain", "target-follow"):
            assert abs(values_at(left, 3.0, fps=scene.fps)[target_id] - before[target_id]) < 1e-9


def test_an_export_of_what_leads_a_weight_by_its_taper_is_whole(everything, tmp_path):
    third = everything.object_named("Third")
    scene, made = new_target(everything, third.id, "After the taper")
    scene = set_key(set_key(scene, third.id, "taper", Key(0, 0.0)), third.id, "taper", Key(20, 0.6))
    scene = set_follow(scene, third.id, made, Follow("taper", AnimationCurve((Key(0, 0.0), Key(1, 1.0)))))
    for suffix in (".glb", ".usda"):
        export(scene, tmp_path / f"out{suffix}")
        assert scene_from_file(tmp_path / f"out{suffix}")[0].object_named("Third").target_named("After the taper")
