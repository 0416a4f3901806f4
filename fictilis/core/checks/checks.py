"""The checks, in one table. Each looks at one object of a scene and gives its findings."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator

from fictilis.core.checks.finding import Finding
from fictilis.core.checks.lanes import creep, off_frames, out_of_range, seam, unkeyed
from fictilis.core.checks.shapes import PILE, idle, never_acting, pile_up, shuffled, twins_apart
from fictilis.core.checks.tubes import crossing_tubes
from fictilis.core.ground import interrupt
from fictilis.core.scene.scene import Scene

CHECKS: dict[str, Callable[..., Iterator[Finding]]] = {
    "creep": creep, "unkeyed": unkeyed, "range": out_of_range, "pile-up": pile_up, "idle": idle,
    "correctives": never_acting, "twins": twins_apart, "tubes": crossing_tubes,
    "frames": off_frames, "order": shuffled, "seam": seam,
}  # fmt: skip
OF_CAMERAS = ("creep", "frames")


def run_checks(scene: Scene, loops: bool = False, pile: float = PILE, only: Collection[str] = tuple(CHECKS)) -> list[Finding]:
    """All findings of a scene, or those of the checks named in ``only``; the seam of a loop only where it ``loops``.

    ``pile``: weights that add up to more on the same points are too much.
    """
    found: list[Finding] = []
    for obj in scene.objects:
        for name, check in CHECKS.items():
            interrupt.check()
            if name in only and (name != "seam" or loops):
                found += check(scene, obj, pile) if name == "pile-up" else check(scene, obj)
    for camera in scene.cameras:
        for name in (n for n in OF_CAMERAS if n in only):
            found += CHECKS[name](scene, camera)
    return found
