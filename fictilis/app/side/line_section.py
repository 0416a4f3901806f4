"""The side column's section of a line: how it is drawn."""

from __future__ import annotations

from PyQt6.QtWidgets import QLabel

from fictilis.app.commands.operations import OperationCommands
from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import Segments
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.lines.measuring import total_length
from fictilis.core.geometry.topology import edges

RUNS = {"Through": True, "Beside": False}


class LineSection(Section):
    """Shown for an object that is a line."""

    def __init__(self, doc: Document, palette: Palette, operations: OperationCommands) -> None:
        super().__init__(palette)
        self.doc, self.operations = doc, operations
        self._measured: tuple[Line | None, object, float] = (None, None, 0.0)
        self.degree = Segments("Degree of the line", ("1", "2", "3"))
        self.degree.chosen.connect(lambda d: self._curve(degree=int(d)))
        self.add(Labelled("Degree", self.degree))
        self.runs = Segments("Where the curve runs", tuple(RUNS))
        self.runs.chosen.connect(lambda where: self._curve(where=RUNS[where]))
        self.runs_row = self.add(Labelled("Runs", self.runs))
        self.wide = NumberField("Width of the line", "cm", 2, 0, 1e6)
        self.wide.committed.connect(self._set_width)
        self.add(Labelled("Width", self.wide))
        self.strands, self.segments, self.length = QLabel(), QLabel(), QLabel()
        self.add(Labelled("Strands", self.strands))
        self.add(Labelled("Segments", self.segments))
        self.add(Labelled("Length", self.length))

    def _line(self) -> Line | None:
        obj = self.doc.object
        return obj.geometry if obj is not None and isinstance(obj.geometry, Line) else None

    def subject(self) -> object:
        return self.doc.openings, self.doc.object_id, self._line() is not None

    def _curve(self, degree: int | None = None, where: bool | None = None) -> None:
        line = self._line()
        if line is not None:
            wanted = {"degree": degree or line.degree, "where": line.through if where is None else where}
            if wanted != {"degree": line.degree, "where": line.through}:
                self.operations.operate("line-curve", wanted)
        self.refresh()

    def _set_width(self, value: float) -> None:
        line = self._line()
        now = 0.0 if line is None or line.widths is None else float(line.widths.max())
        if line is not None and value != now:
            self.operations.operate("line-width", {"width": value})
        self.refresh()

    def refresh(self) -> None:
        line = self._line()
        self.setVisible(line is not None)
        if line is None:
            return
        self.set_heading("Line")
        self.degree.set_value(str(line.degree))
        self.runs.set_value("Through" if line.through else "Beside")
        self.runs_row.setVisible(line.degree > 1)
        self.wide.set_value(0.0 if line.widths is None else float(line.widths.max()))
        closed = int(line.closed.sum())
        self.strands.setText(f"{line.strand_count:,} ({closed:,} closed)")
        self.segments.setText(f"{len(edges(line)):,}")
        base = self.doc.obj.base
        if self._measured[0] is not line or self._measured[1] is not base:
            self._measured = (line, base, total_length(line, base))
        self.length.setText(f"{self._measured[2]:,.1f} cm")
