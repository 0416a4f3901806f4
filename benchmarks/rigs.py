"""Rigs: 100,000 points on four joints each against the bare sum of the formula; a dab in the pose against one without."""

from __future__ import annotations

import numpy as np
import scipy.sparse  # noqa: F401 - loaded in the application too, once the first picture stands

from benchmarks.measure import Row, medians, ms
from benchmarks.mix import sheet
from benchmarks.shaping import radius_of
from fictilis.core.at_frame.skinning import blended, through
from fictilis.core.edits.rigs import play_clip, set_skin
from fictilis.core.edits.targets import target_from_points
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.rigs import Bound, Skin
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping.brushes import Brush, BrushStroke
from fictilis.core.shaping.dabs import links
from fictilis.demo.sea_pen import sea_pen_rig
from fictilis.render.stage import Stage, StageWish

JOINTS = 4


def skinning() -> list[Row]:
    obj, rng = sheet(), np.random.default_rng(3)
    bound = _bound(obj.base)
    matrices = np.tile(np.eye(4), (len(bound.joints), 1, 1))
    matrices[:, :3] += rng.normal(size=matrices[:, :3].shape) * 0.1
    single, points = matrices[:, :3].astype(np.float32), obj.base.astype(np.float32)
    whole = np.concatenate([points, np.ones((len(points), 1), np.float32)], axis=1)

    def bare() -> np.ndarray:
        return np.einsum("nk,nkij,nj->ni", bound.weights, single[bound.parts], whole, optimize=True)

    def ours() -> np.ndarray:
        return through(blended(bound, matrices).astype(np.float32), points)

    def dual() -> np.ndarray:
        return through(blended(bound, matrices, dual=True).astype(np.float32), points)

    assert np.abs(bare() - ours()).max() < 1e-2
    t = medians({"bare": bare, "ours": ours, "dual": dual}, rounds=5)
    said = f"ours {ms(t['ours'])}, einsum {ms(t['bare'])}; by dual quaternions {ms(t['dual'])}"
    return [Row(f"skinning {len(points):,} points × {JOINTS} joints / the bare einsum", t["ours"] / t["bare"], 1.5, True, said)]


def _bound(base: np.ndarray) -> Bound:
    rig, rng = sea_pen_rig(), np.random.default_rng(1)
    parts = np.argsort(rng.random((len(base), len(rig.joints))), axis=1)[:, :JOINTS]
    weights = rng.random(parts.shape) + 0.1
    inverse = np.tile(np.eye(4), (len(rig.joints), 1, 1))
    inverse[:, 1, 3] = -rig.matrices[:, 1, 3].cumsum()
    return Bound(rig, np.arange(len(rig.joints)), inverse, parts, weights / weights.sum(axis=1, keepdims=True), np.eye(4),
                 np.eye(4))  # fmt: skip


def dabs() -> list[Row]:
    """A dab of 5 % and what the next picture takes of it, while a target is shaped."""
    obj = sheet()
    links(obj)
    scene, target = target_from_points(Scene(objects=(obj,)), obj.id, "Bump", obj.base + [0.0, 1.0, 0.0])
    posed = play_clip(set_skin(scene, obj.id, Skin(_bound(obj.base))), obj.id, "Bow")
    work = {}
    for name, shown in (("plain", scene), ("posed", posed)):
        wish = StageWish(shown, 20.0, current=obj.id, shaping=ShapeRef(target))
        stage = Stage()
        item = stage.items(wish)[0]
        points = item.exact_points()
        face = obj.mesh.face(len(obj.mesh.corners) // 8)
        stroke = BrushStroke(item.obj, points, item.normals, Brush("push", radius_of(obj, 0.05), 1e-3, False))

        def step(stroke=stroke, stage=stage, wish=wish, centre=points[face].mean(axis=0), face=face) -> None:
            stroke.dab(centre, face)
            stage.items(wish, stroke.moved())

        work[name] = step
    t = medians(work, rounds=7)
    said = f"in the pose {ms(t['posed'])}, without {ms(t['plain'])}, each with its picture's points and normals"
    return [Row("a dab in the pose / a dab without", t["posed"] / t["plain"], 1.5, True, said)]


def rows() -> list[Row]:
    return [*skinning(), *dabs()]


if __name__ == "__main__":
    for row in rows():
        print(row.text())
