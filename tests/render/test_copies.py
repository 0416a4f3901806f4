"""Copies in one call against the same objects one by one, and the quicker pictures while something moves."""

import numpy as np
import pytest
from msgspec.structs import replace

import fictilis
from fictilis.core.animation.curve import Key
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.repeats import many_objects, set_repeat
from fictilis.core.edits.targets import target_from_points
from fictilis.core.geometry.kinds import Line, Mesh, Tube
from fictilis.core.geometry.lines.tubes import round_profile
from fictilis.core.scene.appearance import Appearance, Texture
from fictilis.core.scene.repeats import Repeat
from fictilis.render.background import Background
from fictilis.render.camera import Camera
from fictilis.render.dress import worn_item
from fictilis.render.picking import hit_item
from fictilis.render.stage import Stage, StageWish

CAMERA = Camera(centre=(20.0, 10.0, 0.0), distance=110.0, yaw=20.0, pitch=15.0)
GRID = Repeat("grid", (4, 3, 1), (14.0, 12.0, 9.0), "step", later=9.0, order="point", turns=20.0, sizes=0.2)
LINE = Line(starts=[0, 5, 9], closed=[False, True], degree=3, widths=np.full(9, 0.8))
LOOKS = {
    "plain": {}, "flat": {"appearance": Appearance(smooth=False)},
    "checker": {"appearance": Appearance(texture=Texture(tiles=4))},
    "clear": {"appearance": Appearance(opacity=0.5)}, "line": {"geometry": LINE, "drawn": (0.1, 0.8)},
    "tube": {"geometry": replace(LINE, tube=Tube(round_profile(6)))},
    "drawn tube": {"geometry": replace(LINE, tube=Tube(round_profile(6))), "drawn": (0.0, 0.6)},
}  # fmt: skip


def ball_scene(**look):
    scene, ball = add_form(fictilis.Scene(), "Ball", {"radius": 4.0, "segments": 3})
    if "geometry" in look:
        points = 4 * np.stack([np.cos(np.arange(9)), np.sin(np.arange(9)), np.arange(9) / 9], 1)
        scene = scene.with_object(replace(scene.object(ball), base=points, form=None, **look))
    else:
        scene = scene.with_object(replace(scene.object(ball), **look))
    scene, wide = target_from_points(scene, ball, "Wide", scene.object(ball).base * [1.5, 0.7, 1])
    for frame, value in ((0, 0.0), (12, 1.0)):
        scene = set_key(scene, ball, wide, Key(frame, value))
    return scene, ball


def drawn(renderer, scene, frame=8.0, swift=False):
    items = [worn_item(item, ("copies", item.obj.id)) for item in Stage().items(StageWish(scene, frame))]
    return renderer.draw(items, CAMERA, 240, 180, Background("#000000", "#000000"), swift=swift, shaded=False).astype(int)


@pytest.mark.parametrize("look", LOOKS)
def test_copies_look_like_as_many_objects(renderer, look):
    """Clear ones show what is behind them in another order, when they are drawn together."""
    scene, ball = ball_scene(**LOOKS[look])
    repeated = set_repeat(scene, ball, GRID)
    together, apart = drawn(renderer, repeated), drawn(renderer, many_objects(repeated, ball)[0])
    assert (together[..., :3].sum(2) > 30).mean() > 0.04
    differs = np.abs(together - apart).max(axis=2) > 3
    assert differs.mean() < (0.02 if look == "clear" else 0.0005)
    assert (np.abs(together - drawn(renderer, scene)).max(axis=2) > 30).mean() > 0.03
    later = drawn(renderer, repeated, 12.0)
    assert (np.abs(later - together).max(axis=2) > 8).any()


def test_what_moves_is_drawn_without_insides_only_where_nobody_sees_them(renderer):
    scene, ball = ball_scene()
    scene = set_repeat(scene, ball, GRID)
    assert (np.abs(drawn(renderer, scene) - drawn(renderer, scene, swift=True)).max(axis=2) > 8).mean() < 0.0005
    items = [worn_item(item, ("copies", item.obj.id)) for item in Stage().items(StageWish(scene, 8.0))]
    how = {"insides": False, "shaded": False}  # insides as movies are drawn
    shut = renderer.draw(items, CAMERA, 240, 180, Background("#000000", "#000000"), **how).astype(int)
    assert (np.abs(drawn(renderer, scene) - shut).max(axis=2) > 8).mean() < 0.0005
    obj = scene.object(ball)
    faces = np.split(obj.mesh.corners, obj.mesh.offsets[1:-1])
    open_ = Mesh(obj.mesh.point_count, np.concatenate(faces[1:]), obj.mesh.offsets[:-1])
    inward = Mesh(obj.mesh.point_count, np.concatenate([f[::-1] for f in faces]), obj.mesh.offsets)
    mirrored = replace(obj, transform=replace(obj.transform, scale=(-1.0, 1.0, 1.0)))
    within = replace(obj, repeat=None, transform=replace(obj.transform, scale=(60.0, 60.0, 60.0)))
    for other in (replace(obj, geometry=open_), replace(obj, geometry=inward), mirrored, within):
        changed = scene.with_object(other)
        assert np.array_equal(drawn(renderer, changed), drawn(renderer, changed, swift=True))


def test_each_copy_is_hit_where_it_is_seen(renderer):
    scene, ball = ball_scene()
    (item,) = Stage().items(StageWish(set_repeat(scene, ball, GRID), 8.0))
    for matrix in (item.matrix, *item.many.matrices):
        pixel = CAMERA.project(matrix[None, :3, 3], 240, 180)[0][0]
        hit = hit_item(item, CAMERA, tuple(pixel), (240, 180))
        assert hit is not None and np.linalg.norm(hit.place - matrix[:3, 3]) < 8
    assert hit_item(item, CAMERA, (3.0, 3.0), (240, 180)) is None
