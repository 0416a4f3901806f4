"""A whole piece of work by mouse and keys, each action counted: a form, three targets, an in-between, keys, a loop, a movie
and a glTF file, without a sentence of refusal."""

import numpy as np
from PyQt6.QtCore import Qt

import fictilis
from fictilis.core.mix.key_refs import jumping
from fictilis.core.scene.scene import Scene
from fictilis.pictures.orders import KINDS
from tests.app.conftest import CTRL, SHIFT
from tests.app.counting import Counting

K = Qt.Key
MOST = 60


def test_from_a_form_to_a_movie_and_a_file_in_sixty_actions(open_window, answers, tmp_path):
    user = open_window(Scene())
    hand, window, doc = Counting(user), user.window, user.doc
    window.ask.files.folder = str(tmp_path)

    def movie(dialog):
        dialog.fields["width"].setText("64")  # only to be quick
        dialog.fields["width"].setModified(True)
        assert dialog.fields["looped"].isChecked()
        hand.click(dialog.buttons["ok"])

    def export(dialog):
        hand.click(dialog.buttons["ok"])

    answers(window, NewSceneDialog=lambda d: hand.form(d, "Ball"), PicturesDialog=movie, ExportDialog=export)
    hand.key(K.Key_N, CTRL)
    assert user.comes(lambda: user.view.picture is not None and user.view.showing._image is not None)
    for name, way in (("Lean", (60, -30)), ("Sink", (0, 60)), ("Swell", (-60, -40))):
        hand.target(name, way)
    hand.key(K.Key_Escape)
    hand.slide("Swell", 0.5)
    hand.key(K.Key_I, CTRL)
    hand.drag((0, -40))
    hand.key(K.Key_Escape)
    hand.find("all weights to zero")
    hand.key(K.Key_K, SHIFT)
    for before, name, frame in ((None, "Lean", 24.0), ("Lean", "Sink", 48.0), ("Sink", "Swell", 72.0)):
        hand.to_frame(frame)
        if before is not None:
            hand.slide(before, 0.0)
        hand.slide(name, 1.0)
        hand.key(K.Key_K, SHIFT)
    assert [ref.channel for ref in jumping(doc.scene)] == ["t3"]
    hand.find("close the loop")
    assert not jumping(doc.scene)
    hand.key(K.Key_M, CTRL | SHIFT)
    assert user.comes(lambda: window.making.jobs and window.making.jobs[-1].over, 30)
    hand.key(K.Key_E, CTRL)
    assert hand.count <= MOST
    assert not [said for said, kind in user.said if kind in ("error", "warning")]
    made = {p.suffix: p for p in tmp_path.iterdir()}
    assert set(made) >= {".glb", next(iter(KINDS["movie"].suffixes))}
    again, _ = fictilis.scene_from_file(made[".glb"])
    assert {t.name for t in again.objects[0].targets} >= {"Lean", "Sink", "Swell"}
    for target in user.obj.targets:
        assert target.deltas.largest > 0.1 and target.range == (0, 1), target.name
    doc.set_frame(72.0)
    assert np.allclose(list(doc.channels.weights(user.obj).values()), [0, 0, 1], atol=0.02)
