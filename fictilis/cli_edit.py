"""Edits of whole targets and of the mesh from the command line: ``fictilis target …`` and ``fictilis mesh …``."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path

from fictilis.cli_operations import Operation, add_operations, number, refuse_not_finite

AXES = {"x": 0, "y": 1, "z": 2}


_AXIS = {"--axis": {"choices": list(AXES), "default": "x"}}
_TOPOLOGY = {"--by-topology": {"action": "store_true", "help": "find partners by the faces, not by position"}}


def _mirror(options: argparse.Namespace):
    from fictilis.core.shaping.mirror import Mirror

    return AXES[options.axis], Mirror(options.axis.upper(), options.by_topology)


def _whole():
    from fictilis.core.edits import whole_shapes

    return whole_shapes


def _named(scene, made: tuple, name: str | None):
    """The scene of an operation that made a target, which takes ``name`` if one is given."""
    from fictilis.core.edits.targets import rename_target

    scene, target_id = made
    if name is None:
        return scene
    object_id = next(o.id for o in scene.objects if any(t.id == target_id for t in o.targets))
    return rename_target(scene, object_id, target_id, name)


def _transfer(scene, obj, _target, options):
    source, _, name = options.source.partition("/")
    other = scene.object_named(source)
    target = other.target_named(name)
    return _named(scene, _whole().transfer(scene, obj.id, other.id, target.id, options.near, options.far), options.name)


_NAME = {"--name": {"help": "name of the new target"}}
TARGETS = (
    Operation("duplicate", "copy a target", _NAME,
              lambda s, o, t, x: _named(s, _whole().duplicate(s, o.id, t.id), x.name)),
    Operation("mirror", "a new target that is its mirror image", {**_AXIS, **_TOPOLOGY, **_NAME},
              lambda s, o, t, x: _named(s, _whole().mirror_into_new(s, o.id, t.id, *_mirror(x)), x.name)),
    Operation("swap", "exchange its sides", {**_AXIS, **_TOPOLOGY},
              lambda s, o, t, x: _whole().swap_sides(s, o.id, t.id, *_mirror(x))),
    Operation("split", "two halves that add up to it", {**_AXIS, "--seam": number(0.0, "width of the soft seam, cm")},
              lambda s, o, t, x: _whole().split_sides(s, o.id, t.id, x.seam, AXES[x.axis])[0]),
    Operation("join", "a new target that adds several up",
              {"--with": {"action": "append", "dest": "others", "required": True, "metavar": "TARGET"}, **_NAME},
              lambda s, o, t, x: _named(
                  s, _whole().join(s, o.id, [t.id, *(o.target_named(n).id for n in x.others)]), x.name)),
    Operation("scale", "multiply its offsets", {"--factor": number()},
              lambda s, o, t, x: _whole().scale_deltas(s, o.id, t.id, x.factor)),
    Operation("clean", "drop small offsets", {"--below": number(meaning="cm")},
              lambda s, o, t, x: _whole().clean(s, o.id, t.id, x.below)[0]),
    Operation("add", "add another target's offsets, or subtract them",
              {"--other": {"required": True, "metavar": "TARGET"}, "--factor": number(1.0)},
              lambda s, o, t, x: _whole().combine(s, o.id, t.id, o.target_named(x.other).id, x.factor)),
    Operation("copy", "put its shape into another target", {"--onto": {"required": True, "metavar": "TARGET"}},
              lambda s, o, t, x: _whole().copy_deltas(s, o.id, t.id, o.target_named(x.onto).id)),
    Operation("to-base", "give the base its shape",
              {"--weight": number(1.0), "--stay": {"action": "store_true", "help": "targets keep their shapes"}},
              lambda s, o, t, x: _whole().apply_to_base(s, o.id, t.id, x.weight, "stay" if x.stay else "follow")),
    Operation("rebuild", "build it on another shape without changing its own",
              {"--on": {"required": True, "metavar": "TARGET|base"}},
              lambda s, o, t, x: _whole().rebuild_on(
                  s, o.id, t.id, None if x.on == "base" else o.target_named(x.on).id)),
    Operation("bake-mask", "multiply its mask into its offsets", {},
              lambda s, o, t, x: _whole().bake_mask(s, o.id, t.id)),
)  # fmt: skip


def _carried(make: Callable) -> Callable:
    def run(scene, obj, _target, options):
        from fictilis.core.edits.topology import carry_through
        from fictilis.core.geometry import carry

        return carry_through(scene, obj.id, make(carry, obj, options))

    return run


def _weld(carry, obj, options):
    import numpy as np

    return carry.weld(obj.mesh, carry.labels_within(obj.base, np.arange(len(obj.base)), options.within))


def _freeze(scene, obj, _target, _options):
    from fictilis.core.edits.topology import freeze_transform

    return freeze_transform(scene, obj.id)


MESHES = (
    Operation("subdivide", "four faces from each quad", {"--smooth": {"action": "store_true"}},
              _carried(lambda c, o, x: c.subdivide(o.mesh, x.smooth))),
    Operation("triangulate", "triangles only", {}, _carried(lambda c, o, x: c.triangulate(o.mesh, o.base))),
    Operation("weld", "join points that are near", {"--within": number(meaning="cm")}, _carried(_weld)),
    Operation("mirror", "keep one half and weld its mirror image on",
              {**_AXIS, "--keep": {"choices": ["plus", "minus"], "default": "plus"}, "--within": number(0.01, "cm")},
              _carried(lambda c, o, x: c.mirror_weld(o.mesh, o.base, AXES[x.axis], 1 if x.keep == "plus" else -1, x.within))),
    Operation("freeze", "put the transform into the points", {}, _freeze),
    Operation("transfer", "a target from an object of another topology",
              {"--from": {"dest": "source", "required": True, "metavar": "OBJECT/TARGET"}, "--near": number(0.0, "cm"),
               "--far": number(meaning="cm"), **_NAME}, _transfer),
)  # fmt: skip


def register(commands) -> None:
    """Add both commands to a parser's subparsers."""
    for command, about, operations in (
        ("target", "change a whole target", TARGETS),
        ("mesh", "change an object's mesh, its targets carried through", MESHES),
    ):
        parser = commands.add_parser(command, help=about)
        parser.add_argument("scene", type=Path)
        parser.add_argument("--object", required=True)
        if command == "target":
            parser.add_argument("--target", required=True)
        add_operations(parser, operations, run)


def run(options: argparse.Namespace) -> None:
    from fictilis.formats.registry import load, save

    scene = load(options.scene)
    obj = scene.object_named(options.object)
    target = obj.target_named(options.target) if options.command == "target" else None
    refuse_not_finite(options)
    save(options.how.run(scene, obj, target, options), options.output or options.scene)
