import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

import fictilis
from fictilis.core.animation.curve import Key
from fictilis.core.edits import timeline
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.targets import add_in_between
from fictilis.core.geometry.normals import point_normals
from fictilis.core.mix.channels import set_value
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.appearance import Texture
from fictilis.core.scene.scene import Deltas
from fictilis.core.scene.timeline import SceneCamera
from fictilis.render.background import Background
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem
from fictilis.render.picking import hit_mesh, nearest_point, visible_points
from fictilis.render.renderer import Renderer
from fictilis.render.snapshot import draw_item
from fictilis.render.stage import Stage, StageWish
from tests.mixes import mix_at
from tests.render.drawn import snapshot


@pytest.fixture
def ball():
    points, mesh = fictilis.primitives.ball(10.0, 8)
    scene, _ = fictilis.objects.add_object(fictilis.Scene(), "Ball", mesh, points)
    return scene.objects[0]


CAMERA = Camera(distance=60.0, pitch=0.0)


def test_the_top_row_comes_first_and_the_key_light_from_the_upper_left(renderer, ball):
    background = Background("#FF0000", "#0000FF")
    picture = renderer.draw([draw_item(ball, ball.base, "b")], CAMERA, 200, 100, background)
    assert picture.shape == (100, 200, 4)
    assert picture[0, 0, 0] > 250 and picture[-1, 0, 2] > 250  # red above, blue below
    middle = picture[20:80, 70:130, :3].astype(int).sum(2)
    assert middle[15:25, 15:25].mean() > middle[35:45, 35:45].mean() + 40


@pytest.mark.parametrize("parallel", [False, True])
def test_points_are_drawn_where_the_camera_projects_them(renderer, ball, parallel):
    camera = Camera(distance=60.0, yaw=30, pitch=20, parallel=parallel)
    picture = renderer.draw([draw_item(ball, ball.base, "b")], camera, 160, 120, Background("#000000", "#000000"))
    drawn = np.argwhere(picture[..., :3].sum(2) > 30)[:, ::-1] + 0.5
    pixels, depth = camera.project(ball.base, 160, 120)
    assert np.abs(drawn.min(0) - pixels.min(0)).max() < 2 and np.abs(drawn.max(0) - pixels.max(0)).max() < 2
    assert ((depth > 0) & (depth < 1)).all()
    origin, direction = camera.ray(*pixels[17], 160, 120)
    closest = origin + direction * ((ball.base[17] - origin) @ direction)
    assert np.allclose(closest, ball.base[17], atol=1e-6)


def test_a_ray_meets_the_near_side_and_depth_tells_what_is_hidden(renderer, ball):
    hit = hit_mesh(ball.mesh, ball.base, *CAMERA.ray(100, 50, 200, 100))
    assert np.allclose(hit.place, [0, 0, 10], atol=0.2) and len(hit.points) == 4
    assert hit_mesh(ball.mesh, ball.base, *CAMERA.ray(5, 5, 200, 100)) is None
    renderer.draw([draw_item(ball, ball.base, "b")], CAMERA, 200, 100)
    seen = visible_points(ball.base, CAMERA, 200, 100, renderer.depth())
    assert seen[ball.base[:, 2] > 4].all() and not seen[ball.base[:, 2] < -6].any()
    pixels, _ = CAMERA.project(ball.base, 200, 100)
    front = int(np.argmax(ball.base[:, 2]))
    assert nearest_point(pixels, seen, *pixels[front]) == front and nearest_point(pixels, seen, -50, 0) is None


def test_only_new_revisions_are_uploaded_and_64_bit_is_refused(renderer, ball):
    item = draw_item(ball, ball.base, "same")
    first = renderer.draw([item], CAMERA, 64, 64)
    item.points[:] *= 0.2
    assert np.array_equal(renderer.draw([item], CAMERA, 64, 64), first)
    item.revision = object()
    assert not np.array_equal(renderer.draw([item], CAMERA, 64, 64), first)
    wrong = DrawItem("wrong", ball.mesh, ball.base, point_normals(ball.mesh, ball.base), np.eye(4), 1)
    with pytest.raises(TypeError, match="float32"):
        renderer.draw([wrong], CAMERA, 64, 64)


def test_two_renderers_in_one_thread_do_not_disturb_each_other(renderer, ball):
    before = renderer.draw([draw_item(ball, ball.base, "b")], CAMERA, 80, 60)
    with Renderer() as other:
        assert np.array_equal(other.draw([draw_item(ball, ball.base, "b")], CAMERA, 80, 60), before)
        assert np.array_equal(renderer.draw([draw_item(ball, ball.base, "b")], CAMERA, 80, 60), before)
    assert np.array_equal(renderer.draw([draw_item(ball, ball.base, "b")], CAMERA, 80, 60), before)


def test_wire_points_tint_flat_and_ghost_change_the_picture(renderer, ball):
    plain = renderer.draw([draw_item(ball, ball.base, 0)], CAMERA, 120, 90).astype(int)
    marks = np.zeros(len(ball.base), np.float32)
    marks[::5] = 1
    changes = {
        "wire": "#000000", "tint": np.ones(len(ball.base), np.float32), "smooth": False, "alpha": 0.3,
        "point_colours": ("#000000", "#2B4C9B"),
    }  # fmt: skip
    for number, (name, value) in enumerate(changes.items()):
        item = draw_item(ball, ball.base, number + 1)
        item.marks = marks
        setattr(item, name, value)
        assert np.abs(renderer.draw([item], CAMERA, 120, 90).astype(int) - plain).sum() > 3000, name


def test_a_fine_picture_has_softer_edges_and_the_same_size(renderer, ball):
    item = draw_item(ball, ball.base, "b")
    plain, fine = (renderer.draw([item], CAMERA, 100, 100, Background("#000000", "#000000"), fine=f) for f in (False, True))
    assert plain.shape == fine.shape
    between = [np.count_nonzero((picture[..., 0] > 5) & (picture[..., 0] < 60)) for picture in (plain, fine)]
    assert between[1] > 10 * (between[0] + 1), "pixels of the outline that are part clay, part black"


def test_snapshot_of_the_sample(renderer):
    scene = fictilis.moon_jelly()
    a, b = (snapshot(renderer, scene, f, 160, 120) for f in (0, 20))
    assert not np.array_equal(a, b)


@pytest.mark.parametrize("box", [((-1, -2, -3), (4, 5, 6)), ((0, 0, 0), (100, 1, 1))])
def test_fit_shows_all_of_a_box(box):
    for camera in (Camera(yaw=33, pitch=15), Camera(parallel=True, pitch=90)):
        fitted = camera.fitted(*box, aspect=1.5)
        corners = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)]) * (np.subtract(box[1], box[0])) + box[0]
        pixels, _ = fitted.project(corners, 300, 200)
        assert (pixels >= 0).all() and (pixels <= [300, 200]).all()


def test_zoom_keeps_what_is_under_the_pointer():
    camera = Camera(distance=100, yaw=20, pitch=10)
    near = camera.zoomed(0.5, 30, 40, 300, 200)
    at, toward = camera.ray(30, 40, 300, 200)
    plane = at + toward * (((np.array(camera.centre) - at) @ camera.axes()[2]) / (toward @ camera.axes()[2]))
    pixels, _ = near.project(plane[None], 300, 200)
    assert np.allclose(pixels[0], [30, 40], atol=1e-6)


def test_the_stage_shows_the_mix_and_lays_a_stroke_over_it(sheet):
    scene = add_in_between(sheet, "o1", "t1", 0.5)
    stage = Stage()
    wish = StageWish(scene, 0, {"o1": {"t1": 0.75}}, current="o1", shaping=ShapeRef("t1", 0.5))
    (item,) = stage.items(wish)
    assert item.shaped and item.share == pytest.approx(0.5)
    before, revision = item.points.copy(), item.revision
    live = np.zeros((25, 3))
    live[3] = [0, 1, 0]
    (item,) = stage.items(wish, Deltas.from_dense(live))
    assert item.revision != revision
    assert np.allclose(item.points - before, live)
    assert np.allclose(item.normals, point_normals(item.obj.mesh, item.points), atol=1e-6)
    (item,) = stage.items(wish)
    assert np.array_equal(item.points, before)


def test_a_shape_that_hardly_shows_is_lifted_to_its_own_weight(sheet):
    stage = Stage()
    (item,) = stage.items(StageWish(sheet, 0, current="o1", shaping=ShapeRef("t1")))
    assert stage.solo and item.share == 1.0 and np.allclose(item.points[:, 1], 10)
    (item,) = stage.items(StageWish(sheet, 0, {"o1": {"t1": 0.5}}, current="o1", shaping=ShapeRef("t1")))
    assert not stage.solo and item.share == 0.5


def test_the_line_up_stands_apart_and_a_still_one_is_not_made_again(sheet):
    stage = Stage()
    wish = StageWish(sheet, 0, way="Line-up", current="o1", up=(0.0, 0.0, -1.0))
    items = stage.items(wish)
    assert [i.label for i in items] == ["In the mix", "Base", "Lift", "Slide"]
    boxes = [(i.in_scene().min(0), i.in_scene().max(0)) for i in items]
    for a in range(4):
        for b in range(a):
            apart = (boxes[a][0] > boxes[b][1]) | (boxes[b][0] > boxes[a][1])
            assert apart[0] or apart[2]
    assert [i.revision for i in stage.items(wish)] == [i.revision for i in items]


def test_a_line_up_that_kept_its_shapes_is_as_one_made_anew(sheet):
    """Whatever happens between two pictures, items that are kept show what a fresh stage shows."""
    stage, live = Stage(), Deltas(np.array([3], np.int32), np.array([[0.0, 2.0, 0.0]]))
    wish = StageWish(sheet, 0, way="Line-up", current="o1")
    shaped = replace(wish, shaping=ShapeRef("t2"))
    renamed = sheet.with_owner(sheet.objects[0].with_target(replace(sheet.objects[0].target("t2"), name="Glide")))
    moved = set_value(renamed, "o1", "position.x", 7.0)
    reshaped = moved.with_owner(moved.objects[0].with_target(replace(moved.objects[0].target("t2"), deltas=live)))
    happens = {
        "again": (wish, None),
        "shaped": (shaped, None),
        "a stroke": (shaped, live),
        "given up": (wish, None),
        "shaped again": (shaped, live),
        "renamed": (replace(wish, scene=renamed), None),
        "turned": (replace(wish, up=(0, 0, -1)), None),
        "moved": (replace(wish, scene=moved), None),
        "reshaped": (replace(wish, scene=reshaped), None),
        "undone": (wish, None),
    }
    for what, (asked, stroke) in happens.items():
        pairs = list(zip(stage.items(asked, stroke), Stage().items(asked, stroke), strict=True))
        assert [a.label for a, _ in pairs] == [b.label for _, b in pairs], what
        assert all(a.shaped == b.shaped and np.array_equal(a.matrix, b.matrix) for a, b in pairs), what
        assert all(np.array_equal(a.points, b.points) and a.obj is b.obj for a, b in pairs), what
    kept = stage.items(wish)
    assert all(a is b for a, b in zip(stage.items(wish)[1:], kept[1:], strict=True))


def test_only_picked_points_are_dotted_and_fewer_while_they_move(renderer, ball, monkeypatch):
    monkeypatch.setattr("fictilis.render.items.SWIFT_DOTS", 20)
    monkeypatch.setattr("fictilis.render.buffers.SWIFT_DOTS", 20)
    monkeypatch.setattr("fictilis.render.renderer.SWIFT_DOTS", 20)
    background = Background("#000000", "#000000")

    def drawn(marks, fine=False, **more):
        item = replace(draw_item(ball, ball.base, "dots"), revision=len(drawings))
        item.marks, item.point_colours = marks, (None, "#FF00FF")
        drawings.append(item)
        return renderer.draw([item], CAMERA, 200, 160, background, fine, **more)

    def dots(picture):
        return (picture[..., 0] > 200) & (picture[..., 1] < 90) & (picture[..., 2] > 200)

    drawings = []
    pixels, _ = CAMERA.project(ball.base, 200, 160)
    front = ball.base[:, 2] > 4  # toward the camera
    for chosen in ([], np.flatnonzero(front)[:1], np.flatnonzero(front)[:9], np.flatnonzero(front)):
        marks = np.zeros(len(ball.base), np.float32)
        marks[chosen] = 1.0
        seen = dots(drawn(marks))
        for at in pixels[chosen].astype(int):
            assert seen[at[1] - 1 : at[1] + 2, at[0] - 1 : at[0] + 2].any()
        gap = np.linalg.norm(np.argwhere(seen)[:, None, ::-1] + 0.5 - pixels[chosen], axis=2)
        assert not gap.size or gap.min(axis=1).max() < 6
    assert front.sum() > 20
    assert 0 < dots(drawn(marks, swift=True)).sum() < dots(drawn(marks)).sum()


def test_the_stage_agrees_with_evaluation_over_time():
    scene = fictilis.moon_jelly()
    stage = Stage()
    for frame in (0, 7, 14, 33, 71, 7):
        (item,) = stage.items(StageWish(scene, frame, current="o1"))
        assert np.abs(item.points - mix_at(scene.objects[0], frame)).max() < 1e-3


def test_one_dragged_weight_renews_only_what_it_moves(monkeypatch):
    from msgspec.structs import replace

    from fictilis.core.edits.targets import set_weight, target_from_points
    from fictilis.core.geometry.primitives import plane
    from fictilis.render import stage as module

    points, mesh = plane(10, 10, 20, 20)
    scene, _ = fictilis.objects.add_object(fictilis.Scene(), "P", mesh, points)
    for corner in (points[:, 0] + points[:, 2] > 7, points[:, 0] < -4):
        scene, _ = target_from_points(scene, "o1", "T", points + np.outer(corner, [0, 1.0, 0]))
    stage = Stage()
    stage.items(StageWish(scene, 0, current="o1"))
    whole = []
    monkeypatch.setattr(module, "point_normals", lambda *a: whole.append(a) or point_normals(*a))
    for weight in (0.2, 0.5, 0.9):
        scene = set_weight(scene, "o1", "t1", weight)
        (item,) = stage.items(StageWish(scene, 0, current="o1"))
        assert np.abs(item.points - mix_at(scene.objects[0], 0)).max() < 1e-5
        assert np.allclose(item.normals, point_normals(mesh, item.points), atol=1e-5)
    assert whole == []
    moved = scene.with_object(replace(scene.objects[0], base=points * 1.1))
    stage.items(StageWish(moved, 0, current="o1"))
    assert len(whole) == 1


def test_a_point_just_behind_a_thin_shell_is_hidden(renderer):
    points, mesh = fictilis.primitives.ball(10.0, 10)
    both = np.concatenate([points, points * 0.95])
    corners = np.concatenate([mesh.corners, mesh.corners[::-1] + len(points)])
    shells = type(mesh)(len(both), corners, np.concatenate([mesh.offsets, mesh.offsets[1:] + mesh.offsets[-1]]))
    scene, _ = fictilis.objects.add_object(fictilis.Scene(), "Shells", shells, both)
    for camera in (CAMERA, Camera(distance=60.0, pitch=0.0, parallel=True)):
        renderer.draw([draw_item(scene.objects[0], both, "shells")], camera, 400, 300)
        seen = visible_points(both, camera, 400, 300, renderer.depth())
        front = points[:, 2] > 5
        assert seen[: len(points)][front].all() and not seen[len(points) :][front].any()


def test_a_fading_object_lets_the_ground_through_once(renderer, ball):
    """Half opaque is half way between the background and the opaque picture, though the ball has a far side too."""
    background = Background("#2040C0", "#2040C0")
    item = draw_item(ball, ball.base, "fade")
    whole = renderer.draw([item], CAMERA, 120, 80, background).astype(int)
    item.alpha = 0.5
    half = renderer.draw([item], CAMERA, 120, 80, background).astype(int)
    item.alpha = 0.0
    gone = renderer.draw([item], CAMERA, 120, 80, background).astype(int)
    assert (gone[..., :3] == [0x20, 0x40, 0xC0]).all()
    inside = (slice(30, 50), slice(45, 75))
    assert np.abs(half[inside][..., :3] - (whole[inside] + gone[inside])[..., :3] / 2).max() <= 3
    assert np.abs(whole[inside] - gone[inside]).max() > 60


def test_a_snapshot_is_taken_through_the_scenes_camera_and_of_the_object_where_it_stands(renderer, ball):
    scene = fictilis.Scene(objects=(ball,))
    camera = SceneCamera("", "Camera", (0.0, 0.0, 0.0), 60.0, 0.0, 0.0)
    scene, camera_id = timeline.add_camera(scene, camera)
    for frame, value in ((0, 0.0), (10, 30.0)):
        scene = set_key(scene, ball.id, "position.x", Key(frame, value, "linear"))
        scene = set_key(scene, camera_id, "centre.x", Key(frame, value * 2, "linear"))

    def middle(frame):
        picture = snapshot(renderer, scene, frame, 160, 120).astype(int)
        background = snapshot(renderer, replace(scene, objects=()), frame, 160, 120).astype(int)
        return np.argwhere(np.abs(picture - background).sum(2) > 30)[:, 1].mean()

    assert middle(0) == pytest.approx(79.5, abs=1)
    seen = Camera(centre=(30.0, 0.0, 0.0), distance=60.0, pitch=0.0).project(np.array([[15.0, 0, 0]]), 160, 120)[0][0, 0]
    assert middle(5) == pytest.approx(seen, abs=4)  # a ball aside is seen a little further out
    assert not (snapshot(renderer, set_value(scene, ball.id, "visible", 0), 0, 40, 30)
                != snapshot(renderer, replace(scene, objects=()), 0, 40, 30)).any()  # fmt: skip


def test_a_snapshot_wears_the_texture_of_the_object(renderer, sheet, tmp_path):
    """Half the fields of a checker are darker; without a texture the sheet has one colour but for the light."""
    obj = sheet.object("o1")
    plain = snapshot(renderer, sheet, 0, 200, 160)[..., :3].astype(int)
    checked = sheet.with_object(replace(obj, appearance=replace(obj.appearance, texture=Texture(tiles=4))))
    worn = snapshot(renderer, checked, 0, 200, 160)[..., :3].astype(int)
    red = np.zeros((4, 4, 3), np.uint8) + np.array([255, 0, 0], np.uint8)
    Image.fromarray(red).save(tmp_path / "red.png")
    image = Texture("Red", (tmp_path / "red.png").read_bytes())
    painted = snapshot(
        renderer, sheet.with_object(replace(obj, appearance=replace(obj.appearance, texture=image))), 0, 200, 160
    )
    there = (np.abs(plain - snapshot(renderer, replace(sheet, objects=()), 0, 200, 160)[..., :3]) > 12).any(axis=2)
    assert there.sum() > 1000 and (np.abs(worn - plain)[there].max(axis=1) > 20).mean() > 0.2
    middle = painted[..., :3].astype(int)[there]
    assert (middle[:, 0] > 2 * middle[:, 1]).mean() > 0.8
