"""Weights as a table both ways, and the proof of an export."""

import tracemalloc

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

import fictilis
from fictilis.cli import main
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.targets import target_from_points
from fictilis.core.ground.errors import BadFile, EditRefused
from fictilis.core.mix.acting import weights_at
from fictilis.core.scene.scene import Scene
from fictilis.formats import proof
from fictilis.formats.registry import export, save
from fictilis.formats.weights import matched_names, read_weights, set_weights, write_weights


@pytest.fixture(scope="module")
def face():
    scene, ball = add_form(Scene(end=10.0), "Ball", {"segments": 2})
    for name in ("Eye blink left", "Eye blink right", "Jaw open", "Smile"):
        scene, _ = target_from_points(scene, ball, name, scene.object(ball).base * 1.1)
    return scene


def table_of(path, text):
    path.write_text(text)
    return read_weights(path)


@pytest.mark.parametrize("percent", [False, True])
@pytest.mark.parametrize("seconds", [False, True])
def test_what_is_written_comes_back_with_the_same_weights_at_every_frame(percent, seconds, tmp_path):
    jelly = fictilis.moon_jelly()
    bell = jelly.objects[0]
    assert write_weights(tmp_path / "w.csv", jelly, [bell], percent, seconds) == 97
    table = read_weights(tmp_path / "w.csv")
    assert table.percent == percent and len(table.names) == len(bell.targets)
    columns = matched_names(bell, table.names)
    assert len(columns) == len([t for t in bell.targets if t.rule is None and t.follows is None])
    bare_scene = jelly.with_object(bell.with_lane("t1", bell.lane("t1").curve))
    bare = bare_scene.objects[0]
    back = set_weights(jelly, bare.id, table, columns)
    for frame in (0.0, 13.0, 57.0):
        one, other = (weights_at(s.objects[0], frame, fps=24.0) for s in (jelly, back))
        assert all(abs(one[t] - other[t]) < 1e-6 for t in columns.values())
    fast = replace(table, frames=table.frames * 0.4 + 0.2 if table.frames is not None else None)
    if fast.frames is not None:
        keys = set_weights(bare_scene, bare.id, fast, columns, resampled=True).object(bare.id).lane("t1").curve.keys
        assert [k.frame for k in keys] == list(range(1, 39))
        row = np.interp(5.0, fast.frames, fast.values[:, fast.names.index(bell.target("t1").name)])
        assert keys[4].value == pytest.approx(row)
    fewer = set_weights(jelly, bell.id, table, columns, within=0.01)
    keys = [sum(len(lane.curve.keys) for lane in s.objects[0].lanes) for s in (fewer, back)]
    assert keys[0] < 0.6 * keys[1]
    with pytest.raises(EditRefused, match="has targets"):
        write_weights(tmp_path / "n.csv", *(lambda made: (made[0], made[0].objects))(add_form(Scene(), "Box", {})))


@pytest.mark.parametrize(
    ("text", "frames", "names"),
    [("frame,Jaw open\n4,0\n6,1\n", [4, 6], ["Jaw open"]), ("seconds;Jaw open\n0.5;0\n1;100\n", [12, 24], ["Jaw open"]),
     ("Jaw open\tSmile\n0\t0\n0.5\t1\n", [0, 1], ["Jaw open", "Smile"]),
     ("Timecode,BlendShapeCount,JawOpen\n10:00:01:12.0,61,0.1\n10:00:02:00.5,61,0.2\n", [0, 12.5], ["JawOpen"]),
     ("\ufefftime,Jaw open,note\n0,0.1,calm\n1,,loud\n", [0, 24], ["Jaw open"])],
)  # fmt: skip
def test_tables_of_many_makes(text, frames, names, tmp_path):
    """Source: RFC 4180; SMPTE ST 12-1; tab and semicolon by common practice."""
    table = table_of(tmp_path / "t.csv", text)
    assert list(table.names) == names and np.allclose(table.at(24.0), frames, atol=0.25) and table.values.max() <= 1
    assert table.percent == ("100" in text)


def test_names_are_matched_loosely_and_sides_swapped(face):
    obj = face.objects[0]
    names = ["EyeBlinkLeft", "eye_blink_right", "face.JawOpen", "Brow"]
    ids = {t.name: t.id for t in obj.targets}
    assert matched_names(obj, names) == {
        "EyeBlinkLeft": ids["Eye blink left"], "eye_blink_right": ids["Eye blink right"], "face.JawOpen": ids["Jaw open"],
    }  # fmt: skip
    swapped = matched_names(obj, ["Eye blink left", "Smile"], mirrored=True)
    assert swapped == {"Eye blink left": ids["Eye blink right"], "Smile": ids["Smile"]}


def test_rows_at_another_rate_and_start_make_the_range_longer(face, tmp_path):
    table = table_of(tmp_path / "t.csv", "frame,Smile\n0,0\n60,1\n")
    scene = set_weights(face, "o1", table, {"Smile": "t4"}, rate=60.0, start=5.0)
    assert [k.frame for k in scene.objects[0].lane("t4").curve.keys] == [5, 29] and scene.end == 29


@pytest.mark.parametrize(
    ("text", "words"),
    [("", "no table"), ("a\n", "no table"), ("frame,A\n0,1\n0,2\n", "do not rise"), ("frame,A\n0,1,2\n", "line 2: 3 cells"),
     ("frame,A\n0,x\n1,y\n", "no column of weights"), ("frame,A\nx,1\n", "what is no time"),
     ("frame,A\n0,1e300\n", "too large"), ("frame,A\n0,\0\n", "binary")],
)  # fmt: skip
def test_what_is_no_table_is_said_in_one_sentence(text, words, tmp_path):
    with pytest.raises(BadFile, match=words) as refused:
        table_of(tmp_path / "bad.csv", text)
    assert "bad.csv" in str(refused.value) and "\n" not in str(refused.value)


@settings(max_examples=60, deadline=None)
@given(st.text(alphabet='0123456789.,;:\t\n"eframe -x', max_size=200))
def test_any_text_is_read_or_refused(tmp_path_factory, text):
    path = tmp_path_factory.getbasetemp() / "any.csv"
    path.write_text(text)
    try:
        table = read_weights(path)
    except BadFile:
        return
    assert np.isfinite(table.values).all() and len(table.values) == len(table.at(24.0))


@pytest.mark.parametrize("suffix", [".glb", ".usdc", ".obj"])
def test_an_export_is_proven_and_a_wrong_one_found_out(suffix, face, tmp_path):
    export(face, tmp_path / f"a{suffix}", 3.0)
    found = proof.prove(face, tmp_path / f"a{suffix}", 3.0)
    assert found.cm < 1e-4 and found.points == 26 and found.sentence.startswith("Read again, its 26 points are")
    other, _ = add_form(Scene(), "Ball", {"segments": 2, "radius": 51.0})
    assert proof.prove(other, tmp_path / f"a{suffix}", 3.0).cm == pytest.approx(1, abs=0.01)


def test_weights_and_proof_from_the_command_line(face, tmp_path, capsys):
    save(face, tmp_path / "f.fictilis")
    (tmp_path / "w.csv").write_text("frame,JawOpen,Grin\n0,0,0\n12,1,0.5\n")
    words = ["weights", "in", str(tmp_path / "f.fictilis"), str(tmp_path / "w.csv"), "--object", "Ball"]
    assert main([*words, "--column", "Grin=Smile"]) == 0
    assert main(["weights", "out", str(tmp_path / "f.fictilis"), str(tmp_path / "o.csv"), "--object", "Ball", "--percent"]) == 0
    assert (tmp_path / "o.csv").read_text().splitlines()[-1] == "12,0,0,100,50"
    assert main([*words, "--column", "Nothing=Smile"]) == 2
    out = ["export", str(tmp_path / "f.fictilis"), str(tmp_path / "f.glb"), "--prove"]
    assert main([*out, "0.01"]) == 0 and "cm off at most, its 4 weights 0 over 13 frames" in capsys.readouterr().out
    assert main([*out, "-1"]) == 3


EUROPE = {
    "semicolons": ("Bild;Lift;Slide\n0;0,25;1,5\n1;0,5;-0,75\n", [[0.25, 1.5], [0.5, -0.75]]),
    "tabs": ("frame\tLift\tSlide\n0\t0,25\t1\n1\t1e-1\t0,5\n", [[0.25, 1.0], [0.1, 0.5]]),
    "thousands": ("frame;Lift;Slide\n0;1.000,5;100\n1;2.500,25;50\n", [[10.005, 1.0], [25.0025, 0.5]]),
    "english thousands": ("frame;Lift;Slide\n0;1,000.5;100\n1;2,500.25;50\n", [[10.005, 1.0], [25.0025, 0.5]]),
    "quoted": ('frame,Lift,Slide\n0,"0,25","1,5"\n1,"0,5","-0,75"\n', [[0.25, 1.5], [0.5, -0.75]]),
}


@pytest.mark.parametrize("name", EUROPE)
def test_numbers_with_a_comma_are_numbers(name, tmp_path):
    """Common practice, no published source: spreadsheets of half of Europe write 0,5 and put semicolons between."""
    text, wanted = EUROPE[name]
    (tmp_path / "a.csv").write_text(text)
    table = read_weights(tmp_path / "a.csv")
    assert np.allclose(table.values[:, -2:], wanted) and not table.left_out


def test_a_table_of_too_many_lines_is_refused_before_it_is_read(tmp_path):
    (tmp_path / "a.csv").write_bytes(b"frame,Lift\n" + b"0,0\n" * 3_000_000)
    tracemalloc.start()
    with pytest.raises(BadFile, match="3,000,001 lines; up to 1,000,000"):
        read_weights(tmp_path / "a.csv")
    assert tracemalloc.get_traced_memory()[1] < 40_000_000
    tracemalloc.stop()
