"""Pictures one after another into a file: MP4, WebM, GIF or numbered PNG, with the scene's sound."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from fictilis.core.ground.errors import CannotSave
from fictilis.formats.files import write_whole

SOUND_RATE = 48_000
CODECS = {".mp4": ("mp4", "libx264", "aac"), ".webm": ("webm", "libvpx-vp9", "libopus")}
CRF = {".mp4": {"fine": 14, "good": 19, "small": 27}, ".webm": {"fine": 18, "good": 28, "small": 40}}
SAMPLED = 6  # pictures that the shared palette of a GIF is found from
BT709 = 1  # the number of that colour space in the containers

Picture = np.ndarray  # (h, w, 4) uint8


def numbered(path: Path, number: int) -> Path:
    """The file of one of several pictures."""
    return path.with_name(f"{path.stem}.{number:04d}{path.suffix}")


def write_png(path: Path, picture: Picture) -> None:
    """One picture; without its fourth channel where all is covered."""
    from PIL import Image

    whole = bool((picture[..., 3] == 255).all())
    image = Image.fromarray(np.ascontiguousarray(picture[..., :3] if whole else picture))
    write_whole(path, lambda temporary: image.save(temporary, "PNG", compress_level=4))


def write_numbered(path: Path, pictures: Iterable[Picture], first: int) -> int:
    """Numbered files beside each other; how many."""
    count = 0
    for count, picture in enumerate(pictures, 1):
        write_png(numbered(path, first + count - 1), picture)
    return count


@contextmanager
def _opened(temporary: Path, kind: str, options: dict[str, str]) -> Iterator[Any]:
    """A container to write to. Raises CannotSave where its library gives up."""
    import av

    try:
        with av.open(str(temporary), "w", format=kind, options=options) as container:
            yield container
    except av.FFmpegError as error:
        raise CannotSave(f"The movie could not be written: {error.strerror or error}.") from error


def even(size: int) -> int:
    """The next even number of pixels: both codecs store colour for two by two of them."""
    return size + size % 2


def write_movie(
    path: Path, pictures: Iterable[Picture], size: tuple[int, int], rate: float, sound: np.ndarray | None = None,
    quality: str = "good",
) -> None:  # fmt: skip
    """MP4 (H.264 and AAC) or WebM (VP9 and Opus) of pictures of one even ``size``, ``rate`` a second. ``sound`` (n, 2) int16,
    48,000 a second, begins with the first picture. Raises CannotSave."""
    suffix = path.suffix.lower()
    kind, codec, sound_codec = CODECS[suffix]
    crf, step = str(CRF[suffix][quality]), Fraction(rate).limit_denominator(1001)
    options = {"crf": crf, "preset": "fast"} if suffix == ".mp4" else {
        "crf": crf, "b": "0", "deadline": "good", "cpu-used": "5", "row-mt": "1"}  # fmt: skip

    def write(temporary: Path) -> None:
        import av
        from av.video.reformatter import ColorRange, Colorspace, VideoReformatter

        with _opened(temporary, kind, {"movflags": "+faststart"} if kind == "mp4" else {}) as container:
            stream = container.add_stream(codec, rate=step, options=options)
            stream.width, stream.height, stream.pix_fmt = *size, "yuv420p"
            context = stream.codec_context
            context.colorspace, context.color_primaries, context.color_trc = BT709, BT709, BT709
            context.color_range = ColorRange.MPEG
            voice = _Voice(container, sound_codec, sound) if sound is not None else None
            colours = VideoReformatter()  # kept: to begin one takes as long as its work
            for number, picture in enumerate(pictures):
                whole = av.VideoFrame.from_numpy_buffer(np.ascontiguousarray(picture), format="rgba")
                frame = colours.reformat(
                    whole, format="yuv420p", dst_colorspace=Colorspace.ITU709, dst_color_range=ColorRange.MPEG
                )
                frame.pts, frame.time_base = number, 1 / step
                container.mux(stream.encode(frame))
                if voice is not None:
                    voice.speak(float((number + 1) / step))
            container.mux(stream.encode())
            if voice is not None:
                voice.end()

    write_whole(path, write)


class _Voice:
    """The sound of a movie, given piece by piece as far as its pictures are."""

    def __init__(self, container: Any, codec: str, samples: np.ndarray) -> None:
        import av

        self.container, self.samples, self.at = container, samples, 0
        self.stream = container.add_stream(codec, rate=SOUND_RATE, layout="stereo")
        self.resampler = av.AudioResampler(format=self.stream.codec_context.format, layout="stereo", rate=SOUND_RATE)

    def speak(self, until: float) -> None:
        import av

        end = min(round(until * SOUND_RATE), len(self.samples))
        while self.at < end:
            part = self.samples[self.at : min(self.at + 4096, end)]
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(part.reshape(1, -1)), format="s16", layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = SOUND_RATE, self.at, Fraction(1, SOUND_RATE)
            for piece in self.resampler.resample(frame):
                self.container.mux(self.stream.encode(piece))
            self.at += len(part)

    def end(self) -> None:
        for piece in self.resampler.resample(None):
            self.container.mux(self.stream.encode(piece))
        self.container.mux(self.stream.encode())


def shared_palette(pictures: Sequence[Picture]) -> Any:
    """An image whose palette of up to 256 colours serves several pictures."""
    from PIL import Image

    small = [Image.fromarray(np.ascontiguousarray(p[..., :3])) for p in pictures]
    for image in small:
        image.thumbnail((480, 480))
    strip = Image.new("RGB", (max(i.width for i in small), sum(i.height for i in small)), small[0].getpixel((0, 0)))
    top = 0
    for image in small:
        strip.paste(image, (0, top))
        top += image.height
    return strip.quantize(256, method=Image.Quantize.MEDIANCUT, dither=Image.Dither.NONE)


def write_gif(path: Path, pictures: Iterable[Picture], palette: Any, size: tuple[int, int], rate: float) -> None:
    """A GIF that goes on for ever, all its pictures of one ``shared_palette``. Its times are whole hundredths of a second, so
    that pictures stand a little longer or shorter, the whole as long as it should be. Raises CannotSave."""
    step = Fraction(rate).limit_denominator(1001)
    colours = np.frombuffer(bytes(palette.getpalette()), np.uint8).reshape(-1, 3)
    table = np.full((256, 4), 255, np.uint8)  # opaque, red, green, blue
    table[: len(colours), 1:] = colours

    def write(temporary: Path) -> None:
        import av
        from PIL import Image

        with _opened(temporary, "gif", {"loop": "0"}) as container:
            stream = container.add_stream("gif", rate=step)
            stream.width, stream.height, stream.pix_fmt = *size, "pal8"
            for number, picture in enumerate(pictures):
                image = Image.fromarray(np.ascontiguousarray(picture[..., :3]))
                flat = image.quantize(palette=palette, dither=Image.Dither.NONE)
                indexed: Any = (np.asarray(flat), table)
                frame = av.VideoFrame.from_ndarray(indexed, format="pal8")
                frame.pts, frame.time_base = number, 1 / step
                container.mux(stream.encode(frame))
            container.mux(stream.encode())

    write_whole(path, write)


def preview_bytes(picture: Picture, most: int = 400) -> bytes:
    """A small PNG of a picture."""
    from PIL import Image

    image = Image.fromarray(np.ascontiguousarray(picture))
    image.thumbnail((most, most))
    out = io.BytesIO()
    image.save(out, "PNG", compress_level=1)
    return out.getvalue()


Watch = Callable[[int, int, Picture], None]  # the number of the picture, of how many, and itself
