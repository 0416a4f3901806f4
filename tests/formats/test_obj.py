import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.topology import mesh_from_faces
from fictilis.core.ground.errors import BadFile, CannotSave
from fictilis.formats.files import MeshData
from fictilis.formats.obj import read_obj, write_obj


def put(tmp_path, text, name="m.obj"):
    path = tmp_path / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    return path


ODD = """mtllib nothing.mtl
o Odd
v 0.1 0 0
v 1 0 0
v 1 1 0
v 0 1 0
v 0 1 0
v 9 9 9
v 0.5 2 0
vt 0 0
vt 1 0
vt 1 1
vt 0.25 0.75
usemtl blue
f 1/1 2/2 3/3 7/4 4/1
f 1/4 2/2 3/1
f -7 -6 -4
"""


def test_polygons_seams_duplicates_and_loose_points_survive(tmp_path):
    read = read_obj(put(tmp_path, ODD))
    (odd,) = read.objects
    assert odd.points.shape == (7, 3) and np.array_equal(odd.points[3], odd.points[4]) and odd.points[5, 0] == 9
    assert odd.geometry.face_sizes.tolist() == [5, 3, 3] and odd.geometry.face(2).tolist() == [0, 1, 3]
    assert odd.geometry.uv_corners.tolist() == [0, 1, 2, 3, 0, 3, 1, 0, -1, -1, -1]
    assert read.warnings == ("m.obj: its material file nothing.mtl is missing; the clay colour is used.",)
    again = tmp_path / "again.obj"
    write_obj(again, [odd])
    (back,) = read_obj(again).objects
    assert np.array_equal(back.points, odd.points) and np.array_equal(back.geometry.corners, odd.geometry.corners)
    assert np.array_equal(back.geometry.uvs, odd.geometry.uvs) and np.array_equal(
        back.geometry.uv_corners, odd.geometry.uv_corners
    )
    assert back.name == "Odd"


@given(st.lists(st.tuples(*[st.floats(-1e6, 1e6)] * 3), min_size=3, max_size=8), st.integers(0, 99))
@settings(max_examples=40, deadline=None)
def test_numbers_come_back_exactly(tmp_path_factory, points, seed):
    rng = np.random.default_rng(seed)
    faces = [rng.permutation(len(points))[: rng.integers(3, len(points) + 1)] for _ in range(4)]
    path = tmp_path_factory.mktemp("obj") / "x.obj"
    write_obj(path, [MeshData("X", np.array(points), mesh_from_faces(len(points), faces))])
    (back,) = read_obj(path).objects
    assert np.array_equal(back.points, np.array(points))
    assert [back.geometry.face(i).tolist() for i in range(4)] == [f.tolist() for f in faces]


def test_several_objects_take_their_own_points(tmp_path):
    text = "o A\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\no B\nv 5 0 0\nv 6 0 0\nf 3 4 5\n"
    a, b = read_obj(put(tmp_path, text)).objects
    assert (a.name, len(a.points)) == ("A", 3) and (b.name, len(b.points)) == ("B", 3)
    assert b.points[b.geometry.face(0)].tolist() == [[0, 1, 0], [5, 0, 0], [6, 0, 0]]


def test_points_listed_before_all_objects_go_where_faces_use_them(tmp_path):
    text = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 2 2 2\nv 3 0 0\nv 4 1 0\no A\nf 1 2 3\no B\nf 4 5 6\n"
    a, b = read_obj(put(tmp_path, text)).objects
    assert len(a.points) == 3 and b.points[0].tolist() == [2, 2, 2]


def test_colours_continued_lines_comments_and_shading(tmp_path):
    put(tmp_path, "newmtl red\nKd 1 0.5 0\n", "c.mtl")
    text = "mtllib c.mtl\nusemtl red\ns off\nv 0 0 0 # first\nv 1 0 \\\n 0\nv 0 1 0\nl 1 2\nf 1 2 3\n"
    read = read_obj(put(tmp_path, text))
    assert read.objects[0].colour == "#FF8000" and not read.objects[0].smooth
    assert read.warnings == () and read.objects[1].geometry.closed.tolist() == [False]


@pytest.mark.parametrize(
    ("text", "rows", "closed"),
    [("l 1 2 3 4", [[0, 1, 2, 3]], [False]), ("l 1 2 3 1", [[0, 1, 2]], [True]),
     ("l -4 -3\nl 3 4", [[0, 1], [2, 3]], [False] * 2),
     ("l 1 2\nl 4 3\nl 2 3", [[0, 1, 2, 3]], [False]), ("l 1 2\nl 2 3\nl 3 4\nl 4 1", [[0, 1, 2, 3]], [True]),
     ("l 1 2 2 3", [[0, 1, 2]], [False]), ("l 1 2\nl 1 3\nl 1 4", [[0, 1], [0, 2], [0, 3]], [False] * 3)],
)  # fmt: skip
def test_lines_become_strands_and_pieces_that_meet_are_one(tmp_path, text, rows, closed):
    points = np.array([[0, 0, 0], [1, 0, 0], [2, 1, 0], [0, 3, 0]], float)
    (read,) = read_obj(put(tmp_path, "".join(f"v {x} {y} {z}\n" for x, y, z in points) + text + "\n")).objects
    starts = read.geometry.starts
    found = [read.points[a:b].tolist() for a, b in zip(starts, starts[1:], strict=False)]
    assert found == [points[row].tolist() for row in rows] and read.geometry.closed.tolist() == closed
    write_obj(tmp_path / "back.obj", [read])
    (back,) = read_obj(tmp_path / "back.obj").objects
    assert np.array_equal(back.points, read.points) and np.array_equal(back.geometry.starts, read.geometry.starts)
    assert np.array_equal(back.geometry.closed, read.geometry.closed)


BAD = {
    "line of one": (b"v 0 0 0\nl 1\n", "a line of 1 points"),
    "line beyond": (b"v 0 0 0\nv 1 0 0\nl 1 3\n", "uses point 3"),
    "line of one place": (b"v 0 0 0\nl 1 1\n", "no two points that differ"),
    "empty": (b"", "no points"),
    "binary": (b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR", "binary"),
    "prose": (b"Dear reader,\n", "line 1"),
    "nan": (b"v 0 0 nan\n", "line 1.*finite"),
    "infinite": (b"v 0 0 1e999\n", "finite"),
    "short point": (b"v 0 0\n", "2 numbers where 3"),
    "word": (b"v a b c\n", "not a number"),
    "short face": (b"v 0 0 0\nf 1 1\n", "at least 3"),
    "index too large": (b"v 0 0 0\nf 1 1 9\n", "point 9, but the file has 1"),
    "index zero": (b"v 0 0 0\nf 0 1 1\n", "point 0"),
    "index too low": (b"v 0 0 0\nf -2 1 1\n", "point -2"),
    "huge index": (b"v 0 0 0\nf 1 1 99999999999999999999\n", "point"),
    "huger than numbers go": (b"v 0 0 0\nf 1 1 " + b"9" * 5000 + b"\n", "no point number"),
    "uv out of range": (b"v 0 0 0\nvt 0 0\nf 1/1 1/1 1/2\n", "texture coordinate 2"),
    "cut in a word": (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 x", "point number"),
}


@pytest.mark.parametrize("case", BAD)
def test_bad_files_are_one_sentence(tmp_path, case):
    data, said = BAD[case]
    with pytest.raises(BadFile, match=said) as error:
        read_obj(put(tmp_path, data))
    assert "\n" not in error.value.sentence and "m.obj" in error.value.sentence


def test_missing_folder_and_odd_files(tmp_path):
    import os

    with pytest.raises(BadFile, match="no file"):
        read_obj(tmp_path / "none.obj")
    with pytest.raises(BadFile, match="folder"):
        read_obj(tmp_path)
    os.mkfifo(tmp_path / "pipe.obj")
    with pytest.raises(BadFile, match="not a regular file"):
        read_obj(tmp_path / "pipe.obj")


def test_a_write_that_fails_says_so(tmp_path):
    with pytest.raises(CannotSave, match="could not be saved"):
        write_obj(tmp_path / "no" / "x.obj", [MeshData("X", np.zeros((3, 3)), Mesh(3, [0, 1, 2], [0, 3]))])
    assert list(tmp_path.iterdir()) == []
