"""Shaping tools, in one table: the strip, the actions, the keys and the side column are made from it."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

from fictilis.app.view.tools.bench import Bench, Event, Stroke
from fictilis.app.view.tools.brushing import brush_tool, grab, mask_tool
from fictilis.app.view.tools.handling import CHANGES, handle_tool, slide_tool
from fictilis.app.view.tools.pick_tool import pick


class Tool(Struct, frozen=True):
    """``family`` is pick, handles, slide, exact or brush: which numbers the side column shows; ``key`` chooses it."""

    id: str
    name: str
    icon: str
    family: str
    key: str
    run: Callable[[Bench, Event], Stroke]
    note: str = ""


TOOLS: dict[str, Tool] = {
    tool.id: tool
    for tool in (
        Tool("pick", "Pick", "selection", "pick", "1", pick),
        Tool("move", "Move", "arrows-out-cardinal", "handles", "2", handle_tool(CHANGES["move"])),
        Tool("rotate", "Rotate", "arrow-clockwise", "handles", "3", handle_tool(CHANGES["rotate"])),
        Tool("scale", "Scale", "corners-out", "handles", "4", handle_tool(CHANGES["scale"])),
        Tool("slide", "Slide", "path", "slide", "5", slide_tool, "Drag the pick along the surface; the outline stays."),
        Tool("grab", "Grab", "hand-grabbing", "brush", "6", grab, "Carries what lies under the brush."),
        Tool("push", "Push", "arrow-line-up", "brush", "7", brush_tool("push"), "Pushes out; with Ctrl in."),
        Tool("crease", "Crease", "wave-triangle", "brush", "8", brush_tool("crease"), "Draws a furrow; with Ctrl a ridge."),
        Tool("flatten", "Flatten", "equals", "brush", "9", brush_tool("flatten"), "Levels; with Ctrl it only fills."),
        Tool("smooth", "Smooth", "waves", "brush", "0", brush_tool("smooth"), "Evens out; with Ctrl it sharpens."),
        Tool("pinch", "Pinch", "arrows-in", "brush", "", brush_tool("pinch"), "Draws together; with Ctrl apart."),
        Tool("erase", "Erase", "eraser", "brush", "", brush_tool("erase"), "Back to what the target is built on."),
        Tool("blend", "Blend", "intersect", "brush", "", brush_tool("blend"), "Leads toward another shape; with Ctrl away."),
        Tool("mask", "Mask", "mask-happy", "brush", "", mask_tool, "Closes the target's mask; with Ctrl it opens it."),
        Tool("exact", "Exact changes", "ruler", "exact", "", pick, ""),
    )
}
