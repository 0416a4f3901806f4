"""Where cards stand: in two columns, or as rows when there are many, under the headings of their groups."""

from __future__ import annotations

from msgspec import Struct
from PyQt6.QtCore import QRectF

from fictilis.core.mix.driven import driven_by
from fictilis.core.scene.scene import Group, MorphObject, Target

CARD_HEIGHT, ROW_HEIGHT, GAP, THUMB = 109, 30, 8, 33  # pixels, the last of a picture in a row


def bar_part(target: Target, weight: float) -> float:
    """Where a weight stands on its bar, 0…1 over the range."""
    low, high = target.range
    return (weight - low) / (high - low)


class Place(Struct):
    """Where a card is, of the base without a target, and the parts of it, which are worked out for cards that are looked at."""

    target: Target | None
    rect: QRectF
    follows: bool
    row: bool

    @property
    def bar(self) -> QRectF | None:
        """None for the base and for what follows others."""
        return None if self.target is None or self.follows else self._bar()

    @property
    def number(self) -> QRectF | None:
        """None for the base."""
        if self.target is None:
            return None
        if self.row:
            return _number(self.rect)
        return QRectF(self.rect.right() - 44, self.rect.top() + 4, 38, 16).adjusted(-26 if self.follows else 0, 0, 0, 0)

    @property
    def name(self) -> QRectF:
        rect = self.rect
        if self.row:
            return QRectF(rect.left() + THUMB, rect.top() + 1, _number(rect).left() - 3 - rect.left() - THUMB, 17)
        return QRectF(rect.left() + 7, rect.bottom() - 35, rect.width() - 13, 16)

    @property
    def drivers(self) -> QRectF | None:
        """Where a corrective says what drives it, a shape of a relay where it stands."""
        return self._bar().adjusted(0, -5, 0, 5) if self.follows else None

    def _bar(self) -> QRectF:
        rect = self.rect
        return _bar(rect, THUMB) if self.row else QRectF(rect.left() + 7, rect.bottom() - 14, rect.width() - 14, 6)


class GroupPlace(Struct):
    """Where a group's heading is: caret and name fold it, its bar below the name multiplies the weights of its members."""

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
    shown += [t for t in obj.targets if wanted.lower() in t.name.lower()] if wanted else obj.targets
    wide = width - 2 if rows else (width - GAP - 2) / 2
    y, column, group = 1.0, 0, None
    for target in shown:
        its = obj.group(target.group) if target is not None and target.group is not None else None
        if its is not group:
            group = its
            y, column = y + (CARD_HEIGHT + GAP if column else 0), 0
            if group is not None:
                rect = QRectF(1, y, width - 2, ROW_HEIGHT - 4)
                groups.append(GroupPlace(group, rect, _bar(rect, 20), _number(rect)))
                y += ROW_HEIGHT
        if group is not None and group.folded and not wanted:
            continue
        follows = target is not None and bool(driven_by(obj, target))
        if rows:
            placed.append(Place(target, QRectF(1, y, wide, ROW_HEIGHT - 3), follows, True))
            y += ROW_HEIGHT
        else:
            placed.append(Place(target, QRectF(1 + column * (wide + GAP), y, wide, CARD_HEIGHT), follows, False))
            column = 1 - column
            y += CARD_HEIGHT + GAP if column == 0 else 0
    return placed, groups, int(y + (CARD_HEIGHT + GAP if column else 0)) + 4


def _bar(rect: QRectF, left: float) -> QRectF:
    """In a row, below the name."""
    return QRectF(rect.left() + left, rect.bottom() - 8, max(rect.width() - left - 45, 20), 5)


def _number(rect: QRectF) -> QRectF:
    """In a row."""
    return QRectF(rect.right() - 39, rect.top(), 35, rect.height())
