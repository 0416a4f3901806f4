"""Skeletons, skins and joint animations of OpenUSD, both ways: what was not touched goes out as it came.

Source: OpenUSD, UsdSkel schemas (usd-core).
"""

from __future__ import annotations

from typing import Any

import numpy as np

from fictilis.core.animation.sampled import LINEAR, Curves
from fictilis.core.ground.errors import BadFile
from fictilis.core.ground.names import fresh_name, tidy_name
from fictilis.core.rig.named import clip_curve
from fictilis.core.scene.rigs import (
    MOST_PARTS,
    PATHS,
    ROTATION,
    SCALE,
    TIME,
    TRANSLATION,
    Bound,
    Rig,
    RigClip,
    RigTrack,
    Skin,
    joint_names,
)
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.scene.timeline import Lane
from fictilis.formats.gltf_rigs import numbers_of, parts_of, plain_clip, poses_over

DUAL = "dualQuaternion"
METHOD = "skel:skinningMethod"
ANIMATED = {TRANSLATION: "GetTranslationsAttr", ROTATION: "GetRotationsAttr", SCALE: "GetScalesAttr"}
SAME = 1e-6


def _matrices(value: Any) -> np.ndarray:
    """(k, 4, 4) for column vectors."""
    return np.array([np.array(m) for m in value or []], np.float64).reshape(-1, 4, 4).transpose(0, 2, 1)


def _rows(path: str, value: Any) -> np.ndarray:
    """(j, 3 or 4) float32 of the values of an animation."""
    if path == ROTATION:
        return np.array([[*q.GetImaginary(), q.GetReal()] for q in value], np.float32).reshape(-1, 4)
    return np.array(value, np.float32).reshape(-1, 3)


class UsdRigs:
    """The rigs of a stage, each by the path of its skeleton."""

    def __init__(self, stage: Any, fps: float, start: float, name: str) -> None:
        from pxr import UsdGeom, UsdSkel

        self.geom, self.skel, self.stage, self.fps, self.start, self.name = UsdGeom, UsdSkel, stage, fps, start, name
        self._rigs: dict[str, tuple[Rig, np.ndarray, str]] = {}

    def skeleton(self, prim: Any) -> Any:
        """The skeleton that a mesh hangs on; None without one, and for one that only carries blend shapes."""
        binding = self.skel.BindingAPI(prim)
        skeleton = binding.GetInheritedSkeleton()
        if not skeleton or not binding.GetJointIndicesPrimvar().HasValue():
            return None
        joints = skeleton.GetJointsAttr().Get() or []
        alone = len(joints) == 1 and not any(
            getattr(self.skel.Animation(a), attr)().HasValue() for a in self._animations(skeleton) for attr in ANIMATED.values()
        )
        return None if not joints or alone else skeleton

    def _animations(self, skeleton: Any) -> list[Any]:
        """The bound animation first, then the others of its root."""
        bound = self.skel.BindingAPI(skeleton.GetPrim()).GetInheritedAnimationSource()
        out = [bound] if bound else []
        root = self.skel.Root.Find(skeleton.GetPrim())
        from pxr import Usd

        for prim in Usd.PrimRange(root.GetPrim() if root else skeleton.GetPrim()):
            if prim.IsA(self.skel.Animation) and prim not in out:
                out.append(prim)
        return out

    def fail(self, what: str) -> BadFile:
        return BadFile(f"{self.name} cannot be read: {what}.")

    def _rig(self, skeleton: Any) -> tuple[Rig, np.ndarray, str]:
        path = str(skeleton.GetPath())
        if path not in self._rigs:
            tokens = [str(t) for t in skeleton.GetJointsAttr().Get()]
            parents = np.array(self.skel.Topology(tokens).GetParentIndices(), np.int64)
            bind, rest = (_matrices(a.Get()) for a in (skeleton.GetBindTransformsAttr(), skeleton.GetRestTransformsAttr()))
            rest = rest if len(rest) else np.tile(np.eye(4), (len(tokens), 1, 1))
            if len(bind) != len(tokens) or len(rest) != len(tokens):
                raise self.fail(f"the skeleton {path} has {len(tokens)} joints and {len(bind)} transforms they were bound by")
            said = [str(name) for name in skeleton.GetJointNamesAttr().Get() or []]
            names = said if len(said) == len(tokens) else [token.rpartition("/")[2] for token in tokens]
            clips: list[RigClip] = []
            bound = ""
            for number, prim in enumerate(self._animations(skeleton)):
                title = tidy_name(prim.GetDisplayName() or prim.GetName()) or "Clip"
                clip = self._clip(prim, tokens, fresh_name(title, {c.name for c in clips}))
                if clip.tracks:
                    bound = clip.name if number == 0 else bound
                    clips.append(clip)
            numbers = np.array([numbers_of(m) for m in rest])
            title = tidy_name(skeleton.GetPrim().GetDisplayName() or skeleton.GetPrim().GetName()) or "Rig"
            rig = Rig(title, tuple(names), parents, rest, numbers, np.ones(len(tokens), bool), tuple(clips))
            self._rigs[path] = rig, bind, bound
        return self._rigs[path]

    def _clip(self, prim: Any, tokens: list[str], name: str) -> RigClip:
        animation = self.skel.Animation(prim)
        led = [str(t) for t in animation.GetJointsAttr().Get() or []]
        place = {token: number for number, token in enumerate(tokens)}
        tracks = []
        for path, getter in ANIMATED.items():
            attribute = getattr(animation, getter)()
            codes = attribute.GetTimeSamples()
            values = [attribute.Get(code) for code in codes] if codes else [attribute.Get()] if attribute.HasValue() else []
            if not values or any(value is None or len(value) != len(led) for value in values) or not led:
                continue
            rows = np.array([_rows(path, value) for value in values])
            times = (np.array(codes or [self.start]) - self.start) / self.fps
            if not np.isfinite(rows).all():
                raise self.fail(f"the animation {name} holds numbers that are not finite")
            tracks += [RigTrack(place[t], path, LINEAR, times, rows[:, n]) for n, t in enumerate(led) if t in place]
        return RigClip(name, tuple(tracks))

    def skin(self, prim: Any, skeleton: Any, count: int, out: np.ndarray, unit: float) -> tuple[Skin, list[Lane]]:
        """How ``count`` points hang, ``out`` (4, 4) leading from the skeleton to the object's space, in cm; and what plays
        it."""
        rig, bind, bound_clip = self._rig(skeleton)
        binding, tokens = self.skel.BindingAPI(prim), [str(t) for t in skeleton.GetJointsAttr().Get()]
        own = [str(t) for t in binding.GetJointsAttr().Get() or tokens]
        if any(token not in tokens for token in own):
            raise self.fail(f"{prim.GetName()} hangs on joints that its skeleton does not have")
        joints = np.array([tokens.index(token) for token in own])
        indices, weights = binding.GetJointIndicesPrimvar(), binding.GetJointWeightsPrimvar()
        wide = max(int(indices.GetElementSize()), 1)
        parts, says = np.array(indices.Get() or [], np.int64), np.array(weights.Get() or [], np.float32)
        if indices.GetInterpolation() == "constant":
            parts, says = np.tile(parts, count), np.tile(says, count)
        if wide > MOST_PARTS or len(parts) != count * wide or len(says) != len(parts):
            raise self.fail(f"{prim.GetName()} has {count:,} points and {len(parts):,} joints they hang on, {wide} each")
        if len(parts) and (parts.min() < 0 or parts.max() >= len(joints)):
            raise self.fail(f"a point of {prim.GetName()} hangs on joint {int(parts.max())} of {len(joints)}")
        geom = np.array(binding.GetGeomBindTransformAttr().Get() or np.eye(4), np.float64).reshape(4, 4).T
        rows = bind[joints]
        if (np.abs(np.linalg.det(rows)) < 1e-30).any():
            raise self.fail(f"a joint of {skeleton.GetPrim().GetName()} was bound flat")
        lay = np.diag([1 / unit, 1 / unit, 1 / unit, 1.0])
        parts, says = parts.reshape(count, wide), says.reshape(count, wide)
        bound = Bound(rig, joints, np.linalg.inv(rows), parts, says, geom @ lay, out, rows)
        method = prim.GetAttribute(f"primvars:{METHOD}").Get()
        number = next((n for n, clip in enumerate(rig.clips) if clip.name == bound_clip), None)
        skin = Skin(bound, dual=str(method) == DUAL, clip=0 if number is None else number)
        if number is None:
            return Skin(bound, dual=skin.dual, clip=-1 if rig.clips else 0), []
        return skin, [Lane(TIME, clip_curve(rig.clips[number], self.fps, self.start))]


class UsdRigWriter:
    """Writes the skeleton of a rig, the animations of its joints, and how meshes hang on it."""

    def __init__(self, stage: Any, scene: Scene) -> None:
        from pxr import Gf, Sdf, UsdGeom, UsdSkel, Vt

        self.gf, self.sdf, self.geom, self.skel, self.vt = Gf, Sdf, UsdGeom, UsdSkel, Vt
        self.stage, self.scene = stage, scene

    def _matrix(self, column: np.ndarray) -> Any:
        return self.gf.Matrix4d(column.T.tolist())

    def tokens(self, rig: Rig) -> list[str]:
        """The joints as paths, which names them wholly."""
        import re

        out: list[str] = []
        for name, parent in zip(joint_names(rig), rig.parents.tolist(), strict=True):
            plain = re.sub(r"\W", "_", name, flags=re.ASCII) or "_"
            plain = f"_{plain}" if plain[0].isdigit() else plain
            out.append(plain if parent < 0 else f"{out[parent]}/{plain}")
        return [token if out.index(token) == n else f"{token}_{n}" for n, token in enumerate(out)]

    def skeleton(self, path: str, bound: Bound) -> Any:
        """The skeleton of a rig, at a path."""
        rig, tokens = bound.rig, self.tokens(bound.rig)
        skeleton = self.skel.Skeleton.Define(self.stage, path)
        skeleton.GetPrim().SetDisplayName(rig.name)
        skeleton.CreateJointsAttr(tokens)
        skeleton.CreateJointNamesAttr(list(rig.joints))
        rest = np.tile(np.eye(4), (len(tokens), 1, 1))
        worlds = rig.matrices.copy()
        for number, parent in enumerate(rig.parents.tolist()):
            if parent >= 0:
                worlds[number] = worlds[parent] @ worlds[number]
        rest = worlds.copy()
        rest[bound.joints] = np.linalg.inv(bound.inverse) if bound.bind is None else bound.bind
        skeleton.CreateBindTransformsAttr(self.vt.Matrix4dArray([self._matrix(m) for m in rest]))
        skeleton.CreateRestTransformsAttr(self.vt.Matrix4dArray([self._matrix(m) for m in rig.matrices]))
        if not np.allclose(bound.out, np.eye(4), atol=1e-12):
            self.geom.Xformable(skeleton).AddTransformOp().Set(self._matrix(bound.out))
        return skeleton

    def bind(self, mesh: Any, skeleton: Any, skin: Skin) -> Any:
        """Let a mesh hang on a skeleton."""
        bound = skin.bound
        binding = self.skel.BindingAPI.Apply(mesh.GetPrim())
        binding.CreateSkeletonRel().SetTargets([skeleton.GetPath()])
        tokens = self.tokens(bound.rig)
        if len(bound.joints) != len(tokens) or (bound.joints != np.arange(len(tokens))).any():
            binding.CreateJointsAttr([tokens[j] for j in bound.joints.tolist()])
        wide = bound.parts.shape[1]
        binding.CreateJointIndicesPrimvar(False, wide).Set(
            self.vt.IntArray.FromNumpy(np.ascontiguousarray(bound.parts.ravel(), np.int32))
        )
        binding.CreateJointWeightsPrimvar(False, wide).Set(
            self.vt.FloatArray.FromNumpy(np.ascontiguousarray(bound.weights.ravel(), np.float32))
        )
        binding.CreateGeomBindTransformAttr(self._matrix(bound.into))
        if skin.dual:
            kind = self.sdf.ValueTypeNames.Token
            self.geom.PrimvarsAPI(mesh).CreatePrimvar(METHOD, kind, self.geom.Tokens.constant).Set(DUAL)
        return binding

    def animate(self, animation: Any, own: MorphObject) -> int | None:
        """What the joints do in the scene; the number of the clip that this is as it came, or None."""
        assert own.skin is not None
        rig, number = own.skin.rig, plain_clip(self.scene, own)
        if number is not None and self.raw(animation, rig, rig.clips[number]):
            return number
        frames, poses = poses_over(self.scene, own)
        moved = [n for n in range(len(rig.joints)) if np.abs(poses[:, n] - rig.matrices[n]).max() > SAME]
        parts = [parts_of(poses[:, n]) for n in moved]
        self._joints(animation, rig, moved)
        for path in PATHS if moved else ():
            rows = np.stack([part[path] for part in parts], axis=1)
            still = np.ptp(rows, axis=0).max() <= SAME
            self._values(animation, path, frames[:1] if still else frames, rows)
        return None

    def raw(self, animation: Any, rig: Rig, clip: RigClip) -> bool:
        """A clip as it came, where all its tracks have samples at the same times; else sampled at all of these."""
        moved = sorted({track.joint for track in clip.tracks})
        place = {joint: n for n, joint in enumerate(moved)}
        self._joints(animation, rig, moved)
        rest = dict(zip(PATHS, np.split(rig.numbers[moved], [3, 7], axis=1), strict=True))
        for path in PATHS if moved else ():
            tracks = [track for track in clip.tracks if track.path == path]
            times = np.unique(np.concatenate([t.times for t in tracks])) if tracks else np.zeros(1)
            if any(track.way != LINEAR for track in tracks):
                whole = np.arange(0, np.floor(clip.seconds * self.scene.fps) + 1) / self.scene.fps
                times = np.unique(np.concatenate([times, whole]))
            rows = np.repeat(rest[path][None], len(times), axis=0)
            for track in tracks:
                same = track.way == LINEAR and np.array_equal(track.times, times)
                values, into, out = (x if x is None else x.astype(float) for x in (track.values, track.into, track.out))
                assert values is not None
                curves = Curves(track.way, track.times, values, into, out)
                rows[:, place[track.joint]] = track.values if same else curves.at(times, path == ROTATION)
            codes = times * self.scene.fps + self.scene.start
            near = np.round(codes)
            self._values(animation, path, np.where(np.abs(codes - near) < 1e-6, near, codes), rows)
        return True

    def _joints(self, animation: Any, rig: Rig, moved: list[int]) -> None:
        tokens = self.tokens(rig)
        animation.CreateJointsAttr([tokens[n] for n in moved])

    def _values(self, animation: Any, path: str, codes: np.ndarray, rows: np.ndarray) -> None:
        """rows (f, j, 3 or 4) at codes (f,)."""
        create = {TRANSLATION: animation.CreateTranslationsAttr, ROTATION: animation.CreateRotationsAttr,
                  SCALE: animation.CreateScalesAttr}[path]()  # fmt: skip
        for code, row in zip(codes.tolist(), rows.tolist(), strict=False):
            if path == ROTATION:
                value = self.vt.QuatfArray([self.gf.Quatf(q[3], q[0], q[1], q[2]) for q in row])
            elif path == SCALE:
                value = self.vt.Vec3hArray([self.gf.Vec3h(*s) for s in row])
            else:
                value = self.vt.Vec3fArray([self.gf.Vec3f(*t) for t in row])
            create.Set(value) if len(codes) == 1 else create.Set(value, code)
