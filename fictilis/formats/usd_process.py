"""OpenUSD, in: read in a process of its own, since a broken file may end that one, and anything may be asked to stop."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from fictilis.core.ground.errors import BadFile, CannotSave, FictilisError
from fictilis.core.ground.interrupt import check
from fictilis.core.scene.scene import Scene
from fictilis.formats.files import Imported, MeshData, Progress, is_text, no_progress, plain_words, read_bytes
from fictilis.formats.native import read_native, write_native

CHILD = "import sys; from fictilis.formats.usd_process import child; child(sys.argv[1], sys.argv[2])"
LONGEST = 600.0  # s


def child(path: str, out: str) -> None:
    """Read a file into a scene file, and say how that went in one line of JSON."""
    try:
        from fictilis.formats.usd_reading import read_here

        scene, said = read_here(Path(path))
        write_native(Path(out), scene)
        told: dict[str, Any] = {"said": said}
    except CannotSave as error:  # what was read, for the one who asked
        told = {"wrong": f"{Path(path).name} cannot be read: {error.sentence.partition(' saved: ')[2].rstrip('.')}."}
    except FictilisError as error:
        told = {"wrong": error.said}
    except Exception as error:  # noqa: BLE001 - usd-core raises plain ones
        told = {"wrong": f"{Path(path).name} cannot be read: {plain_words(error)}."}
    sys.stdout.write("\n" + json.dumps(told) + "\n")


def _said_by(words: list[str]) -> str:
    """What a child prints, which is ended where that is asked for, or after LONGEST. It searches no folders named elsewhere."""
    surroundings = {name: value for name, value in os.environ.items() if not name.startswith(("PXR_", "USD_"))}
    begun = time.monotonic()
    with subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, env=surroundings) as child:
        try:
            while True:
                with suppress(subprocess.TimeoutExpired):
                    return child.communicate(timeout=0.1)[0]
                check()
                if time.monotonic() - begun > LONGEST:
                    raise subprocess.TimeoutExpired(words, LONGEST)
        finally:
            child.kill()


def read_usd(path: Path, progress: Progress = no_progress) -> tuple[Scene, tuple[str, ...]]:
    """A scene of all that an OpenUSD file shows, and sentences on what was left out. Raises BadFile."""
    path = Path(path)
    read_bytes(path)  # says what is wrong where there is no such file
    if not is_text(path):
        raise BadFile(f"{path.name} cannot be read: the name of a folder on the way is no text; copy it elsewhere.")
    with tempfile.TemporaryDirectory(prefix="fictilis-") as folder:
        out = Path(folder) / "read.fictilis"
        try:
            told = json.loads(_said_by([sys.executable, "-c", CHILD, str(path.resolve()), str(out)]).strip().splitlines()[-1])
        except (subprocess.TimeoutExpired, ValueError, IndexError):
            raise BadFile(f"{path.name} cannot be read: it is broken.") from None
        progress(0.8)
        if "wrong" in told:
            raise BadFile(told["wrong"])
        try:
            scene = read_native(out)
        except BadFile as error:
            raise BadFile(f"{path.name} cannot be read: {error.sentence.partition(': ')[2]}") from None
    return replace(scene, name=path.stem), tuple(told["said"])


def read_usd_meshes(path: Path, progress: Progress = no_progress) -> Imported:
    """The meshes and curves alone, each as it rests."""
    scene, said = read_usd(path, progress)
    rows = (MeshData(o.name, o.base, o.geometry, o.appearance.colour, o.appearance.smooth) for o in scene.objects)
    return Imported(tuple(rows), said)
