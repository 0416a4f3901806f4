"""SVG files and letters as lines: places against the standard's words, and files that are wrong."""

import sys
import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fictilis.core.ground.errors import BadFile, Cancelled, EditRefused, FictilisError
from fictilis.core.ground.interrupt import interruptible
from fictilis.formats.outlines import CM, read_svg, text_outline

HEAD = '<svg xmlns="http://www.w3.org/2000/svg">'


def put(tmp_path, body, name="a.svg"):
    path = tmp_path / name
    path.write_text(body if body.startswith("<?") else f"{HEAD}{body}</svg>")
    return path


def size_of(points) -> list[float]:
    return (np.ptp(points, axis=0)[:2] / CM).round(3).tolist()


@pytest.mark.parametrize(
    ("body", "strands", "closed", "size"),
    [
        ('<path d="M0 0 L10 0 10 10"/>', [3], [False], [10, 10]),
        ('<path d="M0 0h10v10h-10z"/>', [4], [True], [10, 10]),
        ('<path d="M0 0 10 0M0 5 10 5"/>', [2, 2], [False, False], [10, 5]),
        ('<path d="M0 0h4v4zL-4 0"/>', [3, 2], [True, False], [8, 4]),
        ('<path d="M0 0 10 0 0 0"/>', [2], [False], [10, 0]),
        (
            '<g transform="translate(3 4) scale(2)"><g transform="rotate(90)"><path d="M0 0L10 0"/></g></g>',
            [2],
            [False],
            [0, 20],
        ),
        ('<rect width="8" height="3"/>', [4], [True], [8, 3]),
        ('<polyline points="0,0 4,0 4,4"/>', [3], [False], [4, 4]),
        ('<polygon points="0,0 4,0 4,4"/>', [3], [True], [4, 4]),
        ('<line x1="0" y1="0" x2="6" y2="8"/>', [2], [False], [6, 8]),
    ],
)
def test_shapes_are_where_the_standard_puts_them(tmp_path, body, strands, closed, size):
    """Source: Scalable Vector Graphics 2, chapters 7 to 10."""
    (read,) = read_svg(put(tmp_path, body)).objects
    assert read.geometry.counts.tolist() == strands and read.geometry.closed.tolist() == closed
    assert np.allclose(size_of(read.points), size, atol=0.01) and abs(read.points[:, 1].min()) < 1e-9


@pytest.mark.parametrize(
    ("body", "radius"), [('<circle r="40"/>', 40), ('<path d="M-40 0A40 40 0 0 1 40 0A40 40 0 0 1-40 0z"/>', 40)]
)
def test_curves_lie_within_the_tolerance_of_a_circle(tmp_path, body, radius):
    """Closed form; up to a two-thousandth of the size, as the reader says."""
    (read,) = read_svg(put(tmp_path, body)).objects
    middle = (read.points.min(axis=0) + read.points.max(axis=0)) / 2
    away = np.linalg.norm((read.points - middle) / CM, axis=1)
    assert 20 < len(away) < 200 and np.abs(away - radius).max() < 2 * radius * 0.0005 + 1e-6 and read.geometry.closed.all()


def test_each_path_is_an_object_and_together_they_are_strands_of_one(tmp_path):
    read = read_svg(put(tmp_path, '<path id="wave" d="M0 0 4 4"/><circle r="3"/><text>no</text>'))
    assert [o.name for o in read.objects] == ["wave", "a 2"] and "1 texts and images were left out" in read.warnings[0]
    (one,) = read.together("both").objects
    assert one.geometry.closed.tolist() == [False, True] and len(one.points) == sum(len(o.points) for o in read.objects)


BAD = {
    "empty": ("", "no path"), "prose": ("Dear reader", "no path"), "endless": ('<path d="M0 0L1e999 0"/>', "a.svg"),
    "one point": ('<path d="M3 3"/>', "no path"), "broken": ('<path d="M0 0Lx"', "a.svg"),
    "only text": ("<text>a</text>", "no"),
    "entities": ('<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY a "aaaa">]><svg/>', "entities"),
}  # fmt: skip


@pytest.mark.parametrize("name", BAD)
def test_a_file_that_is_wrong_is_one_sentence(tmp_path, name):
    body, said = BAD[name]
    with pytest.raises(BadFile, match=said) as refused:
        read_svg(put(tmp_path, body))
    assert "\n" not in str(refused.value) and len(str(refused.value)) < 300


@settings(max_examples=60, deadline=None)
@given(st.text("MmLlHhVvCcSsQqTtAaZz0123456789.,- e", max_size=60))
def test_any_path_is_read_or_refused(tmp_path_factory, data):
    path = put(tmp_path_factory.mktemp("svg"), f'<path d="{data}"/>')
    try:
        for read in read_svg(path).objects:
            assert np.isfinite(read.points).all() and len(read.points) == read.geometry.point_count
    except FictilisError as error:
        assert "\n" not in error.said  # noqa: PT017 - either is right


def test_letters_have_the_height_and_the_holes_of_their_font():
    """Facts of Latin letters: o and A have one hole, B has two, i has a dot, l none."""
    points, line = text_outline("H", 10.0)
    assert np.ptp(points[:, 1]) == pytest.approx(10.0, abs=0.02) and line.closed.all()
    for letter, strands in {"o": 2, "A": 2, "B": 3, "i": 2, "l": 1}.items():
        assert text_outline(letter, 10.0)[1].strand_count == strands, letter
    one, two = text_outline("a", 5.0)[0], text_outline("a\\na", 5.0)[0]
    assert len(two) == 2 * len(one) and np.ptp(two[:, 1]) > 2 * np.ptp(one[:, 1])


@pytest.mark.parametrize(
    ("text", "size", "said"), [("  ", 5, "no text"), ("x", 0, "larger than 0"), ("漢", 5, "no “漢”"), ("x" * 3000, 5, "3,000")]
)
def test_text_that_cannot_be_is_one_sentence(text, size, said):
    with pytest.raises(EditRefused, match=said):
        text_outline(text, size)


def test_a_file_that_is_no_font_is_refused(tmp_path):
    (tmp_path / "a.ttf").write_bytes(b"no font at all")
    with pytest.raises(BadFile, match="no font"):
        text_outline("x", 5.0, tmp_path / "a.ttf")
    with pytest.raises(BadFile, match="no file"):
        text_outline("x", 5.0, tmp_path / "b.ttf")


TURNED = {
    "rect": "<rect x='1' y='2' width='10' height='4' {}/>", "round rect": "<rect x='1' y='2' width='10' height='4' rx='1' {}/>",
    "circle": "<circle cx='3' cy='1' r='5' {}/>", "ellipse": "<ellipse cx='3' cy='1' rx='5' ry='2' {}/>",
    "line": "<line x1='1' x2='9' y2='4' {}/>", "polygon": "<polygon points='0,0 9,1 4,5' {}/>",
    "arc": "<path d='M1 1 A 5 2 30 0 1 9 4' {}/>",
}  # fmt: skip
TRANSFORMS = {
    "rotate(30)": (np.cos(np.pi / 6), 0.5, -0.5, np.cos(np.pi / 6), 0, 0), "skewX(20)": (1, 0, 0.36397023426620234, 1, 0, 0),
    "matrix(1 .3 -.2 2 5 6)": (1, 0.3, -0.2, 2, 5, 6), "scale(2,3)": (2, 0, 0, 3, 0, 0),
}  # fmt: skip


@pytest.mark.parametrize("by", ["its own", "its group's", "both"])
@pytest.mark.parametrize("transform", TRANSFORMS)
@pytest.mark.parametrize("shape", TURNED)
def test_every_shape_goes_through_its_transforms(shape, transform, by, tmp_path):
    """Source: SVG 2, 8.5: a transform takes x, y to a x + c y + e, b x + d y + f, a group's after the element's own. A second,
    far shape fixes what is centred."""
    a, b, c, d, e, f = TRANSFORMS[transform]
    matrix = np.array([[a, c, e], [b, d, f], [0, 0, 1]])
    whole = {"its own": matrix, "its group's": matrix, "both": matrix @ matrix}[by]
    far = "<path id='far' d='M-90 -90 L90 90'/>"

    def read(body):
        (tmp_path / "a.svg").write_text(f"<svg xmlns='http://www.w3.org/2000/svg'>{far}{body}</svg>")
        return read_svg(tmp_path / "a.svg").objects[1]

    text = f"transform='{transform}'"
    inner = TURNED[shape].format(text if by != "its group's" else "")
    seen = read(f"<g {text}>{inner}</g>" if by != "its own" else inner)
    plain = read(TURNED[shape].format(""))
    flat = plain.points[:, :2] / [CM, -CM] + [0, 90]
    wanted = (flat @ whole[:2, :2].T + whole[:2, 2] - [0, 90]) * [CM, -CM]
    dense = [along(points, plain.geometry.closed[0]) for points in (seen.points[:, :2], wanted)]
    off = np.sqrt(((dense[0][:, None] - dense[1][None]) ** 2).sum(axis=2))
    assert max(off.min(axis=0).max(), off.min(axis=1).max()) < 0.025


def along(points, closed):
    """Places all along a polygon."""
    ends = np.concatenate([points, points[:1]]) if closed else points
    return np.concatenate([a + (b - a) * np.linspace(0, 1, 30)[:, None] for a, b in zip(ends, ends[1:], strict=False)])


def test_what_would_take_minutes_is_refused_before_it_is_begun(tmp_path):
    """A kilobyte that uses itself over and over, a thing within itself, and a path of hundreds of thousands of segments."""
    use = "<use href='#g{}'/>"
    rows = "".join(f"<g id='g{n}'>{use.format(n - 1) * 10}</g>" for n in range(1, 12))
    loop = "<g id='a'><use href='#b'/></g><g id='b'><use href='#a'/></g>"
    long = "<path d='M0 0 " + " ".join(f"L{n % 100} {n % 77}" for n in range(400_000)) + "'/>"
    for body in (f"<g id='g0'><path d='M0 0L1 1'/></g>{rows}", loop, long):
        (tmp_path / "a.svg").write_text(f"<svg xmlns='http://www.w3.org/2000/svg'>{body}</svg>")
        begun = time.perf_counter()
        with pytest.raises(BadFile, match="draws by more than 600,000 numbers"):
            read_svg(tmp_path / "a.svg")
        assert time.perf_counter() - begun < 5  # hours, if it were drawn
    arcs = "<path d='M0 0 " + " ".join(f"A5 7 30 0 1 {n % 100} {n % 77}" for n in range(1000)) + "'/>"
    (tmp_path / "a.svg").write_text(f"<svg xmlns='http://www.w3.org/2000/svg'>{arcs}</svg>")
    assert len(read_svg(tmp_path / "a.svg").objects) == 1


def test_a_drawing_that_is_being_parsed_can_be_given_up(tmp_path):
    (tmp_path / "a.svg").write_text(
        f"<svg xmlns='http://www.w3.org/2000/svg'><path d='M0 0 {' '.join(f'L{n % 9} {n % 7}' for n in range(90_000))}'/></svg>"
    )
    asked = []

    def stop():
        asked.append(1)
        if len(asked) > 3:
            raise Cancelled("given up")

    with interruptible(stop), pytest.raises(Cancelled):
        read_svg(tmp_path / "a.svg")
    assert len(asked) == 4 and sys.getprofile() is None
