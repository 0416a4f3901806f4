"""Makes the small pictures of the sample scenes that the window's first page shows."""

from __future__ import annotations

from pathlib import Path

from fictilis.demo import SAMPLES, sample
from fictilis.pictures.making import make
from fictilis.pictures.orders import Order

OUT = Path(__file__).parents[1] / "fictilis" / "app" / "assets" / "samples"
FRAMES = {"jelly": 16, "lantern-fish": 8, "tide-marks": 40, "reef-wall": 30, "sea-pen": 26}


def main() -> None:
    OUT.mkdir(exist_ok=True)
    for name in SAMPLES:
        values = {"width": 288, "height": 180, "frame": FRAMES[name], "ground": "clear", "samples": 16}
        make(sample(name), Order("snapshot", OUT / f"{name}.png", values))


if __name__ == "__main__":
    main()
