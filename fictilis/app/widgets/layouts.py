"""Layouts, dress, menus and timers as the window makes them."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from PyQt6.QtCore import QObject, Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QLayout, QMenu, QVBoxLayout, QWidget

from fictilis.core.ground.errors import there

Margins = tuple[int, int, int, int]  # pixels: left, above, right, below
NONE: Margins = (0, 0, 0, 0)
L = TypeVar("L", QVBoxLayout, QHBoxLayout)


def down(widget: QWidget | None = None, spacing: int | None = None, margins: Margins = NONE) -> QVBoxLayout:
    """One thing below the other, in a widget or to be put into another layout."""
    return _set(QVBoxLayout(widget), spacing, margins)


def across(widget: QWidget | None = None, spacing: int | None = None, margins: Margins = NONE) -> QHBoxLayout:
    """One thing beside the other."""
    return _set(QHBoxLayout(widget), spacing, margins)


def _set(layout: L, spacing: int | None, margins: Margins) -> L:
    layout.setContentsMargins(*margins)
    if spacing is not None:
        layout.setSpacing(spacing)
    return layout


def empty(layout: QLayout) -> None:
    """Take all widgets out of a layout, for good."""
    while layout.count():
        widget = there(layout.takeAt(0)).widget()
        if widget is not None:
            widget.hide()
            widget.deleteLater()


def menu_on(widget: QWidget) -> QMenu:
    """A menu that is gone once it was closed."""
    menu = QMenu(widget)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    return menu


def dress(widget: QWidget, *parts: QWidget, **properties: object) -> bool:
    """Give a widget properties that the style sheet asks for; where one is another now, it and its ``parts`` are dressed again,
    and the answer is True."""
    style = there(widget.style())
    if all((widget.property(name) or False) == value for name, value in properties.items()):
        return False
    for name, value in properties.items():
        widget.setProperty(name, value)
    for part in (widget, *parts):
        style.unpolish(part)
        style.polish(part)
    return True


def later(owner: QObject, ms: int, run: Callable[[], object]) -> QTimer:
    """A timer that runs something so long after its last start, as long as its owner is there."""
    timer = QTimer(owner)
    timer.setSingleShot(True)
    timer.setInterval(ms)
    timer.timeout.connect(run)
    return timer
