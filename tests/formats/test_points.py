"""Points over a range as NumPy's arrays, out and in: what NumPy itself reads and writes is the measure."""

import zipfile

import numpy as np
import pytest

from fictilis import cli
from fictilis.core.at_frame.pose import Pose
from fictilis.core.ground.errors import BadFile, EditRefused
from fictilis.core.mix.relay import poses
from fictilis.formats.points import read_points, write_points
from fictilis.formats.registry import load, save
from fictilis.formats.rows import read_row

FRAMES = [0.0, 10.0, 12.5, 24.0]


def test_they_come_back_as_a_relay_at_their_frames(sheet, tmp_path):
    """Source: numpy.load reads what is written; the relay shows at each frame what the mix showed there."""
    write_points(tmp_path / "s.npz", sheet, sheet.objects, FRAMES)
    obj = sheet.objects[0]
    wanted = np.array([Pose(sheet, obj, f).points for f in FRAMES])
    with np.load(tmp_path / "s.npz") as arrays:
        assert arrays["frames"].tolist() == FRAMES and np.array_equal(arrays[obj.name], wanted)
    save(sheet, tmp_path / "s.fictilis")
    words = ["relay", tmp_path / "s.fictilis", "--object", obj.name, "files", tmp_path / "s.npz", "--name", "Taken"]
    assert cli.main([str(w) for w in words]) == 0
    back = load(tmp_path / "s.fictilis")
    (group,) = [g for g in back.objects[0].groups if g.name == "Taken"]
    assert [k.frame for k in poses(back.objects[0], group.id)] == FRAMES
    assert len(read_row(obj, [tmp_path / "s.npz"]).shapes) == len(FRAMES)


def test_arrays_of_numpys_own_are_taken(tmp_path):
    points = np.arange(24, dtype=np.float32).reshape(2, 4, 3)
    np.savez_compressed(tmp_path / "a.npz", Bell=np.asfortranarray(points))
    frames, read = read_points(tmp_path / "a.npz", "Anything", 4)
    assert frames.tolist() == [0, 1] and np.array_equal(read, points)


WRONG = {
    "should be": {"A": np.zeros((2, 5, 3))},
    "do not rise": {"A": np.zeros((2, 4, 3)), "frames": [3, 1]},
    "none is called": {"B": np.zeros((2, 4, 3)), "C": np.zeros((2, 4, 3))},
    "too large": {"A": np.full((2, 4, 3), np.nan)},
    "holds no numbers": {"A": np.array([["a"]])},
    "holds no points": {"frames": [1, 2]},
}


@pytest.mark.parametrize("said", WRONG)
def test_what_does_not_fit_is_said(said, tmp_path):
    np.savez(tmp_path / "a.npz", **WRONG[said])
    with pytest.raises(BadFile, match=said):
        read_points(tmp_path / "a.npz", "A", 4)


def test_a_broken_file_is_refused_in_one_sentence(tmp_path):
    np.savez_compressed(tmp_path / "g.npz", A=np.random.default_rng(1).normal(size=(2, 4, 3)))
    good, draw = (tmp_path / "g.npz").read_bytes(), np.random.default_rng(2)
    said = []
    for _ in range(300):
        data = bytearray(good)
        for at in draw.integers(0, len(good), draw.integers(1, 4)):
            data[at] = draw.integers(0, 256)
        (tmp_path / "b.npz").write_bytes(bytes(data[: draw.integers(1, len(data)) if draw.random() < 0.2 else None]))
        try:
            read_points(tmp_path / "b.npz", "A", 4)
        except BadFile as refused:
            said.append(refused.said)
    assert len(said) > 100 and all("b.npz" in s and "\n" not in s and len(s) < 300 for s in said)
    with zipfile.ZipFile(tmp_path / "h.npz", "w") as archive, archive.open("A.npy", "w") as entry:
        header = {"descr": "<f8", "fortran_order": False, "shape": (10**9, 4, 3)}
        np.lib.format.write_array_header_1_0(entry, header)
    with pytest.raises(BadFile, match="ends before its 1000000000"):
        read_points(tmp_path / "h.npz", "A", 4)


def test_an_object_called_as_the_frames_are_is_refused(sheet, tmp_path):
    from fictilis.core.edits.objects import rename_object

    scene = rename_object(sheet, "o1", "frames")
    with pytest.raises(EditRefused, match="stand in the way"):
        write_points(tmp_path / "f.npz", scene, scene.objects, [0.0])
