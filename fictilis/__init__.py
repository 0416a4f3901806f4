"""Fictilis: mould morph targets from copies of a mesh, mix them by weight, and animate the weights.

The small public API; see docs/scripting.md. Everything is loaded when first used.
"""

from importlib import import_module

__version__ = "0.16.0"

_HOMES = {
    "Scene": "fictilis.core.scene.scene",
    "Mesh": "fictilis.core.geometry.kinds",
    "Line": "fictilis.core.geometry.kinds",
    "Match": "fictilis.core.geometry.kinds",
    "Tube": "fictilis.core.geometry.kinds",
    "Key": "fictilis.core.animation.curve",
    "FictilisError": "fictilis.core.ground.errors",
    "load": "fictilis.formats.registry",
    "save": "fictilis.formats.registry",
    "export": "fictilis.pictures.poster",
    "export_shapes": "fictilis.formats.registry",
    "as_chosen": "fictilis.formats.registry",
    "Choices": "fictilis.formats.choices",
    "prove": "fictilis.formats.proof",
    "read_held": "fictilis.formats.importing",
    "taken": "fictilis.formats.importing",
    "added": "fictilis.formats.importing",
    "Laying": "fictilis.formats.importing",
    "Order": "fictilis.pictures.orders",
    "read_reference": "fictilis.formats.reference",
    "scene_from_file": "fictilis.formats.registry",
    "read_meshes": "fictilis.formats.registry",
    "evaluate": "fictilis.core.at_frame.pose",
    "evaluate_frames": "fictilis.core.at_frame.pose",
    "run_checks": "fictilis.core.checks",
    "changes": "fictilis.core.checks.changes",
    "Runner": "fictilis.core.rehearsal.runner",
    "Event": "fictilis.core.rehearsal.runner",
    "Cue": "fictilis.core.scene.cues",
    "When": "fictilis.core.scene.cues",
    "Act": "fictilis.core.scene.cues",
    "Lead": "fictilis.core.scene.cues",
    "Then": "fictilis.core.scene.cues",
    "moon_jelly": "fictilis.demo.jelly",
    "lantern_fish": "fictilis.demo.lantern_fish",
    "tide_marks": "fictilis.demo.tide_marks",
    "reef_wall": "fictilis.demo.reef_wall",
    "sea_pen": "fictilis.demo.sea_pen",
}
_EDITS, _CORE = "fictilis.core.edits.", "fictilis.core."
_MODULES = {  # edits, with where questions about the same subject are answered
    **{name: (_EDITS + name, *(_CORE + more for more in homes.split())) for name, homes in {
        "targets": "scene.kept", "keys": "mix.key_refs", "timing": "", "timeline": "scene.at_rate", "lines": "scene.matches",
        "shape": "mix.shapes", "forms": "geometry.forms scene.forms", "objects": "", "repeats": "geometry.tiled", "springs": "",
        "deformers": "", "rigs": "rig.named", "cues": "", "correctives": "mix.following", "relays": "mix.relay",
        "links": "scene.shared_lanes", "sweeps": "mix.bands", "clips": "scene.clips", "whole_shapes": "ground.names",
        "topology": "at_frame.drawn"}.items()},
    "weights": ("fictilis.formats.weights",), "lanes": ("fictilis.formats.lanes",), "account": ("fictilis.formats.account",),
    "primitives": ("fictilis.core.geometry.primitives",), "carry": ("fictilis.core.geometry.carry",),
    "operations": ("fictilis.core.operations",), "movies": ("fictilis.pictures.making",),
}  # fmt: skip
__all__ = ["__version__", *_HOMES, *_MODULES]  # noqa: PLE0604


def __getattr__(name: str) -> object:
    if name in _HOMES:
        return getattr(import_module(_HOMES[name]), name)
    if name in _MODULES:
        first, *more = map(import_module, _MODULES[name])
        if not first.__name__.startswith(_EDITS):
            return first
        from fictilis.core.validity.edge import CheckedModule

        found = globals()[name] = CheckedModule(first, *more)
        return found
    raise AttributeError(f"module 'fictilis' has no attribute {name!r}")
