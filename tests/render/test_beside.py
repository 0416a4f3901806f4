"""Pictures drawn in a process of their own are the very same, whatever ends meanwhile."""

import gc
import signal

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.edits.repeats import set_repeat
from fictilis.core.ground.errors import FictilisError
from fictilis.core.scene.light import Light
from fictilis.core.scene.repeats import Repeat
from fictilis.demo import SAMPLES, sample
from fictilis.render import beside
from fictilis.render.background import Background
from fictilis.render.beside import Beside, Known, Link, Ticket, packed
from fictilis.render.camera import Camera
from fictilis.render.dress import worn_item
from fictilis.render.items import Backdrop, Cloth
from fictilis.render.snapshot import bounds
from fictilis.render.stage import Stage, StageWish

SIZE = (160, 100)
BACKGROUND = Background("#E6DED1", "#CFC3B1")
NOISE = np.random.default_rng(4).integers(0, 255, (20, 30, 4)).astype(np.uint8)
DARK = Background("#112233", "#445566", Backdrop(NOISE, (0.1, 0.1, 0.5, 0.5)))


@pytest.fixture(scope="module")
def to():
    made = Link()
    yield made
    made.close()


def seen(scene, frame=7.0):
    items = Stage().items(StageWish(scene, frame))
    return [worn_item(item, item.obj.id) for item in items], Camera(yaw=20).fitted(
        *bounds(scene, frame), aspect=1.6, margin=1.2
    )


def marked(item):
    count = len(item.points)
    marks = np.zeros(count, np.float32)
    marks[::3] = 1
    return replace(
        item, revision="marked", wire="#112233", marks=marks, point_colours=(None, "#FF00FF"),
        tint=np.linspace(-1, 1, count, dtype=np.float32),
        edge_marks=np.arange(5),
    )  # fmt: skip


@pytest.mark.parametrize("fine", [False, True])
@pytest.mark.parametrize("name", list(SAMPLES))
def test_the_same_pixels_and_depths_as_here(to, renderer, name, fine):
    there = Beside(to)
    items, camera = seen(sample(name))
    corners = 3 * sum(len(face) - 2 for face in [range(4)] * items[0].geometry.face_count)
    looks = {
        "as it is": (items, BACKGROUND), "marked": ([marked(item) for item in items], BACKGROUND),
        "faint": ([replace(item, alpha=0.4) for item in items], DARK),
    }  # fmt: skip
    if items[0].geometry.kind == "mesh" and items[0].finer is None:
        cloth = Cloth(np.random.default_rng(1).random((corners, 2)).astype(np.float32), NOISE[..., :3])
        looks["clothed"] = ([replace(items[0], cloth=cloth)], BACKGROUND) if len(cloth.coordinates) else looks["as it is"]
    renderer.light = there.light = Light(30.0, 20.0, 0.8)
    for look, (drawn, background) in looks.items():
        renderer.forget()
        mine = renderer.draw(drawn, camera, *SIZE, background, fine)
        assert np.array_equal(there.draw(drawn, camera, *SIZE, background, fine), mine), look
    assert np.array_equal(there.depths(items, camera, *SIZE, BACKGROUND), renderer.depths(items, camera, *SIZE, BACKGROUND))
    there.release()


def test_what_is_written_to_in_place_is_drawn_anew_with_another_revision_only(to, renderer):
    there, (items, camera) = Beside(to), seen(sample("jelly"))
    item, renderer.light = items[0], there.light
    first = there.draw([item], camera, *SIZE)
    item.points = item.points.copy()
    assert np.array_equal(there.draw([item], camera, *SIZE), first), "the revision is the same"
    item.revision = (item.revision, 1)
    item.points[:, 1] += 30
    moved = there.draw([item], camera, *SIZE)
    item.points[:, 1] += 10  # the same array
    item.revision = (item.revision, 2)
    again = there.draw([item], camera, *SIZE)
    renderer.forget()
    assert not np.array_equal(moved, first) and np.array_equal(again, renderer.draw([item], camera, *SIZE))
    assert not np.array_equal(again, moved)


def test_what_is_large_goes_over_once_and_what_ends_here_ends_there():
    known, (items, _) = Known(), seen(set_repeat(sample("jelly"), "o1", Repeat(counts=(2, 1, 1))))
    parts: list = []
    once = packed(items, known, parts)
    assert len(once) < 8_000 * len(items) < sum(len(data) for _, data in parts)
    again: list = []
    assert packed(items, known, again) == once and not again
    numbers = {number for number, _ in parts}
    del items
    gc.collect()
    assert len(numbers & set(known.gone)) > len(numbers) / 2, "what the scene keeps for itself stays"


def test_windows_do_not_mistake_each_others_items(to):
    (items, camera), (others, _) = seen(sample("jelly")), seen(sample("sea-pen"))
    one, two = Beside(to), Beside(to)
    others = [replace(o, key=i.key, revision=i.revision) for i, o in zip(items, others, strict=False)]
    first, second = one.draw(items, camera, *SIZE), two.draw(others, camera, *SIZE)
    assert np.array_equal(one.draw(items, camera, *SIZE), first) and not np.array_equal(first, second)
    one.forget()
    assert np.array_equal(two.draw(others, camera, *SIZE), second)


def test_a_process_that_ends_is_started_again_some_times_and_then_says_so():
    to = Link()
    there, (items, camera) = Beside(to), seen(sample("jelly"))
    first = there.draw(items, camera, *SIZE)
    for fall in range(1, beside.FALLS + 1):
        to.process.kill()
        to.process.wait()
        assert np.array_equal(there.draw(items, camera, *SIZE), first) and to.falls == fall
    to.process.kill()
    to.process.wait()
    with pytest.raises(FictilisError, match="ended 4 times"):
        there.draw(items, camera, *SIZE)
    ticket = Ticket()
    there.ask(ticket, items, camera, *SIZE, BACKGROUND)
    assert ticket.wait(5) and ticket.pixels is None and "ended 4 times" in ticket.error
    to.close()


def test_a_process_that_hangs_is_ended_and_started_again(monkeypatch):
    monkeypatch.setattr(beside, "HANGS", 3.0)
    to = Link()
    there, (items, camera) = Beside(to), seen(sample("jelly"))
    first = there.draw(items, camera, *SIZE)
    to.process.send_signal(signal.SIGSTOP)
    ticket = Ticket()
    there.ask(ticket, items, camera, *SIZE, BACKGROUND)
    assert ticket.wait(40) and ticket.pixels is None and not ticket.error
    assert np.array_equal(there.draw(items, camera, *SIZE), first) and to.falls == 1
    to.close()


def test_a_picture_that_cannot_be_drawn_is_said_and_the_next_one_comes(to):
    there, (items, camera) = Beside(to), seen(sample("jelly"))
    with pytest.raises(FictilisError, match="float32"):
        there.draw([replace(items[0], points=items[0].points.astype(float))], camera, *SIZE)
    assert there.draw(items, camera, *SIZE).shape == (100, 160, 4)


@pytest.mark.parametrize(
    ("start", "said"), [("import sys; sys.exit({} * 0 + 3)", "ended at once"), (
        "from fictilis.render import served\nfrom fictilis.core.ground.errors import FictilisError\n"
        "def none(): raise FictilisError('No OpenGL here.')\nserved.Renderer = none\nserved.serve({})", "No OpenGL here")],
)  # fmt: skip
def test_without_opengl_it_is_one_sentence(monkeypatch, start, said):
    monkeypatch.setattr(beside, "START", start)
    to = Link()
    with pytest.raises(FictilisError, match=said):
        Beside(to)
    to.close()
