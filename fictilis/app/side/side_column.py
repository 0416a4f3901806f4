"""The side column: numbers of the tool, of the target and of the object. Each section folds by its heading."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QScrollArea,
    QWidget,
)

from fictilis.app.commands.actions import Actions
from fictilis.app.commands.files import Commands
from fictilis.app.commands.operations import OperationCommands
from fictilis.app.commands.shape import ShapeCommands
from fictilis.app.model.document import Document
from fictilis.app.side.camera_section import CameraSection
from fictilis.app.side.deformer_section import AfterSection, DeformerSection
from fictilis.app.side.driver_section import DriverSection
from fictilis.app.side.follow_section import FollowSection
from fictilis.app.side.line_section import LineSection
from fictilis.app.side.match_section import MatchSection
from fictilis.app.side.modifier_section import ModifierSection
from fictilis.app.side.object_section import ObjectSection
from fictilis.app.side.relay_section import RelaySection
from fictilis.app.side.repeat_section import RepeatSection
from fictilis.app.side.rig_section import RigSection
from fictilis.app.side.spring_section import SpringSection
from fictilis.app.side.surface_section import SurfaceSection
from fictilis.app.side.sweep_section import SweepSection
from fictilis.app.side.target_section import TargetSection
from fictilis.app.side.tool_section import ToolSection
from fictilis.app.side.tube_section import TubeSection
from fictilis.app.widgets.fields import by_tab_only
from fictilis.app.widgets.layouts import down
from fictilis.app.widgets.theme import Palette
from fictilis.core.geometry.kinds import Line
from fictilis.core.mix.relay import relays
from fictilis.core.scene.deformers import DEFORMERS
from fictilis.core.scene.scene import MorphObject

Fits = Callable[[], bool]
MOVING = ("object", "drivers", "relay", "follow", "sweep", "rig", "camera", *DEFORMERS)  # what lanes and previews change


def has(thing: object, name: str) -> bool:
    return thing is not None and getattr(thing, name) is not None


def is_deformed(doc: Document, kind: str) -> bool:
    return doc.object is not None and any(deformer.kind == kind for deformer in doc.object.deformers)


def has_line(obj: MorphObject | None) -> bool:
    return obj is not None and isinstance(obj.geometry, Line)


class SideColumn(QScrollArea):
    """Sections by name, ``tool``, ``relay`` and so on; each is made when something first fits it, or it is asked for."""

    def __init__(
        self, doc: Document, palette: Palette, commands: Commands, shape_commands: ShapeCommands, operations: OperationCommands,
        actions: Actions,
    ) -> None:  # fmt: skip
        super().__init__()
        self.doc, self.palette_ = doc, palette
        self.setObjectName("side")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumWidth(150)
        inner = QWidget()
        inner.setObjectName("side")
        inner.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._layout = down(inner, 0, (12, 10, 8, 10))
        self._layout.addStretch()
        self._made: dict[str, Any] = {}
        # from top to bottom: when a section may fit what is selected, and what makes it
        self._parts: dict[str, tuple[Fits, Callable[[Palette], Any]]] = {
            "tool": (lambda: doc.shaping is not None, lambda p: ToolSection(doc, p, shape_commands)),
            "relay": (lambda: doc.object is not None and bool(relays(doc.object)),
                      lambda p: RelaySection(doc, p, actions, operations)),
            "target": (lambda: doc.target is not None, lambda p: TargetSection(doc, p)),
            "match": (lambda: has(doc.target, "match"), lambda p: MatchSection(doc, p)),
            "sweep": (lambda: has(doc.target, "sweep"), lambda p: SweepSection(doc, p, operations)),
            "follow": (lambda: has(doc.target, "follows"), lambda p: FollowSection(doc, p)),
            "drivers": (lambda: has(doc.target, "rule"), lambda p: DriverSection(doc, p)),
            "modifiers": (lambda: doc.chosen is not None, lambda p: ModifierSection(doc, p)),
            "camera": (lambda: doc.through_camera, lambda p: CameraSection(doc, p)),
            "line": (lambda: has_line(doc.object), lambda p: LineSection(doc, p, operations)),
            "tube": (lambda: has_line(doc.object), lambda p: TubeSection(doc, p)),
            "after": (lambda: doc.object is not None, lambda p: AfterSection(doc, p, actions)),
            **{kind: (partial(is_deformed, doc, kind), partial(DeformerSection, doc, kind=kind)) for kind in DEFORMERS},
            "spring": (lambda: has(doc.object, "spring"), lambda p: SpringSection(doc, p)),
            "surface": (lambda: has(doc.object, "surface"), lambda p: SurfaceSection(doc, p, operations)),
            "rig": (lambda: has(doc.object, "skin"), lambda p: RigSection(doc, p, operations)),
            "repeat": (lambda: has(doc.object, "repeat"), lambda p: RepeatSection(doc, p)),
            "object": (lambda: doc.object is not None, lambda p: ObjectSection(doc, p, commands, operations)),
        }  # fmt: skip
        self.setWidget(inner)
        doc.changed.connect(self.refresh)
        doc.moved.connect(self._moved)
        self.refresh()

    def __getattr__(self, name: str) -> Any:
        """A section by its name."""
        if name in self.__dict__.get("_parts", ()):
            return self._section(name)
        raise AttributeError(name)

    def _section(self, name: str) -> Any:
        if name not in self._made:
            section = self._parts[name][1](self.palette_)
            by_tab_only(section)
            self._made[name] = section
            above = list(self._parts)[: list(self._parts).index(name)]
            self._layout.insertWidget(sum(other in self._made for other in above), section)
            section.refresh()
        return self._made[name]

    def _moved(self) -> None:
        """Show what lanes and previews do to the object and the camera."""
        for name, section in self._made.items():
            if name in MOVING and not section.isHidden():
                section.show_values()

    def set_palette_(self, palette: Palette) -> None:
        self.palette_ = palette
        for section in self._made.values():
            section.set_palette_(palette)
        self.refresh()

    def refresh(self) -> None:
        for name, (fits, _) in self._parts.items():
            if name in self._made:
                self._made[name].refresh()
            elif fits():
                self._section(name)
