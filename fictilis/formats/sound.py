"""Sound files: WAV, FLAC, MP3 and OGG, read with PyAV."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np

from fictilis.core.errors import BadFile
from fictilis.core.timeline import Sound
from fictilis.core.waveform import Waveform
from fictilis.formats.files import read_bytes

SUFFIXES = (".wav", ".flac", ".mp3", ".ogg")
RATE = 48_000
LONGEST = 2 * 3600  # seconds; what is longer is not kept in memory


def read_sound(path: Path, start: float = 0.0) -> Sound:
    """A sound file to begin at a frame. Raises BadFile for what is no sound."""
    path = Path(path)
    sound = Sound(path.name, read_bytes(path), start)
    decoded(sound)
    return sound


def _decoded(sound: Sound) -> Waveform:
    import av

    parts, count = [], 0
    try:
        with av.open(io.BytesIO(sound.data)) as container:
            if not container.streams.audio:
                raise BadFile(f"{sound.name} holds no sound.")
            # one side is doubled by hand: the library would make it quieter
            single = container.streams.audio[0].codec_context.channels == 1
            resampler = av.AudioResampler(format="s16", layout="mono" if single else "stereo", rate=RATE)
            for frame in (*container.decode(audio=0), None):  # type: ignore[union-attr]
                for piece in resampler.resample(frame):
                    rows = piece.to_ndarray().reshape(-1, 1 if single else 2)
                    parts.append(rows)
                    count += len(rows)
                if count > LONGEST * RATE:
                    raise BadFile(f"{sound.name} is longer than {LONGEST // 3600} hours.")
    except (av.FFmpegError, ValueError) as error:
        raise BadFile(f"{sound.name} cannot be read as a sound; WAV, FLAC, MP3 and OGG are known.") from error
    samples = np.concatenate(parts) if parts else np.zeros((0, 2), np.int16)
    samples = np.ascontiguousarray(np.broadcast_to(samples, (len(samples), 2)))
    if not len(samples):
        raise BadFile(f"{sound.name} holds no sound.")
    samples.flags.writeable = False
    return Waveform(samples, RATE)


_by_data: dict[int, tuple[bytes, Waveform]] = {}


def known(sound: Sound) -> Waveform | None:
    """The samples of a sound where they are kept already."""
    kept = _by_data.get(id(sound.data))
    return kept[1] if kept is not None and kept[0] is sound.data else None


def decoded(sound: Sound) -> Waveform:
    """The samples of a sound, 48,000 a second; kept for the bytes read last. Raises BadFile."""
    wave = known(sound)
    if wave is None:
        wave = _decoded(sound)
        _by_data.clear()
        _by_data[id(sound.data)] = (sound.data, wave)
    return wave
