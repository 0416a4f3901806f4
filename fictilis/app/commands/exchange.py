"""What goes out to other programs and comes in from them: exports with their proof, weights as tables."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from fictilis.app.commands.ports import Ports
from fictilis.app.model.asking import CheckAsk, ChoiceAsk, NumberAsk
from fictilis.app.model.document import Document
from fictilis.app.model.exchange import Exported
from fictilis.core.ground.errors import Cancelled, FictilisError
from fictilis.core.mix.driven import driven_by
from fictilis.core.mix.relay import relay_of
from fictilis.formats.choices import Choices
from fictilis.formats.lanes import read_lanes, set_lanes
from fictilis.formats.registry import export_shapes
from fictilis.formats.weights import matched_names, read_weights, set_weights
from fictilis.pictures.poster import export

TABLES = "Tables of weights (*.csv)"
LANES = "Lanes with their curves (*.json)"
MOST_ASKED = 10  # columns without a match that a form names


class ExchangeCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports) -> None:
        self.doc, self.ask = doc, ports.ask

    def export(self, suffix: str = "") -> None:
        """Open the export window for all visible objects, or for the one shown where the format holds one object."""
        doc = self.doc
        if suffix and doc.object is not None:
            self.ask.export(Path(f"{doc.object.name}{suffix}"), (doc.object.id,), self._written)
        else:
            self.ask.export(None, tuple(o.id for o in doc.committed.scene.objects if o.visible), self._written)

    def export_again(self) -> None:
        """Over the file that this scene was exported to last, with the same choices."""
        path, choices = self.doc.exported
        self.doc.attempt(lambda: self._written(path, choices, self.doc.frame, self.doc.prove_exports))

    def _written(self, path: Path, choices: Choices, frame: float, proves: bool) -> Exported:
        """Write a file, and prove it where asked. Raises FictilisError."""
        scene = self.doc.committed.scene

        def write(progress: Callable[[float], None]) -> Exported:
            said = export(scene, path, frame, lambda part: progress(part * (0.5 if proves else 1.0)), choices)
            if not proves:
                return Exported(tuple(said))
            from fictilis.formats.proof import prove

            try:
                proof = prove(scene, path, frame, lambda part: progress(0.5 + part / 2), choices)
            except Cancelled:  # it is written all the same
                return Exported((*said, "It was not read again."))
            except FictilisError as error:
                return Exported((*said, f"It could not be proven: {error.said}"))
            return Exported(tuple(said), proof.sentence if proof is not None else "")

        done = self.ask.run(f"Exporting {path.name}", write)
        self.doc.change(exported=(path, choices))
        self._say_exported(f"Exported {path.name}.", list(done.said), done.proof)
        return done

    def export_shapes(self) -> None:
        folder = self.ask.files.folder_for("Export base and targets to a folder")
        if folder is None:
            return
        scene = self.doc.committed.scene
        done = self.doc.attempt(lambda: self.ask.run("Exporting shapes", lambda _progress: export_shapes(scene, folder)))
        if done is not None:
            written, left_out = done
            self._say_exported(f"Exported {len(written)} OBJ files to {folder}.", left_out)

    def _say_exported(self, said: str, left_out: list[str], proof: str = "") -> None:
        self.doc.say(" ".join([said, *left_out, *([proof] if proof else [])]), "warning" if left_out else "note")

    def weights_in(self) -> None:
        path = self.ask.files.open("Weights from a table", TABLES)
        if path is not None and self.doc.object is not None:
            self.weights_from(path)

    def weights_from(self, path: Path) -> None:
        """A table as lanes of the object shown; columns that match no target by name are asked about."""
        doc, obj = self.doc, self.doc.obj
        table = doc.attempt(lambda: self.ask.run(f"Reading {path.name}", lambda _progress: read_weights(path)))
        if table is None:
            return
        matched = matched_names(obj, table.names)
        others = [name for name in table.names if name not in matched]
        free = [t for t in obj.targets if not driven_by(obj, t) and relay_of(obj, t) is None]
        choices: list[tuple[str, object]] = [("Leave it out", None), *((t.name, t.id) for t in free)]
        asks: list = [
            CheckAsk("mirrored", "Swap left and right", False),
            NumberAsk("start", "Begins at frame", "", 0, -1e6, 1e6, 0),
        ]
        if table.frames is not None:
            asks.append(NumberAsk("rate", "Rows a second", "", doc.scene.fps, 0.1, 1000, 2))
        keys = [("Each row", False), ("Each whole frame", True)]
        asks += [ChoiceAsk("resampled", "A key at", keys, False), NumberAsk("within", "Fewer keys, within", "", 0.0, 0, 1, 3)]
        asks += [ChoiceAsk(f"column {n}", name or "(no name)", choices) for n, name in enumerate(others[:MOST_ASKED])]
        unit = "0 to 100" if table.percent else "0 to 1"
        said = f"{len(matched)} of {len(table.names)} columns match targets of {obj.name} by name; weights are told as {unit}."
        if len(others) > MOST_ASKED:
            said += f" {len(others) - MOST_ASKED} more columns without a match are left out."
        given = self.ask.form("Weights from a table", said, tuple(asks), "Take them")
        if given is None:
            return
        columns = matched_names(obj, table.names, True) if given["mirrored"] else matched
        chosen = {name: given[f"column {n}"] for n, name in enumerate(others[:MOST_ASKED]) if given[f"column {n}"] is not None}
        taken = set(chosen.values())
        columns = {name: t for name, t in columns.items() if t not in taken} | chosen
        if not columns:
            doc.say(f"No column of {path.name} was matched to a target of {obj.name}; nothing changed.", "warning")
            return
        told = (given.get("rate"), given["start"], given["within"], given["resampled"])
        if doc.edit(f"Weights from {_short(path)}", lambda s: set_weights(s, obj.id, table, columns, *told)):
            doc.say(f"{len(columns)} lanes of {obj.name} from {len(table.values):,} rows of {path.name}.")

    def lanes_in(self) -> None:
        path = self.ask.files.open("Lanes from a file", LANES)
        if path is not None and self.doc.object is not None:
            self.lanes_from(path)

    def lanes_from(self, path: Path) -> None:
        """Replace lanes by those of a file, matched by name; a file of one object goes onto the one shown."""
        doc = self.doc
        file = doc.attempt(lambda: read_lanes(path))
        made = file and doc.attempt(lambda: set_lanes(doc.ground, file, doc.object_id))
        if made is None:
            return
        scene, count, left_out = made
        doc.commit(f"Lanes from {_short(path)}", scene)
        more = f" and {len(left_out) - MOST_ASKED} more" if len(left_out) > MOST_ASKED else ""
        lost = f" These fit nothing here: {', '.join(left_out[:MOST_ASKED])}{more}." if left_out else ""
        doc.say(f"{count} lane{'' if count == 1 else 's'} from {path.name}.{lost}", "warning" if left_out else "note")


def _short(path: Path) -> str:
    return path.name if len(path.name) <= 40 else f"{path.name[:37]}…"
