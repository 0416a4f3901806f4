"""What the windows of imports and exports answer, and what commands tell them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from msgspec import Struct

from fictilis.formats.choices import Choices
from fictilis.formats.importing import Laying

SCENE, OBJECTS, TARGETS, RELAY = "scene", "objects", "targets", "relay"


class Exported(Struct, frozen=True):
    """What came of an export: its sentences, and what the proof says, or nothing."""

    said: tuple[str, ...]
    proof: str = ""


class ImportChoice(Struct, frozen=True):
    """What is taken: ids of objects and cameras, as what, how it is laid, and whether the sound too."""

    ids: tuple[str, ...]
    way: str
    laying: Laying
    sound: bool = False


Write = Callable[[Path, Choices, float, bool], Exported]  # to a file, at a frame, with a proof or not
