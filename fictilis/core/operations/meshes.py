"""Operations on an object's mesh, everything carried through, and on the object itself."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from fictilis.core.edits import forms, topology
from fictilis.core.edits import objects as edits
from fictilis.core.geometry import carry
from fictilis.core.geometry.forms import FORMS, defaults, unit
from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.lines.reshaping import delete_points, insert_points
from fictilis.core.ground.arrays import extent
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Choice, Flag, Number, Text
from fictilis.core.operations.lines import segments
from fictilis.core.operations.table import Kept, Operation, Outcome, Subject, Values, carried
from fictilis.core.scene.appearance import Surface
from fictilis.core.scene.scene import Scene

REGION = (("region", "As a region", True), ("each", "Each on its own", False))
ENDS = (("low", "Low side", 0.0), ("middle", "Middle", 0.5), ("high", "High side", 1.0))
SIZES = ("size-x", "size-y", "size-z")
NEAR = Number("within", "Within", 0.01, True, unit="cm", low=0, high=1e6, decimals=4)


def _subdivide(s: Subject, v: Values) -> Outcome:
    if isinstance(s.obj.geometry, Line):
        return carried(s, insert_points(s.obj.line, segments(s)))
    if len(s.faces) and not v["smooth"]:
        return carried(s, carry.subdivide_faces(s.obj.mesh, s.faces))
    return carried(s, carry.subdivide(s.obj.mesh, v["smooth"]))


def _delete_points(s: Subject, _v: Values) -> Outcome:
    if isinstance(s.obj.geometry, Line):
        return carried(s, delete_points(s.obj.line, s.points))
    return carried(s, carry.delete_points(s.obj.mesh, s.points))


def _loop_cut(s: Subject, v: Values) -> Outcome:
    edges = s.edges
    if not len(edges):
        raise EditRefused("A loop is cut through a picked edge; pick an edge, or the two points at its ends.")
    return carried(s, carry.loop_cut(s.obj.mesh, int(edges[0]), v["at"], v["cuts"]))


def _weld_middle(s: Subject, _v: Values) -> Outcome:
    points = s.points
    if len(points) < 2:
        raise EditRefused("Welding needs at least two picked points; pick them first.")
    labels = np.arange(len(s.obj.base))
    labels[points] = points[0]
    return carried(s, carry.weld(s.obj.mesh, labels))


def _weld_near(s: Subject, v: Values) -> Outcome:
    chosen = s.points if len(s.pick) else np.arange(len(s.obj.base))
    return carried(s, carry.weld(s.obj.mesh, carry.labels_within(s.obj.base, chosen, v["within"])))


def _mirror(s: Subject, v: Values) -> Outcome:
    axis = s.axis if v["axis"] is None else v["axis"]
    return carried(s, carry.mirror_weld(s.obj.mesh, s.obj.base, axis, v["keep"], v["within"]))


def _size(axis: int) -> Callable[[Subject], float]:
    return lambda s: float(extent(s.obj.base)[axis]) if s.found is not None else 0.0


def _origin(s: Subject, _v: Values) -> Scene:
    points = s.points
    if len(points) != 1:
        raise EditRefused(f"Pick the one point that becomes the origin of {s.obj.name}; {len(points)} are picked.")
    return topology.origin_to_point(s.scene, s.obj.id, int(points[0]))


def _numbers_of_forms() -> tuple[Number, ...]:
    """What any form asks for, each once."""
    kinds = {name: type(first) for kind in FORMS for name, first in defaults(kind).items()}
    return tuple(
        Number(name, name.capitalize(), None, asked=False, unit=unit(name, of()), low=0, high=1e6,
               decimals=2 if of is float else 0)
        for name, of in kinds.items()
    )  # fmt: skip


def _given(v: Values) -> dict[str, float]:
    return {name: number for name, number in v.items() if name != "kind" and number is not None}


def _duplicate(s: Subject, _v: Values) -> Outcome:
    scene, made = edits.duplicate_object(s.scene, s.obj.id)
    said = f"{scene.object(made).name} stands where {s.obj.name} does."
    return Outcome(scene, object_id=made, said=said)


def _hide_surface(s: Subject, v: Values) -> Scene:
    held = s.obj.surface or Surface()
    return topology.set_surface(s.scene, s.obj.id, held.levels, bool(v["off"]))


MESHES = (
    Operation("mesh", "subdivide", "Subdivide", _subdivide, (Flag("smooth", "Smoothly", asked=False),), ("object",),
              "Four faces from each quad; only the picked faces where some are picked.", done="Subdivide {object}"),
    Operation("mesh", "extrude", "Extrude faces",
              lambda s, v: carried(s, carry.extrude(s.obj.mesh, s.obj.base, s.faces, v["offset"], v["region"])),
              (Number("offset", "Offset", lambda s: float(f"{s.size / 28:.2g}"), unit="cm", low=-1e6, high=1e6),
               Choice("region", "Faces", True, options=REGION)), ("pick",),
              "Pushes the picked faces out; 0 makes new faces in place.",
              "Extrude", done="Extrude {object}"),
    Operation("mesh", "inset", "Inset faces", lambda s, v: carried(s, carry.inset(s.obj.mesh, s.faces, v["part"], v["region"])),
              (Number("part", "Part of the way", 0.3, low=0, high=0.99), Choice("region", "Faces", False, options=REGION)),
              ("pick",),
              "A rim of new faces inside the picked ones.", "Inset", done="Inset {object}"),
    Operation("mesh", "loop-cut", "Cut a loop", _loop_cut,
              (Number("cuts", "Cuts", 1, low=1, high=100, decimals=0),
               Number("at", "At, for one cut", 0.5, low=0.01, high=0.99)),
              ("pick",), "Across the row of faces through the picked edge.", "Cut", done="Cut a loop in {object}"),
    Operation("mesh", "triangulate", "Triangulate", lambda s,
              _v: carried(s, carry.triangulate(s.obj.mesh, s.obj.base, s.faces)), (),
              ("object",), "Triangles only, of the picked faces or of all.", done="Triangulate {object}"),
    Operation("mesh", "delete-points", "Delete points", _delete_points, (),
              ("pick",), "Deletes the picked points and every face that uses one.", done="Delete points of {object}"),
    Operation("mesh", "delete-faces", "Delete faces", lambda s, _v: carried(s, carry.delete_faces(s.obj.mesh, s.faces)), (),
              ("pick",), "Deletes the picked faces, and points that no face uses then.", done="Delete faces of {object}"),
    Operation("mesh", "weld-middle", "Weld at the middle", _weld_middle, (), ("pick",), "The picked points become one.",
              done="Weld {object}"),
    Operation("mesh", "weld", "Weld points that are near", _weld_near, (NEAR,), ("object",),
              "Welds points nearer than this, of the pick or of the whole object.", "Weld", done="Weld {object}"),
    Operation("mesh", "mirror", "Mirror and weld", _mirror,
              (Choice("axis", "Across", lambda s: s.axis, options=(("x", "X", 0), ("y", "Y", 1), ("z", "Z", 2))),
               Choice("keep", "Keep", 1, options=(("minus", "Minus side", -1), ("plus", "Plus side", 1))),
               Number("within", "Middle within", 0.01, unit="cm", low=0, high=1e6, decimals=4)), ("object",),
              "Keeps one half and welds its mirror image on, in the base and in every target.", "Mirror it",
              done="Mirror {object}"),
    Operation("mesh", "freeze", "Freeze the transform", lambda s, _v: topology.freeze_transform(s.scene, s.obj.id), (),
              ("object",),
              "Puts position, rotation and scale into the points; the object stays where it is seen.",
              done="Freeze the transform of {object}"),
    Operation("mesh", "size", "Exact size",
              lambda s, v: topology.set_size(s.scene, s.obj.id, tuple(v[name] for name in SIZES)),
              tuple(Number(name, f"On {axis}", _size(k), unit="cm", low=0, high=1e6, decimals=3)
                    for k, (name, axis) in enumerate(zip(SIZES, "XYZ", strict=True))), ("object",),
              "Scales the base about its pivot to this size, and every target with it.", "Set it",
              done="Size of {object}"),
    Operation("mesh", "origin", "Move the origin to the picked point", _origin, (), ("pick",),
              "The picked point becomes the object's origin and pivot.", done="Move the origin of {object}"),
)  # fmt: skip


def _picks(s: Subject) -> list[str]:
    return [p.name for p in s.obj.picks]


OBJECTS = (
    Operation("object", "keep-pick", "Keep this pick", lambda s, v: edits.keep_pick(s.scene, s.obj.id, v["name"], s.pick),
              (Text("name", "Name", lambda s: f"Pick {len(s.obj.picks) + 1}"),), ("pick",), "Stores the pick with the object.",
              "Keep it", done="Keep the pick {name}"),
    Operation("object", "rename-pick", "Rename a kept pick",
              lambda s, v: edits.rename_pick(s.scene, s.obj.id, v["name"], v["to"]),
              (Kept("name", "Pick", needed=True, among=_picks), Text("to", "New name", needed=True)), ("kept pick",),
              "Cues that wait for a click on it know the new name.", "Rename it", done="Rename the pick {name}"),
    Operation("object", "drop-pick", "Delete a kept pick", lambda s, v: edits.drop_pick(s.scene, s.obj.id, v["name"]),
              (Kept("name", "Pick", needed=True, among=_picks),), ("kept pick",), "", "Delete",
              done="Delete the pick {name}"),
    Operation("object", "smooth", "Smooth surface", lambda s, v: topology.set_surface(s.scene, s.obj.id, v["levels"]),
              (Choice("levels", "Its faces divided", lambda s: s.obj.surface.levels if s.obj.surface is not None else 1,
                      options=(("0", "Not", 0), ("1", "Once", 1), ("2", "Twice", 2))),), ("mesh",),
              "After the mix, by the rules of Catmull and Clark. The mesh itself stays what is shaped.", "Set it",
              done="Smooth surface of {object}"),
    Operation("object", "hide-surface", "Smooth surface on",
              _hide_surface,
              (Flag("off", "On again", asked=False),), ("surface",), "Off, the mesh itself is shown.",
              done="Smooth surface of {object} off"),
    Operation("object", "lock", "Lock object", lambda s, v: edits.set_locked(s.scene, s.obj.id, not v["off"]),
              (Flag("off", "Unlock", asked=False),), ("object",),
              "A locked object keeps its shapes and its mesh; weights and keys stay free.", done="Lock {object}"),
    Operation("object", "pivot", "Pivot at a corner",
              lambda s, v: topology.set_pivot(s.scene, s.obj.id, tuple(v[axis] for axis in "xyz")),
              tuple(Choice(axis, f"On {axis.upper()}", 0.5, options=ENDS) for axis in "xyz"), ("object",),
              "The pivot goes to a corner, a side or the middle of the base's box; the object stays where it is.", "Set it",
              done="Pivot of {object}"),
    Operation("form", "add", "Add a simple form", lambda s, v: forms.add_form(s.scene, v["kind"], _given(v))[0],
              (Choice("kind", "Form", "Box", options=tuple((kind.lower(), kind, kind) for kind in FORMS)),
               *_numbers_of_forms()),
              (), "A new object of a simple form.", done="Add a {kind}"),
    Operation("form", "numbers", "Numbers of its form", lambda s, v: forms.set_form(s.scene, s.obj.id, _given(v)),
              _numbers_of_forms(), ("object",), "Other numbers for an object that is still the simple form it was made as.",
              done="Form of {object}"),
    Operation("object", "duplicate", "Duplicate object", _duplicate, (), ("object",),
              "A copy with targets and lanes of its own. Its links stay with the first.", done="Duplicate {object}"),
    Operation("object", "rename", "Rename object", lambda s, v: edits.rename_object(s.scene, s.obj.id, v["name"]),
              (Text("name", "Name", needed=True),), ("object",), "Another name for the object.", done="Rename {object}"),
    Operation("object", "remove", "Remove object", lambda s, _v: edits.remove_object(s.scene, s.obj.id), (), ("object",),
              "Removes the object with its targets and lanes.", done="Remove {object}"),
)  # fmt: skip
