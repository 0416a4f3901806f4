"""OpenUSD, out: meshes with UsdSkel blend shapes and in-betweens, curves, motion, visibility, colours, UVs and cameras.

Source: OpenUSD, UsdGeom and UsdSkel schemas (usd-core), which is loaded when first used.
"""

from __future__ import annotations

import re
import shutil
from pathlib import Path
from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.at_frame.after import acts
from fictilis.core.at_frame.cameras import eye, placed_camera
from fictilis.core.at_frame.fewer_bands import FORMAT_BANDS, banded_words, with_bands
from fictilis.core.at_frame.pose import Pose, placement
from fictilis.core.edits.repeats import many_objects
from fictilis.core.geometry.kinds import WHOLE, Line
from fictilis.core.geometry.units import UNITS
from fictilis.core.ground.affine import rgb
from fictilis.core.ground.arrays import distinct, put_rows
from fictilis.core.mix.acting import acting_weights, shares_at, weights_at
from fictilis.core.mix.bands import swept
from fictilis.core.mix.channel_kinds import LINE_IDS, OBJECT_KINDS
from fictilis.core.mix.channels import own_placement
from fictilis.core.mix.coefficients import FULL, columns
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, Target, targets_by_id
from fictilis.formats.choices import Values, linear_of
from fictilis.formats.files import (
    Progress,
    as_targets,
    folder_beside,
    folder_elsewhere,
    is_text,
    no_progress,
    writable,
    write_whole,
)
from fictilis.formats.gltf import column_names
from fictilis.formats.gltf_rigs import played_clips
from fictilis.formats.usd_rigs import UsdRigWriter

CAMERA_HIGH = 24.0  # mm of the film behind a camera
SAME = 1e-9


class _Shape(Struct):
    """One blend shape: its name, deltas, in-betweens as (weight, deltas), and its weight at frames (f,)."""

    name: str
    deltas: Deltas
    stages: list[tuple[float, Deltas]]
    weights: np.ndarray


def _identifier(name: str, taken: set[str]) -> str:
    """A name that a prim may have, and that no other one beside it has."""
    plain = re.sub(r"\W", "_", name, flags=re.ASCII) or "_"
    plain = plain if not plain[0].isdigit() else f"_{plain}"
    out, number = plain, 2
    while out in taken:
        out, number = f"{plain}_{number}", number + 1
    taken.add(out)
    return out


def shapes_of(scene: Scene, obj: MorphObject, frames: np.ndarray) -> list[_Shape]:
    """The blend shapes of an object with their weights. Where its in-betweens lie on straight paths and nothing is built on
    such a target they are in-betweens there too; else every column is a shape of its own, which gives the same mix."""
    parents = {t.built_on for t in obj.targets}
    kept = all(t.path == "straight" and t.id not in parents for t in obj.targets if t.in_betweens)
    every = columns(obj)
    shares = shares_at(obj, frames, fps=scene.fps)
    if not kept or not any(t.in_betweens for t in obj.targets):
        rows = zip(column_names(obj), every, shares, strict=True)
        return [_Shape(name, column.deltas, [], share) for name, column, share in rows]
    acting = acting_weights(obj, weights_at(obj, frames, fps=scene.fps))
    out, stages = [], list[tuple[float, Deltas]]()
    for name, column, share in zip(column_names(obj), every, shares, strict=True):
        target: Target = targets_by_id(obj)[column.target]
        if column.at != FULL:
            stages.append((column.at, column.deltas))
            continue
        weights = np.broadcast_to(acting[target.id], np.shape(frames)) if stages else share
        out.append(_Shape(name, column.deltas, stages, weights))
        stages = []
    return out


def frames_of(scene: Scene) -> np.ndarray:
    """Whole frames of the range, and every key within it."""
    whole = np.arange(np.ceil(scene.start), np.floor(scene.end) + 1)
    keys = {k.frame for o in scene.objects for lane in o.lanes for k in lane.curve.keys}
    before = {frame - 1e-3 for frame in keys}  # what holds jumps there
    inside = [f for f in keys | before if scene.start <= f <= scene.end]
    return np.unique(np.round([*whole, *inside, scene.start, scene.end], 6))


def needed(frames: np.ndarray, rows: np.ndarray) -> np.ndarray:
    """(k,) numbers of the samples (f, w) that do not lie on the straight line from the one kept before to the next."""
    keep, last = [0], 0
    for n in range(1, len(frames) - 1):
        part = (frames[n] - frames[last]) / (frames[n + 1] - frames[last])
        if np.abs(rows[last] + (rows[n + 1] - rows[last]) * part - rows[n]).max(initial=0.0) > SAME:
            keep.append(n)
            last = n
    return np.array([*keep, len(frames) - 1] if len(frames) > 1 else keep)


class _Writer:
    def __init__(self, stage: Any, scene: Scene, values: Values) -> None:
        """``by_points`` writes points over time where there would be blend shapes; ``every_frame`` keeps every sample."""
        from pxr import Gf, Sdf, UsdGeom, UsdSkel, Vt

        self.gf, self.sdf, self.geom, self.skel, self.vt = Gf, Sdf, UsdGeom, UsdSkel, Vt
        self.stage, self.scene, self.frames = stage, scene, frames_of(scene)
        self.taken: set[str] = set()
        self.by_points, self.every_frame = values.get("as") == "points", values.get("keys") == "frames"
        self.subdivision = values.get("subdivision", "none")
        self.rigs, self._roots = UsdRigWriter(stage, scene), dict[tuple[Any, ...], tuple[Any, ...]]()

    def array(self, rows: np.ndarray) -> Any:
        return self.vt.Vec3fArray.FromNumpy(np.ascontiguousarray(rows, np.float32))

    def object(self, obj: MorphObject, own: MorphObject) -> None:
        """``obj`` is as it is written, ``own`` the scene's own."""
        if self._hangs(own):
            self._hung(obj, own)
            return
        name = _identifier(obj.name, self.taken)
        path = f"/World/{name}"
        line = isinstance(own.geometry, Line)
        skinned = bool(obj.targets) and not line and not self.by_points
        root = self.skel.Root.Define(self.stage, path) if skinned else self.geom.Xform.Define(self.stage, path)
        self._motion(root, own)
        root.GetPrim().SetDisplayName(obj.name)
        self._visibility(root, own)
        geometry = self._curves(path, obj) if isinstance(obj.geometry, Line) else self._mesh(path, obj)
        self._coloured(geometry, obj, own)
        if skinned:
            self._blend_shapes(path, geometry, obj)
        elif line or self.by_points:
            self._points(geometry, own)

    def _coloured(self, geometry: Any, obj: MorphObject, own: MorphObject) -> None:
        red, green, blue = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in rgb(obj.appearance.colour))
        geometry.CreateDisplayColorAttr([self.gf.Vec3f(red, green, blue)])
        self._opacity(geometry, own)

    def _hangs(self, own: MorphObject) -> bool:
        return own.skin is not None and own.skin.on and not self.by_points

    def _hung(self, obj: MorphObject, own: MorphObject) -> None:
        """A mesh on its rig: below the root of that, with all that hang on it and stand alike."""
        assert obj.skin is not None
        bound = obj.skin.bound
        moves = any(lane.channel in OBJECT_KINDS and "." in lane.channel for lane in own.lanes) or own.along is not None
        key = (id(bound.rig), bound.out.tobytes(), own.transform, own.id if moves else "")
        if key not in self._roots:
            path = f"/World/{_identifier(bound.rig.name, self.taken)}"
            root = self.skel.Root.Define(self.stage, path)
            root.GetPrim().SetDisplayName(bound.rig.name)
            self._motion(root, own)
            skeleton = self.rigs.skeleton(f"{path}/Skeleton", bound)
            animation = self.skel.Animation.Define(self.stage, f"{path}/Skeleton/Animation")
            number = self.rigs.animate(animation, own)
            if number is not None:
                animation.GetPrim().SetDisplayName(bound.rig.clips[number].name)
            for n, clip in enumerate(bound.rig.clips):
                if n not in played_clips(own):
                    beside = f"{path}/Skeleton/{_identifier(clip.name, {'Animation'})}_{n}"
                    other = self.skel.Animation.Define(self.stage, beside)
                    other.GetPrim().SetDisplayName(clip.name)
                    self.rigs.raw(other, bound.rig, clip)
            self.skel.BindingAPI.Apply(skeleton.GetPrim()).CreateAnimationSourceRel().SetTargets([animation.GetPath()])
            self._roots[key] = (path, skeleton, animation, {"Skeleton"}, [])
        path, skeleton, animation, taken, weights = self._roots[key]
        place = f"{path}/{_identifier(obj.name, taken)}"
        holder = self.geom.Xform.Define(self.stage, place)
        holder.GetPrim().SetDisplayName(obj.name)
        self._visibility(holder, own)
        mesh = self._mesh(place, obj)
        self._coloured(mesh, obj, own)
        binding = self.rigs.bind(mesh, skeleton, obj.skin)
        if obj.targets:
            weights += self._shapes(mesh, binding, obj, f"{_identifier(obj.name, set())}_")
            self._animated(animation, weights)

    def _mesh(self, path: str, obj: MorphObject) -> Any:
        mesh = self.geom.Mesh.Define(self.stage, f"{path}/Mesh")
        mesh.CreatePointsAttr(self.array(obj.base))
        mesh.CreateFaceVertexCountsAttr(self.vt.IntArray.FromNumpy(np.ascontiguousarray(obj.mesh.face_sizes, np.int32)))
        mesh.CreateFaceVertexIndicesAttr(self.vt.IntArray.FromNumpy(np.ascontiguousarray(obj.mesh.corners, np.int32)))
        mesh.CreateSubdivisionSchemeAttr(self.subdivision)
        mesh.CreateExtentAttr(self.array(np.stack([obj.base.min(axis=0), obj.base.max(axis=0)])))
        if obj.mesh.uvs is not None and obj.mesh.uv_corners is not None and (obj.mesh.uv_corners >= 0).all():
            primvars = self.geom.PrimvarsAPI(mesh)
            st = primvars.CreatePrimvar("st", self.sdf.ValueTypeNames.TexCoord2fArray, self.geom.Tokens.faceVarying)
            st.Set(self.vt.Vec2fArray.FromNumpy(np.ascontiguousarray(obj.mesh.uvs, np.float32)))
            st.SetIndices(self.vt.IntArray.FromNumpy(np.ascontiguousarray(obj.mesh.uv_corners, np.int32)))
        return mesh

    def _curves(self, path: str, obj: MorphObject) -> Any:
        line, points = obj.line, obj.base
        curves = self.geom.BasisCurves.Define(self.stage, f"{path}/Curves")
        curves.CreateTypeAttr("linear")
        if line.closed.all():
            curves.CreateWrapAttr("periodic")
        elif line.closed.any():
            curves.CreateWrapAttr("nonperiodic")  # of both kinds: the closed ones come back to their first point
        curves.CreateCurveVertexCountsAttr([int(c) for c in self._counts(line)])
        curves.CreatePointsAttr(self.array(points[self._rows(line)]))
        if line.widths is not None:
            widths = np.ascontiguousarray(line.widths[self._rows(line)], np.float32)
            curves.CreateWidthsAttr(self.vt.FloatArray.FromNumpy(widths))
            curves.SetWidthsInterpolation("vertex")
        return curves

    def _counts(self, line: Line) -> np.ndarray:
        return line.counts + (line.closed & (not line.closed.all()))

    def _rows(self, line: Line) -> np.ndarray:
        """The points of all strands, where some are open the first of a closed one again at its end."""
        if line.closed.all() or not line.closed.any():
            return np.arange(line.point_count)
        spans = zip(line.starts.tolist(), line.starts[1:].tolist(), line.closed.tolist(), strict=False)
        return np.concatenate([np.append(np.arange(a, b), [a] * closed) for a, b, closed in spans]).astype(int)

    def _points(self, geometry: Any, own: MorphObject) -> None:
        """The points of a mesh or a line, or of its tube, at every frame: exact at each of them."""
        scene = self.scene
        drawing = any(lane.channel in LINE_IDS for lane in own.lanes) or own.drawn != WHOLE
        if not own.targets and not drawing and (own.spring is None or not own.spring.on) and not acts(own):
            return
        plain = not isinstance(own.geometry, Line) or own.line.tube is not None
        rows = slice(None) if plain else self._rows(_drawn_line(own))
        last, waiting = None, None
        for frame in self.frames.tolist():
            part = own_placement(own, frame, fps=scene.fps).drawn
            points = Pose(scene, own, frame).drawn(part)[rows]
            same = last is not None and np.array_equal(points, last)
            if not same and waiting is not None and last is not None:
                geometry.GetPointsAttr().Set(self.array(last), waiting)
            if not same:
                geometry.GetPointsAttr().Set(self.array(points), frame)
            last, waiting = points, frame if same else None

    def _blend_shapes(self, path: str, mesh: Any, obj: MorphObject) -> None:
        """The skeleton of one joint that blend shapes hang on, the shapes, and the animation of their weights."""
        skeleton = self.skel.Skeleton.Define(self.stage, f"{path}/Skeleton")
        skeleton.CreateJointsAttr(["root"])
        one = self.vt.Matrix4dArray([self.gf.Matrix4d(1.0)])
        skeleton.CreateBindTransformsAttr(one)
        skeleton.CreateRestTransformsAttr(one)
        animation = self.skel.Animation.Define(self.stage, f"{path}/Skeleton/Weights")
        binding = self.skel.BindingAPI.Apply(mesh.GetPrim())
        binding.CreateSkeletonRel().SetTargets([skeleton.GetPath()])
        binding.CreateJointIndicesPrimvar(True, 1).Set([0])
        binding.CreateJointWeightsPrimvar(True, 1).Set([1.0])
        binding.CreateGeomBindTransformAttr(self.gf.Matrix4d(1.0))
        self.skel.BindingAPI.Apply(skeleton.GetPrim()).CreateAnimationSourceRel().SetTargets([animation.GetPath()])
        self._animated(animation, self._shapes(mesh, binding, obj))

    def _shapes(self, mesh: Any, binding: Any, obj: MorphObject, before: str = "") -> list[tuple[str, np.ndarray]]:
        """The blend shapes of a mesh; their names in animations, which begin with ``before``, and their weights."""
        taken, names, paths = {"Skeleton"}, [], []
        shapes = shapes_of(self.scene, obj, self.frames)
        for shape in shapes:
            name = _identifier(shape.name, taken)
            made = self.skel.BlendShape.Define(self.stage, f"{mesh.GetPath()}/{name}")
            made.GetPrim().SetDisplayName(shape.name)
            stages = [deltas for _, deltas in shape.stages]
            indices = distinct(np.concatenate([d.indices for d in (shape.deltas, *stages)])) if stages else shape.deltas.indices
            indices = indices if len(indices) else np.zeros(1, np.int32)  # none would stand for all points
            if len(indices) < len(obj.base):  # else the offsets are of all points, in their order
                made.CreatePointIndicesAttr(self.vt.IntArray.FromNumpy(np.ascontiguousarray(indices, np.int32)))
            made.CreateOffsetsAttr(self.array(_at(shape.deltas, indices)))
            for number, (at, deltas) in enumerate(shape.stages, 1):
                between = made.CreateInbetween(f"at{number}")
                between.SetWeight(float(at))
                between.SetOffsets(self.array(_at(deltas, indices)))
            names.append(before + name)
            paths.append(made.GetPath())
        binding.CreateBlendShapesAttr(names)
        binding.CreateBlendShapeTargetsRel().SetTargets(paths)
        return list(zip(names, (shape.weights for shape in shapes), strict=True))

    def _animated(self, animation: Any, shapes: list[tuple[str, np.ndarray]]) -> None:
        """The weights of blend shapes over time."""
        animation.CreateBlendShapesAttr([name for name, _ in shapes])
        rows = np.array([np.broadcast_to(weights, len(self.frames)) for _, weights in shapes]).T
        weights = animation.CreateBlendShapeWeightsAttr()
        if not np.ptp(rows, axis=0).any():
            weights.Set(rows[0].tolist())
            return
        for n in range(len(rows)) if self.every_frame else needed(self.frames, rows):
            weights.Set(rows[n].tolist(), float(self.frames[n]))

    def _motion(self, prim: Any, own: MorphObject) -> None:
        """Position, rotation about X, Y and Z, and scale about the pivot, as they are here."""
        stands = [placement(self.scene, own, frame).transform for frame in self.frames.tolist()]
        xform = self.geom.Xformable(prim)
        pivot = self.gf.Vec3f(*own.transform.pivot)
        parts = {"position": xform.AddTranslateOp(), "pivot": xform.AddTranslateOp(opSuffix="pivot")}
        parts |= {"rotation": xform.AddRotateXYZOp(), "scale": xform.AddScaleOp()}
        xform.AddTranslateOp(opSuffix="pivot", isInverseOp=True)
        parts["pivot"].Set(self.gf.Vec3d(pivot))
        for part in ("position", "rotation", "scale"):
            rows = np.array([getattr(stand, part) for stand in stands])
            if part == "rotation":
                rows = np.degrees(np.unwrap(np.radians(rows), axis=0))
            kind = self.gf.Vec3d if part == "position" else self.gf.Vec3f
            if not np.ptp(rows, axis=0).any():
                parts[part].Set(kind(*rows[0].tolist()))
                continue
            for n in needed(self.frames, rows):
                parts[part].Set(kind(*rows[n].tolist()), float(self.frames[n]))

    def _visibility(self, prim: Any, own: MorphObject) -> None:
        if own.lane("visible") is None:
            return
        seen, last = self.geom.Imageable(prim).CreateVisibilityAttr(), None
        for frame in self.frames.tolist():
            now = "inherited" if own_placement(own, frame, fps=self.scene.fps).visible else "invisible"
            if now != last:
                seen.Set(now, frame)
                last = now

    def _opacity(self, geometry: Any, own: MorphObject) -> None:
        if own.lane("opacity") is None:
            if own.appearance.opacity < 1:
                geometry.CreateDisplayOpacityAttr([float(own.appearance.opacity)])
            return
        rows = np.array([[own_placement(own, frame, fps=self.scene.fps).opacity] for frame in self.frames.tolist()])
        attribute = geometry.CreateDisplayOpacityAttr()
        for n in needed(self.frames, rows):
            attribute.Set([float(rows[n, 0])], float(self.frames[n]))

    def camera(self, camera: Any) -> None:
        made = self.geom.Camera.Define(self.stage, f"/World/{_identifier(camera.name, self.taken)}")
        made.GetPrim().SetDisplayName(camera.name)
        made.CreateVerticalApertureAttr(CAMERA_HIGH)
        made.CreateHorizontalApertureAttr(CAMERA_HIGH * 1.6)
        stands = [placed_camera(self.scene, camera, frame) for frame in self.frames.tolist()]
        made.CreateProjectionAttr("orthographic" if camera.parallel else "perspective")
        move = self.geom.Xformable(made).AddTransformOp()
        rows = np.array([eye(stand) for stand in stands])
        lenses = np.array([[CAMERA_HIGH / 2 / np.tan(np.radians(stand.lens) / 2)] for stand in stands])
        focal = made.CreateFocalLengthAttr()
        if not np.ptp(rows, axis=0).any():
            move.Set(self.gf.Matrix4d(rows[0].T.tolist()))
        else:
            for n in needed(self.frames, rows.reshape(len(rows), -1)):
                move.Set(self.gf.Matrix4d(rows[n].T.tolist()), float(self.frames[n]))
        if not np.ptp(lenses):
            focal.Set(float(lenses[0, 0]))
        else:
            for n in needed(self.frames, lenses):
                focal.Set(float(lenses[n, 0]), float(self.frames[n]))
        made.CreateFocusDistanceAttr(float(stands[0].distance))


def _at(deltas: Deltas, indices: np.ndarray) -> np.ndarray:
    """(k, 3): the offsets of points that hold all those that move, in their order."""
    if len(indices) == len(deltas.indices):
        return deltas.offsets
    out = np.zeros((len(indices), 3))
    put_rows(out, np.searchsorted(indices, deltas.indices), deltas.offsets)
    return out


def _drawn_line(own: MorphObject) -> Line:
    from fictilis.core.geometry.lines.splines import drawn

    return drawn(own.line).line


def _lay(world: Any, linear: np.ndarray) -> None:
    """The one place where the scene's centimetres, Y up, become the stage's unit and axis."""
    from pxr import Gf

    if not np.array_equal(linear, np.eye(3)):
        matrix = np.eye(4)
        matrix[:3, :3] = linear.T  # rows are vectors in OpenUSD
        world.AddTransformOp().Set(Gf.Matrix4d(matrix.tolist()))


def write_usd(path: Path, scene: Scene, progress: Progress = no_progress, values: Values | None = None) -> list[str]:
    """Export the visible objects of a scene, and its cameras. ``values`` are of the options of the format: the stage's unit and
    up axis, points frame by frame in the place of blend shapes, weights at every frame. Returns warnings about what was left
    out. Raises CannotSave."""
    from pxr import Usd, UsdGeom, UsdUtils

    values = values or {}
    points = values.get("as") == "points"
    scene, said = (scene, list[str]()) if points else as_targets(scene)
    shown = [obj for obj in scene.objects if obj.visible]
    writable(scene, shown)  # refuses where there is none
    for obj in shown:
        if obj.repeated is not None:
            said.append(f"The {scene.copy_count(obj):,} copies of {obj.name} are written as objects.")
            scene = many_objects(scene, obj.id)[0]
    written, left_out = writable(scene, [obj for obj in scene.objects if obj.visible])
    meshes = [obj for obj in written if not isinstance(scene.object(obj.id).geometry, Line)]  # lines are exact at frames
    said += left_out + [banded_words(scene, obj) for obj in meshes if swept(obj) and not points]
    if scene.clips:
        said.append("Only the active clip is written.")
    textured = [obj.name for obj in written if obj.appearance.texture is not None]
    if textured:
        said.append(f"Textures are not written: {', '.join(textured)}.")

    def fill(temporary: Path) -> None:
        suffix = Path(path).suffix.lower()
        with folder_beside(temporary) if is_text(temporary) else folder_elsewhere() as folder:
            inner = folder / f"scene{'.usdc' if suffix == '.usdz' else suffix}"
            stage = Usd.Stage.CreateNew(str(inner))
            UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z if values.get("up") == "z" else UsdGeom.Tokens.y)
            UsdGeom.SetStageMetersPerUnit(stage, UNITS[values.get("unit", "cm")] / 100)
            stage.SetTimeCodesPerSecond(scene.fps)
            stage.SetFramesPerSecond(scene.fps)
            stage.SetStartTimeCode(scene.start)
            stage.SetEndTimeCode(scene.end)
            world = UsdGeom.Xform.Define(stage, "/World")
            stage.SetDefaultPrim(world.GetPrim())
            _lay(world, linear_of(values))
            writer = _Writer(stage, scene, values)
            for done, obj in enumerate(written, 1):
                writer.object(with_bands(obj, FORMAT_BANDS) if swept(obj) else obj, scene.object(obj.id))
                progress(done / len(written))
            for camera in scene.cameras:
                writer.camera(camera)
            stage.GetRootLayer().Save()
            del stage, writer
            if suffix == ".usdz":
                packed = folder / "packed.usdz"
                UsdUtils.CreateNewUsdzPackage(str(inner), str(packed))
                inner = packed
            shutil.move(inner, temporary)

    write_whole(Path(path), fill)
    return said
