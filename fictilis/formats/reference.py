"""Reference pictures: PNG and JPEG images, and movies in MP4, WebM, MOV or GIF, told by their first bytes."""

from __future__ import annotations

import io
from collections import OrderedDict
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from fictilis.core.ground.errors import BadFile
from fictilis.core.scene.by_bytes import ByBytes
from fictilis.core.scene.timeline import Reference
from fictilis.formats.files import read_bytes
from fictilis.formats.images import check_image

SUFFIXES = (".png", ".jpg", ".jpeg", ".mp4", ".webm", ".mov", ".gif")
LARGEST_FILE = 1_000_000_000
MOST_SIDE = 1080  # pixels of a movie's height that are kept
LARGEST_SIDE = 8192
KEPT = 64  # pictures of a movie
CODECS = ("h264", "hevc", "vp8", "vp9", "libvpx", "av1", "libdav1d", "libaom-av1", "mpeg4", "mjpeg", "prores", "gif")


def kind_of(data: bytes) -> str:
    """``image``, the container of a movie, or nothing, by the first bytes. Nothing is opened to find out."""
    if data[:8] == b"\x89PNG\r\n\x1a\n" or data[:3] == b"\xff\xd8\xff":
        return "image"
    if data[4:8] == b"ftyp":
        return "mov"
    if data[:4] == b"\x1aE\xdf\xa3":
        return "matroska"
    return "gif" if data[:6] in (b"GIF87a", b"GIF89a") else ""


def read_reference(path: Path, start: float = 0.0) -> Reference:
    """An image, or a movie that begins at a frame. Raises BadFile for anything else."""
    path = Path(path)
    reference = Reference(path.name, read_bytes(path, LARGEST_FILE), start)
    opened(reference)
    return reference


class Film:
    """The pictures of a movie (h, w, 4) uint8 by the time they are shown at; those looked at last are kept."""

    def __init__(self, name: str, data: bytes) -> None:
        """Raises BadFile for what is no movie."""
        self.name, self._data = name, data
        self._kept: OrderedDict[float, np.ndarray] = OrderedDict()
        self._container: Any = None
        self._coming: Iterator[Any] = iter(())
        self._next: Any = None
        self._open()
        self._at = -1.0
        try:
            self._times = self._measured()
        except BadFile:
            raise
        except Exception as error:
            raise self._bad() from error
        if not len(self._times):
            raise self._bad()

    def _bad(self) -> BadFile:
        return BadFile(f"{self.name} cannot be opened as a movie; MP4, WebM, MOV and GIF are known.")

    def _open(self) -> None:
        import av

        try:
            self._container = av.open(io.BytesIO(self._data), format=kind_of(self._data))
            stream = self._container.streams.video[0]
            context = stream.codec_context
            if not context.name.startswith(CODECS):
                raise BadFile(f"{self.name} holds a movie of the kind {context.name[:20]}, which is not read.")
            if not 1 <= context.width <= LARGEST_SIDE or not 1 <= context.height <= LARGEST_SIDE:
                raise BadFile(f"{self.name} is {context.width:,} × {context.height:,} pixels; up to {LARGEST_SIDE:,} are read.")
            context.options = {"max_pixels": str(LARGEST_SIDE**2)}  # a later picture may be larger than the movie says
            self._stream = stream
            stream.thread_type = "AUTO"
        except BadFile:
            raise
        except Exception as error:
            raise self._bad() from error

    def _measured(self) -> np.ndarray:
        """(n,) seconds at which its pictures begin, the first at 0."""
        base = self._stream.time_base
        times = sorted(float(p.pts * base) for p in self._container.demux(self._stream) if p.pts is not None and p.size)
        self._open()
        return np.array(times) - times[0] if times else np.zeros(0)

    @property
    def seconds(self) -> float:
        """How long it is: its last picture stands as long as the one before."""
        times = self._times
        return float(times[-1] + (times[-1] - times[-2] if len(times) > 1 else 0.0))

    def at(self, seconds: float) -> np.ndarray | None:
        """The picture that is seen so long after the beginning; None before it and after the end, and where it is damaged."""
        if not -1e-6 <= seconds < self.seconds + 1e-6 and len(self._times) > 1:
            return None
        wanted = float(self._times[max(int(np.searchsorted(self._times, seconds + 1e-6, side="right")) - 1, 0)])
        if wanted not in self._kept:
            try:
                self._decode(wanted)
            except Exception:  # noqa: BLE001 - a damaged movie raises whatever its codec does
                return None
        picture = self._kept.get(wanted)
        if picture is not None:
            self._kept.move_to_end(wanted)
        return picture

    def _decode(self, wanted: float) -> None:
        """Go on to a picture, or leap to what stands before it."""
        if not self._at - 1e-6 <= wanted <= self._at + 1.5 or self._at < 0:
            first = float(self._stream.start_time or 0) * float(self._stream.time_base)
            self._container.seek(int((wanted + first) / self._stream.time_base), stream=self._stream)
            self._coming, self._at = self._container.decode(self._stream), 0.0
        first = float((self._stream.start_time or 0) * self._stream.time_base)
        for frame in self._coming:
            time = float(frame.pts * frame.time_base) - first
            near = float(self._times[np.argmin(np.abs(self._times - time))])
            self._at = near
            if near >= wanted - 1.0:
                self._keep(near, frame)
            if near >= wanted - 1e-6:
                return

    def _keep(self, time: float, frame: Any) -> None:
        part = min(1.0, MOST_SIDE / frame.height)
        size = {"width": max(round(frame.width * part), 1), "height": max(round(frame.height * part), 1)}
        self._kept[time] = frame.reformat(format="rgba", **size).to_ndarray()
        while len(self._kept) > KEPT:
            self._kept.popitem(last=False)


def _image(reference: Reference) -> np.ndarray:
    from PIL import Image

    check_image(reference.data, reference.name)
    with Image.open(io.BytesIO(reference.data)) as image:
        image.thumbnail((4096, 4096))
        return np.asarray(image.convert("RGBA"))


_opened: ByBytes[np.ndarray | Film] = ByBytes(1)


def opened(reference: Reference) -> np.ndarray | Film:
    """The picture (h, w, 4) uint8 or the film of a reference; kept for the bytes opened last. Raises BadFile."""
    kept = _opened.get(reference.data)
    if kept is not None:
        return kept
    kind = kind_of(reference.data)
    if not kind:
        raise BadFile(f"{reference.name} cannot be opened as a picture; PNG, JPEG, MP4, WebM, MOV and GIF are known.")
    made = _image(reference) if kind == "image" else Film(reference.name, reference.data)
    return _opened.put(reference.data, made)


def picture_at(reference: Reference, frame: float, fps: float) -> np.ndarray | None:
    """What a reference shows at a frame, (h, w, 4) uint8; None where it shows nothing, or is damaged."""
    try:
        made = opened(reference)
    except BadFile:
        return None
    return made.at((frame - reference.start) / fps) if isinstance(made, Film) else made
