"""Where cards stand: in two columns, or as rows when there are many, under the headings of their groups."""

from __future__ import annotations

from msgspec import Struct
from PyQt6.QtCore import QRectF

from fictilis.core.mix.driven import driven_by
from fictilis.core.scene import Group, MorphObject, Target

CARD_HEIGHT, ROW_HEIGHT, GAP = 109, 30, 8


def bar_part(target: Target, weight: float) -> float:
    """Where a weight stands on its bar, 0…1 over the range."""
    low, high = target.range
    return (weight - low) / (high - low)


class Place(Struct):
    """Where a card is: its whole rectangle, its bar (none for the base and for what follows others) and its number (none
    for the base); ``drivers`` is where a corrective says what drives it, a shape of a relay where it stands."""

    target: Target | None
    rect: QRectF
    bar: QRectF | None
    number: QRectF | None
    name: QRectF
    drivers: QRectF | None = None


class GroupPlace(Struct):
    """Where a group's heading is: caret and name fold it, its bar multiplies the weights of its members."""

    group: Group
    rect: QRectF
    bar: QRectF
    number: QRectF


def lay_out(obj: MorphObject | None, wanted: str, width: float, rows: bool) -> tuple[list[Place], list[GroupPlace], int]:
    """The cards whose names hold ``wanted``, the headings of groups, and the height of all."""
    placed: list[Place] = []
    groups: list[GroupPlace] = []
    if obj is None:
        return placed, groups, 40
    shown: list[Target | None] = [None]
    shown += [t for t in obj.targets if wanted.lower() in t.name.lower()]
    y, column, group = 1.0, 0, None
    for target in shown:
        its = obj.group(target.group) if target is not None else None
        if its is not group:
            group = its
            y, column = y + (CARD_HEIGHT + GAP if column else 0), 0
            if group is not None:
                groups.append(_group(group, width, y))
                y += ROW_HEIGHT
        if group is not None and group.folded and not wanted:
            continue
        follows = target is not None and bool(driven_by(obj, target))
        if rows:
            placed.append(_row(target, width, y, follows))
            y += ROW_HEIGHT
        else:
            placed.append(_card(target, column, width, y, follows))
            column = 1 - column
            y += CARD_HEIGHT + GAP if column == 0 else 0
    return placed, groups, int(y + (CARD_HEIGHT + GAP if column else 0)) + 4


def _group(group: Group, width: float, y: float) -> GroupPlace:
    rect = QRectF(1, y, width - 2, ROW_HEIGHT - 4)
    return GroupPlace(group, rect, *_bar_and_number(rect))


def _bar_and_number(rect: QRectF) -> tuple[QRectF, QRectF]:
    """In a row."""
    bar = QRectF(rect.left() + 108, rect.center().y() - 3, max(rect.width() - 154, 20), 6)
    return bar, QRectF(rect.right() - 42, rect.top(), 38, rect.height())


def _row(target: Target | None, width: float, y: float, follows: bool) -> Place:
    rect = QRectF(1, y, width - 2, ROW_HEIGHT - 3)
    name = QRectF(rect.left() + 36, rect.top(), 70, rect.height())
    return _place(target, rect, *_bar_and_number(rect), name, follows)


def _place(target: Target | None, rect: QRectF, bar: QRectF, number: QRectF, name: QRectF, follows: bool) -> Place:
    if target is None:
        return Place(None, rect, None, None, name)
    if follows:
        return Place(target, rect, None, number.adjusted(-26, 0, 0, 0), name, bar.adjusted(0, -5, 0, 5))
    return Place(target, rect, bar, number, name)


def _card(target: Target | None, column: int, width: float, y: float, follows: bool) -> Place:
    wide = (width - GAP - 2) / 2
    rect = QRectF(1 + column * (wide + GAP), y, wide, CARD_HEIGHT)
    bar = QRectF(rect.left() + 7, rect.bottom() - 14, rect.width() - 14, 6)
    number = QRectF(rect.right() - 44, rect.top() + 4, 38, 16)
    name = QRectF(rect.left() + 7, rect.bottom() - 35, rect.width() - 13, 16)
    return _place(target, rect, bar, number, name, follows)
