"""Sounds as files."""

import io
import wave

import numpy as np

from fictilis.formats.sound import RATE

TONE = (np.sin(2 * np.pi * 440 * np.arange(RATE // 2) / RATE) * 12_000).astype("<i2")


def wav(samples, rate=RATE, channels=2) -> bytes:
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(channels)
        file.setsampwidth(2)
        file.setframerate(rate)
        file.writeframes(samples.tobytes())
    return out.getvalue()
