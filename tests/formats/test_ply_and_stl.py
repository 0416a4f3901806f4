"""PLY and STL both ways, and files of a general library."""

import numpy as np
import pytest

from fictilis.core.geometry.primitives import box, globe
from fictilis.core.ground.errors import BadFile
from fictilis.formats import proof
from fictilis.formats.files import MeshData
from fictilis.formats.ply import read_ply, write_ply
from fictilis.formats.registry import export
from fictilis.formats.stl import read_stl, write_stl

HEAD = "ply\nformat ascii 1.0\ncomment made by hand\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n"
FACE = "element face 2\nproperty list uchar int vertex_indices\nend_header\n"
POINTS = "0 0 0\n1 0 0\n1 1 0\n0 1 0\n"


def test_polygons_of_many_sizes_come_back_in_order(tmp_path):
    points, mesh = globe(4.0, 6, 4)  # quads, and triangles at its poles
    other, cube = box(2.0, 2.0, 2.0, 1)
    write_ply(tmp_path / "a.ply", [MeshData("A", points, mesh), MeshData("B", other, cube)])
    (back,) = read_ply(tmp_path / "a.ply").objects
    assert np.array_equal(back.points, np.concatenate([points, other]))
    assert np.array_equal(back.geometry.corners, np.concatenate([mesh.corners, cube.corners + len(points)]))
    write_ply(tmp_path / "b.ply", [MeshData("B", other, cube)])  # all of one size
    assert np.array_equal(read_ply(tmp_path / "b.ply").objects[0].geometry.corners, cube.corners)


@pytest.mark.parametrize("order", ["<", ">"])
def test_both_orders_of_bytes_and_other_properties(order, tmp_path):
    name = "little" if order == "<" else "big"
    head = (
        f"ply\nformat binary_{name}_endian 1.0\nelement vertex 3\nproperty uchar red\nproperty double z\n"
        "property float x\nproperty float y\nelement face 1\nproperty int flags\n"
        "property list uchar ushort vertex_index\nend_header\n"
    )
    rows = np.zeros(3, np.dtype([("r", "u1"), ("z", order + "f8"), ("x", order + "f4"), ("y", order + "f4")]))
    rows["x"], rows["y"], rows["z"] = [0, 1, 0], [0, 0, 2], [3, 4, 5]
    face = np.array([7], order + "i4").tobytes() + b"\x03" + np.array([2, 0, 1], order + "u2").tobytes()
    (tmp_path / "a.ply").write_bytes(head.encode() + rows.tobytes() + face)
    (back,) = read_ply(tmp_path / "a.ply").objects
    assert back.points.tolist() == [[0, 0, 3], [1, 0, 4], [0, 2, 5]] and back.geometry.corners.tolist() == [2, 0, 1]


def test_text_with_a_face_that_is_none(tmp_path):
    (tmp_path / "a.ply").write_text(HEAD + FACE + POINTS + "4 0 1 2 3\n2 0 1\n")
    read = read_ply(tmp_path / "a.ply")
    assert read.objects[0].geometry.face_count == 1 and "fewer than three" in read.warnings[0]


@pytest.mark.parametrize("text", [False, True])
def test_stl_is_welded_where_corners_are_the_same(text, tmp_path):
    points, mesh = box(2.0, 4.0, 6.0, 1)
    if text:
        rows = [points[list(f)] for f in ((0, 1, 2), (0, 2, 3))]
        lines = [
            f"facet normal 0 0 0 outer loop {' '.join(f'vertex {x} {y} {z}' for x, y, z in r)} endloop endfacet" for r in rows
        ]
        (tmp_path / "a.stl").write_text("solid made by hand\n" + "\n".join(lines) + "\nendsolid")
        assert len(read_stl(tmp_path / "a.stl").objects[0].points) == 4
        return
    write_stl(tmp_path / "a.stl", [MeshData("Box", points, mesh)])
    (back,) = read_stl(tmp_path / "a.stl").objects
    assert (
        len(back.points) == 8
        and back.geometry.face_count == 12
        and "no vertex order" in read_stl(tmp_path / "a.stl").warnings[0]
    )


@pytest.mark.parametrize("suffix", [".ply", ".stl"])
def test_a_general_library_reads_and_writes_the_same(suffix, sheet, tmp_path):
    """Source: trimesh, an independent reader and writer: its volume and area."""
    trimesh = pytest.importorskip("trimesh")
    capsule = trimesh.creation.capsule(height=2.0, radius=1.0)
    capsule.export(tmp_path / f"t{suffix}")
    (back,) = (read_ply if suffix == ".ply" else read_stl)(tmp_path / f"t{suffix}").objects
    a, b, c = (back.points[back.geometry.corners.reshape(-1, 3)[:, k]] for k in range(3))
    assert np.einsum("ij,ij->", a, np.cross(b, c)) / 6 == pytest.approx(capsule.volume, rel=1e-5)
    export(sheet, tmp_path / f"s{suffix}", 10.0)
    read = trimesh.load(tmp_path / f"s{suffix}", process=False)
    assert len(read.faces) == 32 and proof.prove(sheet, tmp_path / f"s{suffix}", 10.0).cm < 1e-5


WRONG = {
    "a.ply": [
        "ply\n",
        HEAD,
        HEAD + FACE + "0 0 0\n",
        HEAD + FACE + POINTS + "4 0 1 2 9\n3 0 1 2\n",
        HEAD + FACE + POINTS + "9 0 1\n",
        HEAD.replace("property float z\n", "") + FACE + POINTS,
        HEAD.replace("float x", "colour x") + FACE + POINTS,
        HEAD.replace("4", "99999999999") + FACE + POINTS,
        HEAD.replace("ascii", "binary_little_endian") + FACE + POINTS,
        HEAD + FACE + POINTS.replace("1 0 0", "1e300 0 0") + "3 0 1 2\n3 0 1 2\n",
    ],
    "a.stl": ["solid\n", "solid x vertex 1 2 a", "solid x vertex 1 2 3", "\x01" * 200, ""],
}


@pytest.mark.parametrize(("name", "text"), [(name, text) for name, texts in WRONG.items() for text in texts])
def test_what_is_wrong_is_said_in_one_sentence(name, text, tmp_path):
    (tmp_path / name).write_text(text)
    with pytest.raises(BadFile) as refused:
        (read_ply if name == "a.ply" else read_stl)(tmp_path / name)
    assert name in str(refused.value) and "\n" not in str(refused.value) and len(str(refused.value)) < 300
