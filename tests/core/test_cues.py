"""Cues: what they lead, how they meet, what is refused, and that nothing depends on how often it is looked at."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.ease_now import ease_now
from fictilis.core.animation.easing import EASINGS, ease_at
from fictilis.core.edits import cues, objects, timeline
from fictilis.core.edits.targets import keep_mix, remove_target
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import ChannelRef, values_at
from fictilis.core.rehearsal import takes
from fictilis.core.rehearsal.cue_words import choices, number_of, sentence, with_key, with_number, words
from fictilis.core.rehearsal.meaning import endless, fault
from fictilis.core.rehearsal.runner import Event, Runner
from fictilis.core.rehearsal.segment import EASES, Segment, damping_of
from fictilis.core.scene.clips import choose_clip
from fictilis.core.scene.cues import (
    ACTS,
    AFTER,
    BACK,
    CLICK,
    CLIP,
    END,
    EVERY,
    KEY,
    LEAD,
    LEAVE,
    MARKER,
    MIX,
    MODIFIER,
    NEXT,
    OVER,
    QUEUE,
    RELAY,
    SOUND,
    START,
    STAY,
    THENS,
    WHENS,
    Act,
    Cue,
    Lead,
    Then,
    When,
)
from fictilis.core.validity.cue_bounds import checked_cue
from tests.ponds import OBJ, random_pond, with_cues


def click(act=None, then=Then(), **more):
    return Cue("", "", When(CLICK, OBJ), act or lead(), then, **more)


def lead(to=1.0, channel="t1", seconds=0.5, ease="linear"):
    return Act(LEAD, (Lead(OBJ, channel, to),), seconds=seconds, ease=ease)


def at(runner, *times, channel="t1", owner=OBJ):
    out = []
    for t in times:
        runner.advance(t)
        values = runner.values().get(owner, {})
        out.append(values.get(channel, values_at(runner.shown.object(owner), 0.0)[channel]))
    return out


def test_a_cue_leads_waits_and_comes_back(pond):
    runner = Runner(with_cues(pond, click(then=Then(1.0, BACK, 0.4))))
    assert runner.click(2.0, OBJ) and not runner.click(2.0, "o2")
    assert at(runner, 2.25, 2.5, 3.4, 3.7, 3.9, 5.0) == pytest.approx([0.5, 1, 1, 0.5, 0, 0])
    assert runner.quiet and runner.under_way() == []


# what is clicked and pressed

TOUCHES = {
    "anywhere": (When(CLICK, OBJ), ("click", OBJ, 3, (7,)), True),
    "another object": (When(CLICK, OBJ), ("click", "o2", 3, (7,)), False),
    "a face of the pick": (When(CLICK, OBJ, "Hem"), ("click", OBJ, 1, (7,)), True),
    "a face beside it": (When(CLICK, OBJ, "Hem"), ("click", OBJ, 2, (1,)), False),
    "its point": (When(CLICK, OBJ, "Tip"), ("click", OBJ, 15, (24, 23)), True),
    "a point beside it": (When(CLICK, OBJ, "Tip"), ("click", OBJ, 15, (23, 24)), False),
    "its key": (When(KEY, key="Space"), ("key", "Space"), True),
    "another key": (When(KEY, key="Space"), ("key", "A"), False),
}


@pytest.mark.parametrize("name", TOUCHES)
def test_what_sets_a_cue_off(pond, name):
    when, what, heard = TOUCHES[name]
    runner = Runner(with_cues(pond, Cue("", "Touch", when, lead(seconds=0.0))))
    assert runner.repeat(Event(1.0, *what)) is heard
    assert at(runner, 1.0) == [float(heard)]


@pytest.mark.parametrize(("when", "begun"), [
    (When(START), [0.0]), (When(EVERY, seconds=0.7), [0.7, 1.4, 2.1, 2.8]), (When(AFTER, cue="q1"), [1.25]),
    (When(MARKER, marker="Beat"), [0.5, 2.5]), (When(MARKER, marker="Begin"), [0.0, 2.0]),
])  # fmt: skip
def test_what_sets_a_cue_off_by_itself(pond, when, begun):
    scene = with_cues(pond, Cue("", "First", When(START), lead(), Then(0.75)),
                      Cue("", "Play", When(START), Act(CLIP, clip="p3", times=0, seconds=0.0)),
                      Cue("", "It", when, lead(channel="t2", seconds=0.1)))  # fmt: skip
    runner = Runner(scene)
    runner.advance(3.0)
    assert [t for t, cue_id, what in runner.log if (cue_id, what) == ("q3", "begins")] == pytest.approx(begun)


# what it does

DOES = {  # what, and values of t1, t2, t3, t4 at 0, half and after all of its time
    LEAD: (lead(), [(0, 0, 1, 0), (0.5, 0, 1, 0), (1, 0, 1, 0)]),
    MIX: (Act(MIX, owner=OBJ, mix="Open", seconds=0.5, ease="linear"), [(0, 0, 1, 0), (0.4, 0.1, 1, 0), (0.8, 0.2, 1, 0)]),
    RELAY: (Act(RELAY, owner=OBJ, group="g1", place=1.0, seconds=0.5, ease="linear"),
            [(0, 0, 1, 0), (0, 0, 0.5, 0.5), (0, 0, 0, 1)]),
    CLIP: (Act(CLIP, clip="p3", seconds=0.0), [(0, 0, 0, 0), (0.25, 0, 0, 0), (0.5, 0, 0, 0)]),
}  # fmt: skip


@pytest.mark.parametrize("kind", DOES)
def test_what_a_cue_does(pond, kind):
    act, rows = DOES[kind]
    runner = Runner(with_cues(choose_clip(pond, "p1"), click(act)))
    runner.click(1.0, OBJ)
    for t, row in zip((1.0, 1.25, 1.5), rows, strict=True):
        assert [at(runner, t, channel=c)[0] for c in ("t1", "t2", "t3", "t4")] == pytest.approx(row), t


def test_linked_targets_are_led_together(pond):
    runner = Runner(with_cues(pond, click(lead(channel="t2"))))
    runner.click(0.0, OBJ)
    runner.advance(0.25)
    assert runner.values()["o2"]["t1"] == runner.values()[OBJ]["t2"] == 0.5


@pytest.mark.parametrize(("times", "ends"), [(1, 2.0), (3, 6.0), (0, np.inf)])
def test_a_clip_is_played_as_often_as_it_is_to_be(pond, times, ends):
    runner = Runner(with_cues(pond, click(Act(CLIP, clip="p3", times=times, seconds=0.0))))
    runner.click(0.0, OBJ)
    assert at(runner, 1.0) == pytest.approx([1.0])
    assert (at(runner, 5.0)[0] == pytest.approx(1.0)) is (times != 1)
    assert bool(runner.under_way()) is (ends > 5)
    assert at(runner, 99.0, 99.25) == pytest.approx([1.0, 0.75] if times == 0 else [0.0, 0.0])


def test_a_clip_that_comes_back_uncovers_the_one_before_it(pond):
    scene = with_cues(pond, Cue("", "Idle", When(START), Act(CLIP, clip="p3", times=0, seconds=0.0)),
                      click(Act(CLIP, clip="p1", seconds=0.5, ease="linear"), Then(0.0, BACK, 0.5)))  # fmt: skip
    runner = Runner(scene)
    runner.click(1.0, OBJ)
    assert at(runner, 1.0, 1.25, 1.5, 2.5) == pytest.approx([1.0, 0.375, 0.0, 0.0])
    assert at(runner, 3.0, 3.25, 3.5, 5.0) == pytest.approx([0.0, 0.375, 0.5, 1.0])
    assert [u.cue for u in runner.under_way()] == ["q1"]


def test_a_modifier_comes_in_and_goes_out(pond):
    scene = choose_clip(pond, "p3")
    wobble = Act(MODIFIER, owner=OBJ, channel="t1", seconds=1.0, ease="linear")
    scene = with_cues(scene, Cue("", "Idle", When(START), Act(CLIP, clip="p3", times=0, seconds=0.0)),
                      click(wobble, Then(0.0, BACK, 1.0)))  # fmt: skip
    runner = Runner(scene)
    runner.click(0.0, OBJ)
    lane = scene.object(OBJ).lane("t1")
    on = replace(lane, modifiers=(replace(lane.modifiers[0], on=True),))
    plain, moved = (float(x.values(12.0, 24.0)) for x in (lane, on))
    assert at(runner, 0.5) == pytest.approx([(plain + moved) / 2]) and moved != plain
    assert at(runner, 1.0) == pytest.approx([float(on.values(24.0, 24.0))])
    assert at(runner, 2.25) == pytest.approx([float(lane.values(6.0, 24.0))])


def test_a_cue_is_told_to_end_and_the_sound_begins(pond):
    scene = with_cues(pond, click(then=Then(99.0, BACK, 0.5)), Cue("", "Stop", When(KEY, key="S"), Act(END, cue="q1")),
                      Cue("", "Drip", When(KEY, key="D"), Act(SOUND), Then(1.0, BACK, 0.0)))  # fmt: skip
    runner = Runner(scene)
    runner.click(0.0, OBJ)
    runner.key(2.0, "S")
    runner.key(2.0, "D")
    assert at(runner, 2.25, 2.5, 9.0) == pytest.approx([0.5, 0, 0])
    assert runner.heard == [(2.0, True), (3.0, False)]


# how cues meet

MEETS = {
    OVER: [0.5, 0.75, 1.0, 1.0, 1.0], LEAVE: [0.5, 1.0, 1.0, 0.5, 0.0], QUEUE: [0.5, 1.0, 1.0, 0.5, 0.0],
}  # fmt: skip


@pytest.mark.parametrize("meets", MEETS)
def test_a_cue_that_meets_itself(pond, meets):
    runner = Runner(with_cues(pond, click(then=Then(0.5, BACK, 0.5), meets=meets)))
    runner.click(0.0, OBJ)
    runner.click(0.25, OBJ)
    assert at(runner, 0.25, 0.5, 0.75, 1.25, 1.5) == pytest.approx(
        [0.5, 0.75, 1.0, 1.0, 0.5] if meets == OVER else MEETS[meets]
    )
    assert at(runner, 1.75, 2.0) == pytest.approx([0.5, 1.0] if meets == QUEUE else [0.0, 0.0])
    assert at(runner, 9.0) == pytest.approx([0.0])


def test_what_takes_over_comes_back_to_where_the_other_would_have(pond):
    scene = with_cues(pond, click(then=Then(5.0, BACK, 0.5)),
                      Cue("", "More", When(KEY, key="M"), lead(0.5), Then(0.0, BACK, 0.5)))  # fmt: skip
    runner = Runner(scene)
    runner.click(0.0, OBJ)
    runner.key(1.0, "M")
    assert at(runner, 1.25, 1.5, 2.0, 20.0) == pytest.approx([0.75, 0.5, 0.0, 0.0])
    assert [(c, w) for _, c, w in runner.log] == [("q1", "begins"), ("q2", "begins"), ("q2", "comes back"), ("q2", "ends")]


@pytest.mark.parametrize("ease", [e for e in EASES if not e.startswith("circ")])
def test_a_speed_is_carried_on(pond, ease):
    """Neither the place nor the speed breaks where one cue takes over from another."""
    scene = with_cues(pond, click(lead(1.0, seconds=1.0)),
                      Cue("", "Back", When(KEY, key="B"), lead(0.0, ease=ease, seconds=0.8), carry=True))  # fmt: skip
    runner = Runner(scene)
    runner.click(0.0, OBJ)
    before = at(runner, 0.5 - 1e-5)[0]
    runner.key(0.5, "B")
    here, soon, later = at(runner, 0.5, 0.5 + 1e-5, 0.5 + 2e-5)
    assert here == pytest.approx(0.5, abs=1e-12) and soon == pytest.approx(0.5, abs=1e-3)  # expo begins 2⁻¹⁰ on
    assert (later - soon) / 1e-5 == pytest.approx((here - before) / 1e-5, abs=0.02)
    assert at(runner, 9.0) == pytest.approx([0.0], abs=1e-9)


# the same however it is looked at


@pytest.mark.parametrize("seed", range(6))
def test_the_same_events_give_the_same_values_at_any_step(pond, seed):
    rng = np.random.default_rng(seed)
    scene = random_pond(pond, rng)
    kinds = (("click", OBJ, 0, (0,)), ("key", "A"))
    events = [Event(float(t), *kinds[rng.integers(2)]) for t in np.sort(rng.uniform(0, 8, 25))]
    shared = np.arange(1, 11.0)
    seen = []
    for times in (np.arange(0, 10, 1 / 24), np.arange(0, 10, 1 / 60), np.sort(rng.uniform(0, 10, 700)), np.zeros(0)):
        runner, waiting, rows = Runner(scene), list(events), []
        for t in np.unique(np.concatenate([times, shared])).tolist():
            while waiting and waiting[0].time <= t:
                runner.repeat(waiting.pop(0))
            runner.advance(t)
            values = runner.values()
            rows += [values] if t in shared else []
        seen.append((rows, list(runner.log), runner.heard))
    assert all(other == seen[0] for other in seen[1:]) and len(seen[0][1]) > 20


STEEP = 25.0  # times its length by its time: the most that an easing here rises, with a speed that is carried into it


def test_ten_thousand_events_and_nothing_jumps(pond):
    """Every cue takes at least 0.3 s: no value may move faster than its easing can, however cues meet."""
    rng = np.random.default_rng(3)
    scene = with_cues(pond, *(
        Cue("", "", When((CLICK, KEY)[n % 2], OBJ, key="A"),
            Act(LEAD, (Lead(OBJ, f"t{n % 2 + 1}", float(rng.uniform(0, 1))),), seconds=float(rng.uniform(0.3, 1)),
                ease=str(rng.choice(["linear", "ease", "ease-out", "sine-in-out", "cubic-out", "spring", "back-out"]))),
            Then(0.2, (BACK, STAY)[n % 3 == 0], 0.4), (OVER, QUEUE, LEAVE)[n % 3], n % 2 == 0) for n in range(12)
    ))  # fmt: skip
    runner, step, before, most, farthest = Runner(scene), 0.002, None, 0.0, 0.0
    t = 0.0
    for event in range(10_000):
        t += float(rng.choice([0.0, step, 0.03, 0.1]))
        (runner.click if event % 2 else runner.key)(t, OBJ if event % 2 else "A")
        runner.advance(t + step)
        now = np.array([runner.values().get(OBJ, {}).get(c, 0.0) for c in ("t1", "t2")])
        before_t = t
        t += step
        runner.advance(t + step)
        t += step
        later = np.array([runner.values().get(OBJ, {}).get(c, 0.0) for c in ("t1", "t2")])
        most = max(most, float(np.abs(later - now).max()) / step)
        farthest = max(farthest, float(np.abs(later).max()))
        assert before_t < t
        before = later
    assert before is not None and most < STEEP / 0.3 and farthest < 4.0, (most, farthest)


# what is refused, and what is gone

ROUNDS = {
    "after each other": (When(AFTER, cue="q2"), Then(), When(AFTER, cue="q1"), Then()),
    "next after next": (When(CLICK, OBJ), Then(0.0, NEXT, cue="q2"), When(KEY, key="A"), Then(0.0, NEXT, cue="q1")),
    "back in no time": (When(AFTER, cue="q2"), Then(0.0, BACK, 0.0), When(AFTER, cue="q1"), Then(0.0, BACK, 0.0)),
}


@pytest.mark.parametrize("name", ROUNDS)
def test_a_round_in_no_time_is_refused_by_name_and_one_with_a_wait_is_not(pond, name):
    first, then, second, last = ROUNDS[name]
    scene = with_cues(pond, Cue("", "Ping", When(KEY, key="X"), lead(seconds=0.0)),
                      Cue("", "Pong", second, lead(seconds=0.0), last))  # fmt: skip
    with pytest.raises(EditRefused, match="Ping → Pong → Ping"):
        cues.change_cue(scene, "q1", when=first, then=then)
    slow = cues.change_cue(scene, "q1", when=first, then=replace(then, wait=0.5))
    assert endless(slow) == [] and Runner(slow).start(0.0, "q1")
    forced = replace(scene, cues=(replace(scene.cues[0], when=first, then=then), scene.cues[1]))
    with pytest.raises(EditRefused, match="without end, in no time: Ping, Pong"):
        Runner(forced)


def test_a_marker_that_begins_the_clip_it_stands_in_is_a_round_too(pond):
    scene = with_cues(pond, Cue("", "Play", When(KEY, key="A"), Act(CLIP, clip="p3", seconds=0.0)))
    with pytest.raises(EditRefused, match="Play"):
        cues.change_cue(scene, "q1", when=When(MARKER, marker="Begin"))
    assert cues.change_cue(scene, "q1", when=When(MARKER, marker="Beat")).cues[0].when.marker == "Beat"


LACKS = {
    "object": (Cue("", "x", When(CLICK, "o9"), lead()), "Choose the object that is clicked."),
    "pick": (Cue("", "x", When(CLICK, OBJ, "Rim"), lead()), "Pad has no kept pick Rim any more; choose another."),
    "key": (Cue("", "x", When(KEY), lead()), "Choose the key that is pressed."),
    "marker": (Cue("", "x", When(MARKER, marker="Off"), lead()), "There is no marker Off any more; choose another."),
    "cue": (Cue("", "x", When(AFTER, cue="q77"), lead()), "Choose the cue whose end it waits for."),
    "nothing led": (Cue("", "x", When(START), Act()), "Choose what is led."),
    "target": (Cue("", "x", When(START), lead(channel="t77")), "Pad has no more what it leads; choose again."),
    "shape of a relay": (Cue("", "x", When(START), lead(channel="t3")),
                         "Near is led by something else and has no value of its own; choose another."),
    "mix": (Cue("", "x", When(START), Act(MIX, owner=OBJ, mix="Shut")), "Pad has no kept mix Shut any more; choose another."),
    "relay": (Cue("", "x", When(START), Act(RELAY, owner="o2", group="g1")), "Choose a relay that has poses."),
    "clip": (Cue("", "x", When(START), Act(CLIP, clip="")), "Choose the clip that is played."),
    "motion": (Cue("", "x", When(START), Act(MODIFIER, owner=OBJ, channel="t2")),
               "Choose a lane that has a motion laid over it."),
    "end": (Cue("", "x", When(START), Act(END, cue="q77")), "Choose the cue that is told to end."),
    "next": (Cue("", "x", When(START), lead(), Then(0.0, NEXT)), "Choose the cue that goes on."),
}  # fmt: skip


@pytest.mark.parametrize("name", LACKS)
def test_a_cue_that_lacks_something_says_so_and_does_not_run(pond, name):
    cue, why = LACKS[name]
    scene = with_cues(pond, cue)
    assert fault(scene, scene.cues[0]) == why and sentence(scene, scene.cues[0]).endswith(".")
    runner = Runner(scene)
    with pytest.raises(EditRefused, match="cannot run"):
        runner.start(1.0, "q1")
    assert not runner.log


@pytest.mark.parametrize(("change", "words_"), [
    ({"act": Act(ease="fast")}, "fast"), ({"act": Act(ease="spring(7)")}, "spring"), ({"act": Act(ease="")}, "easing"),
    ({"act": Act(seconds=-1.0)}, "from 0 to 3600"), ({"act": Act(seconds=float("nan"))}, "from 0 to 3600"),
    ({"when": When(EVERY, seconds=0.0)}, "from 0.01"), ({"then": Then(1e9)}, "from 0 to 86400"), ({"meets": "fight"}, "fight"),
    ({"act": Act("dance")}, "dance"), ({"when": When("never")}, "never"), ({"then": Then(kind="sleep")}, "sleep"),
    ({"act": Act(leads=(Lead(OBJ, "t1", float("inf")),))}, "leads to inf"),
])  # fmt: skip
def test_what_no_cue_can_be_is_refused_and_nothing_changes(pond, change, words_):
    scene = with_cues(pond, click())
    with pytest.raises(EditRefused, match=words_):
        cues.change_cue(scene, "q1", **change)


def test_ids_of_cues_are_not_given_again_and_their_order_can_be_changed(pond):
    scene = with_cues(pond, click(), click(), click())
    scene, copy = cues.duplicate_cue(scene, "q1")
    assert [c.id for c in scene.cues] == ["q1", copy, "q2", "q3"] and scene.cues[1].name == "Cue 4"
    scene = cues.move_cue(cues.remove_cue(scene, copy), "q3", 0)
    assert [c.id for c in scene.cues] == ["q3", "q1", "q2"] and cues.add_cue(scene, click())[1] == "q5"


def test_a_marker_that_is_renamed_takes_its_cues_along(pond):
    scene = with_cues(pond, Cue("", "x", When(MARKER, marker="Beat"), lead()))
    assert timeline.set_marker(scene, 12, "Pulse").cues[0].when.marker == "Pulse"
    twice = timeline.set_marker(scene, 20, "Beat")
    assert timeline.set_marker(twice, 12, "Pulse").cues[0].when.marker == "Beat"


@pytest.mark.parametrize(("kind", "name", "other"), [("pick", "Hem", "Tip"), ("mix", "Open", "Shut")])
def test_a_kept_pick_or_mix_that_is_renamed_takes_its_cues_along(pond, kind, name, other):
    """At its place, on its own object only, and to no name that another has."""
    scene, rename = keep_mix(pond, OBJ, "Shut", {"t1": 0.0}), {"pick": objects.rename_pick, "mix": objects.rename_mix}[kind]
    word = {"pick": lambda c: c.when.pick, "mix": lambda c: c.act.mix}[kind]
    told = [Cue("", "x", When(CLICK, owner, pick="Hem"), Act(MIX, owner=owner, mix="Open")) for owner in (OBJ, "o2")]
    scene = with_cues(scene, *told)
    new = rename(scene, OBJ, name, "  Wide open ")
    assert [word(c) for c in new.cues] == ["Wide open", name]
    kept = {"pick": lambda o: o.picks, "mix": lambda o: o.mixes}[kind]
    assert [k.name for k in kept(new.object(OBJ))] == ["Wide open", other]
    assert [word(c) for c in rename(new, OBJ, "Wide open", name).cues] == [name, name]
    for wrong, why in ((other, f"Pad has a kept {kind} named {other}"), (" ", "needs a name")):
        with pytest.raises(EditRefused, match=why):
            rename(scene, OBJ, name, wrong)


def test_what_a_cue_led_may_go_and_comes_back_with_undo(pond):
    scene = with_cues(pond, click())
    gone = remove_target(scene, OBJ, "t1")
    assert fault(gone, gone.cues[0]) and not fault(scene, scene.cues[0]) and "(gone)" in sentence(gone, gone.cues[0])
    assert Runner(gone).click(0.0, OBJ) is False


# in words


@pytest.mark.parametrize("when", WHENS)
@pytest.mark.parametrize("act", ACTS)
@pytest.mark.parametrize("then", THENS)
def test_every_word_of_a_cue_can_be_changed_to_what_can_be(pond, when, act, then):
    scene = choose_clip(pond, "p3")
    scene = with_cues(scene, click(), Cue("", "It", When(when, OBJ, key="A", marker="Beat", cue="q1"),
                      Act(act, (Lead(OBJ, "t1"), Lead("o2", "opacity", 0.5)), OBJ, "Open", "g1", 1.0, "p1", 2, "t1", cue="q1"),
                      Then(1.0, then, cue="q1")))  # fmt: skip
    cue, texts = scene.cues[1], set()
    assert not fault(scene, cue) or act == RELAY  # its row is in another clip
    for word in words(scene, cue):
        if not word.part:
            continue
        number, others = number_of(scene, cue, word.part), choices(scene, cue, word.part)
        assert (number is not None) + bool(others) + (word.part == "when.key") == 1, word
        for _label, new in others:
            checked_cue(new)
            texts.add(sentence(scene, new))
        if number is not None:
            more = 1.0 if number.decimals == 0 else 0.25
            changed = with_number(cue, word.part, number.value + more)
            assert number_of(scene, changed, word.part).value == pytest.approx(number.value + more)
            assert sentence(scene, changed) != sentence(scene, cue)
    assert len(texts) > 10 and sentence(scene, with_key(cue, "Ctrl+B")).count("Ctrl+B") == (when == KEY)


def test_a_cue_begins_with_what_is_selected(pond):
    made = takes.cue_from(pond, OBJ, (ChannelRef(OBJ, "t1"), ChannelRef("o2", "opacity"), ChannelRef(OBJ, "t3")))
    assert made.act.leads == (Lead(OBJ, "t1", 1.0), Lead("o2", "opacity", 1.0)) and made.when == When(CLICK, OBJ)


# a take


def test_a_take_is_what_was_seen(pond):
    scene = with_cues(pond, click(lead(ease="sine-in-out"), Then(0.5, BACK, 0.5)),
                      Cue("", "More", When(KEY, key="M"), Act(MIX, owner=OBJ, mix="Open", seconds=0.3)))  # fmt: skip
    events = [Event(0.2, "click", OBJ), Event(1.0, "key", "M")]
    taken, lanes, said = cues.take(scene, events, 2.5, 10.0, 0.004)
    assert {ref.channel for ref in lanes} == {"t1", "t2"} and not said and taken.end == 70.0
    runner, waiting = Runner(scene, 10.0), list(events)
    for frame in range(61):
        while waiting and waiting[0].time <= frame / 24:
            runner.repeat(waiting.pop(0))
        runner.advance(frame / 24)
        shown = {"t1": 0.0, "t2": 0.0} | runner.values()[OBJ]
        for channel in ("t1", "t2"):
            assert abs(values_at(taken.object(OBJ), 10.0 + frame)[channel] - shown[channel]) <= 0.004 + 1e-9
    assert len(taken.object(OBJ).lane("t1").curve.keys) < 30
    assert replace(scene, objects=taken.objects, end=taken.end).objects == taken.objects  # and nothing but lanes and the range


def test_a_take_of_nothing_and_of_a_relay_is_told(pond):
    scene = with_cues(pond, click(Act(RELAY, owner=OBJ, group="g1", place=1.0)))
    with pytest.raises(EditRefused, match="Nothing moved"):
        cues.take(scene, [], 2.0, 0.0, 0.01)
    with pytest.raises(EditRefused, match="Nothing moved"):
        cues.take(scene, [Event(0.1, "click", OBJ)], 2.0, 0.0, 0.01)
    scene = with_cues(scene, click())
    _, lanes, said = cues.take(scene, [Event(0.1, "click", OBJ)], 2.0, 0.0, 0.01)
    assert [ref.channel for ref in lanes] == ["t1", "t2"][:1] and said == [
        "The relay Row is left as it was: its lane has poses, not places between them."
    ]


@pytest.mark.parametrize("ease", [*EASES, "spring(0.1)", "spring(1)"])
def test_a_segment_begins_away_and_ends_at_its_goal(ease):
    segment = Segment(1.0, 2.0, ease, 3.0, -2.0, 0.0, damping_of(ease) is not None)
    assert segment.left(1.0 + 1e-9) == pytest.approx(-2.0, abs=3e-3) and segment.left(segment.ends) == 0.0
    assert abs(segment.left(segment.ends - 1e-9)) < 3e-3  # expo and circ arrive steeply


@pytest.mark.parametrize("ease", [*EASINGS, "cubic-bezier(1, 0, 0, 1)", "cubic-bezier(0, 2, 1, -1)"])
def test_an_easing_looked_at_once_is_the_one_looked_at_in_rows(ease):
    u = np.linspace(0, 1, 1001)
    assert np.abs(ease_at(ease, u) - [ease_now(ease, x) for x in u.tolist()]).max() < 1e-12


BESIDE = {  # a cue, and whether it comes along with all objects; with the second alone
    "a click": (click(), True, False),
    "its other object": (Cue("", "", When(CLICK, "o2"), Act(LEAD, (Lead("o2", "t1"),))), True, True),
    "a mix": (click(Act(MIX, owner=OBJ, mix="Open")), True, False),
    "the end of itself": (Cue("", "", When(KEY, key="E"), Act(END, cue="q1")), True, True),
    "a marker": (Cue("", "", When(MARKER, marker="Beat"), lead()), False, False),
    "a clip": (click(Act(CLIP, clip="p3")), False, False),
    "the sound": (click(Act(SOUND)), False, False),
}


@pytest.mark.parametrize("name", BESIDE)
def test_cues_come_along_to_another_scene_and_lead_what_came(pond, name):
    made, whole, second = BESIDE[name]
    here, there = with_cues(pond, click()), with_cues(pond, made)
    both = objects.with_all_of(here, there)
    assert both.cues[:1] == here.cues and len(both.cues) == 1 + whole
    assert len(objects.with_all_of(here, there.without(there.object(OBJ))).cues) == 1 + second
    if whole:
        theirs = both.cues[1]
        assert (theirs.id, theirs.name, fault(both, theirs)) == ("q2", "Cue 2", "")
        named = {theirs.when.owner, theirs.act.owner, *(row.owner for row in theirs.act.leads)} - {""}
        assert named <= {"o3", "o4"} and theirs.act.cue in ("", "q2")


def test_more_cues_than_there_may_be_are_not_added(pond):
    many = replace(pond, cues=tuple(replace(click(), id=f"q{n}", name=f"{n}") for n in range(1, 502)))
    with pytest.raises(EditRefused, match="up to 1,000 cues, and these would be 1,002"):
        objects.with_all_of(many, many)


@pytest.mark.parametrize("then", [Then(), Then(0.0, BACK, 1.0)], ids=["stays", "comes back"])
@pytest.mark.parametrize("ease", ["expo-out", "elastic-out", "linear", "cubic-in", "spring"])
def test_what_arrives_as_a_carrying_cue_begins_has_the_speed_of_its_formula(pond, ease, then):
    """Also where the easing jumps at its end by 2⁻¹⁰: that is no speed. The same whether it was led there or came back."""
    seconds = 1.0 if then.kind != BACK else 0.0
    scene = with_cues(pond, click(lead(1.0, seconds=seconds, ease=ease), then),
                      Cue("", "On", When(KEY, key="B"), lead(float(then.kind != BACK), seconds=1.0), carry=True))  # fmt: skip
    runner = Runner(scene)
    runner.click(0.0, OBJ)
    arrives = 4.0 if ease == "spring" else 1.0
    before = at(runner, arrives - 2e-4, arrives - 1e-4)
    runner.key(arrives, "B")
    soon = at(runner, arrives, arrives + 1e-5)
    assert (soon[1] - soon[0]) / 1e-5 == pytest.approx((before[1] - before[0]) / 1e-4, abs=0.02)
    assert max(at(runner, *np.linspace(arrives, arrives + 1, 50))) < 1.46


def test_what_has_arrived_a_moment_ago_has_no_speed(pond):
    scene = with_cues(pond, click(lead(1.0, seconds=1.0, ease="linear")),
                      Cue("", "On", When(KEY, key="B"), lead(1.0, seconds=1.0), carry=True))  # fmt: skip
    runner = Runner(scene)
    runner.click(0.0, OBJ)
    runner.key(1.0 + 1e-9, "B")
    assert at(runner, 1.2, 1.5) == pytest.approx([1.0, 1.0])
