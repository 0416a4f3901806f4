"""Every reader on thousands of damaged files: read or refused in one sentence, never a crash, a hang or memory out of
proportion. A few a reader here, two thousand in ``make soak``."""

import os
import time
import tracemalloc

import numpy as np
import pytest

import fictilis
from fictilis.core.ground.errors import FictilisError
from fictilis.formats.importing import read_held
from fictilis.formats.lanes import read_lanes, set_lanes
from fictilis.formats.points import read_points
from fictilis.formats.registry import FORMATS, export, read_meshes, save
from fictilis.formats.usd_process import read_usd
from fictilis.formats.weights import matched_names, read_weights, set_weights
from tests import features as pairs
from tests.formats.dressed import dressed, png, seen_through

COUNT = int(os.environ.get("FICTILIS_SOAK_FILES", "2000"))
LONGEST, GROWTH, ROOM = 20.0, 10, 20_000_000  # seconds; times the file; and what any reader may take
MARKS = b"0123456789-.,;:/{}[]()\"'<>= \n\teE"
BIG = (b"4294967295", b"2147483648", b"-1", b"1e999", b"nan", b"99999999999", b"0", b"")
SVG = """<svg xmlns="http://www.w3.org/2000/svg"><g transform="scale(2)">
<path d="M0,0 C5,0 15,20 20,10 A5 5 0 0 1 30 9z"/></g></svg>"""


def meshes(path, _scene):
    read_meshes(path)


def held(path, _scene):
    read_held([path])


def table(path, scene):
    found = read_weights(path)
    set_weights(scene, "o1", found, matched_names(scene.object("o1"), found.names))


def lanes(path, scene):
    set_lanes(scene, read_lanes(path), "o1")


def points(path, scene):
    read_points(path, scene.object("o1").name, len(scene.object("o1").base))


READERS = {".obj": meshes, ".ply": meshes, ".stl": meshes, ".svg": meshes, ".glb": held, ".gltf": held, ".fictilis": held,
           ".csv": table, ".json": lanes, ".npz": points}  # fmt: skip


def rich():
    """A scene with something of every kind that files tell of."""
    from fictilis.core.scene.appearance import Texture

    scene = seen_through(pairs.FEATURES["in-between"](pairs.FEATURES["moves"](pairs.made("mesh"))))
    return dressed(scene, Texture("Skin", png()))


def damaged(good: bytes, rng: np.random.Generator) -> bytes:
    """A file with a few bytes, words or stretches of it changed, moved, doubled or gone."""
    data = bytearray(good)
    for _ in range(rng.integers(1, 5)):
        at = int(rng.integers(0, max(len(data), 1)))
        if rng.random() < 0.6:  # most of what is told stands at the beginning or the end
            at = int(rng.integers(0, min(len(data), 400) or 1)) if rng.random() < 0.7 else max(len(data) - at % 400 - 1, 0)
        way = rng.integers(0, 7)
        long = int(rng.integers(1, 40))
        if way == 0:
            data[at : at + 1] = bytes([data[at] ^ (1 << int(rng.integers(0, 8)))]) if data else b"x"
        elif way == 1:
            data[at : at + 1] = bytes([MARKS[int(rng.integers(0, len(MARKS)))]])
        elif way == 2:
            data[at : at + int(rng.integers(1, 5))] = BIG[int(rng.integers(0, len(BIG)))]
        elif way == 3:
            del data[at : at + long]
        elif way == 4:
            data[at:at] = data[at : at + long] * int(rng.integers(1, 30))
        elif way == 5:
            data[at : at + 4] = rng.integers(0, 256, 4, dtype=np.uint8).tobytes()
        else:
            del data[at:]
    return bytes(data)


def is_a_sentence(error: FictilisError) -> bool:
    assert "\n" not in error.said and 0 < len(error.said) < 500, error.said
    return True


def tried(suffix, count, folder, seed=0):
    scene, path = rich(), folder / f"whole{suffix}"
    if suffix == ".svg":
        path.write_text(SVG)
    elif suffix == ".fictilis":
        save(scene, path)
    else:
        export(scene, path)
    good, broken = path.read_bytes(), folder / f"whole{suffix}"
    rng, read, refused = np.random.default_rng(seed), READERS[suffix], 0
    read(path, scene)  # what a library takes when it is first used is not looked for
    for number in range(count):
        data = damaged(good, rng)
        broken.write_bytes(data)
        watched = number % 10 == 0  # to watch memory takes time
        if watched:
            tracemalloc.start()
        since = time.perf_counter()
        try:
            read(broken, scene)
        except FictilisError as error:
            refused += is_a_sentence(error)
        if watched:
            peak = tracemalloc.get_traced_memory()[1]
            tracemalloc.stop()
            assert peak < GROWTH * len(data) + ROOM, (number, peak, len(data))
        assert time.perf_counter() - since < LONGEST, number
    return refused


@pytest.mark.parametrize("suffix", READERS)
def test_some_damaged_files_are_read_or_refused(suffix, tmp_path):
    assert tried(suffix, 15, tmp_path) > 0


@pytest.mark.soak
@pytest.mark.parametrize("suffix", READERS)
def test_thousands_of_damaged_files_are_read_or_refused(suffix, tmp_path):
    assert tried(suffix, COUNT, tmp_path, int(os.environ.get("FICTILIS_SOAK", "1"))) > 0


@pytest.mark.soak
@pytest.mark.parametrize("suffix", [".usda", ".usdc", ".usdz"])
def test_damaged_stages_are_read_or_refused(suffix, tmp_path):
    """Fewer, since each is read in a process of its own."""
    export(rich(), tmp_path / f"w{suffix}")
    good, rng, refused = (tmp_path / f"w{suffix}").read_bytes(), np.random.default_rng(3), 0
    for _ in range(COUNT // 10):
        (tmp_path / f"b{suffix}").write_bytes(damaged(good, rng))
        try:
            read_usd(tmp_path / f"b{suffix}")
        except FictilisError as error:
            refused += is_a_sentence(error)
    assert refused


def test_every_reader_is_here():
    able = {s for f in FORMATS if f.read_mesh for s in f.suffixes} - {".usd", ".usda", ".usdc", ".usdz"}
    assert able <= set(READERS) and fictilis.__version__
