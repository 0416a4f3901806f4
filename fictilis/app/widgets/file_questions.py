"""Questions about a scene's file: unsaved changes, what a crash left, another version on the disk."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtWidgets import QWidget

from fictilis.app.model.recovery import DAYS_KEPT, Recoverable
from fictilis.app.widgets.dialogs import Dialog

MOST_TOLD = 4  # changes of a scene that is left


class UnsavedDialog(Dialog):
    def __init__(self, parent: QWidget, name: str, changes: Sequence[str] = ()) -> None:
        super().__init__(parent, f"Save the changes to {name}?")
        for sentence in changes[:MOST_TOLD]:
            self.sentence(sentence)
        if len(changes) > MOST_TOLD:
            self.sentence(f"And {len(changes) - MOST_TOLD} more.")
        self.sentence("They are lost if they are not saved.", True)
        self.button("discard", "Do not save", destroys=True)
        self.button("cancel", "Cancel")
        self.button("save", "Save", True)


class RecoverDialog(Dialog):
    def __init__(self, parent: QWidget, found: Recoverable) -> None:
        super().__init__(parent, "Recover unsaved work?")
        when = found.when.strftime("%d %B, %H:%M")
        self.sentence(f"“{found.name}” was not closed properly. A copy from {when} was kept.")
        self.sentence(f"A copy that is thrown away stays for {DAYS_KEPT} days in {found.thrown_to}.", True)
        self.button("discard", "Throw it away", destroys=True)
        self.button("cancel", "Decide later")
        self.button("recover", "Recover", True)


class ChangedOnDisk(Dialog):
    def __init__(self, parent: QWidget, path: Path) -> None:
        super().__init__(parent, "Another version lies on the disk")
        self.sentence(
            f"“{path.name}” was changed after it was opened or saved here, by another window or another program. Saving would "
            "replace that version."
        )
        self.button("cancel", "Cancel")
        self.button("look", "Look")
        self.button("save", "Save anyway", destroys=True)
        self.button("as", "Save as…", True)
