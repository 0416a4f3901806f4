"""Writes docs/shortcuts.md from the actions table."""

from pathlib import Path

from fictilis.app.commands.actions import MENUS, ROWS

lines = [
    "# Shortcuts",
    "",
    "Made from the actions table by `scripts/make_docs.py`. All can be changed in the window that F1 opens.",
    "",
]
for menu in MENUS:
    lines += [f"## {menu}", "", "| action | keys |", "|---|---|"]
    for row in ROWS:
        if row.menu == menu:
            keys = ", ".join(f"`{key}`" for key in row.keys)
            lines.append(f"| {row.text.rstrip('…')} | {keys} |")
    lines.append("")
lines += [
    "## Mouse",
    "",
    "Left drag is the tool. Right drag turns the view, Shift+right drag moves it, the wheel zooms at the pointer.",
    "With Move, Rotate or Scale a digit or a minus typed over a handle, while dragging it or after a pick opens a field beside it:",
    "Tab goes from axis to axis, `12/5` is worked out, Enter applies, Esc leaves.",
    "",
]
Path(__file__).parents[1].joinpath("docs", "shortcuts.md").write_text("\n".join(lines))
