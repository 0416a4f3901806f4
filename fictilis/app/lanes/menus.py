"""Context menus of the lanes: of a head, of selected keys, of a place where no key is, and of the ruler."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QMenu

from fictilis.app.commands.actions import Actions
from fictilis.app.lanes.area import LaneArea
from fictilis.app.lanes.places import RULER

KEYS = ("hold", "linear", "smooth", "ease", None, "tangent-auto", "tangent-flat", "straighten", "tangent-broken",
        "tangent-joined", None, "key-numbers", "copy-keys", "paste-keys", "paste-mirrored", "beyond", None,
        "delete")  # fmt: skip
HEAD_MENU = ("lane-open", "lane-normal", "lane-thin", None, "fit-values", "shared-scale", None, "key", "beyond", "paste-keys")
NOWHERE = ("paste-keys", "paste-mirrored", "beyond", None, "retime", "fit-time", "fit-values", "shared-scale", "together")
RULER_MENU = ("play-all", None, "previous-marker", "next-marker", None, "fit-time")


def context_menu(lanes: LaneArea, actions: Actions, at: QPointF, add_key: Callable[[], None]) -> QMenu:
    """What makes sense at a pixel; ``add_key`` puts a key there. Where no key is, what is not possible is left out."""
    doc, menu = lanes.doc, QMenu(lanes.viewport())
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    place, key = lanes.lane_under(at), lanes.key_under(at)
    frame = float(np.round(lanes.axis.frame_at(at.x())))

    def at_frame(action: str) -> Callable[[], None]:
        def go() -> None:
            doc.set_frame(frame)
            actions.by_id[action].trigger()

        return go

    if at.x() < lanes.axis.head:
        if place is not None:
            if place.ref not in doc.selected:
                doc.select_channel(place.ref)
            actions.add_to(menu, HEAD_MENU)
    elif at.y() < RULER:
        menu.addAction("New marker here…", at_frame("marker"))
        menu.addAction("Play from here", at_frame("play-from"))
        menu.addAction("Play until here", at_frame("play-until"))
        menu.addSeparator()
        actions.add_possible(menu, RULER_MENU)
    elif key is not None:
        if key not in doc.keys:
            doc.change(keys=frozenset({key}), selected=(key.lane,))
        actions.add_to(menu, KEYS)
    else:
        if place is not None and not place.channel.driven:
            menu.addAction(f"Key {place.channel.name} here", add_key)
        menu.addAction("Go to this frame", lambda: doc.set_frame(frame))
        menu.addAction("New marker here…", at_frame("marker"))
        menu.addSeparator()
        actions.add_possible(menu, NOWHERE)
        if doc.keys:
            menu.addSeparator()
            actions.add_possible(menu, KEYS)
    return menu
