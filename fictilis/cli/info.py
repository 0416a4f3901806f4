"""``fictilis info``: what a scene holds, in lines or as JSON."""

from __future__ import annotations

import argparse
import json


def describe(scene) -> dict:
    """What ``info --json`` prints."""
    import numpy as np
    from msgspec.structs import asdict

    from fictilis.core.at_frame.paths import distance_over
    from fictilis.core.rehearsal.cue_words import sentence
    from fictilis.core.scene.clips import whole_clips

    sound = scene.sound and {"name": scene.sound.name, "start": scene.sound.start, "muted": scene.sound.muted}
    return {
        "fps": scene.fps, "range": [scene.start, scene.end], "played": list(scene.span),
        "objects": [_object(scene, obj) for obj in scene.objects],
        "cameras": [{"name": c.name, "lanes": _lanes(c)} for c in scene.cameras],
        "reference": scene.reference and {"name": scene.reference.name, "start": scene.reference.start},
        "light": scene.light and asdict(scene.light),
        "measures": [
            {"name": m.name, "cm": round(float(distance_over(scene, m, np.array([scene.start]))[0]), 6)} for m in scene.measures
        ],
        "markers": [{"frame": m.frame, "name": m.name} for m in scene.markers], "sound": sound,
        "clips": [
            {"name": c.name, "range": [c.start, c.end], "loop": c.loop, "in_hand": c.id == scene.clip,
             "lanes": sum(len(part.lanes) for part in c.parts)}
            for c in whole_clips(scene)
        ],
        "cues": [{"name": c.name, "on": c.on, "says": sentence(scene, c)} for c in scene.cues],
    }  # fmt: skip


def _lanes(owner) -> list[dict]:
    from fictilis.core.mix.channels import channel

    return [{"name": channel(owner, x.channel).name, "keys": len(x.curve.keys)} for x in owner.lanes]


def _object(scene, obj) -> dict:
    import numpy as np

    from fictilis.core.mix.relay import poses, relays, shape_name

    sizes, counts = np.unique(obj.geometry.face_sizes, return_counts=True)
    rows = [
        {
            "name": g.name, "path": g.relay,
            "poses": [{"frame": k.frame, "shape": shape_name(obj, k.shape), "way": k.interpolation} for k in poses(obj, g.id)],
        }
        for g in relays(obj).values()
    ]  # fmt: skip
    return {
        "name": obj.name, "points": obj.geometry.point_count, "faces": obj.geometry.face_count,
        "face_sizes": {str(s): int(c) for s, c in zip(sizes, counts, strict=True)},
        "uvs": 0 if obj.geometry.uvs is None else len(obj.geometry.uvs),
        "targets": [_target(scene, obj, t) for t in obj.targets],
        "lanes": _lanes(obj), "relays": rows, "line": _line(obj),
        "along": scene.object(obj.along.line).name if obj.along is not None else None,
        "copies": scene.copy_count(obj), "surface": obj.surface.levels if obj.surface is not None else 0,
        "deformers": [{"kind": d.kind, "axis": d.axis, "amount": d.amount, "on": d.on} for d in obj.deformers],
        "rig": obj.skin and {"name": obj.skin.rig.name, "joints": len(obj.skin.rig.joints), "dual": obj.skin.dual,
                             "clips": [c.name for c in obj.skin.rig.clips], "on": obj.skin.on},
    }  # fmt: skip


def _times(obj: dict) -> str:
    smooth = f", smooth surface of {obj['surface']} level{'s' if obj['surface'] > 1 else ''}" if obj["surface"] else ""
    smooth = "".join(f", {d['kind']} of {d['amount']:g} along {d['axis'].upper()}" for d in obj["deformers"]) + smooth
    if obj["rig"]:
        rig = obj["rig"]
        smooth += f", on a rig of {rig['joints']} joints" + (
            f" with the clips {', '.join(rig['clips'])}" if rig["clips"] else ""
        )
    return smooth + (f", {obj['copies']:,} times" if obj["copies"] > 1 else "")


def _line(obj) -> dict | None:
    """How a line is drawn; None for a mesh."""
    line = obj.geometry
    if line.kind != "line":
        return None
    return {
        "strands": line.counts.tolist(), "closed": line.closed.tolist(), "degree": line.degree, "through": line.through,
        "width": 0.0 if line.widths is None else float(line.widths.max()), "drawn": list(obj.drawn),
        "tube": line.tube and {"profile": line.tube.word, "sides": len(line.tube.profile), "twist": line.tube.twist},
    }  # fmt: skip


def _target(scene, obj, t) -> dict:
    from fictilis.core.mix.driven import driven_by, states
    from fictilis.core.mix.relay import relay_of
    from fictilis.core.scene.shared_lanes import partners

    return {
        "name": t.name, "moved": len(t.deltas.indices), "largest_cm": t.deltas.largest, "weight": t.weight,
        "range": list(t.range), "path": t.path, "in_betweens": [s.at for s in t.in_betweens],
        "built_on": obj.target(t.built_on).name if t.built_on else None, "masked": t.mask is not None,
        "group": obj.group(t.group).name if t.group else None,
        "relay": relay_of(obj, t) is not None, "sweep": t.sweep.way if t.sweep is not None else None,
        "matched": t.match is not None, "states": states(obj, t), "note": t.note,
        "linked": [f"{o.name}/{p.name}" for o, p in partners(scene, obj, t)],
        "follows": driven_by(obj, t) if t.follows else None, "together": t.rule.how if t.rule else None,
        "drivers": [
            {"name": obj.target(d.target).name, "at": d.at, "width": d.width} for d in (t.rule.drivers if t.rule else ())
        ],
    }  # fmt: skip


def run(options: argparse.Namespace) -> None:
    from fictilis.formats.registry import load

    scene = load(options.scene)
    told = describe(scene)
    if options.json:
        print(json.dumps(told, indent=2))
        return
    print(f"{scene.name}: frames {scene.start:g} to {scene.end:g} at {scene.fps:g} a second")
    for obj in told["objects"]:
        print(f"{obj['name']}: {_made_of(obj)}" + (f", follows {obj['along']}" if obj["along"] else "") + _times(obj))
        for t in obj["targets"]:
            stages = "".join(f", in-between at {at:.2f}" for at in t["in_betweens"])
            stands = f"weight {t['weight']:.2f} ({t['range'][0]:g} to {t['range'][1]:g})"
            if t["drivers"]:
                stands = "driven by " + " and ".join(f"{d['name']} at {d['at']:.2f}" for d in t["drivers"])
            elif t["follows"]:
                stands = f"follows {t['follows']}"
            elif t["relay"]:
                stands = f"a shape of the relay {t['group']}"
            moves = f"moves {t['moved']:,} points, up to {t['largest_cm']:.2f} cm"
            states = "".join(f", {word}" for word in t["states"]) + (f"; note: {t['note']}" if t["note"] else "")
            print(f"  {t['name']}: {moves}, {stands}, path {t['path']}{stages}{states}")
        for row in obj["relays"]:
            row_words = ", ".join(f"{p['shape']} at {p['frame']:g}" for p in row["poses"])
            print(f"  relay {row['name']}, {row['path']}: {row_words}")
        _print_lanes(obj)
    for camera in told["cameras"]:
        print(f"{camera['name']}: a camera")
        _print_lanes(camera)
    for marker in told["markers"]:
        print(f"marker {marker['name']} at frame {marker['frame']:g}")
    for clip in told["clips"]:
        hand = ", active" if clip["in_hand"] else ""
        print(f"clip {clip['name']}: frames {clip['range'][0]:g} to {clip['range'][1]:g}, {clip['lanes']} lanes{hand}")
    for cue in told["cues"]:
        print(f"cue {cue['name']}{'' if cue['on'] else ' (off)'}: {cue['says']}")
    if told["sound"]:
        print(
            f"sound {told['sound']['name']} from frame {told['sound']['start']:g}"
            + (", muted" if told["sound"]["muted"] else "")
        )


def _made_of(obj: dict) -> str:
    line = obj["line"]
    if line is None:
        return f"{obj['points']:,} points, {obj['faces']:,} faces, {obj['uvs']:,} texture coordinates"
    tube = f", a tube of {line['tube']['sides']} sides" if line["tube"] else ""
    strands = f"{len(line['strands']):,} strands, {sum(line['closed']):,} closed"
    return f"a line of {obj['points']:,} points, {strands}, degree {line['degree']}{tube}"


def _print_lanes(owner: dict) -> None:
    for lane in owner["lanes"]:
        print(f"  lane {lane['name']}: {lane['keys']} keys")
