"""Rules of the code, checked by machine."""

import ast
from graphlib import TopologicalSorter
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent / "fictilis"
MODULES = sorted(ROOT.rglob("*.py"))
FORBIDDEN = {
    "core": ("fictilis.formats", "fictilis.render", "fictilis.app", "fictilis.cli", "fictilis.demo", "PyQt6", "moderngl",
             "msgspec.json", "msgspec.msgpack", "pygltflib", "PIL"),
    "formats": ("fictilis.render", "fictilis.app", "fictilis.cli", "PyQt6", "moderngl"),
    "render": ("fictilis.formats", "fictilis.app", "fictilis.cli", "PyQt6"),
    "demo": ("fictilis.app", "fictilis.cli", "fictilis.render", "PyQt6", "moderngl"),
    "pictures": ("fictilis.app", "fictilis.cli", "fictilis.demo", "PyQt6"),
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


def module_of(path: Path) -> str:
    parts = ("fictilis", *path.relative_to(ROOT).with_suffix("").parts)
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


def imported_modules(path: Path, known: set[str]):
    """Modules of our own that a module imports, those for types only among them."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            for alias in node.names:
                name = f"{node.module}.{alias.name}"
                yield name if name in known else node.module


def test_no_import_goes_round_in_a_circle_not_even_for_types():
    known = {module_of(path) for path in MODULES}
    graph = {module_of(p): {m for m in imported_modules(p, known) if m in known} - {module_of(p)} for p in MODULES}
    sorter = TopologicalSorter(graph)
    sorter.prepare()  # raises CycleError, which names the circle


WINGS = ("model", "widgets", "commands", "view", "lanes", "targets", "side")
MAY = {
    "model": (), "widgets": ("model",), "commands": ("model", "view", "lanes"), "view": ("model", "widgets", "commands"),
    "lanes": ("model", "widgets", "commands"), "targets": ("model", "widgets", "commands", "view"),
    "side": ("model", "widgets", "commands", "view"),
}  # fmt: skip


@pytest.mark.parametrize("wing", WINGS)
def test_a_wing_of_the_app_knows_no_window_and_only_its_neighbours(wing):
    for path in (ROOT / "app" / wing).rglob("*.py"):
        for name in imports(path):
            parts = name.split(".")
            if parts[:2] == ["fictilis", "app"] and len(parts) > 2:
                assert parts[2] in (wing, *MAY[wing]), f"{path} imports {name}"


@pytest.mark.parametrize("path", MODULES, ids=lambda p: str(p.relative_to(ROOT)))
def test_files_and_functions_stay_of_a_size_to_be_read(path):
    text = path.read_text()
    assert len(text.splitlines()) <= 450
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.FunctionDef):
            assert node.end_lineno - node.lineno < 60, f"{node.name} has {node.end_lineno - node.lineno + 1} lines"


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
