"""What becomes of each feature of a scene in a file of a kind: kept, changed, left out, or in the mix; by the feature's name in
``account.FEATURES``. A feature that is not named is not for such a file."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from fictilis.formats.choices import DROP, RESULT, Values

KEPT, CHANGED, LEFT_OUT = "kept", "changed", "left out"
IN_MIX = "in the mix"  # which is said once, of the targets
Fate = tuple[str, str]  # one of the four, and what becomes of it
FateOf = Fate | Callable[[Values], Fate]
Fates = Mapping[str, FateOf]

KEEP, GONE, MIXED = (KEPT, ""), (LEFT_OUT, ""), (IN_MIX, "")
AS_WEIGHTS = (CHANGED, "weights that give the same mix")
SAMPLED = (CHANGED, "sampled at each frame")
STRAIGHT = (CHANGED, "straight between frames")
AT_FRAMES = (CHANGED, "points frame by frame")
WORKED_IN = (CHANGED, "worked into targets and weights")
DRAWN = (CHANGED, "as they are drawn, of more points")
PARTED = (CHANGED, "more points where UVs part, or flat faces")
EXACT = (CHANGED, "meshes that are exact at their targets")
BOUND = (LEFT_OUT, "meshes as they were bound")
WHOLE = (LEFT_OUT, "they are written whole")
CAGE_ALONE = (LEFT_OUT, "the cage is written")
LANES_ALONE = (CHANGED, "their lanes alone")
TRIANGLES = (CHANGED, "triangles")
BAKED = "targets with weights at each frame"


def _all(fate: FateOf, *features: str) -> dict[str, FateOf]:
    return dict.fromkeys(features, fate)


def _if(name: str, kept: Fate, words: str = "") -> FateOf:
    """Left out where it was chosen so."""
    return lambda values: (LEFT_OUT, words) if values.get(name) == DROP else kept


def _at_frame(values: Values) -> Fate:
    return CHANGED, "a file for each frame of the mix" if values.get("frames") == "range" else "the mix at one frame"


def _as_targets(kept: Fate) -> FateOf:
    """Of what is written as targets, or point by point where that was chosen."""
    return lambda values: AT_FRAMES if values.get("as") == "points" else kept


def _in_targets(words: str) -> Callable[[Values], Fate]:
    """Of what is worked into targets, and kept where points are written."""
    return lambda values: KEEP if values.get("as") == "points" else (CHANGED, words)


def _surface(values: Values) -> Fate:
    return (CHANGED, "meshes with all their targets") if values.get("surface") == RESULT else CAGE_ALONE


ORDER, SEAMS = "Points in their order", "Points in their order, with seams"
TIMED = ("Weights over time", "Weights over time, bent by others")
ACTED = ("Weights that follow others", "Relays")
SHAPED = ("Sweeps", "Masks and factors of groups", *ACTED)
RIGGED = ("Rigs", "Joints retimed, or turned by hand", "Dual quaternions", "Rigs that rest")
MOVED = ("Own motion", "Motion along a line")
_ONE_CLIP = _all((LEFT_OUT, "only the active clip is written"), "Other clips")
_UNTOLD = _all(GONE, "Sound", "Reference picture", "Cues", "Markers", "Measures", "Light")
_IN_POINTS = _all(MIXED, *SHAPED, "Motion laid over lanes", "Springs", "Bend, twist and taper", *RIGGED)

_ONE_SHAPE = (
    _UNTOLD | _ONE_CLIP | _IN_POINTS
    | _all(GONE, "Opacity", "Textures", "Visibility and opacity over time", "Cameras", "UVs", "Colours")
    | _all(_if("motion", KEEP), "Places of objects")
    | _all(_if("motion", (CHANGED, "the place at each frame that is written")), *MOVED)
    | _all(_at_frame, "Targets", *TIMED) | _all((CHANGED, "meshes"), "Tubes", "Copies") | _all(_surface, "Smooth surfaces")
    | _all((LEFT_OUT, "only meshes are written"), "Lines")
)  # fmt: skip
OBJ: Fates = (
    _ONE_SHAPE | _all(KEEP, ORDER, SEAMS, "Polygons", "UVs", "Lines") | _all(DRAWN, "Curves")
    | _all(GONE, "Widths of lines") | _all(MIXED, "Lines drawn in part")
)  # fmt: skip
PLY: Fates = _ONE_SHAPE | _all(KEEP, ORDER, SEAMS, "Polygons") | _all(_if("colours", KEEP), "Colours")
STL: Fates = _ONE_SHAPE | _all((LEFT_OUT, "triangles alone, without an order"), ORDER, SEAMS) | _all(TRIANGLES, "Polygons")
GLTF: Fates = (
    _UNTOLD | _all(KEEP, ORDER, "UVs", "Colours", "Opacity", "Places of objects", "Targets", "Clips", "Lines", "Rigs")
    | _all(PARTED, SEAMS) | _all(TRIANGLES, "Polygons") | _all(_if("textures", KEEP), "Textures")
    | _all((CHANGED, "targets of their own, with weights that give the same mix"), "In-betweens")
    | _all((CHANGED, "a target for each of twelve bands"), "Sweeps") | _all(WORKED_IN, "Masks and factors of groups")
    | _all(AS_WEIGHTS, *ACTED) | _all(lambda v: SAMPLED if v.get("keys") == "frames" else KEEP, "Weights over time")
    | _all((CHANGED, "by their curves, sampled where the mix follows none"), "Weights over time, bent by others")
    | _all(SAMPLED, "Motion laid over lanes", "Joints retimed, or turned by hand")
    | _all(_if("motion", KEEP), "Own motion") | _all(_if("motion", SAMPLED), "Motion along a line")
    | _all(GONE, "Visibility and opacity over time", "Widths of lines", "Field of view over time")
    | _all(DRAWN, "Curves") | _all(EXACT, "Tubes") | _all(WHOLE, "Lines drawn in part") | _all(_surface, "Smooth surfaces")
    | _all((CHANGED, "a node each, over one mesh"), "Copies") | _all(_if("springs", (CHANGED, BAKED)), "Springs")
    | _all((CHANGED, BAKED), "Bend, twist and taper") | _all((LEFT_OUT, "joints move the points linearly"), "Dual quaternions")
    | _all(BOUND, "Rigs that rest") | _all(_if("cameras", KEEP), "Cameras") | _all(_if("cameras", SAMPLED), "Motion of cameras")
    | _all(_if("cues", (CHANGED, "a file of JSON beside it")), "Cues")
)  # fmt: skip
USD: Fates = (
    _UNTOLD | _ONE_CLIP
    | _all(KEEP, ORDER, SEAMS, "Polygons", "UVs", "Colours", "Opacity", "Places of objects", "Lines", "Widths of lines")
    | _all(KEEP, "Visibility and opacity over time", "Field of view over time") | _all(GONE, "Textures")
    | _all(_as_targets(KEEP), "Targets", "Rigs", "Dual quaternions")
    | _all(_as_targets((KEPT, "in-betweens on straight paths, else shapes of their own")), "In-betweens")
    | _all(_in_targets("a shape for each of twelve bands"), "Sweeps") | _all(WORKED_IN, "Masks and factors of groups")
    | _all(AS_WEIGHTS, *ACTED) | _all(_as_targets(STRAIGHT), *TIMED) | _all(SAMPLED, "Motion laid over lanes")
    | _all(_if("motion", STRAIGHT), "Own motion") | _all(_if("motion", SAMPLED), "Motion along a line")
    | _all(DRAWN, "Curves") | _all(AT_FRAMES, "Tubes", "Lines drawn in part") | _all(_surface, "Smooth surfaces")
    | _all((CHANGED, "objects"), "Copies") | _all(_in_targets(BAKED), "Bend, twist and taper")
    | _all(lambda v: GONE if v.get("springs") == DROP else _in_targets(BAKED)(v), "Springs")
    | _all(_as_targets(SAMPLED), "Joints retimed, or turned by hand") | _all(BOUND, "Rigs that rest")
    | _all(_if("cameras", KEEP), "Cameras") | _all(_if("cameras", STRAIGHT), "Motion of cameras")
)  # fmt: skip
CSV: Fates = (
    _UNTOLD | _ONE_CLIP | _all(SAMPLED, *ACTED, *TIMED, "Motion laid over lanes")
    | _all(GONE, "In-betweens", "Sweeps", "Masks and factors of groups", "Springs", "Bend, twist and taper", "Rigs",
           "Rigs that rest", "Cameras")
)  # fmt: skip
LANES: Fates = (
    _UNTOLD | _ONE_CLIP
    | _all(KEEP, "Sweeps", "Relays", *TIMED, "Motion laid over lanes", *MOVED, "Visibility and opacity over time",
           "Lines drawn in part", "Motion of cameras", "Field of view over time")
    | _all(GONE, "Masks and factors of groups", "Weights that follow others", "Springs", "Rigs that rest")
    | _all(LANES_ALONE, "Bend, twist and taper", "Rigs", "Cameras")
)  # fmt: skip
NPZ: Fates = (
    _UNTOLD | _ONE_CLIP | _IN_POINTS | _all(KEEP, ORDER, SEAMS, "Lines") | _all(GONE, "Places of objects", *MOVED, "Cameras")
    | _all(AT_FRAMES, "Targets", *TIMED) | _all((CHANGED, "their lines"), "Tubes") | _all(WHOLE, "Lines drawn in part")
    | _all(CAGE_ALONE, "Smooth surfaces") | _all((LEFT_OUT, "the first alone"), "Copies")
)  # fmt: skip
PAGE: Fates = (
    _all(KEEP, ORDER, "UVs", "Colours", "Opacity", "Places of objects", "Targets", "In-betweens", *SHAPED, *TIMED,
         "Motion laid over lanes", "Own motion", "Visibility and opacity over time", "Clips", "Lines", "Sound",
         "Cues", "Markers")
    | _all(PARTED, SEAMS) | _all(TRIANGLES, "Polygons") | _all((CHANGED, "images, no checkers"), "Textures")
    | _all(GONE, "Motion along a line", "Widths of lines", "Springs", "Bend, twist and taper", "Cameras", "Motion of cameras",
           "Joints retimed, or turned by hand", "Dual quaternions", "Field of view over time", "Reference picture",
           "Measures", "Light")
    | _all(DRAWN, "Curves") | _all(EXACT, "Tubes") | _all((LEFT_OUT, "they are shown whole"), "Lines drawn in part")
    | _all(_surface, "Smooth surfaces") | _all((CHANGED, "all of them move at once"), "Copies")
    | _all(BOUND, "Rigs", "Rigs that rest")
)  # fmt: skip
