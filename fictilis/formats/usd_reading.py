"""OpenUSD, in: meshes with UsdSkel blend shapes and in-betweens, curves, weights and motion over time, colours, UVs, cameras.

Source: OpenUSD, UsdGeom and UsdSkel schemas (usd-core), which is loaded when first used, in a process of its own: a broken
file may end that one.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits.objects import add_objects
from fictilis.core.edits.relays import relay_from_points
from fictilis.core.geometry.kinds import Geometry, Line, Mesh
from fictilis.core.ground.arrays import any_in_rows
from fictilis.core.ground.errors import BadFile, FictilisError
from fictilis.core.ground.names import fresh_name, tidy_name
from fictilis.core.scene.appearance import LANE_COLOURS, Appearance
from fictilis.core.scene.scene import STRAIGHT, Deltas, InBetween, MorphObject, Scene, Target
from fictilis.core.scene.timeline import Lane
from fictilis.formats.cameras import camera_of, with_camera
from fictilis.formats.sampled_motion import placed_object, sampled_lanes
from fictilis.formats.tracks import thinned
from fictilis.formats.usd_curves import flattened
from fictilis.formats.usd_rigs import UsdRigs

MOST_SAMPLES = 20_000
MOST_POSES, MOST_NUMBERS = 300, 60_000_000  # of points that move by themselves
CENTIMETRES = 100.0
SUFFIXES = (".usd", ".usda", ".usdc", ".usdz")


class _Reader:
    def __init__(self, path: Path) -> None:
        from pxr import Gf, Sdf, Usd, UsdGeom, UsdSkel, UsdUtils

        self.path, self.said = path, dict[str, int]()
        self.gf, self.usd, self.geom, self.skel = Gf, Usd, UsdGeom, UsdSkel
        self._layers: list[Any] = []
        self._stay_inside(Sdf, UsdUtils)
        stage = Usd.Stage.Open(str(path))
        self.stage, self.cache = stage, UsdGeom.XformCache()
        self.fps = float(stage.GetTimeCodesPerSecond()) or 24.0
        self.unit = float(UsdGeom.GetStageMetersPerUnit(stage)) * CENTIMETRES
        self.upright = np.eye(4)
        if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z:
            self.upright[:3, :3] = [[1, 0, 0], [0, 0, 1], [0, -1, 0]]
        self.scene = Scene(name=path.stem, fps=self.fps)
        if stage.HasAuthoredTimeCodeRange() and stage.GetEndTimeCode() > stage.GetStartTimeCode():
            self.scene = replace(self.scene, start=float(stage.GetStartTimeCode()), end=float(stage.GetEndTimeCode()))

        self.rigs = UsdRigs(stage, self.fps, self.scene.start, path.name)

    def fail(self, what: str) -> BadFile:
        return BadFile(f"{self.path.name} cannot be read: {what}.")

    def _stay_inside(self, sdf: Any, utils: Any) -> None:
        """What a file is put together from must lie in its folder; no other path that it names is followed out of it."""
        folder, left, seen = self.path.parent.resolve(), [str(self.path)], set[str]()

        def inside(layer: Any, asset: str) -> Path | None:
            whole = Path(sdf.ComputeAssetPathRelativeToLayer(layer, asset))
            plain = "`" not in asset  # else an expression says at last what is opened
            return whole if plain and asset and whole.resolve().is_relative_to(folder) else None

        def kept(layer: Any, asset: str) -> str:
            whole = inside(layer, asset)
            if whole is None:
                self.lose("paths that lead out of its folder")
                return ""
            if whole.suffix.lower() in SUFFIXES:  # clips of values, of which a row is named by a pattern
                left.extend(map(str, whole.parent.glob(re.sub("#+", "*", whole.name))))
            return asset

        while left:
            place = left.pop()
            if place in seen:
                continue
            seen.add(place)
            layer = sdf.Layer.FindOrOpen(place)
            if layer is None:
                if place == str(self.path):
                    raise self.fail("it is no OpenUSD file")
                continue
            self._layers.append(layer)  # which would be read anew, once nobody has it
            for asset in layer.GetCompositionAssetDependencies():
                whole = inside(layer, asset)
                if whole is None:
                    raise self.fail(f"it asks for “{asset[:60]}”, which is not in its folder")
                left.append(str(whole))
            utils.ModifyAssetPaths(layer, lambda asset, layer=layer: kept(layer, asset))

    def lose(self, what: str) -> None:
        self.said[what] = self.said.get(what, 0) + 1

    def read(self) -> Scene:
        for prim in self.stage.Traverse(self.usd.TraverseInstanceProxies()):
            if prim.IsA(self.geom.Mesh):
                self._object(prim, *self._mesh(self.geom.Mesh(prim)))
            elif prim.IsA(self.geom.BasisCurves):
                found = self._curves(self.geom.BasisCurves(prim))
                if found is not None:
                    self._object(prim, *found)
            elif prim.IsA(self.geom.Camera):
                self._camera(self.geom.Camera(prim))
            elif prim.IsA(self.geom.Gprim):
                self.lose(f"prims of the kind {prim.GetTypeName()}")
        if not self.scene.objects:
            raise self.fail("it shows no mesh and no curve")
        return self.scene

    def _first(self, attribute: Any) -> Any:
        """A value as it is at rest: by default, else the earliest sample."""
        value = attribute.Get()
        times: Any = attribute.GetTimeSamples() if value is None else ()
        return attribute.Get(times[0]) if len(times) else value

    def _numbers(self, attribute: Any, dtype: Any, width: int | None = None) -> np.ndarray:
        value = self._first(attribute)
        out = np.array(value if value is not None else [], dtype)
        out = out.reshape(-1, width) if width else out.ravel()
        if out.dtype.kind == "f" and not (np.abs(out) < 1e12).all():
            raise self.fail(f"{attribute.GetPath()} holds numbers that are too large")
        return out

    def _mesh(self, mesh: Any) -> tuple[np.ndarray, Geometry, np.ndarray]:
        points = self._numbers(mesh.GetPointsAttr(), np.float64, 3)
        counts = self._numbers(mesh.GetFaceVertexCountsAttr(), np.int64)
        corners = self._numbers(mesh.GetFaceVertexIndicesAttr(), np.int64)
        name = mesh.GetPrim().GetName()
        if (counts < 0).any() or counts.sum() != len(corners):
            raise self.fail(f"{name} has {len(corners):,} corners for faces that need {counts.sum():,}")
        if len(corners) and (corners.min() < 0 or corners.max() >= len(points)):
            raise self.fail(f"a face of {name} uses point {corners.max():,} of {len(points):,}")
        offsets = np.concatenate([[0], np.cumsum(counts)])
        order = np.arange(len(corners))
        if self._first(mesh.GetOrientationAttr()) == "leftHanded":
            starts = np.repeat(offsets[:-1], counts)
            order = starts + (np.repeat(counts, counts) - 1 - (order - starts))
        kept = counts > 2
        uvs = self._uvs(mesh, corners)
        corners = corners[order]
        uv_corners = None if uvs is None else uvs[1][order]
        if not kept.all():
            stays = np.repeat(kept, counts)
            corners, counts = corners[stays], counts[kept]
            uv_corners = None if uv_corners is None else uv_corners[stays]
            offsets = np.concatenate([[0], np.cumsum(counts)])
            self.lose("faces of fewer than three corners")
        coordinates = None if uvs is None else uvs[0]
        return points * self.unit, Mesh(len(points), corners, offsets, coordinates, uv_corners), np.arange(len(points))

    def _uvs(self, mesh: Any, corners: np.ndarray) -> tuple[np.ndarray, np.ndarray] | None:
        st = self.geom.PrimvarsAPI(mesh).GetPrimvar("st")
        if not st or not st.HasValue():
            return None
        rows = np.array(st.Get() or [], np.float64).reshape(-1, 2)
        places = np.array(st.GetIndices() or [], np.int64) if st.IsIndexed() else np.arange(len(rows))
        if st.GetInterpolation() in ("vertex", "varying") and len(places) > corners.max(initial=-1):
            places = places[corners]
        good = len(places) == len(corners) and np.isfinite(rows).all()
        if not good or len(places) and (places.min() < 0 or places.max() >= len(rows)):
            self.lose("texture coordinates that do not fit their faces")
            return None
        return rows, places

    def _curves(self, curves: Any) -> tuple[np.ndarray, Geometry, np.ndarray] | None:
        points = self._numbers(curves.GetPointsAttr(), np.float64, 3)
        counts: np.ndarray = self._numbers(curves.GetCurveVertexCountsAttr(), np.int64)
        if counts.sum() != len(points) or (counts < 1).any():
            name = curves.GetPrim().GetName()
            raise self.fail(f"{name} has {len(points):,} points for curves that need {counts.sum():,}")
        basis, wrap = self._first(curves.GetBasisAttr()), self._first(curves.GetWrapAttr())
        cubic = self._first(curves.GetTypeAttr()) == "cubic"
        if self._is_bezier(curves.GetPrim()):
            points, counts = flattened(points, counts, wrap == "periodic")
            cubic = False
            if curves.GetPointsAttr().ValueMightBeTimeVarying():
                self.lose("motions of Bézier curves")
        starts = np.concatenate([[0], np.cumsum(counts)])
        whole = np.ones(len(points), bool)
        closed = np.full(len(counts), wrap == "periodic") & (counts > 2)
        for n, (a, b) in enumerate(zip(starts, starts[1:], strict=False)):
            if not closed[n] and b - a > 3 and np.array_equal(points[a], points[b - 1]):
                whole[b - 1], closed[n] = False, True  # it comes back to its first point
        own = counts - np.add.reduceat(~whole, starts[:-1]) if len(counts) else counts
        keep = np.repeat(own > 1, counts) & whole
        if not keep.any():
            self.lose("curves of one point")
            return None
        widths = self._numbers(curves.GetWidthsAttr(), np.float64)
        widths = np.broadcast_to(widths, len(points)) if len(widths) == 1 else widths
        wide = widths[keep] * self.unit if len(widths) == len(points) and (widths >= 0).all() else None
        runs = np.concatenate([[0], np.cumsum(own[own > 1])])
        line = Line(starts=runs, closed=closed[own > 1], degree=3 if cubic else 1, through=basis != "bspline", widths=wide)
        return points[keep] * self.unit, line, np.flatnonzero(keep)

    def _object(self, prim: Any, points: np.ndarray, geometry: Geometry, rows: np.ndarray) -> None:
        """``rows`` are the points of the file that the object has."""
        name = self._named(prim)
        self.scene, (object_id,) = add_objects(self.scene, [(name, geometry, points, self._look(prim))])
        obj = self.scene.object(object_id)
        lanes: list[Lane] = []
        skeleton = None
        if isinstance(geometry, Mesh):
            obj, lanes = self._blend_shapes(prim, obj)
            skeleton = self.rigs.skeleton(prim)
        stands = prim if skeleton is None else skeleton.GetPrim()  # what hangs on a rig is where that is
        frames = self._times(stands)
        matrices = np.array([self._world(stands, frame) for frame in frames])
        moving = bool(np.ptp(matrices, axis=0).max() > 1e-9)
        if skeleton is not None:
            out = np.diag([self.unit, self.unit, self.unit, 1.0])
            if not moving:
                out, matrices = matrices[0] @ out, np.eye(4)[None]
            skin, played = self.rigs.skin(prim, skeleton, len(obj.base), out, self.unit)
            obj, lanes = replace(obj, skin=skin), lanes + played
        obj = placed_object(obj, matrices[0])
        if moving:
            lanes += sampled_lanes(np.array(frames), matrices, "position", "rotation", "scale")
        lanes += self._shown_lanes(prim)
        self.scene = self.scene.with_object(replace(obj, lanes=tuple(lanes), visible=self._seen(prim)))
        if prim.GetAttribute("points").ValueMightBeTimeVarying() and not self._is_bezier(prim):
            self._points_over_time(prim, object_id, rows)

    def _is_bezier(self, prim: Any) -> bool:
        """Whether it is read as straight pieces, of other points than the file's."""
        if not prim.IsA(self.geom.BasisCurves):
            return False
        curves = self.geom.BasisCurves(prim)
        return bool(self._first(curves.GetTypeAttr()) == "cubic" and self._first(curves.GetBasisAttr()) == "bezier")

    def _points_over_time(self, prim: Any, object_id: str, rows: np.ndarray) -> None:
        """Points that move by themselves as a relay with a pose a frame."""
        attribute = prim.GetAttribute("points")
        times = attribute.GetTimeSamples()
        if times[-1] - times[0] > MOST_POSES:
            self.lose("points that move by themselves, but for their first place,")
            return
        frames = np.arange(np.ceil(times[0]), np.floor(times[-1]) + 1)
        if len(frames) > MOST_POSES or len(frames) * rows.size * 3 > MOST_NUMBERS or self.scene.object(object_id).targets:
            self.lose("points that move by themselves, but for their first place,")
            return
        shapes = [np.array(attribute.Get(float(f)), np.float64).reshape(-1, 3) for f in frames]
        shapes = [shape[rows] * self.unit for shape in shapes if len(shape) > rows.max(initial=-1)]
        if len(shapes) != len(frames) or len(frames) < 2:
            self.lose("points whose number changes")
            return
        named = [(f"{frame:g}", shape) for frame, shape in zip(frames.tolist(), shapes, strict=True)]
        first, last = float(frames[0]), float(frames[-1])
        self.scene = relay_from_points(self.scene, object_id, named, "Points", first, last, "linear", STRAIGHT)[0]

    def _named(self, prim: Any) -> str:
        """The name of what stands in the tree for an object: where it is a root with one mesh, the root's."""
        parent = prim.GetParent()
        if parent and parent.GetTypeName() in ("Xform", "SkelRoot") and prim.GetName() in ("Mesh", "Curves"):
            prim = parent
        return tidy_name(prim.GetDisplayName() or prim.GetName()) or "Object"

    def _seen(self, prim: Any) -> bool:
        """Whether a picture of it shows it: not what only guides, nor what stands in for something finer."""
        imageable = self.geom.Imageable(prim)
        if imageable.ComputePurpose() in (self.geom.Tokens.guide, self.geom.Tokens.proxy):
            self.lose("guides and stand-ins, which came in hidden,")
            return False
        return imageable.ComputeVisibility() != "invisible"

    def _shown_lanes(self, prim: Any) -> list[Lane]:
        """Whether and how much it is seen, where that changes: visibility of it or of what is above it, and its opacity."""
        lanes, step, times = [], prim, set[float]()
        while step and not step.IsPseudoRoot():
            if step.IsA(self.geom.Imageable):
                times |= set(self.geom.Imageable(step).GetVisibilityAttr().GetTimeSamples())
            step = step.GetParent()
        if len(times) > 1:
            seen = [self.geom.Imageable(prim).ComputeVisibility(t) != "invisible" for t in sorted(times)]
            keys = (Key(float(t), float(s), "hold") for t, s in zip(sorted(times), seen, strict=True))
            lanes.append(Lane("visible", AnimationCurve(tuple(keys))))
        attribute = self.geom.Gprim(prim).GetDisplayOpacityAttr()
        frames = attribute.GetTimeSamples()
        if len(frames) > 1:
            values = np.array([float((attribute.Get(f) or [1.0])[0]) for f in frames])
            lanes.append(Lane("opacity", thinned(np.array(frames), np.clip(np.nan_to_num(values, nan=1.0), 0, 1))))
        return lanes

    def _look(self, prim: Any) -> Appearance:
        gprim = self.geom.Gprim(prim)
        colour, opacity = self._first(gprim.GetDisplayColorAttr()), self._first(gprim.GetDisplayOpacityAttr())
        look = Appearance()
        if colour is not None and len(colour):
            linear = np.clip(np.array(colour[0], float), 0, 1)
            shown = [12.92 * c if c <= 0.0031308 else 1.055 * c ** (1 / 2.4) - 0.055 for c in linear]
            look = replace(look, colour="#" + "".join(f"{round(255 * c):02X}" for c in shown))
        if opacity is not None and len(opacity):
            look = replace(look, opacity=float(np.clip(opacity[0], 0, 1)))
        return look

    def _world(self, prim: Any, frame: float) -> np.ndarray:
        """(4, 4) of a prim in the scene, in cm, Y up."""
        self.cache.SetTime(self.usd.TimeCode(frame))
        matrix = np.array(self.cache.GetLocalToWorldTransform(prim), float).T
        matrix[:3, 3] *= self.unit
        return self.upright @ matrix

    def _times(self, prim: Any) -> list[float]:
        """Frames at which a prim or what is above it is somewhere else, and the whole ones between; the first alone if none."""
        keys: set[float] = set()
        step = prim
        while step and not step.IsPseudoRoot():
            if step.IsA(self.geom.Xformable):
                keys |= set(self.geom.Xformable(step).GetTimeSamples())
            step = step.GetParent()
        if len(keys) < 2:
            return [self.scene.start]
        first, last = min(keys), max(keys)
        if last - first > MOST_SAMPLES:
            raise self.fail(f"{prim.GetName()} moves over {last - first:,.0f} frames; up to {MOST_SAMPLES:,} are read")
        every = np.unique([*keys, *np.arange(np.ceil(first), np.floor(last) + 1)])
        return every[np.append(True, np.diff(every) > 1e-4)].tolist()

    def _blend_shapes(self, prim: Any, obj: MorphObject) -> tuple[MorphObject, list[Lane]]:
        binding = self.skel.BindingAPI(prim)
        names, rel = self._first(binding.GetBlendShapesAttr()), binding.GetBlendShapeTargetsRel()
        if not names or not rel:
            return obj, []
        targets, taken = [], set[str]()
        for number, (token, path) in enumerate(zip(names, rel.GetTargets(), strict=False), 1):
            shape = self.skel.BlendShape(self.stage.GetPrimAtPath(path))
            if not shape:
                self.lose("blend shapes that are not there")
                continue
            indices = self._numbers(shape.GetPointIndicesAttr(), np.int64)
            deltas = self._deltas(shape.GetOffsetsAttr(), indices, obj)
            stages: list[InBetween] = []
            for between in shape.GetInbetweens():
                at = between.GetWeight()
                if at and at != 1.0 and all(abs(s.at - at) > 1e-9 for s in stages):
                    stages.append(InBetween(float(np.float32(at)), self._deltas(between.GetAttr(), indices, obj)))
            said = tidy_name(shape.GetPrim().GetDisplayName() or str(token)) or f"Target {number}"
            name = fresh_name(said, taken)
            taken.add(name)
            colour = LANE_COLOURS[(number - 1) % len(LANE_COLOURS)]
            made = tuple(sorted((replace(s, at=round(s.at, 6)) for s in stages), key=lambda s: s.at))
            targets.append((str(token), Target(f"t{number}", name, deltas, colour, in_betweens=made)))
        return self._weights(prim, replace(obj, targets=tuple(t for _, t in targets)), [token for token, _ in targets])

    def _deltas(self, attribute: Any, indices: np.ndarray, obj: MorphObject) -> Deltas:
        offsets = self._numbers(attribute, np.float64, 3) * self.unit
        at = indices if len(indices) else np.arange(len(offsets))
        if len(at) != len(offsets) or len(at) and (at.min() < 0 or at.max() >= len(obj.base)):
            raise self.fail(f"{attribute.GetPath()} has {len(offsets):,} offsets for {len(at):,} of {len(obj.base):,} points")
        if len(at) and (np.diff(at) <= 0).any():  # in any order, and of a point named twice the last one
            dense = np.zeros_like(obj.base)
            dense[at] = offsets
            return Deltas.from_dense(dense)
        there = any_in_rows(offsets != 0)
        return Deltas(at, offsets) if there.all() else Deltas(at[there], offsets[there])

    def _weights(self, prim: Any, obj: MorphObject, tokens: list[str]) -> tuple[MorphObject, list[Lane]]:
        """Weights by the animation that is bound to the mesh, to its skeleton, or to what is above it."""
        animation, step = None, prim
        binding = self.skel.BindingAPI(prim)
        for skeleton in binding.GetInheritedSkeleton(), self.skel.Skeleton(prim):
            if animation is None and skeleton:
                source = self.skel.BindingAPI(skeleton.GetPrim()).GetInheritedAnimationSource()
                animation = self.skel.Animation(source) if source else None
        while animation is None and step and not step.IsPseudoRoot():
            source = self.skel.BindingAPI(step).GetInheritedAnimationSource()
            animation = self.skel.Animation(source) if source else None
            step = step.GetParent()
        if not animation:
            return obj, []
        led = [str(name) for name in self._first(animation.GetBlendShapesAttr()) or []]
        attribute = animation.GetBlendShapeWeightsAttr()
        times = list(attribute.GetTimeSamples())
        if len(times) > MOST_SAMPLES:
            raise self.fail(f"{animation.GetPrim().GetName()} has {len(times):,} samples; up to {MOST_SAMPLES:,} are read")
        rows = np.array([attribute.Get(t) for t in times] if times else [attribute.Get() or []], float)
        if rows.ndim != 2 or rows.shape[1] != len(led) or not np.isfinite(rows).all():
            return obj, []
        lanes, targets = [], []
        for token, target in zip(tokens, obj.targets, strict=True):
            if token in led:
                column = rows[:, led.index(token)]
                target = replace(target, weight=float(np.round(column[0], 7)))
                if len(times) > 1 and np.ptp(column) > 0:
                    lanes.append(Lane(target.id, thinned(np.array(times), column)))
            targets.append(target)
        return replace(obj, targets=tuple(targets)), lanes

    def _camera(self, camera: Any) -> None:
        prim = camera.GetPrim()
        lens = [camera.GetFocalLengthAttr(), camera.GetVerticalApertureAttr()]
        zooms = {f for a in lens for f in a.GetTimeSamples()} if len(lens[0].GetTimeSamples()) > 1 else set()
        frames = sorted({*self._times(prim), *zooms})
        focal, high = (np.array([float(a.Get(f) or self._first(a) or 1.0) for f in frames]) for a in lens)
        distance = float(self._first(camera.GetFocusDistanceAttr()) or 0.0) * self.unit
        matrices = np.array([self._world(prim, frame) for frame in frames])
        distance = distance if distance > 0.1 else max(float(np.linalg.norm(matrices[0, :3, 3])), 1.0)
        parallel = self._first(camera.GetProjectionAttr()) == "orthographic"
        name = tidy_name(prim.GetDisplayName() or prim.GetName()) or "Camera"
        lenses = np.degrees(2 * np.arctan(high / 2 / np.maximum(focal, 1e-6)))
        made = camera_of(name, np.array(frames), matrices, lenses, distance, parallel)
        self.scene = with_camera(self.scene, made)[0]


def read_here(path: Path) -> tuple[Scene, tuple[str, ...]]:
    """As read_usd, in this process."""
    reader = _Reader(Path(path))
    try:
        scene = reader.read()
    except BadFile:
        raise
    except (FictilisError, ValueError) as error:
        raise reader.fail(str(error).rstrip(".")) from None
    return scene, tuple(f"{Path(path).name}: {what} were left out." for what in reader.said)
