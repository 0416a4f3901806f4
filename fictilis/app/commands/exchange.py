"""What goes out to other programs and comes in from them: exports with their proof, weights as tables."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from fictilis.app.commands.files import file_kinds
from fictilis.app.commands.ports import Ports
from fictilis.app.model.asking import Ask, CheckAsk, ChoiceAsk, NumberAsk
from fictilis.app.model.document import Document
from fictilis.core.errors import EditRefused, FictilisError
from fictilis.core.mix.driven import driven_by
from fictilis.core.mix.relay import relay_of
from fictilis.formats.points import write_points
from fictilis.formats.registry import export, export_shapes
from fictilis.formats.weights import matched_names, read_weights, set_weights, write_weights

TABLES = "Tables of weights (*.csv)"
POINTS = "Points of a range, as NumPy arrays (*.npz)"
MOST_ASKED = 10  # columns without a match that a form names


class ExchangeCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports) -> None:
        self.doc, self.ask = doc, ports.ask

    def export(self) -> None:
        path = self._place("Export the scene", f"{self.doc.scene.name}.glb", file_kinds("write"))
        if path is not None:
            self._export(path)

    def export_again(self) -> None:
        """Over the file that this scene was exported to last."""
        self._export(self.doc.exported)

    def _export(self, path: Path) -> None:
        scene, frame, proves = self.doc.settled.scene, self.doc.frame, self.doc.prove_exports

        def write(progress: Callable[[float], None]) -> tuple[list[str], str]:
            said = export(scene, path, frame, lambda part: progress(part * (0.5 if proves else 1.0)))
            if not proves:
                return said, ""
            from fictilis.formats.proof import prove

            try:
                return said, prove(scene, path, frame, lambda part: progress(0.5 + part / 2)).sentence
            except FictilisError as error:  # it is written all the same
                return [*said, f"It could not be proven: {error.said}"], ""

        done = self.doc.attempt(lambda: self.ask.run(f"Exporting {path.name}", write))
        if done is not None:
            self.doc.change(exported=path)
            self._say_exported(f"Exported {path.name}.", done[0], done[1])

    def export_shapes(self) -> None:
        folder = self.ask.files.folder_for("Export base and targets to a folder")
        if folder is None:
            return
        scene = self.doc.settled.scene
        done = self.doc.attempt(lambda: self.ask.run("Exporting shapes", lambda _progress: export_shapes(scene, folder)))
        if done is not None:
            written, left_out = done
            self._say_exported(f"Exported {len(written)} OBJ files to {folder}.", left_out)

    def _place(self, title: str, name: str, kinds: str) -> Path | None:
        """The file that is chosen to write, with the kind of ``name`` where it is given none."""
        path = self.ask.files.save(title, name, kinds)
        return path if path is None or path.suffix else path.with_suffix(Path(name).suffix)

    def _range_and_place(
        self, title: str, said: str, asks: tuple[Ask, ...], name: str, kinds: str
    ) -> tuple[dict[str, Any], Path | None]:
        """The answers to a range of frames and what else is asked, and the file; no file where either is not wanted."""
        first, last = self.doc.scene.span
        span = (
            NumberAsk("first", "From frame", "", first, -1e6, 1e6, 0), NumberAsk("last", "To frame", "", last, -1e6, 1e6, 0),
        )  # fmt: skip
        given = self.ask.form(title, said, (*span, *asks), "Choose the file")
        return given or {}, None if given is None else self._place(title, name, kinds)

    def _say_exported(self, said: str, left_out: list[str], proof: str = "") -> None:
        self.doc.say(" ".join([said, *left_out, *([proof] if proof else [])]), "warning" if left_out else "note")

    def weights_out(self) -> None:
        """The weights of the object shown as a table."""
        doc, obj = self.doc, self.doc.object
        if obj is None:
            return
        asks = (
            ChoiceAsk("unit", "Weights as", [("0 to 1", False), ("0 to 100", True)], False),
            ChoiceAsk("time", "Rows by", [("Frame", False), ("Seconds", True)], False),
        )
        said = f"A column for each of the {len(obj.targets)} targets of {obj.name}, a row a frame."
        given, path = self._range_and_place("Weights to a table", said, asks, f"{obj.name}.csv", TABLES)
        if path is None:
            return
        scene, span = doc.settled.scene, (given["first"], given["last"])
        rows = doc.attempt(lambda: write_weights(path, scene, scene.object(obj.id), given["unit"], given["time"], *span))
        if rows is not None:
            doc.say(f"Wrote {len(obj.targets)} columns of {rows:,} rows to {path.name}.")

    def points_out(self) -> None:
        """The final points of the object shown over a range, for programs that compute with arrays."""
        doc, obj = self.doc, self.doc.object
        if obj is None:
            return
        asks = (NumberAsk("step", "Every", "frames", 1.0, 1.0, 1e6, 0),)
        said = f"Frames × {len(obj.base):,} × 3 numbers in cm, as the points of {obj.name} are shown, without its own motion."
        given, path = self._range_and_place("Points of a range as arrays", said, asks, f"{obj.name}.npz", POINTS)
        if path is None:
            return
        scene, frames = doc.settled.scene, np.arange(given["first"], given["last"] + 1e-6, given["step"]).tolist()

        def write(progress: Callable[[float], None]) -> int:
            if not frames:
                raise EditRefused(f"A range must rise: {given['first']:g} to {given['last']:g}.")
            write_points(path, scene, [scene.object(obj.id)], frames, progress)
            return len(frames)

        done = doc.attempt(lambda: self.ask.run(f"Writing {path.name}", write))
        if done is not None:
            doc.say(f"Wrote {done:,} frames of {obj.name} to {path.name}.")

    def weights_in(self) -> None:
        """A table as lanes of the object shown; columns that match no target by name are asked about."""
        doc, obj = self.doc, self.doc.object
        path = self.ask.files.open("Weights from a table", TABLES)
        if path is None or obj is None:
            return
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
        asks.append(NumberAsk("within", "Fewer keys, within", "", 0.0, 0, 1, 3))
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
        rate, start, within = given.get("rate"), given["start"], given["within"]
        if doc.edit(f"Weights from {_short(path)}", lambda s: set_weights(s, obj.id, table, columns, rate, start, within)):
            doc.say(f"{len(columns)} lanes of {obj.name} from {len(table.values):,} rows of {path.name}.")


def _short(path: Path) -> str:
    return path.name if len(path.name) <= 40 else f"{path.name[:37]}…"
