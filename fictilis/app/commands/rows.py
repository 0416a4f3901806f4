"""Every action is a row here: id, menu, text, keys, what it runs and when it can. Menus, the find field, the shortcut window
and the table in docs/shortcuts.md are made from these rows; a shortcut is made nowhere else."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct
from msgspec.structs import replace

from fictilis.app.commands.needs import (
    Check,
    Need,
    always,
    has_camera,
    has_changes,
    has_chosen,
    has_chosen_parts,
    has_clips,
    has_copied,
    has_export,
    has_keys,
    has_lanes,
    has_markers,
    has_mixes,
    has_object,
    has_order,
    has_redo,
    has_relay,
    has_rig,
    has_sound,
    has_target,
    has_targets,
    has_undo,
    has_views,
    is_line,
    is_muted,
    is_shaping,
    is_shaping_stage,
    is_shaping_target,
    off,
    path_of,
    shaping_pick,
)  # fmt: skip
from fictilis.app.lanes.places import LANE, TALL, THIN
from fictilis.app.model.document import Document
from fictilis.app.view.tools import TOOLS
from fictilis.core.deformers import DEFORMERS
from fictilis.core.edits.clips import clip
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Operation
from fictilis.core.shaping.exact import EXACT_CHANGES
from fictilis.demo import SAMPLES
from fictilis.pictures.orders import KINDS


class Row(Struct, frozen=True):
    """``menu`` is a door, or a door and a part of it: ``Time/Keys``; ``run`` is a method of Commands; ``checked`` makes it a
    switch and says whether it is on; ``meanwhile``: it goes together with a gesture that goes on, and with what is typed."""

    id: str
    menu: str
    text: str
    run: str
    keys: tuple[str, ...] = ()
    enabled: Need = always
    checked: Check | None = None
    argument: object = None
    operation: Operation | None = None
    given: Callable[[Document], dict] | None = None

    @property
    def door(self) -> str:
        """The menu at the top."""
        return self.menu.split("/")[0]

    @property
    def place(self) -> str:
        """Where it is found, in words."""
        return self.menu.replace("/", " · ")

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
    enabled: Need = always,
) -> Row:
    """A row that makes an operation of the core; ``given`` are numbers that need no form."""
    operation = OPERATIONS[operation_id]
    dots = "…" if operation.asked and given is None else ""
    return Row(row_id, menu, text or operation.label + dots, "operate", keys, enabled, checked, operation_id, operation, given)


def _deforms(kind: str) -> tuple[Row, ...]:
    menu, rests = "Object/Bend, twist, taper", off(kind)
    return (
        _op(kind, menu, f"deform-{kind}"),
        _op(f"rest-{kind}", menu, f"deform-rest-{kind}", (), rests, lambda d: {"off": rests(d)}),
        _op(f"no-{kind}", menu, f"deform-no-{kind}"),
    )


MEANWHILE = frozenset({"resize", "strengthen", "mirror"})

ROWS = (
    Row("new", "File", "New scene…", "new_scene", ("Ctrl+N",)),
    Row("open", "File", "Open…", "open_file", ("Ctrl+O",)),
    Row("import", "File", "Import…", "import_files", ("Ctrl+Shift+O",)),
    Row("save", "File", "Save", "save", ("Ctrl+S",)),
    Row("changed", "File", "What changed since saving", "changed", (), has_changes),
    Row("save-as", "File", "Save as…", "save_as", ("Ctrl+Shift+S",)),
    Row("export", "File", "Export…", "export", ("Ctrl+E",), has_object),
    Row("export-again", "File", "Export again", "export_again", ("Ctrl+Shift+E",), has_export),
    Row("export-shapes", "File", "Export base and targets as OBJ files…", "export_shapes", (), has_object),
    Row("prove", "File", "Read exports again as a proof", "toggle", (), always, lambda d: d.prove_exports,
        lambda s: replace(s, prove_exports=not s.prove_exports)),
    *(
        Row(kind.key, "File/Movies and pictures", f"{kind.name}…", "pictures", keys, has_object, argument=kind.key)
        for kind, keys in zip(KINDS.values(), (("Ctrl+Shift+M",), (), ("Ctrl+Alt+P",), ()), strict=True)
    ),
    Row("make-again", "File/Movies and pictures", "Make again", "make_again", ("Ctrl+Alt+M",), has_order),
    Row("making", "File/Movies and pictures", "What is being made", "show_making"),
    Row("weights-in", "File", "Weights from a table…", "weights_in", (), has_targets),
    Row("lanes-in", "File", "Lanes from a file…", "lanes_in", (), has_object),
    Row("weights-out", "File", "Weights to a table…", "export", (), has_targets, argument=".csv"),
    Row("points-out", "File", "Points of a range as arrays…", "export", (), has_object, argument=".npz"),
    Row("lanes-out", "File", "Lanes with their curves…", "export", (), has_object, argument=".json"),
    *(
        Row(f"demo-{name}", "File", f"Open the {found.title}", "open_demo", argument=name) for name, found in SAMPLES.items()
    ),
    Row("quit", "File", "Quit", "quit", ("Ctrl+Q",)),
    Row("undo", "Edit", "Undo", "undo", ("Ctrl+Z",), has_undo),
    Row("redo", "Edit", "Redo", "redo", ("Ctrl+Shift+Z",), has_redo),
    Row("find", "Edit", "Find…", "find", ("Ctrl+F",)),
    Row("delete", "Edit", "Delete keys, else remove targets", "delete", ("Del",), has_chosen_parts),
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
    Row("pick-moved", "Pick", "Points that this target moves", "pick_moved", (), is_shaping_target),
    Row("pick-left", "Pick", "Left half", "pick_side", (), is_shaping, argument="left"),
    Row("pick-right", "Pick", "Right half", "pick_side", (), is_shaping, argument="right"),
    Row("pick-mirrored", "Pick", "Mirror the pick", "pick_mirrored", (), shaping_pick),
    _op("keep-pick", "Pick", "object-keep-pick"),
    _op("drop-pick", "Pick", "object-drop-pick"),
    Row("new-target", "Target", "New target", "new_target", ("Ctrl+T",), has_object),
    Row("new-from-seen", "Target", "New target from what is seen", "new_from_seen", ("Ctrl+Shift+T",), has_object),
    Row("add-targets", "Target", "Add targets from files…", "add_targets", (), has_object),
    Row("corrective", "Target", "Corrective for this mix", "corrective", ("Ctrl+Shift+I",), has_targets),
    Row("in-between", "Target", "In-between at this weight", "in_between", ("Ctrl+I",), has_target),
    Row("remove-in-between", "Target", "Remove the in-between being shaped", "remove_shaped_stage", (),
        is_shaping_stage),
    Row("rename", "Target", "Rename", "rename", ("F2",), has_target),
    _op("remove-target", "Target", "target-remove"),
    _op("mute", "Target", "target-mute", (), is_muted, lambda d: {"off": is_muted(d)}),
    _op("duplicate", "Target", "target-duplicate", ("Ctrl+D",)),
    _op("mirror-new", "Target/Sides", "target-mirror"),
    _op("swap-sides", "Target/Sides", "target-swap"),
    _op("split", "Target/Sides", "target-split"),
    _op("join", "Target/Sides", "target-join"),
    _op("scale-deltas", "Target/Whole shape", "target-scale"),
    _op("clean", "Target/Whole shape", "target-clean"),
    _op("combine", "Target/Whole shape", "target-add"),
    _op("copy-onto", "Target/Whole shape", "target-copy"),
    _op("apply-to-base", "Target/Whole shape", "target-to-base"),
    _op("keep-region", "Target/Whole shape", "target-keep-region"),
    _op("rebuild", "Target/Whole shape", "target-rebuild"),
    _op("transfer", "Target/Whole shape", "mesh-transfer"),
    _op("mask-from-pick", "Target/Mask", "target-mask-pick"),
    _op("bake-mask", "Target/Mask", "target-bake-mask"),
    _op("clear-mask", "Target/Mask", "target-clear-mask"),
    _op("sweep", "Target/Sweep", "target-sweep"),
    _op("sweep-after", "Target/Sweep", "target-sweep-after"),
    _op("no-sweep", "Target/Sweep", "target-no-sweep"),
    _op("driver", "Target/Driven by others", "target-driver"),
    _op("no-driver", "Target/Driven by others", "target-no-driver"),
    _op("drivers-together", "Target/Driven by others", "target-together"),
    _op("follow", "Target/Driven by others", "target-follow"),
    _op("plain-target", "Target/Driven by others", "target-plain"),
    _op("relay", "Target/Relay", "relay-new"),
    Row("relay-files", "Target/Relay", "New relay from numbered files or arrays…", "relay_files", (), has_object),
    _op("pose-seen", "Target/Relay", "relay-seen", ("Ctrl+P",)),
    _op("pose-before", "Target/Relay", "relay-before", ("Ctrl+Shift+P",)),
    _op("pose-between", "Target/Relay", "relay-between"),
    Row("shape-pose", "Target/Relay", "Shape the pose here", "shape_pose", (), has_relay),
    _op("own-shape", "Target/Relay", "relay-own"),
    _op("put-shape", "Target/Relay", "relay-put"),
    _op("spread", "Target/Relay", "relay-spread"),
    *(
        _op(f"on-{word}", "Target/Relay", "relay-on", (), None, lambda _d, n=number: {"frames": float(n)}, f"Poses on {word}")
        for number, word in enumerate(("ones", "twos", "threes"), 1)
    ),
    *(
        _op(f"relay-{path}", "Target/Relay", "relay-path", (), lambda d, p=path: path_of(d) == p,
            lambda _d, p=path: {"path": p}, text)
        for path, text in (("straight", "Straight from pose to pose"), ("through", "Through the row in one curve"))
    ),
    _op("relay-layers", "Target/Relay", "relay-layers"),
    _op("link-names", "Target/Linked", "target-link-names"),
    _op("link", "Target/Linked", "target-link"),
    _op("unlink", "Target/Linked", "target-unlink"),
    _op("group", "Target/Groups and mixes", "target-group", ("Ctrl+G",)),
    _op("ungroup", "Target/Groups and mixes", "target-ungroup"),
    _op("keep-mix", "Target/Groups and mixes", "object-keep-mix"),
    _op("drop-mix", "Target/Groups and mixes", "object-drop-mix"),
    Row("blend-mixes", "Target/Groups and mixes", "Blend two kept mixes…", "blend_mixes", (),
        has_mixes),
    Row("target-colour", "Target", "Colour…", "colour", (), has_target),
    Row("shape", "Shape", "Shape the selected target", "shape", ("Return", "Enter"), has_object),
    Row("done", "Shape", "Done", "done", ("Esc",), is_shaping),
    *(
        Row(f"tool-{tool.id}", "Shape/Tools", tool.name, "tool", (tool.key,) if tool.key else (), is_shaping,
            lambda d, t=tool.id: d.tools.tool == t, tool.id)
        for tool in TOOLS.values()
    ),
    *(
        Row(f"exact-{c.id}", "Shape/Exact changes", c.label, "exact", (), is_shaping, argument=c.id)
        for c in EXACT_CHANGES.values()
    ),
    Row("smaller", "Shape", "Smaller brush or falloff", "resize", ("[",), is_shaping, argument=1 / 1.15),
    Row("larger", "Shape", "Larger brush or falloff", "resize", ("]",), is_shaping, argument=1.15),
    Row("weaker", "Shape", "Weaker", "strengthen", ("Shift+[", "{", "Shift+{"), is_shaping, argument=-0.1),
    Row("stronger", "Shape", "Stronger", "strengthen", ("Shift+]", "}", "Shift+}"), is_shaping, argument=0.1),
    Row("mirror", "Shape", "Mirror X", "mirror", ("M",), is_shaping, lambda d: "X" in d.tools.mirror.axes, "X"),
    Row("mirror-y", "Shape", "Mirror Y", "mirror", (), is_shaping, lambda d: "Y" in d.tools.mirror.axes, "Y"),
    Row("mirror-z", "Shape", "Mirror Z", "mirror", (), is_shaping, lambda d: "Z" in d.tools.mirror.axes, "Z"),
    Row("place-pivot", "Shape", "Place the pivot", "place_pivot", ("P",), is_shaping),
    Row("draw-line", "Object/Line", "Draw a line", "draw_line", ("Ctrl+L",), argument=False),
    Row("draw-target", "Object/Line", "Draw a target of the line", "draw_line", (), is_line, argument=True),
    Row("text-line", "Object/Line", "Text as a line…", "text_line"),
    *(
        _op(f"line-{verb}", "Object/Line", f"line-{verb}")
        for verb in ("match", "shift", "stack", "curve", "width", "rebuild", "insert", "split", "join", "close", "open",
                     "reverse", "first", "tube", "tube-curve", "no-tube", "tube-mesh", "fill", "from-edges")
    ),
    *(
        _op(f"repeat-{verb}", "Object/Repeat", f"repeat-{verb}")
        for verb in ("grid", "ring", "line", "on", "later", "differ", "objects", "points", "none")
    ),
    _op("rest-copies", "Object/Repeat", "repeat-rest", (), off("repeat"), lambda d: {"off": off("repeat")(d)}),
    *(_op(f"point-spring-{verb}", "Object/Point spring", f"spring-{verb}") for verb in ("points", "bake", "none")),
    _op("rest-point-spring", "Object/Point spring", "spring-rest", (), off("spring"), lambda d: {"off": off("spring")(d)}),
    *(row for kind in DEFORMERS for row in _deforms(kind)),
    _op("deform-bake", "Object/Bend, twist, taper", "deform-bake"),
    _op("smooth-surface", "Object/Mesh", "object-smooth"),
    _op("hide-surface", "Object/Mesh", "object-hide-surface", (), off("surface"), lambda d: {"off": off("surface")(d)}),
    *(_op(f"rig-{verb}", "Object/Rig", f"rig-{verb}") for verb in ("play", "turn", "straight", "way", "corrective")),
    _op("rest-rig", "Object/Rig", "rig-rest", (), off("skin"), lambda d: {"off": off("skin")(d)}),
    _op("rig-none", "Object/Rig", "rig-none"),
    _op("subdivide", "Object/Mesh", "mesh-subdivide"),
    _op("subdivide-smooth", "Object/Mesh", "mesh-subdivide", (), None, lambda _d: {"smooth": True}, "Subdivide smoothly"),
    _op("extrude", "Object/Mesh", "mesh-extrude"),
    _op("inset", "Object/Mesh", "mesh-inset"),
    _op("loop-cut", "Object/Mesh", "mesh-loop-cut"),
    _op("triangulate", "Object/Mesh", "mesh-triangulate"),
    _op("delete-points", "Object/Mesh", "mesh-delete-points"),
    _op("delete-faces", "Object/Mesh", "mesh-delete-faces"),
    _op("weld-middle", "Object/Mesh", "mesh-weld-middle"),
    _op("weld-near", "Object/Mesh", "mesh-weld"),
    _op("mirror-weld", "Object/Mesh", "mesh-mirror"),
    _op("freeze", "Object/Mesh", "mesh-freeze"),
    _op("origin", "Object/Mesh", "mesh-origin"),
    _op("size", "Object", "mesh-size"),
    _op("pivot", "Object", "object-pivot"),
    *(
        Row(name.replace("_", "-"), "See", text, "see", (), always, lambda d, n=name: getattr(d.seeing, n), name)
        for name, text in (
            ("wire", "Wire"), ("points", "Points"), ("ghost", "Ghost of the base"), ("texture", "Texture"),
            ("before", "Before and after"), ("paths", "Paths of points"), ("numbers", "Numbers at the pointer"),
        )
    ),
    Row("displacement", "See/Colours", "Displacement colour", "colour_by", (), always,
        lambda d: d.seeing.colour == "displacement", "displacement"),
    Row("stretch", "See/Colours", "Stretch colour", "colour_by", (), always, lambda d: d.seeing.colour == "stretch", "stretch"),
    Row("cuts", "See/Colours", "Faces that cut through others", "colour_by", (), always,
        lambda d: d.seeing.colour == "cuts", "cuts"),
    Row("colour-scale", "See/Colours", "Scale of the displacement colour…", "colour_scale"),
    Row("ghosts-frames", "See/Ghosts", "Ghosts of frames", "ghosts", (), has_object,
        lambda d: d.seeing.ghosts == "frames", "frames"),
    Row("ghosts-keys", "See/Ghosts", "Ghosts of keys", "ghosts", (), has_object, lambda d: d.seeing.ghosts == "keys", "keys"),
    Row("ghost-numbers", "See/Ghosts", "How many ghosts…", "ghost_numbers"),
    Row("joints", "See", "Joints", "see", (), has_rig, lambda d: d.seeing.joints, "joints"),
    Row("motion", "See", "Motion path", "see", (), has_object, lambda d: d.seeing.motion, "motion"),
    Row("way", "See", "Next way to see", "next_way", ("V",), has_object),
    Row("front", "See/From where", "Front", "look", ("Ctrl+1",), argument="front"),
    Row("side", "See/From where", "Side", "look", ("Ctrl+2",), argument="side"),
    Row("top", "See/From where", "Top", "look", ("Ctrl+3",), argument="top"),
    Row("parallel", "See/From where", "Perspective or parallel", "look", ("Ctrl+4",), argument="parallel"),
    Row("fit", "See/From where", "Fit", "look", ("Ctrl+0",), argument="fit"),
    Row("about-pick", "See/From where", "Turn about the pick", "see", (), always, lambda d: d.seeing.about_pick, "about_pick"),
    Row("keep-view", "See/From where", "Keep this view…", "keep_view"),
    Row("drop-view", "See/From where", "Forget a kept view…", "drop_view", (), has_views),
    Row("new-camera", "See/Camera", "New camera from this view", "new_camera"),
    Row("through-camera", "See/Camera", "Look through the camera", "through_camera", ("Ctrl+5",), has_camera,
        lambda d: d.through_camera),
    _op("camera-along", "See/Camera", "camera-along"),
    _op("camera-no-along", "See/Camera", "camera-no-along"),
    _op("remove-camera", "See/Camera", "camera-remove"),
    Row("light", "See", "Light and colours…", "light"),
    _op("lock", "Object", "object-lock", (), lambda d: has_object(d) and d.object.locked, lambda d: {"off": d.object.locked}),
    Row("hide", "Object", "Hide object", "hide", ("H",), has_object),
    _op("follow-line", "Object", "object-along"),
    _op("leave-line", "Object", "object-no-along"),
    _op("remove-object", "Object", "object-remove"),
    Row("show-all", "Object", "Show all objects", "show_all", ("Shift+H",)),
    Row("sharp", "See", "Sharp while it moves", "see", (), always, lambda d: d.seeing.sharp, "sharp"),
    Row("large-view", "See", "Large view, and back", "large_view", ("Shift+V",), always, lambda d: d.large),
    Row("tool-names", "See", "Names in the tool strip", "toggle", (), always, lambda d: d.tool_names,
        lambda s: replace(s, tool_names=not s.tool_names)),
    Row("theme", "See", "Dark theme", "theme", (), always, lambda d: d.dark),
    Row("play", "Time", "Play or pause", "play", ("Space",)),
    Row("back", "Time", "A frame back", "step", ("Left",), argument=-1),
    Row("on", "Time", "A frame on", "step", ("Right",), argument=1),
    Row("previous-key", "Time", "Previous key", "to_key", ("Shift+Left",), argument=-1),
    Row("next-key", "Time", "Next key", "to_key", ("Shift+Right",), argument=1),
    Row("start", "Time", "Start of range", "to_end", ("Home",), argument=-1),
    Row("end", "Time", "End of range", "to_end", ("End",), argument=1),
    Row("loop", "Time/Playing", "Loop", "toggle", (), always, lambda d: d.loop, lambda s: replace(s, loop=not s.loop)),
    Row("back-and-forth", "Time/Playing", "Back and forth", "toggle", (), always, lambda d: d.back_and_forth,
        lambda s: replace(s, back_and_forth=not s.back_and_forth)),
    Row("exact", "Time/Playing", "Play exactly: make the pictures first", "toggle", (), always, lambda d: d.exact,
        lambda s: replace(s, exact=not s.exact)),
    Row("every-frame", "Time/Playing", "Show every frame", "toggle", (), always, lambda d: d.every_frame,
        lambda s: replace(s, every_frame=not s.every_frame)),
    *(
        Row(f"speed-{percent}", "Time/Playing", f"Play at {percent} %", "speed", (), always,
            lambda d, part=percent / 100: d.speed == part, percent / 100)
        for percent in (25, 50, 100, 200)
    ),
    *(
        Row(f"time-{way}", "Time/Count in", text, "show_time", (), always, lambda d, w=way: d.time_shown == w, way)
        for way, text in (("frames", "Count in frames"), ("seconds", "Count in seconds"), ("timecode", "Count in timecode"))
    ),
    Row("play-from", "Time/Playing", "Play from here", "play_from", ("Ctrl+Home",)),
    Row("play-until", "Time/Playing", "Play until here", "play_until", ("Ctrl+End",)),
    _op("play-all", "Time/Playing", "time-play-all"),
    Row("marker", "Time/Markers", "Marker here…", "marker", ("Ctrl+M",)),
    Row("previous-marker", "Time/Markers", "Previous marker", "to_marker", ("Ctrl+Left",), has_markers, argument=-1),
    Row("next-marker", "Time/Markers", "Next marker", "to_marker", ("Ctrl+Right",), has_markers, argument=1),
    _op("drop-marker", "Time/Markers", "time-drop-marker"),
    Row("reference", "See/Reference picture", "Reference picture or movie…", "reference"),
    _op("reference-numbers", "See/Reference picture", "time-reference-numbers"),
    _op("reference-hide", "See/Reference picture", "time-hide-reference", (),
        lambda d: d.scene.reference is not None and not d.scene.reference.shown,
        lambda d: {"off": d.scene.reference is not None and not d.scene.reference.shown}),
    _op("reference-remove", "See/Reference picture", "time-drop-reference"),
    Row("sound", "Time/Sound", "Sound from a file…", "sound"),
    _op("sound-mute", "Time/Sound", "time-mute", (), lambda d: has_sound(d) and d.scene.sound.muted,
        lambda d: {"off": d.scene.sound.muted}),
    Row("sound-here", "Time/Sound", "Sound begins here", "sound_here", (), has_sound),
    _op("sound-numbers", "Time/Sound", "time-sound-numbers"),
    Row("scrub-sound", "Time/Sound", "Hear the sound while scrubbing", "toggle", (), always, lambda d: d.scrub_sound,
        lambda s: replace(s, scrub_sound=not s.scrub_sound)),
    _op("sound-remove", "Time/Sound", "time-silence"),
    Row("key", "Time/Keys", "Key selected lanes", "key", ("K",), has_chosen),
    Row("key-mix", "Time/Keys", "Key whole mix", "key_mix", ("Shift+K",), has_targets),
    Row("auto-key", "Time/Keys", "Auto-key", "toggle", ("Alt+K",), always, lambda d: d.auto_key,
        lambda s: replace(s, auto_key=not s.auto_key)),
    Row("hold-guard", "Time/Keys", "Hold guard", "toggle", (), always, lambda d: d.hold_guard,
        lambda s: replace(s, hold_guard=not s.hold_guard)),
    _op("hold", "Time/Keys", "keys-hold"),
    _op("linear", "Time/Keys", "keys-linear"),
    _op("smooth", "Time/Keys", "keys-smooth"),
    Row("ease", "Time/Keys", "Ease to the next key…", "ease", (), has_keys),
    _op("tangent-auto", "Time/Tangents", "keys-auto"),
    _op("tangent-flat", "Time/Tangents", "keys-flat"),
    _op("straighten", "Time/Tangents", "keys-straighten"),
    _op("tangent-broken", "Time/Tangents", "keys-broken"),
    _op("tangent-joined", "Time/Tangents", "keys-joined"),
    _op("beyond", "Time/Keys", "lanes-beyond"),
    Row("key-numbers", "Time/Keys", "Frame and value…", "key_numbers", (), has_keys),
    Row("nudge-back", "Time/Keys", "Nudge keys back", "nudge", ("Alt+Left",), has_keys, argument=-1.0),
    Row("nudge-on", "Time/Keys", "Nudge keys on", "nudge", ("Alt+Right",), has_keys, argument=1.0),
    Row("nudge-up", "Time/Keys", "Nudge values up", "nudge_value", ("Alt+Up",), has_keys, argument=0.01),
    Row("nudge-down", "Time/Keys", "Nudge values down", "nudge_value", ("Alt+Down",), has_keys, argument=-0.01),
    Row("copy-keys", "Time/Keys", "Copy keys", "copy_keys", ("Ctrl+C",), has_keys),
    Row("paste-keys", "Time/Keys", "Paste keys at the playhead", "paste_keys", ("Ctrl+V",),
        has_copied),
    Row("paste-mirrored", "Time/Keys", "Paste keys onto the other side", "paste_mirrored", (),
        has_copied),
    Row("retime", "Time/Timing", "Retime", "retime", (), has_lanes, lambda d: d.band is not None),
    _op("shift-after", "Time/Timing", "lanes-shift"),
    _op("reverse", "Time/Timing", "lanes-reverse"),
    _op("mirror-values", "Time/Timing", "lanes-mirror"),
    _op("scale-values", "Time/Timing", "lanes-scale"),
    _op("stagger", "Time/Timing", "lanes-stagger"),
    _op("snap-keys", "Time/Timing", "lanes-snap"),
    _op("bake-keys", "Time/Timing", "lanes-bake"),
    _op("reduce-keys", "Time/Timing", "lanes-reduce"),
    _op("clean-keys", "Time/Timing", "lanes-clean"),
    _op("hold-until", "Time/Timing", "lanes-hold"),
    Row("key-neutral", "Time/Timing", "Key the neutral mix", "key_neutral", (), has_targets),
    _op("close-loop", "Time/Timing", "lanes-close"),
    _op("new-clip", "Time/Clips", "clip-new"),
    _op("duplicate-clip", "Time/Clips", "clip-duplicate"),
    _op("rename-clip", "Time/Clips", "clip-rename"),
    Row("next-clip", "Time/Clips", "Next clip", "next_clip", ("Ctrl+PgDown",), has_clips, argument=1),
    Row("previous-clip", "Time/Clips", "Previous clip", "next_clip", ("Ctrl+PgUp",), has_clips, argument=-1),
    _op("blend-clips", "Time/Clips", "clip-blend"),
    _op("clip-offset", "Time/Clips", "clip-offset"),
    _op("loop-clip", "Time/Clips", "clip-loop", (), lambda d: bool(d.scene.clips) and clip(d.scene).loop,
        lambda d: {"off": bool(d.scene.clips) and clip(d.scene).loop}),
    _op("remove-clip", "Time/Clips", "clip-remove"),
    *(
        Row(f"lanes-{which}", "Time/Lanes", text, "show_lanes", (), always, lambda d, w=which: d.lanes_shown == w, which)
        for which, text in (
            ("all", "All lanes"), ("keyed", "Keyed lanes only"), ("selected", "Selected lanes only"),
            ("weight", "Weights only"), ("object", "The object's own only"), ("camera", "The camera's only"),
        )
    ),
    Row("together", "Time/Lanes", "Together in one plot", "together", ("L",), has_lanes, lambda d: d.together),
    Row("shared-scale", "Time/Lanes", "One value scale for all", "toggle", (), always, lambda d: d.shared_scale,
        lambda s: replace(s, shared_scale=not s.shared_scale)),
    Row("lane-open", "Time/Lanes", "Open to full height", "lane_height", (), always, argument=TALL),
    Row("lane-normal", "Time/Lanes", "Usual height", "lane_height", (), always, argument=LANE),
    Row("lane-thin", "Time/Lanes", "Thin strip", "lane_height", (), always, argument=THIN),
    Row("fit-time", "Time/Lanes", "Show the whole range", "fit_time", (), argument="range"),
    Row("fit-keys", "Time/Lanes", "Show the selected keys", "fit_time", (), has_keys, argument="keys"),
    Row("fit-values", "Time/Lanes", "Value scales as they come", "fit_values"),
    Row("shortcuts", "Help", "All shortcuts", "shortcuts", ("F1",)),
    Row("about", "Help", "About Fictilis", "about"),
)  # fmt: skip
LINES_BEFORE = (
    "save", "export", "weights-in", "weights-out", "demo-jelly", "quit", "pick-all", "pick-grow", "pick-moved", "keep-pick",
    "in-between", "duplicate", "scale-deltas", "transfer", "mask-from-pick", "group", "keep-mix", "pose-seen", "shape-pose",
    "spread", "relay-straight", "relay-layers", "tool-pick", "tool-grab", "tool-exact", "exact-sphere", "smaller", "mirror",
    "line-match", "line-curve", "line-insert", "line-tube", "line-from-edges", "extrude", "delete-points", "mirror-weld",
    "freeze", "wire", "displacement", "front", "keep-view", "light", "lock", "theme", "loop", "time-frames", "play-from",
    "marker", "sound", "ghosts-frames", "new-camera", "hold", "tangent-auto", "key-numbers", "retime", "hold-until",
    "next-clip", "blend-clips", "remove-clip", "together", "lane-open", "fit-time", "checks",
)  # fmt: skip
