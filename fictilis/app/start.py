"""Starting the application: the window, the scene asked for, and the demo that leaves a picture behind."""

from __future__ import annotations

import os
import sys
from contextlib import suppress
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QGuiApplication, QIcon
from PyQt6.QtWidgets import QApplication

from fictilis import __version__
from fictilis.app.model.garbage import MainThreadGarbage, keep_loaded
from fictilis.app.model.settings import Settings
from fictilis.app.widgets.file_dialog import use_portal
from fictilis.app.window import Window
from fictilis.core.ground.errors import FictilisError
from fictilis.core.ground.memory import keep_freed

if TYPE_CHECKING:
    from fictilis.core.scene.scene import Scene

SMALL = 3_000_000  # bytes that are read in a moment
TURN = 0.0005  # s that a thread beside may keep the window waiting at each event: 5 ms add up to 0.3 s in a dialog
HINT = "With a virtual one: xvfb-run fictilis demo."


class NoDisplay(FictilisError):
    """There is no screen to open a window on."""


def folders() -> tuple[Path, Path]:
    """Where settings and recovery files are kept; FICTILIS_HOME puts both in one folder."""
    home = os.environ.get("FICTILIS_HOME")
    if home:
        return Path(home) / "settings.ini", Path(home) / "recovery"
    import platformdirs

    return (
        Path(platformdirs.user_config_dir("fictilis")) / "settings.ini",
        Path(platformdirs.user_state_dir("fictilis")) / "recovery",
    )


@cache  # widgets must not outlive it, so it is kept until the interpreter ends
def application() -> QApplication:
    # the sound library tells of every optional library it does not find
    os.environ.setdefault("QT_LOGGING_RULES", "qt.multimedia*=false")
    use_portal()
    # the style by name: as an object it would bring all of its numbers along, which takes as long as the application
    app = cast(QApplication, QApplication.instance()) or QApplication([*sys.argv[:1], "-style", "Fusion"])
    app.setApplicationName("Fictilis")
    app.setApplicationVersion(__version__)
    QGuiApplication.setDesktopFileName("fictilis")
    MainThreadGarbage(app)
    keep_freed()
    sys.setswitchinterval(TURN)
    return app


def need_display() -> None:
    """Nothing where a window can be opened. Raises NoDisplay, where the window system would end the program instead."""
    if not sys.platform.startswith("linux") or os.environ.get("QT_QPA_PLATFORM"):
        return
    display, wayland = os.environ.get("DISPLAY", ""), os.environ.get("WAYLAND_DISPLAY", "")
    if not display and not wayland:
        raise NoDisplay("There is no display to open a window on.", HINT)
    at = Path(os.environ.get("XDG_RUNTIME_DIR", "/nonexistent")) / wayland
    if not (wayland and _answers(at) or display and _shows(display)):
        raise NoDisplay(f"The display {wayland if wayland else display} does not answer.", HINT)


def _shows(display: str) -> bool:
    """Whether an X server answers at DISPLAY: host:number.screen, or :number on this machine."""
    import socket

    host, _, rest = display.rpartition(":")
    number = rest.partition(".")[0]
    if not number.isdigit():
        return Path(display).is_socket()
    if host in ("", "unix"):
        return _answers(Path(f"/tmp/.X11-unix/X{number}")) or _answers(f"\0/tmp/.X11-unix/X{number}")
    try:
        with socket.create_connection((host, 6000 + int(number)), timeout=3):
            return True
    except (OSError, OverflowError):
        return False


def _answers(place: Path | str) -> bool:
    import socket

    try:
        with socket.socket(socket.AF_UNIX) as line:
            line.settimeout(3)
            line.connect(str(place))
            return True
    except (OSError, ValueError):
        return False


def run(path: Path | None, demo: str = "", leave: Path | None = None) -> int:
    """Open the window, with a scene or the sample ``demo``, and stay until it is closed. ``leave`` plays the scene, leaves a
    screenshot and a movie there, and closes."""
    need_display()
    app = application()
    settings_file, recovery = folders()
    settings = Settings(settings_file)
    window = Window(lambda: _found(path, demo), settings, recovery)

    def whole() -> None:
        from fictilis.app.crash import install_crash_log

        install_crash_log(recovery.parent, window)
        keep_loaded()
        app.setWindowIcon(QIcon(str(Path(__file__).parent / "assets" / "fictilis.svg")))
        if settings.trouble:
            window.doc.say(settings.trouble, "warning")
        if leave is not None:
            QTimer.singleShot(3000, lambda: _play_and_leave(window, leave))  # when all that starts late has started
        else:
            QTimer.singleShot(0 if path is not None else 400, lambda: _begin(window, path))

    window.ready.connect(whole)
    window.show()
    return app.exec()


def _found(path: Path | None, demo: str) -> tuple[Scene, Path | None] | None:
    """What the window begins with: a sample, or the scene of a small file. What is large, of another kind or damaged is opened
    when there is a window to show how far it is, and to say so."""
    if demo:
        from fictilis.demo import sample

        return sample(demo), None
    if path is None:
        return None
    from fictilis.app.model.scene_file import read_scene
    from fictilis.formats.native import SUFFIX

    with suppress(Exception):  # whatever is wrong with it is said by the window, which reads it again
        if path.suffix.lower() == SUFFIX and path.stat().st_size < SMALL:
            return read_scene(path), path
    return None


def _begin(window: Window, path: Path | None) -> None:
    """Open what was asked for and is not open yet, and only then offer what a crash left."""
    if path is not None and window.doc.path != path:
        window.commands.open_path(path)
    elif path is not None:
        window.opened(path)
    window.commands.offer_recovery(window.recovery_folder)


def _play_and_leave(window: Window, folder: Path) -> None:
    """Play one round, wait until the thumbnails are made, take the picture of the window, make a movie, and close."""
    from fictilis.app.model.making import DONE, Job
    from fictilis.pictures.orders import AS_SEEN, Order

    folder.mkdir(parents=True, exist_ok=True)
    window.playback.start()
    seconds = (window.doc.scene.end - window.doc.scene.start) / window.doc.scene.fps
    rates: list[float] = []
    said: list[str] = []

    def look() -> None:
        if window.playback.playing and window.playback.measured:
            rates.append(window.playback.measured)

    beat = QTimer(window)
    beat.timeout.connect(look)
    beat.start(200)

    def finish() -> None:
        beat.stop()
        window.playback.stop()
        window.doc.set_frame(10.0)
        QTimer.singleShot(1500, picture)

    def picture() -> None:
        name = window.doc.title
        file = folder / f"{name.lower().replace(' ', '-')}.png"
        window.grab().save(str(file))
        rate = f"{sum(rates[2:]) / max(len(rates[2:]), 1):.1f}" if rates else "no"
        said.append(f"Played {seconds:g} s of the {name}, {rate} pictures a second shown.")
        said.append(f"Screenshot: {file.resolve()}")
        window.making.ended.connect(tell)
        order = Order("movie", file.with_suffix(".mp4").resolve(), {"width": 960, "height": 540}, AS_SEEN)
        if window.pictures.make(order, window.light()) is None:
            window.close()

    def tell(job: Job) -> None:
        said.append(f"Movie: {job.order.path}" if job.state == DONE else f"The movie was not made: {job.said}")
        try:
            sys.stdout.write("".join(f"{line}\n" for line in said))
            sys.stdout.flush()
        finally:  # also where nobody reads it any more
            window.close()

    QTimer.singleShot(int(1000 * seconds) + 200, finish)
