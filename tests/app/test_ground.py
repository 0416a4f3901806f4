"""The ground by its actions, in the window."""

from fictilis.core.edits.objects import add_object
from fictilis.core.geometry.primitives import plane
from fictilis.core.mix.shapes import ShapeRef
from tests.app.conftest import alike, pixels, run


def picture(user):
    """Its pixels once it is sharp."""
    user.settle(60)
    assert user.comes(lambda: user.view.showing.fits and not user.view.moving)
    return pixels(user.view)


def test_ground_comes_and_goes_lies_low_or_at_zero_and_stays_out_of_the_line_up(user):
    user.view.eye.look("front")
    user.view.eye.turn(25, 20)
    bare = picture(user)
    run(user, "ground")
    low = picture(user)
    assert user.doc.seeing.ground and not alike(bare, low)
    assert not user.doc.unsaved, "it is no part of the scene"
    user.doc.edit("Lower", lambda s: add_object(s, "Pit", plane(4, 4, 1, 1)[1], plane(4, 4, 1, 1)[0] - [0, 30, 0])[0])
    deeper = picture(user)
    run(user, "ground-at-zero")
    assert not alike(picture(user), deeper), "below what lies lowest, or at zero"
    user.doc.undo()
    user.doc.start_shaping(ShapeRef(user.target("Lift").id))
    user.doc.done_shaping()
    user.doc.change(way="Line-up")
    lined = picture(user)
    run(user, "ground")
    assert user.comes(lambda: alike(picture(user), lined)), "shapes that stand in rows stand on nothing"
    user.doc.change(way="In the mix")
    assert user.comes(lambda: alike(picture(user)[90:], bare[90:]))


def test_an_empty_scene_has_a_ground_too(open_window):
    from fictilis.core.scene.scene import Scene

    user = open_window(Scene())
    run(user, "ground")
    user.settle(60)
    assert user.said == [] and user.doc.seeing.ground
