"""What a scene shows, and scenes that move."""

from fictilis.core.animation.curve import Key
from fictilis.core.at_frame.copies import copies
from fictilis.core.at_frame.drawn import shown_points
from fictilis.core.at_frame.pose import Pose
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.lines import set_along
from fictilis.core.geometry.kinds import WHOLE
from fictilis.core.mix.channels import own_placement
from fictilis.core.scene.scene import Scene


def shown(scene, frame, partly=False):
    """All points of all objects and their copies in the scene, as they are written; lines whole or as far as they are drawn."""
    out = []
    for obj in scene.objects:
        spread = copies(scene, obj, frame)
        for matrix, later in zip(spread.matrices, spread.delays, strict=True):
            part = own_placement(obj, frame - later, fps=scene.fps).drawn if partly else WHOLE
            points = shown_points(obj, Pose(scene, obj, frame - later).points, part)
            out.append(points @ matrix[:3, :3].T + matrix[:3, 3])
    return out


def travelling():
    """A ball that follows a wave, turns about several axes, and is seen by a camera."""
    scene, wave = add_form(Scene(end=40.0), "Wave", {"points": 9})
    scene, ball = add_form(scene, "Ball", {"segments": 2, "radius": 3.0})
    scene, globe = add_form(scene, "Globe", {"radius": 2.0, "segments": 6, "rings": 4})
    for frame, value in ((0, 0.0), (40, 1.0)):
        scene = set_key(
            set_key(scene, globe, "rotation.x", Key(frame, 70 * value)), globe, "rotation.y", Key(frame, 200 * value)
        )
        scene = set_key(scene, globe, "scale.y", Key(frame, 1 + value, "ease"))
    scene = set_along(scene, ball, wave)
    return set_key(set_key(scene, ball, "along", Key(0, 0.0, "linear")), ball, "along", Key(40, 1.0, "linear"))
