"""What stands behind the objects, and below them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec import Struct

if TYPE_CHECKING:  # themes name backgrounds before anything numeric is loaded
    from fictilis.render.ground import Ground
    from fictilis.render.items import Backdrop


class Background(Struct, frozen=True):
    top: str = "#E6DED1"
    bottom: str = "#CFC3B1"
    backdrop: Backdrop | None = None
    ground: Ground | None = None
