import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from fictilis.core.edits import targets as edits
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.shape import move_shape, set_mask
from fictilis.core.geometry.primitives import ball, plane
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.history import History, Packed, pack, unpack
from fictilis.core.scene.scene import Deltas, Scene
from tests.core.states import State

OBJ = "o1"


def start():
    points, mesh = plane(40, 40, 8, 8)
    scene, _ = add_object(Scene(), "Sheet", mesh, points)
    for name in "AB":
        scene, _ = edits.target_from_points(scene, OBJ, name, points + [0, 1.0, 0])
    return edits.add_in_between(scene, OBJ, "t1", 0.5)


def arrays(scene):
    obj = scene.object(OBJ)
    out = [obj.base]
    for t in obj.targets:
        out += [t.deltas.indices, t.deltas.offsets, t.mask if t.mask is not None else np.zeros(0)]
        for s in t.in_betweens:
            out += [s.deltas.indices, s.deltas.offsets]
    return out


def same(a, b):
    return all(np.array_equal(x, y) for x, y in zip(arrays(a), arrays(b), strict=True))


def change(scene, kind, rng):
    moved = Deltas(np.sort(rng.choice(81, 5, replace=False)), rng.normal(size=(5, 3)))
    if kind == 0:
        return move_shape(scene, OBJ, ShapeRef("t1"), moved)
    if kind == 1:
        return move_shape(scene, OBJ, ShapeRef(), moved, "stay")
    if kind == 2:
        return move_shape(scene, OBJ, ShapeRef("t1", 0.5), moved)
    if kind == 3:
        return set_mask(scene, OBJ, "t2", rng.uniform(size=81))
    if kind == 4:
        return move_shape(scene, OBJ, ShapeRef("t2"), -scene.object(OBJ).target("t2").deltas.dense(81))
    return edits.rename_target(scene, OBJ, "t1", f"N{rng.integers(10**6)}")


@given(st.lists(st.integers(-3, 5), min_size=20, max_size=60), st.integers(0, 10_000))
@settings(max_examples=25, deadline=None)
def test_a_packed_history_walks_like_a_plain_list(steps, seed):
    rng = np.random.default_rng(seed)
    first = start()
    history, plain, at = History(State(first), whole=2), [first], 0
    for step in steps:
        if step < 0:
            way = -1 if step < -1 else 1
            moved = history.step(way)
            assert moved == (0 <= at + way < len(plain))
            at += way if moved else 0
        else:
            scene = change(history.state.scene, step, rng)
            plain[at + 1 :] = [scene]
            at += 1
            history.push("x", State(scene, step))
        assert not isinstance(history.state.scene, Packed) and same(history.state.scene, plain[at])
    while history.step(-1):
        at -= 1
        assert same(history.state.scene, plain[at])
    assert at == 0


def test_near_steps_keep_their_identity_and_labels():
    first = start()
    history = History(State(first))
    second = edits.rename_target(first, OBJ, "t1", "Other")
    history.push("Rename", State(second))
    assert (history.undo_label(), history.redo_label()) == ("Rename", "")
    history.step(-1)
    assert history.state.scene is first and history.redo_label() == "Rename" and not history.step(-1)
    history.step(1)
    assert history.state.scene is second


def test_two_hundred_strokes_keep_only_what_changed():
    points, mesh = ball(10, 30)
    scene, _ = add_object(Scene(), "Ball", mesh, points)
    scene, _ = edits.target_from_points(scene, OBJ, "A", points * 1.1)
    history = History(State(scene))
    rng = np.random.default_rng(0)
    for _ in range(200):
        near = np.sort(rng.choice(len(points), len(points) // 100, replace=False))
        scene = move_shape(scene, OBJ, ShapeRef("t1"), Deltas(near, rng.normal(size=(len(near), 3))))
        history.push("Grab", State(scene))
    whole = scene.object(OBJ).target("t1").deltas.offsets.nbytes
    assert history.nbytes < 200 * 0.02 * whole
    for _ in range(200):
        history.step(-1)
    assert np.array_equal(history.state.scene.object(OBJ).target("t1").deltas.offsets, points * 1.1 - points)


def test_topology_and_removed_objects_pack_whole():
    scene = start()
    from fictilis.core.edits.topology import carry_through
    from fictilis.core.geometry.carry import subdivide

    finer = carry_through(scene, OBJ, subdivide(scene.object(OBJ).mesh))
    assert unpack(pack(scene, finer), finer) is scene
    empty = replace(scene, objects=())
    assert unpack(pack(scene, empty), empty) is scene and unpack(pack(empty, scene), scene) is empty
