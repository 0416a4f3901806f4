"""The document: the scene, its history, and the session beside it. Widgets show it and edit through it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from itertools import count
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from fictilis.app.model.channels import Channels
from fictilis.app.model.hand import Hand
from fictilis.app.model.session import NAMES, POINTING, Live, Notice, Session, State
from fictilis.app.model.stamps import Stamp, stamp_of
from fictilis.core.checks.changes import changes
from fictilis.core.edits.shape import STAY, move_shape, set_mask
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.arrays import extent
from fictilis.core.ground.errors import EditRefused, FictilisError, there
from fictilis.core.ground.names import number_of
from fictilis.core.mix.channels import Channel, ChannelRef
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.history import History
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, Target, highest_number, targets_by_id
from fictilis.core.shaping.picks import points_of
from fictilis.core.validity.scenes import check
from fictilis.render.stage import WAYS

T = TypeVar("T")
UNDO_STEPS = 500


if TYPE_CHECKING:
    Told = Session  # a document is read as its session, by __getattr__
else:
    Told = object


class Document(QObject, Told):  # type: ignore[misc]  # the session is frozen, the document is not
    """``changed`` after any change of state or session; ``moved`` when only the frame or a preview did; ``opened``, before
    ``changed``, when another scene came: what was kept of the one before can go;
    ``acting`` before an action: what is being typed is taken, or left.

    The fields of the session are read here as attributes; only ``change`` and the methods beside it write them.
    """

    changed = pyqtSignal()
    moved = pyqtSignal()
    opened = pyqtSignal()
    acting = pyqtSignal()
    said = pyqtSignal(str, str)
    noticed = pyqtSignal(list)

    def __init__(self, scene: Scene | None = None) -> None:
        super().__init__()
        self.openings = 0  # how many scenes were opened so far
        self.path: Path | None = None
        self.stamp: Stamp | None = None  # of the scene's file, as it was read or written here
        self.session = Session()
        self.channels = Channels(self)
        self.hand = Hand(self._ground, self.cancel_preview)
        self._run: object = None  # what commits now, where it is to be one step
        self._start(scene or Scene())

    def _start(self, scene: Scene) -> None:
        self._versions = count()
        self.openings += 1
        self._history = History(State(scene, version=next(self._versions), frame=scene.start), UNDO_STEPS)
        self._preview: State | None = None
        self._live: Live | None = None
        self.saved_version: int | None = self._history.state.version
        self.saved_scene: Scene | None = scene  # as it was opened or saved last
        self._highest_id = 0  # in any scene that was undone
        self.session = self.session.for_scene(scene)
        self._fit_tool_sizes()

    if not TYPE_CHECKING:  # which knows the names of the session

        def __getattr__(self, name: str) -> Any:
            """What the session says: ``frame``, ``tools``, ``selected`` and so on."""
            if name in NAMES:
                return getattr(self.session, name)
            raise AttributeError(name)

    def __setattr__(self, name: str, value: object) -> None:
        if name in NAMES:
            raise AttributeError(f"{name} belongs to the session; use change")
        super().__setattr__(name, value)

    def _now(self, **parts: Any) -> None:
        """Another session, told by whoever calls."""
        self.session = replace(self.session, **parts)

    def _fit_tool_sizes(self) -> None:
        obj = self.object
        if obj is not None and len(obj.base):
            size = float(np.linalg.norm(extent(obj.base))) or 1.0
            self._now(tools=replace(self.tools, size=float(f"{size * 0.14:.2g}"), pivot_place=None))

    # what is there

    @property
    def state(self) -> State:
        return self._preview or self._history.state

    @property
    def committed(self) -> State:
        """The committed state, without a preview."""
        return self._history.state

    @property
    def scene(self) -> Scene:
        return self.state.scene

    @property
    def live(self) -> Live | None:
        """What a rehearsal shows; a preview of an edit is shown before it."""
        return self._live if self._preview is None else None

    def show_live(self, live: Live | None) -> None:
        if live is not None or self._live is not None:
            self._live = live
            self.moved.emit()

    @property
    def ground(self) -> Scene:
        """The committed scene, to make an edit of: ids that were undone are not given again."""
        scene = self.committed.scene
        return replace(scene, id_floor=self._highest_id) if scene.id_floor < self._highest_id else scene

    def interrupt(self) -> None:
        """An action begins: what is typed ends, and so does a gesture."""
        self.acting.emit()
        self.hand.leave()

    def _ground(self) -> tuple:
        """What a gesture stands on."""
        now = self.committed
        return now.scene, now.picks, self.object_id, self.shaping, self.way, self.openings

    @property
    def object(self) -> MorphObject | None:
        return next((o for o in self.scene.objects if o.id == self.object_id), None)

    @property
    def obj(self) -> MorphObject:
        """The object shown, for what is off or hidden without one."""
        return there(self.object)

    @property
    def target(self) -> Target | None:
        """The target selected last, or None for the base."""
        obj = self.object
        last = self.selected[-1] if self.selected else None
        return targets_by_id(obj).get(last.channel) if obj is not None and last is not None and last.owner == obj.id else None

    @property
    def chosen(self) -> Channel | None:
        """The channel selected last."""
        return self.channels.find(self.selected[-1]) if self.selected else None

    @property
    def selected_targets(self) -> tuple[str, ...]:
        """The targets of the object shown among what is selected, in the order of selecting."""
        obj = self.object
        known = targets_by_id(obj) if obj is not None else {}
        return tuple(ref.channel for ref in self.selected if ref.owner == self.object_id and ref.channel in known)

    @property
    def title(self) -> str:
        """The scene's name as shown: its file's, else its own."""
        return self.path.stem if self.path else self.scene.name

    @property
    def unsaved(self) -> bool:
        return self.committed.version != self.saved_version

    def pick(self, object_id: str | None = None) -> Pick:
        """What is picked on an object, the present one by default."""
        return self.state.picks.get(object_id or self.object_id or "", Pick(self.tools.kind))

    def picks(self, object_id: str | None = None) -> np.ndarray:
        """(k,) int64: the points that the pick touches."""
        pick = self.pick(object_id)
        obj = next((o for o in self.scene.objects if o.id == (object_id or self.object_id)), None)
        return points_of(obj.geometry, pick) if obj is not None else pick.elements[:0]

    def say(self, sentence: str, kind: str = "note") -> None:
        self.said.emit(sentence, kind)

    def notice(self, notices: Sequence[Notice]) -> None:
        """Sentences that each come with something to do about it."""
        if notices:
            self.said.emit(notices[-1].sentence, "warning")
            self.noticed.emit(list(notices))

    # history

    def commit(self, label: str, scene: Scene | None = None, session: Session | None = None, **parts: Any) -> bool:
        """One undoable step to a new scene and, by name, new ``posed`` or ``picks``; told together with a new session. False,
        with the reason said, where the scene could not be opened again."""
        self.hand.leave()
        now = self.committed
        if scene is not None and scene is not now.scene:
            try:
                check(scene, now.scene)
            except EditRefused as why:
                self.say(why.said, "error")
                self.cancel_preview()
                return False
            parts["version"] = next(self._versions)
        self._preview = None
        self.session = session or self.session
        state = replace(now, scene=scene or now.scene, frame=self.frame, **parts)
        self._history.push(label, state.fitting(now.scene, self.frame), self._run)
        self._fit(now.scene)
        self._tell()
        return True

    @contextmanager
    def one_step(self, run: Any) -> Iterator[None]:
        """What is committed within is one step with what the same ``run`` committed last, where nothing came after that."""
        self._run = run
        try:
            yield
        finally:
            self._run = None

    def edit(self, label: str, function: Callable[[Scene], Scene]) -> bool:
        """Commit ``function(scene)``; an expected error is said and changes nothing."""
        self.interrupt()
        scene = self.attempt(lambda: function(self.ground))
        if scene is None:
            self.cancel_preview()
            return False
        return self.commit(label, scene)

    def attempt(self, work: Callable[[], T]) -> T | None:
        """Run ``work``; an expected error is said as a sentence, and None comes back."""
        try:
            return work()
        except FictilisError as error:
            self.say(error.said, "error")
            return None

    def preview(self, scene: Scene | None = None, session: Session | None = None, others: bool = False, **parts: Any) -> None:
        """Show a state without committing it; ``others`` says that it has other objects than the one before."""
        self.session = session or self.session
        self._preview = replace(self.committed, scene=scene or self.committed.scene, **parts)
        (self.changed if others else self.moved).emit()

    def cancel_preview(self) -> None:
        if self._preview is not None:
            self._preview = None
            self._tell()

    def _tell(self) -> None:
        """Say that something changed; a gesture on another ground is over before anybody looks."""
        self.hand.check()
        self.changed.emit()

    def undo_label(self) -> str:
        return self._history.undo_label()

    def redo_label(self) -> str:
        return self._history.redo_label()

    def undo(self) -> None:
        self._step(-1)

    def redo(self) -> None:
        self._step(1)

    def _step(self, way: int) -> None:
        self.interrupt()
        self.cancel_preview()
        left = self.committed.scene
        if self._history.step(way):
            numbers = [highest_number(o) for o in left.owners] + [number_of(c.id) for c in left.cues]
            self._highest_id = max(self._highest_id, left.id_floor, *numbers, 0)
            if self.committed.posed:  # which is seen at its own frame
                self._now(frame=self.committed.frame)
            self._history.state = self.committed.fitting(left, self.frame)
            self._fit(left)
            self._tell()

    def _fit(self, before: Scene) -> None:
        """The scene changed: the session points at nothing that is gone, and the frame is within a range that is new."""
        scene = self.committed.scene
        if (scene.start, scene.end) != (before.start, before.end) and not scene.start <= self.frame <= scene.end:
            self._now(frame=float(np.clip(self.frame, scene.start, scene.end)))
            self._history.state = self.committed.fitting(scene, self.frame)
        self.session = self.session.fitting(scene)

    def open_scene(self, scene: Scene, path: Path | None, saved: bool = True, stamp: Stamp | None = None) -> None:
        """Another scene in place of this one, with a history of its own. ``stamp`` is its file's from before it was read."""
        self.hand.leave()
        self._start(scene)
        self.path, self.stamp = path, None if path is None else stamp or stamp_of(path)
        if not saved:
            self.saved_version = self.saved_scene = None
        self.opened.emit()
        self._tell()

    def mark_saved(self, saved: Scene, named: Scene, path: Path) -> None:
        """Remember that ``saved`` is on the disk; ``named`` is the same scene with its file's name."""
        self.path, self.stamp = path, stamp_of(path)
        now = self.committed
        if now.scene is saved:
            self._history.state = replace(now, scene=named)
            self.saved_version, self.saved_scene = now.version, named
        self._tell()

    def changes(self) -> list[str]:
        """What changed since the scene was opened or saved, in sentences."""
        return [] if self.saved_scene is None else changes(self.saved_scene, self.committed.scene)

    def changed_on_disk(self) -> bool:
        """Whether the scene's file is another one than was read or written here."""
        now = None if self.path is None else stamp_of(self.path)
        return now is not None and now != self.stamp

    # interface state

    def change(self, **parts: Any) -> None:
        """Change the session, by the names of its fields, and tell."""
        self.put(replace(self.session, **parts))

    def put(self, session: Session) -> None:
        """Another session in place of this one, and tell."""
        was, self.session = self.session, session
        if any(getattr(was, name) is not getattr(session, name) for name in POINTING):
            self.session = session.fitting(self.committed.scene)
        self._tell()

    def set_tools(self, **values: Any) -> None:
        self.change(tools=replace(self.tools, **values))

    def see(self, **values: Any) -> None:
        self.change(seeing=replace(self.seeing, **values))

    def set_frame(self, frame: float) -> None:
        """Go to a frame. Values posed over lanes and not keyed fall back to their curves, as a step that undo takes back."""
        if frame == self.frame:
            return
        left = self.committed
        self._now(frame=float(frame))
        if self._preview is not None:
            self._preview = replace(self._preview, posed={})
        if left.posed:
            self._history.insert("Leave the posed mix", replace(left, posed={}, frame=self.frame))
            self.channels.say_left(left)
            self._tell()
        else:
            self.moved.emit()

    def scrub(self, frame: float) -> None:
        """Go to the whole frame nearest to one, within the range."""
        self.set_frame(float(np.clip(np.round(frame), np.ceil(self.scene.start), np.floor(self.scene.end))))

    def step_among(self, frames: Iterable[float], way: int) -> None:
        """Go to the next of some frames, or with a negative ``way`` to the previous one; nowhere where there is none."""
        if way > 0:
            further = min((f for f in frames if f > self.frame + 1e-6), default=None)
        else:
            further = max((f for f in frames if f < self.frame - 1e-6), default=None)
        if further is not None:
            self.set_frame(further)

    def select_object(self, object_id: str) -> None:
        if object_id != self.object_id:
            self.interrupt()
            self._now(object_id=object_id, shaping=None)
            self.session = self.session.fitting(self.committed.scene)
            self._fit_tool_sizes()
            self._tell()

    def select_channel(self, ref: ChannelRef | None, add: bool = False, row: Sequence[ChannelRef] = ()) -> None:
        """Select a channel (None: the base); with ``add`` also keep those selected before, or take all of a ``row`` from
        the one selected first to this one. What is shaped goes over to the target selected last."""
        if ref is None:
            selected: tuple[ChannelRef, ...] = ()
        elif ref in row and self.selected and self.selected[0] in row:
            a, b = row.index(self.selected[0]), row.index(ref)
            selected = tuple(row[a : b + 1] if a <= b else row[b : a + 1][::-1])
        elif add:
            rest = tuple(r for r in self.selected if r != ref)
            selected = rest if ref in self.selected else (*rest, ref)
        else:
            selected = (ref,)
        shaping, last, obj = self.shaping, selected[-1] if selected else None, self.object
        if shaping is not None and last is not None and obj is not None and last.owner == obj.id:
            goes_over = last.channel != shaping.target and last.channel in targets_by_id(obj)
            shaping = ShapeRef(last.channel) if goes_over else shaping
        self.change(selected=selected, cue=None, shaping=shaping)

    def select_target(self, target_id: str | None, add: bool = False) -> None:
        """Select a target of the object shown, or its base (None)."""
        self.select_channel(None if target_id is None else self.channels.ref(target_id), add)

    def start_shaping(self, ref: ShapeRef) -> None:
        self.change(
            selected=self.selected if ref.target is None else (self.channels.ref(ref.target),),
            base_choice=self.base_choice if self.base_choice_kept else None,
            before=self.committed.scene if self.shaping is None else self.before,
            shaping=ref,
            rehearsing=False,
        )

    def done_shaping(self) -> None:
        self.change(shaping=None, base_choice=self.base_choice if self.base_choice_kept else None)

    def next_way(self) -> None:
        self.change(way=WAYS[(WAYS.index(self.way) + 1) % len(WAYS)])

    def stroke(self, moved: Deltas, share: float, label: str, choice: str = "follow") -> bool:
        """Commit a stroke on the shape being shaped; ``moved`` is the displacement of the shown points."""
        obj, ref = self.obj, there(self.shaping)
        targets = choice if ref.is_base else STAY
        own = moved if share == 1.0 else Deltas(moved.indices, moved.offsets / share)
        return self.edit(f"{label} on {ref.label(obj)}", lambda scene: move_shape(scene, obj.id, ref, own, targets))

    def set_mask(self, target_id: str, mask: np.ndarray | None) -> None:
        name = there(self.object).target(target_id).name
        self.edit(f"Mask of {name}", lambda scene: set_mask(scene, there(self.object_id), target_id, mask))

    def set_pick(self, pick: Pick, label: str | None = None) -> None:
        """Pick something on the present object, in one step; nothing happens when it is picked already."""
        if pick.same_as(self.pick()):
            return
        if label is None:
            one = pick.kind[:-1]
            label = f"Pick {len(pick):,} {one if len(pick) == 1 else pick.kind}" if len(pick) else "Deselect"
        self.commit(label, picks={**self.committed.picks, self.object_id: pick})

    def set_picks(self, indices: np.ndarray, label: str | None = None) -> None:
        """Pick points by their numbers."""
        self.set_pick(Pick("points", indices), label)
