"""Writes docs/shortcuts.md from the actions table, and docs/commands.md from the table of operations."""

from pathlib import Path

from fictilis.app.commands.actions import MENUS
from fictilis.app.commands.rows import ROWS
from fictilis.cli.operate import PARTS
from fictilis.core.ground.parameters import Choice, Flag, Number, Parameter, Span, Text, completed
from fictilis.core.operations import OPERATIONS
from fictilis.formats.account import FEATURES, Feature, fate
from fictilis.formats.choices import Values
from fictilis.formats.registry import FORMATS

DOCS = Path(__file__).parents[1] / "docs"
MADE_ON = {
    "target": "`--object NAME --target NAME` (again for several); a pick by `--pick NAME`, `--points N,N`, `--edges` or "
    "`--faces`, its falloff by `--radius CM` and `--space`; `--mirror x|y|z` and `--by-topology` say how sides are told apart",
    "relay": "`--object NAME`, and `--relay NAME` where it has several; `new` takes `--target NAME`, again for "
    "several, in the order of the cards",
    "mesh": "`--object NAME`; a pick by `--pick NAME`, `--points N,N`, `--edges` or `--faces`",
    "line": "`--object NAME`; a pick by `--pick NAME`, `--points N,N` or `--edges`; `shift` takes `--target NAME`",
    "repeat": "`--object NAME`",
    "deform": "`--object NAME`",
    "rig": "`--object NAME`; all that hangs on the same rig goes along",
    "spring": "`--object NAME`; a pick by `--pick NAME`, `--points N,N`, `--edges` or `--faces`",
    "object": "`--object NAME`; a pick by `--pick NAME`, `--points N,N`, `--edges` or `--faces`",
    "form": "`--object NAME` for `numbers`, else nothing but the scene",
    "lanes": "`--object NAME --lane NAME` (again for several); without them every lane that has keys",
    "modifier": "`--object NAME --lane NAME`",
    "keys": "`--object NAME --lane NAME`; `--at F,F`: frames of the keys, without it all",
    "time": "nothing but the scene",
    "cue": "the cue that is named by `--cue`",
    "clip": "nothing but the scene; `--clip NAME` where it is not the active clip",
    "camera": "`--camera NAME`, by default the one that is looked through",
    "light": "nothing but the scene",
    "measure": "nothing but the scene",
    "shape": "`--object NAME`, and `--target NAME`, else the base; `--at WEIGHT` for an in-between; a pick as for targets",
}


def shortcuts_page() -> str:
    lines = [
        "# Shortcuts",
        "",
        "Made from the actions table by `scripts/make_docs.py`. All can be changed in the window that F1 opens.",
        "",
    ]
    for menu in MENUS:
        lines += [f"## {menu}", "", "| action | where | keys |", "|---|---|---|"]
        for row in ROWS:
            if row.top == menu:
                keys = ", ".join(f"`{key}`" for key in row.keys)
                lines.append(f"| {row.text.rstrip('…')} | {row.place} | {keys} |")
        lines.append("")
    lines += [
        "## Mouse",
        "",
        "Left drag is the tool. Right drag turns the view, with Shift moves it, with Ctrl turns the light. The wheel zooms.",
        "With Move, Rotate or Scale a digit or a minus typed over a handle, while dragging it or after a pick opens a field",
        "beside it: Tab goes from axis to axis, `12/5` is worked out, Enter applies, Esc leaves.",
        "",
    ]
    return "\n".join(lines)


def _option(p: Parameter) -> str:
    if isinstance(p, Flag):
        said = f"--{p.name}"
    elif isinstance(p, Span):
        said = f"--{p.name} FIRST LAST"
    elif isinstance(p, Choice):
        said = f"--{p.name} " + "\\|".join(word for word, _, _ in p.options)
    else:
        said = f"--{p.name} " + (
            p.unit.upper() or "N" if isinstance(p, Number) and p.unit.isascii() else "N" if isinstance(p, Number) else "NAME"
        )
    return f"`{said}`" if p.needed else f"[`{said}`]"


def commands_page() -> str:
    lines = [
        "# Commands",
        "",
        "Made from the table of operations by `scripts/make_docs.py`. Each is `fictilis PART SCENE … OPERATION …`; the scene",
        "itself is changed, or with `-o FILE` another one written. What stands in brackets may be left out. The other commands",
        "(`new`, `info`, `check`, `key`, `evaluate`, `export`, `import`, `weights`, `rehearse`, `snapshot`,",
        "`install-desktop`) are told by `fictilis COMMAND --help`.",
        "",
    ]
    for part, about in PARTS.items():
        lines += [
            f"## fictilis {part}",
            "",
            f"{about.capitalize()}. Made on: {MADE_ON[part]}.",
            "",
            "| operation | numbers | |",
            "|---|---|---|",
        ]
        rows = [(o.verb, o.parameters, o.sentence or o.label) for o in OPERATIONS.values() if o.part == part]
        if part == "time":
            rows.append(("sound", (Number("at", "", 0.0),), "The scene's sound, from a FILE; it begins at a frame."))
        if part == "line":
            rows.append(("text", (Number("size", ""),), "TEXT as a new line object, named by `--object`; `--font FILE`."))
        if part == "relay":
            rows.append(
                ("files", (Text("name", ""), Span("range", "")), "A relay of numbered mesh files, or of arrays (.npz).")
            )
        lines += [f"| `{verb}` | {' '.join(map(_option, numbers))} | {said} |" for verb, numbers, said in rows]
        lines.append("")
    return "\n".join(lines)


FORMATS_HEAD = """# Formats

Made from the table of formats by `scripts/make_docs.py`. Lengths are centimetres here; glTF is in metres, OpenUSD says its
unit. An export says what it left out or changed, and reads the file again as a proof (`fictilis export --prove CM`, exit 3
above it).

| format | read | written | not kept |
|---|---|---|---|
"""
FORMATS_FOOT = """
Weights of objects go to CSV and come from it (`fictilis weights`, *File*): a column a target; a row a frame, a second or
a timecode; separated by commas, semicolons or tabs; 0 to 1 or 0 to 100. Names are matched loosely, sides swapped on request.
Lanes as JSON have the keys of [scene files](file-format.md) by the names of objects and targets, and keep their seconds.
Points over a range go to NumPy arrays (`.npz`: `fictilis evaluate`, *File*) and come back as a relay
(`fictilis relay … files`). *Import* and `fictilis import` take what is chosen of a file as objects, targets or a relay; those
of a format that says no unit in mm, cm, m or inches, and with Y or Z up.

## What becomes of each feature

As the window of exports and `fictilis export --account` say it of a scene, with the options as they begin. *In the mix*: its
shape is written as it is seen. An empty cell: such a file is not for it.

"""
FATES_FOOT = """
## Options

| format | option | choices |
|---|---|---|
"""


def _fate(feature: Feature, key: str, values: Values) -> str:
    state, words = fate(feature, key, values) or ("", "")
    return f"{state}: {words}" if words else state


def formats_page() -> str:
    rows = (f"| {f.name} ({', '.join(f.suffixes)}) | {f.reads} | {f.writes or 'not written'} | {f.loses} |\n" for f in FORMATS)
    written = [f for f in FORMATS if f.export]
    values = {f.key: completed(f.name, f.options, {}) for f in written}
    fates = [f"| | {' | '.join(f.name for f in written)} |\n|---|{'---|' * len(written)}\n"]
    for feature in FEATURES:
        cells = " | ".join(_fate(feature, f.key, values[f.key]) for f in written)
        fates.append(f"| {feature.name} | {cells} |\n")
    options = []
    for f in written:
        for p in f.options:
            choices = ", ".join(f"{label} (`{word}`)" for word, label, _ in p.options) if isinstance(p, Choice) else p.label
            options.append(f"| {f.name} | `--{p.name}` | {p.label}: {choices} |\n")
    return FORMATS_HEAD + "".join(rows) + FORMATS_FOOT + "".join(fates) + FATES_FOOT + "".join(options)


if __name__ == "__main__":
    DOCS.joinpath("shortcuts.md").write_text(shortcuts_page())
    DOCS.joinpath("commands.md").write_text(commands_page())
    DOCS.joinpath("formats.md").write_text(formats_page())
