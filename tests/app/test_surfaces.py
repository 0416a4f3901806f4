"""Smooth surfaces in the window: the cage is shaped, its surface seen, and both are there."""

import numpy as np
from PyQt6.QtCore import QPointF, Qt

from fictilis.app.widgets.export_window import KINDS
from fictilis.core.at_frame.drawn import finer_of
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.topology import set_surface
from fictilis.core.scene.scene import Scene
from fictilis.formats.registry import scene_from_file
from tests.app.doing import act, pick, settled, shape

K = Qt.Key


def scene_of_a_box():
    scene, _ = add_form(Scene("Box", end=24.0), "Box", {"segments": 1, "width": 40, "height": 40, "depth": 40})
    return scene


def test_a_cage_is_shaped_while_its_surface_is_seen(open_window, forms):
    user = open_window(scene_of_a_box())
    doc, view, section = user.doc, user.view, user.window.side.surface
    assert section.isHidden() and not user.window.actions_.by_id["hide-surface"].isEnabled()
    forms(user, {"levels": "Twice"})
    act(user, "smooth-surface")
    assert doc.undo_label() == "Smooth surface of Box" and doc.object.surface.levels == 2
    assert not section.isHidden() and section.points.text() == "98" and section.levels.buttons["Twice"].isChecked()
    item = view.draw_items()[0]
    assert item.finer is finer_of(doc.object) and item.wire is None
    view.eye.look("front")
    view.eye.fit()
    user.settle(300)
    corner = user.pixel(0)  # of the cage, outside of its surface
    inside = QPointF(view.width() / 2, view.height() / 2)
    toward = inside + (corner - inside) * 0.9
    picture = view.grab().toImage()
    clay = picture.pixelColor(inside.toPoint()).red() - picture.pixelColor(inside.toPoint()).blue()
    bare = picture.pixelColor(toward.toPoint()).red() - picture.pixelColor(toward.toPoint()).blue()
    assert clay > 60 > bare + 20  # the corner is cut off
    act(user, "new-target")
    shape(user, "Target", K.Key_1)
    assert view.draw_items()[0].wire  # the cage is seen while it is shaped
    user.click(view, user.pixel(0))
    assert len(doc.picks()) == 1  # although the surface lies elsewhere
    base = doc.object.base.copy()
    user.press(K.Key_2)
    user.amount("5")
    target = doc.object.target_named("Target")
    assert len(target.deltas.indices) == 1 and np.array_equal(doc.object.base, base)
    before = view.draw_items()[0]
    user.press(K.Key_Escape)
    section.levels.buttons["Once"].click()
    assert doc.object.surface.levels == 1 and section.points.text() == "26"
    assert view.draw_items()[0].finer is not before.finer
    act(user, "hide-surface")
    assert not doc.object.surface.on and view.draw_items()[0].finer is None and not section.on.isChecked()
    section.on.click()
    assert doc.object.surface.on
    doc.undo()
    doc.undo()
    doc.undo()
    assert doc.object.surface.levels == 2
    forms(user, {"levels": "Not"})
    act(user, "smooth-surface")
    assert doc.object.surface is None and section.isHidden()


def test_exports_offer_the_cage_or_its_surface(open_window, answers, tmp_path):
    user = open_window(scene_of_a_box())
    user.doc.edit("Smooth", lambda s: set_surface(s, "o1", 1))
    user.window.ask.files.folder = str(tmp_path)
    seen = {}

    def written(dialog):
        for suffix in (".glb", ".obj"):
            pick(dialog.kind, KINDS[suffix])
            seen[suffix] = settled(dialog)
            if suffix == ".glb":
                dialog.fields["surface"].buttons["Written"].click()
            seen[suffix, "chosen"] = settled(dialog)
            dialog.buttons["ok"].click()
        dialog.buttons["cancel"].click()

    answers(user.window, ExportDialog=written)
    act(user, "export")
    assert "the cage is written" in seen[".glb"] and "meshes with all their targets" in seen[".glb", "chosen"]
    assert "meshes with all their targets" in seen[".obj"]
    counts = [len(scene_from_file(path)[0].objects[0].base) for path in sorted(tmp_path.glob("Box.*"))]
    assert min(counts) == 26
