"""Rules of the code, checked by machine."""

import ast
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent / "fictilis"
MODULES = sorted(ROOT.rglob("*.py"))
FORBIDDEN = {
    "core": ("fictilis.formats", "fictilis.render", "fictilis.app", "fictilis.cli", "fictilis.demo", "PyQt6", "moderngl",
             "msgspec", "pygltflib", "PIL"),
    "formats": ("fictilis.render", "fictilis.app", "fictilis.cli", "PyQt6", "moderngl"),
    "render": ("fictilis.formats", "fictilis.app", "fictilis.cli", "PyQt6"),
    "demo": ("fictilis.app", "fictilis.cli", "fictilis.render", "PyQt6", "moderngl"),
    "app": ("fictilis.cli",),
}  # fmt: skip
HEAVY = ("scipy", "pygltflib", "pxr", "trimesh", "PIL")


def imports(path: Path, top_only: bool = False):
    tree = ast.parse(path.read_text())
    for node in tree.body if top_only else ast.walk(tree):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield node.module


@pytest.mark.parametrize("path", MODULES, ids=lambda p: str(p.relative_to(ROOT)))
def test_imports_point_one_way(path):
    part = path.relative_to(ROOT).parts[0]
    for name in imports(path):
        for banned in FORBIDDEN.get(part, ()):
            assert not (name == banned or name.startswith(banned + ".")), f"{path} imports {name}"


@pytest.mark.parametrize("path", MODULES, ids=lambda p: str(p.relative_to(ROOT)))
def test_heavy_packages_are_imported_when_first_used(path):
    for name in imports(path, top_only=True):
        assert name.split(".")[0] not in HEAVY, f"{path} imports {name} at its top"


def test_every_name_of_the_public_api_is_there():
    import fictilis

    for name in fictilis.__all__:
        assert getattr(fictilis, name) is not None
    with pytest.raises(AttributeError):
        fictilis.nothing_of_the_kind  # noqa: B018
