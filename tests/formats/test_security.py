"""What a file from elsewhere may not do: start a program, open a connection, look outside of its folder, or take all memory."""

import io
import socket
import struct
import subprocess
import sys
import time
import tracemalloc
import wave

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.ground.errors import BadFile
from fictilis.core.scene.appearance import Texture
from fictilis.demo.jelly import moon_jelly
from fictilis.formats import images
from fictilis.formats.files import write_whole
from fictilis.formats.images import image_texture
from fictilis.formats.native import write_native
from fictilis.formats.obj import read_obj
from fictilis.formats.sound import kind_of, read_sound
from fictilis.render.dress import image_of_bytes

EPS = b"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 10 10\n(touched) (w) file closefile\nshowpage\n"
SDP = b"v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=audio 49170 RTP/AVP 0\n"
PLAYLIST = b"#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\nhttp://127.0.0.1:9/a.wav\n#EXT-X-ENDLIST\n"
OTHERS = {"eps": EPS, "sdp": SDP, "playlist": PLAYLIST, "concat": b"ffconcat version 1.0\nfile '/etc/passwd'\n", "empty": b"",
          "text": b"hello", "svg": b"<svg xmlns='http://www.w3.org/2000/svg'/>", "gif": b"GIF89a\x01\0\x01\0\0\0\0;",
          "tiff": b"II*\0\x08\0\0\0\0\0"}  # fmt: skip


@pytest.fixture
def nothing_outside(monkeypatch):
    def refuse(*_a, **_k):
        raise AssertionError("a file tried to reach outside")

    monkeypatch.setattr(subprocess, "Popen", refuse)
    monkeypatch.setattr(socket, "socket", refuse)


@pytest.mark.parametrize("name", OTHERS)
def test_a_texture_is_a_png_or_jpeg_by_its_content_and_nothing_else_is_opened(name, tmp_path, nothing_outside):
    for path in (tmp_path / "skin.png", tmp_path / "skin.jpg"):
        path.write_bytes(OTHERS[name])
        with pytest.raises(BadFile, match="cannot be opened as a PNG or JPEG image"):
            image_texture(path)
    assert image_of_bytes(OTHERS[name]) is None


@pytest.mark.parametrize("name", OTHERS)
def test_a_sound_is_one_by_its_content_and_nothing_else_is_opened(name, tmp_path, nothing_outside):
    assert kind_of(OTHERS[name]) is None
    path = tmp_path / "voice.wav"
    path.write_bytes(OTHERS[name])
    with pytest.raises(BadFile, match="cannot be read as a sound"):
        read_sound(path)


def a_wave(rate=48_000, channels=1, frames=480, kind=1):
    data = io.BytesIO()
    with wave.open(data, "wb") as out:
        out.setnchannels(channels)
        out.setsampwidth(2)
        out.setframerate(rate)
        out.writeframes(np.zeros(frames * channels, "<i2").tobytes())
    raw = bytearray(data.getvalue())
    raw[20:22] = struct.pack("<H", kind)
    return bytes(raw)


@pytest.mark.parametrize(
    ("data", "said"),
    [(a_wave(rate=1, frames=3500), "samples a second"), (a_wave(rate=4_000_000), "samples a second"),
     (a_wave(channels=200), "channels"), (a_wave(kind=0x161), "kind wma|cannot be read")],
)  # fmt: skip
def test_a_sound_out_of_bounds_is_refused_before_it_is_unpacked(data, said, tmp_path):
    path = tmp_path / "voice.wav"
    path.write_bytes(data)
    tracemalloc.start()
    with pytest.raises(BadFile, match=said):
        read_sound(path)
    most = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert most < 50_000_000


def test_an_image_that_would_unpack_to_too_much_is_refused_by_its_measures(tmp_path, monkeypatch):
    from PIL import Image

    monkeypatch.setattr(images, "MOST_PIXELS", 100)
    path = tmp_path / "skin.png"
    Image.new("RGB", (11, 10)).save(path)
    with pytest.raises(BadFile, match="11 × 10 pixels"):
        image_texture(path)


def test_a_scene_whose_texture_is_no_image_still_opens(sheet, tmp_path):
    from fictilis.formats.native import read_native, write_native

    obj = sheet.object("o1")
    look = replace(obj.appearance, texture=Texture("Skin", EPS))
    write_native(tmp_path / "s.fictilis", sheet.with_object(replace(obj, appearance=look)))
    assert read_native(tmp_path / "s.fictilis").objects[0].appearance.texture.image == EPS


@pytest.mark.parametrize("library", ["../secret.mtl", "/etc/hostname", "pipe", "folder", "link.mtl", "\0", "x" * 400])
def test_a_material_file_is_read_from_the_folder_only(library, tmp_path):
    import os

    inside = tmp_path / "in"
    inside.mkdir()
    (tmp_path / "secret.mtl").write_text("newmtl skin\nKd 1 0 0\n")
    (inside / "folder").mkdir()
    os.mkfifo(inside / "pipe")
    (inside / "link.mtl").symlink_to(tmp_path / "secret.mtl")
    path = inside / "m.obj"
    path.write_text(f"mtllib {library}\nusemtl skin\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n".replace("\0", "\x01"))
    read = read_obj(path)
    assert read.objects[0].colour is None and len(read.warnings) == 1 and "material file" in read.warnings[0]


def test_odd_material_files_and_marks_are_borne(tmp_path):
    (tmp_path / "m.mtl").write_bytes(b"\xef\xbb\xbfnewmtl\nnewmtl skin\nKd nan 0 0\nKd inf 0 0\nKd 1 0\nKd 0 0.5 1\n")
    path = tmp_path / "m.obj"
    path.write_bytes(b"\xef\xbb\xbfmtllib m.mtl\nmtllib m.mtl\nusemtl skin\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    read = read_obj(path)
    assert read.objects[0].colour == "#0080FF" and read.warnings == ()


KILLED = """
import os, signal, sys, time
from pathlib import Path
from fictilis.formats.files import folder_beside, write_whole

def write(part):
    part.write_bytes(b"half")
    with folder_beside(part) as folder:
        (folder / "scene.usdc").write_bytes(b"half")
        print("writes", flush=True)
        time.sleep(60)

write_whole(Path(sys.argv[1]), write)
"""


def test_what_a_killed_process_left_beside_a_file_is_removed_at_the_next_save(tmp_path):
    """And what another process is writing at that moment stays."""
    path = tmp_path / "bell.fictilis"
    begun = [subprocess.Popen([sys.executable, "-c", KILLED, path], stdout=subprocess.PIPE) for _ in range(2)]
    for process in begun:
        assert process.stdout.readline() == b"writes\n"
    begun[0].kill()
    begun[0].wait()
    assert len(list(tmp_path.glob(".fictilis-*"))) == 4
    write_whole(path, lambda part: part.write_bytes(b"whole"))
    left = sorted(p.suffix for p in tmp_path.glob(".fictilis-*"))
    begun[1].kill()
    begun[1].wait()
    assert path.read_bytes() == b"whole" and left == [".folder", ".part"]
    for process in begun:
        process.stdout.close()
    write_whole(path, lambda part: part.write_bytes(b"again"))
    assert [p.name for p in tmp_path.iterdir()] == ["bell.fictilis"]


def test_a_movie_that_is_terminated_leaves_nothing(tmp_path):
    write_native(tmp_path / "s.fictilis", moon_jelly())
    words = ["movie", tmp_path / "s.fictilis", tmp_path / "out.mp4", "--size", "1280x720"]
    making = subprocess.Popen([sys.executable, "-m", "fictilis", *words], stderr=subprocess.DEVNULL)
    for _ in range(600):
        if any(p.stat().st_size for p in tmp_path.glob(".fictilis-*")):
            break
        time.sleep(0.05)
    making.terminate()
    assert making.wait(20) == 143 and [p.name for p in tmp_path.iterdir()] == ["s.fictilis"]
