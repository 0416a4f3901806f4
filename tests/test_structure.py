"""Rules of the code, checked by machine."""

import ast
from graphlib import TopologicalSorter
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent / "fictilis"
MODULES = sorted(ROOT.rglob("*.py"))
TEXTS = {path: path.read_text() for path in MODULES}
TREES = {path: ast.parse(text) for path, text in TEXTS.items()}
ROOMS = {  # of the core: what each may import of the others, besides those that these may
    "ground": (), "animation": ("ground",), "geometry": ("animation",), "scene": ("geometry",), "rig": ("scene",),
    "mix": ("rig",), "at_frame": ("mix",), "shaping": ("mix",), "rehearsal": ("shaping",),
    "validity": ("at_frame", "rehearsal"),
    "edits": ("validity",), "checks": ("edits",), "operations": ("checks",),
}  # fmt: skip
WINGS = {  # of the application: which others each may import
    "model": (), "widgets": ("model",), "commands": ("model", "widgets", "view", "lanes"),
    "view": ("model", "widgets", "commands"), "lanes": ("model", "widgets", "commands"),
    "targets": ("model", "widgets", "commands", "view"), "side": ("model", "widgets", "commands", "view"),
    "cues": ("model", "widgets", "commands"),
}  # fmt: skip
FORBIDDEN = {
    "core": ("fictilis.formats", "fictilis.render", "fictilis.app", "fictilis.cli", "fictilis.demo", "fictilis.pictures",
             "PyQt6", "moderngl", "msgspec.json", "msgspec.msgpack", "pygltflib", "PIL"),
    "formats": ("fictilis.render", "fictilis.app", "fictilis.cli", "fictilis.pictures", "PyQt6", "moderngl"),
    "render": ("fictilis.formats", "fictilis.app", "fictilis.cli", "fictilis.pictures", "PyQt6"),
    "demo": ("fictilis.app", "fictilis.cli", "fictilis.render", "PyQt6", "moderngl"),
    "pictures": ("fictilis.app", "fictilis.cli", "fictilis.demo", "PyQt6"),
    "app": ("fictilis.cli",),
    "cli": ("PyQt6", "moderngl"),
}  # fmt: skip
HEAVY = ("scipy", "pygltflib", "pxr", "trimesh", "PIL")


def module_of(path: Path) -> str:
    parts = ("fictilis", *path.relative_to(ROOT).with_suffix("").parts)
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


KNOWN = {module_of(path): path for path in MODULES}


def imports(path: Path, top_only: bool = False):
    """What a module imports: modules of our own and of others, those for types only among them."""
    tree = TREES[path]
    for node in tree.body if top_only else ast.walk(tree):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            for alias in node.names:
                name = f"{node.module}.{alias.name}"
                yield name if name in KNOWN else node.module


IMPORTS = {path: frozenset(imports(path)) for path in MODULES}


def test_imports_point_one_way():
    for path, name in ((p, name) for p in MODULES for name in IMPORTS[p]):
        for banned in FORBIDDEN.get(path.relative_to(ROOT).parts[0], ()):
            assert not (name == banned or name.startswith(banned + ".")), f"{path} imports {name}"


def allowed(table: dict[str, tuple[str, ...]], room: str) -> set[str]:
    out, waiting = {room}, [*table[room]]
    while waiting:
        part = waiting.pop()
        if part not in out:
            out.add(part)
            waiting += table[part]
    return out


@pytest.mark.parametrize("wing", ["core", "app"])
def test_a_room_knows_only_those_below_it(wing):
    """Of the application no room knows the window."""
    table = {"core": ROOMS, "app": WINGS}[wing]
    folders = {p.name for p in (ROOT / wing).iterdir() if (p / "__init__.py").exists()}
    assert folders == table.keys(), "a folder that the table does not know"
    for room in table:
        may = allowed(ROOMS, room) if wing == "core" else {room, *WINGS[room]}
        for path in (ROOT / wing / room).rglob("*.py"):
            for name in IMPORTS[path]:
                parts = name.split(".")
                if parts[:2] == ["fictilis", wing] and len(parts) > 2:
                    assert parts[2] in may, f"{path.relative_to(ROOT)} imports {name}"
    if wing == "core":
        assert not [p.name for p in (ROOT / "core").glob("*.py") if p.name != "__init__.py"], "every module has its room"


STAGES = {"mixed_points", "DeltaBank", "After", "run_of", "Run", "deformed", "deform", "palette", "blended", "through"}


def test_only_at_frame_calls_the_stages():
    ours = ("fictilis.core.at_frame", "fictilis.core.mix")
    for path in [p for p in MODULES if p.parent.name != "at_frame"]:
        for node in ast.walk(TREES[path]):
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith(ours):
                names = {alias.name for alias in node.names} & STAGES
                assert not names, f"{path.relative_to(ROOT)} calls {', '.join(names)}"


def test_no_two_modules_of_a_room_have_one_name():
    for folder in [*(ROOT / "core").iterdir(), *(ROOT / "app").iterdir(), *(p for p in ROOT.iterdir() if p.name != "app")]:
        if folder.is_dir() and folder.name != "core":
            names = [p.stem for p in folder.rglob("*.py") if p.stem != "__init__"]
            assert len(names) == len(set(names)), f"{folder}: {sorted(n for n in set(names) if names.count(n) > 1)}"


NEVER = {"core": {"moderngl", "PyQt6"}, "formats": {"moderngl", "PyQt6"}, "demo": {"moderngl", "PyQt6"}, "render": {"PyQt6"},
         "pictures": {"PyQt6"}}  # fmt: skip


@pytest.mark.parametrize("wing", NEVER)
def test_no_import_leads_further_to_what_a_part_must_do_without(wing):
    waiting = [path for path in MODULES if path.relative_to(ROOT).parts[0] == wing]
    seen = set(waiting)
    while waiting:
        path = waiting.pop()
        for name in IMPORTS[path]:
            assert name.split(".")[0] not in NEVER[wing], f"{wing} comes to {name} by {path.relative_to(ROOT)}"
            if name in KNOWN and KNOWN[name] not in seen:
                seen.add(KNOWN[name])
                waiting.append(KNOWN[name])


def test_no_import_goes_round_in_a_circle_not_even_for_types():
    graph = {module_of(p): {m for m in IMPORTS[p] if m in KNOWN} - {module_of(p)} for p in MODULES}
    sorter = TopologicalSorter(graph)
    sorter.prepare()  # raises CycleError, which names the circle


def test_files_and_functions_stay_of_a_size_to_be_read():
    for path in MODULES:
        count = len(TEXTS[path].splitlines())
        assert count <= 450, f"{path} has {count} lines"
        for node in ast.walk(TREES[path]):
            if isinstance(node, ast.FunctionDef):
                count = node.end_lineno - node.lineno + 1
                assert count <= 60, f"{node.name} in {path} has {count} lines"


def test_heavy_packages_are_imported_when_first_used():
    for path in MODULES:
        for name in imports(path, top_only=True):
            assert name.split(".")[0] not in HEAVY, f"{path} imports {name} at its top"


def test_every_name_of_the_public_api_is_there():
    import fictilis

    for name in fictilis.__all__:
        assert getattr(fictilis, name) is not None
    with pytest.raises(AttributeError):
        fictilis.nothing_of_the_kind  # noqa: B018


def test_test_modules_do_not_import_one_another():
    """What several use stands in a module of its own."""
    for path in (ROOT.parent / "tests").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            names = [node.module or "", *(a.name for a in node.names)] if isinstance(node, ast.ImportFrom) else []
            found = [n for n in names if n.startswith("tests.") and ".test_" in n or n.startswith("test_")]
            assert not found or (node.module or "").split(".")[0] != "tests", f"{path.name} imports {found[0]}"
