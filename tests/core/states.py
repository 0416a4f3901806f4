"""A state to go back to."""

from msgspec import Struct

from fictilis.core.scene.scene import Scene


class State(Struct, frozen=True):
    scene: Scene
    extra: int = 0
