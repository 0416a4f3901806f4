"""Every action is a row here: id, menu, text, keys, what it runs and when it can. Menus, the find field, the shortcut window
and the table in docs/shortcuts.md are made from these rows; a shortcut is made nowhere else."""

from __future__ import annotations

from msgspec.structs import replace

from fictilis.app.commands.cue_rows import CUE_ROWS
from fictilis.app.commands.needs import (
    acts,
    always,
    has_camera,
    has_changes,
    has_chosen,
    has_chosen_parts,
    has_done,
    has_export,
    has_mixes,
    has_object,
    has_order,
    has_redo,
    has_relay,
    has_rig,
    has_target,
    has_targets,
    has_undo,
    has_views,
    is_line,
    is_shaping,
    is_shaping_stage,
    is_shaping_target,
    path_of,
    shaping_pick,
    target_is,
)  # fmt: skip
from fictilis.app.commands.row import Row, operated
from fictilis.app.commands.time_rows import TIME_ROWS
from fictilis.app.view.tools import TOOLS
from fictilis.core.ground.errors import there
from fictilis.core.scene.deformers import DEFORMERS
from fictilis.core.shaping.exact import EXACT_CHANGES
from fictilis.demo import SAMPLES
from fictilis.pictures.orders import KINDS


def _switch(name: str, menu: str, operation: str, part: str) -> Row:
    """Something that comes after an object's mix, on or off."""
    is_on = acts(part)
    return operated(name, menu, operation, (), is_on, lambda d: {"off": not is_on(d)})


def _deforms(kind: str) -> tuple[Row, ...]:
    menu = "Object/Bend, twist, taper"
    return (
        operated(kind, menu, f"deform-{kind}"),
        _switch(f"rest-{kind}", menu, f"deform-rest-{kind}", kind),
        operated(f"no-{kind}", menu, f"deform-no-{kind}"),
    )


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
    Row("prove", "File", "Check exports by reading them again", "toggle", (), always, lambda d: d.prove_exports,
        lambda s: replace(s, prove_exports=not s.prove_exports)),
    *(
        Row(kind.key, "File/Movies and pictures", f"{kind.name}…", "pictures", keys, has_object, argument=kind.key)
        for kind, keys in zip(KINDS.values(), (("Ctrl+Shift+M",), (), ("Ctrl+Alt+P",), ()), strict=True)
    ),
    Row("make-again", "File/Movies and pictures", "Last movie again", "make_again", ("Ctrl+Alt+M",), has_order),
    Row("making", "File/Movies and pictures", "Movies being made", "show_making"),
    Row("page", "File", "Page for the browser…", "export", (), has_object, argument=".html"),
    Row("weights-in", "File", "Weights from a table…", "weights_in", (), has_targets),
    Row("lanes-in", "File", "Lanes from a file…", "lanes_in", (), has_object),
    Row("weights-out", "File", "Weights to a table…", "export", (), has_targets, argument=".csv"),
    Row("points-out", "File", "Point cache (NumPy)…", "export", (), has_object, argument=".npz"),
    Row("lanes-out", "File", "Lanes with their curves…", "export", (), has_object, argument=".json"),
    *(
        Row(f"demo-{name}", "File", f"Open the {found.title}", "open_demo", argument=name) for name, found in SAMPLES.items()
    ),
    Row("quit", "File", "Quit", "quit", ("Ctrl+Q",)),
    Row("undo", "Edit", "Undo", "undo", ("Ctrl+Z",), has_undo),
    Row("redo", "Edit", "Redo", "redo", ("Ctrl+Shift+Z",), has_redo),
    Row("find", "Edit", "Find…", "find", ("Ctrl+F",)),
    Row("delete", "Edit", "Delete", "delete", ("Del",), has_chosen_parts),
    Row("checks", "Edit", "Checks…", "checks", (), has_object),
    Row("pick-points", "Pick", "Points", "pick_kind", (), is_shaping, lambda d: d.tools.kind == "points", "points"),
    Row("pick-edges", "Pick", "Edges", "pick_kind", (), is_shaping, lambda d: d.tools.kind == "edges", "edges"),
    Row("pick-faces", "Pick", "Faces", "pick_kind", (), is_shaping, lambda d: d.tools.kind == "faces", "faces"),
    Row("pick-all", "Pick", "Pick all", "pick_all", ("Ctrl+A",), is_shaping),
    Row("pick-none", "Pick", "Deselect", "pick_none", ("Ctrl+Shift+A",), is_shaping),
    Row("pick-inverse", "Pick", "Invert", "pick_inverse", (), is_shaping),
    Row("pick-grow", "Pick", "Grow", "pick_grow", ("Ctrl+.",), shaping_pick),
    Row("pick-shrink", "Pick", "Shrink", "pick_shrink", ("Ctrl+,",), shaping_pick),
    *(
        Row(f"beside-{name}", "Pick/Neighbour", f"To the {name}" if way[0] else name.capitalize(), "walk_pick",
            (f"Ctrl+Alt+{key}",), is_shaping, argument=way)
        for name, key, way in (
            ("left", "Left", (-1.0, 0.0)), ("right", "Right", (1.0, 0.0)), ("above", "Up", (0.0, -1.0)),
            ("below", "Down", (0.0, 1.0)),
        )
    ),
    Row("pick-connected", "Pick", "All connected", "pick_connected", (), shaping_pick),
    Row("pick-loop", "Pick", "Edge loop", "pick_along", (), shaping_pick, argument="loop"),
    Row("pick-ring", "Pick", "Edge ring", "pick_along", (), shaping_pick, argument="ring"),
    Row("pick-moved", "Pick", "Points that this target moves", "pick_moved", (), is_shaping_target),
    Row("pick-left", "Pick", "Left half", "pick_side", (), is_shaping, argument="left"),
    Row("pick-right", "Pick", "Right half", "pick_side", (), is_shaping, argument="right"),
    Row("pick-mirrored", "Pick", "Mirror the pick", "pick_mirrored", (), shaping_pick),
    operated("keep-pick", "Pick", "object-keep-pick"),
    operated("rename-pick", "Pick", "object-rename-pick"),
    operated("drop-pick", "Pick", "object-drop-pick"),
    Row("new-target", "Target", "New target", "new_target", ("Ctrl+T",), has_object),
    Row("new-from-seen", "Target", "New target from what is seen", "new_from_seen", ("Ctrl+Shift+T",), has_object),
    Row("add-targets", "Target", "Add targets from files…", "add_targets", (), has_object),
    Row("corrective", "Target", "Corrective for this mix", "corrective", ("Ctrl+Shift+I",), has_targets),
    Row("in-between", "Target", "In-between at this weight", "in_between", ("Ctrl+I",), has_target),
    Row("remove-in-between", "Target", "Remove the in-between being shaped", "remove_shaped_stage", (),
        is_shaping_stage),
    Row("rename", "Target", "Rename", "rename", ("F2",), has_target),
    operated("rename-several", "Target", "target-rename-several"),
    operated("sort-targets", "Target", "object-sort-targets"),
    Row("targets-table", "Target", "Table of targets…", "targets_table", (), has_targets),
    Row("names-in", "Target", "New targets from copied names", "new_from_names", (), has_object),
    operated("remove-target", "Target", "target-remove"),
    Row("zero-weights", "Target/Values", "All weights to zero", "zero_weights", (), has_targets),
    *(
        Row(name, "Target/Values", text, "raise_values", (key,), has_chosen, argument=part)
        for name, text, key, part in (
            ("raise", "Raise what is selected", "PgUp", 0.05), ("lower", "Lower what is selected", "PgDown", -0.05),
            ("raise-finely", "Raise it finely", "Shift+PgUp", 0.01), ("lower-finely", "Lower it finely", "Shift+PgDown", -0.01),
        )
    ),
    *(
        operated(name, "Target", f"target-{verb}", (), target_is(flag), lambda d, f=flag: {"off": target_is(f)(d)})
        for name, verb, flag in (("mute", "mute", "muted"), ("solo", "solo", "solo"), ("lock-target", "lock", "locked"))
    ),
    operated("target-note", "Target", "target-note"),
    operated("duplicate", "Target", "target-duplicate", ("Ctrl+D",)),
    operated("mirror-new", "Target/Sides", "target-mirror"),
    operated("swap-sides", "Target/Sides", "target-swap"),
    operated("split", "Target/Sides", "target-split"),
    operated("join", "Target/Sides", "target-join"),
    operated("scale-deltas", "Target/Whole shape", "target-scale"),
    operated("clean", "Target/Whole shape", "target-clean"),
    operated("combine", "Target/Whole shape", "target-add"),
    operated("copy-onto", "Target/Whole shape", "target-copy"),
    operated("apply-to-base", "Target/Whole shape", "target-to-base"),
    operated("keep-region", "Target/Whole shape", "target-keep-region"),
    operated("rebuild", "Target/Whole shape", "target-rebuild"),
    operated("transfer", "Target/Whole shape", "mesh-transfer"),
    operated("mask-from-pick", "Target/Mask", "target-mask-pick"),
    operated("bake-mask", "Target/Mask", "target-bake-mask"),
    operated("clear-mask", "Target/Mask", "target-clear-mask"),
    operated("sweep", "Target/Sweep", "target-sweep"),
    operated("sweep-after", "Target/Sweep", "target-sweep-after"),
    operated("no-sweep", "Target/Sweep", "target-no-sweep"),
    operated("driver", "Target/Driven by others", "target-driver"),
    operated("no-driver", "Target/Driven by others", "target-no-driver"),
    operated("drivers-together", "Target/Driven by others", "target-together"),
    operated("follow", "Target/Driven by others", "target-follow"),
    operated("plain-target", "Target/Driven by others", "target-plain"),
    operated("relay", "Target/Relay", "relay-new"),
    Row("relay-files", "Target/Relay", "New relay from numbered files or arrays…", "relay_files", (), has_object),
    operated("pose-seen", "Target/Relay", "relay-seen", ("Ctrl+P",)),
    operated("pose-before", "Target/Relay", "relay-before", ("Ctrl+Shift+P",)),
    operated("pose-between", "Target/Relay", "relay-between"),
    Row("shape-pose", "Target/Relay", "Shape the pose here", "shape_pose", (), has_relay),
    operated("own-shape", "Target/Relay", "relay-own"),
    operated("put-shape", "Target/Relay", "relay-put"),
    operated("spread", "Target/Relay", "relay-spread"),
    *(
        operated(f"on-{word}", "Target/Relay", "relay-on", (), None, lambda _d, n=number: {"frames": float(n)},
                 f"Poses on {word}")
        for number, word in enumerate(("ones", "twos", "threes"), 1)
    ),
    *(
        operated(f"relay-{path}", "Target/Relay", "relay-path", (), lambda d, p=path: path_of(d) == p,
            lambda _d, p=path: {"path": p}, text)
        for path, text in (("straight", "Straight from pose to pose"), ("through", "Through the row in one curve"))
    ),
    operated("relay-layers", "Target/Relay", "relay-layers"),
    operated("link-names", "Target/Linked", "target-link-names"),
    operated("link", "Target/Linked", "target-link"),
    operated("unlink", "Target/Linked", "target-unlink"),
    operated("group", "Target/Groups and mixes", "target-group", ("Ctrl+G",)),
    operated("ungroup", "Target/Groups and mixes", "target-ungroup"),
    operated("keep-mix", "Target/Groups and mixes", "object-keep-mix"),
    operated("rename-mix", "Target/Groups and mixes", "object-rename-mix"),
    operated("drop-mix", "Target/Groups and mixes", "object-drop-mix"),
    Row("blend-mixes", "Target/Groups and mixes", "Blend two kept mixes…", "blend_mixes", (),
        has_mixes),
    Row("target-colour", "Target", "Colour…", "colour", (), has_target),
    Row("shape", "Shape", "Shape the selected target", "shape", ("Return", "Enter"), has_object),
    Row("done", "Shape", "Done", "done", ("Esc",), has_done),
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
        operated(f"line-{verb}", "Object/Line", f"line-{verb}")
        for verb in ("match", "shift", "stack", "curve", "width", "rebuild", "insert", "split", "join", "close", "open",
                     "reverse", "first", "tube", "tube-curve", "no-tube", "tube-mesh", "fill", "from-edges")
    ),
    *(
        operated(f"repeat-{verb}", "Object/Repeat", f"repeat-{verb}")
        for verb in ("grid", "ring", "line", "on", "later", "differ", "objects", "points", "none")
    ),
    _switch("rest-copies", "Object/Repeat", "repeat-rest", "repeat"),
    *(operated(f"point-spring-{verb}", "Object/Point spring", f"spring-{verb}") for verb in ("points", "bake", "none")),
    _switch("rest-point-spring", "Object/Point spring", "spring-rest", "spring"),
    *(row for kind in DEFORMERS for row in _deforms(kind)),
    operated("deform-fit", "Object/Bend, twist, taper", "deform-fit"),
    operated("deform-bake", "Object/Bend, twist, taper", "deform-bake"),
    operated("smooth-surface", "Object/Mesh", "object-smooth"),
    _switch("hide-surface", "Object/Mesh", "object-hide-surface", "surface"),
    *(operated(f"rig-{verb}", "Object/Rig", f"rig-{verb}") for verb in ("play", "turn", "straight", "way", "corrective")),
    _switch("rest-rig", "Object/Rig", "rig-rest", "skin"),
    operated("rig-none", "Object/Rig", "rig-none"),
    operated("subdivide", "Object/Mesh", "mesh-subdivide"),
    operated("subdivide-smooth", "Object/Mesh", "mesh-subdivide", (), None, lambda _d: {"smooth": True}, "Subdivide smoothly"),
    operated("extrude", "Object/Mesh", "mesh-extrude"),
    operated("inset", "Object/Mesh", "mesh-inset"),
    operated("loop-cut", "Object/Mesh", "mesh-loop-cut"),
    operated("triangulate", "Object/Mesh", "mesh-triangulate"),
    operated("delete-points", "Object/Mesh", "mesh-delete-points"),
    operated("delete-faces", "Object/Mesh", "mesh-delete-faces"),
    operated("weld-middle", "Object/Mesh", "mesh-weld-middle"),
    operated("weld-near", "Object/Mesh", "mesh-weld"),
    operated("mirror-weld", "Object/Mesh", "mesh-mirror"),
    operated("freeze", "Object/Mesh", "mesh-freeze"),
    operated("origin", "Object/Mesh", "mesh-origin"),
    operated("size", "Object", "mesh-size"),
    operated("pivot", "Object", "object-pivot"),
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
    Row("compass", "See", "Compass of axes", "see", (), always, lambda d: d.seeing.compass, "compass"),
    Row("ground", "See", "Ground", "see", (), always, lambda d: d.seeing.ground, "ground"),
    Row("ground-at-zero", "See", "Ground at height 0", "see", (), always, lambda d: d.seeing.ground_at_zero, "ground_at_zero"),
    Row("measure", "See/Measures", "Measure between two points", "measure", ("D",), has_object),
    Row("measures", "See/Measures", "Show measures", "see", (), always, lambda d: d.seeing.measures, "measures"),
    operated("rename-measure", "See/Measures", "measure-rename"),
    operated("remove-measure", "See/Measures", "measure-remove"),
    Row("second", "See/Beside", "Two views beside each other", "beside", ("B",), has_object, lambda d: bool(d.seeing.beside)),
    *(
        Row(f"second-{what}", "See/Beside", f"Beside: {text}", "beside", (), need, lambda d, w=what: d.seeing.beside == w, what)
        for what, text, need in (
            ("camera", "through the camera", has_camera), ("before", "before, or the base", has_object),
            ("mix", "the mix", has_object), ("target", "the target alone", has_target), ("frame", "another frame", has_object),
        )
    ),
    Row("way", "See", "Next way to see", "next_way", ("V",), has_object),
    Row("front", "See/From where", "Front", "look", ("Ctrl+1",), argument="front"),
    Row("side", "See/From where", "Side", "look", ("Ctrl+2",), argument="side"),
    Row("top", "See/From where", "Top", "look", ("Ctrl+3",), argument="top"),
    *(
        Row(f"look-{way}", "See/From where", way.replace("-", " ").capitalize(), "look", argument=way)
        for way in ("back", "other-side", "bottom")
    ),
    *(
        Row(f"turn-{way}", "See/From where", f"Turn {way}", "turn", (f"Alt+Shift+{way.capitalize()}",), argument=turn)
        for way, turn in (("left", (-15.0, 0.0)), ("right", (15.0, 0.0)), ("up", (0.0, 15.0)), ("down", (0.0, -15.0)))
    ),
    Row("nearer", "See/From where", "Nearer", "nearer", ("Ctrl++", "Ctrl+="), argument=0.8),
    Row("farther", "See/From where", "Farther", "nearer", ("Ctrl+-",), argument=1.25),
    Row("parallel", "See/From where", "Perspective or parallel", "look", ("Ctrl+4",), argument="parallel"),
    Row("fit", "See/From where", "Fit", "look", ("Ctrl+0",), argument="fit"),
    Row("about-pick", "See/From where", "Turn about the pick", "see", (), always, lambda d: d.seeing.about_pick, "about_pick"),
    Row("keep-view", "See/From where", "Keep this view…", "keep_view"),
    Row("rename-view", "See/From where", "Rename a kept view…", "rename_view", (), has_views),
    Row("drop-view", "See/From where", "Delete a kept view…", "drop_view", (), has_views),
    Row("new-camera", "See/Camera", "New camera from this view", "new_camera"),
    Row("through-camera", "See/Camera", "Look through the camera", "through_camera", ("Ctrl+5",), has_camera,
        lambda d: d.through_camera),
    operated("camera-along", "See/Camera", "camera-along"),
    operated("camera-no-along", "See/Camera", "camera-no-along"),
    operated("remove-camera", "See/Camera", "camera-remove"),
    Row("light", "See", "Light and colours…", "light"),
    operated("lock", "Object", "object-lock", (), lambda d: has_object(d) and there(d.object).locked,
             lambda d: {"off": there(d.object).locked}),
    Row("previous-object", "Object", "Previous object", "next_object", ("Alt+PgUp",), has_object, argument=-1),
    Row("next-object", "Object", "Next object", "next_object", ("Alt+PgDown",), has_object, argument=1),
    Row("hide", "Object", "Hide object", "hide", ("H",), has_object),
    operated("follow-line", "Object", "object-along"),
    operated("leave-line", "Object", "object-no-along"),
    operated("duplicate-object", "Object", "object-duplicate"),
    operated("remove-object", "Object", "object-remove"),
    Row("show-all", "Object", "Show all objects", "show_all", ("Shift+H",)),
    Row("sharp", "See", "Sharp while it moves", "see", (), always, lambda d: d.seeing.sharp, "sharp"),
    Row("large-view", "See", "Large view", "large_view", ("Shift+V",), always, lambda d: d.large),
    Row("tool-names", "See", "Names in the tool strip", "toggle", (), always, lambda d: d.tool_names,
        lambda s: replace(s, tool_names=not s.tool_names)),
    Row("theme", "See", "Dark theme", "theme", (), always, lambda d: d.dark),
    *TIME_ROWS,
    *CUE_ROWS,
    Row("reference", "See/Reference picture", "Reference picture or movie…", "reference"),
    operated("reference-numbers", "See/Reference picture", "time-reference-numbers"),
    operated("reference-hide", "See/Reference picture", "time-hide-reference", (),
        lambda d: d.scene.reference is not None and not d.scene.reference.shown,
        lambda d: {"off": d.scene.reference is not None and not d.scene.reference.shown}),
    operated("reference-remove", "See/Reference picture", "time-drop-reference"),
    Row("shortcuts", "Help", "All shortcuts", "shortcuts", ("F1",)),
    Row("first-steps", "Help", "First steps", "toggle", (), always, lambda d: d.guided,
        lambda s: replace(s, guided=not s.guided)),
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
