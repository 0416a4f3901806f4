"""Sound files: WAV, FLAC, MP3 and OGG, read with PyAV."""

from __future__ import annotations

import io
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from fictilis.core.ground.errors import BadFile
from fictilis.core.scene.by_bytes import ByBytes
from fictilis.core.scene.timeline import Sound
from fictilis.core.scene.waveform import Waveform
from fictilis.formats.files import Progress, no_progress, read_bytes

SUFFIXES = (".wav", ".flac", ".mp3", ".ogg")
RATE = 48_000
LONGEST = 2 * 3600  # seconds; what is longer is not kept in memory
LARGEST_FILE = 4_000_000_000
RATES = (2_000, 768_000)
MOST_CHANNELS = 64
KINDS_BY_MARK = {b"fLaC": "flac", b"OggS": "ogg"}
CODECS = {"wav": ("pcm_",), "flac": ("flac",), "mp3": ("mp3",), "ogg": ("vorbis", "libvorbis", "opus", "libopus")}


def read_sound(path: Path, start: float = 0.0, progress: Progress = no_progress) -> Sound:
    """A sound file to begin at a frame. Raises BadFile for what is no sound."""
    path = Path(path)
    sound = Sound(path.name, read_bytes(path, LARGEST_FILE), start)
    decoded(sound, progress)
    return sound


def kind_of(data: bytes) -> str | None:
    """The container of a sound by its first bytes; None for any other file. Nothing is opened to find out."""
    if data[:4] == b"RIFF" and data[8:12] == b"WAVE":
        return "wav"
    if data[:4] in KINDS_BY_MARK:
        return KINDS_BY_MARK[data[:4]]
    if data[:3] == b"ID3" or len(data) > 1 and data[0] == 0xFF and data[1] & 0xE6 == 0xE2:
        return "mp3"  # a tag, or the sync word of layer III
    return None


def _decoded(sound: Sound, progress: Progress) -> Waveform:
    import av

    kind = kind_of(sound.data)
    if kind is None:
        raise BadFile(f"{sound.name} cannot be read as a sound; WAV, FLAC, MP3 and OGG are known.")
    parts, count = [], 0
    try:
        opened: Any = av.open(io.BytesIO(sound.data), format=kind)
        with opened as container:
            stream = _checked(sound, kind, container)
            # one side is doubled by hand: the library would make it quieter
            single = stream.codec_context.channels == 1
            resampler = av.AudioResampler(format="s16", layout="mono" if single else "stereo", rate=RATE)
            for frame in _frames(container, stream):
                for piece in resampler.resample(frame):
                    rows = piece.to_ndarray().reshape(-1, 1 if single else 2)
                    parts.append(rows)
                    count += len(rows)
                    if count > LONGEST * RATE:
                        raise BadFile(f"{sound.name} is longer than {LONGEST // 3600} hours.")
                progress(min(count / RATE / max(float(container.duration or 0) / 1e6, 1e-3), 1.0))
    except (av.FFmpegError, ValueError, OverflowError, ArithmeticError, MemoryError) as error:
        raise BadFile(f"{sound.name} cannot be read as a sound; WAV, FLAC, MP3 and OGG are known.") from error
    samples = np.concatenate(parts) if parts else np.zeros((0, 2), np.int16)
    samples = np.ascontiguousarray(np.broadcast_to(samples, (len(samples), 2)))
    if not len(samples):
        raise BadFile(f"{sound.name} holds no sound.")
    samples.flags.writeable = False
    return Waveform(samples, RATE)


def _checked(sound: Sound, kind: str, container: Any) -> Any:
    """The stream that is decoded, its codec, rate and channels within what is known. Nothing was decoded yet."""
    if not container.streams.audio:
        raise BadFile(f"{sound.name} holds no sound.")
    stream = container.streams.audio[0]
    context = stream.codec_context
    if not context.name.startswith(CODECS[kind]):
        raise BadFile(f"{sound.name} holds sound of the kind {context.name[:20]}, which is not read from a {kind} file.")
    if not RATES[0] <= context.sample_rate <= RATES[1] or not 1 <= context.channels <= MOST_CHANNELS:
        raise BadFile(
            f"{sound.name} says it has {context.channels} channels of {context.sample_rate:,} samples a second; up to "
            f"{MOST_CHANNELS} of {RATES[0]:,} to {RATES[1]:,} are read."
        )
    return stream


def _frames(container: Any, stream: Any) -> Iterator[Any]:
    yield from container.decode(stream)
    yield None  # what the resampler still holds


_by_data: ByBytes[Waveform] = ByBytes(1)


def known(sound: Sound) -> Waveform | None:
    """The samples of a sound where they are kept already."""
    return _by_data.get(sound.data)


def decoded(sound: Sound, progress: Progress = no_progress) -> Waveform:
    """The samples of a sound, 48,000 a second; kept for the bytes read last. Raises BadFile."""
    wave = known(sound)
    return _by_data.put(sound.data, _decoded(sound, progress)) if wave is None else wave
