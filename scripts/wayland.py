"""Tries the window under Wayland with a real pointer: weston in an Xvfb, moved by xdotool (all from the Debian packages).

    python -m scripts.wayland

It opens a menu and a context menu by clicks, makes a stroke, drops a file, says what came of each, and fails where one did not.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

NEEDED = ("Xvfb", "weston", "xdotool")
SCREEN = ":78"


def lacking() -> list[str]:
    return [name for name in NEEDED if shutil.which(name) is None]


def main() -> int:
    if lacking():
        print(f"Needs {', '.join(lacking())}.")
        return 2
    with tempfile.TemporaryDirectory() as folder:
        os.chmod(folder, 0o700)
        quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
        env = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "QT_QPA_PLATFORM")} | {"XDG_RUNTIME_DIR": folder}
        started = [subprocess.Popen(["Xvfb", SCREEN, "-screen", "0", "1400x900x24"], **quiet)]
        try:
            time.sleep(1.5)
            weston = ["weston", "--backend=x11-backend.so", "--use-pixman", "--width=1380", "--height=860", "--socket=wl-try",
                      "--idle-time=0"]  # fmt: skip
            started.append(subprocess.Popen(weston, env=env | {"DISPLAY": SCREEN}, **quiet))
            until = time.monotonic() + 15
            while not (Path(folder) / "wl-try").exists() and time.monotonic() < until:
                time.sleep(0.2)
            time.sleep(1.5)
            trial = [sys.executable, "-m", "scripts.wayland", "inside"]
            return subprocess.run(trial, env=env | {"WAYLAND_DISPLAY": "wl-try"}, timeout=120, check=False).returncode
        finally:
            for process in reversed(started):
                process.terminate()
                process.wait()


def point(*words: object) -> None:
    subprocess.run(["xdotool", *map(str, words)], env=os.environ | {"DISPLAY": SCREEN}, check=True)


def inside() -> int:
    from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
    from PyQt6.QtGui import QDropEvent
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QPushButton

    from fictilis.app.model.document import Document
    from fictilis.app.model.settings import Settings
    from fictilis.app.start import application
    from fictilis.app.window import Window
    from fictilis.core.mix.shapes import ShapeRef, full_shape
    from fictilis.demo.jelly import moon_jelly
    from fictilis.formats.files import MeshData
    from fictilis.formats.obj import write_obj

    app, home = application(), Path(tempfile.mkdtemp())
    doc = Document()
    doc.open_scene(moon_jelly(), None)
    window = Window(doc, Settings(home / "settings.ini"), home / "recovery")
    window.showFullScreen()
    QTest.qWait(3000)
    found = {"platform": app.platformName() == "wayland", "window": window.isActiveWindow() and window.view.picture is not None}

    def popup_after(at: QPoint, button: int) -> bool:
        point("mousemove", at.x(), at.y())
        QTest.qWait(200)
        point("click", button)
        for _ in range(20):
            QTest.qWait(150)
            if app.activePopupWidget() is not None:
                break
        popup = app.activePopupWidget()
        if popup is not None:
            popup.close()
        QTest.qWait(200)
        return popup is not None

    button = window.top.findChildren(QPushButton)[0]  # the scene's name, with all menus behind it
    found["menu"] = popup_after(button.mapTo(window, button.rect().center()), 1)
    found["context menu"] = popup_after(window.lanes.viewport().mapTo(window, QPoint(600, 40)), 3)
    doc.start_shaping(ShapeRef("t1"))
    doc.change(way="Alone")
    window.view.eye.fit()
    QTest.qWait(800)
    before = full_shape(doc.object, "t1")
    at = window.view.mapTo(window, QPoint(window.view.width() // 2, window.view.height() // 2 - 40))
    for words in (("mousemove", at.x(), at.y()), ("mousedown", 1), ("mousemove", at.x() + 30, at.y() - 30), ("mouseup", 1)):
        point(*words)
        QTest.qWait(250)
    found["stroke"] = bool((full_shape(doc.object, "t1") != before).any()) and "Grab" in doc.undo_label()
    doc.done_shaping()
    copy = home / "copy.obj"
    write_obj(copy, [MeshData("Copy", doc.object.base + [0, 1, 0], doc.object.mesh)])
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(copy))])
    count = len(doc.object.targets)
    none = Qt.KeyboardModifier.NoModifier
    window.column.dropEvent(QDropEvent(QPointF(30, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, none))
    QTest.qWait(600)
    found["drop"] = len(doc.object.targets) == count + 1
    print(", ".join(f"{name}: {'yes' if good else 'NO'}" for name, good in found.items()), flush=True)
    shutil.rmtree(home, ignore_errors=True)
    os._exit(0 if all(found.values()) else 1)


if __name__ == "__main__":
    sys.exit(inside() if sys.argv[1:] == ["inside"] else main())
