"""Reads the window of a sample scene as a screen reader does, over the bus for assistive technology, in processes of its own.

Run as a program under ``dbus-run-session``; leaves what it read as JSON in the file it is given. The interfaces are AT-SPI 2.
"""

import json
import os
import subprocess
import sys
import time
from pathlib import Path

from PyQt6.QtCore import QCoreApplication
from PyQt6.QtDBus import QDBusConnection, QDBusInterface, QDBusMessage

A11Y = "org.a11y.atspi."
SHOWING, SELECTED = 25, 23  # bits of AtspiStateType


class Bus:
    """One call at a time to whatever is on the bus."""

    def __init__(self) -> None:
        session = QDBusConnection.sessionBus()
        address = QDBusInterface("org.a11y.Bus", "/org/a11y/bus", "org.a11y.Bus", session).call("GetAddress").arguments()[0]
        self.bus = QDBusConnection.connectToBus(address, "reader")

    def call(self, node, method, *given, interface=A11Y + "Accessible"):
        """What was answered; None where the node is gone, as happens while a window comes up (an error's text is no answer)."""
        answer = QDBusInterface(*node, interface, self.bus).call(method, *given)
        return answer.arguments()[0] if answer.type() == QDBusMessage.MessageType.ReplyMessage and answer.arguments() else None

    def text(self, node, name):
        return self.call(node, "Get", A11Y + "Accessible", name, interface="org.freedesktop.DBus.Properties") or ""

    def children(self, node):
        return [tuple(child) for child in self.call(node, "GetChildren") or ()]

    def read(self, node, depth=0):
        """A node and all below it: name, description, role, states, children."""
        low, high = (self.call(node, "GetState") or (0, 0))[:2]
        states = low | high << 32
        return {
            "node": node, "name": self.text(node, "Name"), "said": self.text(node, "Description"),
            "role": self.call(node, "GetRoleName"), "showing": bool(states >> SHOWING & 1),
            "selected": bool(states >> SELECTED & 1),
            "place": self.call(node, "GetExtents", 0, interface=A11Y + "Component"),
            "children": [self.read(child, depth + 1) for child in self.children(node)] if depth < 24 else [],
        }  # fmt: skip

    def windows(self):
        return [w for app in self.children((A11Y + "Registry", "/org/a11y/atspi/accessible/root")) for w in self.children(app)]


def every(tree):
    yield tree
    for child in tree["children"]:
        yield from every(child)


def named(tree, name):
    return next((node for node in every(tree) if node["name"] == name), None)


def main() -> None:
    QCoreApplication(sys.argv)
    program = [sys.executable, "-m", "fictilis.cli", "demo"]
    window = subprocess.Popen(program, env={**os.environ, "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1"})
    try:
        bus, tree, until = Bus(), None, time.monotonic() + 60
        while tree is None or not (named(tree, "Cards of the targets") or {}).get("children"):
            assert time.monotonic() < until, "the window did not come"
            time.sleep(0.3)
            tree = next((bus.read(found) for found in bus.windows()), None)
        cards = named(tree, "Cards of the targets")
        number = next(n for n, card in enumerate(cards["children"]) if card["name"].startswith("Flare"))
        bus.call(tuple(cards["node"]), "SelectChild", number, interface=A11Y + "Selection")
        time.sleep(0.5)
        after = bus.read(tuple(tree["node"]))
        bus.call(tuple(named(after, "Below the view: Cues")["node"]), "DoAction", 0, interface=A11Y + "Action")
        time.sleep(1.0)
        Path(sys.argv[1]).write_text(json.dumps({"before": tree, "after": after, "cues": bus.read(tuple(tree["node"]))}))
    finally:
        window.kill()
        window.wait()


if __name__ == "__main__":
    main()
