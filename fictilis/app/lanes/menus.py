"""Context menus and tips of the lanes: of a head, of selected keys, of a place where no key is, and of the ruler."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QMenu

from fictilis.app.commands.actions import Actions
from fictilis.app.lanes.area import LaneArea
from fictilis.app.lanes.places import RULER
from fictilis.app.lanes.relay import between_words
from fictilis.core.mix.channels import Channel

KEYS = ("hold", "linear", "smooth", "ease", None, "tangent-auto", "tangent-flat", "straighten", "tangent-broken",
        "tangent-joined", None, "key-numbers", "copy-keys", "paste-keys", "paste-mirrored", "beyond", None,
        "delete")  # fmt: skip
POSES = ("shape-pose", "own-shape", "put-shape", None, "hold", "linear", "smooth", "ease", None, "copy-keys", "paste-keys",
         "key-numbers", None, "delete")  # fmt: skip
RELAY_MENU = ("pose-seen", "pose-before", "pose-between", None, "spread", "on-ones", "on-twos", "on-threes", "close-loop", None,
              "relay-straight", "relay-through", "beyond", "relay-layers")  # fmt: skip
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
            actions.add_to(menu, RELAY_MENU if place.channel.poses else HEAD_MENU)
    elif at.y() < RULER:
        menu.addAction("New marker here…", at_frame("marker"))
        menu.addAction("Play from here", at_frame("play-from"))
        menu.addAction("Play until here", at_frame("play-until"))
        menu.addSeparator()
        actions.add_possible(menu, RULER_MENU)
    elif key is not None:
        if key not in doc.keys:
            doc.change(keys=frozenset({key}), selected=(key.lane,))
        on_relay = place is not None and place.channel.poses
        if on_relay:
            doc.set_frame(key.frame)
        actions.add_to(menu, POSES if on_relay else KEYS)
    else:
        if place is not None and place.channel.poses:
            menu.addAction("New pose here", add_key)
        elif place is not None and place.channel.slides:
            menu.addAction(f"Key {place.channel.name} here", add_key)
        menu.addAction("Go to this frame", lambda: doc.set_frame(frame))
        menu.addAction("New marker here…", at_frame("marker"))
        menu.addSeparator()
        actions.add_possible(menu, NOWHERE)
        if doc.keys:
            menu.addSeparator()
            actions.add_possible(menu, KEYS)
    return menu


def told_at(lanes: LaneArea, at: QPointF) -> str:
    """What lies under a pixel: a lane with its range, or a curve with its value there."""
    place, doc = lanes.lane_under(at), lanes.doc
    if place is None:
        return ""
    channel, unit = place.channel, f" {place.channel.unit}".rstrip()
    if channel.poses:
        return f"{channel.name}: {value_words(channel, doc.channels.value(place.ref))}"
    if at.x() < lanes.axis.head:
        return channel.name if channel.stepped else f"{channel.name}, usually {channel.low:g} to {channel.high:g}{unit}"
    frame = float(np.round(lanes.axis.frame_at(at.x())))
    value = channel.value if place.lane is None else float(place.lane.values(frame, doc.scene.fps))
    return f"{channel.name}: {value_words(channel, value)} at frame {frame:g}"


def value_words(channel: Channel, value: float) -> str:
    """A value with its unit, or the word it stands for; of a relay what it stands between."""
    if channel.poses:
        return between_words(channel.owner, channel.id, value)
    if channel.stepped and 0 <= round(value) < len(channel.kind.words):
        return channel.kind.words[round(value)]
    return f"{value:.{channel.decimals}f} {channel.unit}".rstrip()
