"""The mix and the normals: 100,000 points × 52 targets, float32, beside NumPy and OpenUSD in the same run."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np

from benchmarks.measure import Row, medians, ms
from fictilis.core.animation.curve import Key
from fictilis.core.edits.objects import add_object
from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.primitives import plane
from fictilis.core.geometry.topology import mesh_from_faces, triangles
from fictilis.core.mix.delta_bank import DeltaBank
from fictilis.core.scene.rules import Driver, Rule
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, Target

SIDE, TARGETS = 315, 52


def sheet() -> MorphObject:
    points, mesh = plane(100, 100, SIDE, SIDE)
    scene, _ = add_object(Scene(), "Sheet", mesh, points)
    return scene.objects[0]


def with_targets(obj: MorphObject, part: float) -> MorphObject:
    """52 targets that each move a round ``part`` of the points, in mesh order."""
    from msgspec.structs import replace

    rng = np.random.default_rng(0)
    count = len(obj.base)
    targets = []
    for k in range(TARGETS):
        indices = np.arange(count)
        if part < 1:
            centre = obj.base[rng.integers(count)]
            indices = np.sort(np.argsort(((obj.base - centre) ** 2).sum(1))[: int(part * count)])
        targets.append(Target(f"t{k}", f"T{k}", Deltas(indices, rng.normal(size=(len(indices), 3)))))
    return replace(obj, targets=tuple(targets))


def usd_evaluator(obj: MorphObject):
    """A function of weights that evaluates the same blend shapes by OpenUSD's own code."""
    from pxr import Sdf, Usd, UsdGeom, UsdSkel, Vt

    stage = Usd.Stage.CreateInMemory()
    mesh = UsdGeom.Mesh.Define(stage, "/Mesh")
    base = Vt.Vec3fArray.FromNumpy(obj.base.astype(np.float32))
    mesh.CreatePointsAttr(base)
    binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
    dense = len(obj.targets[0].deltas.indices) == len(obj.base)
    for target in obj.targets:
        shape = UsdSkel.BlendShape.Define(stage, f"/Mesh/{target.id}")
        shape.CreateOffsetsAttr(Vt.Vec3fArray.FromNumpy(target.deltas.offsets.astype(np.float32)))
        if not dense:
            shape.CreatePointIndicesAttr(Vt.IntArray.FromNumpy(target.deltas.indices))
    binding.CreateBlendShapesAttr([t.id for t in obj.targets])
    binding.CreateBlendShapeTargetsRel().SetTargets([Sdf.Path(f"/Mesh/{t.id}") for t in obj.targets])
    query = UsdSkel.BlendShapeQuery(binding)
    indices, offsets = query.ComputeBlendShapePointIndices(), query.ComputeSubShapePointOffsets()

    def run(weights: list[float]):
        points = Vt.Vec3fArray(base)
        query.ComputeDeformedPoints(*query.ComputeSubShapeWeights(weights), indices, offsets, points)
        return points

    return run


def refreshing(bank: DeltaBank, weights: np.ndarray):
    """A whole mix each call: the bank's last result is of no help."""
    other = weights * 1.0001
    state = {"odd": False}

    def run() -> None:
        state["odd"] = not state["odd"]
        bank.mix(other if state["odd"] else weights)

    return run


def bare_read(stack: np.ndarray):
    """The bytes read once, by two threads as in a mix, with as little done to them as BLAS can."""
    pool, (first, second) = ThreadPoolExecutor(1), np.array_split(stack, 2)

    def run() -> None:
        other = pool.submit(np.dot, second, second)
        np.dot(first, first)
        other.result()

    return run


def rows() -> list[Row]:
    import scipy.linalg.blas
    import scipy.sparse  # noqa: F401

    out = []
    obj = sheet()
    weights = np.linspace(0.2, 0.9, TARGETS)
    few = np.zeros(TARGETS)
    few[[3, 17, 30, 44]] = 0.7
    for part, name in ((1.0, "dense"), (0.05, "each moves 5 %")):
        made = with_targets(obj, part)
        bank, usd = DeltaBank(made, np.float32), usd_evaluator(made)
        stack = np.concatenate([t.deltas.offsets.astype(np.float32).ravel() for t in made.targets])
        ours = np.array(usd(weights.tolist()))
        assert np.abs(ours - bank.mix(weights)).max() < 1e-3
        dragged = weights.copy()

        def drag(bank=bank, dragged=dragged) -> None:
            dragged[5] += 1e-3
            bank.mix(dragged)

        t = medians(
            {
                "read": bare_read(stack),
                "usd": lambda u=usd: u(weights.tolist()),
                "ours": refreshing(bank, weights),
                "few": refreshing(bank, few),
                "usd few": lambda u=usd: u(few.tolist()),
            }
        )
        bank.mix(dragged)
        t["drag"] = medians({"drag": drag})["drag"]
        detail = f"ours {ms(t['ours'])}, a bare read {ms(t['read'])}, OpenUSD {ms(t['usd'])}"
        if part == 1.0:
            out.append(Row(f"mix {name}: time against a bare read of the bytes", t["ours"] / t["read"], 1.1, True, detail))
            out.append(Row(f"mix {name}: times ahead of OpenUSD", t["usd"] / t["ours"], None, False, detail))
        else:
            out.append(Row(f"mix, {name}: times ahead of OpenUSD", t["usd"] / t["ours"], 1.5, False, detail))
            detail = f"ours {ms(t['few'])}, OpenUSD {ms(t['usd few'])}"
            out.append(Row(f"mix, {name}, 4 of 52 on: times ahead of OpenUSD", t["usd few"] / t["few"], 5.0, False, detail))
            detail = f"{ms(t['drag'])} for 5 % of the points"
            out.append(Row("one weight dragged, against the whole sparse mix", t["drag"] / t["ours"], 0.1, True, detail))
    return [*out, *correctives(obj), *relay(obj), *sweep(obj), *linked(obj), *normals(obj)]


def correctives(obj: MorphObject) -> list[Row]:
    """60 correctives over 40 targets, none of which acts, against the mix of the 40 alone: from weights to points."""
    from msgspec.structs import replace

    from fictilis.core.mix.acting import shares_at

    rng = np.random.default_rng(3)
    plain = with_targets(obj, 0.05)
    plain = replace(plain, targets=plain.targets[:40])
    drivers = [rng.choice(20, 2, replace=False) for _ in range(60)]
    ids = [t.id for t in plain.targets]
    made = tuple(
        replace(plain.targets[n % 40], id=f"c{n}", name=f"Fix {n}", rule=Rule((Driver(ids[a]), Driver(ids[20 + b]))))
        for n, (a, b) in enumerate(drivers)
    )
    ruled = replace(plain, targets=(*plain.targets, *made))
    banks = {"plain": DeltaBank(plain, np.float32), "ruled": DeltaBank(ruled, np.float32)}
    step = {"frame": 0.0}

    def frame(which: MorphObject, bank: DeltaBank):
        def run() -> None:
            step["frame"] += 1.0
            posed = dict(zip(ids[:20], (0.5 + 0.4 * np.sin(step["frame"] + np.arange(20))).tolist(), strict=True))
            bank.mix(shares_at(which, step["frame"], posed))

        return run

    t = medians({"plain": frame(plain, banks["plain"]), "ruled": frame(ruled, banks["ruled"])})
    detail = f"{ms(t['ruled'])} to {ms(t['plain'])}"
    return [Row("60 correctives over 40 targets, none acting, against without", t["ruled"] / t["plain"], 1.5, True, detail)]


def relay(obj: MorphObject) -> list[Row]:
    """500 poses of 500 targets, a frame each, against the same object with two of them keyed: from the frame to the points."""
    from msgspec.structs import replace

    from fictilis.core.animation.curve import AnimationCurve, Key
    from fictilis.core.edits.relays import make_relay
    from fictilis.core.mix.acting import shares_at
    from fictilis.core.scene.scene import THROUGH

    rng = np.random.default_rng(4)
    shapes = [Deltas.from_dense(rng.normal(size=obj.base.shape)) for _ in range(24)]
    made = replace(obj, targets=tuple(Target(f"t{n}", f"T{n}", shapes[n % 24]) for n in range(500)))
    ids = [t.id for t in made.targets]
    keys = [AnimationCurve((Key(0, a, "linear"), Key(500, 1 - a, "linear"))) for a in (0.1, 0.8)]
    objects = {"two": made.with_lanes(dict(zip(ids[:2], keys, strict=True)))}
    for path in ("straight", THROUGH):
        scene, _ = make_relay(Scene(objects=(made,)), obj.id, ids, "Row", 0.0, 1.0, "linear", path)
        objects[path] = scene.objects[0]
    banks = {name: DeltaBank(which, np.float32) for name, which in objects.items()}
    step = {"frame": 0.0}

    def frame(name: str):
        def run() -> None:
            step["frame"] = (step["frame"] + 0.37) % 499
            banks[name].mix(shares_at(objects[name], step["frame"]))

        return run

    t = medians({name: frame(name) for name in objects})
    detail = f"{ms(t['straight'])} to {ms(t['two'])}; through the row {ms(t[THROUGH])}"
    return [Row("relay of 500 poses against two active columns", t["straight"] / t["two"], 1.3, True, detail)]


def sweep(obj: MorphObject) -> list[Row]:
    """A front that runs over 100,000 points, a frame each, against a masked target whose weight changes."""
    from msgspec.structs import replace

    from fictilis.core.mix.acting import shares_at
    from fictilis.core.scene.sweep import Sweep
    from fictilis.core.shaping.fields import along_axis

    moves = Deltas.from_dense(np.random.default_rng(5).normal(size=obj.base.shape))
    plain = Target("t1", "Wave", moves, mask=np.linspace(0.2, 1.0, len(obj.base)))
    objects = {
        "masked": replace(obj, targets=(plain,)),
        "swept": replace(obj, targets=(replace(plain, weight=1.0, sweep=Sweep(along_axis(obj, 0))),)),
    }
    banks = {name: DeltaBank(which, np.float32) for name, which in objects.items()}
    step = {"at": 0.0}

    def frame(name: str):
        def run() -> None:
            step["at"] = (step["at"] + 0.0371) % 1.0
            banks[name].mix(shares_at(objects[name], 0.0, {"t1.front": step["at"]} if name == "swept" else {"t1": step["at"]}))

        return run

    t = medians({name: frame(name) for name in objects})
    detail = f"{ms(t['swept'])} to {ms(t['masked'])}"
    return [Row("sweep over 100,000 points against one masked column", t["swept"] / t["masked"], 6.0, True, detail)]


def linked(obj: MorphObject) -> list[Row]:
    """Three objects with ten linked targets, one of which is keyed, against the same three without links."""
    from fictilis.core.edits.keys import set_key
    from fictilis.core.edits.links import link_equal_names
    from fictilis.core.mix.acting import shares_at

    scenes = {}
    for name in ("apart", "linked"):
        parts = [with_targets(obj, 0.05) for _ in range(3)]
        parts = [replace_ids(part, n) for n, part in enumerate(parts)]
        scene = Scene(objects=tuple(parts))
        scenes[name] = link_equal_names(scene, "o0")[0] if name == "linked" else scene
        for part in parts if name == "apart" else parts[:1]:
            for at, value in ((0.0, 0.1), (500.0, 0.9)):
                scenes[name] = set_key(scenes[name], part.id, "t1", Key(at, value))
    banks = {name: [DeltaBank(o, np.float32) for o in scene.objects] for name, scene in scenes.items()}
    step = {"at": 0.0}

    def frame(name: str):
        def run() -> None:
            step["at"] = (step["at"] + 0.7) % 500
            for which, bank in zip(scenes[name].objects, banks[name], strict=True):
                bank.mix(shares_at(which, step["at"]))

        return run

    t = medians({name: frame(name) for name in scenes})
    detail = f"{ms(t['linked'])} to {ms(t['apart'])}"
    return [Row("three linked objects against the sum of the three", t["linked"] / t["apart"], 1.1, True, detail)]


def replace_ids(obj: MorphObject, number: int) -> MorphObject:
    from msgspec.structs import replace

    return replace(obj, id=f"o{number}", name=f"Part {number}")


def normals(obj: MorphObject) -> list[Row]:
    tris = triangles(obj.mesh).points
    mesh = mesh_from_faces(len(obj.base), tris)
    points = (obj.base + np.random.default_rng(1).normal(size=obj.base.shape) * 0.05).astype(np.float32)

    def add_at() -> np.ndarray:
        a, b, c = (points[tris[:, k]] for k in range(3))
        area = np.cross(b - a, c - a)
        out = np.zeros_like(points)
        for k in range(3):
            np.add.at(out, tris[:, k], area)
        return out / np.linalg.norm(out, axis=1, keepdims=True)

    assert np.abs(point_normals(mesh, points) - add_at()).max() < 1e-3
    t = medians(
        {
            "ours": lambda: point_normals(mesh, points),
            "add.at": add_at,
        }
    )
    detail = f"ours {ms(t['ours'])}, add.at {ms(t['add.at'])}"
    return [
        Row("normals of 200,000 triangles: times faster than add.at", t["add.at"] / t["ours"], 3.0, False, detail),
    ]
