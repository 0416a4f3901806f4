"""What a row of the actions table says."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

from fictilis.app.commands.needs import Check, Need, always
from fictilis.app.model.document import Document
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Operation

MEANWHILE = frozenset({"resize", "strengthen", "mirror"})


class Row(Struct, frozen=True):
    """``menu`` is a menu, or a menu and a part of it: ``Time/Keys``; ``run`` is a method of Commands; ``checked`` makes it a
    switch and says whether it is on; ``meanwhile``: it goes together with a gesture that goes on, and with what is typed."""

    id: str
    menu: str
    text: str
    run: str
    keys: tuple[str, ...] = ()
    enabled: Need = always
    checked: Check | None = None
    argument: object = None
    operation: Operation | None = None
    given: Callable[[Document], dict] | None = None

    @property
    def top(self) -> str:
        """The menu at the top."""
        return self.menu.split("/")[0]

    @property
    def place(self) -> str:
        """Where it is found, in words."""
        return self.menu.replace("/", " · ")

    @property
    def meanwhile(self) -> bool:
        return self.run in MEANWHILE


def operated(
    row_id: str,
    menu: str,
    operation_id: str,
    keys: tuple[str, ...] = (),
    checked: Check | None = None,
    given: Callable[[Document], dict] | None = None,
    text: str = "",
    enabled: Need = always,
) -> Row:
    """A row that makes an operation of the core; ``given`` are numbers that need no form."""
    operation = OPERATIONS[operation_id]
    dots = "…" if operation.asked and given is None else ""
    return Row(row_id, menu, text or operation.label + dots, "operate", keys, enabled, checked, operation_id, operation, given)
