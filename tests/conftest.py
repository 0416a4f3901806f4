import os
import shutil
import subprocess
from collections.abc import Iterator
from itertools import count
from pathlib import Path

import numpy as np
import pytest

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


def pytest_configure(config: pytest.Config) -> None:
    """Each worker has a screen of its own, so that windows do not take the keyboard from each other."""
    if os.environ.get("PYTEST_XDIST_WORKER") and shutil.which("Xvfb"):
        read, write = os.pipe()
        server = subprocess.Popen(
            ["Xvfb", "-displayfd", str(write), "-screen", "0", "1600x1200x24"], pass_fds=[write], stderr=subprocess.DEVNULL
        )
        os.close(write)
        with os.fdopen(read) as stream:
            os.environ["DISPLAY"] = f":{stream.readline().strip()}"
        config.add_cleanup(lambda: (server.terminate(), server.wait()))


from fictilis.core.edits.objects import add_object
from fictilis.core.edits.targets import target_from_points
from fictilis.core.geometry.primitives import plane
from fictilis.core.scene.scene import Scene
from fictilis.formats.files import MeshData
from fictilis.formats.obj import write_obj
from fictilis.render.renderer import Renderer


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What runs for hours runs by ``make soak`` only."""
    for item in items:
        if item.get_closest_marker("soak") and not os.environ.get("FICTILIS_SOAK"):
            item.add_marker(pytest.mark.skip(reason="make soak"))


homes = count()


@pytest.fixture(autouse=True)
def own_home(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    """No test reads or writes a user's settings, nor those of another test."""
    monkeypatch.setenv("FICTILIS_HOME", str(tmp_path_factory.getbasetemp() / f"home{next(homes)}"))


@pytest.fixture(scope="module")
def renderer() -> Iterator[Renderer]:
    with Renderer() as made:
        yield made


@pytest.fixture
def sheet() -> Scene:
    """A sheet of 5 × 5 points with targets Lift (all up by 10) and Slide (its right half along X by 4)."""
    points, mesh = plane(40, 40, 4, 4)
    scene, object_id = add_object(Scene(name="Sheet"), "Sheet", mesh, points)
    scene, _ = target_from_points(scene, object_id, "Lift", points + [0, 10, 0])
    slide = points.copy()
    slide[points[:, 0] > 0, 0] += 4
    scene, _ = target_from_points(scene, object_id, "Slide", slide)
    return scene


@pytest.fixture
def sheet_files(tmp_path: Path) -> dict[str, Path]:
    """OBJ files: a base, two copies of it, one of another count, one of other faces, one in another order."""
    points, mesh = plane(40, 40, 4, 4)
    files = {}

    def put(name: str, data: MeshData) -> None:
        files[name] = tmp_path / f"{name}.obj"
        write_obj(files[name], [data])

    put("base", MeshData("Sheet", points, mesh))
    put("lift", MeshData("Lift", points + [0, 10, 0], mesh))
    put("bend", MeshData("Bend", points + np.outer(points[:, 0] ** 2 / 100, [0, 1, 0]), mesh))
    put("fewer", MeshData("Fewer", *plane(40, 40, 4, 3)))
    other = mesh.corners.copy()
    other[:4] = other[[0, 2, 1, 3]]
    put("faces", MeshData("Faces", points, type(mesh)(25, other, mesh.offsets)))
    order = np.random.default_rng(3).permutation(25)
    put("shuffled", MeshData("Shuffled", points[np.argsort(order)], type(mesh)(25, order[mesh.corners], mesh.offsets)))
    return files
