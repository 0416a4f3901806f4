"""Every action is a row here: id, text, keys, what it runs and when it can. Menus, the shortcut window and the table in
docs/shortcuts.md are made from these rows; a shortcut is made nowhere else."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget

from fictilis.app.lanes.places import LANE, TALL, THIN
from fictilis.app.model.document import Document
from fictilis.app.view.tools import TOOLS
from fictilis.core.shaping.exact import OPERATIONS

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


def has_lane(doc: Document) -> bool:
    return doc.chosen is not None and doc.lane(doc.chosen.ref) is not None


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


def has_two_targets(doc: Document) -> bool:
    return has_target(doc) and len(doc.object.targets) > 1


def several_selected(doc: Document) -> bool:
    return len(doc.selected_targets) > 1


def has_mask(doc: Document) -> bool:
    return has_target(doc) and doc.target.mask is not None


def target_and_pick(doc: Document) -> bool:
    return has_target(doc) and shaping_pick(doc)


def shaping_pick(doc: Document) -> bool:
    return is_shaping(doc) and has_pick(doc)


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
    Row("keep-pick", "Pick", "Keep this pick…", "keep_pick", (), shaping_pick),
    Row("drop-pick", "Pick", "Forget a kept pick…", "drop_pick", (), lambda d: has_object(d) and bool(d.object.picks)),
    Row("new-target", "Target", "New target", "new_target", ("Ctrl+T",), has_object),
    Row("new-from-seen", "Target", "New target from what is seen", "new_from_seen", ("Ctrl+Shift+T",), has_object),
    Row("add-targets", "Target", "Add targets from files…", "add_targets", (), has_object),
    Row("in-between", "Target", "In-between at this weight", "in_between", ("Ctrl+I",), has_target),
    Row("remove-in-between", "Target", "Remove the in-between being shaped", "remove_shaped_stage", (),
        lambda d: d.shaping is not None and d.shaping.at != 1.0),
    Row("rename", "Target", "Rename", "rename", ("F2",), has_target),
    Row("remove-target", "Target", "Remove targets", "remove_targets", (), has_target),
    Row("mute", "Target", "Mute", "mute", (), has_target, lambda d: has_target(d) and d.target.muted),
    Row("duplicate", "Target", "Duplicate", "duplicate", ("Ctrl+D",), has_target),
    Row("mirror-new", "Target", "Mirror into a new target", "mirror_new", (), has_target),
    Row("swap-sides", "Target", "Swap sides", "swap_sides", (), has_target),
    Row("split", "Target", "Split into left and right…", "split", (), has_target),
    Row("join", "Target", "Join selected targets", "join", (), several_selected),
    Row("scale-deltas", "Target", "Scale its offsets…", "scale_deltas", (), has_target),
    Row("clean", "Target", "Clean away small motion…", "clean", (), has_target),
    Row("combine", "Target", "Add or subtract another…", "combine", (), has_two_targets),
    Row("copy-onto", "Target", "Copy its shape onto another…", "copy_onto", (), has_two_targets),
    Row("apply-to-base", "Target", "Apply to the base…", "apply_to_base", (), has_target),
    Row("keep-region", "Target", "Keep only the picked region", "keep_region", (), target_and_pick),
    Row("rebuild", "Target", "Rebuild on another shape…", "rebuild_on", (), has_target),
    Row("transfer", "Target", "Transfer from another object…", "transfer", (), has_object),
    Row("mask-from-pick", "Target", "Mask all but the pick", "mask_from_pick", (), target_and_pick),
    Row("bake-mask", "Target", "Bake the mask into the shape", "bake_mask", (), has_mask),
    Row("clear-mask", "Target", "Take the mask off", "clear_mask", (), has_mask),
    Row("group", "Target", "Group selected targets…", "group", ("Ctrl+G",), has_target),
    Row("ungroup", "Target", "Take out of the group", "ungroup", (), lambda d: has_target(d) and d.target.group is not None),
    Row("keep-mix", "Target", "Keep this mix…", "keep_mix", (), has_targets),
    Row("drop-mix", "Target", "Forget a kept mix…", "drop_mix", (), lambda d: has_object(d) and bool(d.object.mixes)),
    Row("blend-mixes", "Target", "Blend two kept mixes…", "blend_mixes", (), lambda d: has_object(d) and len(d.object.mixes) > 1),
    Row("target-colour", "Target", "Colour…", "colour", (), has_target),
    Row("shape", "Shape", "Shape the selected target", "shape", ("Return", "Enter"), has_object),
    Row("done", "Shape", "Done", "done", ("Esc",), is_shaping),
    *(
        Row(f"tool-{tool.id}", "Shape", tool.name, "tool", (str((n + 1) % 10),) if n < 10 else (), is_shaping,
            lambda d, t=tool.id: d.tools.tool == t, tool.id)
        for n, tool in enumerate(TOOLS.values())
    ),
    *(Row(f"exact-{o.id}", "Shape", o.label, "exact", (), is_shaping, argument=o.id) for o in OPERATIONS),
    Row("smaller", "Shape", "Smaller brush or falloff", "resize", ("[",), is_shaping, argument=1 / 1.15),
    Row("larger", "Shape", "Larger brush or falloff", "resize", ("]",), is_shaping, argument=1.15),
    Row("weaker", "Shape", "Weaker", "strengthen", ("Shift+[", "{", "Shift+{"), is_shaping, argument=-0.1),
    Row("stronger", "Shape", "Stronger", "strengthen", ("Shift+]", "}", "Shift+}"), is_shaping, argument=0.1),
    Row("mirror", "Shape", "Mirror X", "mirror", ("M",), is_shaping, lambda d: "X" in d.tools.mirror.axes, "X"),
    Row("mirror-y", "Shape", "Mirror Y", "mirror", (), is_shaping, lambda d: "Y" in d.tools.mirror.axes, "Y"),
    Row("mirror-z", "Shape", "Mirror Z", "mirror", (), is_shaping, lambda d: "Z" in d.tools.mirror.axes, "Z"),
    Row("place-pivot", "Shape", "Place the pivot", "place_pivot", ("P",), is_shaping),
    Row("subdivide", "Mesh", "Subdivide", "subdivide", (), has_object, argument=False),
    Row("subdivide-smooth", "Mesh", "Subdivide smoothly", "subdivide", (), has_object, argument=True),
    Row("extrude", "Mesh", "Extrude faces…", "extrude", (), shaping_pick),
    Row("inset", "Mesh", "Inset faces…", "inset", (), shaping_pick),
    Row("loop-cut", "Mesh", "Cut a loop…", "loop_cut", (), shaping_pick),
    Row("triangulate", "Mesh", "Triangulate", "triangulate", (), has_object),
    Row("delete-points", "Mesh", "Delete points", "delete_points", (), shaping_pick),
    Row("delete-faces", "Mesh", "Delete faces", "delete_faces", (), shaping_pick),
    Row("weld-middle", "Mesh", "Weld at the middle", "weld_middle", (), shaping_pick),
    Row("weld-near", "Mesh", "Weld points that are near…", "weld_near", (), has_object),
    Row("mirror-weld", "Mesh", "Mirror and weld…", "mirror_weld", (), has_object),
    Row("freeze", "Mesh", "Freeze the transform", "freeze_transform", (), has_object),
    Row("origin", "Mesh", "Move the origin to the picked point", "origin_to_point", (), shaping_pick),
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
    Row("through-camera", "View", "Look through the camera", "through_camera", ("Ctrl+5",), has_camera, lambda d: d.through_camera),
    Row("remove-camera", "View", "Remove the camera", "remove_camera", (), has_camera),
    Row("light", "View", "Light and colours…", "light"),
    Row("lock", "Object", "Lock object", "lock", (), has_object, lambda d: has_object(d) and d.object.locked),
    Row("hide", "Object", "Hide object", "hide", ("H",), has_object),
    Row("remove-object", "Object", "Remove object", "remove_object", (), has_object),
    Row("show-all", "Object", "Show all objects", "show_all", ("Shift+H",)),
    Row("theme", "View", "Dark theme", "theme", (), always, lambda d: d.dark),
    Row("play", "Time", "Play or pause", "play", ("Space",)),
    Row("back", "Time", "A frame back", "step", ("Left",), argument=-1),
    Row("on", "Time", "A frame on", "step", ("Right",), argument=1),
    Row("previous-key", "Time", "Previous key", "to_key", ("Shift+Left",), argument=-1),
    Row("next-key", "Time", "Next key", "to_key", ("Shift+Right",), argument=1),
    Row("start", "Time", "Start of range", "to_end", ("Home",), argument=-1),
    Row("end", "Time", "End of range", "to_end", ("End",), argument=1),
    Row("loop", "Time", "Loop", "toggle", (), always, lambda d: d.loop, "loop"),
    Row("back-and-forth", "Time", "Back and forth", "toggle", (), always, lambda d: d.back_and_forth, "back_and_forth"),
    Row("every-frame", "Time", "Show every frame", "toggle", (), always, lambda d: d.every_frame, "every_frame"),
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
    Row("play-all", "Time", "Play all of the range", "play_all", (), lambda d: d.scene.played is not None),
    Row("marker", "Time", "Marker here…", "marker", ("Ctrl+M",)),
    Row("previous-marker", "Time", "Previous marker", "to_marker", ("Ctrl+Left",), has_markers, argument=-1),
    Row("next-marker", "Time", "Next marker", "to_marker", ("Ctrl+Right",), has_markers, argument=1),
    Row("drop-marker", "Time", "Delete the marker here", "drop_marker", (), has_markers),
    Row("sound", "Sound", "Sound from a file…", "sound"),
    Row("sound-mute", "Sound", "Mute the sound", "sound_mute", (), has_sound, lambda d: has_sound(d) and d.scene.sound.muted),
    Row("sound-here", "Sound", "Sound begins here", "sound_here", (), has_sound),
    Row("sound-numbers", "Sound", "Start and volume of the sound…", "sound_numbers", (), has_sound),
    Row("scrub-sound", "Sound", "Hear the sound while scrubbing", "toggle", (), always, lambda d: d.scrub_sound, "scrub_sound"),
    Row("sound-remove", "Sound", "Remove the sound", "sound_remove", (), has_sound),
    Row("key", "Keys", "Key selected lanes", "key", ("K",), has_chosen),
    Row("key-mix", "Keys", "Key whole mix", "key_mix", ("Shift+K",), has_targets),
    Row("auto-key", "Keys", "Auto-key", "toggle", ("Alt+K",), always, lambda d: d.auto_key, "auto_key"),
    Row("hold-guard", "Keys", "Hold guard", "toggle", (), always, lambda d: d.hold_guard, "hold_guard"),
    Row("hold", "Keys", "Hold until the next key", "interpolate", (), has_keys, argument="hold"),
    Row("linear", "Keys", "Linear to the next key", "interpolate", (), has_keys, argument="linear"),
    Row("smooth", "Keys", "Smooth to the next key", "interpolate", (), has_keys, argument="smooth"),
    Row("ease", "Keys", "Ease to the next key…", "ease", (), has_keys),
    Row("tangent-auto", "Keys", "Automatic tangents", "tangent", (), has_keys, argument="auto"),
    Row("tangent-flat", "Keys", "Flatten tangents", "tangent", (), has_keys, argument="flat"),
    Row("straighten", "Keys", "Straighten tangents", "straighten", (), has_keys),
    Row("tangent-broken", "Keys", "Break tangents", "tangent", (), has_keys, argument="broken"),
    Row("tangent-joined", "Keys", "Join tangents", "tangent", (), has_keys, argument="joined"),
    Row("beyond", "Keys", "Before and after the keys…", "beyond", (), has_lane),
    Row("key-numbers", "Keys", "Frame and value…", "key_numbers", (), has_keys),
    Row("nudge-back", "Keys", "Nudge keys back", "nudge", ("Alt+Left",), has_keys, argument=-1.0),
    Row("nudge-on", "Keys", "Nudge keys on", "nudge", ("Alt+Right",), has_keys, argument=1.0),
    Row("nudge-up", "Keys", "Nudge values up", "nudge_value", ("Alt+Up",), has_keys, argument=0.01),
    Row("nudge-down", "Keys", "Nudge values down", "nudge_value", ("Alt+Down",), has_keys, argument=-0.01),
    Row("copy-keys", "Keys", "Copy keys", "copy_keys", ("Ctrl+C",), has_keys),
    Row("paste-keys", "Keys", "Paste keys at the playhead", "paste_keys", ("Ctrl+V",), lambda d: has_object(d) and bool(d.copied)),
    Row("paste-mirrored", "Keys", "Paste keys onto the other side", "paste_mirrored", (), lambda d: has_object(d) and bool(d.copied)),
    Row("retime", "Timing", "Retime", "retime", (), has_lanes, lambda d: d.band is not None),
    Row("shift-after", "Timing", "Shift everything after the playhead…", "shift_after", (), has_lanes),
    Row("reverse", "Timing", "Reverse", "reverse", (), has_lanes),
    Row("mirror-values", "Timing", "Mirror in value…", "mirror_values", (), has_lanes),
    Row("scale-values", "Timing", "Scale values…", "scale_values", (), has_lanes),
    Row("stagger", "Timing", "Stagger lanes…", "stagger", (), has_lanes),
    Row("snap-keys", "Timing", "Snap to whole frames", "snap", (), has_lanes),
    Row("bake-keys", "Timing", "Bake to keys…", "bake", (), has_lanes),
    Row("reduce-keys", "Timing", "Reduce keys…", "reduce", (), has_lanes),
    Row("clean-keys", "Timing", "Clean away keys that change nothing", "clean_keys", (), has_lanes),
    Row("hold-until", "Timing", "Hold until here", "hold_until", (), has_lane),
    Row("key-neutral", "Timing", "Key the neutral mix", "key_neutral", (), has_targets),
    Row("close-loop", "Timing", "Close the loop", "close_loop", (), has_lanes),
    *(
        Row(f"lanes-{which}", "Lanes", text, "show_lanes", (), always, lambda d, w=which: d.lanes_shown == w, which)
        for which, text in (
            ("all", "All lanes"), ("keyed", "Keyed lanes only"), ("selected", "Selected lanes only"),
            ("weight", "Weights only"), ("object", "The object's own only"), ("camera", "The camera's only"),
        )
    ),
    Row("together", "Lanes", "Together in one plot", "together", ("L",), has_lanes, lambda d: d.together),
    Row("shared-scale", "Lanes", "One value scale for all", "toggle", (), always, lambda d: d.shared_scale, "shared_scale"),
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
    "mask-from-pick", "group", "keep-mix", "tool-pick", "tool-grab", "tool-exact", "exact-sphere", "smaller", "mirror", "extrude",
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
            action.triggered.connect(self._runner(commands, row))
            self.by_id[row.id] = action
            window.addAction(action)
        self.set_keys(own_keys)
        doc.changed.connect(self.refresh)
        self.refresh()

    @staticmethod
    def _runner(commands: Sequence[object], row: Row) -> Callable[[], None]:
        (method,) = (getattr(part, row.run) for part in commands if hasattr(part, row.run))
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
