"""The wheel, as somebody gets it who installs Fictilis: everything it ships is in it, and both its doors open."""

import os
import shutil
import subprocess
import sys
import zipfile
from importlib.util import cache_from_source
from pathlib import Path

import pytest

import fictilis
from fictilis.formats.native import read_native

ROOT = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def installed(tmp_path_factory) -> Path:
    """A folder into which the wheel was installed, and nothing else."""
    home = tmp_path_factory.mktemp("wheel")
    pip = [sys.executable, "-m", "pip", "--disable-pip-version-check", "-q"]
    source = home / "source"
    source.mkdir()
    shipped = [p.relative_to(ROOT) for p in (ROOT / "fictilis").rglob("*") if p.is_file() and "__pycache__" not in p.parts]
    for name in (*shipped, "pyproject.toml", "README.md", "LICENSE"):
        (source / name).parent.mkdir(parents=True, exist_ok=True)
        (source / name).write_bytes((ROOT / name).read_bytes())
    subprocess.run([*pip, "wheel", "--no-deps", "--no-build-isolation", "-w", home, source], check=True)
    (wheel,) = home.glob("*.whl")
    with zipfile.ZipFile(wheel) as archive:
        archive.extractall(home / "site")
    for path in (ROOT / "fictilis").rglob("*.py"):  # compiled here already, which takes ten seconds
        there, cached = home / "site" / path.relative_to(ROOT), Path(cache_from_source(str(path)))
        if cached.exists():
            os.utime(there, ns=(path.stat().st_atime_ns, path.stat().st_mtime_ns))
            Path(cache_from_source(str(there))).parent.mkdir(exist_ok=True)
            shutil.copy(cached, cache_from_source(str(there)))
    return home / "site"


def run(site: Path, home: Path, *words: object) -> subprocess.CompletedProcess:
    env = {**os.environ, "PYTHONPATH": str(site), "FICTILIS_HOME": str(home)}
    return subprocess.run([sys.executable, "-m", *map(str, words)], cwd=home, env=env, capture_output=True, text=True)


def test_the_wheel_ships_all_that_is_not_code(installed):
    there = {p.relative_to(installed).as_posix() for p in installed.rglob("*")}
    for folder in ("app/assets", "render/shaders"):
        for path in (ROOT / "fictilis" / folder).rglob("*"):
            assert path.is_dir() or path.relative_to(ROOT).as_posix() in there
    assert "fictilis/py.typed" in there and not [name for name in there if name.startswith("tests")]


def test_the_wheel_starts_the_command_line(installed, tmp_path, sheet):
    assert fictilis.save(sheet, tmp_path / "s.fictilis").name == "s"
    done = run(installed, tmp_path, "fictilis", "target", "s.fictilis", "--object", "Sheet", "--target", "Lift", "mirror")
    assert done.returncode == 0, done.stderr
    assert len(read_native(tmp_path / "s.fictilis").objects[0].targets) == 3
    where = run(installed, tmp_path, "site").stdout
    assert str(installed) in where


def test_the_wheel_starts_the_window(installed, tmp_path):
    done = run(installed, tmp_path, "fictilis", "demo", "--leave", tmp_path / "left")
    assert done.returncode == 0 and done.stderr == "", "it ends cleanly"
    assert (tmp_path / "left" / "moon-jelly.png").stat().st_size > 50_000 and "Screenshot:" in done.stdout
    assert "pictures a second" in done.stdout
