"""Reference pictures and movies: what they show at a frame, and what is no picture."""

import io
from fractions import Fraction

import av
import numpy as np
import pytest
from PIL import Image

from fictilis.core.edits.timeline import change_reference, set_rate, set_reference
from fictilis.core.ground.errors import BadFile, EditRefused
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import Reference
from fictilis.formats.native import read_native, write_native
from fictilis.formats.reference import Film, opened, picture_at, read_reference
from fictilis.pictures.movie import shared_palette, write_gif, write_movie

COUNT = 30


def shade(number: int) -> np.ndarray:
    """A picture that says its number by its grey."""
    out = np.full((64, 96, 4), 255, np.uint8)
    out[..., :3] = 8 * number
    return out


@pytest.fixture(scope="module")
def films(tmp_path_factory):
    folder, pictures = tmp_path_factory.mktemp("films"), [shade(n) for n in range(COUNT)]
    for suffix in (".mp4", ".webm"):
        write_movie(folder / f"f{suffix}", pictures, (96, 64), 12, quality="fine")
    write_gif(folder / "f.gif", pictures, shared_palette(pictures), (96, 64), 12)
    return {path.suffix: path for path in folder.iterdir()}


@pytest.mark.parametrize("suffix", [".mp4", ".webm", ".gif"])
def test_a_film_shows_the_picture_of_its_time_in_any_order(films, suffix):
    reference = read_reference(films[suffix], start=10.0)
    film = opened(reference)
    assert isinstance(film, Film) and film.seconds == pytest.approx(COUNT / 12, abs=0.02)
    order = [0, 1, 2, 29, 28, 3, 15, 14, 16, 0, 29, 7, *np.random.default_rng(2).integers(0, COUNT, 25)]
    for number in order:
        for part in (0.1, 0.9):  # of the time it stands
            frame = 10.0 + 24 * (number + part) / 12
            shown = picture_at(reference, frame, 24.0)
            assert np.abs(shown[..., :3].astype(int) - 8 * number).mean() < 3, (number, part)
    assert len(film._kept) <= 64
    assert picture_at(reference, 9.5, 24.0) is None and picture_at(reference, 10 + 2 * COUNT + 2, 24.0) is None


def test_an_image_is_there_at_every_frame_and_keeps_what_it_is_seen_through(tmp_path):
    pixels = np.random.default_rng(0).integers(0, 256, (20, 30, 4)).astype(np.uint8)
    Image.fromarray(pixels).save(tmp_path / "a.png")
    reference = read_reference(tmp_path / "a.png", 5.0)
    assert np.array_equal(picture_at(reference, -100.0, 24.0), pixels) and reference.name == "a.png"


BROKEN = {
    "nothing": b"", "text": b"hello", "a torn image": b"\x89PNG\r\n\x1a\n" + bytes(40),
    "a torn movie": b"\0\0\0\x18ftypisom" + bytes(200), "a torn webm": b"\x1aE\xdf\xa3" + bytes(100),
    "a torn gif": b"GIF89a" + bytes(30),
}  # fmt: skip


@pytest.mark.parametrize("data", BROKEN.values(), ids=BROKEN)
def test_what_is_no_picture_is_refused_and_shows_nothing(tmp_path, data):
    path = tmp_path / "x.mp4"
    path.write_bytes(data)
    with pytest.raises(BadFile, match="x.mp4 cannot be opened"):
        read_reference(path)
    assert picture_at(Reference("x.mp4", data), 0.0, 24.0) is None


def test_a_film_with_damaged_bytes_never_raises_while_it_is_looked_at(films):
    rng = np.random.default_rng(5)
    for suffix, path in films.items():
        whole = path.read_bytes()
        for _ in range(12):
            data = bytearray(whole)
            for at in rng.integers(len(data) // 3, len(data), 40):
                data[at] = rng.integers(256)
            reference = Reference(f"f{suffix}", bytes(data))
            shown = [picture_at(reference, frame, 24.0) for frame in (0.0, 30.0, 11.0)]
            assert all(p is None or p.shape[2] == 4 for p in shown)


def test_numbers_are_checked_kept_in_the_file_and_follow_the_rate(tmp_path, sheet):
    reference = Reference("a.png", b"\x89PNG", 12.0, 0.5, 2.0, -0.25, 0.5, True, True, False)
    scene = set_reference(sheet, reference)
    write_native(tmp_path / "s.fictilis", scene)
    back = read_native(tmp_path / "s.fictilis").reference
    assert all(getattr(back, f) == getattr(reference, f) for f in Reference.__struct_fields__)
    assert set_rate(scene, 48.0, keep_seconds=True).reference.start == 24.0
    for name, value in (("opacity", 1.5), ("size", 0.0), ("across", 11.0), ("up", float("nan")), ("start", 1e12)):
        with pytest.raises(EditRefused):
            change_reference(scene, **{name: value})
    with pytest.raises(EditRefused, match="no reference picture"):
        change_reference(Scene(), opacity=0.1)


def test_a_picture_that_is_larger_than_its_movie_says_is_left_out():
    """Source: FFmpeg, Codecs documentation, ``max_pixels``."""
    out = io.BytesIO()
    with av.open(out, "w", format="matroska") as container:
        stream = container.add_stream("mjpeg", rate=1)
        stream.width, stream.height, stream.pix_fmt, stream.time_base = 64, 64, "yuvj420p", Fraction(1, 1)
        for second, side in enumerate((64, 8200, 64)):
            held = io.BytesIO()
            Image.new("RGB", (side, side)).save(held, "JPEG")
            packet = av.Packet(held.getvalue())
            packet.pts = packet.dts = second
            packet.time_base, packet.stream, packet.is_keyframe = Fraction(1, 1), stream, True
            container.mux(packet)
    film = Film("x", out.getvalue())
    assert [None if (seen := film.at(float(second))) is None else seen.shape for second in range(3)] == [
        (64, 64, 4), None, (64, 64, 4),
    ]  # fmt: skip
