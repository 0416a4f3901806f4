"""What stands behind the objects, and below them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec import Struct

if TYPE_CHECKING:  # themes name grounds before anything numeric is loaded
    from fictilis.render.floor import Floor
    from fictilis.render.items import Backdrop


class Ground(Struct, frozen=True):
    top: str = "#E6DED1"
    bottom: str = "#CFC3B1"
    backdrop: Backdrop | None = None
    floor: Floor | None = None
