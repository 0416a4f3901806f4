"""The entry, the icon and the kind of files on a desktop, as Qt's own readers of those standards see them."""

import configparser
import os
import shlex
import subprocess
import sys

import pytest

from fictilis import cli, desktop


@pytest.fixture
def home(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    return tmp_path / "data"


def test_it_is_installed_found_and_removed(home, tmp_path, capsys):
    """Source: Qt's reader of the shared MIME-info database, and a parser of key files."""
    for _ in range(2):  # a second time changes nothing
        assert cli.main(["install-desktop"]) == 0
    assert capsys.readouterr().out.count("written: ") == 6
    entry = configparser.RawConfigParser()
    entry.optionxform = str
    entry.read(home / "applications" / "fictilis.desktop", encoding="utf-8")
    words = entry["Desktop Entry"]
    command = shlex.split(words["Exec"])
    assert words["Icon"] == "fictilis" and words["MimeType"] == f"{desktop.KIND};" and command[-1] == "%f"
    said = subprocess.run([*command[:-1], "--version"], capture_output=True, text=True, check=True).stdout
    assert said.startswith("Fictilis ")
    asks = "from PyQt6.QtCore import QMimeDatabase as D; k = D().mimeTypeForFile('a b.fictilis'); print(k.name(), k.comment())"
    kind = subprocess.run([sys.executable, "-c", asks], env=dict(os.environ), capture_output=True, text=True, check=True).stdout
    assert kind.strip() == f"{desktop.KIND} Fictilis scene"
    assert cli.main(["install-desktop", "--remove"]) == 0
    assert not [p for p in desktop.places() if p.exists()] and capsys.readouterr().out.count("removed: ") == 3
    assert cli.main(["install-desktop", "--remove"]) == 0 and capsys.readouterr().out == ""


@pytest.mark.parametrize(("word", "said"), [("a b", '"a b"'), ("50%", '"50%%"'), ('q"', '"q\\\\""'), ("$x", '"\\\\$x"')])
def test_words_are_quoted_as_the_standard_says(word, said):
    """Source: Desktop Entry Specification 1.5, The Exec key."""
    assert desktop._quoted(word) == said


def test_a_place_that_cannot_be_written_is_one_sentence(home, capsys):
    home.write_text("a file where a folder should be")
    assert cli.main(["install-desktop"]) == 2
    error = capsys.readouterr().err
    assert "fictilis.desktop cannot be written" in error and error.count("\n") == 1
