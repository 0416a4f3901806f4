"""Cues as they stand in ``scene.json``. Described in docs/file-format.md."""

from __future__ import annotations

from fictilis.core.scene.cues import Act, Cue, Lead, Then, When
from fictilis.formats.native_strict import Strict, fields_of


class LeadRecord(Strict, kw_only=True):
    owner: str
    channel: str
    to: float


class WhenRecord(Strict, kw_only=True):
    kind: str
    owner: str
    pick: str
    key: str
    marker: str
    cue: str
    seconds: float


class ActRecord(Strict, kw_only=True):
    kind: str
    leads: list[LeadRecord]
    owner: str
    mix: str
    group: str
    place: float
    clip: str
    times: int
    channel: str
    modifier: int
    on: bool
    cue: str
    seconds: float
    ease: str


class ThenRecord(Strict, kw_only=True):
    wait: float
    kind: str
    seconds: float
    ease: str
    cue: str


class CueRecord(Strict, kw_only=True):
    id: str
    name: str
    when: WhenRecord
    act: ActRecord
    then: ThenRecord
    meets: str
    carry: bool
    on: bool


def cue_record(cue: Cue) -> CueRecord:
    """A cue as it is written."""
    leads = [LeadRecord(**fields_of(lead, LeadRecord)) for lead in cue.act.leads]
    return CueRecord(
        id=cue.id, name=cue.name, when=WhenRecord(**fields_of(cue.when, WhenRecord)),
        act=ActRecord(**fields_of(cue.act, ActRecord) | {"leads": leads}), then=ThenRecord(**fields_of(cue.then, ThenRecord)),
        meets=cue.meets, carry=cue.carry, on=cue.on,
    )  # fmt: skip


def read_cue(record: CueRecord) -> Cue:
    """A cue that was read."""
    leads = tuple(Lead(**fields_of(lead, LeadRecord)) for lead in record.act.leads)
    return Cue(
            record.id, record.name, When(**fields_of(record.when, WhenRecord)),
            Act(**fields_of(record.act, ActRecord) | {"leads": leads}), Then(**fields_of(record.then, ThenRecord)),
            record.meets, record.carry, record.on,
        )  # fmt: skip
