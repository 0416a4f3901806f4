"""What the view shows, told to assistive technology."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import Any, Protocol

from PyQt6.QtCore import QRectF

from fictilis.app.model.document import Document
from fictilis.app.widgets.spoken import Spoken
from fictilis.core.ground.errors import there
from fictilis.render.camera import Camera
from fictilis.render.stage import LINE_UP, StageItem, seen_boxes


class ViewShown(Protocol):
    """What of the view is told."""

    doc: Document
    camera: Camera
    picture_shown: Any

    def shown(self) -> list[StageItem]: ...
    def width(self) -> int: ...
    def height(self) -> int: ...


class SpokenView(Spoken):
    """The objects, or the shapes of the Line-up."""

    def __init__(self, view: ViewShown) -> None:
        self.view = view
        super().__init__(view, view.doc, "Objects in the view")
        view.picture_shown.connect(self.soon.start)

    def things(self) -> Sequence[StageItem]:
        return self.view.shown()

    def name_of(self, thing: Any) -> Hashable:
        return thing.obj.id, thing.ref

    def said(self, thing: Any) -> tuple[str, str]:
        obj, doc = thing.obj, self.doc
        if doc.way == LINE_UP and obj.id == doc.object_id:
            return thing.label, f"a shape of {obj.name}"
        facts = [f"an object of {len(obj.base):,} points"]
        if thing.shaped:
            picked = len(doc.pick())
            facts += [f"shaping {there(doc.shaping).label(obj)}"]
            facts += [f"{picked:,} {doc.pick().kind} picked" if picked else "nothing picked"]
        facts += ["locked"] if obj.locked else []
        return obj.name, ", ".join(facts)

    def place(self, thing: Any) -> QRectF:
        found = seen_boxes([thing], self.view.camera, self.view.width(), self.view.height())
        return QRectF(*found[0][1]) if found else QRectF()

    def is_chosen(self, thing: Any) -> bool:
        return thing.shaped or thing.obj.id == self.doc.object_id and self.doc.way != LINE_UP

    def choose(self, thing: Any) -> None:
        if self.doc.way == LINE_UP and thing.ref is not None and thing.obj.id == self.doc.object_id:
            self.doc.start_shaping(thing.ref)
        else:
            self.doc.select_object(thing.obj.id)
