"""A small player of glTF weight tracks, written from the standard alone, and a reader of accessors.

Source: glTF 2.0 specification, appendix C (interpolation).
"""

from types import SimpleNamespace

import numpy as np


def play(track, seconds, spherical=False):
    """(f, c): the track's values at ``seconds`` as a standard player interpolates them; rotations spherically."""
    times, values = np.asarray(track.times), track.values
    out = []
    for t in np.asarray(seconds, float):
        t = min(max(t, times[0]), times[-1])
        k = min(int(np.searchsorted(times, t + 1e-12, side="right")) - 1, len(times) - 1)
        n = min(k + 1, len(times) - 1)
        span = times[n] - times[k]
        u = (t - times[k]) / span if span > 0 else 0.0
        if track.interpolation == "STEP" or n == k:
            out.append(values[k])
        elif track.interpolation == "LINEAR" and spherical:
            dot = float(values[k] @ values[n])
            angle = np.arccos(min(abs(dot), 1.0))
            if angle < 1e-6:
                out.append(values[k])
            else:
                near = np.sin(u * angle) * np.sign(dot) * values[n]
                out.append((np.sin((1 - u) * angle) * values[k] + near) / np.sin(angle))
        elif track.interpolation == "LINEAR":
            out.append((1 - u) * values[k] + u * values[n])
        else:
            out.append(
                (2 * u**3 - 3 * u**2 + 1) * values[k]
                + span * (u**3 - 2 * u**2 + u) * track.tangents_out[k]
                + (-2 * u**3 + 3 * u**2) * values[n]
                + span * (u**3 - u**2) * track.tangents_in[n]
            )
    return np.array(out)


def accessor(data, number):
    """Source: glTF 2.0 specification, 3.6.2 Accessors; without a view it is nothing but for its sparse values."""
    a = data.accessors[number]
    width = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[a.type]

    def numbers(view, count, kind, offset):
        at = (data.bufferViews[view].byteOffset or 0) + (offset or 0)
        return np.frombuffer(data.binary_blob(), {5126: np.float32, 5125: np.uint32}[kind], count, at)

    if a.sparse is None:
        flat = numbers(a.bufferView, a.count * width, a.componentType, a.byteOffset)
        return flat.reshape(a.count, width) if width > 1 else flat
    out = np.zeros((a.count, width), np.float32)
    s = a.sparse
    rows = numbers(s.indices.bufferView, s.count, s.indices.componentType, s.indices.byteOffset)
    out[rows] = numbers(s.values.bufferView, s.count * width, a.componentType, s.values.byteOffset).reshape(-1, width)
    return out


def read_arrays(path):
    """The file by pygltflib, and the arrays of its first primitive."""
    import pygltflib

    data = pygltflib.GLTF2().load_binary(str(path))
    primitive = data.meshes[0].primitives[0]
    names = {k: v for k, v in vars(primitive.attributes).items() if v is not None}
    arrays = {k: accessor(data, v) for k, v in names.items()}
    arrays["targets"] = [{k: accessor(data, v) for k, v in t.items()} for t in primitive.targets or []]
    arrays["indices"] = accessor(data, primitive.indices)
    return data, arrays


def node_at(data, seconds, number=0, animation=0):
    """Translation, rotation, scale and weights of a node, as an animation plays them. Source: glTF 2.0, 3.11 and appendix C."""
    node = data.nodes[number]
    out = {"translation": node.translation, "rotation": node.rotation, "scale": node.scale}
    if node.mesh is not None:
        out["weights"] = data.meshes[node.mesh].weights
    for channel in data.animations[animation].channels:
        if channel.target.node == number:
            track = stored_track(data, data.animations[animation].samplers[channel.sampler], channel.target.path)
            out[channel.target.path] = play(track, [seconds], channel.target.path == "rotation")[0]
    return out


def stored_track(data, sampler, path):
    """A sampler as a track: the numbers of the file, times in float32."""
    times, values = accessor(data, sampler.input).astype(float), accessor(data, sampler.output).astype(float)
    spline = sampler.interpolation == "CUBICSPLINE"
    wide = values.size // len(times) // (3 if spline else 1) if path == "weights" else values.shape[1]
    rows = values.reshape(len(times), 3 if spline else 1, wide)
    return SimpleNamespace(
        interpolation=sampler.interpolation, times=times, values=rows[:, 1 * spline], tangents_in=rows[:, 0],
        tangents_out=rows[:, -1],
    )  # fmt: skip
