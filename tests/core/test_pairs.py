"""What comes after the mix with all that leads it, on a mesh, a line and a tube, as one table: seen, kept, carried, written."""

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.spatial import cKDTree

from fictilis.core.at_frame.drawn import as_drawn, finer_of
from fictilis.core.at_frame.pose import Pose
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.repeats import many_objects, set_repeat
from fictilis.core.edits.springs import set_spring
from fictilis.core.edits.topology import set_surface
from fictilis.core.geometry.finer import count_of as finer_count
from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.primitives import plane
from fictilis.core.geometry.topology import mesh_from_faces
from fictilis.core.ground.errors import EditRefused
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.core.scene.appearance import Surface
from fictilis.core.scene.clips import choose_clip, clip, clip_named
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.formats.choices import Choices
from fictilis.formats.native import read_native, write_native
from fictilis.formats.proof import prove
from fictilis.formats.registry import export, scene_from_file
from fictilis.formats.usd_reading import read_here
from fictilis.render.dress import worn_item
from fictilis.render.items import smooth_item
from fictilis.render.stage import Stage, StageWish
from tests.features import FEATURES, OBJ, made, ramp
from tests.formats.shown import shown
from tests.sameness import same


@pytest.mark.parametrize("feature", FEATURES)
@pytest.mark.parametrize("kind", ["mesh", "line", "tube"])
def test_copies_on_springs_with_everything_that_leads_them(kind, feature, tmp_path):
    scene = FEATURES[feature](made(kind))
    spring = PointSpring(field=ramp(scene), stiffness=400.0, damping=30.0)
    scene = set_spring(scene, OBJ, spring)
    scene = set_repeat(scene, OBJ, Repeat("ring", (3, 1, 1), radius=20.0, later=4.0))
    items = Stage().items(StageWish(scene, 9.0))
    first = next(item for item in items if item.obj.id == OBJ)
    assert len(first.many.matrices) == 2 and all(np.isfinite(i.points).all() for i in items)
    assert np.isfinite(first.many.points).all() and len(np.unique(first.many.poses)) == 2
    write_native(tmp_path / "a.fictilis", scene)
    assert same(read_native(tmp_path / "a.fictilis"), scene)
    cut = OPERATIONS["mesh-subdivide"].missing(Subject(scene, OBJ))
    if feature != "locked" and not cut:
        more = OPERATIONS["mesh-subdivide"].make(Subject(scene, OBJ)).scene.object(OBJ)
        assert len(more.spring.field) == len(more.base) > len(spring.field) and more.repeat == scene.object(OBJ).repeat
    # a tube's mix is one only at its targets, and a sweep has twelve bands in a file
    off = 1.5 if kind == "tube" or feature == "sweep" else 0.03
    for suffix in (".glb", ".usdc"):
        export(scene, tmp_path / f"a{suffix}")
        back = scene_from_file(tmp_path / "a.glb")[0] if suffix == ".glb" else read_here(tmp_path / "a.usdc")[0]
        if back.clips:
            back = choose_clip(back, clip_named(back, clip(scene).name).id)
        for frame in (0.0, 6.0, 11.0):
            found = cKDTree(np.concatenate(shown(back, frame)))
            assert found.query(np.concatenate(shown(scene, frame)))[0].max() < off, (suffix, frame)
    if isinstance(scene.object(OBJ).geometry, Line) or feature in ("two clips", "follows a line", "linked"):
        return
    apart = many_objects(set_spring(scene, OBJ, replace(spring, on=False)), OBJ)[0]
    wanted = set_spring(scene, OBJ, replace(spring, on=False))
    assert np.abs(np.concatenate(shown(apart, 7.0)) - np.concatenate(shown(wanted, 7.0))).max() < 1e-6


@pytest.mark.parametrize("feature", FEATURES)
def test_a_smooth_surface_with_everything_that_leads_its_cage(feature, tmp_path):
    """Subdivision is linear: the surface of the mix is the mix of the surfaces, drawn, kept, carried and written."""
    scene = set_surface(FEATURES[feature](made("mesh")), OBJ, 2)
    fine, obj = finer_of(scene.object(OBJ)), scene.object(OBJ)
    write_native(tmp_path / "a.fictilis", scene)
    assert same(read_native(tmp_path / "a.fictilis"), scene)
    baked = scene.with_object(as_drawn(obj))
    assert baked.object(OBJ).surface is None and baked.object(OBJ).geometry is fine.geometry
    for frame in (0.0, 3.0, 7.5, 12.0):
        cage = Pose(scene, obj, frame).points
        its = Pose(baked, baked.object(OBJ), frame).points
        assert np.abs(its - fine.of(cage)).max() < (0.8 if feature == "sweep" else 1e-9), frame
        item = next(i for i in Stage().items(StageWish(scene, frame)) if i.obj.id == OBJ)
        drawn = smooth_item(worn_item(item, "x"))
        assert drawn.geometry is fine.geometry and np.abs(drawn.points - fine.of(cage)).max() < 1e-4
    for suffix in (".glb", ".obj"):
        choices = Choices(options={"surface": "result"})
        export(scene, tmp_path / f"a{suffix}", 7.0, choices=choices)
        proof = prove(scene, tmp_path / f"a{suffix}", 7.0, choices=choices)
        assert proof.cm < (1.0 if feature == "sweep" else 1e-3)
    if feature != "locked":  # the mesh itself goes on to be worked on, and its surface follows
        more = OPERATIONS["mesh-subdivide"].make(Subject(scene, OBJ)).scene
        assert finer_of(more.object(OBJ)).geometry.point_count > fine.geometry.point_count


def test_a_smooth_surface_is_refused_where_there_can_be_none_and_goes_where_its_faces_do():
    scene = made("line")
    with pytest.raises(EditRefused, match="has no faces; this needs a mesh"):
        set_surface(scene, OBJ, 1)
    scene = made("mesh")
    for levels in (-1, 3):
        with pytest.raises(EditRefused, match=f"from 0 to 2 levels, not {levels}"):
            set_surface(scene, OBJ, levels)
    points, mesh = plane(10, 10, 600, 600)
    big, large = add_object(Scene(), "Large", mesh, points)
    assert finer_count(mesh, 1) == 1201**2 == finer_of(set_surface(big, large, 1).object(large)).geometry.point_count
    with pytest.raises(EditRefused, match="would have 5,764,801 points; up to 4,000,000 are made"):
        set_surface(big, large, 2)
    obj = set_surface(scene, OBJ, 1, on=False).object(OBJ)
    assert finer_of(obj) is None and as_drawn(obj) is obj and finer_of(replace(obj, surface=Surface())) is not None
    torn = mesh_from_faces(3, [[0, 1, 1, 2]])
    assert finer_of(MorphObject("o9", "Torn", torn, np.eye(3), surface=Surface())) is None
