"""The mix against OpenUSD's own evaluation of blend shapes.

Source: OpenUSD, UsdSkelBlendShape and UsdSkelBlendShapeQuery (usd-core from the registry).
"""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.edits.objects import add_object
from fictilis.core.edits.targets import target_from_points
from fictilis.core.geometry.primitives import globe
from fictilis.core.mix.acting import shares
from fictilis.core.mix.delta_bank import mixed_points
from fictilis.core.scene.scene import Deltas, InBetween, Scene

pxr = pytest.importorskip("pxr")


def usd_mix(obj, weights):
    """Points of the same object mixed by OpenUSD, float32."""
    from pxr import Sdf, Usd, UsdGeom, UsdSkel, Vt

    stage = Usd.Stage.CreateInMemory()
    mesh = UsdGeom.Mesh.Define(stage, "/Mesh")
    mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(obj.base.astype(np.float32)))
    binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
    names = []
    for target in obj.targets:
        shape = UsdSkel.BlendShape.Define(stage, f"/Mesh/{target.id}")
        shape.CreateOffsetsAttr(Vt.Vec3fArray.FromNumpy(target.deltas.dense(len(obj.base)).astype(np.float32)))
        for number, inner in enumerate(target.in_betweens):
            made = shape.CreateInbetween(f"i{number}")
            made.SetWeight(inner.at)
            made.SetOffsets(Vt.Vec3fArray.FromNumpy(inner.deltas.dense(len(obj.base)).astype(np.float32)))
        names.append(target.id)
    binding.CreateBlendShapesAttr(names)
    binding.CreateBlendShapeTargetsRel().SetTargets([Sdf.Path(f"/Mesh/{n}") for n in names])
    query = UsdSkel.BlendShapeQuery(binding)
    sub = query.ComputeSubShapeWeights([weights[n] for n in names])
    points = Vt.Vec3fArray.FromNumpy(obj.base.astype(np.float32))
    query.ComputeDeformedPoints(*sub, query.ComputeBlendShapePointIndices(), query.ComputeSubShapePointOffsets(), points)
    return np.array(points)


@pytest.fixture(scope="module")
def obj():
    points, mesh = globe(10, 16, 8)
    rng = np.random.default_rng(11)
    scene, object_id = add_object(Scene(), "Ball", mesh, points)
    for name in ("A", "B", "C"):
        scene, _ = target_from_points(scene, object_id, name, points + rng.normal(size=points.shape))
    out = scene.object(object_id)
    stages = {"t1": (0.5,), "t2": (0.25, 0.6, 0.8), "t3": ()}
    for target_id, places in stages.items():
        made = tuple(InBetween(at, Deltas.from_dense(rng.normal(size=points.shape))) for at in places)
        out = out.with_target(replace(out.target(target_id), in_betweens=made))
    return out


@pytest.mark.parametrize("weight", [0.0, 0.1, 0.25, 0.5, 0.55, 0.6, 0.75, 0.9, 1.0])
@pytest.mark.parametrize("target", ["t1", "t2", "t3"])
def test_straight_in_betweens_agree_at_every_weight(obj, target, weight):
    weights = dict.fromkeys(("t1", "t2", "t3"), 0.0) | {target: weight}
    assert np.abs(usd_mix(obj, weights) - mixed_points(obj, shares(obj, weights))).max() < 2e-5


@pytest.mark.parametrize("seed", range(6))
def test_whole_mixes_agree(obj, seed):
    drawn = np.random.default_rng(seed).uniform(0, 1, 3)
    weights = dict(zip(("t1", "t2", "t3"), drawn.tolist(), strict=True))
    assert np.abs(usd_mix(obj, weights) - mixed_points(obj, shares(obj, weights))).max() < 2e-5


@pytest.mark.parametrize("weight", [-1.0, 1.5, 2.0])
def test_beyond_the_range_agrees_too(obj, weight):
    for target in ("t1", "t3"):
        weights = dict.fromkeys(("t1", "t2", "t3"), 0.0) | {target: weight}
        assert np.abs(usd_mix(obj, weights) - mixed_points(obj, shares(obj, weights))).max() < 1e-4
