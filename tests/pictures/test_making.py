"""Movies, turntables, pictures and sheets, read back with libraries that had no part in drawing them."""

import argparse
import io
import wave
from contextlib import nullcontext

import av
import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from fictilis.cli import pictures
from fictilis.core.animation.curve import Key
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.relays import make_relay
from fictilis.core.edits.targets import target_from_points
from fictilis.core.ground.errors import FictilisError
from fictilis.core.ground.parameters import Choice, Flag, Number
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import Marker, SavedView, SceneCamera, Sound
from fictilis.pictures.linear import STEPS, Sum, light_of, stored
from fictilis.pictures.look import CLEAR, Look
from fictilis.pictures.making import frames_of, make
from fictilis.pictures.orders import KINDS, Order, values_of, words_of
from fictilis.pictures.poster import poster
from fictilis.pictures.sheet import laid_out
from fictilis.pictures.shots import Shots, aimed
from fictilis.pictures.words import burnt_in
from fictilis.render.renderer import Renderer

OBJ = "o1"
SMALL = {"width": 96, "height": 64, "samples": 1}
VIEW = SavedView("Aside", (0.0, 0.0, 0.0), 120.0, 30.0, 25.0)


@pytest.fixture
def moving(sheet):
    """The sheet, going up and down by 12 frames, with a marker, a kept view and a click of sound at 0.25 s."""
    for frame, value in ((0, 0.0), (6, 2.0), (12, 0.0)):
        sheet = set_key(sheet, OBJ, "t1", Key(frame, value, "linear"))
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(48_000)
        samples = np.zeros(48_000, np.int16)
        samples[12_000:12_480] = (20_000 * np.sin(np.arange(480) / 4)).astype(np.int16)
        file.writeframes(samples.tobytes())
    sound = Sound("click.wav", out.getvalue())
    return replace(sheet, start=0.0, end=12.0, markers=(Marker(4.0, "Up"),), views=(VIEW,), sound=sound)


def read(path):
    """Pictures, rate and codec of a movie."""
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        pictures = [frame.to_ndarray(format="rgb24") for frame in container.decode(stream)]
        return pictures, float(stream.average_rate), stream.codec_context.name


def heard(path):
    with av.open(str(path)) as container:
        frames = [(f.pts * f.time_base, f.sample_rate, f.to_ndarray()) for f in container.decode(container.streams.audio[0])]
    first, rate = float(frames[0][0]), frames[0][1]
    return np.concatenate([np.abs(a.astype(float)).max(axis=0) for _, _, a in frames]), first, rate


@pytest.mark.parametrize(("suffix", "codec"), [(".mp4", "h264"), (".webm", "vp9")])
def test_a_movie_has_the_pictures_rate_size_and_sound_that_were_ordered(moving, renderer, tmp_path, suffix, codec):
    path = tmp_path / f"m{suffix}"
    order = Order("movie", path, {**SMALL, "width": 97, "first": 2, "last": 10, "rate": 12, "quality": "fine"}, "Aside")
    said = make(moving, order)
    pictures, rate, name = read(path)
    assert said == ["The size is 98 × 64: such a movie has even numbers of pixels."]
    assert (len(pictures), rate, pictures[0].shape, name) == (5, 12.0, (64, 98, 3), codec)  # frames 2, 4 … 10 of 24 a second
    look = Look(98, 64, 1)
    shots = Shots(moving, look, renderer)
    for number, picture in enumerate(pictures):
        wanted = shots.picture(2.0 + 2 * number, aimed(moving, "Aside", look, ()))[..., :3]
        assert np.abs(picture.astype(int) - wanted).mean() < 3.0
    loud, first, hertz = heard(path)
    begins = first + np.argmax(loud > loud.max() / 4) / hertz
    assert begins == pytest.approx(0.25 - 2 / 24, abs=0.012)  # the movie begins at frame 2 of 24 a second
    silent = tmp_path / f"s{suffix}"
    make(moving, replace(order, path=silent, values={**order.values, "silent": True}))
    with av.open(str(silent)) as container:
        assert not container.streams.audio


def test_a_gif_has_one_palette_and_is_as_long_as_it_should_be(moving, renderer, tmp_path):
    path = tmp_path / "m.gif"
    said = make(moving, Order("movie", path, SMALL))
    assert said == ["The sound is left out: only MP4 and WebM have one."]
    with Image.open(path) as image:
        assert image.n_frames == 13 and image.info["loop"] == 0
        shown = []
        look = Look(96, 64, 1)
        shots, aim = Shots(moving, look, renderer), aimed(moving, "", look, np.linspace(0, 12, 9).tolist())
        for number in range(image.n_frames):
            image.seek(number)
            shown.append(image.info["duration"])
            wanted = shots.picture(float(number), aim)[..., :3].astype(int)
            assert np.abs(np.asarray(image.convert("RGB")).astype(int) - wanted).mean() < 6
        assert sum(shown[:12]) == 500  # ms for 12 of 24 a second
    assert path.read_bytes().count(b"\x00,\x00\x00\x00\x00") <= 13  # image descriptors
    flags = path.read_bytes()[10]
    assert flags & 0x80 and 2 << (flags & 7) == 256  # one table of 256 colours for all


def test_numbered_pictures_and_turntables(moving, tmp_path):
    make(moving, Order("movie", tmp_path / "n.png", {**SMALL, "first": 3, "last": 5, "ground": CLEAR}))
    files = sorted(p.name for p in tmp_path.iterdir())
    assert files == ["n.0003.png", "n.0004.png", "n.0005.png"]
    with Image.open(tmp_path / files[0]) as image:
        assert image.mode == "RGBA" and image.getpixel((0, 0))[3] == 0 and image.getextrema()[3][1] == 255
    order = Order("turntable", tmp_path / "t.webm", {**SMALL, "frame": 6, "seconds": 1, "rate": 8, "quality": "fine"}, "Aside")
    make(moving, order)
    pictures, _, _ = read(tmp_path / "t.webm")
    assert len(pictures) == 8
    apart = [np.abs(p.astype(int) - pictures[0]).mean() for p in pictures]
    assert min(apart[1::2]) > 0.5 > max(apart[::2])  # a square looks the same from all four sides
    assert frames_of(values_of(order, moving), moving) == [6.0] * 8
    loop = Order("movie", tmp_path / "l.gif", {**SMALL, "first": 2, "last": 6, "looped": True})
    assert frames_of(values_of(loop, moving), moving) == [2.0, 3.0, 4.0, 5.0]


def test_motion_blur_is_the_mean_of_moments_in_linear_light(moving, renderer):
    """Source of the light: IEC 61966-2-1; of the moments: a shutter open around the frame, common practice."""
    look = Look(80, 60, 1, shutter=180.0, parts=4, ground="#000000")
    shots, aim = Shots(moving, look, renderer), aimed(moving, "Aside", look, ())
    blurred = shots.picture(4.0, aim)
    assert look.parts_of(4.0) == [4 - 3 / 16, 4 - 1 / 16, 4 + 1 / 16, 4 + 3 / 16]  # half of a frame in all
    singles = [shots.instant(moment, aim(moment))[..., :3] / 255 for moment in look.parts_of(4.0)]
    light = np.mean([np.where(s <= 0.04045, s / 12.92, ((s + 0.055) / 1.055) ** 2.4) for s in singles], axis=0)
    wanted = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055) * 255
    assert np.abs(blurred[..., :3] - wanted).max() <= 1 and np.abs(blurred[..., :3] - singles[0] * 255).max() > 20


def test_the_shutter_is_open_for_a_part_of_the_time_between_two_pictures(moving, tmp_path, monkeypatch):
    """180° at 12 pictures a second of 24 frames a second is one frame: common practice, no published source."""
    seen = []
    instant = Shots.instant
    monkeypatch.setattr(Shots, "instant", lambda self, frame, camera: seen.append(frame) or instant(self, frame, camera))
    values = {**SMALL, "first": 4, "last": 4, "rate": 12, "shutter": 180, "parts": 2}
    make(moving, Order("movie", tmp_path / "a.png", values))
    assert seen == [3.75, 4.25]


def test_what_is_stored_comes_back_from_light():
    every = np.arange(256, dtype=np.uint8)
    assert np.array_equal(stored(light_of(every)), every) and stored(np.array([-1.0, 2.0])).tolist() == [0, 255]
    assert light_of(np.array([188], np.uint8))[0] == pytest.approx(0.5029, abs=1e-4) and STEPS == 65_535


@pytest.mark.parametrize("samples", [1, 4, 16])
@pytest.mark.parametrize("opacity", [1.0, 0.5])
def test_a_picture_without_a_ground_laid_over_one_is_the_picture_on_it(moving, renderer, samples, opacity):
    scene = moving.with_object(replace(moving.object(OBJ), appearance=replace(moving.object(OBJ).appearance, opacity=opacity)))
    clear, grey = Look(80, 60, samples, CLEAR), Look(80, 60, samples, "#808080")
    aim = aimed(scene, "Aside", clear, ())
    alone, whole = (Shots(scene, look, renderer).picture(6.0, aim).astype(float) for look in (clear, grey))
    cover = alone[..., 3:] / 255
    laid = alone[..., :3] * cover + 128 * (1 - cover)
    assert np.abs(laid - whole[..., :3]).max() <= 3
    assert cover.min() == 0 and cover.max() == pytest.approx(opacity, abs=0.03)
    total = Sum()
    for _ in range(3):
        total.add(alone.astype(np.uint8))
    assert np.abs(total.mean().astype(float) - alone)[alone[..., 3] > 8].max() <= 1


def test_more_samples_are_smoother(moving, renderer):
    aim = aimed(moving, "Aside", Look(80, 60), ())
    kinds = [len(np.unique(Shots(moving, Look(80, 60, n, "black"), renderer).picture(0.0, aim)[..., 0])) for n in (1, 4, 16)]
    assert kinds[0] < kinds[1] <= kinds[2]


def test_a_sheet_has_a_picture_of_every_target_frame_or_pose(moving, tmp_path):
    scene, _ = make_relay(moving, OBJ, ["t1", "t2"], "Walk", 0.0, 4.0)
    cell = {"width": 60, "height": 40, "samples": 1, "ground": "white"}
    sizes = {}
    for of, more in (("targets", {}), ("frames", {"step": 3}), ("poses", {}), ("frames", {"last": 0})):
        make(scene, Order("sheet", tmp_path / "s.png", {**cell, "of": of, "columns": 1, **more}))
        with Image.open(tmp_path / "s.png") as image:
            sizes[of, *more] = image.size
            inked = (np.asarray(image.convert("L")) < 200)[:, 6:60].any(axis=1)
            assert inked[:30].any() and inked[-30:].any()  # a title, and a name below the last picture
    head, row = sizes["frames", "last"][1] - 63, 63  # of 40 for a picture, 17 for its name, 6 between
    counts = {key: (height - head) / row for key, (width, height) in sizes.items() if width == 6 + 66}
    assert counts == {("targets",): 3, ("frames", "step"): 5, ("poses",): 2, ("frames", "last"): 1}


REFUSED = {
    "no such camera": (Order("movie", "x.mp4", camera="Nope"), "no camera or view named “Nope”. There are: Aside."),
    "no such kind of file": (Order("movie", "x.avi"), "written as .mp4, .webm, .gif, .png, not as “.avi”"),
    "clear": (Order("movie", "x.mp4", {"ground": CLEAR}), "MP4 has no transparent background"),
    "backwards": (Order("movie", "x.mp4", {"first": 5, "last": 2}), "A range must rise: 5 to 2."),
    "too many": (Order("movie", "x.mp4", {"last": 1e6, "rate": 240}), "10,000,001 pictures"),
    "too large": (Order("snapshot", "x.png", {"width": 9000}), "from 16 to 8192"),
    "no colour": (Order("snapshot", "x.png", {"ground": "colour", "colour": "red"}), "not “red”"),
    "odd colour": (Order("snapshot", "x.png", {"ground": "colour", "colour": "#12345G"}), "not “#12345G”"),
    "no relay": (Order("sheet", "x.png", {"of": "poses"}), "no relay with poses"),
    "no clip": (Order("movie", "x.mp4", clip="Nope"), "no clip named Nope"),
    "nonsense": (Order("movie", "x.mp4", {"speed": 2}), "takes no speed"),
}


@pytest.mark.parametrize(("order", "said"), REFUSED.values(), ids=REFUSED)
def test_what_cannot_be_made_is_said(moving, order, said, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    with pytest.raises(FictilisError) as told:
        make(moving, order)
    assert said in told.value.said
    assert not list(tmp_path.iterdir())


def test_a_sheet_that_is_too_large_is_refused(moving):
    values = values_of(Order("sheet", "x.png", {"of": "frames", "columns": 100, "width": 2048}), moving)
    with pytest.raises(FictilisError, match="214,193 × 7,192 pixels; up to 16,384 each way"):
        laid_out([("", np.zeros((240, 2048, 4), np.uint8))] * 1201, "", values)


def test_a_scene_without_objects_is_refused(sheet, tmp_path):
    with pytest.raises(FictilisError, match="Sheet has no object to be seen"):
        make(replace(sheet, objects=()), Order("movie", tmp_path / "x.mp4"))


def some_order(kind, rng, path):
    """An order with random values for all that the kind lets one choose."""
    values = {}
    for option in KINDS[kind].options:
        if isinstance(option, Choice):
            values[option.name] = option.options[rng.integers(len(option.options))][2]
        elif isinstance(option, Flag):
            values[option.name] = bool(rng.integers(2))
        elif isinstance(option, Number):
            low, high = max(option.low, -50), min(option.high, 50 + max(option.low, 0))
            values[option.name] = option.checked(rng.uniform(low, high), None)
        else:
            values[option.name] = "#A1B2C3"
    if "first" in values:
        values["first"], values["last"] = sorted((values["first"], values["last"]))
    names = {"object": "Sheet", "relay": "-odd name"} if kind == "sheet" else {}
    return Order(kind, path, values, [None, "", "A view", "--x"][rng.integers(4)], clip=["", "B = C"][rng.integers(2)], **names)


@pytest.mark.parametrize("kind", KINDS)
def test_the_command_line_says_what_an_order_says(kind, tmp_path, monkeypatch):
    rng = np.random.default_rng(len(kind))
    parser = argparse.ArgumentParser()
    pictures.register(parser.add_subparsers())
    asked = []
    monkeypatch.setattr("fictilis.formats.registry.load", lambda path: Scene())
    monkeypatch.setattr("fictilis.pictures.making.make", lambda _scene, order, *_rest: asked.append(order) or [])
    for _ in range(30):
        order = some_order(kind, rng, tmp_path / "out.png")
        given = parser.parse_args(words_of(order, tmp_path / "scene.fictilis"))
        given.run(given)
        came = asked.pop()
        wanted, found = (dict(values_of(replace(o, clip=""), None)) for o in (order, came))
        assert found == wanted
        assert (came.camera, came.clip, came.object, came.relay) == (order.camera, order.clip, order.object, order.relay)


def test_words_are_burnt_in_along_the_lower_edge_only():
    picture = np.full((200, 320, 4), 120, np.uint8)
    words = burnt_in(picture, "A very long name of a scene that nobody can read to its end", "Marker", "128")
    changed = (words != picture).any(axis=2)
    assert changed[-24:].any() and not changed[:170].any() and changed.any(axis=0).sum() > 100
    assert np.array_equal(burnt_in(np.zeros((90, 90, 4), np.uint8))[..., 3], np.zeros((90, 90)))


def test_a_camera_with_keys_is_followed_and_goes_before_the_fitted_view(moving):
    from fictilis.core.edits.timeline import add_camera

    scene, camera = add_camera(moving, SceneCamera("", "Cam", (0.0, 0.0, 0.0), 100.0, 0.0, 0.0))
    for frame, value in ((0, 0.0), (10, 90.0)):
        scene = set_key(scene, camera, "yaw", Key(frame, value, "linear"))
    look = Look(80, 60)
    assert aimed(scene, "", look, [0])(5.0).yaw == pytest.approx(45.0) == aimed(scene, "Cam", look, [0])(5.0).yaw
    assert aimed(scene, "Aside", look, [0])(5.0).yaw == 30.0 and aimed(scene, None, look, [0])(5.0).yaw == 18.0


def test_a_sheet_of_poses_finds_the_object_that_has_some(moving, tmp_path):
    scene, ball = add_form(moving, "Ball", {"segments": 2})
    scene, _ = target_from_points(scene, ball, "Wide", scene.object(ball).base * 1.5)
    scene, _ = make_relay(scene, ball, ["t1"], "Row", 0.0, 4.0)
    order = Order("sheet", tmp_path / "s.png", {"of": "poses", "width": 32, "height": 32, "columns": 1})
    assert make(scene, order) == [] and (tmp_path / "s.png").is_file()
    with pytest.raises(FictilisError, match="Sheet has no relay named “Nope” with poses"):
        make(scene, replace(order, relay="Nope"))


@pytest.mark.parametrize("kind", ["poster", *KINDS])
@pytest.mark.parametrize("draws", [True, False])
def test_nothing_that_is_made_leaves_a_renderer_behind(moving, monkeypatch, tmp_path, kind, draws):
    """Each would keep some 25 MB for as long as the window is open, or the script runs."""
    made, gone, begin, release = [], [], Renderer.__init__, Renderer.release
    monkeypatch.setattr(Renderer, "__init__", lambda self: (made.append(self), begin(self))[1])
    monkeypatch.setattr(Renderer, "release", lambda self: (gone.append(self), release(self))[1])
    if not draws:
        monkeypatch.setattr(Shots, "of_items", lambda *_: (_ for _ in ()).throw(FictilisError("no picture")))
        monkeypatch.setattr(Shots, "picture", Shots.of_items)
    if kind == "poster":
        assert (poster(moving) is not None) is draws
    else:
        size = {"width": 32, "height": 32, "seconds": 0.2, "first": 0.0, "last": 2.0, "columns": 2}
        order = Order(
            kind,
            tmp_path / f"m{KINDS[kind].suffixes[0]}",
            {o.name: size[o.name] for o in KINDS[kind].options if o.name in size},
        )
        with nullcontext() if draws else pytest.raises(FictilisError, match="no picture"):
            make(moving, order)
    assert len(made) == 1 and gone == made
