"""What happens when something goes wrong that nobody foresaw."""

from __future__ import annotations

import sys
import traceback
from pathlib import Path

from fictilis.app.window import Window


def install_crash_log(folder: Path, window: Window) -> None:
    """An unexpected error goes to a log file that the message names; the work is kept in the recovery file."""

    def hook(kind, value, trace) -> None:
        log, text = folder / "fictilis.log", "".join(traceback.format_exception(kind, value, trace)) + "\n"
        where = f"details are in {log}"
        try:
            folder.mkdir(parents=True, exist_ok=True)
            with open(log, "a", encoding="utf-8", errors="replace") as stream:
                stream.write(text)
        except OSError:
            where = f"{folder} cannot be written, so no details are kept"
            sys.stderr.write(text)
        window.autosave.tick()
        window.doc.cancel_preview()
        window.doc.say(f"Something went wrong inside Fictilis. Your work is kept; {where}.", "error")

    sys.excepthook = hook
