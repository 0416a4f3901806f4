"""What comes in from files: looked at first, then taken as objects, targets, a relay, lanes or a new scene."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from fictilis.app.commands.exchange import LANES, TABLES, ExchangeCommands
from fictilis.app.commands.files import SCENES, Commands, file_kinds
from fictilis.app.commands.ports import Ports
from fictilis.app.commands.relays import POINTS, RelayCommands
from fictilis.app.commands.targets import TargetCommands
from fictilis.app.model.document import Document
from fictilis.app.model.exchange import OBJECTS, RELAY, SCENE, TARGETS, ImportChoice
from fictilis.formats.importing import Held, read_held, shapes_of, taken
from fictilis.formats.native import SUFFIX
from fictilis.formats.rows import Row, add_shape, row_name


class ImportCommands:
    """One method a row of the actions table, and what is dropped on the window."""

    def __init__(
        self, doc: Document, ports: Ports, files: Commands, exchange: ExchangeCommands, targets: TargetCommands,
        relays: RelayCommands,
    ) -> None:  # fmt: skip
        self.doc, self.ports, self.ask = doc, ports, ports.ask
        self.files, self.exchange, self.targets, self.relays = files, exchange, targets, relays

    def import_files(self) -> None:
        kinds = f"{file_kinds('read')};;{SCENES};;{TABLES};;{LANES};;{POINTS}"
        self.take(self.ask.files.open_several("Import from files", kinds))

    def drop(self, paths: Sequence[Path]) -> None:
        """Files on the view: a scene is opened, all else is looked at first."""
        if len(paths) == 1 and paths[0].suffix.lower() == SUFFIX:
            self.ports.shell.open_path(paths[0])
        else:
            self.take(list(paths))

    def drop_on_targets(self, paths: Sequence[Path]) -> None:
        """Files on the cards become targets, at once where it is clear how large they are."""
        if self.doc.object is None or any(path.suffix.lower() in (SUFFIX, ".csv", ".json", ".npz") for path in paths):
            self.drop(paths)
        else:
            self.targets.targets_from_files(paths)

    def take(self, paths: Sequence[Path], way: str | None = None) -> None:
        """Look at files, ask what of them is taken and as what, and take it in one step."""
        if not paths:
            return
        doc, kinds = self.doc, {path.suffix.lower() for path in paths}
        doc.interrupt()
        special = {".csv": self.exchange.weights_from, ".json": self.exchange.lanes_from}
        if len(paths) == 1 and kinds <= set(special) or kinds == {".npz"}:
            if doc.object is None:
                doc.say(f"{paths[0].name} is for an object, and there is none yet.", "warning")
            elif kinds == {".npz"}:
                self.relays.relay_from(paths)
            else:
                special[paths[0].suffix.lower()](paths[0])
            return
        label = f"Reading {paths[0].name}" if len(paths) == 1 else f"Reading {len(paths)} files"
        held = doc.attempt(lambda: self.ask.run(label, lambda progress: read_held(paths, progress)))
        if held is None:
            return
        ways = [OBJECTS, SCENE] if doc.scene.objects else [SCENE]
        if doc.object is not None:
            ways += [TARGETS] + ([RELAY] if len(paths) > 1 else [])
        first = way or (RELAY if len(paths) > 2 and RELAY in ways else ways[0])
        choice = self.ask.take(held, [first, *(w for w in ways if w != first)], doc.object)
        if choice is not None:
            self._take(held, choice)

    def _take(self, held: Held, choice: ImportChoice) -> None:
        doc = self.doc
        scene = doc.attempt(lambda: taken(held, choice.ids, choice.laying, choice.sound))
        if scene is None:
            return
        if choice.way == SCENE:
            if not self.files.may_leave():
                return
            doc.open_scene(scene, None, saved=False)
            self.ports.view.eye.fit()
        elif choice.way == OBJECTS:
            self.files.put_beside(scene)
        elif choice.way == TARGETS:
            self.targets.take_targets(shapes_of(scene, held.stems), held.said)
        else:
            row = Row([], [], list(held.said), [])
            for data in shapes_of(scene, held.stems):
                add_shape(row, doc.obj, data)
            self.relays.take_row(row, row_name(held.paths))
            return
        for warning in held.said:
            doc.say(warning, "warning")
