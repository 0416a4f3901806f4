"""Every action is a row here: id, text, keys, what it runs and when it can. Menus, the shortcut window and the table in
docs/shortcuts.md are made from these rows; a shortcut is made nowhere else."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget

from fictilis.app.commands.operations import subject_of
from fictilis.app.lanes.places import LANE, TALL, THIN
from fictilis.app.model.document import Document
from fictilis.app.view.tools import TOOLS
from fictilis.app.widgets.fields import end_editing
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Operation
from fictilis.core.shaping.exact import EXACT_CHANGES

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


def has_lanes(doc: Document) -> bool:
    return any(owner.lanes for owner in doc.scene.owners)


def has_chosen(doc: Document) -> bool:
    return doc.chosen is not None


def has_markers(doc: Document) -> bool:
    return bool(doc.scene.markers)


def has_sound(doc: Document) -> bool:
    return doc.scene.sound is not None


def has_camera(doc: Document) -> bool:
    return bool(doc.scene.cameras)


def is_shaping(doc: Document) -> bool:
    return doc.shaping is not None


def has_pick(doc: Document) -> bool:
    return doc.object is not None and len(doc.pick()) > 0


def shaping_pick(doc: Document) -> bool:
    return is_shaping(doc) and has_pick(doc)


@dataclass(frozen=True)
class Row:
    """``run`` is a method of Commands; ``checked`` makes it a switch and says whether it is on; ``meanwhile``: it goes together
    with a gesture that goes on, and with what is being typed."""

    id: str
    menu: str
    text: str
    run: str
    keys: tuple[str, ...] = ()
    enabled: Check = always
    checked: Check | None = None
    argument: object = None
    operation: Operation | None = None
    given: Callable[[Document], dict] | None = None

    @property
    def meanwhile(self) -> bool:
        return self.run in MEANWHILE


def _op(
    row_id: str,
    menu: str,
    operation_id: str,
    keys: tuple[str, ...] = (),
    checked: Check | None = None,
    given: Callable[[Document], dict] | None = None,
    text: str = "",
    enabled: Check = always,
) -> Row:
    """A row that makes an operation of the core; ``given`` are numbers that need no form."""
    operation = OPERATIONS[operation_id]
    dots = "…" if operation.asked and given is None else ""
    return Row(row_id, menu, text or operation.label + dots, "operate", keys, enabled, checked, operation_id, operation, given)


MEANWHILE = frozenset({"resize", "strengthen", "mirror"})

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
    Row("delete", "Edit", "Delete keys, else remove targets", "delete", ("Del",), lambda d: bool(d.keys or d.selected_targets)),
    Row("checks", "Edit", "Checks…", "checks", (), has_object),
    Row("pick-points", "Pick", "Points", "pick_kind", (), is_shaping, lambda d: d.tools.kind == "points", "points"),
    Row("pick-edges", "Pick", "Edges", "pick_kind", (), is_shaping, lambda d: d.tools.kind == "edges", "edges"),
    Row("pick-faces", "Pick", "Faces", "pick_kind", (), is_shaping, lambda d: d.tools.kind == "faces", "faces"),
    Row("pick-all", "Pick", "Pick all", "pick_all", ("Ctrl+A",), is_shaping),
    Row("pick-none", "Pick", "Pick nothing", "pick_none", ("Ctrl+Shift+A",), is_shaping),
    Row("pick-inverse", "Pick", "Pick the rest instead", "pick_inverse", (), is_shaping),
    Row("pick-grow", "Pick", "Grow", "pick_grow", ("Ctrl+.",), shaping_pick),
    Row("pick-shrink", "Pick", "Shrink", "pick_shrink", ("Ctrl+,",), shaping_pick),
    Row("pick-connected", "Pick", "All connected", "pick_connected", (), shaping_pick),
    Row("pick-loop", "Pick", "Edge loop", "pick_along", (), shaping_pick, argument="loop"),
    Row("pick-ring", "Pick", "Edge ring", "pick_along", (), shaping_pick, argument="ring"),
    Row("pick-moved", "Pick", "Points that this target moves", "pick_moved", (), lambda d: is_shaping(d) and has_target(d)),
    Row("pick-left", "Pick", "Left half", "pick_side", (), is_shaping, argument="left"),
    Row("pick-right", "Pick", "Right half", "pick_side", (), is_shaping, argument="right"),
    Row("pick-mirrored", "Pick", "Mirror the pick", "pick_mirrored", (), shaping_pick),
    _op("keep-pick", "Pick", "object-keep-pick"),
    _op("drop-pick", "Pick", "object-drop-pick"),
    Row("new-target", "Target", "New target", "new_target", ("Ctrl+T",), has_object),
    Row("new-from-seen", "Target", "New target from what is seen", "new_from_seen", ("Ctrl+Shift+T",), has_object),
    Row("add-targets", "Target", "Add targets from files…", "add_targets", (), has_object),
    Row("in-between", "Target", "In-between at this weight", "in_between", ("Ctrl+I",), has_target),
    Row("remove-in-between", "Target", "Remove the in-between being shaped", "remove_shaped_stage", (),
        lambda d: d.shaping is not None and d.shaping.at != 1.0),
    Row("rename", "Target", "Rename", "rename", ("F2",), has_target),
    _op("remove-target", "Target", "target-remove"),
    _op("mute", "Target", "target-mute", (), lambda d: has_target(d) and d.target.muted, lambda d: {"off": d.target.muted}),
    _op("duplicate", "Target", "target-duplicate", ("Ctrl+D",)),
    _op("mirror-new", "Target", "target-mirror"),
    _op("swap-sides", "Target", "target-swap"),
    _op("split", "Target", "target-split"),
    _op("join", "Target", "target-join"),
    _op("scale-deltas", "Target", "target-scale"),
    _op("clean", "Target", "target-clean"),
    _op("combine", "Target", "target-add"),
    _op("copy-onto", "Target", "target-copy"),
    _op("apply-to-base", "Target", "target-to-base"),
    _op("keep-region", "Target", "target-keep-region"),
    _op("rebuild", "Target", "target-rebuild"),
    _op("transfer", "Target", "mesh-transfer"),
    _op("mask-from-pick", "Target", "target-mask-pick"),
    _op("bake-mask", "Target", "target-bake-mask"),
    _op("clear-mask", "Target", "target-clear-mask"),
    _op("group", "Target", "target-group", ("Ctrl+G",)),
    _op("ungroup", "Target", "target-ungroup"),
    _op("keep-mix", "Target", "object-keep-mix"),
    _op("drop-mix", "Target", "object-drop-mix"),
    Row("blend-mixes", "Target", "Blend two kept mixes…", "blend_mixes", (),
        lambda d: has_object(d) and len(d.object.mixes) > 1),
    Row("target-colour", "Target", "Colour…", "colour", (), has_target),
    Row("shape", "Shape", "Shape the selected target", "shape", ("Return", "Enter"), has_object),
    Row("done", "Shape", "Done", "done", ("Esc",), is_shaping),
    *(
        Row(f"tool-{tool.id}", "Shape", tool.name, "tool", (tool.key,) if tool.key else (), is_shaping,
            lambda d, t=tool.id: d.tools.tool == t, tool.id)
        for tool in TOOLS.values()
    ),
    *(Row(f"exact-{c.id}", "Shape", c.label, "exact", (), is_shaping, argument=c.id) for c in EXACT_CHANGES.values()),
    Row("smaller", "Shape", "Smaller brush or falloff", "resize", ("[",), is_shaping, argument=1 / 1.15),
    Row("larger", "Shape", "Larger brush or falloff", "resize", ("]",), is_shaping, argument=1.15),
    Row("weaker", "Shape", "Weaker", "strengthen", ("Shift+[", "{", "Shift+{"), is_shaping, argument=-0.1),
    Row("stronger", "Shape", "Stronger", "strengthen", ("Shift+]", "}", "Shift+}"), is_shaping, argument=0.1),
    Row("mirror", "Shape", "Mirror X", "mirror", ("M",), is_shaping, lambda d: "X" in d.tools.mirror.axes, "X"),
    Row("mirror-y", "Shape", "Mirror Y", "mirror", (), is_shaping, lambda d: "Y" in d.tools.mirror.axes, "Y"),
    Row("mirror-z", "Shape", "Mirror Z", "mirror", (), is_shaping, lambda d: "Z" in d.tools.mirror.axes, "Z"),
    Row("place-pivot", "Shape", "Place the pivot", "place_pivot", ("P",), is_shaping),
    _op("subdivide", "Mesh", "mesh-subdivide"),
    _op("subdivide-smooth", "Mesh", "mesh-subdivide", (), None, lambda _d: {"smooth": True}, "Subdivide smoothly"),
    _op("extrude", "Mesh", "mesh-extrude"),
    _op("inset", "Mesh", "mesh-inset"),
    _op("loop-cut", "Mesh", "mesh-loop-cut"),
    _op("triangulate", "Mesh", "mesh-triangulate"),
    _op("delete-points", "Mesh", "mesh-delete-points"),
    _op("delete-faces", "Mesh", "mesh-delete-faces"),
    _op("weld-middle", "Mesh", "mesh-weld-middle"),
    _op("weld-near", "Mesh", "mesh-weld"),
    _op("mirror-weld", "Mesh", "mesh-mirror"),
    _op("freeze", "Mesh", "mesh-freeze"),
    _op("origin", "Mesh", "mesh-origin"),
    *(
        Row(name.replace("_", "-"), "See", text, "see", (), always, lambda d, n=name: getattr(d.seeing, n), name)
        for name, text in (
            ("wire", "Wire"), ("points", "Points"), ("ghost", "Ghost of the base"), ("texture", "Texture"),
            ("before", "Before and after"), ("paths", "Paths of points"), ("numbers", "Numbers at the pointer"),
        )
    ),
    Row("displacement", "See", "Displacement colour", "colour_by", (), always,
        lambda d: d.seeing.colour == "displacement", "displacement"),
    Row("stretch", "See", "Stretch colour", "colour_by", (), always, lambda d: d.seeing.colour == "stretch", "stretch"),
    Row("cuts", "See", "Faces that cut through others", "colour_by", (), always, lambda d: d.seeing.colour == "cuts", "cuts"),
    Row("colour-scale", "See", "Scale of the displacement colour…", "colour_scale"),
    Row("ghosts-frames", "See", "Ghosts of frames", "ghosts", (), has_object, lambda d: d.seeing.ghosts == "frames", "frames"),
    Row("ghosts-keys", "See", "Ghosts of keys", "ghosts", (), has_object, lambda d: d.seeing.ghosts == "keys", "keys"),
    Row("ghost-numbers", "See", "How many ghosts…", "ghost_numbers"),
    Row("motion", "See", "Motion path", "see", (), has_object, lambda d: d.seeing.motion, "motion"),
    Row("way", "View", "Next way to see", "next_way", ("V",), has_object),
    Row("front", "View", "Front", "look", ("Ctrl+1",), argument="front"),
    Row("side", "View", "Side", "look", ("Ctrl+2",), argument="side"),
    Row("top", "View", "Top", "look", ("Ctrl+3",), argument="top"),
    Row("parallel", "View", "Perspective or parallel", "look", ("Ctrl+4",), argument="parallel"),
    Row("fit", "View", "Fit", "look", ("Ctrl+0",), argument="fit"),
    Row("about-pick", "View", "Turn about the pick", "see", (), always, lambda d: d.seeing.about_pick, "about_pick"),
    Row("keep-view", "View", "Keep this view…", "keep_view"),
    Row("drop-view", "View", "Forget a kept view…", "drop_view", (), lambda d: bool(d.scene.views)),
    Row("new-camera", "View", "New camera from this view", "new_camera"),
    Row("through-camera", "View", "Look through the camera", "through_camera", ("Ctrl+5",), has_camera,
        lambda d: d.through_camera),
    _op("remove-camera", "View", "camera-remove"),
    Row("light", "View", "Light and colours…", "light"),
    _op("lock", "Object", "object-lock", (), lambda d: has_object(d) and d.object.locked, lambda d: {"off": d.object.locked}),
    Row("hide", "Object", "Hide object", "hide", ("H",), has_object),
    _op("remove-object", "Object", "object-remove"),
    Row("show-all", "Object", "Show all objects", "show_all", ("Shift+H",)),
    Row("theme", "View", "Dark theme", "theme", (), always, lambda d: d.dark),
    Row("play", "Time", "Play or pause", "play", ("Space",)),
    Row("back", "Time", "A frame back", "step", ("Left",), argument=-1),
    Row("on", "Time", "A frame on", "step", ("Right",), argument=1),
    Row("previous-key", "Time", "Previous key", "to_key", ("Shift+Left",), argument=-1),
    Row("next-key", "Time", "Next key", "to_key", ("Shift+Right",), argument=1),
    Row("start", "Time", "Start of range", "to_end", ("Home",), argument=-1),
    Row("end", "Time", "End of range", "to_end", ("End",), argument=1),
    Row("loop", "Time", "Loop", "toggle", (), always, lambda d: d.loop, lambda s: replace(s, loop=not s.loop)),
    Row("back-and-forth", "Time", "Back and forth", "toggle", (), always, lambda d: d.back_and_forth,
        lambda s: replace(s, back_and_forth=not s.back_and_forth)),
    Row("every-frame", "Time", "Show every frame", "toggle", (), always, lambda d: d.every_frame,
        lambda s: replace(s, every_frame=not s.every_frame)),
    *(
        Row(f"speed-{percent}", "Time", f"Play at {percent} %", "speed", (), always,
            lambda d, part=percent / 100: d.speed == part, percent / 100)
        for percent in (25, 50, 100, 200)
    ),
    *(
        Row(f"time-{way}", "Time", text, "show_time", (), always, lambda d, w=way: d.time_shown == w, way)
        for way, text in (("frames", "Count in frames"), ("seconds", "Count in seconds"), ("timecode", "Count in timecode"))
    ),
    Row("play-from", "Time", "Play from here", "play_from", ("Ctrl+Home",)),
    Row("play-until", "Time", "Play until here", "play_until", ("Ctrl+End",)),
    _op("play-all", "Time", "time-play-all"),
    Row("marker", "Time", "Marker here…", "marker", ("Ctrl+M",)),
    Row("previous-marker", "Time", "Previous marker", "to_marker", ("Ctrl+Left",), has_markers, argument=-1),
    Row("next-marker", "Time", "Next marker", "to_marker", ("Ctrl+Right",), has_markers, argument=1),
    _op("drop-marker", "Time", "time-drop-marker"),
    Row("sound", "Sound", "Sound from a file…", "sound"),
    _op("sound-mute", "Sound", "time-mute", (), lambda d: has_sound(d) and d.scene.sound.muted,
        lambda d: {"off": d.scene.sound.muted}),
    Row("sound-here", "Sound", "Sound begins here", "sound_here", (), has_sound),
    _op("sound-numbers", "Sound", "time-sound-numbers"),
    Row("scrub-sound", "Sound", "Hear the sound while scrubbing", "toggle", (), always, lambda d: d.scrub_sound,
        lambda s: replace(s, scrub_sound=not s.scrub_sound)),
    _op("sound-remove", "Sound", "time-silence"),
    Row("key", "Keys", "Key selected lanes", "key", ("K",), has_chosen),
    Row("key-mix", "Keys", "Key whole mix", "key_mix", ("Shift+K",), has_targets),
    Row("auto-key", "Keys", "Auto-key", "toggle", ("Alt+K",), always, lambda d: d.auto_key,
        lambda s: replace(s, auto_key=not s.auto_key)),
    Row("hold-guard", "Keys", "Hold guard", "toggle", (), always, lambda d: d.hold_guard,
        lambda s: replace(s, hold_guard=not s.hold_guard)),
    _op("hold", "Keys", "keys-hold"),
    _op("linear", "Keys", "keys-linear"),
    _op("smooth", "Keys", "keys-smooth"),
    Row("ease", "Keys", "Ease to the next key…", "ease", (), has_keys),
    _op("tangent-auto", "Keys", "keys-auto"),
    _op("tangent-flat", "Keys", "keys-flat"),
    _op("straighten", "Keys", "keys-straighten"),
    _op("tangent-broken", "Keys", "keys-broken"),
    _op("tangent-joined", "Keys", "keys-joined"),
    _op("beyond", "Keys", "lanes-beyond"),
    Row("key-numbers", "Keys", "Frame and value…", "key_numbers", (), has_keys),
    Row("nudge-back", "Keys", "Nudge keys back", "nudge", ("Alt+Left",), has_keys, argument=-1.0),
    Row("nudge-on", "Keys", "Nudge keys on", "nudge", ("Alt+Right",), has_keys, argument=1.0),
    Row("nudge-up", "Keys", "Nudge values up", "nudge_value", ("Alt+Up",), has_keys, argument=0.01),
    Row("nudge-down", "Keys", "Nudge values down", "nudge_value", ("Alt+Down",), has_keys, argument=-0.01),
    Row("copy-keys", "Keys", "Copy keys", "copy_keys", ("Ctrl+C",), has_keys),
    Row("paste-keys", "Keys", "Paste keys at the playhead", "paste_keys", ("Ctrl+V",),
        lambda d: has_object(d) and bool(d.copied)),
    Row("paste-mirrored", "Keys", "Paste keys onto the other side", "paste_mirrored", (),
        lambda d: has_object(d) and bool(d.copied)),
    Row("retime", "Timing", "Retime", "retime", (), has_lanes, lambda d: d.band is not None),
    _op("shift-after", "Timing", "lanes-shift"),
    _op("reverse", "Timing", "lanes-reverse"),
    _op("mirror-values", "Timing", "lanes-mirror"),
    _op("scale-values", "Timing", "lanes-scale"),
    _op("stagger", "Timing", "lanes-stagger"),
    _op("snap-keys", "Timing", "lanes-snap"),
    _op("bake-keys", "Timing", "lanes-bake"),
    _op("reduce-keys", "Timing", "lanes-reduce"),
    _op("clean-keys", "Timing", "lanes-clean"),
    _op("hold-until", "Timing", "lanes-hold"),
    Row("key-neutral", "Timing", "Key the neutral mix", "key_neutral", (), has_targets),
    _op("close-loop", "Timing", "lanes-close"),
    *(
        Row(f"lanes-{which}", "Lanes", text, "show_lanes", (), always, lambda d, w=which: d.lanes_shown == w, which)
        for which, text in (
            ("all", "All lanes"), ("keyed", "Keyed lanes only"), ("selected", "Selected lanes only"),
            ("weight", "Weights only"), ("object", "The object's own only"), ("camera", "The camera's only"),
        )
    ),
    Row("together", "Lanes", "Together in one plot", "together", ("L",), has_lanes, lambda d: d.together),
    Row("shared-scale", "Lanes", "One value scale for all", "toggle", (), always, lambda d: d.shared_scale,
        lambda s: replace(s, shared_scale=not s.shared_scale)),
    Row("lane-open", "Lanes", "Open to full height", "lane_height", (), always, argument=TALL),
    Row("lane-normal", "Lanes", "Usual height", "lane_height", (), always, argument=LANE),
    Row("lane-thin", "Lanes", "Thin strip", "lane_height", (), always, argument=THIN),
    Row("fit-time", "Lanes", "Show the whole range", "fit_time", (), argument="range"),
    Row("fit-keys", "Lanes", "Show the selected keys", "fit_time", (), has_keys, argument="keys"),
    Row("fit-values", "Lanes", "Value scales as they come", "fit_values"),
    Row("shortcuts", "Help", "All shortcuts", "shortcuts", ("F1",)),
    Row("about", "Help", "About Fictilis", "about"),
)  # fmt: skip
LINES_BEFORE = (
    "export", "quit", "pick-all", "pick-grow", "pick-moved", "keep-pick", "in-between", "duplicate", "scale-deltas", "transfer",
    "mask-from-pick", "group", "keep-mix", "tool-pick", "tool-grab", "tool-exact", "exact-sphere", "smaller", "mirror",
    "extrude",
    "delete-points", "mirror-weld", "freeze", "wire", "displacement", "front", "keep-view", "light", "lock", "theme", "loop",
    "time-frames", "play-from", "marker", "sound", "ghosts-frames", "new-camera", "hold", "tangent-auto", "key-numbers",
    "retime", "hold-until", "together", "lane-open", "fit-time", "checks",
)  # fmt: skip
MENUS = tuple(dict.fromkeys(row.menu for row in ROWS))


class Actions:
    """The rows as Qt actions of one window, kept up to date with the document."""

    def __init__(self, window: QWidget, doc: Document, commands: Sequence[object], own_keys: dict[str, list[str]]) -> None:
        """``commands`` are the objects among whose methods the rows' are found."""
        self.doc = doc
        self.by_id: dict[str, QAction] = {}
        for row in ROWS:
            if row.id in self.by_id:
                raise ValueError(f"two actions are named {row.id}")
            action = QAction(row.text, window)
            action.setObjectName(row.id)
            action.setCheckable(row.checked is not None)
            action.setIconVisibleInMenu(False)
            action.triggered.connect(self._runner(commands, row, doc))
            self.by_id[row.id] = action
            window.addAction(action)
        self.set_keys(own_keys)
        doc.changed.connect(self.refresh)
        self.refresh()

    @staticmethod
    def _runner(commands: Sequence[object], row: Row, doc: Document) -> Callable[[], None]:
        """What the row does, inside the one place where an expected error becomes a sentence."""
        (method,) = (getattr(part, row.run) for part in commands if hasattr(part, row.run))

        def run() -> None:
            if not row.meanwhile:
                end_editing()
                doc.hand.leave()
            if row.given is not None:
                method(row.argument, row.given(doc))
            elif row.argument is not None:
                method(row.argument)
            else:
                method()

        return lambda: doc.attempt(run)

    def set_keys(self, own_keys: dict[str, list[str]]) -> None:
        """Set shortcuts: the rows' keys, or a user's own by action id."""
        for row in ROWS:
            keys = own_keys.get(row.id, list(row.keys))
            action = self.by_id[row.id]
            action.setShortcuts([QKeySequence(key) for key in keys])
            said = f" ({QKeySequence(keys[0]).toString()})" if keys else ""
            action.setToolTip(row.text.rstrip("…") + said)

    def refresh(self) -> None:
        subject = subject_of(self.doc)
        for row in ROWS:
            action = self.by_id[row.id]
            action.setEnabled(row.enabled(self.doc) and not (row.operation and row.operation.missing(subject)))
            if row.checked is not None:
                action.setChecked(row.checked(self.doc))
        for name, label in (("undo", self.doc.undo_label()), ("redo", self.doc.redo_label())):
            action = self.by_id[name]
            action.setText(f"{name.capitalize()} {label}".strip())

    def add_to(self, menu: QMenu, names: Sequence[str | None]) -> None:
        """Add actions by their ids, a line for each None."""
        for name in names:
            if name is None:
                menu.addSeparator()
            else:
                menu.addAction(self.by_id[name])

    def fill(self, menu: QMenu, name: str) -> None:
        """Add the rows of one menu, with a line before what is rarer."""
        for row in ROWS:
            if row.menu == name:
                if row.id in LINES_BEFORE:
                    menu.addSeparator()
                menu.addAction(self.by_id[row.id])
