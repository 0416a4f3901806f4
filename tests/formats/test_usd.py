"""OpenUSD both ways: what was written comes back and is what OpenUSD itself shows; curves of every kind; broken files."""

import os
import time
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

import fictilis
from fictilis.core.animation.curve import Key
from fictilis.core.edits import timeline
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.lines import set_tube
from fictilis.core.edits.targets import add_in_between, new_target, set_path, target_from_points
from fictilis.core.geometry.kinds import Tube
from fictilis.core.geometry.lines.tubes import round_profile
from fictilis.core.ground.errors import BadFile, Cancelled, CannotSave
from fictilis.core.ground.interrupt import interruptible
from fictilis.core.scene.places import Transform
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import SceneCamera
from fictilis.formats.files import write_whole
from fictilis.formats.registry import export, read_meshes, scene_from_file
from fictilis.formats.usd_reading import read_here
from tests.formats.shown import shown, travelling
from tests.mixes import mix_at

pxr = pytest.importorskip("pxr")


def turning():
    """A sheet with in-betweens, a pivot, hold and smooth keys, opacity and visibility, and a camera."""
    scene, box = add_form(Scene(end=30.0, fps=25.0), "Box", {"segments": 2})
    base = scene.object(box).base
    scene, tall = target_from_points(scene, box, "Very tall", base * [1, 2, 1])
    scene, wide = target_from_points(scene, box, "Wide", base * [1.5, 1, 1])
    scene = add_in_between(scene, box, tall, 0.25)
    for frame, value in ((0, 0.0), (12, 1.0), (30, 0.1)):
        scene = set_key(set_key(scene, box, tall, Key(frame, value)), box, wide, Key(frame, value, "hold"))
        scene = set_key(set_key(scene, box, "rotation.y", Key(frame, 190 * value)), box, "opacity", Key(frame, 1 - value / 2))
    scene = set_key(set_key(scene, box, "visible", Key(0, 1.0, "hold")), box, "visible", Key(20, 0.0, "hold"))
    scene = scene.with_object(replace(scene.object(box), transform=Transform((1, 2, 3), (4, 0, 6), (1, 2, 1), (7, 8, 9))))
    return timeline.add_camera(scene, SceneCamera("", "Close up", (5.0, 6.0, 7.0), 90.0, 25.0, 12.0, 40.0))[0]


def whip():
    """A tube of two strands that is drawn on."""
    scene, line = add_form(Scene(end=12.0), "Wave", {"points": 7})
    scene, _ = target_from_points(scene, line, "Up", scene.object(line).base + [0, 9, 0])
    scene = set_tube(scene, line, Tube(round_profile(5)), 3.0)
    for channel in ("t1", "line.end"):
        for frame, value in ((0, 0.2), (12, 1.0)):
            scene = set_key(scene, line, channel, Key(frame, value))
    return scene


SCENES = {"jelly": fictilis.moon_jelly, "fish": fictilis.lantern_fish, "marks": fictilis.tide_marks, "turning": turning,
          "travelling": travelling, "whip": whip}  # fmt: skip


@pytest.mark.parametrize("name", SCENES)
def test_what_was_written_comes_back(name, tmp_path):
    """Vertex order, polygons, names and every point at every frame; what curves is sampled there."""
    scene = SCENES[name]()
    export(scene, tmp_path / "a.usdc")
    back, said = read_here(tmp_path / "a.usdc")
    assert not said and (back.start, back.end, back.fps) == (scene.start, scene.end, scene.fps)
    assert [o.name for o in back.objects] == [o.name for o in scene.objects]
    for frame in (0.0, 5.0, 11.0, *((26.0,) if scene.end > 26 else ())):
        for mine, its, one, other in zip(
            shown(scene, frame, True), shown(back, frame), scene.objects, back.objects, strict=True
        ):
            assert np.abs(mine - its).max() < (0.15 if any(t.sweep for t in one.targets) else 0.001), (frame, one.name)
            if one.geometry.kind == "mesh":
                assert np.array_equal(one.geometry.corners, other.geometry.corners)
                assert {t.name for t in one.targets} <= {t.name for t in other.targets}


def test_in_betweens_stay_what_they_are_and_a_camera_where_it_looks(tmp_path):
    export(turning(), tmp_path / "a.usdz")
    back, _ = read_here(tmp_path / "a.usdz")
    box = back.objects[0]
    assert [t.name for t in box.targets] == ["Very tall", "Wide"] and [s.at for s in box.targets[0].in_betweens] == [0.25]
    camera = back.cameras[0]
    assert np.allclose(
        (*camera.centre, camera.distance, camera.yaw, camera.pitch, camera.lens), (5, 6, 7, 90, 25, 12, 40), atol=1e-3
    )
    curved = set_path(turning(), "o1", "t1", "curved")
    export(curved, tmp_path / "b.usda")
    assert len(read_here(tmp_path / "b.usda")[0].objects[0].targets) == 3  # each column a shape of its own


@pytest.mark.parametrize("name", ["jelly", "turning"])
def test_openusd_itself_shows_the_same(name, tmp_path):
    """Source: OpenUSD, UsdSkelBakeSkinning and UsdGeomXformCache."""
    from pxr import Gf, Usd, UsdGeom, UsdSkel

    scene = SCENES[name]()
    export(scene, tmp_path / "a.usda")
    stage = Usd.Stage.Open(str(tmp_path / "a.usda"))
    frames = (0.0, 7.0, 21.0)
    root = UsdSkel.Root(next(p for p in stage.Traverse() if p.IsA(UsdSkel.Root)))
    assert UsdSkel.BakeSkinning(root, Gf.Interval(0, 30))
    mesh = UsdGeom.Mesh(next(p for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)))
    for frame, wanted in zip(frames, (shown(scene, f)[0] for f in frames), strict=True):
        matrix = np.array(UsdGeom.XformCache(Usd.TimeCode(frame)).GetLocalToWorldTransform(mesh.GetPrim())).T
        points = np.array(mesh.GetPointsAttr().Get(frame), float)
        assert np.abs(points @ matrix[:3, :3].T + matrix[:3, 3] - wanted).max() < 2e-3


@pytest.mark.parametrize("name", SCENES)
def test_openusds_own_checker_finds_nothing(name, tmp_path):
    """Source: OpenUSD, all validators of UsdValidation but those about how assets are named and packed."""
    from pxr import Usd, UsdValidation

    export(SCENES[name](), tmp_path / "a.usdc")
    stage = Usd.Stage.Open(str(tmp_path / "a.usdc"))
    every = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    found = UsdValidation.ValidationContext(every).Validate(stage)
    assert not [error.GetErrorAsString() for error in found]


def stage_of(path, text):
    path.write_text("#usda 1.0\n" + text)
    return read_here(path)[0]


CURVES = """(
    metersPerUnit = 1
    upAxis = "Z"
)
def BasisCurves "Reed" {
    uniform token type = "%s"
    uniform token basis = "%s"
    uniform token wrap = "%s"
    int[] curveVertexCounts = [4]
    point3f[] points = [(0,0,0), (1,0,0), (1,0,1), (0,0,1)]
    float[] widths = [0.5] ( interpolation = "constant" )
}
"""


@pytest.mark.parametrize(
    ("kind", "basis", "wrap", "degree", "through", "closed"),
    [("linear", "bezier", "nonperiodic", 1, True, False), ("linear", "bspline", "periodic", 1, False, True),
     ("cubic", "bspline", "nonperiodic", 3, False, False), ("cubic", "catmullRom", "periodic", 3, True, True),
     ("cubic", "bezier", "nonperiodic", 1, True, False)],
)  # fmt: skip
def test_curves_of_every_kind(kind, basis, wrap, degree, through, closed, tmp_path):
    obj = stage_of(tmp_path / "c.usda", CURVES % (kind, basis, wrap)).objects[0]
    line = obj.line
    assert (line.degree, bool(line.closed[0])) == (degree, closed) and (degree == 1 or line.through == through)
    assert np.allclose(line.widths, 50) and obj.name == "Reed"
    matrix = obj.transform.matrix()
    placed = obj.base @ matrix[:3, :3].T
    bent = kind == "cubic" and basis == "bezier"
    assert np.allclose(placed[[0, -1]], [[0, 0, 0], [0, 100, 0]], atol=1e-9) and len(placed) == (9 if bent else 4)
    if bent:  # Source: the middle of a cubic Bézier curve, (p0 + 3 p1 + 3 p2 + p3) / 8
        assert np.allclose(placed[4], [75, 50, 0])


def test_hands_and_faces_and_units(tmp_path):
    text = """
def Xform "Pot" {
    double3 xformOp:translate = (1, 2, 3)
    uniform token[] xformOpOrder = ["xformOp:translate"]
    def Mesh "Mesh" {
        uniform token orientation = "leftHanded"
        int[] faceVertexCounts = [4, 3, 2]
        int[] faceVertexIndices = [0, 1, 2, 3, 0, 2, 1, 0, 1]
        point3f[] points = [(0,0,0), (1,0,0), (1,1,0), (0,1,0)]
        color3f[] primvars:displayColor = [(1, 0, 0)]
        float2[] primvars:st = [(0,0), (1,0), (1,1), (0,1)] ( interpolation = "vertex" )
    }
}
"""
    obj = stage_of(tmp_path / "m.usda", text).objects[0]
    assert obj.name == "Pot" and obj.appearance.colour == "#FF0000" and obj.transform.position == (1, 2, 3)
    assert [obj.mesh.face(f).tolist() for f in range(2)] == [[3, 2, 1, 0], [1, 2, 0]] and obj.mesh.face_count == 2
    assert np.array_equal(obj.mesh.uv_corners, obj.mesh.corners)


FACE = 'def Mesh "A" {\nint[] faceVertexCounts=[%s]\nint[] faceVertexIndices=[%s]\npoint3f[] points=[(0,0,0)]\n}'
WRONG = {
    "it is no OpenUSD file|cannot be read": "nonsense {",
    "shows no mesh": 'def Xform "A" {}',
    "not in its folder": 'def Xform "A" ( references = @/etc/passwd.usda@ ) {}',
    "uses point 9": FACE % ("3", "0,1,9"), "for faces that need": FACE % ("7", "0"),
    "for curves that need": 'def BasisCurves "A" {\nint[] curveVertexCounts=[7]\npoint3f[] points=[(0,0,0)]\n}',
}  # fmt: skip


@pytest.mark.parametrize("words", WRONG)
def test_what_is_wrong_is_said_in_one_sentence(words, tmp_path):
    (tmp_path / "w.usda").write_text("#usda 1.0\n" + WRONG[words])
    with pytest.raises(BadFile, match=words) as refused:
        scene_from_file(tmp_path / "w.usda")
    assert str(refused.value).startswith("w.usda cannot be read: ") and "\n" not in str(refused.value)


def test_a_broken_binary_file_ends_nothing_here(tmp_path):
    """Each is read in a process of its own."""
    scene, _ = add_form(Scene(), "Ball", {"segments": 2})
    export(scene, tmp_path / "a.usdc")
    good = (tmp_path / "a.usdc").read_bytes()
    assert np.allclose(read_meshes(tmp_path / "a.usdc").objects[0].points, mix_at(scene.objects[0], 0.0), atol=1e-4)
    rng = np.random.default_rng(4)
    for cut in (len(good) // 2, None, None):
        data = bytearray(good[:cut])
        for at in rng.integers(8, len(data), 40):
            data[at] = int(rng.integers(256))
        (tmp_path / "b.usdc").write_bytes(bytes(data))
        try:
            scene_from_file(tmp_path / "b.usdc")
        except BadFile as error:
            assert "\n" not in str(error)  # noqa: PT017 - either is right


OUTSIDE = {
    "a value clip": '''clips = { dictionary default = {
        asset[] assetPaths = [@%s/secret.usda@]
        asset manifestAssetPath = @%s/secret.usda@
        string primPath = "/W"
        double2[] active = [(0, 0)]
        double2[] times = [(0, 0), (10, 10)] } }''',
    "a row of value clips": '''clips = { dictionary default = {
        string templateAssetPath = "%s/secret.###.usda"
        double templateStartTime = 1
        double templateEndTime = 2
        double templateStride = 1
        string primPath = "/W" } }''',
    "a reference": "references = @%s/secret.usda@",
    "an expression": '''references = @`"${A}/secret.usda"`@''',
}  # fmt: skip
MESH = """
    point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
    int[] faceVertexCounts = [3]
    int[] faceVertexIndices = [0, 1, 2]
"""


@pytest.mark.parametrize("name", OUTSIDE)
def test_nothing_outside_of_a_files_folder_is_opened(name, tmp_path):
    """Whether a file was read is seen by the time of its last access, which the system keeps."""
    inside, outside = tmp_path / "in", tmp_path / "out"
    inside.mkdir()
    outside.mkdir()
    secrets = [outside / "secret.usda", outside / "secret.001.usda"]
    for secret in secrets:
        secret.write_text("#usda 1.0\n( a secret line )\n")
        os.utime(secret, (0, secret.stat().st_mtime))
    told = OUTSIDE[name].replace("%s", str(outside))
    (inside / "a.usda").write_text(
        f'#usda 1.0\n(\n  expressionVariables = {{ string A = "{outside}" }}\n)\n'
        f'def Xform "W" (\n{told}\n)\n{{\n  def Mesh "M"\n  {{{MESH}  }}\n}}\n'
    )
    try:
        said = " ".join(scene_from_file(inside / "a.usda")[1])
    except BadFile as error:
        said = error.said
    assert "secret line" not in said and ("out of its folder" in said or "not in its folder" in said)
    assert [secret.stat().st_atime for secret in secrets] == [0, 0]
    secrets[0].read_text()
    assert secrets[0].stat().st_atime > 0  # else this system keeps no such times


def test_guides_and_stand_ins_come_in_hidden(tmp_path):
    """Source: UsdGeom, Imageable: purpose: guides and proxies are not for a final picture."""
    body = "".join(f'def Mesh "{p.capitalize()}"\n{{{MESH}    uniform token purpose = "{p}"\n}}\n'
                   for p in ("default", "render", "proxy", "guide"))  # fmt: skip
    (tmp_path / "a.usda").write_text(f"#usda 1.0\n{body}")
    scene, said = scene_from_file(tmp_path / "a.usda")
    assert {o.name: o.visible for o in scene.objects} == {"Default": True, "Render": True, "Proxy": False, "Guide": False}
    assert any("guides and stand-ins" in sentence for sentence in said)


def test_a_target_that_moves_nothing_is_written_as_one_that_moves_nothing(sheet, tmp_path):
    """Source: UsdSkel, BlendShape: without indices the offsets are of all points."""
    from pxr import Usd, UsdSkel

    scene, made = new_target(sheet, "o1", "Spare")
    export(scene, tmp_path / "a.usda")
    stage = Usd.Stage.Open(str(tmp_path / "a.usda"))
    shapes = [UsdSkel.BlendShape(p) for p in stage.Traverse() if p.IsA(UsdSkel.BlendShape)]
    for shape in shapes:
        indices, offsets = shape.GetPointIndicesAttr().Get(), shape.GetOffsetsAttr().Get()
        assert len(offsets) == (len(indices) if indices else 25)
    back = scene_from_file(tmp_path / "a.usda")[0].objects[0].target_named("Spare")
    assert made and not len(back.deltas.indices)


def test_points_whose_samples_lie_far_apart_are_not_asked_for(tmp_path):
    (tmp_path / "a.usda").write_text(
        '#usda 1.0\ndef Mesh "M"\n{\n    point3f[] points.timeSamples = { 0: [(0, 0, 0), (1, 0, 0), (0, 1, 0)], '
        "2000000000: [(0, 0, 0), (1, 0, 0), (0, 1, 1)] }\n    int[] faceVertexCounts = [3]\n"
        "    int[] faceVertexIndices = [0, 1, 2]\n}\n"
    )
    scene, said = scene_from_file(tmp_path / "a.usda")
    assert len(scene.objects[0].base) == 3 and "points that move by themselves" in said[0]


def test_reading_can_be_given_up(sheet, tmp_path):
    export(sheet, tmp_path / "a.usda")
    begun = time.monotonic()

    def stop():
        raise Cancelled("given up")

    with interruptible(stop), pytest.raises(Cancelled):
        scene_from_file(tmp_path / "a.usda")
    assert time.monotonic() - begun < 3


def test_folders_whose_name_is_no_text(sheet, tmp_path):
    """What is written goes there all the same; what is read says why it cannot be."""
    folder = Path(os.fsdecode(bytes(tmp_path) + b"/bad\xff"))
    folder.mkdir()
    export(sheet, folder / "a.usda")
    assert (folder / "a.usda").read_text().startswith("#usda")
    with pytest.raises(BadFile, match="the name of a folder on the way is no text"):
        scene_from_file(folder / "a.usda")


def test_words_of_a_library_are_told_in_one_line(sheet, tmp_path, monkeypatch):
    """And the name of the file that was asked for, not that of one in between."""
    from fictilis.formats import usd_process

    export(sheet, tmp_path / "a.usda")
    raw = "\n\tError in 'pxrInternal::Sdf_Save' at line 48 in file /opt/x.cpp : 'No space left on device\nmore'"
    with pytest.raises(CannotSave) as refused:
        write_whole(tmp_path / "b.usda", lambda _part: (_ for _ in ()).throw(RuntimeError(raw)))
    assert refused.value.sentence == f"{tmp_path / 'b.usda'} could not be saved: No space left on device."
    wrong = BadFile("read.fictilis cannot be opened: bad.")
    monkeypatch.setattr(usd_process, "read_native", lambda _path: (_ for _ in ()).throw(wrong))
    with pytest.raises(BadFile, match=r"^a.usda cannot be read: bad\.$"):
        scene_from_file(tmp_path / "a.usda")
