"""What the actions of relays do that are no operation of the core: each method is one row's."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from fictilis.app.commands.files import file_kinds
from fictilis.app.commands.operations import OperationCommands
from fictilis.app.commands.ports import Ports
from fictilis.app.model.asking import ChoiceAsk, NumberAsk, TextAsk
from fictilis.app.model.document import Document
from fictilis.core.edits import relays as edits
from fictilis.core.edits.objects import add_object
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.scene.scene import RELAY_PATHS
from fictilis.formats.rows import Row, read_row, row_name

POINTS = "Points of a range, as NumPy arrays (*.npz)"


class RelayCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports, operations: OperationCommands) -> None:
        self.doc, self.ask, self.operations = doc, ports.ask, operations

    def relay_files(self) -> None:
        """Numbered files as a relay of the object shown. Those that do not fit are named and asked about."""
        paths = self.ask.files.open_several("New relay from numbered files", f"{file_kinds('read')};;{POINTS}")
        if paths and self.doc.object is not None:
            self.relay_from(paths)

    def relay_from(self, paths: Sequence[Path]) -> None:
        """Make a relay of chosen files."""
        obj = self.doc.obj
        row = self.doc.attempt(lambda: self.ask.run("Reading the row", lambda progress: read_row(obj, paths, progress)))
        if row is not None:
            self.take_row(row, row_name(paths))

    def take_row(self, row: Row, name: str) -> None:
        """A relay of shapes that were read, once its name, its frames and its way are answered."""
        doc, obj = self.doc, self.doc.obj
        start, end = (row.frames[0], row.frames[-1]) if row.frames else doc.scene.span
        asks: list = [
            TextAsk("name", "Name", name), NumberAsk("first", "First pose at", "", start, -1e6, 1e6, 0),
            NumberAsk("last", "Last pose at", "", end, -1e6, 1e6, 0),
            ChoiceAsk("way", "To the next pose", [(way.capitalize(), way) for way in edits.WAYS], "linear"),
            ChoiceAsk("path", "Path", [(path.capitalize(), path) for path in RELAY_PATHS], RELAY_PATHS[0]),
        ]  # fmt: skip
        count = len(row.shapes)
        spread = "as its frames are" if row.frames else "evenly"
        said = f"{count} shape{'' if count == 1 else 's'} of {obj.name}, spread {spread} from frame to frame."
        if row.others:
            said += " " + " ".join(reason for _, reason in row.others[:4])
            said += f" And {len(row.others) - 4} more." if len(row.others) > 4 else ""
            choices = [("Leave them out", "leave"), ("Add them as objects, to transfer from", "objects")]
            asks.append(ChoiceAsk("others", "The others", choices, "leave"))
        given = self.ask.form("A relay from numbered files", said, tuple(asks), "Make it")
        if given is None:
            return

        def make() -> tuple:
            scene, group_id = doc.ground, ""
            if row.shapes:
                scene, group_id = edits.relay_from_points(
                    scene,
                    obj.id,
                    row.shapes,
                    given["name"],
                    given["first"],
                    given["last"],
                    given["way"],
                    given["path"],
                    row.frames,
                )
            for data, _ in row.others if given.get("others") == "objects" else ():
                scene, _ = add_object(scene, data.name, data.geometry, data.points)
            return scene, group_id

        made = doc.attempt(make)
        if made is None or made[0] is doc.ground:
            return
        scene, group_id = made
        doc.commit(f"New relay {given['name']}", scene)
        if group_id:
            doc.select_channel(ChannelRef(obj.id, group_id))
        if row.others and given.get("others") == "objects":
            doc.say("Select the object and use “Transfer from another object” to take their shapes over.")
        elif row.warnings:
            doc.say(row.warnings[0], "warning")
