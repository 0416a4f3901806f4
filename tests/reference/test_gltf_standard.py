"""Exported glTF through the Khronos validator, and read back by general-purpose libraries."""

import json
import shutil
import subprocess
from pathlib import Path

import numpy as np
import pytest

from fictilis.core.animation.curve import Key
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.geometry.normals import point_normals
from fictilis.core.mix.channels import own_placement, set_value
from fictilis.core.mix.shapes import full_shape
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.demo.jelly import moon_jelly
from fictilis.demo.reef_wall import reef_wall
from fictilis.demo.tide_marks import tide_marks
from fictilis.formats.registry import export
from tests.formats.dressed import MAKERS, made
from tests.formats.gltf_player import accessor, read_arrays

VALIDATOR = Path(__file__).parents[2] / ".venv" / "node" / "node_modules" / "gltf-validator"
SCRIPT = """
const validator = require(process.argv[1]);
const look = path => validator.validateBytes(new Uint8Array(require('fs').readFileSync(path)), {maxIssues: 20});
Promise.all(process.argv.slice(2).map(look)).then(all => console.log(JSON.stringify(all.map(report => report.issues))));
"""


@pytest.fixture(params=["jelly", "stepped", "box", "moving"])
def exported(request, tmp_path, sheet):
    import fictilis
    from fictilis.core.scene.appearance import Appearance

    if request.param == "jelly":
        scene = moon_jelly()
    elif request.param == "stepped":
        scene = sheet
        for kind, target in (("hold", "t1"), ("smooth", "t2")):
            for frame, value in ((0, 0), (10, 1), (20, 0)):
                scene = set_key(scene, "o1", target, Key(frame, value, kind))
    elif request.param == "moving":
        scene = set_value(set_key(sheet, "o1", "t1", Key(5, 0.5)), "o1", "opacity", 0.5)
        for channel, end in (("position.x", 40), ("rotation.z", 400), ("scale.y", 2)):
            for frame, value in ((0, 0.5), (30, end)):
                scene = set_key(scene, "o1", channel, Key(frame, value))
    else:
        points, mesh = fictilis.primitives.box()
        scene, _ = fictilis.objects.add_object(fictilis.Scene(), "Box", mesh, points, Appearance(smooth=False))
        scene, _ = fictilis.targets.target_from_points(scene, "o1", "Wide", points * [2, 1, 1])
    path = tmp_path / "out.glb"
    export(scene, path)
    return scene, path


needs_validator = pytest.mark.skipif(
    not shutil.which("node") or not VALIDATOR.is_dir(), reason="node or the validator is not here"
)


def finds_nothing(*paths):
    words = ["node", "-e", SCRIPT, str(VALIDATOR), *map(str, paths)]
    for issues in json.loads(subprocess.run(words, capture_output=True, text=True, check=True).stdout):
        assert issues["numErrors"] == issues["numWarnings"] == 0, issues
        # texture coordinates go along although no texture does; the validator remarks on that
        assert {m["code"] for m in issues["messages"]} <= {"UNUSED_OBJECT"}


@needs_validator
def test_the_validator_finds_nothing(exported):
    """Source: gltf-validator (Khronos Group), from the npm registry."""
    finds_nothing(exported[1])


@needs_validator
def test_the_validator_finds_nothing_in_any_feature_of_the_account(tmp_path):
    """Textures, cameras that move, sparse targets and all else that an export tells of."""
    paths = [tmp_path / f"{number}.glb" for number in range(len(MAKERS))]
    for name, path in zip(MAKERS, paths, strict=True):
        export(made(name), path)
    finds_nothing(*paths)


@needs_validator
@pytest.mark.parametrize("tube", [False, True])
def test_the_validator_finds_nothing_in_lines_and_tubes_and_what_follows_them(tmp_path, tube):
    """Source: gltf-validator (Khronos Group), from the npm registry."""
    scene = tide_marks()
    mark, swash = (obj.id for obj in scene.objects)
    scene, ball = add_form(scene, "Ball", {"segments": 2})
    scene = OPERATIONS["object-along"].make(Subject(scene, ball), {"other": swash}).scene
    if tube:
        scene = OPERATIONS["line-tube"].make(Subject(scene, mark), {"sides": 6, "width": 3.0}).scene
    export(scene, tmp_path / "lines.glb")
    finds_nothing(tmp_path / "lines.glb")


def test_morph_targets_and_animation_are_read_back(exported):
    """Source: pygltflib reads the structure, the standard's layout gives the numbers."""
    scene, path = exported
    obj = scene.objects[0]
    data, arrays = read_arrays(path)
    assert len(arrays["targets"]) == len(data.meshes[0].weights) == len(data.meshes[0].extras["targetNames"])
    if obj.mesh.uvs is None:  # vertex order is kept
        base = arrays["POSITION"] * 100
        for number, name in enumerate(data.meshes[0].extras["targetNames"]):
            target = next((t for t in obj.targets if t.name == name), None)
            if target is not None:
                moved = base + arrays["targets"][number]["POSITION"] * 100
                own = full_shape(obj, target.id) if target.built_on is None else obj.base + target.deltas.dense(len(obj.base))
                assert np.abs(moved - own).max() < 1e-4
                normals = arrays["NORMAL"] + arrays["targets"][number]["NORMAL"]
                assert np.abs(normals - point_normals(obj.mesh, own)).max() < 1e-5
    if obj.lanes:
        sampler = data.animations[0].samplers[0]
        times, values = accessor(data, sampler.input), accessor(data, sampler.output)
        per_key = 3 if sampler.interpolation == "CUBICSPLINE" else 1
        assert len(values) == len(times) * per_key * len(arrays["targets"]) and (np.diff(times) > 0).all()


@pytest.mark.filterwarnings("ignore")
def test_trimesh_reads_the_same_surface(exported):
    """Source: trimesh, an independent reader: area of the surface, in square metres."""
    trimesh = pytest.importorskip("trimesh")
    scene, path = exported
    from fictilis.core.geometry.topology import triangles

    read = trimesh.load(path, process=False).to_geometry()
    obj = scene.objects[0]
    a, b, c = (obj.base[triangles(obj.mesh).points[:, k]] for k in range(3))
    stand = own_placement(obj, scene.start).transform.matrix()[:3, :3]
    area = np.linalg.norm(np.cross((b - a) @ stand.T, (c - a) @ stand.T), axis=1).sum() / 2
    assert read.area == pytest.approx(area * 1e-4, rel=1e-5)


@needs_validator
def test_the_validator_finds_nothing_in_copies_and_springs(tmp_path):
    """Source: gltf-validator (Khronos Group), from the npm registry."""
    scene = reef_wall()
    scene, ball = add_form(scene, "Ball", {"segments": 2})
    scene = OPERATIONS["repeat-on"].make(Subject(scene, ball), {"other": scene.objects[0].id, "places": "faces"}).scene
    scene = OPERATIONS["spring-points"].make(Subject(scene, scene.objects[0].id), {"feel": "bouncy"}).scene
    said = export(scene, tmp_path / "copies.glb")
    finds_nothing(tmp_path / "copies.glb")
    assert any("springs of Cup are written as" in sentence for sentence in said)
