"""Operations on line objects: how they are drawn, their points and strands, and targets made of other lines."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.edits import lines as edits
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.objects import remove_object
from fictilis.core.geometry.kinds import Line, Match, Tube
from fictilis.core.geometry.lines import reshaping
from fictilis.core.geometry.lines.tubes import THIN, box_profile, line_profile, round_profile
from fictilis.core.geometry.topology import border_points, edges
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Choice, Flag, Number, Parameter, Span, Text
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.operations.relays import PATH
from fictilis.core.operations.table import Operation, Outcome, Subject, Values, carried, curve_points, named
from fictilis.core.scene.places import ALONG
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.shaping.picks import chains
from fictilis.core.shaping.reach import pick_weights

DEGREES = (("1", "Straight", 1), ("2", "Quadratic", 2), ("3", "Cubic", 3))
PROFILES = (("round", "Round", "round"), ("box", "Box", "box"))
WHERE = (("through", "Through its points", True), ("beside", "Beside its points", False))
CORNERS = Flag("corners", "Keep corners")
SHIFT = Number("shift", "Start along the line", 0.0, low=-1, high=1, decimals=3)
BACKWARDS = Flag("backwards", "The other way round")


class OtherLine(Parameter, frozen=True):
    """Another line object of the scene, by id or name; none where it is not needed. For a camera it is ``any`` line."""

    any: bool = False

    def options(self, subject: Subject) -> list[tuple[str, str | None]]:
        out: list[tuple[str, str | None]] = [] if self.needed else [("None", None)]
        for other in subject.scene.objects:
            if (self.any or other.id != subject.object_id) and isinstance(other.geometry, Line):
                out.append((other.name, other.id))
        return out

    def checked(self, value: Any, subject: Subject) -> str | None:
        if value is None and not self.needed:
            return None
        known = {o.id: o for o in subject.scene.objects}
        other = known[value] if value in known else subject.scene.object_named(str(value))
        if other.id == subject.object_id and not self.any:
            raise EditRefused(f"{other.name} is matched to another line, not to itself.")
        other.line  # noqa: B018 - which refuses what is none
        return other.id


def _through(s: Subject, v: Values) -> Scene:
    line = s.obj.line
    degree = line.degree if v["degree"] is None else v["degree"]
    return edits.set_curve(s.scene, s.obj.id, degree, line.through if v["where"] is None else v["where"])


def _width(s: Subject, v: Values) -> Scene:
    share = pick_weights(s.obj, s.obj.base, s.points, s.reach) if len(s.pick) else np.ones(len(s.obj.base))
    return edits.set_widths(s.scene, s.obj.id, v["width"], share)


def segments(s: Subject) -> np.ndarray:
    """(k,): the first points of the picked segments, or of all where nothing is picked."""
    line = s.obj.line
    points = np.arange(line.point_count)
    last = line.starts[1:] - 1
    following = points + 1
    following[last] = np.where(line.closed, line.starts[:-1], -1)
    if not len(s.pick):
        return np.flatnonzero(following >= 0)
    if s.pick.kind == "edges":
        pairs = {tuple(pair) for pair in edges(line)[s.pick.elements].tolist()}
        on = [following[p] >= 0 and (min(p, following[p]), max(p, following[p])) in pairs for p in points]
        return np.flatnonzero(on)
    chosen = np.zeros(line.point_count, bool)
    chosen[s.points] = True
    return np.flatnonzero(chosen & (following >= 0) & chosen[following])


def _rebuild(s: Subject, v: Values) -> Outcome:
    line = s.obj.line
    degree = line.degree if v["degree"] is None else v["degree"]
    through = line.through if v["where"] is None else v["where"]
    return carried(s, reshaping.rebuild(line, s.obj.base, int(v["count"]), degree, through, v["corners"]))


def in_space_of(obj: MorphObject, other: MorphObject) -> np.ndarray:
    """(m, 3): another object's base in the space of this one, where both stand in the scene."""
    matrix = np.linalg.inv(obj.transform.matrix()) @ other.transform.matrix()
    return other.base @ matrix[:3, :3].T + matrix[:3, 3]


def _match(s: Subject, v: Values) -> Outcome:
    other = s.scene.object(v["other"])
    match = Match(other.line, in_space_of(s.obj, other), v["shift"], v["backwards"], v["corners"])
    scene, target_id, grown = edits.target_from_line(s.scene, s.obj.id, other.name, match)
    scene, target_id = named((scene, target_id), s, v["name"])
    strands = f"; {s.obj.name} got {grown} strand{'s' if grown > 1 else ''} more, a single place in its base" if grown else ""
    name = scene.object(s.obj.id).target(target_id).name
    said = f"{name} has {other.line.point_count:,} points of {other.name} as {len(scene.object(s.obj.id).base):,}{strands}."
    return Outcome(scene, targets=(target_id,), said=said)


def _stack(s: Subject, v: Values) -> Outcome:
    lines = [o for o in s.scene.objects if o.id != s.object_id and isinstance(o.geometry, Line) and o.visible]
    if not lines:
        raise EditRefused("The other lines of the scene are hidden; show those that are to stand in the row.")
    rows = [(o.name, Match(o.line, in_space_of(s.obj, o), corners=v["corners"])) for o in lines]
    step = v["apart"]
    if step is None:
        step = max(float((s.scene.span[1] - s.frame) // (len(rows) + (1 if v["back"] else 0))), 1.0)
    scene, group_id, grown = edits.stack_lines(s.scene, s.obj.id, rows, v["name"], s.frame, step, v["path"], v["back"])
    for other in lines if not v["keep"] else ():
        scene = remove_object(scene, other.id)
    strands = f" {s.obj.name} got {grown} strand{'s' if grown > 1 else ''} more." if grown else ""
    said = f"{v['name']} runs through {len(rows)} lines from frame {s.frame:g}, {step:g} frames apart.{strands}"
    return Outcome(scene, lanes=(ChannelRef(s.obj.id, group_id),), said=said)


def _now(name: str) -> Callable[[Subject], Any]:
    """What the match of the target says now."""
    return lambda s: getattr(s.target.match, name) if s.targets and s.target.match is not None else 0


def _shift(s: Subject, v: Values) -> Scene:
    return edits.set_match(s.scene, s.obj.id, s.target_id, v["shift"], v["backwards"], v["corners"])


def _tube(s: Subject, v: Values) -> Scene:
    if v["other"] is not None:
        other = s.scene.object(v["other"])
        profile, word = line_profile(other.line, other.base), other.name
    elif v["profile"] == "box":
        profile, word = box_profile(), "box"
    else:
        profile, word = round_profile(int(v["sides"])), "round"
    held = {} if s.obj.line.tube is None else {"radius": s.obj.line.tube.radius, "turning": s.obj.line.tube.turning}
    scene = edits.set_tube(s.scene, s.obj.id, Tube(profile, v["twist"], not v["open"], word, **held), v["width"] or THIN)
    now = s.obj.line.widths
    if now is None or not v["width"] or np.isclose(now.max(), v["width"]):
        return scene
    line = scene.object(s.obj.id).line  # another width, its course along the line kept
    scaled = replace(line, widths=now * (v["width"] / now.max()))
    return scene.with_object(replace(scene.object(s.obj.id), geometry=scaled))


def _tube_curve(s: Subject, v: Values) -> Scene:
    keys = [Key(at, value, v["way"]) for at, value in curve_points(v["curve"])] if v["curve"] else []
    return edits.set_tube_curve(s.scene, s.obj.id, v["which"], keys)


def _tube_mesh(s: Subject, v: Values) -> Outcome:
    scene, mesh_id = edits.tube_object(s.scene, s.obj.id, v["name"])
    made = scene.object(mesh_id)
    said = f"{made.name} has {len(made.base):,} points; between its targets it is not quite the tube."
    return Outcome(scene, said=said, object_id=mesh_id)


def _fill(s: Subject, v: Values) -> Outcome:
    scene, mesh_id = edits.solid_object(s.scene, s.obj.id, v["name"], v["thickness"], v["bevel"])
    made = scene.object(mesh_id)
    said = f"{made.name} has {len(made.base):,} points and {made.geometry.face_count:,} faces."
    return Outcome(scene, said=said, object_id=mesh_id)


def _from_edges(s: Subject, v: Values) -> Outcome:
    obj = s.obj
    if len(s.pick) and not v["border"]:
        points = s.points
    else:
        points = np.flatnonzero(border_points(obj.geometry))
        if not len(points):
            raise EditRefused(f"{obj.name} has no border; pick edges of it.")
    rows = chains(obj.geometry, points)
    scene, line_id = edits.line_from_edges(s.scene, obj.id, rows, v["name"] or f"{obj.name} line")
    return Outcome(
        scene, said=f"{scene.objects[-1].name} has {len(scene.objects[-1].base):,} points of {obj.name}.", object_id=line_id
    )


def _picked(change: Any) -> Any:
    return lambda s, _v: carried(s, change(s.obj.line, s.points if len(s.pick) else np.zeros(0, np.int64)))


DEGREE = Choice("degree", "Degree", lambda s: s.obj.line.degree, options=DEGREES)
PLACE = Choice("where", "The curve runs", lambda s: s.obj.line.through, options=WHERE)


def follow(s: Subject, v: Values, owner_id: str, even: bool) -> Scene:
    """An object or a camera along a line, with keys from its beginning to its end."""
    scene = edits.set_along(s.scene, owner_id, v["other"], not v["still"], even)
    if v["unkeyed"]:
        return scene
    first, last = v["range"] if v["range"] is not None else scene.span
    for frame, value in ((first, 0.0), (last, 1.0)):
        scene = set_key(scene, owner_id, ALONG, Key(frame, value, "linear"))
    return scene


ALONG_FRAMES = (Span("range", "Frames from beginning to end", asked=False), Flag("unkeyed", "Without keys", asked=False))
LINES = (
    Operation("object", "along", "Follow a line", lambda s, v: follow(s, v, s.obj.id, not v["by-points"]),
              (OtherLine("other", "Line", needed=True), Flag("still", "Without turning"),
               Flag("by-points", "By points, not by length"), *ALONG_FRAMES),
              ("object", "other line"), "Moves the object along a line, also while the line morphs; a lane runs from 0 to 1.",
              "Follow it", done="{object} follows a line"),
    Operation("object", "no-along", "Stop following", lambda s, _v: edits.leave_line(s.scene, s.obj.id), (), ("along",),
              "The object no longer follows the line; its keys along it are deleted.", done="{object} stops following"),
    Operation("line", "curve", "Curve of the line", _through, (DEGREE, PLACE), ("line",),
              "How the line is drawn: straight from point to point, or as a curve.", "Set it", done="Curve of {object}"),
    Operation("line", "width", "Width of the line", _width,
              (Number("width", "Width", 1.0, unit="cm", low=0, high=1e6),), ("line",),
              "How wide it is drawn at the picked points, or everywhere; 0 everywhere is a thin line.", "Set it",
              done="Width of {object}"),
    Operation("line", "insert", "Insert points", lambda s, _v: carried(s, reshaping.insert_points(s.obj.line, segments(s))), (),
              ("line",), "A point between picked ones that follow one another, or in every segment.",
              done="Insert points in {object}"),
    Operation("line", "split", "Split at the picked points", _picked(reshaping.split), (), ("line", "pick"),
              "Each picked point becomes two ends; a closed strand opens there.", done="Split {object}"),
    Operation("line", "join", "Join two ends", _picked(reshaping.join), (), ("line", "pick"),
              "Two picked ends are joined: two strands become one, or one closes.", done="Join strands of {object}"),
    Operation("line", "close", "Close strands", _picked(reshaping.close), (), ("line",),
              "The strands picked from, or all, are joined from last to first point.", done="Close {object}"),
    Operation("line", "open", "Open strands", _picked(lambda line, points: reshaping.close(line, points, False)), (), ("line",),
              "The strands picked from, or all, end with their last point.", done="Open {object}"),
    Operation("line", "reverse", "Reverse strands", _picked(reshaping.reverse), (), ("line",),
              "The strands picked from, or all, run the other way.", done="Reverse strands of {object}"),
    Operation("line", "first", "Begin at the picked point", _picked(reshaping.start_at), (), ("line", "pick"),
              "A closed strand begins there.", done="Begin {object} elsewhere"),
    Operation("line", "rebuild", "Rebuild the line", _rebuild,
              (Number("count", "Points of a strand", lambda s: int(s.obj.line.counts.max()), low=2, high=1e5, decimals=0),
               DEGREE, PLACE, CORNERS), ("line",),
              "Evenly spaced points along the base, every target carried through.", "Rebuild it", done="Rebuild {object}"),
    Operation("line", "match", "Target from another line", _match,
              (OtherLine("other", "Line", needed=True), CORNERS, SHIFT, BACKWARDS, Text("name", "Name", asked=False)),
              ("line", "other line"),
              "Another line of any number of points becomes a target; start and direction are those of the least travel.",
              "Make it", done="Match a line to {object}"),
    Operation("line", "shift", "Start of the match", _shift,
              (replace(SHIFT, default=_now("shift")), replace(BACKWARDS, default=_now("backwards")),
               replace(CORNERS, default=_now("corners"))), ("line", "target", "matched"),
              "Which part of the base becomes which part of the line it was matched with.", "Set it",
              done="Start of {target}"),
    Operation("line", "stack", "Stack of lines as a relay", _stack,
              (Text("name", "Name", "Stack"), Number("apart", "Frames apart", None, asked=False, low=1, high=1e6), PATH,
               CORNERS, Flag("back", "Back to the base at the end"), Flag("keep", "Keep the other lines")),
              ("line", "other line"),
              "All other lines that are shown, in the order of their list, become poses of this one.", "Stack them",
              done="Stack of {object}"),
    Operation("line", "tube", "Tube along the line", _tube,
              (Choice("profile", "Profile", "round", options=PROFILES),
               Number("sides", "Sides", 12, low=3, high=256, decimals=0),
               Number("width", "Width", lambda s: s.obj.line.widths.max() if s.obj.line.widths is not None else THIN, unit="cm",
                      low=0, high=1e6),
               Number("twist", "Twist", 0.0, unit="°", low=-1e5, high=1e5), Flag("open", "Without caps"),
               OtherLine("other", "Profile from")), ("line",),
              "A surface led along the line, which morphs with it; its width is the line's at each point.", "Make it",
              done="Tube of {object}"),
    Operation("line", "tube-curve", "Curve of the tube", _tube_curve,
              (Choice("which", "Which", "radius", options=(("radius", "Radius, as a factor", "radius"),
                                                           ("turning", "Turning, in degrees", "turning"))),
               Text("curve", "Points PLACE=VALUE, from 0 to 1", "0=1,1=0.3"),
               Choice("way", "From point to point", "smooth", options=tuple((w, w.capitalize(), w) for w in
                                                                           ("linear", "smooth", "hold")))),
              ("tube",), "How wide the tube is along the line, or how far its profile is turned; without points it is even.",
              "Set it", done="Curve of the tube of {object}"),
    Operation("line", "no-tube", "Remove tube", lambda s, _v: edits.set_tube(s.scene, s.obj.id, None), (), ("tube",),
              "The line is drawn as a line again.", done="Remove tube of {object}"),
    Operation("line", "tube-mesh", "Mesh from the tube", _tube_mesh, (Text("name", "Name", lambda s: f"{s.obj.name} tube"),),
              ("tube",), "A mesh object of its own with the line's targets, to be modelled further.", "Make it",
              done="Mesh from the tube of {object}"),
    Operation("line", "fill", "Solid from the outline", _fill,
              (Number("thickness", "Thickness", lambda s: float(f"{s.size / 20:.2g}"), unit="cm", low=0, high=1e6),
               Number("bevel", "Bevel", 0.0, unit="cm", low=0, high=1e6),
               Text("name", "Name", lambda s: f"{s.obj.name} solid")),
              ("line",), "The closed strands are filled, holes kept, as a mesh object with the line's targets; 0 is a sheet.",
              "Make it", done="Solid from {object}"),
    Operation("line", "from-edges", "Line from edges", _from_edges,
              (Flag("border", "The border, not the pick"), Text("name", "Name", lambda s: f"{s.obj.name} line")), ("mesh",),
              "Picked edges that follow one another, or the border, become a line object that moves as the mesh does.",
              "Make it", done="Line from {object}"),
)  # fmt: skip
