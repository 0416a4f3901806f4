import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.easing import EASINGS, handles_of
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.edits import keys as edits
from fictilis.core.edits import timeline, timing
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix import key_refs
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import Lane, SceneCamera

OBJ = "o1"
LANES = [(OBJ, "t1"), (OBJ, "t2")]


@pytest.fixture
def keyed(sheet):
    scene = sheet
    for frame, value in ((0, 0.0), (10, 1.0), (20, 0.4), (30, 0.0)):
        scene = edits.set_key(scene, OBJ, "t1", Key(frame, value))
    for frame, value in ((5, 0.2), (15, 0.8)):
        scene = edits.set_key(scene, OBJ, "t2", Key(frame, value, "linear"))
    return scene


def curve(scene, target="t1"):
    return scene.object(OBJ).lane(target).curve


def frames(scene, target="t1"):
    return [k.frame for k in curve(scene, target).keys]


def refs(*at, target="t1"):
    return [KeyRef(OBJ, target, f) for f in at]


def test_tangents_flat_joined_broken_and_straight(keyed):
    flat = curve(edits.set_tangent(keyed, refs(20), "flat"))
    assert flat.slope(20 - 1e-7) == pytest.approx(0, abs=1e-5) and curve(keyed).slope(20.0) < -0.01
    joined = curve(edits.set_tangent(keyed, refs(20), "joined"))
    sample = np.linspace(0, 30, 61)
    assert np.allclose(joined.evaluate(sample), curve(keyed).evaluate(sample), atol=1e-12)
    straight = curve(edits.straighten(keyed, refs(10, 20)))
    assert straight.evaluate(15.0) == pytest.approx(0.7)
    assert straight.slope(20 - 1e-6) == pytest.approx(-0.06, abs=1e-4) and straight.slope(20.0) == pytest.approx(
        -0.04, abs=1e-4
    )


def test_dragging_a_handle_turns_the_other_of_a_joined_key_only(keyed):
    joined = edits.set_handle(keyed, KeyRef(OBJ, "t1", 20), "out", 4.0, 0.8)
    key = curve(joined).key_at(20)
    assert key.tangent == "joined" and key.out == (4.0, 0.8) and key.into[1] / key.into[0] == pytest.approx(-0.2)
    broken = edits.set_handle(edits.set_tangent(joined, refs(20), "broken"), KeyRef(OBJ, "t1", 20), "out", 2.0, -1.0)
    assert curve(broken).key_at(20).into == key.into and curve(broken).key_at(20).out == (2.0, -1.0)
    again = curve(edits.set_tangent(broken, refs(20), "joined")).key_at(20)
    assert again.out[1] / again.out[0] == pytest.approx(-again.into[1] / again.into[0])
    assert curve(edits.set_handle(broken, KeyRef(OBJ, "t1", 20), "out", -3.0, 0.0)).key_at(20).out[0] == 0.0


def test_a_handle_longer_than_the_way_is_shortened(keyed):
    scene = edits.set_handle(edits.set_tangent(keyed, refs(10), "broken"), KeyRef(OBJ, "t1", 10), "out", 40.0, 4.0)
    c = curve(scene)
    assert c.handles(c.key_at(10))[1] == (10.0, 1.0)
    values = c.evaluate(np.linspace(10, 20, 200))
    assert np.isfinite(values).all() and values[0] == 1.0 and values[-1] == pytest.approx(0.4)


def test_eases_lead_from_key_to_key(keyed):
    scene = edits.set_interpolation(keyed, refs(0), "ease", "cubic-bezier(0.42, 0, 0.58, 1)")
    assert curve(scene).evaluate(5.0) == pytest.approx(0.5)
    bounce = curve(edits.set_interpolation(keyed, refs(0), "ease", "bounce-out"))
    assert bounce.evaluate(10.0) == 1.0 and bounce.evaluate(5.0) == pytest.approx(0.765625)
    with pytest.raises(EditRefused, match="no easing"):
        edits.set_interpolation(keyed, refs(0), "ease", "jumpy")


@pytest.mark.parametrize(("way", "at", "value"), [
    ("hold", 41.0, 0.0), ("repeat", 40.0, 1.0), ("repeat", 75.0, None), ("ping-pong", 40.0, 0.4), ("ping-pong", 70.0, 1.0),
])  # fmt: skip
def test_ways_to_go_on_after_the_last_key(keyed, way, at, value):
    scene = edits.set_beyond(keyed, OBJ, "t1", after=way)
    c = curve(scene)
    wanted = curve(keyed).evaluate(15.0) if value is None else value
    assert float(c.evaluate(at)) == pytest.approx(float(wanted))
    assert float(c.evaluate(-5.0)) == 0.0


def test_linear_and_offset_beyond_the_keys(keyed):
    rising = AnimationCurve((Key(0, 0, "linear"), Key(10, 2, "linear")), "linear", "offset")
    assert np.allclose(rising.evaluate([-5.0, 5.0, 12.5, 35.0]), [-1, 1, 2.5, 7.0])
    both = AnimationCurve((Key(0, 0, "linear"), Key(10, 2, "linear")), "offset", "linear")
    assert np.allclose(both.evaluate([-5.0, 15.0]), [-1.0, 3.0])
    with pytest.raises(EditRefused, match="no keys to go on"):
        edits.set_beyond(edits.delete_keys(keyed, refs(5, 15, target="t2")), OBJ, "t2", after="repeat")


def test_retime_scales_and_shifts_a_range(keyed):
    slower = timing.retime(keyed, LANES, 10, 20, 10, 40)
    assert frames(slower) == [0, 10, 30, 40] and frames(slower, "t2") == [5, 25]
    one = timing.retime(keyed, LANES[:1], 0, 30, 0, 60)
    assert frames(one) == [0, 20, 40, 60] and frames(one, "t2") == [5, 15]
    with pytest.raises(EditRefused, match="must rise"):
        timing.retime(keyed, LANES, 10, 20, 30, 30)


def test_retiming_keeps_the_shape_of_a_curve_with_handles(keyed):
    broken = edits.set_handle(keyed, KeyRef(OBJ, "t1", 10), "out", 4.0, 0.7)
    twice = timing.retime(broken, LANES, 0, 30, 0, 60)
    sample = np.linspace(0, 30, 91)
    assert np.allclose(curve(twice).evaluate(2 * sample), curve(broken).evaluate(sample), atol=1e-9)


def test_shift_after_reverse_mirror_and_stagger(keyed):
    assert frames(timing.shift_after(keyed, LANES, 15, 7)) == [0, 10, 27, 37]
    with pytest.raises(EditRefused, match="Lift has a key at frame 10"):
        timing.shift_after(keyed, LANES, 15, -10)
    broken = edits.set_handle(keyed, KeyRef(OBJ, "t1", 10), "out", 4.0, 0.7)
    eased = edits.set_interpolation(broken, refs(20), "ease", "cubic-in")
    back = curve(timing.reverse(eased, LANES, 0, 30))
    sample = np.linspace(0.1, 29.9, 75)
    assert np.allclose(back.evaluate(30 - sample), curve(eased).evaluate(sample), atol=1e-9)
    mirrored = curve(timing.mirror_values(broken, LANES, 0.5))
    assert np.allclose(mirrored.evaluate(sample), 1 - curve(broken).evaluate(sample), atol=1e-9)
    later = timing.stagger(keyed, LANES, 4)
    assert frames(later) == frames(keyed) and frames(later, "t2") == [9, 19]


def test_snap_bake_clean_and_reduce(keyed):
    off = timing.map_frames(keyed, LANES, lambda f: f + 0.3)
    assert frames(timing.snap_to_frames(off, LANES)) == [0, 10, 20, 30]
    baked = curve(timing.bake(keyed, LANES, 0, 30, 2))
    assert len(baked.keys) == 16 and np.allclose(
        baked.evaluate(np.arange(0, 31, 2)), curve(keyed).evaluate(np.arange(0, 31, 2))
    )
    extra = edits.set_key(keyed, OBJ, "t2", Key(10, 0.5, "linear"))
    scene, gone = timing.clean_keys(extra, LANES)
    assert gone == 1 and frames(scene, "t2") == [5, 15]
    dense = timing.bake(keyed, LANES, 0, 30, 1)
    less, gone = timing.reduce_keys(dense, LANES, 0.05)
    assert (
        gone > 35
        and np.abs(curve(less).evaluate(np.linspace(0, 30, 121)) - curve(dense).evaluate(np.linspace(0, 30, 121))).max() < 0.06
    )
    with pytest.raises(EditRefused, match="every 0"):
        timing.bake(keyed, LANES, 0, 30, 0)


def test_hold_until_here_keeps_the_earlier_value(keyed):
    scene = timing.hold_until(keyed, OBJ, "t1", 16)
    assert np.allclose(curve(scene).evaluate([10, 13, 16]), 1.0) and curve(scene).evaluate(20.0) == pytest.approx(0.4)
    with pytest.raises(EditRefused, match="no key before frame 2"):
        timing.hold_until(keyed, OBJ, "t2", 2)


def test_a_closed_loop_has_no_seam(keyed):
    from msgspec.structs import replace

    scene = timing.close_loop(replace(keyed, start=0.0, end=40.0), LANES)
    for target in ("t1", "t2"):
        c = curve(scene, target)
        assert float(c.evaluate(0.0)) == pytest.approx(float(c.evaluate(40.0)))
        assert c.slope(1e-6) == pytest.approx(float(c.slope(40 - 1e-6)), abs=1e-4)


def test_closing_the_loop_takes_what_jumps_or_what_is_selected_and_says_what_is_left(keyed):
    def subject(*selected):
        lanes = tuple(ChannelRef(*ref) for ref in LANES)
        return Subject(scene, OBJ, lanes=lanes, selected=tuple(ChannelRef(OBJ, t) for t in selected))

    scene = replace(keyed, start=0.0, end=26.0)
    jumps = [ref.channel for ref in key_refs.jumping(scene)]
    assert jumps == ["t1", "t2"]
    close = OPERATIONS["lanes-close"]
    made = close.make(subject("t1"), {})
    assert [ref.channel for ref in key_refs.jumping(made.scene)] == ["t2"]
    assert made.said == "1 other lane jumps too: Slide."
    every = close.make(subject(), {})
    assert not key_refs.jumping(every.scene) and not every.said
    again = close.make(replace(subject(), scene=every.scene), {})
    assert again.scene is every.scene and again.said == "All lanes loop cleanly."


def test_another_rate_keeps_frames_or_seconds(keyed):
    assert timeline.set_rate(keyed, 48).end == keyed.end and frames(timeline.set_rate(keyed, 48)) == frames(keyed)
    kept = timeline.set_rate(keyed, 48, keep_seconds=True)
    assert frames(kept) == [0, 20, 40, 60] and kept.end == 2 * keyed.end and kept.fps == 48


def test_pasting_puts_the_earliest_key_at_the_frame(keyed):
    copied = {"t1": curve(keyed).keys[1:3], "t2": curve(keyed, "t2").keys[:1]}
    scene, places = timing.paste_keys(keyed, OBJ, copied, 50)
    assert frames(scene) == [0, 10, 20, 30, 55, 65] and frames(scene, "t2") == [5, 15, 50] and len(places) == 3


@given(st.lists(st.tuples(st.integers(0, 60), st.floats(-2, 2)), min_size=2, max_size=8, unique_by=lambda k: k[0]), st.data())
@settings(max_examples=60, deadline=None)
def test_evaluation_never_leaves_the_keys_with_automatic_tangents(keys, data):
    """No overshoot: between two keys the value stays between theirs. Source: Fritsch and Carlson (1980)."""
    kinds = data.draw(st.lists(st.sampled_from(["smooth", "linear", "hold"]), min_size=len(keys), max_size=len(keys)))
    c = AnimationCurve.of(Key(f, v, k) for (f, v), k in zip(keys, kinds, strict=True))
    for a, b in zip(c.keys, c.keys[1:], strict=False):
        values = c.evaluate(np.linspace(a.frame, b.frame - 1e-9, 40))
        assert values.min() >= min(a.value, b.value) - 1e-9 and values.max() <= max(a.value, b.value) + 1e-9


keys_of_a_curve = st.lists(
    st.tuples(st.integers(0, 60), st.floats(-2, 2), st.sampled_from(("hold", "linear", "smooth", "ease"))),
    min_size=2, max_size=12, unique_by=lambda k: k[0],
)  # fmt: skip


@given(keys_of_a_curve, st.sampled_from((0.0, 0.05, 0.4)), st.sampled_from(("hold", "linear", "ping-pong")))
@settings(max_examples=120, deadline=None)
def test_what_reducing_leaves_is_within_the_tolerance_and_no_key_more_could_go(rows, tolerance, after):
    curve = AnimationCurve.of((Key(float(f), v, kind) for f, v, kind in rows), AnimationCurve((), "hold", after))
    thin = timing._Thinning(curve, tolerance).done()
    first, last = curve.keys[0].frame, curve.keys[-1].frame
    inside = [
        np.append(np.linspace(a.frame, b.frame, 65), b.frame - 1e-9)  # where it may jump
        for a, b in zip(curve.keys, curve.keys[1:], strict=False)
    ]
    beyond = {"hold": [], "linear": [last + 1e9], "ping-pong": 2 * last - np.concatenate(inside)}[after]
    at = np.unique(np.concatenate([*inside, beyond]))
    wanted = curve.evaluate(at)
    rounding = np.where(at > 2 * last, 1e-6, 1e-9)  # a slope's last bit, a thousand million frames on
    assert (np.abs(thin.evaluate(at) - wanted) - rounding).max() <= tolerance
    if after == "ping-pong":  # what is repeated keeps its ends
        assert (thin.keys[0].frame, thin.keys[-1].frame) == (first, last)
    for key in thin.keys[1:-1] if after == "ping-pong" else thin.keys if len(thin.keys) > 1 else ():
        assert np.abs(thin.without([key.frame]).evaluate(at) - wanted).max() > tolerance / timing.BETWEEN - 1e-9


def test_a_baked_lane_of_many_keys_is_reduced_to_few(keyed):
    long = timing.bake(keyed, LANES[:1], 0, 30, 0.02)
    less, gone = timing.reduce_keys(long, LANES[:1], 0.01)
    assert len(curve(long).keys) == 1501 and gone > 1450
    at = np.linspace(0, 30, 4001)
    assert np.abs(curve(less).evaluate(at) - curve(long).evaluate(at)).max() < 0.0101


def test_retime_and_snap_keep_the_length_of_handles_and_say_which_keys_met(keyed):
    """Worked by hand: 0…24 onto 0…36 makes a handle of 2 frames one of 3, onto 0…12 one of 1; rounding is for keys only."""
    rows = [Key(f, v, "smooth", "joined", (2.0, -0.1), (2.0, 0.1)) for f, v in ((0, 0.0), (12, 1.0), (24, 0.0))]
    scene = keyed.with_owner(keyed.object(OBJ).with_lane("t1", AnimationCurve(tuple(rows))))
    for to, wanted in ((36, 3.0), (12, 1.0), (25, 2 * 25 / 24)):
        for snap in (True, False):
            longer = curve(timing.retime(scene, LANES[:1], 0, 24, 0, to, snap))
            assert [(k.into[0], k.out[0]) for k in longer.keys] == [(pytest.approx(wanted),) * 2] * 3
            assert longer.keys[1].frame == (round(to / 2) if snap else to / 2)
    close = timing.retime(scene, LANES[:1], 0, 24, 0, 1)
    assert len(curve(close).keys) == 2 and key_refs.keys_lost(scene, close, LANES[:1]) == 1
    assert key_refs.lost_words(1) == "1 key met another on the same frame and went." and key_refs.lost_words(0) == ""
    off = scene.with_owner(
        scene.object(OBJ).with_lane("t1", AnimationCurve(tuple(replace(k, frame=k.frame + 0.3) for k in rows)))
    )
    assert [(k.frame, k.into[0]) for k in curve(timing.snap_to_frames(off, LANES[:1])).keys] == [(0, 2), (12, 2), (24, 2)]


def test_keys_of_holds_run_backwards_frame_for_frame(keyed):
    held = AnimationCurve((Key(0, 0.0, "hold"), Key(10, 1.0, "hold"), Key(20, 0.5, "hold")))
    scene = keyed.with_owner(keyed.object(OBJ).with_lane("t1", held))
    back = curve(timing.reverse(scene, LANES[:1], 0, 20))
    assert back.value(5) == 1 and back.value(15) == 0
    kinds = ("hold", "linear", "smooth", "ease")
    rng = np.random.default_rng(5)
    for _ in range(40):
        places = np.sort(rng.choice(40, 6, replace=False))
        mixed = AnimationCurve(
            tuple(
                Key(float(f), float(v), kinds[k])
                for f, v, k in zip(places, rng.normal(size=6), rng.integers(0, 4, 6), strict=True)
            )
        )
        first, last = mixed.keys[0].frame, mixed.keys[-1].frame
        turned = scene.with_owner(scene.object(OBJ).with_lane("t1", mixed))
        at = np.arange(first, last + 1)
        once = timing.reverse(turned, LANES[:1], first, last)
        assert np.allclose(curve(once).evaluate(at), mixed.evaluate(at)[::-1], atol=1e-12) or "smooth" in {
            k.interpolation for k in mixed.keys
        }  # a tangent next to a hold is flat, on the other side then
        again = timing.reverse(once, LANES[:1], first, last)
        assert np.allclose(curve(again).evaluate(at), mixed.evaluate(at), atol=1e-12) or "smooth" in {
            k.interpolation for k in mixed.keys
        }


@pytest.mark.parametrize("ease", ["cubic-bezier(0.42, 0, 0.58, 1)", "cubic-bezier(0.1234567, -0.3, 0.7, 1.1)", "back-in"])
def test_an_easing_turned_round_twice_is_the_same_to_the_last_digit(ease):
    assert handles_of(timing._turned_ease(timing._turned_ease(ease))) == handles_of(ease)


def test_another_rate_in_the_same_seconds_takes_the_frames_of_modifiers_along(keyed):
    scene = timing.set_modifiers(keyed, OBJ, "t1", (Modifier("offset"), Modifier("spring"), Modifier("smooth")))
    before = scene.object(OBJ).lane("t1")
    after = timeline.set_rate(scene, 48.0, keep_seconds=True).object(OBJ).lane("t1")
    assert after.modifiers[0].number("frames") == 6 and after.modifiers[1:] == before.modifiers[1:]
    at = np.linspace(0, 80, 200)
    assert np.allclose(after.values(2 * at, 48.0), before.values(at, 24.0), atol=1e-9)
    kept = timeline.set_rate(scene, 48.0).object(OBJ).lane("t1")
    assert kept.modifiers == before.modifiers


@pytest.mark.parametrize("kind", ["smooth", "linear", "hold", "ease"])
@pytest.mark.parametrize("side", ["before", "after"])
def test_a_straight_way_on_follows_the_end_to_the_last_digit(kind, side):
    """A flat end stays flat however far; another goes on as the difference quotient says."""
    flat = AnimationCurve((Key(0, 1.0, kind, "flat"), Key(10, 0.0, kind), Key(20, 1.0, kind, "flat")), "linear", "linear")
    far = {"before": -1e6, "after": 1e6 + 20}[side]
    wanted = {"smooth": 1.0, "hold": 1.0, "linear": 1e5 + 1, "ease": 1.0}[kind]
    eased = replace(flat, keys=tuple(replace(k, ease="ease-in-out") for k in flat.keys))
    assert float(eased.evaluate(far)) == pytest.approx(wanted, abs=1e-6, rel=1e-12)
    steep = AnimationCurve((Key(0, 0.0, "smooth", "broken", None, (1.0, 2.0)), Key(9, 5.0, "smooth", "broken", (4.0, -3.0))),
                           "linear", "linear")  # fmt: skip
    assert steep.evaluate(-10.0) == pytest.approx(-20.0) and steep.evaluate(19.0) == pytest.approx(5 + 10 * 0.75)


@pytest.mark.parametrize("seed", range(40))
def test_thinned_keys_keep_every_value_within_what_was_asked(seed):
    """At whole frames, between them, and in the instant before a held key jumps."""
    rng = np.random.default_rng(seed)
    for _ in range(10):
        frames = np.cumsum(rng.choice([0.5, 1, 1, 2, 3, 7.3, 20], int(rng.integers(3, 14))))
        ways = [str(rng.choice(["hold", "linear", "smooth", "ease"])) for _ in frames]
        curve = AnimationCurve(tuple(
            Key(float(f), float(rng.normal()), way, ease=str(rng.choice(EASINGS))) for f, way in zip(frames, ways, strict=True)
        ))  # fmt: skip
        within = float(rng.choice([0.05, 0.3, 1.0]))
        scene = thinned_scene(curve)
        less = timing.reduce_keys(scene, [("c1", "yaw")], within)[0].cameras[0].lane("yaw").curve
        looked = [np.linspace(a, b, 300) for a, b in zip(frames, frames[1:], strict=False)]
        at = np.concatenate([*looked, frames - 1e-9, np.arange(np.ceil(frames[0]), frames[-1])])
        assert np.abs(less.evaluate(at) - curve.evaluate(at)).max() <= within


def thinned_scene(curve):
    return Scene(cameras=(SceneCamera("c1", "Eye", (0, 0, 0), 100.0, 0.0, 0.0, lanes=(Lane("yaw", curve),)),))
