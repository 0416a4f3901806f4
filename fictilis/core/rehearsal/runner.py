"""Runs cues with time passed in: no clock, no window. What happens depends on the events and their times alone, never on how
often it is looked at: between events every number is a formula of time."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from heapq import heappop, heappush
from itertools import count
from math import inf
from typing import Any

from msgspec import Struct

from fictilis.core.geometry.kinds import Line
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.relay import members, place_shares, relays
from fictilis.core.rehearsal.acts import HEARD, PLACE, PLAY, TURN, VALUE, Key
from fictilis.core.rehearsal.layers import Layer, Layers, bare, is_led, modifier_on
from fictilis.core.rehearsal.meaning import cue, endless, fault, goals
from fictilis.core.rehearsal.segment import Segment
from fictilis.core.scene.cues import AFTER, BACK, CLICK, CLIP, END, EVERY, LEAVE, MARKER, NEXT, QUEUE, SOUND, START, Cue
from fictilis.core.scene.cues import KEY as KEY_PRESS
from fictilis.core.scene.scene import STRAIGHT, Scene
from fictilis.core.shaping.picks import points_of

GOING, WAITING, COMING_BACK = "going", "waiting", "back"
MOST_AT_ONCE, MOST_WAITING, LOGGED = 2000, 16, 1000
STEP = 1e-4  # s over which a speed is taken


class Event(Struct, frozen=True):
    """What somebody did at a time, s: ``click`` on an object, at a face and its nearest points; ``key``, by its name; or
    ``cue``: one begun by its button."""

    time: float
    kind: str
    name: str
    face: int = -1
    points: tuple[int, ...] = ()


class UnderWay(Struct, frozen=True):
    """A cue that runs: what it does now, how far that is, 0…1, and how many seconds are left of it; ``queued`` how many times
    it waits for its turn."""

    cue: str
    phase: str
    part: float
    left: float
    queued: int = 0


class _Run:
    """One run of a cue: what it holds, and where that was before."""

    def __init__(self, number: int, of: Cue, begun: float, homes: dict[Key, float | None]) -> None:
        self.number, self.cue, self.homes = number, of, homes
        self.keys = set(homes)
        self.phase, self.begun, self.until = GOING, begun, begun
        self.layer: Layer | None = None


class Runner:
    """The cues of a scene from 0 s on, which stands at a frame. Raises EditRefused, by name, where cues would set each other
    off without end."""

    def __init__(self, scene: Scene, frame: float | None = None) -> None:
        round_ = endless(scene)
        if round_:
            names = ", ".join(c.name for c in round_)
            raise EditRefused(f"These cues set each other off without end, in no time: {names}.", "Give one of them a wait.")
        self.scene, self.now = scene, 0.0
        self.frame = scene.start if frame is None else frame
        self.shown = bare(scene)
        self.cues = [c for c in scene.cues if c.on and not fault(scene, c)]
        self.layers = Layers(scene, self.frame)
        self.segments: dict[Key, Segment] = {}
        self._arrived: dict[Key, Segment] = {}  # the last of each number that came back to what the scene has
        self.runs: dict[int, _Run] = {}
        self.queue: list[Cue] = []
        self.events: list[Event] = []
        self.heard: list[tuple[float, bool]] = []  # when the sound began or was stopped
        self.log: deque[tuple[float, str, str]] = deque(maxlen=LOGGED)  # when which cue began, came back, ended
        self._holds: dict[Key, _Run] = {}
        self._numbers, self._order = count(1), count()
        self._due: list[tuple[float, int, Callable[..., None], tuple[Any, ...]]] = []
        self._at_once = (0.0, 0)
        for each in self.cues:
            if each.when.kind == START:
                self._later(0.0, self._begin, each)
            elif each.when.kind == EVERY:
                self._later(each.when.seconds, self._again, each, 1)
        self.advance(0.0)

    # time and what happens in it

    def advance(self, t: float) -> None:
        """Let time pass until ``t`` s, and everything happen that is due by then. Time does not go back."""
        while self._due and self._due[0][0] <= t:
            self.now, _, run, what = heappop(self._due)
            run(self.now, *what)
        self.now = max(self.now, t)

    def click(self, t: float, object_id: str, face: int = -1, points: tuple[int, ...] = ()) -> bool:
        """Somebody clicks an object at ``t`` s, on a face, its points the nearest first; whether any cue listens."""
        self.advance(t)
        return self._external(
            Event(self.now, "click", object_id, face, points),
            [c for c in self.cues if c.when.kind == CLICK and c.when.owner == object_id and self._touched(c, face, points)],
        )

    def key(self, t: float, name: str) -> bool:
        """Somebody presses a key; whether any cue listens."""
        self.advance(t)
        return self._external(
            Event(self.now, "key", name), [c for c in self.cues if c.when.kind == KEY_PRESS and c.when.key == name]
        )

    def start(self, t: float, cue_id: str) -> bool:
        """A cue begun by its button, whether it is on or not. Raises EditRefused for one that lacks something."""
        self.advance(t)
        chosen = cue(self.scene, cue_id)
        why = fault(self.scene, chosen)
        if why:
            raise EditRefused(f"{chosen.name} cannot run. {why}")
        return self._external(Event(self.now, "cue", cue_id), [chosen])

    def repeat(self, event: Event) -> bool:
        """What somebody did, once more at its time."""
        if event.kind == "click":
            return self.click(event.time, event.name, event.face, event.points)
        return (self.key if event.kind == "key" else self.start)(event.time, event.name)

    def _external(self, event: Event, begun: list[Cue]) -> bool:
        self.events.append(event)
        for each in begun:
            self._begin(self.now, each)
        self.advance(self.now)
        return bool(begun)

    def _touched(self, some: Cue, face: int, points: tuple[int, ...]) -> bool:
        obj = self.scene.object(some.when.owner)
        if not some.when.pick:
            return True
        pick = next(p.pick for p in obj.picks if p.name == some.when.pick)
        if pick.kind == "faces" and not isinstance(obj.geometry, Line):
            return face in pick.elements
        return bool(points) and points[0] in points_of(obj.geometry, pick)

    def _later(self, t: float, run: Callable[..., None], *what: Any) -> None:
        if t < inf:
            heappush(self._due, (t, next(self._order), run, what))

    def _again(self, t: float, some: Cue, number: int) -> None:
        self._begin(t, some)
        self._later(some.when.seconds * (number + 1), self._again, some, number + 1)

    # a cue's course

    def _begin(self, t: float, some: Cue) -> None:
        since, times = self._at_once
        self._at_once = (t, times + 1 if since == t else 1)
        if self._at_once[1] > MOST_AT_ONCE:
            raise EditRefused(f"{some.name} begins without end at {t:.2f} s.", "Give it, or what sets it off, a wait.")
        led = goals(self.scene, some)
        others = [run for run in self.runs.values() if run.keys & set(led) or run.cue.id == some.id]
        busy = [run for run in others if run.until < inf or run.cue.id == some.id]
        if busy and some.meets == LEAVE:
            return
        if busy and some.meets == QUEUE:
            if len(self.queue) < MOST_WAITING:
                self.queue.append(some)
            return
        homes = {key: self._home(key) for key in led}
        old = [run.layer for run in others if run.cue.id == some.id and run.layer is not None]
        for other in others:
            self._take_from(other, set() if other.cue.id == some.id else set(led))
        run = _Run(next(self._numbers), some, t, homes)
        self.runs[run.number] = run
        self.log.append((t, some.id, "begins"))
        for key, goal in led.items():
            self._holds[key] = run
            if key[0] != PLAY:
                self._lead(t, key, goal, some.act.seconds, some.act.ease, some.carry)
        if some.act.kind == CLIP:
            self._play(t, run, old)
        elif some.act.kind == SOUND:
            self.heard.append((t, some.act.on))
        elif some.act.kind == END:
            self._tell(t, some.act.cue)
        going = {CLIP: inf if run.layer is None else run.layer.ends - t, SOUND: 0.0, END: 0.0}.get(
            some.act.kind, some.act.seconds
        )
        self._phase(t, run, GOING, going)

    def _home(self, key: Key) -> float | None:
        """Where what a cue takes will come back to: where the one comes back to that has it now, else where it is led."""
        holder = self._holds.get(key)
        if holder is not None and holder.cue.then.kind == BACK:
            return holder.homes[key]
        segment = self.segments.get(key)
        return None if segment is None else segment.goal

    def _take_from(self, run: _Run, keys: set[Key]) -> None:
        """A run without what another takes; without anything left (or with ``keys`` empty) it is over and sets nothing off.
        Clips are not taken: one plays over another, and goes back to it."""
        if keys:
            run.keys -= keys - {(PLAY,)}
        if not keys or not run.keys:
            self._over(run)

    def _over(self, run: _Run) -> None:
        self.runs.pop(run.number, None)
        for key in [key for key, holder in self._holds.items() if holder is run]:
            del self._holds[key]
        if run.layer is not None:
            run.layer.run = 0

    def _phase(self, t: float, run: _Run, phase: str, seconds: float) -> None:
        run.phase, run.begun, run.until = phase, t, t + seconds
        self._later(run.until, self._next, run, phase)

    def _next(self, t: float, run: _Run, phase: str) -> None:
        if self.runs.get(run.number) is not run or run.phase != phase or run.until > t:
            return
        if phase == GOING:
            self._phase(t, run, WAITING, run.cue.then.wait)
        elif phase == WAITING:
            self._then(t, run)
        else:
            self._ended(t, run)

    def _then(self, t: float, run: _Run) -> None:
        then = run.cue.then
        if then.kind != BACK:
            self._ended(t, run)
            return
        ease = then.ease or run.cue.act.ease
        for key in run.keys:
            if key[0] == TURN:
                home = run.homes[key]
                self._lead(t, key, self._initial(key) if home is None else home, then.seconds, ease, run.cue.carry)
            elif key[0] in (VALUE, PLACE):
                self._lead(t, key, run.homes[key], then.seconds, ease, run.cue.carry)
            elif key[0] == HEARD:
                self.heard.append((t, False))
        if run.layer is not None:
            self._uncover(t, run.layer, then.seconds, ease)
        self._phase(t, run, COMING_BACK, then.seconds)
        self.log.append((t, run.cue.id, "comes back"))

    def _ended(self, t: float, run: _Run) -> None:
        self._over(run)
        self.log.append((t, run.cue.id, "ends"))
        for each in self.cues:
            if each.when.kind == AFTER and each.when.cue == run.cue.id:
                self._begin(t, each)
        if run.cue.then.kind == NEXT:
            following = cue(self.scene, run.cue.then.cue)
            if following.on and not fault(self.scene, following):
                self._begin(t, following)
        self._from_queue(t)

    def _from_queue(self, t: float) -> None:
        waiting, self.queue = self.queue, []
        for each in waiting:  # those that still find somebody go to the queue's end again, in their order
            self._begin(t, each)

    def _tell(self, t: float, cue_id: str) -> None:
        """A cue is told to end: it goes on to what follows now."""
        self.queue = [c for c in self.queue if c.id != cue_id]
        for run in [r for r in self.runs.values() if r.cue.id == cue_id and r.phase != COMING_BACK]:
            if run.phase == GOING and run.layer is not None:
                run.layer.stop(t)
            run.phase = ""  # what was to come does not
            self._then(t, run)

    # numbers

    def _lead(self, t: float, key: Key, goal: float | None, seconds: float, ease: str, carry: bool) -> None:
        base = self._base(key, t)
        now = self._number(key, t)
        aim = base if goal is None else goal
        carry = carry or ease.startswith("spring")
        rate = self._rate(key, t, goal is None) if carry else 0.0
        segment = Segment(t, seconds, ease, goal, now - aim, rate, carry)
        if key[0] == TURN:
            self.layers.turned[key[1], key[2], int(key[3])] = segment
            self.layers.changed()
        self.segments[key] = segment
        if goal is None:
            self._later(segment.ends, self._rest, key, segment)

    def _rest(self, _t: float, key: Key, segment: Segment) -> None:
        if self.segments.get(key) is segment:
            self._arrived[key] = self.segments.pop(key)

    def _initial(self, key: Key) -> float:
        return float(modifier_on(self.scene, (key[1], key[2], int(key[3]))))

    def _base(self, key: Key, t: float) -> float:
        """What a number is without cues."""
        if key[0] == TURN:
            return self._initial(key)
        return 0.0 if key[0] == HEARD else float(self.layers.values(key[1], t)[key[2]])

    def _number(self, key: Key, t: float) -> float:
        segment = self.segments.get(key)
        if segment is None:
            return self._base(key, t)
        return (self._base(key, t) if segment.goal is None else segment.goal) + segment.left(t)

    def _rate(self, key: Key, t: float, to_base: bool) -> float:
        """How much faster than its goal a number moves at ``t`` s, 1/s."""
        segment = self.segments.get(key)
        if segment is None and key in self._arrived and self._arrived[key].ends == t:
            segment = self._arrived[key]  # which arrives in this instant, as one that stays there does
        rate, led = (0.0, True) if segment is None else (segment.speed(t), segment.goal is None)
        return rate if led is to_base else rate + (1.0 if led else -1.0) * self._base_rate(key, t)

    def _base_rate(self, key: Key, t: float) -> float:
        """How fast a number moves without cues, 1/s: on the calmer side, as what is held may jump."""
        here = self._base(key, t)
        return min(((self._base(key, t + step) - here) / step for step in (STEP, -STEP)), key=abs)

    # clips

    def _play(self, t: float, run: _Run, old: list[Layer]) -> None:
        act = run.cue.act
        amount = Segment(t, act.seconds, act.ease, 1.0, -1.0)
        for layer in old:  # its own earlier round goes as this one comes
            self._uncover(t, layer, act.seconds, act.ease)
        run.layer = self.layers.play(act.clip, t, act.times, amount, run.number)
        self._later(amount.ends, self._covered, run.layer, amount, run.cue.then.kind != BACK)
        for marker in {c.when.marker for c in self.cues if c.when.kind == MARKER}:
            for frame in [m.frame for m in self.scene.markers if m.name == marker]:
                self._passing(run.layer, marker, frame, t - 1e-9)

    def _covered(self, t: float, layer: Layer, amount: Segment, stays: bool) -> None:
        if stays and layer in self.layers.stack and layer.amount is amount:
            self._let_go(self.layers.cover(layer))

    def _uncover(self, t: float, layer: Layer, seconds: float, ease: str) -> None:
        layer.amount = Segment(t, seconds, ease, 0.0, layer.covers(t))
        self.layers.changed()
        self._later(layer.amount.ends, self._settle)

    def _settle(self, t: float) -> None:
        self._let_go(self.layers.settle(t))

    def _let_go(self, numbers: list[int]) -> None:
        for number in numbers:
            run = self.runs.get(number)
            if run is not None and run.phase != COMING_BACK:
                self._over(run)
        if numbers:
            self._from_queue(self.now)

    def _passing(self, layer: Layer, marker: str, frame: float, after: float) -> None:
        t = layer.passes(frame, after)
        if t is not None:
            self._later(t, self._passed, layer, marker, frame)

    def _passed(self, t: float, layer: Layer, marker: str, frame: float) -> None:
        if layer not in self.layers.stack:
            return
        self._passing(layer, marker, frame, t)
        if layer is self.layers.on_top and layer.amount is not None and layer.amount.goal == 1.0 and layer.stopped is None:
            for each in self.cues:
                if each.when.kind == MARKER and each.when.marker == marker:
                    self._begin(t, each)

    # what is seen

    def values(self) -> dict[str, dict[str, float]]:
        """Of each object by id the values of its channels, as far as they differ from those that ``shown``, the scene without
        anything that leads by itself, has."""
        t, out = self.now, dict[str, dict[str, float]]()
        for obj in self.scene.objects:
            if is_led(obj) or len(self.layers.stack) > 1 or self.layers.turned:
                out[obj.id] = dict(self.layers.values(obj.id, t))
        for key in self.segments:
            if key[0] == VALUE:
                out.setdefault(key[1], {})[key[2]] = self._number(key, t)
            elif key[0] == PLACE:
                out.setdefault(key[1], {}).update(self._placed(key, t))
        return out

    def _placed(self, key: Key, t: float) -> dict[str, float]:
        obj = self.scene.object(key[1])
        lane, group = obj.lane(key[2]), relays(obj)[key[2]]
        assert lane is not None
        known = {m.id: 0.0 for m in members(obj, key[2])}
        shares = place_shares(lane.curve, group.relay or STRAIGHT, self._number(key, t))
        return known | {k: v for k, v in shares.items() if k in known} | {key[2]: self._number(key, t)}

    def under_way(self) -> list[UnderWay]:
        """The cues that run, in the order in which they began, and after them those that only wait for their turn."""
        waiting = {c.id: self.queue.count(c) for c in self.queue}
        out = []
        for run in self.runs.values():
            whole = run.until - run.begun
            part = (self.now - run.begun) / whole if 0 < whole < inf else 1.0 if whole == 0 else 0.0
            out.append(UnderWay(run.cue.id, run.phase, part, run.until - self.now, waiting.pop(run.cue.id, 0)))
        return out + [UnderWay(cue_id, "queued", 0.0, inf, times) for cue_id, times in waiting.items()]

    @property
    def quiet(self) -> bool:
        """Whether nothing moves, runs or waits: nothing happens until somebody does something."""
        moving = any(segment.ends > self.now for segment in self.segments.values())
        return not (self.runs or self.queue or moving or self._due)
