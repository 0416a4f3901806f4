"""Fewer triangles for pictures that are gone in a moment."""

import time

import numpy as np
import pytest

from fictilis.core.edits.forms import add_form
from fictilis.core.edits.repeats import set_repeat
from fictilis.core.geometry.topology import triangles
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.scene import Scene
from fictilis.demo.reef_wall import reef_wall
from fictilis.render.background import Background
from fictilis.render.buffers import volume
from fictilis.render.camera import Camera
from fictilis.render.coarse import LEAST, Coarse, coarser
from fictilis.render.dress import worn_item
from fictilis.render.snapshot import bounds
from fictilis.render.stage import Stage, StageWish


def made(form, **numbers):
    scene, obj = add_form(Scene(), form, numbers)
    return scene, scene.object(obj)


@pytest.mark.parametrize(
    ("form", "numbers"),
    [("Globe", {"segments": 40, "rings": 30}), ("Plane", {"columns": 20, "rows": 20}), ("Box", {"segments": 9})],
)
def test_about_half_of_the_triangles_lie_where_the_surface_is(form, numbers):
    _, obj = made(form, **numbers)
    corners = triangles(obj.geometry).points
    half = coarser(corners, obj.base)
    quarter = coarser(half, obj.base)
    assert 0.4 * len(corners) < len(half) < 0.75 * len(corners) and len(quarter) < 0.75 * len(half)
    assert half.dtype == np.int32 and half.min() >= 0 and half.max() < len(obj.base)
    facing = [np.cross(obj.base[c[:, 1]] - obj.base[c[:, 0]], obj.base[c[:, 2]] - obj.base[c[:, 0]]) for c in (corners, half)]
    areas = [np.linalg.norm(f, axis=1).sum() for f in facing]
    assert areas[1] == pytest.approx(areas[0], rel=0.12)  # a surface that folds over itself would have more
    if form == "Plane":  # whose border stays where it is
        assert (facing[1][:, 1] >= -1e-9).all() and areas[1] == pytest.approx(areas[0], rel=1e-9)
    else:
        held = np.einsum("ij,ij->", obj.base[half[:, 0]], np.cross(obj.base[half[:, 1]], obj.base[half[:, 2]])) / 6
        assert held == pytest.approx(volume(obj.geometry, obj.base), rel=0.12)


def test_levels_go_by_how_long_edges_are_in_the_picture():
    _, obj = made("Globe", segments=40, rings=30)
    coarse = Coarse(obj.geometry, obj.base)
    assert [coarse.level(pixels) for pixels in (20.0, 2.0, 0.5)] == [0, 1, 2]
    assert len(coarse.corners(2)) < len(coarse.corners(1)) < len(triangles(obj.geometry).points)
    corners = triangles(obj.geometry).points
    sides = np.linalg.norm(obj.base[corners] - obj.base[np.roll(corners, 1, axis=1)], axis=2)
    assert coarse.edge == pytest.approx(sides.mean(), rel=0.1)


def test_copies_that_are_hardly_later_than_others_share_their_poses_while_they_move():
    scene = set_repeat(reef_wall(), "o1", Repeat(counts=(20, 10, 1), spacing=(1.6, 1.6, 1.0), later=24.0, order="point"))
    still, swift = (Stage().items(StageWish(scene, 20.3, swift=s))[0].many for s in (False, True))
    assert len(np.unique(swift.poses)) < 50 < len(np.unique(still.poses))
    apart = np.abs(still.points[still.poses] - swift.points[swift.poses]).max()
    assert 0 < apart < 0.12  # of what a frame moves at most, a quarter


def test_only_a_moving_picture_of_many_triangles_is_coarse_and_it_looks_the_same(renderer):
    scene, obj = made("Globe", segments=220, rings=120)
    assert len(triangles(obj.geometry).points) > LEAST
    camera = Camera(yaw=20, pitch=10).fitted(*bounds(scene), aspect=1.6, margin=1.2)
    background = Background("#E6DED1", "#CFC3B1")
    items = Stage().items(StageWish(scene, 0.0))
    draws = [worn_item(item, item.obj.id) for item in items]
    pictures = {}
    for swift in (False, True, True, False):
        for _ in range(40):  # the coarse corners of a large surface are made while others are drawn
            out = renderer.draw(draws, camera, 320, 200, background, swift=swift)
            kept = next(iter(renderer._buffers.values()))
            if not swift or kept._halved:
                break
            time.sleep(0.1)
            renderer._last = None
        pictures.setdefault(swift, out.astype(int))
        assert bool(kept._halved) or not swift
    apart = np.abs(pictures[True] - pictures[False])[..., :3].max(axis=2)
    assert (apart > 24).mean() < 0.01 and apart.mean() < 2.0
