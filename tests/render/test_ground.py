import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.app.view.ground import numbers_of
from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.primitives import box, plane
from fictilis.render.background import Background
from fictilis.render.camera import Camera
from fictilis.render.ground import APART, ground_for, step_for
from fictilis.render.items import DrawItem, Many
from fictilis.render.renderer import Renderer
from fictilis.render.shadow import SOFT

ABOVE = Camera(distance=200.0, pitch=90.0, parallel=True)
WHITE = Background("#FFFFFF", "#FFFFFF")
SIZE = 300


def darkness(picture):
    return 255 - picture[..., :3].astype(float).mean(axis=2)


@pytest.mark.parametrize("pitch", [90.0, 35.0])
@pytest.mark.parametrize("distance", [0.3, 4.0, 55.0, 200.0, 1300.0])
def test_lines_lie_where_their_cm_are_and_five_ticks_to_a_line(renderer, distance, pitch):
    camera = replace(ABOVE, distance=distance, pitch=pitch)
    ground = ground_for(camera, SIZE, 0.0, "#000000")
    cm = 2 * camera.half_height() / SIZE
    assert APART * cm <= ground.step <= 5 * APART * cm
    assert round(ground.step / 10 ** np.floor(np.log10(ground.step) + 1e-9), 6) in (1, 5)
    found = darkness(renderer.draw([], camera, SIZE, SIZE, replace(WHITE, ground=ground)))
    for number in (-1, 0, 1):
        on, tick = [number * ground.step, 0, 0.31 * ground.step], [(number + 0.2) * ground.step, 0, 0]
        off = [(number + 0.5) * ground.step, 0, 0.31 * ground.step]
        (a, b, c), _ = camera.project(np.array([on, tick, off]), SIZE, SIZE)
        for place, least in ((a, 60), (b, 60), (c, 0)):
            if (place > 2).all() and (place < SIZE - 3).all():
                x, y = place.astype(int)
                around = found[y - 1 : y + 2, x - 1 : x + 2]
                assert around.max() > least if least else around.max() == 0


def test_it_is_behind_what_stands_on_it_leaves_no_depth_and_no_other_picture_has_it(renderer):
    points, mesh = box(40, 10, 40, 1)
    single = (points + [0, 5, 0]).astype(np.float32)
    item = DrawItem("b", mesh, single, point_normals(mesh, single), np.eye(4), colour="#CC8C70", smooth=False)
    ground = ground_for(ABOVE, SIZE, 0.0, "#000000")
    plain, lined = (
        renderer.draw([item], ABOVE, SIZE, SIZE, background) for background in (WHITE, replace(WHITE, ground=ground))
    )
    differ = np.abs(plain.astype(int) - lined).max(axis=2) > 2
    low, high = ABOVE.project(np.array([[-20.0, 10, -20], [20, 10, 20]]), SIZE, SIZE)[0].astype(int)
    inside = np.s_[low[1] + 2 : high[1] - 2, low[0] + 2 : high[0] - 2]
    assert differ.any() and not differ[inside].any()
    depths = [renderer.depths([item], ABOVE, SIZE, SIZE, background) for background in (WHITE, replace(WHITE, ground=ground))]
    assert np.array_equal(*depths)
    assert np.array_equal(renderer.draw([item], ABOVE, SIZE, SIZE, WHITE), plain)
    fine = renderer.draw([item], ABOVE, SIZE, SIZE, replace(WHITE, ground=ground), True)
    assert darkness(fine)[2:12].max() > 20, "also where no item is"


@pytest.mark.parametrize("eye", [(1, 1, 1), (-1, 1, 1), (1, 1, -1), (-1, -1, -1)])
def test_numbers_stand_along_the_two_near_edges(eye):
    ground = ground_for(ABOVE, SIZE, -3.0, "#000000")
    low, high = np.array([-130.0, -3, -20]), np.array([90.0, 40, 35])
    numbers = numbers_of(ground, low, high, np.array(eye) * 500.0)
    step = ground.step
    assert all(place[1] == -3 and value % step == 0 for place, value in numbers)
    on_x = [place for place, value in numbers if value == place[0] and (place[2] > 35 or place[2] < -20)]
    assert [p[0] for p in on_x] == list(np.arange(np.floor(-130 / step), np.ceil(90 / step) + 1) * step)
    assert all(np.sign(p[2]) == eye[2] for p in on_x)
    dense = numbers_of(replace(ground, step=ground.step / 5), low, high, np.array(eye) * 500.0)
    assert len(dense) <= 26 and 0.0 in {value for _, value in dense}, "few, and the middle among them"
    near = ground_for(replace(ABOVE, distance=0.05), SIZE, 0.0, "#000000")
    large = np.full(3, 1e9)
    assert len(numbers_of(near, -large, large, large)) <= 26, "a speck of something huge"
    assert numbers_of(near, large, large + 1, large) == [], "and nothing of it in reach"


def test_steps_grow_with_the_distance():
    steps = [step_for(replace(ABOVE, distance=float(d)), 480) for d in np.geomspace(0.01, 1e5, 200)]
    assert steps == sorted(steps) and len(set(steps)) > 12


ASLANT = Camera(distance=120.0, yaw=35.0, pitch=35.0, parallel=True)


def shadow(renderer, points, mesh, height=0.0, many=None, alpha=1.0, swift=False):
    """(h, w): how much darker the ground is below a mesh, without its lines; the mesh itself is left out."""
    points = points.astype(np.float32)
    item = DrawItem("s", mesh, points, point_normals(mesh, points), np.eye(4), many=many, alpha=alpha)
    ground = replace(ground_for(ASLANT, SIZE, height, "#FFFFFF"), step=1e6, reach=300.0)
    plain = renderer.draw([item], ASLANT, SIZE, SIZE, WHITE, swift=swift, shaded=False).astype(float)
    seen = renderer.draw([item], ASLANT, SIZE, SIZE, replace(WHITE, ground=ground), swift=swift, shaded=False)
    assert seen[..., 3].min() == 255, "a picture with a background is whole, whatever is seen through"
    return (plain - seen).max(axis=2)


@pytest.mark.parametrize(("x", "z"), [(0, 0), (14, -9)])
def test_the_shadow_lies_below_a_box_and_is_fainter_the_higher_it_hangs(renderer, x, z):
    flat, mesh = plane(24, 16, 1, 1)
    darkest = []
    for up in (0.5, 8.0, 16.0):
        found = shadow(renderer, flat + [x, up, z], mesh)
        # what the sheet hides of its shadow is seen where it is not: half of it is enough, by the middle of its outline
        free = found > 1
        rows, columns = np.nonzero(free)
        corners, _ = ASLANT.project(flat + [x, 0, z], SIZE, SIZE)
        soft = SOFT * 24 * (1 + 2 * SOFT) / 2 / (2 * ASLANT.half_height()) * SIZE * 1.5 + 1
        low, high = corners.min(axis=0) - soft, corners.max(axis=0) + soft
        assert (columns >= low[0]).all() and (columns <= high[0]).all() and (rows >= low[1]).all() and (rows <= high[1]).all()
        darkest.append(found.max())
    assert darkest[0] > darkest[1] > darkest[2] > 0


def test_a_shadow_lies_within_a_pixel_of_what_throws_it(renderer):
    """Of a sheet so high that it does not hide its shadow, the middle of the darkness is below the middle of the sheet."""
    flat, mesh = plane(8, 8, 1, 1)
    high = np.concatenate([flat + [-6, 30, 5], [[-40, 0, -40], [40, 0, 40]]])  # two points widen the picture
    both = type(mesh)(len(high), mesh.corners, mesh.offsets)
    found = shadow(renderer, high, both)
    expected, _ = ASLANT.project(np.array([[-6.0, 0, 5]]), SIZE, SIZE)
    rows, columns = np.indices(found.shape)
    middle = np.array([(found * columns).sum(), (found * rows).sum()]) / found.sum() + 0.5
    assert found.max() > 4 and np.abs(middle - expected[0]).max() < 1


def test_faint_things_throw_none_and_copies_do(renderer):
    flat, mesh = plane(8, 8, 1, 1)
    assert shadow(renderer, flat + [0, 1, 0], mesh, alpha=0.5).max() == 0
    one = shadow(renderer, flat + [0, 1, 0], mesh)
    matrix = np.eye(4)
    matrix[:3, 3] = 20, 0, 0
    same = (flat + [0, 1, 0]).astype(np.float32)[None]
    many = Many(matrix[None], np.zeros(1, int), same, np.broadcast_to(np.float32([0, 1, 0]), same.shape).copy(), "two")
    two = shadow(renderer, flat + [0, 1, 0], mesh, many=many)
    assert np.count_nonzero(two > 3) > 1.5 * np.count_nonzero(one > 3)


def test_a_shadow_that_is_kept_goes_with_whatever_throws_it(renderer):
    """What is drawn again is what another renderer would draw first, whichever part of it changed."""
    points, mesh = box(40, 10, 40, 1)
    low = (points + [0, 5, 0]).astype(np.float32)
    matrix = np.eye(4)
    matrix[0, 3] = 30.0
    ground = ground_for(ABOVE, SIZE, 0.0, "#000000")
    item = DrawItem("b", mesh, low, point_normals(mesh, low), np.eye(4), 1)
    others = (
        replace(item, matrix=matrix), replace(item, points=(low * [0.5, 1, 0.5]).astype(np.float32), revision=2),
        replace(item, geometry=replace(mesh)), item,
    )  # fmt: skip
    for there in (item, *others, item):
        for camera in (ABOVE, replace(ABOVE, pitch=40.0, yaw=20.0)):
            background = replace(WHITE, ground=replace(ground, height=-3.0) if there is others[2] else ground)
            found = renderer.draw([there], camera, SIZE, SIZE, background)
            with Renderer() as fresh:
                assert np.array_equal(found, fresh.draw([there], camera, SIZE, SIZE, background))
    renderer.forget()
    again = replace(item, points=(low * [2, 1, 2]).astype(np.float32))  # of another scene, with the same names
    asked = [again], ABOVE, SIZE, SIZE, replace(WHITE, ground=ground)
    with Renderer() as fresh:
        assert np.array_equal(renderer.draw(*asked), fresh.draw(*asked))
