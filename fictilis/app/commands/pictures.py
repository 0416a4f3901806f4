"""Movies, pictures, turntables and sheets: chosen in a window, made beside it."""

from __future__ import annotations

from msgspec.structs import replace

from fictilis.app.commands.ports import Ports
from fictilis.app.model.document import Document
from fictilis.app.model.making import DONE, FAILED, Job, Making
from fictilis.core.scene.light import Light
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import SavedView
from fictilis.pictures.orders import AS_SEEN, KINDS, Order


class PictureCommands:
    """One method a row of the actions table."""

    def __init__(self, doc: Document, ports: Ports, making: Making) -> None:
        self.doc, self.ports, self.ask, self.making = doc, ports, ports.ask, making
        making.ended.connect(self._tell)

    def pictures(self, kind: str) -> None:
        """Ask what is to be made, and begin to make it."""
        wanted = self.ask.pictures(kind, self._scene())
        if wanted is not None:
            self.doc.change(ordered=wanted)
            self.make(*wanted)

    def make_again(self) -> None:
        """The same order once more, of the scene as it is now."""
        self.make(*self.doc.ordered)

    def _scene(self) -> Scene:
        """The scene with the view as it is among its kept ones."""
        scene, eye = self.doc.committed.scene, self.ports.view.eye.camera
        view = SavedView(AS_SEEN, eye.centre, eye.distance, eye.yaw, eye.pitch, eye.parallel)
        return replace(scene, views=(*(v for v in scene.views if v.name != AS_SEEN), view))

    def make(self, order: Order, light: Light) -> Job | None:
        """Begin an order; it is made of the scene as it is now, whatever is done meanwhile."""
        job, scene = Job(order, light), self._scene()
        if self.doc.attempt(lambda: self.ask.run(f"Beginning {order.path.name}", lambda _p: job.keep(scene) or True)) is None:
            job.forget()
            return None
        self.making.take(job)
        self.ports.shell.show_making()
        return job

    def show_making(self) -> None:
        self.ports.shell.show_making()

    def _tell(self, job: Job) -> None:
        name = KINDS[job.order.kind].name
        if job.state == DONE:
            self.doc.say(f"{name} made: {job.order.path.name}. {job.said}".strip(), "warning" if job.said else "note")
        elif job.state == FAILED:
            self.doc.say(f"{name} {job.order.path.name}: {job.said}", "error")
