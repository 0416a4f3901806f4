"""Takes the pictures in docs/screenshots from the sample data, in the real window."""

import os
import sys
import tempfile
from pathlib import Path

os.environ["OPENBLAS_NUM_THREADS"] = "1"

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

import fictilis
from fictilis.app import dialogs
from fictilis.app.document import Document
from fictilis.app.settings import Settings
from fictilis.app.start import application
from fictilis.app.window import Window
from fictilis.core.edits.shape import ShapeRef
from fictilis.core.shaping.mirror import Mirror
from fictilis.formats.files import MeshData
from fictilis.formats.obj import write_obj

OUT = Path(__file__).parents[1] / "docs" / "screenshots"
LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    app = application()
    home = Path(tempfile.mkdtemp())
    doc = Document()
    doc.open_scene(fictilis.moon_jelly(), None)
    window = Window(doc, Settings(home / "s.ini"), home / "r")
    window.show()
    QTest.qWait(2500)
    view = window.view

    def take(name: str, widget=None) -> None:
        QTest.qWait(900)
        (widget or window).grab().save(str(OUT / f"{name}.png"))

    doc.set_frame(10.0)
    take("main")

    contract = doc.object.target_named("Contract")
    window.lanes.open.add(contract.id)
    doc.start_shaping(ShapeRef(contract.id, 0.5))
    doc.set_tools(mirror=Mirror("X"))
    QTest.qWait(600)
    for x in (470, 480):
        QTest.mouseMove(view, QPoint(x, 225))
        QTest.qWait(200)
    take("shaping")

    doc.start_shaping(ShapeRef(doc.object.target_named("Flare").id))
    doc.set_tools(tool="move", radius=14.0, mirror=Mirror())
    QTest.qWait(400)
    QTest.mouseClick(view, LEFT, NONE, QPoint(480, 205))
    take("move")
    doc.done_shaping()
    window.lanes.open.clear()
    window.lanes.refresh()

    doc.set(way="Line-up")
    doc.see(colour="displacement")
    doc.start_shaping(ShapeRef(doc.object.target_named("Flare").id))
    view.fit()
    take("line-up")

    window.set_theme("Kiln")
    doc.done_shaping()
    doc.set(way="In the mix")
    doc.see(colour="")
    doc.set_frame(34.0)
    take("kiln")
    window.set_theme("Bisque")

    points, mesh = fictilis.primitives.plane(10, 10, 9, 12)
    write_obj(home / "Smile.obj", [MeshData("Smile", points, mesh)])
    window.target_commands.targets_from_files([home / "Smile.obj"])
    take("refusal")

    dialog = dialogs.NewSceneDialog(window, lambda: None, True)
    dialog.show()
    take("new-scene", dialog)
    dialog.close()

    displacement = doc.object.base * [[0.12, 0.0, 0.12]]
    asked = []

    def look(question) -> str:
        question.show()
        take("base-question", question)
        question.close()
        asked.append(question)
        return "cancel"

    window.ask = look
    doc.start_shaping(ShapeRef())
    window.ask_base(displacement)
    doc.saved_scene = doc.settled.scene
    window.close()
    app.processEvents()
    sys.stdout.write(f"{len(list(OUT.glob('*.png')))} pictures in {OUT}\n")
    sys.stdout.flush()
    os._exit(0)


main()
