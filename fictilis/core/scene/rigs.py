"""A rig and the skin that hangs on it, as a file brought them: their numbers are kept as they came and go out so again."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from msgspec.structs import force_setattr

from fictilis.core.animation.sampled import CUBIC, LINEAR, STEP
from fictilis.core.ground.arrays import cached_by_identity, frozen
from fictilis.core.ground.names import fresh_names, tidy_name

TRANSLATION, ROTATION, SCALE = PATHS = "translation", "rotation", "scale"
WIDTHS = {TRANSLATION: 3, ROTATION: 4, SCALE: 3}
CLIP, TIME = "rig.clip", "rig.time"  # channels of what hangs on a rig: its clip, and the s in it that are shown
OTHERS = OTHER_CLIP, OTHER_TIME, OTHER_PART = "rig.clip beside", "rig.time beside", "rig.part beside"  # where two clips blend
TURN, ANGLE = "turn", "angle"  # and of each joint, behind which its number and an axis stand
MOST_JOINTS = 4096
MOST_PARTS = 64  # joints that one point hangs on


class RigTrack(Struct, frozen=True, eq=False, weakref=True):
    """The samples of one path of one joint: times (k,) float64 s, rising; values (k, 3 or 4) float32, in the rig's own unit,
    rotations as x, y, z, w; ``into`` and ``out`` are tangents a second where ``way`` is CUBICSPLINE."""

    joint: int
    path: str
    way: str
    times: np.ndarray
    values: np.ndarray
    into: np.ndarray | None = None
    out: np.ndarray | None = None

    def __post_init__(self) -> None:
        if self.path not in PATHS or self.way not in (STEP, LINEAR, CUBIC):
            raise ValueError(f"a joint has no {self.path} by {self.way}")
        force_setattr(self, "times", frozen(self.times, np.float64))
        rows = {"values": self.values} | ({"into": self.into, "out": self.out} if self.way == CUBIC else {})
        for name, held in rows.items():
            if held is None or held.shape != (len(self.times), WIDTHS[self.path]):
                raise ValueError(f"the {self.path} of a joint has {len(self.times)} times, and {name} that are none for each")
            force_setattr(self, name, frozen(held, np.float32, WIDTHS[self.path]))
        if not len(self.times) or (np.diff(self.times) < 0).any():
            raise ValueError(f"the times of a joint's {self.path} do not rise")


class RigClip(Struct, frozen=True, eq=False, weakref=True):
    """A motion of the joints by its name."""

    name: str
    tracks: tuple[RigTrack, ...]

    @property
    def seconds(self) -> float:
        """When its last sample is."""
        return max((float(track.times[-1]) for track in self.tracks), default=0.0)


class Rig(Struct, frozen=True, eq=False, weakref=True):
    """Joints, each behind the one it hangs on (``parents`` (j,), -1 for none), as they rest: ``matrices`` (j, 4, 4) float64 for
    column vectors, and the numbers (j, 10) they were said by, translation, rotation x, y, z, w, scale; ``by_matrix`` (j,) where
    they were said by the matrix. In the unit and the axes of the file it came from."""

    name: str
    joints: tuple[str, ...]
    parents: np.ndarray
    matrices: np.ndarray
    numbers: np.ndarray
    by_matrix: np.ndarray
    clips: tuple[RigClip, ...] = ()

    def __post_init__(self) -> None:
        count = len(self.joints)
        for name, dtype, shape in (
            ("parents", np.int32, (count,)), ("matrices", np.float64, (count, 4, 4)), ("numbers", np.float64, (count, 10)),
            ("by_matrix", np.bool_, (count,)),
        ):  # fmt: skip
            force_setattr(self, name, _kept(getattr(self, name), dtype, shape, "a rig"))
        if not 0 < count <= MOST_JOINTS:
            raise ValueError(f"a rig has from 1 to {MOST_JOINTS:,} joints, not {count:,}")
        if (self.parents >= np.arange(count)).any() or (self.parents < -1).any():
            raise ValueError("a joint must stand behind the one it hangs on")
        if any(not 0 <= track.joint < count for clip in self.clips for track in clip.tracks):
            raise ValueError("a clip of a rig moves a joint that is not there")


class Bound(Struct, frozen=True, eq=False, weakref=True):
    """How points hang on a rig: on ``joints`` (k,) int32 of it, each with ``inverse`` (k, 4, 4) of where it was when they were
    bound; ``parts`` (n, m) int32 are numbers among these, ``weights`` (n, m) float32 what each has to say.

    ``into`` (4, 4) leads from the object's own space to that in which it was bound, ``out`` from the rig's to the object's own.
    ``bind`` (k, 4, 4) is what was inverted, where a file said that.
    """

    rig: Rig
    joints: np.ndarray
    inverse: np.ndarray
    parts: np.ndarray
    weights: np.ndarray
    into: np.ndarray
    out: np.ndarray
    bind: np.ndarray | None = None

    def __post_init__(self) -> None:
        count = len(self.joints)
        for name, dtype, shape in (
            ("joints", np.int32, (count,)), ("inverse", np.float64, (count, 4, 4)), ("into", np.float64, (4, 4)),
            ("out", np.float64, (4, 4)), ("parts", np.int32, np.shape(self.weights)),
            ("weights", np.float32, np.shape(self.weights)),
        ):  # fmt: skip
            force_setattr(self, name, _kept(getattr(self, name), dtype, shape, "a skin"))
        if self.bind is not None:
            force_setattr(self, "bind", _kept(self.bind, np.float64, (count, 4, 4), "a skin"))
        if not 0 < count <= MOST_JOINTS or (self.joints < 0).any() or (self.joints >= len(self.rig.joints)).any():
            raise ValueError("a skin hangs on joints that its rig does not have")
        if self.weights.ndim != 2 or not 0 < self.weights.shape[1] <= MOST_PARTS:
            raise ValueError(f"a point hangs on from 1 to {MOST_PARTS} joints, not on {self.weights.shape[1:]}")
        if self.parts.size and (self.parts.min() < 0 or self.parts.max() >= count):
            raise ValueError(f"a point hangs on joint {int(self.parts.max())} of a skin with {count}")
        if not np.isfinite(self.weights).all() or (self.weights < 0).any():
            raise ValueError("the weights of a skin are finite and not below 0")
        if abs(np.linalg.det(self.into)) < 1e-30 or abs(np.linalg.det(self.out)) < 1e-30:
            raise ValueError("the space in which a skin was bound is flat")


class Skin(Struct, frozen=True, eq=False, weakref=True):
    """What an object hangs on, and how: by ``dual`` quaternions, else linearly. Not ``on`` it rests. ``clip`` is the number of
    the rig's clip that is played and ``time`` the s in it, while no lane leads them; ``turns`` are pairs of a joint's channel
    and its degrees, where not 0."""

    bound: Bound
    dual: bool = False
    on: bool = True
    clip: int = 0
    time: float = 0.0
    turns: tuple[tuple[str, float], ...] = ()

    @property
    def rig(self) -> Rig:
        return self.bound.rig


def _kept(held: object, dtype: type, shape: tuple[int, ...], what: str) -> np.ndarray:
    """A read-only array of a shape. Raises ValueError for another one."""
    array: np.ndarray = np.ascontiguousarray(held, dtype)
    if array.shape != shape:
        raise ValueError(f"{what} has numbers shaped {array.shape} where {shape} are needed")
    if array.flags.writeable:
        array = array.copy()
        array.flags.writeable = False
    return array


def turn_id(joint: int, axis: str) -> str:
    """The channel of how far a joint is turned by hand about an axis of its own."""
    return f"{TURN}.{joint}.{axis}"


def angle_id(joint: int, axis: str = "") -> str:
    """The channel of the angle by which a joint is away from its rest, or of its part about X, Y or Z."""
    return f"{ANGLE}.{joint}" + (f".{axis}" if axis else "")


def joint_of(channel: str) -> int | None:
    """The number of the joint that a channel is of; None for another channel."""
    word, _, rest = channel.partition(".")
    number = rest.partition(".")[0]
    return int(number) if word in (TURN, ANGLE) and number.isdecimal() and len(number) < 6 else None


def is_rigged(channel: str) -> bool:
    """Whether a channel is of the rig that an object hangs on, and so of all that hang on it."""
    return channel in (CLIP, TIME) or joint_of(channel) is not None


@cached_by_identity
def joint_names(rig: Rig) -> tuple[str, ...]:
    """What joints are called here: as the file names them, each once."""
    return tuple(fresh_names(tidy_name(name) or f"Joint {number}" for number, name in enumerate(rig.joints, 1)))


@cached_by_identity
def turn_ids(rig: Rig) -> tuple[str, ...]:
    """The channels of all turns, three a joint."""
    return tuple(turn_id(n, axis) for n in range(len(rig.joints)) for axis in "xyz")
