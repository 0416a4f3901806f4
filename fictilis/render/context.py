"""The OpenGL context that pictures are drawn in."""

from __future__ import annotations

from typing import Any

import moderngl

from fictilis.core.ground.errors import FictilisError

EGL: dict[str, Any] = {"standalone": True, "require": 330, "backend": "egl"}
# by their usual names first: looking for them starts programs, which takes longer than all else
WAYS: tuple[dict[str, Any], ...] = ({**EGL, "libegl": "libEGL.so.1", "libgl": "libGL.so.1"}, EGL)

# what is seen through lies over what is there; a whole picture stays whole
OVER: Any = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA


def off_screen() -> moderngl.Context:
    """A context of its own, with OpenGL 3.3. Raises FictilisError where there is none."""
    why: Exception | None = None
    for way in WAYS:
        try:
            return moderngl.create_context(**way)
        except Exception as error:  # noqa: BLE001 - moderngl raises plain ones
            why = error
    raise FictilisError(
        f"No picture can be drawn: OpenGL 3.3 over EGL is not to be had here ({why}).",
        "Install the packages libegl1 and libgl1-mesa-dri.",
    )
