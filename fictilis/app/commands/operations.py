"""Operations of the core made on what the document shows: the subject, the form that asks, the step that is committed."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec.structs import replace

from fictilis.app.commands.ports import Ports
from fictilis.app.model.asking import Ask, ChoiceAsk, ask_for
from fictilis.app.model.document import Document
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.arrays import cached_by_identity
from fictilis.core.ground.parameters import Parameter
from fictilis.core.mix.channels import ChannelRef, Owner, kinds
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.clips import ClipChoice
from fictilis.core.operations.correctives import FollowSource
from fictilis.core.operations.lines import OtherLine
from fictilis.core.operations.relays import RelayShape
from fictilis.core.operations.repeats import OtherObject
from fictilis.core.operations.table import ForeignTarget, Kept, Operation, OtherTarget, Outcome, Subject
from fictilis.core.scene.timeline import lanes_by_channel
from fictilis.formats.sound import decoded
from fictilis.render.dress import pixels_of
from fictilis.render.stage import warm_surfaces


def lanes_of(doc: Document) -> tuple[ChannelRef, ...]:
    """The lanes an operation is for: those selected, else all of the object and the camera, in the order of the cards."""
    owners = [owner for owner in (doc.object, doc.scene.camera) if owner is not None]
    keyed = [ChannelRef(owner.id, channel_id) for owner in owners for channel_id in _keyed(owner)]
    chosen = frozenset(doc.selected)
    return tuple(ref for ref in keyed if ref in chosen) or tuple(keyed)


@cached_by_identity
def _keyed(owner: Owner) -> tuple[str, ...]:
    """The channels of an object or a camera that have a lane, in the order of the cards."""
    lanes = lanes_by_channel(owner)
    return tuple(channel_id for channel_id in kinds(owner) if channel_id in lanes) if lanes else ()


def span_of(doc: Document) -> tuple[float, float]:
    """The range an operation is for: from the first to the last selected key, else the scene's."""
    frames = sorted(k.frame for k in doc.keys)
    if len(frames) > 1 and frames[-1] > frames[0]:
        return frames[0], frames[-1]
    return doc.scene.start, doc.scene.end


def subject_of(doc: Document) -> Subject:
    """What is shown, selected and picked. While mixing, a pick made earlier is not seen, and must not decide."""
    obj, tools = doc.object, doc.tools
    return Subject(
        doc.ground, doc.object_id, doc.selected_targets, doc.pick() if doc.shaping is not None else Pick(tools.kind),
        tools.kind,
        lanes_of(doc), doc.selected, doc.keys, doc.frame, span_of(doc), doc.channels.weights(obj) if obj is not None else {},
        tools.mirror, tools.reach, at=doc.shaping.at if doc.shaping is not None else 1.0,
        pixels=lambda: pixels_of(obj) if obj is not None else None,
        cue_id=doc.cue, wave=lambda: decoded(doc.scene.sound) if doc.scene.sound is not None else None,
        shown=doc.channels.values(obj) if obj is not None and obj.skin is not None else {},
    )  # fmt: skip


LARGE = 20_000  # points


class OperationCommands:
    """Makes any operation of the table."""

    def __init__(self, doc: Document, ports: Ports) -> None:
        self.doc, self.ask = doc, ports.ask

    def operate(self, operation_id: str, given: Mapping[str, object] | None = None) -> None:
        """Ask for what is not given, make the operation in one step, and select what it made."""
        doc, operation, values = self.doc, OPERATIONS[operation_id], dict(given or {})
        doc.interrupt()
        subject = subject_of(doc)
        why = operation.missing(subject)
        if why:
            doc.say(why, "warning")
            return
        asked = [p for p in operation.asked if p.name not in values]
        if asked:
            answer = self._form(operation, subject, asked)
            if answer is None:
                return
            values |= answer
        if _is_long(operation, subject):
            made = doc.attempt(lambda: self.ask.run(operation.label, lambda _progress: _made_ready(operation, subject, values)))
        else:
            made = doc.attempt(lambda: operation.make(subject, values))
        if made is not None:
            self._take(operation, subject, values, made)

    def _form(self, operation: Operation, subject: Subject, asked: list[Parameter]) -> dict | None:
        asks = []
        for parameter in asked:
            ask = _ask(parameter, subject)
            if ask is None:
                self.doc.say(f"{operation.label}: there is nothing to choose from.", "warning")
                return None
            asks.append(ask)
        title = operation.says(operation.title or operation.label, subject)
        return self.ask.form(title, operation.sentence, tuple(asks), operation.button or "Do it")

    def _take(self, operation: Operation, subject: Subject, values: dict, made: Outcome) -> None:
        doc = self.doc
        if made.scene is not subject.scene:
            label = operation.says(operation.done or operation.label, subject, values)
            session = None if made.keys is None else replace(doc.session, keys=made.keys)
            parts = {} if made.pick is None else {"picks": {**doc.committed.picks, subject.object_id: made.pick}}
            doc.commit(_undone(label) if values.get("off") else label, made.scene, session, **parts)
        if made.cue is not None:
            doc.change(cue=made.cue, cues_shown=True)
        if made.object_id is not None:
            doc.select_object(made.object_id)
        if made.frame is not None:
            doc.set_frame(made.frame)
        for number, ref in enumerate(made.lanes or ()):
            doc.select_channel(ref, add=number > 0)
        for number, target_id in enumerate(made.targets or ()):
            doc.select_target(target_id, add=number > 0)
        if made.said:
            doc.say(made.said)


def _undone(label: str) -> str:
    """The label of a step that switches something back."""
    begin, _, state = label.rpartition(" ")
    other = {"on": "off", "off": "on"}.get(state)
    return f"{begin} {other}" if other else f"Un{label[0].lower()}{label[1:]}"


def _made_ready(operation: Operation, subject: Subject, values: dict) -> Outcome:
    made = operation.make(subject, values)
    warm_surfaces(made.scene)
    return made


def _is_long(operation: Operation, subject: Subject) -> bool:
    """Whether the operation may take long: it looks at every face of a large mesh."""
    large = subject.object_id is not None and len(subject.obj.base) > LARGE
    return large and (operation.part == "mesh" or operation.verb == "smooth")


def _ask(parameter: Parameter, subject: Subject) -> Ask | None:
    """How a form asks for a parameter; None where there is nothing to choose from."""
    name, label, start = parameter.name, parameter.label, parameter.begins_at(subject)
    if isinstance(parameter, Kept):
        names = parameter.among(subject)
        return ChoiceAsk(name, label, [(n, n) for n in names], start) if names else None
    if isinstance(parameter, OtherTarget | ForeignTarget | RelayShape | FollowSource | ClipChoice | OtherLine | OtherObject):
        options = parameter.options(subject)
        return ChoiceAsk(name, label, options, start) if options else None
    return ask_for(parameter, start)
