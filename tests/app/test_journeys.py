"""Ten more whole pieces of work by mouse and keys, each within so many actions and without a sentence of refusal."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

import fictilis
from fictilis.core.edits.forms import add_form
from fictilis.core.mix.key_refs import jumping
from fictilis.core.scene.scene import Scene
from fictilis.formats.files import MeshData
from fictilis.formats.obj import write_obj
from tests.app.conftest import CTRL, SHIFT, choose
from tests.app.counting import Counting
from tests.sounds import wav

K = Qt.Key
OK = "ok"


def ball(hand):
    """A new scene with a ball and two targets."""
    hand.key(K.Key_N, CTRL)
    assert hand.user.comes(lambda: hand.user.view.picture is not None and hand.user.view.showing._image is not None)
    for name, way in (("Lean", (60, -30)), ("Swell", (-60, -40))):
        hand.target(name, way)
    hand.key(K.Key_Escape)


def keyed(hand):
    """The same, with a pulse of the first over the second half of a second."""
    ball(hand)
    for frame, part in ((0.0, 0.0), (8.0, 1.0), (16.0, 0.0)):
        hand.to_frame(frame)
        hand.slide("Lean", part)
        hand.key(K.Key_K, SHIFT)


def targets_from_files(hand, monkeypatch, tmp_path):
    scene, obj = add_form(Scene(), "Globe", {"segments": 8, "rings": 6})
    globe = scene.object(obj)
    files = [tmp_path / f"{name}.obj" for name in ("Globe", "Wide", "Tall")]
    for file, size in zip(files, ((1, 1, 1), (1.5, 1, 1), (1, 1.5, 1)), strict=True):
        write_obj(file, [MeshData(file.stem, globe.base * size, globe.mesh)])
    choose(hand.user, monkeypatch, open_several=files[:1])
    hand.find("import")
    choose(hand.user, monkeypatch, open_several=files[1:])
    hand.find("add targets from files")
    hand.slide("Wide", 1.0)
    hand.key(K.Key_K, SHIFT)
    hand.key(K.Key_E, CTRL)
    assert [t.name for t in hand.user.obj.targets] == ["Wide", "Tall"] and len(list(tmp_path.glob("*.glb"))) == 1


def relay(hand, _monkeypatch, _tmp_path):
    ball(hand)
    hand.card("Lean")
    hand.card("Swell", CTRL)
    hand.find("new relay")
    hand.find("poses on twos")
    group = hand.user.obj.groups[0]
    frames = [key.frame for key in hand.user.obj.lane(group.id).curve.keys]
    assert len(frames) >= 2 and np.ptp(np.diff(frames)) == 0 and frames[1] - frames[0] == 2


def corrective(hand, _monkeypatch, _tmp_path):
    ball(hand)
    hand.slide("Lean", 1.0)
    hand.slide("Swell", 1.0)
    hand.key(K.Key_I, CTRL | SHIFT)
    hand.word("Both")
    hand.key(K.Key_Return)
    hand.drag((30, 30))
    hand.key(K.Key_Escape)
    made = hand.user.obj.targets[-1]
    assert made.rule is not None and {d.target for d in made.rule.drivers} == {"t1", "t2"} and made.deltas.largest > 0.01


def drawn_line(hand, _monkeypatch, _tmp_path):
    hand.key(K.Key_N, CTRL)
    hand.key(K.Key_L, CTRL)
    hand.drag((120, 40))
    hand.find("tube round the line")
    hand.key(K.Key_T, CTRL)
    hand.word("Bent")
    hand.key(K.Key_Return)
    line = hand.user.doc.scene.objects[-1]
    assert line.line.tube is not None and line.targets[0].name == "Bent"


def copies(hand, _monkeypatch, tmp_path):
    keyed(hand)
    hand.find("copies in a ring")
    hand.find("contact sheet")
    assert hand.user.obj.repeat is not None and hand.user.comes(lambda: list(tmp_path.glob("*.png")), 30)


def cues(hand, _monkeypatch, _tmp_path):
    keyed(hand)
    hand.key(K.Key_U, CTRL | SHIFT)
    hand.key(K.Key_R, CTRL)
    view = hand.user.view
    hand.click(view, QPointF(view.width() / 2, view.height() / 2))
    assert hand.user.doc.rehearsing
    hand.key(K.Key_Escape)
    assert len(hand.user.doc.scene.cues) == 1 and not hand.user.doc.rehearsing


def sound(hand, monkeypatch, tmp_path):
    keyed(hand)
    rate = 8000
    beat = np.zeros(rate)
    for at in (0.1, 0.5, 0.8):
        beat[int(at * rate) : int(at * rate) + 400] = 12_000 * np.sin(np.arange(400) * 0.6)
    file = tmp_path / "beat.wav"
    file.write_bytes(wav(beat.astype("<i2"), rate, 1))
    choose(hand.user, monkeypatch, open=file)
    hand.find("sound from a file")
    assert hand.user.comes(lambda: hand.user.window.sound.samples.wave is not None)
    hand.find("markers at the sound")
    assert len(hand.user.doc.scene.markers) == 3
    hand.find("next marker")
    hand.card("Swell")
    hand.slide("Swell", 1.0)
    hand.key(K.Key_K, SHIFT)
    assert hand.user.doc.frame in [m.frame for m in hand.user.doc.scene.markers]
    assert hand.user.doc.frame in [k.frame for k in hand.user.obj.lane("t2").curve.keys]


def camera(hand, _monkeypatch, tmp_path):
    keyed(hand)
    hand.find("new camera from this view")
    hand.find("turntable")
    assert hand.user.doc.scene.cameras and hand.user.comes(lambda: list(tmp_path.glob("*turning*")), 60)


def timing(hand, _monkeypatch, _tmp_path):
    keyed(hand)
    hand.find("all weights to zero")
    hand.find("new clip")
    hand.find("close the loop")
    hand.find("previous clip")
    assert len(hand.user.doc.scene.clips) == 2 and not jumping(hand.user.doc.scene)


def checks(hand, _monkeypatch, _tmp_path):
    ball(hand)
    hand.find("duplicate")
    hand.find("rename several")
    hand.find("sort by name")
    hand.find("checks")
    hand.key(K.Key_Z, CTRL)
    assert len(hand.user.obj.targets) == 3


JOURNEYS = {targets_from_files: 20, relay: 35, corrective: 35, drawn_line: 15, copies: 45, cues: 40, sound: 55, camera: 45,
            timing: 55, checks: 45}  # fmt: skip


@pytest.mark.soak
@pytest.mark.parametrize("journey", JOURNEYS, ids=lambda j: j.__name__)
def test_a_whole_piece_of_work_goes_without_a_refusal(open_window, answers, monkeypatch, tmp_path, journey):
    user = open_window(Scene())
    hand = Counting(user)
    user.window.ask.files.folder = str(tmp_path)

    def small(dialog):
        for name in ("width", "height"):
            if name in dialog.fields:
                dialog.fields[name].setText("64")
                dialog.fields[name].setModified(True)
        hand.click(dialog.buttons["ok"])

    press = lambda dialog: hand.click(dialog.buttons["ok"])  # noqa: E731
    answers(user.window, NewSceneDialog=lambda d: hand.form(d, "Ball"), PicturesDialog=small, ExportDialog=press,
            ImportDialog=press, FormDialog=press, ChecksDialog=lambda d: d.reject(), OrderDialog=press)  # fmt: skip
    journey(hand, monkeypatch, tmp_path)
    assert not [said for said, kind in user.said if kind in ("error", "warning")]
    assert hand.count <= JOURNEYS[journey], hand.count
    assert fictilis.core.validity.scenes.check(user.doc.committed.scene) is None
