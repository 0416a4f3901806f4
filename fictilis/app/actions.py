"""Every action is a row here: id, text, keys, what it runs and when it can. Menus, the shortcut window and the table in
docs/shortcuts.md are made from these rows; a shortcut is made nowhere else."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget

from fictilis.app.commands import Commands
from fictilis.app.document import Document

Check = Callable[[Document], bool]


def always(_doc: Document) -> bool:
    return True


def has_object(doc: Document) -> bool:
    return doc.object is not None


def has_target(doc: Document) -> bool:
    return doc.target is not None


def has_targets(doc: Document) -> bool:
    return has_object(doc) and bool(doc.object.targets)


def has_keys(doc: Document) -> bool:
    return bool(doc.keys)


def is_shaping(doc: Document) -> bool:
    return doc.shaping is not None


@dataclass(frozen=True)
class Row:
    """``run`` is a method of Commands; ``checked`` makes it a switch and says whether it is on."""

    id: str
    menu: str
    text: str
    run: str
    keys: tuple[str, ...] = ()
    enabled: Check = always
    checked: Check | None = None
    argument: object = None


ROWS = (
    Row("new", "File", "New scene…", "new_scene", ("Ctrl+N",)),
    Row("open", "File", "Open…", "open_file", ("Ctrl+O",)),
    Row("save", "File", "Save", "save", ("Ctrl+S",)),
    Row("save-as", "File", "Save as…", "save_as", ("Ctrl+Shift+S",)),
    Row("export", "File", "Export…", "export", ("Ctrl+E",), has_object),
    Row("export-shapes", "File", "Export base and targets as OBJ files…", "export_shapes", (), has_object),
    Row("demo", "File", "Open the Moon jelly", "open_demo"),
    Row("quit", "File", "Quit", "quit", ("Ctrl+Q",)),
    Row("undo", "Edit", "Undo", "undo", ("Ctrl+Z",), lambda d: bool(d.undo_label())),
    Row("redo", "Edit", "Redo", "redo", ("Ctrl+Shift+Z",), lambda d: bool(d.redo_label())),
    Row("delete", "Edit", "Delete keys, else remove targets", "delete", ("Del",), lambda d: bool(d.keys or d.selected)),
    Row("pick-all", "Edit", "Pick all points", "pick_all", ("Ctrl+A",), is_shaping),
    Row("pick-none", "Edit", "Pick no points", "pick_none", ("Ctrl+Shift+A",), is_shaping),
    Row("new-target", "Target", "New target", "new_target", ("Ctrl+T",), has_object),
    Row("new-from-seen", "Target", "New target from what is seen", "new_from_seen", ("Ctrl+Shift+T",), has_object),
    Row("add-targets", "Target", "Add targets from files…", "add_targets", (), has_object),
    Row("in-between", "Target", "In-between at this weight", "in_between", ("Ctrl+I",), has_target),
    Row("remove-in-between", "Target", "Remove the in-between being shaped", "remove_shaped_stage", (),
        lambda d: d.shaping is not None and d.shaping.at != 1.0),
    Row("rename", "Target", "Rename", "rename", ("F2",), has_target),
    Row("remove-target", "Target", "Remove targets", "remove_targets", (), has_target),
    Row("mute", "Target", "Mute", "mute", (), has_target, lambda d: has_target(d) and d.target.muted),
    Row("shape", "Shape", "Shape the selected target", "shape", ("Return", "Enter"), has_object),
    Row("done", "Shape", "Done", "done", ("Esc",), is_shaping),
    Row("tool-pick", "Shape", "Pick", "tool", ("1",), is_shaping, lambda d: d.tools.tool == "pick", "pick"),
    Row("tool-move", "Shape", "Move", "tool", ("2",), is_shaping, lambda d: d.tools.tool == "move", "move"),
    Row("tool-rotate", "Shape", "Rotate", "tool", ("3",), is_shaping, lambda d: d.tools.tool == "rotate", "rotate"),
    Row("tool-scale", "Shape", "Scale", "tool", ("4",), is_shaping, lambda d: d.tools.tool == "scale", "scale"),
    Row("tool-grab", "Shape", "Grab", "tool", ("5",), is_shaping, lambda d: d.tools.tool == "grab", "grab"),
    Row("smaller", "Shape", "Smaller brush or falloff", "resize", ("[",), is_shaping, argument=1 / 1.15),
    Row("larger", "Shape", "Larger brush or falloff", "resize", ("]",), is_shaping, argument=1.15),
    Row("weaker", "Shape", "Weaker", "strengthen", ("Shift+[", "{", "Shift+{"), is_shaping, argument=-0.1),
    Row("stronger", "Shape", "Stronger", "strengthen", ("Shift+]", "}", "Shift+}"), is_shaping, argument=0.1),
    Row("mirror", "Shape", "Mirror X", "mirror", ("M",), is_shaping, lambda d: d.tools.mirror),
    Row("way", "View", "Next way to see", "next_way", ("V",), has_object),
    Row("wire", "View", "Wire", "toggle", (), always, lambda d: d.show_wire, "show_wire"),
    Row("displacement", "View", "Displacement colour", "toggle", (), always, lambda d: d.show_displacement, "show_displacement"),
    Row("ghost", "View", "Ghost of the base", "toggle", (), always, lambda d: d.show_ghost, "show_ghost"),
    Row("front", "View", "Front", "look", ("Ctrl+1",), argument="front"),
    Row("side", "View", "Side", "look", ("Ctrl+2",), argument="side"),
    Row("top", "View", "Top", "look", ("Ctrl+3",), argument="top"),
    Row("parallel", "View", "Perspective or parallel", "look", ("Ctrl+4",), argument="parallel"),
    Row("fit", "View", "Fit", "look", ("Ctrl+0",), argument="fit"),
    Row("hide", "View", "Hide object", "hide", ("H",), has_object),
    Row("remove-object", "View", "Remove object", "remove_object", (), has_object),
    Row("show-all", "View", "Show all objects", "show_all", ("Shift+H",)),
    Row("theme", "View", "Dark theme", "theme", (), always, lambda d: d.dark),
    Row("play", "Time", "Play or pause", "play", ("Space",)),
    Row("back", "Time", "A frame back", "step", ("Left",), argument=-1),
    Row("on", "Time", "A frame on", "step", ("Right",), argument=1),
    Row("previous-key", "Time", "Previous key", "to_key", ("Shift+Left",), argument=-1),
    Row("next-key", "Time", "Next key", "to_key", ("Shift+Right",), argument=1),
    Row("start", "Time", "Start of range", "to_end", ("Home",), argument=-1),
    Row("end", "Time", "End of range", "to_end", ("End",), argument=1),
    Row("loop", "Time", "Loop", "toggle", (), always, lambda d: d.loop, "loop"),
    Row("key", "Time", "Key selected lanes", "key", ("K",), has_target),
    Row("key-mix", "Time", "Key whole mix", "key_mix", ("Shift+K",), has_targets),
    Row("auto-key", "Time", "Auto-key", "toggle", ("Alt+K",), always, lambda d: d.auto_key, "auto_key"),
    Row("hold-guard", "Time", "Hold guard", "toggle", (), always, lambda d: d.hold_guard, "hold_guard"),
    Row("hold", "Time", "Hold until the next key", "interpolate", (), has_keys, argument="hold"),
    Row("linear", "Time", "Linear to the next key", "interpolate", (), has_keys, argument="linear"),
    Row("smooth", "Time", "Smooth to the next key", "interpolate", (), has_keys, argument="smooth"),
    Row("shortcuts", "Help", "All shortcuts", "shortcuts", ("F1",)),
    Row("about", "Help", "About Fictilis", "about"),
)  # fmt: skip
LINES_BEFORE = (
    "export",
    "quit",
    "pick-all",
    "in-between",
    "tool-pick",
    "wire",
    "front",
    "hide",
    "theme",
    "loop",
    "key",
    "hold",
)
MENUS = tuple(dict.fromkeys(row.menu for row in ROWS))


class Actions:
    """The rows as Qt actions of one window, kept up to date with the document."""

    def __init__(self, window: QWidget, doc: Document, commands: Commands, own_keys: dict[str, list[str]]) -> None:
        self.doc = doc
        self.by_id: dict[str, QAction] = {}
        for row in ROWS:
            if row.id in self.by_id:
                raise ValueError(f"two actions are named {row.id}")
            action = QAction(row.text, window)
            action.setObjectName(row.id)
            action.setCheckable(row.checked is not None)
            action.setIconVisibleInMenu(False)
            action.triggered.connect(self._runner(commands, row))
            self.by_id[row.id] = action
            window.addAction(action)
        self.set_keys(own_keys)
        doc.changed.connect(self.refresh)
        self.refresh()

    @staticmethod
    def _runner(commands: Commands, row: Row) -> Callable[[], None]:
        method = getattr(commands, row.run)
        return (lambda: method()) if row.argument is None else (lambda: method(row.argument))

    def set_keys(self, own_keys: dict[str, list[str]]) -> None:
        """Set shortcuts: the rows' keys, or a user's own by action id."""
        for row in ROWS:
            keys = own_keys.get(row.id, list(row.keys))
            action = self.by_id[row.id]
            action.setShortcuts([QKeySequence(key) for key in keys])
            said = f" ({QKeySequence(keys[0]).toString()})" if keys else ""
            action.setToolTip(row.text.rstrip("…") + said)

    def refresh(self) -> None:
        for row in ROWS:
            action = self.by_id[row.id]
            action.setEnabled(row.enabled(self.doc))
            if row.checked is not None:
                action.setChecked(row.checked(self.doc))
        for name, label in (("undo", self.doc.undo_label()), ("redo", self.doc.redo_label())):
            action = self.by_id[name]
            action.setText(f"{name.capitalize()} {label}".strip())

    def fill(self, menu: QMenu, name: str) -> None:
        """Add the rows of one menu, with a line before what is rarer."""
        for row in ROWS:
            if row.menu == name:
                if row.id in LINES_BEFORE:
                    menu.addSeparator()
                menu.addAction(self.by_id[row.id])
