"""Fictilis: mould morph targets from copies of a mesh, mix them by weight, and animate the weights.

The small public API; see docs/scripting.md. Everything is loaded when first used.
"""

from importlib import import_module

__version__ = "0.13.5"

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
    "export": "fictilis.formats.registry",
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
_MODULES = {"targets": "fictilis.core.edits.targets", "keys": "fictilis.core.edits.keys",
            "timing": "fictilis.core.edits.timing", "timeline": "fictilis.core.edits.timeline",
            "shape": "fictilis.core.edits.shape", "forms": "fictilis.core.edits.forms", "lines": "fictilis.core.edits.lines",
            "objects": "fictilis.core.edits.objects", "repeats": "fictilis.core.edits.repeats",
            "springs": "fictilis.core.edits.springs", "deformers": "fictilis.core.edits.deformers",
            "rigs": "fictilis.core.edits.rigs", "cues": "fictilis.core.edits.cues",
            "weights": "fictilis.formats.weights", "lanes": "fictilis.formats.lanes", "account": "fictilis.formats.account",
            "correctives": "fictilis.core.edits.correctives", "relays": "fictilis.core.edits.relays",
            "links": "fictilis.core.edits.links", "sweeps": "fictilis.core.edits.sweeps", "clips": "fictilis.core.edits.clips",
            "whole_shapes": "fictilis.core.edits.whole_shapes", "topology": "fictilis.core.edits.topology",
            "primitives": "fictilis.core.geometry.primitives", "carry": "fictilis.core.geometry.carry",
            "operations": "fictilis.core.operations", "movies": "fictilis.pictures.making"}  # fmt: skip
__all__ = ["__version__", *_HOMES, *_MODULES]  # noqa: PLE0604


def __getattr__(name: str) -> object:
    if name in _HOMES:
        return getattr(import_module(_HOMES[name]), name)
    if name in _MODULES:
        return import_module(_MODULES[name])
    raise AttributeError(f"module 'fictilis' has no attribute {name!r}")
