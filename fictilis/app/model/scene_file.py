"""Reading a scene's file with what its first picture needs."""

from __future__ import annotations

from pathlib import Path

from fictilis.core.scene.scene import Scene
from fictilis.formats.files import Progress, no_progress
from fictilis.formats.native import read_native
from fictilis.formats.reference import picture_at
from fictilis.render.dress import unpack_images


def read_scene(path: Path, progress: Progress = no_progress) -> Scene:
    """The scene, its images unpacked and its film opened, which take a while. Raises FictilisError; safe in a thread."""
    scene = read_native(path, progress)
    unpack_images(scene)
    if scene.reference is not None:
        picture_at(scene.reference, scene.start, scene.fps)
    return scene
