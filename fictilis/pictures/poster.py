"""The picture that stands on a page until it runs."""

from __future__ import annotations

import io
from pathlib import Path

from fictilis.core.ground.errors import FictilisError
from fictilis.core.scene.scene import Scene
from fictilis.formats import registry
from fictilis.formats.choices import Choices
from fictilis.formats.files import Progress, no_progress
from fictilis.pictures.look import CLEAR, Look

WIDTH, HEIGHT = 640, 400


def poster(scene: Scene) -> bytes | None:
    """A PNG of the first frame before nothing; None where no picture can be drawn here."""
    from PIL import Image

    from fictilis.pictures.shots import Shots, aimed
    from fictilis.render.renderer import Renderer

    look = Look(WIDTH, HEIGHT, ground=CLEAR)
    try:
        with Renderer() as renderer:  # of this thread, which need not be the window's
            picture = Shots(scene, look, renderer).picture(scene.start, aimed(scene, None, look, [scene.start]))
    except FictilisError:
        return None
    out = io.BytesIO()
    Image.fromarray(picture).save(out, "PNG", optimize=True)
    return out.getvalue()


def export(
    scene: Scene, path: Path, frame: float = 0.0, progress: Progress = no_progress, choices: Choices | None = None
) -> list[str]:
    """Write a scene to a file of another kind, by its suffix; returns warnings. A page has a picture."""
    return registry.export(scene, path, frame, progress, choices, poster)
