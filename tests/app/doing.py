"""What several tests of the window do by hand, and look at after it."""

from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent

OBJ = "o1"


def act(user, name):
    user.window.actions_.by_id[name].trigger()


def pick(combo, text):
    combo.setCurrentIndex(combo.findText(text))
    combo.activated.emit(combo.currentIndex())


def settled(dialog):
    dialog._tell()
    return dialog.fates.text()


def drop(user, paths):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    event = QDropEvent(
        QPointF(40, 200), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    user.window.column.dropEvent(event)


def nothing_is_left(user) -> bool:
    doc, lanes = user.doc, user.window.lanes
    assert doc.hand.gesture is None or doc.hand.gesture.by_keys, vars(doc.hand.gesture)
    assert doc.state is doc.committed, "a preview is left"
    exact = doc.shaping is not None and doc.tools.tool == "exact"  # which shows what it would do
    assert (exact or user.view.strokes.live is None) and user.view.strokes.line is None and user.view.worn.mask is None
    assert lanes.box is None and lanes.drop_at is None and user.window.column.cards.drop_at is None
    return True


def nothing_points_astray(user) -> bool:
    doc = user.doc
    shown = {o.id for o in (doc.object, doc.scene.camera) if o is not None}
    assert all(ref.owner in shown and doc.channels.find(ref) is not None for ref in doc.selected)
    assert all(k.owner in shown and doc.channels.lane(k.lane).curve.key_at(k.frame) is not None for k in doc.keys)
    assert doc.shaping is None or doc.shaping.exists_in(doc.object)
    for object_id, pick in doc.committed.picks.items():
        assert len(pick) == 0 or len(doc.picks(object_id)) and doc.scene.object(object_id)
    posed = doc.committed.posed
    assert all(doc.scene.owner(o).lane(c) is not None for o, values in posed.items() for c in values)
    assert not posed or doc.committed.frame == doc.frame
    return True


K = Qt.Key


def shape(user, name="Lift", tool=K.Key_2):
    user.doc.select_target(user.target(name).id if name else None)
    user.press(K.Key_Return)
    user.press(tool)
