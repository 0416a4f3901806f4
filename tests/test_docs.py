"""What the documents show must run."""

import re
import shlex
import wave
from pathlib import Path

import pytest

import fictilis
from fictilis.app.commands.rows import ROWS
from fictilis.cli import main
from fictilis.core.operations import OPERATIONS
from fictilis.formats.files import MeshData
from fictilis.formats.obj import write_obj
from scripts.make_docs import commands_page, formats_page

ROOT = Path(__file__).parent.parent

MADE = {
    "README.md": ("bell.fictilis", "bell.glb", "bell.png"),
    "docs/guide.md": ("bell.fictilis", "bell.glb", "bell.mp4", "bell.png", "points.npz", "shapes", "targets.png"),
}
"""What the commands of each page leave."""


def test_the_scripting_page_runs_as_it_stands(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    points, mesh = fictilis.primitives.ball(radius=20, segments=16)
    write_obj(tmp_path / "bell.obj", [MeshData("Bell", points, mesh)])
    write_obj(tmp_path / "ball-curl.obj", [MeshData("Curl", points * [1, 1.2, 1], mesh)])
    (code,) = re.findall(r"```python\n(.*?)```", (ROOT / "docs/scripting.md").read_text(), re.S)
    space: dict = {}
    exec(code, space)
    assert space["final"].shape == points.shape and space["many"].shape == (25, *points.shape)
    assert {p.name for p in tmp_path.iterdir()} >= {"ball.fictilis", "ball.glb", "ball-at-12.obj", "shapes"}


def test_every_picture_is_linked_and_there():
    text = (ROOT / "README.md").read_text()
    linked = set(re.findall(r"docs/screenshots/([\w-]+\.png)", text))
    there = {p.name for p in (ROOT / "docs/screenshots").glob("*.png")}
    assert linked == there and len(there) < 20 and len(text.splitlines()) < 130
    guide = set(re.findall(r"\(screenshots/([\w-]+\.png)\)", (ROOT / "docs/guide.md").read_text()))
    assert guide and guide <= there


def test_every_named_recipe_test_exists():
    tests = "\n".join(p.read_text() for p in (ROOT / "tests").rglob("*.py"))
    for name in re.findall(r"`(test_\w+)`", (ROOT / "CONTRIBUTING.md").read_text()):
        assert f"def {name}" in tests


@pytest.mark.parametrize("page", ["README.md", "docs/guide.md"])
def test_the_commands_of_a_page_run_as_they_stand(page, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    points, mesh = fictilis.primitives.ball(radius=20, segments=6)
    for name, wide in (("bell", 1.0), ("curl", 1.4), ("half-curl", 1.3)):
        write_obj(tmp_path / f"{name}.obj", [MeshData("Bell", points * [wide, 1, 1], mesh)])
    with wave.open("surf.wav", "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(8000)
        file.writeframes(bytes(8000))
    (block,) = re.findall(r"## Without a window\n\n```\n(.*?)```", (ROOT / page).read_text(), re.S)
    for line in block.splitlines():
        words = shlex.split(line)
        assert words[0] == "fictilis" and main(words[1:]) == (1 if words[1] == "check" else 0), line
    assert {p.name for p in tmp_path.iterdir()} >= set(MADE[page])


def test_words_that_were_given_up_stand_in_no_label():
    rows = [line.split("|") for line in (ROOT / "docs/words.md").read_text().splitlines() if line.startswith("| ")][1:]
    given_up = [
        word for row in rows for word in row[2].strip().replace("…", "|").split(", ") for word in word.split("|") if word
    ]
    labels = [row.text for row in ROWS] + [
        word for o in OPERATIONS.values() for word in (o.label, o.sentence, o.button, o.done)
    ]
    labels += [parameter.label for o in OPERATIONS.values() for parameter in o.parameters]
    assert len(given_up) > 30
    back = [(g, x) for g in given_up for x in labels if x.rstrip("…") == g.strip() or (" " in g.strip() and g.strip() in x)]
    assert not back


def test_the_pages_of_commands_and_formats_are_made_from_their_tables():
    assert (ROOT / "docs/commands.md").read_text() == commands_page()
    assert (ROOT / "docs/formats.md").read_text() == formats_page()
