"""Operations on cameras: new ones, which is looked through, and the line that one moves along."""

from __future__ import annotations

from fictilis.core.edits import timeline
from fictilis.core.edits.lines import leave_line
from fictilis.core.ground.parameters import Flag, Number, Text
from fictilis.core.operations.lines import ALONG_FRAMES, OtherLine, follow
from fictilis.core.operations.table import Operation, Subject, Values
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import SceneCamera


def _camera(s: Subject, v: Values) -> Scene:
    made = SceneCamera("", v["name"], (v["x"], v["y"], v["z"]), v["distance"], v["yaw"], v["pitch"], v["lens"], v["parallel"])
    return timeline.add_camera(s.scene, made)[0]


CAMERAS = (
    Operation("camera", "new", "New camera", _camera,
              (Text("name", "Name", "Camera"), *(Number(a, f"Looks at {a.upper()}", 0.0, unit="cm", low=-1e6,
                                                        high=1e6) for a in "xyz"),
               Number("distance", "Distance", 300.0, unit="cm", low=1e-3, high=1e6),
               Number("yaw", "Turn", 0.0, unit="°", low=-1e4, high=1e4),
               Number("pitch", "Tilt", 0.0, unit="°", low=-90, high=90),
               Number("lens", "Field of view", 30.0, unit="°", low=1, high=170), Flag("parallel", "Parallel")), (),
              "A camera that turns about what it looks at.", done="New {name}"),
    Operation("camera", "rename", "Rename the camera", lambda s, v: timeline.rename_camera(s.scene, s.camera.id, v["name"]),
              (Text("name", "Name", needed=True),), ("camera",), "Another name for the camera.", done="Rename the camera"),
    Operation("camera", "remove", "Remove the camera", lambda s, _v: timeline.remove_camera(s.scene, s.camera.id), (),
              ("camera",),
              "Removes the camera with its lanes.", done="Remove the camera"),
    Operation("camera", "first", "Look through the camera", lambda s, _v: timeline.first_camera(s.scene, s.camera.id), (),
              ("camera",),
              "The camera becomes the one that is looked through.", done="Look through the camera"),
    Operation("camera", "along", "Camera along a line", lambda s, v: follow(s, v, s.camera.id, True),
              (OtherLine("other", "Line", needed=True, any=True), Flag("still", "Looking at its place, not along the line"),
               *ALONG_FRAMES), ("camera", "any line"),
              "Moves the camera along a line, also while the line morphs; a lane runs from 0 to 1.", "Lead it",
              done="Camera along a line"),
    Operation("camera", "no-along", "Stop following", lambda s, _v: leave_line(s.scene, s.camera.id), (),
              ("camera", "led camera"), "The camera no longer follows the line; its keys along it are deleted.",
              done="Stop following"),
)  # fmt: skip
