"""What the actions of cues do that are no operation of the core: each method is one row's."""

from __future__ import annotations

from fictilis.app.commands.ports import Ports
from fictilis.app.model.document import Document
from fictilis.app.model.rehearsing import Rehearsing
from fictilis.core.edits import cues as edits
from fictilis.core.ground.errors import Cancelled, EditRefused, there
from fictilis.core.rehearsal.meaning import cue
from fictilis.core.rehearsal.takes import without_waiting
from fictilis.core.scene.cues import Cue


class CueCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports, rehearsing: Rehearsing) -> None:
        self.doc, self.ask, self.rehearsing = doc, ports.ask, rehearsing

    def rehearse(self) -> None:
        if self.doc.rehearsing:
            self.rehearsing.leave()
        else:
            self.rehearsing.begin()

    def record_take(self) -> None:
        """Begin a take, from the beginning; or end it, and write what it showed as keys from this frame on."""
        doc, rehearsing = self.doc, self.rehearsing
        if not doc.taking:
            rehearsing.begin()
            doc.change(taking=True)
            return
        events, seconds, frame, scene = rehearsing.events(), rehearsing.seconds, doc.frame, doc.ground
        within = doc.take_within
        if not doc.take_waiting:
            events, seconds = without_waiting(scene, events, seconds)
        try:
            made = self.ask.run("Making keys of the take", lambda _progress: edits.take(scene, events, seconds, frame, within))
        except Cancelled:
            doc.say("The take goes on; end it once more to make its keys.")
            return
        except EditRefused:
            rehearsing.leave()
            raise
        rehearsing.leave()
        new, lanes, said = made
        doc.commit("Take", new)
        last = frame + seconds * scene.fps
        said = [f"Keys on {len(lanes)} lane{'' if len(lanes) == 1 else 's'} from frame {frame:g} to {last:.0f}.", *said]
        doc.change(cues_shown=False, selected=tuple(ref for ref in lanes if ref.owner == doc.object_id))
        doc.say(" ".join(said))

    def test_cue(self) -> None:
        """Run the chosen cue, whatever it waits for; a rehearsal begins where there is none."""
        chosen = cue(self.doc.scene, there(self.doc.cue))
        if not self.doc.rehearsing:
            self.rehearsing.begin()
        self.rehearsing.start(chosen.id)

    def move_cue(self, way: int) -> None:
        doc = self.doc
        place = [c.id for c in doc.scene.cues].index(there(doc.cue)) + way
        if 0 <= place < len(doc.scene.cues):
            doc.edit("Move the cue", lambda s: edits.move_cue(s, there(doc.cue), place))

    def change_cue(self, new: Cue) -> bool:
        """Change the words of a cue."""
        return self.doc.edit(
            f"Change {new.name}",
            lambda s: edits.change_cue(
                s, new.id, when=new.when, act=new.act, then=new.then, meets=new.meets, carry=new.carry, on=new.on
            ),
        )
