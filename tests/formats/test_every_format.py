"""Every format of the registry, and scene files, by the same tests: it writes whole or not at all, and says what is wrong."""

import os

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits.objects import rename_object, set_visible
from fictilis.core.ground.errors import BadFile, CannotSave, EditRefused, FictilisError
from fictilis.core.ground.names import tidy_name
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import Lane
from fictilis.formats.registry import FORMATS, export, format_for, load, read_meshes, save, scene_from_file

OBJ = "o1"
BESIDE = {".gltf": ".bin"}  # what lies beside a file, as a part of it


def export_lanes(scene, path):
    objects = tuple(replace(o, lanes=(Lane("opacity", AnimationCurve((Key(0, 1.0),))),)) for o in scene.objects)
    return export(replace(scene, objects=objects), path)


WRITERS = {s: export for f in FORMATS if f.export for s in f.suffixes} | {
    ".fictilis": lambda scene, path: save(scene, path),
    ".json": export_lanes,
}
READERS = {s: read_meshes for f in FORMATS if f.read_mesh for s in f.suffixes if s not in (".usd", ".usdz")} | {
    ".fictilis": load
}
SLOW = (".usda", ".usdc")  # read in a process of its own
SVG = """<svg xmlns="http://www.w3.org/2000/svg"><g transform="scale(2)">
<path id="a" d="M0,0 C5,0 15,20 20,10 A5 5 0 0 1 30 9z"/>
<rect width="4" height="3"/></g></svg>"""
writers = pytest.mark.parametrize("suffix", WRITERS)
readers = pytest.mark.parametrize("suffix", READERS)


def test_the_table_says_what_each_can_do():
    names = [f.name for f in FORMATS]
    suffixes = [s for f in FORMATS for s in f.suffixes]
    assert len(set(names)) == len(names) and len(set(suffixes)) == len(suffixes)
    assert all(f.reads and f.loses and bool(f.writes) == bool(f.export) and s == s.lower() for f in FORMATS for s in f.suffixes)


@writers
def test_what_is_written_twice_is_the_same_and_nothing_else_is_left(suffix, sheet, tmp_path):
    path = tmp_path / f"Kelp öl 'x'{suffix}"
    WRITERS[suffix](sheet, path)
    first = path.read_bytes()
    WRITERS[suffix](sheet, path)
    assert path.read_bytes() == first and {p.name for p in tmp_path.iterdir()} == {
        path.name,
        *([path.with_suffix(BESIDE[suffix]).name] if suffix in BESIDE else []),
    }


@writers
@pytest.mark.parametrize("name", ["Öl–Bell", "a/b\\c", "o v 1 2 3", "# no", "日本", "x" * 300, "tab\there", "👩\u200d🚀"])
def test_odd_names_are_written_and_read_back_whole(suffix, name, sheet, tmp_path):
    scene = rename_object(sheet, OBJ, name)
    path = tmp_path / f"n{suffix}"
    WRITERS[suffix](scene, path)
    if suffix == ".fictilis":
        assert load(path).objects[0].name == tidy_name(name) == scene.objects[0].name
    elif suffix in READERS and (suffix not in SLOW or name in ("日本", "tab\there")):
        (back,) = READERS[suffix](path).objects
        single, wanted = suffix in (".glb", ".gltf", ".stl", *SLOW), sheet.object(OBJ).base
        if suffix == ".stl":  # which has no order
            back, wanted = replace(back, points=np.sort(back.points, axis=0)), np.sort(wanted, axis=0)
        assert np.allclose(back.points, wanted, atol=1e-4 if single else 0.0, rtol=0)
        assert suffix in (".ply", ".stl", ".obj") or back.name == scene.objects[0].name


@writers
def test_a_place_that_cannot_be_written_is_one_sentence_and_an_old_file_stays(suffix, sheet, tmp_path):
    old = tmp_path / f"old{suffix}"
    old.write_bytes(b"precious")
    old.chmod(0o444)
    (tmp_path / f"folder{suffix}").mkdir()
    places = [tmp_path / "nowhere" / f"x{suffix}", tmp_path / f"folder{suffix}"] + ([old] if os.geteuid() else [])
    for place in places:
        with pytest.raises(CannotSave) as refused:
            WRITERS[suffix](sheet, place)
        assert str(refused.value).count("\n") == 0 and str(place.with_suffix("")) in str(refused.value)
    assert old.read_bytes() == b"precious" and sorted(p.name for p in tmp_path.iterdir()) == [f"folder{suffix}", f"old{suffix}"]


@writers
def test_a_scene_with_nothing_to_see_is_refused_by_exports_and_kept_by_scene_files(suffix, sheet, tmp_path):
    for scene in (Scene(), set_visible(sheet, OBJ, False)):
        if suffix == ".fictilis":
            WRITERS[suffix](scene, tmp_path / f"e{suffix}")
        else:
            with pytest.raises(EditRefused, match="There is nothing to"):
                WRITERS[suffix](scene, tmp_path / f"e{suffix}")


@writers
def test_hidden_objects_are_left_out_by_name(suffix, sheet, tmp_path):
    if suffix == ".fictilis":
        return
    second = replace(sheet.object(OBJ), id="o2", name="Second", visible=False)
    said = WRITERS[suffix](replace(sheet, objects=(*sheet.objects, second)), tmp_path / f"h{suffix}")
    assert any("Second" in sentence for sentence in said)


@readers
@pytest.mark.parametrize("data", [b"", b"\0" * 64, b"PK\x03\x04", b"\xff\xfe\x00v", b"v 1 2\nf 1 2 3\n", b"{" * 4000])
def test_what_is_no_such_file_is_one_sentence(suffix, data, tmp_path):
    path = tmp_path / f"bad{suffix}"
    path.write_bytes(data)
    with pytest.raises(BadFile) as refused:
        READERS[suffix](path)
    assert str(refused.value).count("\n") == 0 and "bad" in str(refused.value) and len(str(refused.value)) <= 300


@readers
def test_a_file_cut_anywhere_is_read_or_refused(suffix, sheet, tmp_path):
    path = tmp_path / f"whole{suffix}"
    if suffix in WRITERS:
        WRITERS[suffix](sheet, path)
    else:
        path.write_text(SVG)
    whole = path.read_bytes()
    for cut in range(0, len(whole), max(len(whole) // (3 if suffix in SLOW else 60), 1)):
        path.write_bytes(whole[:cut])
        try:
            READERS[suffix](path)
        except FictilisError as error:
            assert "\n" not in error.said  # noqa: PT017 - either is right


@readers
@pytest.mark.parametrize("kind", ["missing", "folder", "pipe"])
def test_what_is_no_file_is_one_sentence(suffix, kind, tmp_path):
    path = tmp_path / f"odd{suffix}"
    if kind == "folder":
        path.mkdir()
    elif kind == "pipe":
        os.mkfifo(path)
    with pytest.raises(BadFile, match="odd"):
        READERS[suffix](path)


def test_suffixes_are_known_in_any_case():
    for f in FORMATS:
        for suffix in f.suffixes:
            assert format_for(f"x{suffix.upper()}", "write" if f.export else "read") is f


def test_thousands_of_objects_of_one_name_are_told_apart(tmp_path):
    path = tmp_path / "many.obj"
    path.write_text("".join(f"o Same\nv {n} 0 0\nv 0 {n} 1\nv 0 0 {n}\nf -3 -2 -1\n" for n in range(1, 5001)))
    scene, _ = scene_from_file(path)
    assert [o.name for o in scene.objects[:3]] == ["Same", "Same 2", "Same 3"]
    assert len({o.name for o in scene.objects}) == len({o.id for o in scene.objects}) == 5000


def test_numbers_too_large_for_a_format_are_one_sentence(sheet, tmp_path):
    huge = sheet.with_object(replace(sheet.object(OBJ), base=sheet.object(OBJ).base * 1e41))
    with pytest.raises(EditRefused, match="too large for glTF"):
        export(huge, tmp_path / "h.glb")
    assert not list(tmp_path.iterdir())
