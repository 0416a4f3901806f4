"""What saves opens, and what opens can be drawn, exported and edited: of scene files of which some numbers, words and lists are
others. A few here, thousands in ``make soak``."""

import copy
import io
import json
import os
import random
import zipfile

import numpy as np
import pytest
from msgspec.structs import replace

import fictilis
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.at_frame.pose import Pose, evaluate
from fictilis.core.checks.checks import run_checks
from fictilis.core.edits import clips, correctives, relays, springs
from fictilis.core.edits.deformers import change_deformer
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.lines import set_along, set_tube
from fictilis.core.edits.repeats import set_repeat
from fictilis.core.edits.sweeps import set_sweep
from fictilis.core.edits.topology import set_surface
from fictilis.core.geometry.kinds import Mesh, Tube
from fictilis.core.geometry.lines.tubes import round_profile
from fictilis.core.ground.errors import BadFile, CannotSave, FictilisError
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.core.scene.appearance import Texture
from fictilis.core.scene.kept import StoredMix
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.rules import Follow
from fictilis.core.scene.scene import Group, Scene
from fictilis.core.scene.sweep import Sweep
from fictilis.core.scene.timeline import Lane
from fictilis.core.validity.scenes import check
from fictilis.formats.native import read_native, write_native
from fictilis.formats.registry import export
from fictilis.render.stage import Stage, StageWish
from tests import features as pairs
from tests.formats.dressed import dressed, png, seen_through
from tests.rigged import rigged
from tests.sameness import same

COUNT = int(os.environ.get("FICTILIS_SOAK_FILES", "2000"))
NUMBERS = (0, -1, 1, 2, 3, 0.5, 1e-12, -1e-12, 1e9, -1e9, 1e11, -1e11, 1e13, 1e300, 2**31, 2**53, 1000, 4096, 100_001)
WORDS = ("", "o1", "o2", "o3", "t1", "t2", "t3", "g1", "p1", "q1", "x", "bend", "along", "hold", "line", "grid", "points")


def everything():
    """A scene with a value of every kind that a file may hold."""
    scene = seen_through(pairs.FEATURES["in-between"](pairs.made("mesh")))
    scene = dressed(scene, Texture("Skin", png()))
    obj = scene.objects[0].id
    scene = correctives.add_corrective(scene, obj, {"t1": 1.0, "t2": 0.6}, "Both")[0]
    scene = rigged(change_deformer(set_surface(scene, obj, 1), obj, "bend", amount=30.0), obj)
    scene, line = add_form(scene, "Wave", {"points": 5})
    scene = set_along(set_tube(scene, line, Tube(round_profile(5)), 2.0), obj, line)
    scene, sheet = add_form(scene, "Plane", {"columns": 2, "rows": 2})
    base = scene.object(sheet).base
    for name in ("A", "B", "C"):
        scene, made = fictilis.targets.target_from_points(scene, sheet, name, base + [0, 3 + len(name), 0])
    scene = set_sweep(scene, sheet, made, Sweep(np.linspace(0, 1, len(base)), way="x"))
    scene, _ = relays.make_relay(scene, sheet, [t.id for t in scene.object(sheet).targets[:2]], "Row", 0.0, 6.0)
    scene = springs.set_spring(scene, sheet, PointSpring(field=np.linspace(0, 1, len(base))))
    scene, grown = add_form(scene, "Box", {})
    scene = set_repeat(scene, grown, Repeat("points", other=sheet, later=3.0, turns=10.0))
    scene = clips.new_clip(clips.duplicate_clip(scene, "Again")[0], "Bare")[0]
    return replace(scene, cues=(fictilis.Cue("q1", "Up", act=fictilis.Act(leads=(fictilis.Lead(obj, "t1", 1.0),))),))


def places(value, way=()):
    """Every place in a record, as the keys that lead there."""
    yield way
    rows = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, part in rows:
        yield from places(part, (*way, key))


def changed(record, ways, rng):
    """A record with one to three of its values others: a number or a word out of a list; a part gone or doubled."""
    out = copy.deepcopy(record)
    for _ in range(rng.choice((1, 1, 2, 3))):
        *way, last = rng.choice(ways)
        try:
            home = out
            for key in way:
                home = home[key]
            old = home[last]
            choice = rng.random()
            if choice < 0.15 and isinstance(home, list):
                home.insert(rng.randrange(len(home) + 1), copy.deepcopy(old))
            elif choice < 0.25 and isinstance(home, list):
                del home[last]
            elif isinstance(old, bool):
                home[last] = not old
            elif isinstance(old, int | float):
                new = rng.choice((*NUMBERS, old * 1.1, -old, old + 1))
                home[last] = int(new) if isinstance(old, int) and choice < 0.8 else new
            elif isinstance(old, str):
                home[last] = rng.choice(WORDS)
            else:
                home[last] = rng.choice((None, [], *NUMBERS[:4]))
        except (KeyError, IndexError, TypeError):
            continue
    return out


def told(error):
    assert "\n" not in error.said and 0 < len(error.said) < 500


def used(scene, folder, rng):
    """Drawn, exported and edited; what is refused is refused in a sentence."""
    check(scene)
    for frame in (scene.start, scene.start + 1.3):
        Stage().items(StageWish(scene, frame, current=scene.objects[0].id if scene.objects else None))
        evaluate(scene, frame)
        for obj in scene.objects:
            assert np.isfinite(Pose(scene, obj, frame).points).all() or len(obj.base) == 0
    run_checks(scene)
    for suffix in (".obj", ".glb", ".html"):
        if scene.end - scene.start < 300:
            try:
                export(scene, folder / f"used{suffix}")
            except FictilisError as error:
                told(error)
    for operation in rng.sample(list(OPERATIONS.values()), 12):
        obj = rng.choice(scene.objects) if scene.objects else None
        subject = Subject(scene, obj and obj.id, tuple(t.id for t in obj.targets[:1]) if obj else (), frame=scene.start)
        try:
            made = operation.make(subject).scene
        except FictilisError as error:
            told(error)
            continue
        check(made)
    write_native(folder / "again.fictilis", scene)
    assert same(read_native(folder / "again.fictilis"), scene)


def tried(seed, count, folder):
    """How many of so many changed files were opened."""
    write_native(folder / "good.fictilis", everything())
    with zipfile.ZipFile(folder / "good.fictilis") as archive:
        entries = {i.filename: archive.read(i) for i in archive.infolist()}
    record = json.loads(entries["scene.json"])
    ways, rng, opened = [way for way in places(record) if way], random.Random(seed), 0
    for number in range(count):
        data = io.BytesIO()
        with zipfile.ZipFile(data, "w") as archive:
            for name, held in (entries | {"scene.json": json.dumps(changed(record, ways, rng)).encode()}).items():
                archive.writestr(name, held)
        (folder / "odd.fictilis").write_bytes(data.getvalue())
        try:
            scene = read_native(folder / "odd.fictilis")
        except BadFile as error:
            told(error)
            continue
        opened += 1
        try:
            used(scene, folder, rng)
        except Exception as error:
            raise AssertionError(f"seed {seed}, file {number}: {type(error).__name__}: {error}") from error
    return opened


def test_what_opens_can_be_used(tmp_path):
    assert tried(1, 40, tmp_path) > 5


@pytest.mark.soak
@pytest.mark.timeout(3600)
def test_what_opens_of_thousands_can_be_used(tmp_path):
    assert tried(int(os.environ.get("FICTILIS_SOAK", "1")), COUNT, tmp_path) > COUNT // 10


def test_a_scene_that_could_not_be_opened_is_refused_at_every_door(tmp_path, sheet):
    obj = sheet.objects[0]
    twice = sheet.with_object(replace(obj, targets=tuple(replace(t, name="Twin") for t in obj.targets)))
    with pytest.raises(CannotSave, match="the target name “Twin” stands twice"):
        fictilis.save(twice, tmp_path / "a.fictilis")
    far = np.full((len(obj.base), 3), 1e13)
    with pytest.raises(FictilisError, match="numbers go up to"):
        fictilis.targets.target_from_points(sheet, obj.id, "Far", far)


def moved_on(obj):
    """What makes of a valid object one that is not, each by another part than the one that it belongs to."""
    few, relay = obj.base[:-3], replace(obj, groups=(Group("g1", "Row", relay="straight"),))
    lane = Lane("g1", AnimationCurve((Key(0, 0.0, shape="t1"),)), (Modifier("spring"),))
    return {
        "targets of other points": replace(obj, base=few, geometry=Mesh(len(few), [0, 1, 2], [0, 3])),
        "a mix of nothing": replace(obj, mixes=(StoredMix("A", (("t9", 1.0),)),)),
        "a modifier on a relay": replace(
            relay.with_target(replace(obj.target("t1"), group="g1")), lanes=(lane,)
        ),
        "a line's lane on a mesh": replace(obj, lanes=(Lane("line.start", AnimationCurve((Key(0, 0.0),))),)),
    }  # fmt: skip


@pytest.mark.parametrize(
    "kind", ["targets of other points", "a mix of nothing", "a modifier on a relay", "a line's lane on a mesh"]
)
def test_what_is_looked_at_of_a_change_is_all_that_it_may_have_spoilt(kind, sheet):
    check(sheet)
    wrong = replace(sheet, objects=(moved_on(sheet.objects[0])[kind],))
    for before in (None, sheet):
        with pytest.raises(FictilisError):
            check(wrong, before)


def test_what_follows_a_joint_that_goes_is_noticed():
    scene, obj = add_form(Scene(end=12.0), "Globe", {})
    scene = rigged(fictilis.targets.target_from_points(scene, obj, "A", scene.object(obj).base * 1.1)[0], obj)
    turn = AnimationCurve((Key(0, 0.0), Key(90, 1.0)))
    scene = correctives.set_follow(scene, obj, "t1", Follow("angle.0", turn))
    check(scene)
    gone = replace(scene, objects=(replace(scene.object(obj), skin=None, lanes=()),))
    for before in (None, scene):
        with pytest.raises(FictilisError):
            check(gone, before)
