"""``fictilis import``: what other programs made, into a scene: as objects, targets, a relay, or lanes."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from fictilis.core.ground.errors import FictilisError

WAYS = ("objects", "targets", "relay", "lanes")


def register(commands) -> None:
    """Add the command to a parser's subparsers."""
    parser = commands.add_parser("import", help="bring files of other kinds into a scene")
    parser.add_argument("scene", type=Path, help="is made where there is none")
    parser.add_argument("files", type=Path, nargs="+")
    parser.add_argument("--as", dest="way", choices=WAYS, default="objects", help="default: objects")
    parser.add_argument("--look", action="store_true", help="say what the files hold, and change nothing")
    parser.add_argument("--only", action="append", metavar="NAME", help="of what they hold; again for several")
    parser.add_argument("--object", help="whose targets, relay or lanes they become; default: the only one")
    parser.add_argument("--unit", choices=("mm", "cm", "m", "inch"), help="of files that do not say it; default: cm")
    parser.add_argument("--up", choices=("y", "z"), help="of files that do not say it; default: y")
    parser.add_argument("--scale", type=float, default=1.0, metavar="N")
    parser.add_argument("--centre", action="store_true", help="put what is read around the origin")
    parser.add_argument("--ground", action="store_true", help="stand what is read on the ground")
    parser.add_argument("--reorder", action="store_true", help="put targets of the same faces in the base's vertex order")
    parser.add_argument("--range", type=float, nargs=2, metavar=("FIRST", "LAST"), help="frames of a relay's poses")
    parser.add_argument("-o", "--output", type=Path, help="default: the scene itself")
    parser.set_defaults(run=_import)


def _import(given: argparse.Namespace) -> None:
    from fictilis.core.scene.scene import Scene
    from fictilis.formats.importing import Laying, added, read_held, taken
    from fictilis.formats.registry import load, save

    scene = load(given.scene) if given.scene.exists() else Scene(name=given.scene.stem)
    if given.way == "lanes":
        save(_lanes(scene, given), given.output or given.scene)
        return
    held = read_held(given.files)
    for warning in held.said:
        print(f"fictilis: warning: {warning}", file=sys.stderr)
    owners = {o.name: o.id for o in held.scene.owners} | {stem: object_id for object_id, stem in held.stems.items()}
    missing = [name for name in given.only or () if name not in owners]
    if missing:
        raise FictilisError(f"Nothing that is read is called {missing[0]}; there are: {', '.join(list(owners)[:20])}.")
    ids = {owners[name] for name in given.only} if given.only else {o.id for o in held.scene.owners}
    laid = taken(held, ids, Laying(given.unit or "cm", given.up == "z", given.scale, given.centre, given.ground))
    if given.look:
        _look(laid)
        return
    if given.way == "objects":
        scene = added(scene, laid) if scene.owners else laid
    else:
        scene = _shapes(scene, laid, held.stems, given)
    save(scene, given.output or given.scene)


def _look(scene) -> None:
    from fictilis.core.at_frame.sizes import size_of

    for obj in scene.objects:
        size = " × ".join(f"{s:.4g}" for s in size_of(scene, [obj.id]))
        keys = sum(len(lane.curve.keys) for lane in obj.lanes)
        counts = f"{len(obj.base):,} points, {obj.geometry.face_count:,} faces, {len(obj.targets):,} targets, {keys:,} keys"
        print(f"{obj.name}: {counts}, {size} cm")
    for camera in scene.cameras:
        print(f"{camera.name}: a camera")
    for clip in scene.clips:
        print(f"{clip.name}: a clip")


def _whose(scene, name: str | None):
    """The object that is meant."""
    if name is not None:
        return scene.object_named(name)
    if len(scene.objects) != 1:
        raise FictilisError(f"The scene has {len(scene.objects)} objects; say which with --object.")
    return scene.objects[0]


def _shapes(scene, laid, stems: dict[str, str], given: argparse.Namespace):
    """Targets or a relay of one object; what does not fit is named, and nothing is written."""
    from fictilis.core.edits.lines import target_from_copy
    from fictilis.core.edits.relays import relay_from_points
    from fictilis.formats.importing import shapes_of
    from fictilis.formats.rows import Row, add_shape, row_name

    obj = _whose(scene, given.object)
    shapes = shapes_of(laid, stems)
    if given.way == "targets":
        for data in shapes:
            order = order_of(scene.object(obj.id), data.name, data) if given.reorder else None
            scene, _ = target_from_copy(scene, obj.id, data.name, data.geometry, data.points, order)
        return scene
    row = Row([], [], [], [])
    for data in shapes:
        add_shape(row, obj, data)
    if row.others:
        raise FictilisError(row.others[0][1])
    first, last = given.range or scene.span
    return relay_from_points(scene, obj.id, row.shapes, row_name(given.files), first, last)[0]


def order_of(obj, name: str, data):
    """The order that puts a target's points in the base's, or None when they are, or when there is none."""
    from fictilis.core.geometry.matching import find_order, first_difference

    if obj.geometry.kind == "line":
        return None
    same = data.geometry.point_count == obj.geometry.point_count and first_difference(obj.mesh, data.geometry) is None
    order = None if same else find_order(obj.geometry, data.geometry, obj.base, data.points)
    if order is not None and order.choices > 1:
        said = f"{name} can be laid on {obj.name} in several ways; the one that lies nearest was taken."
        print(f"fictilis: warning: {said}", file=sys.stderr)
    return order


def _lanes(scene, given: argparse.Namespace):
    from fictilis.formats.lanes import read_lanes, set_lanes

    for path in given.files:
        object_id = scene.object_named(given.object).id if given.object else None
        scene, count, left_out = set_lanes(scene, read_lanes(path), object_id)
        print(f"{count} lanes." + (f" These fit nothing: {', '.join(left_out)}." if left_out else ""))
    return scene
