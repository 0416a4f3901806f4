"""The main window: the shell, and its furniture, which is loaded once the model is in the picture."""

from __future__ import annotations

from fictilis.app.shell import Shell


class Window(Shell):
    def make_rest(self) -> None:
        from fictilis.app.furniture import furnish

        furnish(self)
