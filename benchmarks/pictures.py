"""Smooth surfaces; movies: pictures a second that are drawn, converted and encoded, against the encoder with ready planes."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from benchmarks.measure import Row, medians, ms

WIDTH, HEIGHT = 1280, 720
ROUNDS = 3


def rows() -> list[Row]:
    import av

    from fictilis.demo.jelly import moon_jelly
    from fictilis.pictures.look import Look
    from fictilis.pictures.making import make
    from fictilis.pictures.movie import write_movie
    from fictilis.pictures.orders import Order
    from fictilis.pictures.shots import Shots, aimed
    from fictilis.render.renderer import Renderer

    scene, folder = moon_jelly(), Path(tempfile.mkdtemp())
    look = Look(WIDTH, HEIGHT)
    frames = [float(f) for f in range(0, 96)]
    shots, aim = Shots(scene, look, Renderer()), aimed(scene, "", look, frames)
    ready = []
    for frame in frames:
        picture = av.VideoFrame.from_ndarray(shots.picture(frame, aim), format="rgba")
        ready.append(picture.reformat(format="yuv420p"))

    def encoder() -> None:
        with av.open(str(folder / "alone.mp4"), "w") as container:
            stream = container.add_stream("libx264", rate=24, options={"crf": "19", "preset": "fast"})
            stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
            for number, picture in enumerate(ready):
                picture.pts = number
                container.mux(stream.encode(picture))
            container.mux(stream.encode())

    def whole() -> None:
        make(scene, Order("movie", folder / "whole.mp4", {"width": WIDTH, "height": HEIGHT, "last": 95}))

    def drawn() -> None:
        for frame in frames:
            shots.picture(frame, aim)

    def written() -> None:
        pictures = [ready_picture] * len(frames)
        write_movie(folder / "same.mp4", pictures, (WIDTH, HEIGHT), 24)

    ready_picture = shots.picture(20.0, aim)
    best = {}
    for what in (encoder, whole, drawn, written):
        times = []
        for _ in range(ROUNDS):
            start = time.perf_counter()
            what()
            times.append(time.perf_counter() - start)
        best[what.__name__] = sorted(times)[ROUNDS // 2]
    rate = {name: len(frames) / seconds for name, seconds in best.items()}
    said = f"{rate['whole']:.0f} pictures a second, the encoder alone {rate['encoder']:.0f}, drawing alone {rate['drawn']:.0f}"
    return [*surface_rows(), Row("movie 1280 × 720 / the encoder alone", rate["whole"] / rate["encoder"], 0.33, False, said)]


def surface_rows() -> list[Row]:
    """A cage of 25,000 faces, seen as its smooth surface of one level."""
    import numpy as np

    from fictilis.core.geometry.finer import finer
    from fictilis.core.geometry.primitives import plane
    from fictilis.render.items import DrawItem, smooth_item

    points, mesh = plane(100, 100, 158, 158)
    fine, single = finer(mesh, 1), points.astype(np.float32)
    item = DrawItem("x", mesh, single, single, np.eye(4), finer=fine)
    t = medians({"bare": lambda: fine.single @ single, "ours": lambda: fine.of(single), "drawn": lambda: smooth_item(item)})
    said = f"SciPy's product {ms(t['bare'])}, ours {ms(t['ours'])}, with normals for drawing {ms(t['drawn'])}"
    return [Row("smooth surface of 25,000 faces / SciPy's CSR product", t["ours"] / t["bare"], 2.0, True, said)]


if __name__ == "__main__":
    for row in rows():
        print(row.text())
