"""Weights as a table: a column a target and a row a frame or a time, as spreadsheets and face capture give them. CSV.

Source: RFC 4180 (comma-separated values), SMPTE ST 12-1 for hours:minutes:seconds:frames.
"""

from __future__ import annotations

import csv
import io
import re
import warnings
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits.timing import reduce_keys
from fictilis.core.ground.errors import BadFile, EditRefused
from fictilis.core.ground.names import other_side_name
from fictilis.core.mix.channels import values_at
from fictilis.core.mix.driven import driven_by
from fictilis.core.mix.relay import relay_of
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.scene.timeline import Lane
from fictilis.core.validity.lanes import checked_keys
from fictilis.formats.files import Progress, no_progress, read_bytes, write_whole

MOST_BYTES, MOST_ROWS, MOST_COLUMNS = 500_000_000, 1_000_000, 4_000
FRAMES, SECONDS = ("frame", "frames"), ("time", "seconds", "second", "s", "t")
TIMECODES = ("timecode", "tc")
PERCENT = 2.0  # a table of weights beyond this is told in 0…100
CODE = re.compile(r"^(\d+):(\d+):(\d+)[:;.](\d+(?:\.\d+)?)$")


class Table(Struct, frozen=True, eq=False):
    """Columns by name with values (r, c), at ``frames`` or ``seconds`` (r,), one of them None; ``percent`` was told in 0…100
    and is brought to 0…1. ``left_out`` are columns without numbers."""

    names: tuple[str, ...]
    values: np.ndarray
    frames: np.ndarray | None
    seconds: np.ndarray | None
    percent: bool
    left_out: tuple[str, ...] = ()

    def at(self, fps: float, rate: float | None = None, start: float = 0.0) -> np.ndarray:
        """(r,): the frames of the rows in a scene; ``rate`` is that of a table told in frames, ``start`` where its 0 lies."""
        if self.seconds is not None:
            return start + self.seconds * fps
        assert self.frames is not None
        return start + self.frames * (fps / rate if rate else 1.0)


def write_weights(
    path: Path, scene: Scene, objects: Sequence[MorphObject], percent: bool = False, seconds: bool = False,
    progress: Progress = no_progress,
) -> int:  # fmt: skip
    """The weights of all targets as their sliders show them, a row a frame over the range; returns how many. Columns have the
    targets' names, of several objects with the object's before it. Raises EditRefused without targets, and CannotSave."""
    if not any(obj.targets for obj in objects):
        raise EditRefused("There is nothing to export: no object that was chosen has targets.")
    frames = np.arange(scene.start, scene.end + 1e-9)
    factor, several = (100.0 if percent else 1.0), len(objects) > 1
    names, columns = ["seconds" if seconds else "frame"], [(frames - scene.start) / scene.fps if seconds else frames]
    for number, obj in enumerate(objects, 1):
        rows = values_at(obj, frames, fps=scene.fps)
        names += [f"{obj.name}/{t.name}" if several else t.name for t in obj.targets]
        columns += [np.broadcast_to(rows[t.id], frames.shape) * factor for t in obj.targets]
        progress(number / len(objects) / 2)
    text = io.StringIO()
    out = csv.writer(text, lineterminator="\r\n")
    out.writerow(names)
    for row in zip(*(c.tolist() for c in columns), strict=True):
        out.writerow([f"{value:.9g}" for value in row])
    write_whole(Path(path), lambda temporary: temporary.write_bytes(text.getvalue().encode()))
    progress(1.0)
    return len(frames)


def read_weights(path: Path) -> Table:
    """A table of weights. Raises BadFile with the line that is wrong."""
    path = Path(path)
    data = read_bytes(path, MOST_BYTES)
    if b"\0" in data[:4096]:
        raise BadFile(f"{path.name} is no table: it holds binary data.")
    if (lines := data.count(b"\n")) > MOST_ROWS:
        raise BadFile(f"{path.name} has {lines:,} lines; up to {MOST_ROWS:,} are read.")
    text = data.decode("utf-8-sig", "replace")
    head, _, body = text.partition("\n")
    mark = max(",;\t", key=head.count)
    if mark != ",":  # in half of Europe numbers are written with a comma, 1.234,5
        body = re.sub(r"(?<=\d)\.(?=\d{3},\d)", "", body) if re.search(r"\d\.\d{3},\d", body) else body
        body = re.sub(r"(?<=\d),(?=\d)", "." if not re.search(r"\d,\d{3}\.\d", body) else "", body)
    names, columns = _columns(path, head, body, mark)
    frames, seconds, own = _times(path, names, columns)
    kept, values, left_out = [], [], []
    for place, (name, column) in enumerate(zip(names, columns, strict=True)):
        if place == own:
            continue
        if not isinstance(column, np.ndarray):
            left_out.append(name)
            continue
        if not np.isfinite(column).all() or (np.abs(column) > 1e9).any():
            raise BadFile(f"{path.name}: {name or 'a column'} holds numbers that are too large.")
        if name and name.lower() not in FRAMES and not name.lower().endswith("count"):
            kept.append(name)
            values.append(column)
    if not kept:
        raise BadFile(f"{path.name} has no column of weights.")
    rows = np.stack(values, axis=1)
    percent = bool(np.abs(rows).max(initial=0.0) > PERCENT)
    return Table(tuple(kept), rows / (100.0 if percent else 1.0), frames, seconds, percent, tuple(left_out))


_Column = np.ndarray | list[str]  # numbers, or where a cell is none its words


def _columns(path: Path, head: str, body: str, mark: str) -> tuple[list[str], list[_Column]]:
    """The names, and what stands below each. All numbers are read by NumPy at once; else by the rules of the format."""
    if '"' not in head + body[:4096]:
        names = [cell.strip() for cell in head.split(mark)]
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore", UserWarning)  # that there are no rows, which is said below
                table = np.loadtxt(io.StringIO(body), np.float64, None, mark, ndmin=2)
        except ValueError:
            table = np.zeros((0, 0))
        if table.shape[1] == len(names) > 1 and 0 < len(table) < MOST_ROWS and len(names) <= MOST_COLUMNS:
            return names, list(table.T)
    try:
        reader = csv.reader(io.StringIO(f"{head}\n{body}"), delimiter=mark)
        rows = [row for row in reader if any(cell.strip() for cell in row)]
    except csv.Error as error:
        raise BadFile(f"{path.name} is no table: {error}.") from None
    if len(rows) < 2 or len(rows[0]) < 1 or head.count(mark) == 0 and len(rows[0]) < 2:
        raise BadFile(f"{path.name} is no table: it needs a line of names, and lines of numbers with a column a target.")
    if len(rows) > MOST_ROWS or len(rows[0]) > MOST_COLUMNS:
        most = f"{MOST_ROWS:,} of {MOST_COLUMNS:,}"
        raise BadFile(f"{path.name} has {len(rows):,} lines of {len(rows[0]):,}; up to {most} are read.")
    names = [cell.strip() for cell in rows[0]]
    for number, row in enumerate(rows[1:], 2):
        if len(row) != len(names):
            raise BadFile(f"{path.name}, line {number:,}: {len(row)} cells, but there are {len(names)} names.")
    columns: list[_Column] = []
    for place in range(len(names)):
        cells = [row[place].strip() for row in rows[1:]]
        try:
            columns.append(np.array([float(cell.replace(",", ".") or 0.0) for cell in cells]))
        except ValueError:
            columns.append(cells)
    return names, columns


def _times(
    path: Path, names: list[str], columns: list[_Column]
) -> tuple[np.ndarray | None, np.ndarray | None, int]:  # fmt: skip
    """The frames or the seconds of the rows, and the column they stand in; -1 where none says it, and rows are frames."""
    lower = [name.lower() for name in names]
    for kinds in (SECONDS, FRAMES, TIMECODES):
        place = next((n for n, name in enumerate(lower) if name in kinds), -1)
        if place < 0:
            continue
        cells = columns[place]
        if isinstance(cells, np.ndarray):
            rising = _rising(path, cells)
            return (rising, None, place) if kinds == FRAMES else (None, rising, place)
        codes = [CODE.match(cell) for cell in cells]
        if not all(codes):
            raise BadFile(f"{path.name}: its column {names[place]} holds what is no time.")
        parts = np.array([[float(v) for v in code.groups()] for code in codes if code])
        rate = float(np.ceil(parts[:, 3].max(initial=0.0) + 1e-9)) if parts[:, 3].max(initial=0.0) >= 1 else 1.0
        rate = next((r for r in (24.0, 25.0, 30.0, 50.0, 60.0, 120.0) if r >= rate), rate)
        seconds = parts[:, :3] @ [3600.0, 60.0, 1.0] + parts[:, 3] / rate
        return None, _rising(path, seconds - seconds[0]), place
    return np.arange(len(columns[0]), dtype=float), None, -1


def _rising(path: Path, times: np.ndarray) -> np.ndarray:
    if not np.isfinite(times).all() or (np.diff(times) <= 0).any() or (np.abs(times) > 1e7).any():
        raise BadFile(f"{path.name}: its times do not rise from line to line.")
    return times


def plain_name(name: str) -> str:
    """A name without case, spaces and marks."""
    return re.sub(r"[\W_]+", "", name, flags=re.UNICODE).casefold()


def matched_names(obj: MorphObject, names: Iterable[str], mirrored: bool = False) -> dict[str, str]:
    """Target ids by the names of columns: alike but for case, spaces and marks, else the one target whose name ends or begins
    so. ``mirrored`` takes each column for the other side."""
    able = [t for t in obj.targets if not driven_by(obj, t) and relay_of(obj, t) is None]
    known = {plain_name(t.name): t.id for t in able}
    out: dict[str, str] = {}
    for name in names:
        other = plain_name(other_side_name(name)) if mirrored else ""
        plain = other if other in known else plain_name(name)
        found = [known[plain]] if plain in known else []
        if not found and len(plain) > 2:
            near = (n for n in known if len(n) > 2 and (n.endswith(plain) or plain.endswith(n) or n.startswith(plain)))
            found = [known[n] for n in near]
        if len(found) == 1 and found[0] not in out.values():
            out[name] = found[0]
    return out


def set_weights(
    scene: Scene, object_id: str, table: Table, columns: Mapping[str, str], rate: float | None = None, start: float = 0.0,
    within: float = 0.0, resampled: bool = False,
) -> Scene:  # fmt: skip
    """Lanes of targets from a table's columns, by name: a straight key a row, or where ``resampled`` at each whole frame on the
    straight lines between rows; with ``within`` as few as are that near. The range grows to hold them."""
    obj, given = scene.object(object_id), table.at(scene.fps, rate, start)
    frames = np.arange(np.ceil(given[0]), np.floor(given[-1]) + 1) if resampled else given
    if not len(frames):
        raise EditRefused(f"The table lies between two frames, {given[0]:g} to {given[-1]:g}; its rows cannot be resampled.")
    for name, target_id in columns.items():
        column = np.interp(frames, given, table.values[:, table.names.index(name)])
        keys = [Key(float(f), float(v), "linear") for f, v in zip(frames, column, strict=True)]
        checked_keys(obj, target_id, keys)
        lane = obj.lane(target_id)
        new = Lane(target_id, AnimationCurve(tuple(keys)), lane.modifiers if lane is not None else ())
        rest = tuple(x for x in obj.lanes if x.channel != target_id)
        obj = replace(obj, lanes=(*rest, new))
    scene = scene.with_object(obj)
    low, high = float(np.floor(min(scene.start, frames[0]))), float(np.ceil(max(scene.end, frames[-1])))
    if (low, high) != (scene.start, scene.end):
        scene = replace(scene, start=low, end=high)
    if within > 0:
        scene, _ = reduce_keys(scene, [(object_id, t) for t in columns.values()], within)
    return scene
