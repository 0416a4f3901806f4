"""Operations on clips."""

from __future__ import annotations

from fictilis.core.edits import clips as edits
from fictilis.core.ground.parameters import Flag, Number, Parameter, Span, Text
from fictilis.core.operations.table import Operation, Outcome, Subject, Values
from fictilis.core.scene.clips import choose_clip, clip, clip_named
from fictilis.core.scene.scene import Scene


class ClipChoice(Parameter, frozen=True):
    """A clip, by id or name."""

    def options(self, subject: Subject) -> list[tuple[str, str]]:
        return [(c.name, c.id) for c in subject.scene.clips]

    def checked(self, value: object, subject: Subject) -> str:
        if value is None:
            return subject.scene.clip or ""  # the active one
        ids = {c.id for c in subject.scene.clips}
        return str(value) if value in ids else clip_named(subject.scene, str(value)).id


def _made(made: tuple[Scene, str]) -> Outcome:
    scene, clip_id = made
    return Outcome(scene, said=f"{clip(scene, clip_id).name} is active now.")


def _which(s: Subject, v: Values) -> str:
    """The clip that is named, else the active one."""
    return v["clip"] or s.scene.clip or ""


def _blend(s: Subject, v: Values) -> Outcome:
    made = edits.blend_clips(s.scene, v["first"], v["second"], v["name"] or None, v["offset"])
    return Outcome(made[0], said="The lane Blend leads from the first clip to the second.")


WHICH = ClipChoice("clip", "Clip", lambda s: s.scene.clip, needed=True)
CLIPS = (
    Operation("clip", "new", "New clip", lambda s, v: _made(edits.new_clip(s.scene, v["name"])),
              (Text("name", "Name", "Clip"),), (), "Lanes of their own for all objects, without keys, under a name.",
              "Make it", done="New clip {name}"),
    Operation("clip", "duplicate", "Duplicate the clip", lambda s, v: _made(edits.duplicate_clip(s.scene, v["name"] or None)),
              (Text("name", "Name", asked=False),), (), "A copy of the active clip.", done="Duplicate the clip"),
    Operation("clip", "choose", "Choose a clip", lambda s, v: choose_clip(s.scene, v["clip"]), (WHICH,), ("clips",),
              "Its lanes are shown, keyed and played.", "Choose it", done="Choose a clip"),
    Operation("clip", "rename", "Rename the clip",
              lambda s, v: edits.rename_clip(s.scene, _which(s, v), v["name"]),
              (Text("name", "Name", lambda s: clip(s.scene).name, True), ClipChoice("clip", "Clip", asked=False)),
              ("clips",), "Another name for the active clip.", "Rename it", done="Rename the clip {name}"),
    Operation("clip", "range", "Range of a clip", lambda s, v: edits.set_clip_range(s.scene, v["clip"], *v["frames"]),
              (WHICH, Span("frames", "Frames", lambda s: (s.scene.start, s.scene.end), True)), ("clips",),
              "The frames of a clip.", "Set it", done="Range of a clip"),
    Operation("clip", "loop", "Loop the clip", lambda s, v: edits.set_loop(s.scene, _which(s, v), not v["off"]),
              (ClipChoice("clip", "Clip", asked=False), Flag("off", "Once", asked=False)), ("clips",),
              "Whether the clip repeats.", done="Loop the clip"),
    Operation("clip", "blend", "Blend two clips", _blend,
              (ClipChoice("first", "From", lambda s: s.scene.clip, needed=True), ClipChoice("second", "To", needed=True),
               Number("offset", "The second later by", 0.0, unit="frames", low=-1e6, high=1e6), Text("name", "Name", "")),
              ("two clips",), "A clip that plays copies of both; a lane leads from the first to the second.", "Blend them",
              done="Blend two clips"),
    Operation("clip", "offset", "Shift the second clip", lambda s, v: edits.set_offset(s.scene, v["frames"]),
              (Number("frames", "Later by", lambda s: next((o.blend.offset for o in s.scene.objects if o.blend), 0.0), True,
                      unit="frames", low=-1e6, high=1e6),), ("blended",),
              "How many frames later the second of two blended clips is played.", "Shift it", done="Shift the second clip"),
    Operation("clip", "remove", "Delete the clip", lambda s, v: edits.remove_clip(s.scene, _which(s, v)),
              (ClipChoice("clip", "Clip", asked=False),), ("two clips",), "Deletes the clip and its keys.",
              done="Delete the clip"),
)  # fmt: skip
