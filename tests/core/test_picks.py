import numpy as np
import pytest

from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.primitives import box, globe, plane
from fictilis.core.geometry.topology import edge_numbers, edges, mesh_from_faces
from fictilis.core.shaping import picks


@pytest.fixture
def grid():
    """5 × 5 points, 16 faces; point 12 is the middle."""
    return plane(40, 40, 4, 4)[1]


def edge_between(mesh, a, b):
    return int(edge_numbers(mesh, np.array([a]), np.array([b]))[0])


def test_a_pick_is_sorted_once_each_and_of_a_known_kind():
    assert Pick("points", np.array([3, 1, 3])).elements.tolist() == [1, 3]
    with pytest.raises(ValueError, match="points, edges, faces"):
        Pick("corners", np.array([1]))


def test_kinds_turn_into_one_another(grid):
    face = Pick("faces", np.array([0]))
    corners = picks.points_of(grid, face)
    assert len(corners) == 4 and set(corners) == set(grid.face(0).tolist())
    assert len(picks.edges_of(grid, face)) == 4
    assert picks.as_kind(grid, Pick("points", corners), "faces").elements.tolist() == [0]
    assert picks.as_kind(grid, picks.as_kind(grid, face, "edges"), "faces").elements.tolist() == [0]
    assert picks.as_kind(grid, Pick("points", corners[:3]), "faces").elements.tolist() == []


@pytest.mark.parametrize(("kind", "start", "grown"), [("points", [12], 5), ("faces", [5], 9), ("edges", None, 7)])
def test_grow_and_shrink_are_steps_over_what_touches(grid, kind, start, grown):
    start = [edge_between(grid, 12, 13)] if start is None else start
    first = Pick(kind, np.array(start))
    bigger = picks.grow(grid, first)
    assert len(bigger) == grown and set(first.elements) < set(bigger.elements)
    large = plane(80, 80, 8, 8)[1]
    inner = Pick(kind, np.array([27 if kind == "faces" else 40 if kind == "points" else edge_between(large, 40, 41)]))
    assert picks.shrink(large, picks.grow(large, inner)).same_as(inner)
    every = picks.inverse(grid, Pick(kind))
    assert picks.shrink(grid, every).same_as(every) and len(picks.inverse(grid, every)) == 0


def test_connected_takes_one_part_only():
    mesh = mesh_from_faces(7, [[0, 1, 2], [3, 4, 5], [2, 1, 6]])
    assert picks.connected(mesh, Pick("points", np.array([6]))).elements.tolist() == [0, 1, 2, 6]
    assert picks.connected(mesh, Pick("faces", np.array([1]))).elements.tolist() == [1]


def test_an_edge_loop_goes_straight_on_and_a_border_loop_follows_the_border(grid):
    loop = picks.edge_loop(grid, edge_between(grid, 11, 12))
    assert set(picks.points_of(grid, Pick("edges", loop))) == {10, 11, 12, 13, 14}
    rim = picks.edge_loop(grid, edge_between(grid, 0, 1))
    assert len(rim) == 16


def test_an_edge_loop_around_a_sphere_closes():
    points, mesh = globe(10, 16, 8)
    level = np.flatnonzero(np.abs(points[:, 1]) < 1e-9)
    assert len(level) == 16
    start = next(e for e, pair in enumerate(edges(mesh)) if set(pair) <= set(level.tolist()))
    assert len(picks.edge_loop(mesh, start)) == 16


def test_an_edge_ring_crosses_a_row_of_quads(grid):
    ring = picks.edge_ring(grid, edge_between(grid, 10, 11))
    assert len(ring) == 5
    points, mesh = box(1, 1, 1)[:2]
    assert len(picks.edge_ring(mesh, 0)) == 16


def test_sides_and_what_a_target_moves(sheet):
    obj = sheet.objects[0]
    right = picks.side(obj, 0, 1)
    assert len(right) == 15 and (obj.base[right.elements, 0] > -1e-9).all()
    moved = picks.moved_by(obj, "t2")
    assert len(moved) == 10 and (obj.base[moved.elements, 0] > 0).all()


def test_rows_of_points_open_and_closed(grid):
    rows = picks.chains(grid, np.array([10, 11, 12, 13, 0, 1]))
    assert sorted(len(r) for r in rows) == [2, 4]
    rim = np.unique(edges(grid)[picks.edge_loop(grid, edge_between(grid, 0, 1))])
    (row,) = picks.chains(grid, rim)
    assert row[0] == row[-1] and len(row) == 17
    assert picks.chains(grid, np.arange(25)) == []
