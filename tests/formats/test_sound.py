"""Sound files against the standard library's reader, and what is no sound."""

import io
import wave

import numpy as np
import pytest

from fictilis.core.ground.errors import BadFile
from fictilis.core.scene.timeline import Sound
from fictilis.formats.sound import RATE, decoded, read_sound
from tests.sounds import TONE, wav


def encoded(form: str, codec: str) -> bytes:
    """The tone as another program would write it, here by the library's own encoder."""
    import av

    out = io.BytesIO()
    with av.open(out, "w", format=form) as container:
        stream = container.add_stream(codec, rate=RATE, layout="stereo")
        frame = av.AudioFrame.from_ndarray(np.repeat(TONE, 2)[None], format="s16", layout="stereo")
        frame.rate = RATE
        resampler = av.AudioResampler(format=stream.codec_context.format, layout="stereo", rate=RATE,
                                      frame_size=stream.codec_context.frame_size or None)  # fmt: skip
        for piece in (*resampler.resample(frame), *resampler.resample(None)):
            container.mux(stream.encode(piece))
        container.mux(stream.encode(None))
    return out.getvalue()


def test_a_wave_file_comes_sample_for_sample(tmp_path):
    """Source: Python's own wave module, which writes the file and reads it back."""
    path = tmp_path / "tone.wav"
    path.write_bytes(wav(np.stack([TONE, -TONE], axis=1)))
    sound = read_sound(path, 12.0)
    assert (sound.name, sound.start, sound.data) == ("tone.wav", 12.0, path.read_bytes())
    with wave.open(str(path)) as file:
        theirs = np.frombuffer(file.readframes(file.getnframes()), "<i2").reshape(-1, 2)
    assert np.array_equal(decoded(sound).samples, theirs) and decoded(sound) is decoded(sound)


def test_one_channel_and_another_rate_become_two_at_48000():
    other = wav((np.sin(2 * np.pi * 440 * np.arange(11_025) / 22_050) * 12_000).astype("<i2"), 22_050, 1)
    made = decoded(Sound("mono.wav", other))
    assert made.rate == RATE and made.seconds == pytest.approx(0.5, abs=0.01)
    middle = slice(2000, 20_000)
    assert np.array_equal(made.samples[middle, 0], made.samples[middle, 1])
    loud = np.abs(np.fft.rfft(made.samples[middle, 0].astype(float)))
    assert np.argmax(loud) * RATE / 18_000 == pytest.approx(440, abs=3)


@pytest.mark.parametrize(("form", "codec", "near"), [("flac", "flac", 0), ("mp3", "mp3", 1500), ("ogg", "libopus", 1500)])
def test_other_formats_hold_the_same_tone(form, codec, near):
    import av

    try:
        data = encoded(form, codec)
    except (av.FFmpegError, ValueError) as error:
        pytest.skip(f"this build cannot write {form}: {error}")
    made = decoded(Sound(f"tone.{form}", data)).samples
    assert len(made) == pytest.approx(len(TONE), abs=3000)
    if near == 0:
        assert np.array_equal(made[: len(TONE), 0], TONE)
    else:
        assert np.abs(made[4000:16_000, 0]).max() == pytest.approx(12_000, abs=near)


@pytest.mark.parametrize(
    ("name", "data"),
    [("words.wav", b"this is no sound at all" * 40), ("empty.mp3", b""), ("none.wav", wav(np.zeros((0, 2), "<i2"))),
     ("cut.flac", b"fLaC\0\0\0\x22" + b"\0" * 10)],
)  # fmt: skip
def test_what_is_no_sound_is_one_sentence(tmp_path, name, data):
    (tmp_path / name).write_bytes(data)
    with pytest.raises(BadFile, match=name):
        read_sound(tmp_path / name)
