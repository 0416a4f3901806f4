"""The shaping bench, driven by mouse, keys, menus and forms in the real window."""

from unittest.mock import Mock

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton

from fictilis.app.commands.rows import ROWS
from fictilis.app.view.tools import TOOLS
from fictilis.app.widgets import dialogs
from fictilis.core.animation.curve import Key
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.shape import set_mask
from fictilis.core.edits.targets import target_from_points
from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.primitives import ball, plane
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.shapes import ShapeRef, full_shape
from fictilis.core.scene.light import Light
from fictilis.core.scene.places import Transform
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping.mirror import Mirror
from fictilis.formats.native import read_native, write_native
from tests.app.conftest import CTRL, NONE, SHIFT, answer_all, move, point, run

K = Qt.Key
BRUSHES = [t.id for t in TOOLS.values() if t.family == "brush" and t.id not in ("grab", "mask")]


@pytest.fixture
def bench(open_window):
    """A ball of 866 points with the target Puff, being shaped alone from the front."""
    points, mesh = ball(10.0, 12)
    scene, _ = add_object(Scene(name="Ball"), "Ball", mesh, points)
    scene, _ = target_from_points(scene, "o1", "Puff", points * [1.2, 1.0, 1.1])
    user = open_window(scene)
    user.view.eye.look("front")
    user.doc.start_shaping(ShapeRef("t1"))
    user.doc.change(way="Alone")
    user.doc.set_tools(size=4.0)
    user.view.eye.fit()
    user.settle()
    return user


def puff(user):
    return full_shape(user.obj, "t1")


def front_point(user, x=0.0, y=0.0):
    """The point of the front that is seen nearest to a place, and its pixel."""
    cloud = puff(user)
    index = int(np.argmin(np.linalg.norm(cloud[:, :2] - [x, y], axis=1) - 0.01 * cloud[:, 2]))
    return index, user.pixel(index)


@pytest.mark.parametrize("tool", BRUSHES)
def test_every_brush_reshapes_the_target_in_one_step(bench, tool):
    before, base = puff(bench), bench.obj.base
    rough = before + np.random.default_rng(0).normal(size=before.shape) * 0.05
    bench.doc.commit("Rough", target_from_points(bench.doc.committed.scene, "o1", "Rough", rough)[0])
    bench.doc.start_shaping(ShapeRef("t2"))
    bench.doc.set_tools(tool=tool, blend_to="t1")
    start = bench.pixel(front_point(bench)[0])
    bench.drag(bench.view, start, start + QPointF(50, 10))
    after = full_shape(bench.obj, "t2")
    moved = np.flatnonzero((after != rough).any(axis=1))
    assert 5 < len(moved) < len(base) / 2 and np.array_equal(bench.obj.base, base)
    assert bench.doc.undo_label() == f"{tool.capitalize()} on Rough"
    bench.doc.undo()
    assert np.array_equal(full_shape(bench.obj, "t2"), rough)


def test_ctrl_inverts_and_shift_smooths(bench):
    bench.doc.set_tools(tool="push")
    before = puff(bench)
    _, at = front_point(bench)
    out = []
    for keys in (NONE, CTRL, SHIFT):
        bench.drag(bench.view, at, at + QPointF(2, 0), keys)
        out.append(np.linalg.norm(puff(bench), axis=1) - np.linalg.norm(before, axis=1))
        bench.doc.undo()
    assert out[0].max() > 0.2 and out[1].min() < -0.2 and abs(out[2]).max() < 0.1


def test_dabs_are_even_at_any_speed(bench):
    bench.doc.set_tools(tool="push", size=2.0)
    before = puff(bench)
    (_, a), (_, b) = front_point(bench, -5, 1), front_point(bench, 5, 1)
    heights = []
    for steps in (3, 60):
        QTest.mousePress(bench.view, Qt.MouseButton.LeftButton, NONE, point(a))
        for k in range(1, steps + 1):
            move(bench.view, a + (b - a) * (k / steps))
        QTest.mouseRelease(bench.view, Qt.MouseButton.LeftButton, NONE, point(b))
        heights.append(np.linalg.norm(puff(bench) - before, axis=1))
        bench.doc.undo()
    slow, fast = heights
    assert slow.max() > 0.2
    assert abs(slow.sum() - fast.sum()) < 0.15 * slow.sum() and np.corrcoef(slow, fast)[0, 1] > 0.97


def test_only_what_is_picked_changes_under_a_brush(bench):
    index, at = front_point(bench)
    bench.doc.set_picks(np.array([index]))
    bench.doc.set_tools(tool="push")
    before = puff(bench)
    bench.drag(bench.view, at, at + QPointF(3, 0))
    assert np.flatnonzero((puff(bench) != before).any(axis=1)).tolist() == [index]
    bench.doc.set_tools(radius=2.0)
    bench.drag(bench.view, at, at + QPointF(3, 0))
    soft = np.flatnonzero((puff(bench) != before).any(axis=1))
    assert 4 < len(soft) < 80


def test_a_brush_sized_on_the_screen_grows_with_the_distance(bench):
    bench.doc.set_tools(tool="push", in_px=True, size_px=30.0)
    item = bench.view.shaped_item()
    near = bench.view.bench(item).brush_size(np.zeros(3))
    bench.view.camera = replace(bench.view.camera, distance=bench.view.camera.distance * 2)
    assert bench.view.bench(item).brush_size(np.zeros(3)) == pytest.approx(2 * near)
    bench.press(K.Key_BracketRight)
    assert bench.doc.tools.size_px == pytest.approx(34.5)


def test_the_pen_presses_softly_or_hard(bench):
    bench.doc.set_tools(tool="push")
    before = puff(bench)
    _, at = front_point(bench)
    heights = []
    for pressure in (1.0, 0.25):
        bench.view._pressure = pressure
        bench.drag(bench.view, at, at + QPointF(2, 0))
        heights.append(np.linalg.norm(puff(bench) - before, axis=1).max())
        bench.doc.undo()
    assert heights[1] == pytest.approx(0.25 * heights[0], rel=0.05)


def test_the_mask_brush_shuts_and_opens_and_the_base_has_none(bench):
    bench.doc.set_tools(tool="mask", profile="even")
    index, at = front_point(bench)
    for _ in range(4):
        bench.drag(bench.view, at, at + QPointF(4, 0))
    mask = bench.target("Puff").mask
    assert mask[index] < 0.2 and mask.max() == 1.0 and bench.doc.undo_label() == "Mask of Puff"
    assert np.allclose(puff(bench)[index], bench.obj.base[index] * (1 + mask[index] * np.array([0.2, 0, 0.1])))
    shut = mask[index]
    bench.drag(bench.view, at, at + QPointF(4, 0), CTRL)
    assert bench.target("Puff").mask[index] > shut
    run(bench, "bake-mask")
    assert bench.target("Puff").mask is None
    bench.doc.start_shaping(ShapeRef())
    bench.drag(bench.view, at, at + QPointF(4, 0))
    assert "base has no mask" in bench.said[-1][0]


@pytest.mark.parametrize("kind", ["points", "edges", "faces"])
def test_points_edges_and_faces_are_picked_by_click_box_lasso_and_brush(bench, kind):
    bench.press(K.Key_1)
    bench.window.side.tool.kind.buttons[kind.capitalize()].click()
    _, at = front_point(bench)
    click = at if kind != "faces" else at + QPointF(4, 4)
    bench.click(bench.view, click)
    assert len(bench.doc.pick()) == 1 and bench.doc.pick().kind == kind
    bench.click(bench.view, click, SHIFT)
    assert len(bench.doc.pick()) == 0
    counts = []
    for way in ("Box", "Lasso", "Brush"):
        bench.window.side.tool.pick_way.buttons[way].click()
        bench.doc.set_tools(size_px=25.0)
        if way == "Lasso":
            ring = [at + 34 * QPointF(np.cos(t), np.sin(t)) for t in np.linspace(0, 2 * np.pi, 24)]
            QTest.mousePress(bench.view, Qt.MouseButton.LeftButton, NONE, point(ring[0]))
            for place in ring[1:]:
                move(bench.view, place)
            QTest.mouseRelease(bench.view, Qt.MouseButton.LeftButton, NONE, point(ring[-1]))
        else:
            bench.drag(bench.view, at - QPointF(45, 45), at + QPointF(45, 45))
        counts.append(len(bench.doc.pick()))
    box, lasso, brush = counts
    assert box > lasso >= 3 and brush >= 3 and box >= 8
    cloud = puff(bench)
    assert (cloud[bench.doc.picks()][:, 2] > 0).all()  # what is behind is left alone
    bench.window.side.tool.through.click()
    bench.window.side.tool.pick_way.buttons["Box"].click()
    bench.drag(bench.view, at - QPointF(45, 45), at + QPointF(45, 45))
    assert (cloud[bench.doc.picks()][:, 2] < 0).any()


def test_the_pick_menu(bench):
    index, _ = front_point(bench)
    bench.doc.set_picks(np.array([index]))
    for name, test in (
        ("pick-grow", lambda n: n == 5), ("pick-shrink", lambda n: n == 1), ("pick-connected", lambda n: n == 866),
        ("pick-inverse", lambda n: n == 0), ("pick-left", lambda n: 400 < n < 500), ("pick-mirrored", lambda n: 400 < n < 500),
        ("pick-moved", lambda n: n > 800), ("pick-none", lambda n: n == 0), ("pick-all", lambda n: n == 866),
    ):  # fmt: skip
        run(bench, name)
        assert test(len(bench.doc.pick())), (name, len(bench.doc.pick()))
    bench.doc.set_tools(kind="edges")
    bench.doc.set_pick(Pick("edges", np.array([0])))
    run(bench, "pick-loop")
    assert len(bench.doc.pick()) > 10
    bench.doc.set_pick(Pick("edges", np.array([0])))
    run(bench, "pick-ring")
    assert len(bench.doc.pick()) > 10
    bench.doc.set_pick(Pick("points", np.array([0])))
    run(bench, "pick-loop")
    assert "starts at a picked edge" in bench.said[-1][0]


def test_a_double_click_picks_the_loop(bench):
    bench.press(K.Key_1)
    bench.doc.set_tools(kind="edges")
    index, at = front_point(bench)
    from fictilis.core.geometry.topology import neighbours

    beside = bench.pixel(int(neighbours(bench.obj.mesh).of(np.array([index]))[0]))
    bench.double_click(bench.view, (at + beside) / 2)
    assert len(bench.doc.pick()) > 10


def test_picks_are_kept_with_the_object_and_saved(bench, forms, tmp_path):
    forms(bench, {"name": "Rim"}, {"name": "Rim"})
    bench.doc.set_pick(Pick("faces", np.array([3, 4])))
    run(bench, "keep-pick")
    write_native(tmp_path / "s.fictilis", bench.doc.committed.scene)
    assert read_native(tmp_path / "s.fictilis").objects[0].picks[0].name == "Rim"
    run(bench, "pick-none")
    menu = bench.window.top.lists["Kept picks"]
    menu.aboutToShow.emit()
    menu.actions()[0].trigger()
    assert bench.doc.pick().same_as(Pick("faces", np.array([3, 4]))) and bench.doc.tools.kind == "faces"
    run(bench, "drop-pick")
    assert bench.obj.picks == ()


def test_numbers_by_and_to_in_a_form(bench):
    index, _ = front_point(bench)
    bench.doc.set_picks(np.array([index]))
    bench.doc.set_tools(tool="move")
    side, before = bench.window.side.tool, puff(bench)
    side.by_to.buttons["By"].click()
    for field, value in zip(side.xyz, ("1.5", "0", "-2"), strict=True):
        field.setFocus()
        field.selectAll()
        bench.type(value, field)
    side.apply.click()
    assert np.allclose(puff(bench)[index] - before[index], [1.5, 0, -2])
    side.by_to.buttons["To"].click()
    for field, value in zip(side.xyz, ("0", "0", "20"), strict=True):
        field.setText(value)
        field.setModified(True)
    side.apply.click()
    assert np.allclose(puff(bench)[index], [0, 0, 20])
    bench.doc.set_tools(tool="rotate")
    bench.doc.set_picks(np.arange(866))
    before = puff(bench)
    side.by_to.buttons["By"].click()
    side.xyz[0].setText("90")
    side.xyz[0].setModified(True)
    side.xyz[1].setText("20")
    side.xyz[1].setModified(True)
    side.apply.click()
    turned = (before - before.mean(0)) @ Transform(rotation=(90, 20, 0)).rotation_matrix().T  # about X, then about Y
    assert np.allclose(puff(bench) - before.mean(0), turned)


def test_scaling_to_zero_by_a_typed_amount_gathers_each_island(bench):
    cloud = puff(bench)
    left, right = (np.argsort(np.linalg.norm(cloud - [x, 0, 11], axis=1))[:12] for x in (-6, 6))
    bench.doc.set_picks(np.concatenate([left, right]))
    bench.doc.set_tools(tool="scale", pivot="Islands")
    bench.amount("0", "0", "0")
    for island in (left, right):
        gathered = puff(bench)[island]
        assert np.allclose(gathered, gathered[0]) and np.allclose(gathered[0], cloud[island].mean(0))


def test_a_number_alone_on_the_middle_handle_scales_all_axes(bench):
    index, _ = front_point(bench)
    bench.doc.set_picks(np.arange(866))
    bench.doc.set_tools(tool="scale")
    from fictilis.app.view.tools.handling import handle_ends

    middle = QPointF(*handle_ends(bench.view.bench(bench.view.shaped_item()))[None])
    before = puff(bench)
    QTest.mousePress(bench.view, Qt.MouseButton.LeftButton, NONE, point(middle))
    bench.amount("0.5")
    QTest.mouseRelease(bench.view, Qt.MouseButton.LeftButton, NONE, point(middle))
    assert np.allclose(puff(bench) - before.mean(0), 0.5 * (before - before.mean(0)))


def test_the_pivot_is_placed_on_a_point_and_axes_follow_the_normal(bench):
    index, at = front_point(bench)
    bench.press(K.Key_3)
    bench.doc.set_picks(np.array([5, 6, 7]))
    bench.press(K.Key_P)
    assert bench.view.clicks.on
    bench.click(bench.view, at + QPointF(3, 2))
    assert not bench.view.clicks.on and bench.doc.tools.pivot == "Placed"
    assert np.allclose(bench.doc.tools.pivot_place, puff(bench)[index], atol=1e-4)
    bench.doc.set_picks(np.array([index]))
    bench.doc.set_tools(tool="move", axes="Normal", pivot="Pick")
    before = puff(bench)[index]
    bench.amount("0", "0", "2")
    moved = puff(bench)[index] - before
    assert np.linalg.norm(moved) == pytest.approx(2) and moved[2] > 1.9


def test_an_exact_change_is_shown_before_it_is_applied(bench):
    bench.window.actions_.by_id["exact-inflate"].trigger()
    assert bench.doc.tools.tool == "exact" and bench.doc.tools.exact == "inflate"
    before = puff(bench)
    bench.doc.set_picks(np.arange(866))
    item = bench.view.shaped_item()
    assert np.linalg.norm(item.points - before, axis=1).mean() == pytest.approx(1.0, abs=0.01)
    field = bench.window.side.tool.own["inflate", "distance"][1]
    field.setFocus()
    field.selectAll()
    bench.type("2.5", field)
    bench.press(K.Key_Return, on=field)
    assert np.array_equal(puff(bench), before)
    bench.window.side.tool.apply_exact.click()
    assert np.linalg.norm(puff(bench) - before, axis=1).mean() == pytest.approx(2.5, abs=0.01)
    assert bench.doc.undo_label() == "Inflate along normals on Puff"
    bench.doc.set_tools(tool="grab")
    assert np.allclose(bench.view.shaped_item().points, puff(bench), atol=1e-4)
    bench.doc.undo()
    assert np.array_equal(puff(bench), before)


def test_an_exact_change_set_for_one_shape_is_not_shown_on_another(bench):
    bench.window.actions_.by_id["exact-inflate"].trigger()
    bench.doc.set_picks(np.arange(400))
    plain = bench.obj.base
    assert not np.allclose(bench.view.shaped_item().points, puff(bench), atol=0.1)
    bench.doc.start_shaping(ShapeRef())
    bench.settle()
    assert np.allclose(bench.view.shaped_item().points, plain, atol=1e-3)
    bench.doc.set_picks(np.arange(401))
    bench.settle()
    assert not np.allclose(bench.view.shaped_item().points, plain, atol=0.1)


def test_an_exact_change_that_cannot_be_says_why(bench):
    bench.doc.set_picks(np.array([1, 2]))
    bench.window.actions_.by_id["exact-even"].trigger()
    bench.window.side.tool.apply_exact.click()
    assert "at least 3 picked points; 2 are picked" in bench.said[-1][0]


def test_sliding_keeps_to_the_surface(bench):
    index, at = front_point(bench)
    bench.doc.set_picks(np.array([index]))
    bench.press(K.Key_5)
    before = puff(bench)
    bench.drag(bench.view, at, at + QPointF(30, 0))
    moved = puff(bench)[index] - before[index]
    from fictilis.core.geometry.closest import Surface

    assert moved[0] > 1 and Surface(bench.obj.mesh, before).nearest(puff(bench)[[index]]).distances[0] < 1e-9
    assert bench.doc.undo_label() == "Slide on Puff"
    bench.click(bench.view, front_point(bench, 3, 3)[1])
    assert bench.doc.picks().tolist() == [front_point(bench, 3, 3)[0]]


def test_mirror_axes_tolerance_and_the_count_of_points_without_a_partner(bench):
    side = bench.window.side.tool
    bench.press(K.Key_M)
    side.mirror.buttons["Y"].click()
    assert bench.doc.tools.mirror.axes == "XY" and side.unpaired.text() == "Every point has a partner"
    uneven = bench.obj.base + np.random.default_rng(0).normal(size=(866, 3)) * 0.3
    scene = bench.doc.committed.scene
    bench.doc.commit("Uneven", scene.with_object(replace(bench.obj, base=uneven)))
    assert "points without a partner" in side.unpaired.text()
    side.mirror_by.buttons["Topology"].click()
    assert bench.doc.tools.mirror.by_topology and side.unpaired.text() == "Every point has a partner"


MESH = {
    "subdivide": {}, "subdivide-smooth": {}, "extrude": {"offset": 1.0}, "inset": {"part": 0.4}, "loop-cut": {"cuts": 2},
    "triangulate": {}, "delete-points": {}, "delete-faces": {}, "weld-middle": {}, "weld-near": {"within": 1.6},
    "mirror-weld": {"axis": "Y"},
}  # fmt: skip


@pytest.mark.parametrize("name", MESH)
def test_the_mesh_menu_carries_targets_through_and_can_be_undone(bench, forms, name, tmp_path):
    forms(bench, MESH[name])
    bench.doc.commit("Mask", set_mask(bench.doc.committed.scene, "o1", "t1", np.linspace(0, 1, 866)))
    bench.doc.set_tools(kind="faces")
    bench.doc.set_pick(Pick("faces", np.array([10, 11])))
    before = bench.doc.committed.scene
    run(bench, name)
    obj = bench.obj
    assert obj.mesh is not before.objects[0].mesh and "carried through" in bench.said[-1][0]
    assert len(bench.target("Puff").mask) == len(obj.base) and np.isfinite(puff(bench)).all()
    bench.settle()
    write_native(tmp_path / "s.fictilis", bench.doc.committed.scene)
    assert read_native(tmp_path / "s.fictilis").objects[0].mesh.face_count == obj.mesh.face_count
    bench.doc.undo()
    assert bench.doc.committed.scene is before and bench.doc.pick().same_as(Pick("faces", np.array([10, 11])))
    bench.doc.redo()
    assert len(bench.obj.base) == len(obj.base)


def test_mesh_operations_say_what_they_lack(bench, forms):
    forms(bench)
    bench.doc.set_picks(np.array([0]))
    for name, said in (("extrude", "needs picked faces"), ("loop-cut", "picked edge"), ("weld-middle", "two picked points")):
        run(bench, name)
        assert said in bench.said[-1][0], bench.said[-1]


def test_freezing_the_transform_and_moving_the_origin(bench):
    from fictilis.core.edits.objects import set_transform
    from fictilis.core.scene.places import Transform

    bench.doc.commit("t", set_transform(bench.doc.committed.scene, "o1", Transform((1, 2, 3), (0, 30, 0), (2, 2, 2))))
    seen = bench.view.shaped_item().in_scene()
    run(bench, "freeze")
    assert bench.obj.transform == Transform() and np.allclose(bench.view.shaped_item().in_scene(), seen, atol=1e-4)
    bench.doc.set_picks(np.array([9]))
    run(bench, "origin")
    assert np.allclose(bench.obj.base[9], 0) and np.allclose(bench.view.shaped_item().in_scene(), seen, atol=1e-3)


TARGET = {
    "duplicate": ({}, 3), "mirror-new": ({}, 3), "swap-sides": ({}, 2), "split": ({"seam": 2.0}, 4),
    "scale-deltas": ({"factor": -1.0}, 2), "clean": ({"below": 1.5}, 2), "combine": ({"other": "Dent"}, 2),
    "copy-onto": ({"onto": "Dent"}, 2), "apply-to-base": ({"weight": 0.5}, 2), "keep-region": ({}, 2),
    "rebuild": ({"on": "Dent"}, 2), "mask-from-pick": ({}, 2),
}  # fmt: skip


@pytest.mark.parametrize("name", TARGET)
def test_whole_shape_operations_in_the_menu(bench, forms, name):
    answer, count = TARGET[name]
    forms(bench, answer)
    dent = bench.obj.base * (1 - 0.2 * (bench.obj.base[:, 2:] > 5))
    bench.doc.commit("Dent", target_from_points(bench.doc.committed.scene, "o1", "Dent", dent)[0])
    bench.doc.set_picks(np.arange(300))
    before = bench.doc.committed.scene
    assert bench.doc.target.name == "Puff"
    run(bench, name)
    assert len(bench.obj.targets) == count and bench.doc.committed.scene is not before
    bench.settle()
    bench.doc.undo()
    assert bench.doc.committed.scene is before


def test_split_then_join_in_the_window(bench, forms):
    forms(bench, {"seam": 3.0})
    whole = puff(bench)
    run(bench, "split")
    assert [bench.obj.target(t).name for t in bench.doc.selected_targets] == ["Puff left", "Puff right"]
    run(bench, "join")
    assert np.allclose(full_shape(bench.obj, bench.doc.target.id), whole, atol=1e-12)


def test_transfer_from_an_object_of_another_topology(bench, forms):
    opened = forms(bench, {"from": "Ball: Puff", "near": 1.0, "far": 4.0})
    points, mesh = plane(12, 12, 8, 8)
    scene, other = add_object(
        bench.doc.committed.scene, "Patch", mesh, points @ np.array([[1, 0, 0], [0, 0, 1], [0, 1, 0]]) + [0, 0, 9]
    )
    bench.doc.commit("Patch", scene)
    bench.doc.select_object(other)
    run(bench, "transfer")
    assert opened and bench.obj.name == "Patch" and bench.obj.targets[0].name == "Puff"
    assert bench.obj.targets[0].deltas.largest > 0.5


def test_groups_fold_slide_and_dissolve_in_the_column(bench, forms):
    forms(bench, {"name": "Bell"})
    cards = bench.window.column.cards
    run(bench, "duplicate")
    bench.doc.select_target("t1")
    bench.doc.select_target("t2", add=True)
    run(bench, "group")
    (heading,) = cards.group_places
    assert heading.group.name == "Bell" and len(cards.places()) == 3
    bench.drag(cards, heading.bar.center(), QPointF(heading.bar.left() + heading.bar.width() * 0.25, heading.bar.center().y()))
    assert bench.obj.groups[0].factor == pytest.approx(0.25, abs=0.02)
    bench.click(cards, heading.rect.topLeft() + QPointF(8, 12))
    assert bench.obj.groups[0].folded and len(cards.places()) == 1
    bench.click(cards, heading.rect.topLeft() + QPointF(8, 12))
    bench.double_click(cards, cards.group_places[0].number.center())
    bench.type("1.5", cards._editor)
    bench.press(K.Key_Return, on=cards._editor)
    assert bench.obj.groups[0].factor == 1.5
    menu = cards.group_menu(cards.group_places[0])
    next(a for a in menu.actions() if a.text() == "Dissolve").trigger()
    assert bench.obj.groups == () and len(cards.places()) == 3


def test_the_list_of_objects_orders_renames_hides_and_locks(bench):
    scene, _ = add_object(bench.doc.committed.scene, "Teeth", *reversed(ball(3.0, 4)))
    bench.doc.commit("Teeth", scene)
    column = bench.window.column
    column.list_button.click()
    rows = column.objects
    assert not rows.isHidden() and [rows.item(n).text() for n in range(2)] == ["Ball", "Teeth"]
    rows.item(1).setText("Tongue")
    assert bench.doc.scene.objects[1].name == "Tongue"
    for word, test in (("Hide", lambda o: not o.visible), ("Show", lambda o: o.visible), ("Lock", lambda o: o.locked)):
        menu = rows.menu_for("o2")
        next(a for a in menu.actions() if a.text().startswith(word)).trigger()
        assert test(bench.doc.scene.object("o2"))
    rows.model().moveRow(rows.rootIndex(), 1, rows.rootIndex(), 0)
    assert [o.name for o in bench.doc.scene.objects] == ["Tongue", "Ball"]
    rows.setCurrentRow(0)
    assert bench.doc.object.name == "Tongue"
    bench.doc.start_shaping(ShapeRef())
    bench.drag(bench.view, front := QPointF(bench.view.width() / 2, bench.view.height() / 2), front + QPointF(9, 9))
    assert "Tongue is locked" in bench.said[-1][0]


def test_a_range_of_objects_is_hidden_locked_and_removed_in_one_step_each(bench):
    for name in ("Teeth", "Tongue", "Lips"):
        bench.doc.commit(name, add_object(bench.doc.committed.scene, name, *reversed(ball(3.0, 4)))[0])
    column = bench.window.column
    column.list_button.click()
    rows = column.objects
    at = [QPointF(rows.visualItemRect(rows.item(n)).center()) for n in range(4)]
    for row, keys, chosen in ((1, NONE, {"o2"}), (3, SHIFT, {"o2", "o3", "o4"}), (2, CTRL, {"o2", "o4"})):
        bench.click(rows.viewport(), at[row], keys)
        assert set(rows.chosen()) == chosen, row
    for word, test in (("Hide 2", lambda o: not o.visible), ("Lock 2", lambda o: o.locked)):
        next(a for a in rows.menu_for("o4").actions() if a.text().startswith(word)).trigger()
        assert [o.id for o in bench.doc.scene.objects if test(o)] == ["o2", "o4"]
    next(a for a in rows.menu_for("o4").actions() if a.text() == "Remove 2 objects").trigger()
    assert [o.id for o in bench.doc.scene.objects] == ["o1", "o3"]
    bench.doc.undo()
    assert len(bench.doc.scene.objects) == 4
    next(a for a in rows.menu_for("o1").actions() if a.text() == "Hide Ball").trigger()  # not among the selected
    assert not bench.doc.scene.object("o1").visible
    column.list_button.click()


def test_hidden_objects_stay_hidden_and_others_stay_in_sight_while_one_is_shaped(bench):
    scene, teeth = add_object(bench.doc.committed.scene, "Teeth", *reversed(ball(3.0, 4)))
    bench.doc.commit("Teeth", scene)
    bench.doc.change(way="In the mix")
    assert {i.obj.name for i in bench.view.items()} == {"Ball", "Teeth"}
    bench.press(K.Key_H)
    bench.doc.select_object(teeth)
    assert {i.obj.name for i in bench.view.items()} == {"Teeth"}


@pytest.mark.parametrize(
    "name", ["wire", "points", "ghost", "texture", "before", "paths", "numbers", "displacement", "stretch", "cuts"]
)
def test_every_way_of_seeing_changes_the_picture(bench, name):
    bench.doc.change(way="In the mix")
    bench.doc.channels.set_value(bench.doc.channels.ref("t1"), -0.7)
    _, at = front_point(bench)
    bench.doc.set_tools(tool="pick", kind="faces")
    if name == "cuts":
        bench.doc.commit("Cut", add_object(bench.doc.committed.scene, "Other", *reversed(ball(5.0, 8)))[0])
        shifted = bench.doc.committed.scene.object("o2")
        bench.doc.commit("Cut", bench.doc.committed.scene.with_object(replace(shifted, base=shifted.base + [8, 0, 4])))
    bench.settle(300)
    move(bench.view, at, Qt.MouseButton.NoButton)
    plain = bench.view.grab().toImage()
    run(bench, name)
    move(bench.view, at + QPointF(1, 0), Qt.MouseButton.NoButton)
    assert bench.comes(lambda: bench.view.grab().toImage() != plain)
    assert (bench.view.dressing.legend is not None) == (name in ("displacement", "stretch", "cuts"))
    if name == "cuts":
        assert "faces cut through others" in bench.view.dressing.legend.title
    run(bench, name)
    assert not bench.window.actions_.by_id[name].isChecked()


def test_the_points_show_while_mixing_too(bench):
    QTest.keyClick(bench.view, Qt.Key.Key_Escape)
    bench.settle(250)
    plain = bench.view.grab().toImage()
    run(bench, "points")
    assert bench.doc.shaping is None and bench.comes(lambda: bench.view.grab().toImage() != plain)


def test_a_texture_that_cannot_show_says_why(bench):
    bare = replace(bench.obj, geometry=replace(bench.obj.mesh, uvs=None, uv_corners=None))
    bench.doc.commit("Bare", bench.doc.committed.scene.with_object(bare))
    run(bench, "texture")
    assert "has no texture coordinates" in bench.said[-1][0]


def test_a_mesh_operation_while_mixing_heeds_no_earlier_pick(bench):
    bench.doc.set_pick(Pick("faces", np.array([40, 41])))
    QTest.keyClick(bench.view, Qt.Key.Key_Escape)
    run(bench, "triangulate")
    assert (bench.obj.mesh.face_sizes == 3).all()


def test_the_divider_of_before_and_after_is_dragged(bench):
    run(bench, "before")
    bench.settle()
    middle = QPointF(bench.view.width() / 2, 60)
    bench.drag(bench.view, middle, QPointF(bench.view.width() * 0.25, 60))
    assert bench.view.divider == pytest.approx(0.25, abs=0.01)


def test_the_scale_of_the_displacement_colour(bench, forms):
    forms(bench, {"scale": 8.0})
    run(bench, "colour-scale")
    bench.settle(250)
    assert bench.view.dressing.legend.marks[-1] == "8 cm"


def test_a_texture_from_a_file_or_from_the_view_is_saved(bench, tmp_path, monkeypatch):
    from PIL import Image

    path = tmp_path / "skin.png"
    Image.new("RGB", (8, 8), (200, 30, 30)).save(path)
    monkeypatch.setattr(bench.window.ask.files, "open", lambda *_a: path)
    section = bench.window.side.object
    section.texture.setCurrentIndex(2)
    section.texture.activated.emit(2)
    assert bench.obj.appearance.texture.name == "skin" and bench.doc.seeing.texture
    section.laid_by.buttons["View"].click()
    assert bench.obj.appearance.texture.projected.shape == (866, 2)
    bench.settle(250)
    image = bench.view.grab().toImage()
    at = front_point(bench)[1]
    colour = image.pixelColor(point(at + QPointF(4, 4)))
    assert colour.red() > 2 * colour.green()
    write_native(tmp_path / "s.fictilis", bench.doc.committed.scene)
    assert read_native(tmp_path / "s.fictilis").objects[0].appearance.texture.image == path.read_bytes()
    monkeypatch.setattr(bench.window.ask.files, "open", lambda *_a: tmp_path / "s.fictilis")
    section.texture.activated.emit(2)
    assert "cannot be opened as a PNG or JPEG image" in bench.said[-1][0]
    section.texture.activated.emit(0)
    assert bench.obj.appearance.texture is None


def test_views_are_kept_and_turning_about_the_pick_keeps_it_in_place(bench, forms):
    forms(bench, {"name": "Close"}, {"name": "Close", "to": "Near"}, {"name": "Near"})
    bench.view.camera = replace(bench.view.camera, yaw=33.0, distance=55.0)
    run(bench, "keep-view")
    bench.view.eye.look("side")
    menu = bench.window.top.lists["Kept views"]
    menu.aboutToShow.emit()
    menu.actions()[0].trigger()
    assert (bench.view.camera.yaw, bench.view.camera.distance) == (33.0, 55.0)
    index, at = front_point(bench, 4, 4)
    bench.doc.set_picks(np.array([index]))
    run(bench, "about-pick")
    bench.drag(bench.view, QPointF(60, 300), QPointF(110, 320), button=Qt.MouseButton.RightButton)
    assert bench.view.camera.yaw != 33.0
    after = bench.pixel(index)
    assert abs(after.x() - at.x()) < 1 and abs(after.y() - at.y()) < 1
    run(bench, "rename-view")
    assert [v.name for v in bench.doc.scene.views] == ["Near"]
    run(bench, "drop-view")
    assert bench.doc.scene.views == ()


def test_light_and_the_colour_of_picks_are_kept(bench, monkeypatch):
    def ask(dialog):
        dialog.fields["right"].setText("60")
        dialog.fields["right"].setModified(True)
        dialog.set_colour("picked", "#AA2288")
        dialog.fields["clay"].buttons["Lines of light"].click()
        seen.append(bench.window.renderer.light)
        dialog.buttons["ok"].click()
        return dialog.answer

    def from_behind(dialog):
        next(b for b in dialog.findChildren(QPushButton) if b.text() == "From behind").click()
        seen.append(bench.window.renderer.light)
        dialog.fields["relief"].set_value(0.9)
        next(b for b in dialog.findChildren(QPushButton) if b.text() == "As shipped").click()
        seen.append(bench.window.renderer.light)
        dialog.buttons["cancel"].click()
        return dialog.answer

    seen: list[Light] = []
    monkeypatch.setattr(bench.window.ask, "show", ask)
    run(bench, "light")
    assert seen[0].clay == "lines", "it is shown before it is kept"
    assert bench.window.renderer.light.right == 60 and bench.view.palette_.picked == "#AA2288"
    kept = bench.window.settings.light()
    assert kept == Light(60.0, clay="lines") == bench.window.renderer.light == bench.doc.scene.light
    monkeypatch.setattr(bench.window.ask, "show", from_behind)
    run(bench, "light")
    assert abs(seen[1].right) > 90 and seen[2] == Light() and bench.window.renderer.light == kept, "given up"
    bench.doc.undo()
    assert bench.doc.scene.light is None and bench.window.renderer.light == Light(), "as it was before"
    bench.doc.open_scene(Scene(), None)
    assert bench.window.renderer.light == kept, "scenes to come have it"
    bench.window.settings._store.setValue("light", "[10, 20, 1.5]")  # as 0.13 kept it
    bench.window.settings._store.setValue("clay", "chalk")
    assert bench.window.settings.light() == Light(10.0, 20.0, 1.5)
    bench.window.set_theme("Kiln")
    assert bench.window.palette_.picked == "#AA2288"


def test_a_file_in_another_order_is_put_in_order(user, sheet_files, forms):
    opened = forms(user, {})
    user.window.target_commands.targets_from_files([sheet_files["shuffled"]])
    assert "Renumbering" in opened[0].findChildren(dialogs.QLabel)[1].text()
    assert user.obj.targets[-1].name == "shuffled" and np.allclose(full_shape(user.obj, user.obj.targets[-1].id), user.obj.base)
    user.doc.undo()
    assert len(user.obj.targets) == 2


@pytest.fixture
def answering(bench, forms, monkeypatch):
    """A keyed scene whose questions are all answered."""
    answer_all(bench, forms, monkeypatch)
    for frame in (0.0, 12.0, 24.0):
        bench.doc.commit("Key", set_key(bench.doc.committed.scene, "o1", "t1", Key(frame, frame % 24)))
    return bench


def each_action(user, leave=("quit", "demo-jelly", "demo-lantern-fish", "open")):
    """Every action in turn, with a key selected, a target shaped and a pick; it yields after each."""
    for row in ROWS:
        if row.id in leave:
            continue
        user.doc.change(keys=frozenset({KeyRef("o1", "t1", 12.0)}))
        if user.doc.shaping is None and user.doc.object is not None:
            user.doc.start_shaping(ShapeRef("t1"))
        user.doc.set_pick(Pick("points", user.obj.mesh.face(3)))
        action = user.window.actions_.by_id[row.id]
        if action.isEnabled():
            action.trigger()
        user.window.playback.stop()
        yield row
    user.settle(1)


def test_every_action_can_be_run_while_shaping_with_a_pick(answering):
    """One by one on the same scene; none may raise, and all that changed can be undone."""
    start = answering.doc.committed.scene
    for row in each_action(answering):
        while answering.doc.committed.scene is not start and answering.doc.undo_label():
            answering.doc.undo()
        assert answering.doc.committed.scene is start, row.id


def test_every_action_says_what_a_core_that_refuses_says(answering, monkeypatch):
    """Whatever refuses, at whatever depth, becomes the sentence it carries, and nothing is changed."""
    doc, start = answering.doc, answering.doc.committed.scene
    doc.set_pick(Pick("points", answering.obj.mesh.face(3)))
    monkeypatch.setattr(doc, "commit", refusing := Mock(side_effect=EditRefused("The core refuses this.", "Try another.")))
    refused = 0
    for row in each_action(answering, ("quit", "demo-jelly", "demo-lantern-fish", "open", "undo", "redo")):
        asked, refusing.call_count = refusing.call_count, 0
        refused += bool(asked)
        assert doc.committed.scene is start, row.id
        assert not asked or answering.said[-1] == ("The core refuses this. Try another.", "error"), row.id
    assert refused > 50


def test_mirrored_strokes_by_key(bench):
    bench.press(K.Key_M)
    assert bench.doc.tools.mirror == Mirror("X")
    bench.doc.set_tools(tool="push")
    before = puff(bench)
    _, at = front_point(bench, 5, 2)
    bench.drag(bench.view, at, at + QPointF(2, 0))
    moved = puff(bench) - before
    ((_, pairs),) = Mirror("X").pairs(bench.obj)
    assert np.allclose(moved, moved[pairs] * [-1, 1, 1], atol=1e-9) and np.abs(moved).max() > 0.1


def test_brackets_change_the_falloff_while_dragging(bench):
    index, _ = front_point(bench)
    bench.doc.set_picks(np.array([index]))
    bench.doc.set_tools(tool="move", radius=3.0)
    from fictilis.app.view.tools.handling import handle_ends

    end = QPointF(*handle_ends(bench.view.bench(bench.view.shaped_item()))[1])
    before = puff(bench)
    QTest.mousePress(bench.view, Qt.MouseButton.LeftButton, NONE, point(end))
    move(bench.view, end - QPointF(0, 30))
    few = len(bench.view.strokes.live.indices)
    for _ in range(5):
        bench.press(K.Key_BracketRight)
    assert bench.doc.tools.radius > 5 and len(bench.view.strokes.live.indices) > 1.5 * few
    QTest.mouseRelease(bench.view, Qt.MouseButton.LeftButton, NONE, point(end - QPointF(0, 30)))
    moved = np.flatnonzero((puff(bench) != before).any(axis=1))
    assert len(moved) > 1.5 * few and bench.doc.undo_label() == "Move on Puff"
    bench.doc.undo()
    assert np.array_equal(puff(bench), before)


def test_brackets_change_grab_and_brushes_while_dragging(bench):
    _, at = front_point(bench)
    for tool in ("grab", "push"):
        bench.doc.set_tools(tool=tool, size=2.0)
        before = puff(bench)
        QTest.mousePress(bench.view, Qt.MouseButton.LeftButton, NONE, point(at))
        move(bench.view, at + QPointF(6, 0))
        few = len(bench.view.strokes.live.indices)
        for _ in range(5):
            bench.press(K.Key_BracketRight)
        move(bench.view, at + QPointF(24, 0))
        QTest.mouseRelease(bench.view, Qt.MouseButton.LeftButton, NONE, point(at + QPointF(24, 0)))
        assert (puff(bench) != before).any(axis=1).sum() > 1.5 * few
        bench.doc.undo()
        assert np.array_equal(puff(bench), before)


def test_scaling_to_a_size_in_cm(bench):
    bench.doc.set_picks(np.arange(866))
    bench.doc.set_tools(tool="scale")
    side = bench.window.side.tool
    side.by_to.buttons["To"].click()
    assert [round(f.value, 2) for f in side.xyz] == [24.0, 20.0, 22.0]
    side.xyz[1].setText("5")
    side.xyz[1].setModified(True)
    side.apply.click()
    assert np.allclose(np.ptp(puff(bench), axis=0), [24, 5, 22])
    bench.doc.set_picks(np.array([0]))
    side.xyz[0].setText("3")
    side.xyz[0].setModified(True)
    side.apply.click()
    assert "no size along X" in bench.said[-1][0]


def test_a_brush_that_leaves_the_surface_does_not_jump_to_the_far_side(bench):
    """Over the edge of the ball and back: what is hidden behind the outline stays."""
    bench.doc.set_tools(tool="push", size=2.0, along_surface=False)
    before = puff(bench)
    front = before @ bench.view.camera.axes()[2]
    middle = bench.pixel(int(front.argmax()))
    right = bench.pixel(int(before[:, 0].argmax()))
    bench.drag(bench.view, middle, right + QPointF(60, 0))
    moved = np.linalg.norm(puff(bench) - before, axis=1)
    assert moved.max() > 0.1 and moved[front < -3.0].max() == 0
