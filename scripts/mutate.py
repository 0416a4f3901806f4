"""Puts faults into the core and the formats, one at a time, and says which of them no test notices.

    python -m scripts.mutate [--count N] [--seed N] [--only core/animation]

Faults come from cosmic-ray's operators, a sample of them by a seed. Each is put into a copy of the tree, and only the tests
that ran the changed line are run, so the first pass notes which test runs which line.
"""

from __future__ import annotations

import argparse
import os
import random
import shutil
import sqlite3
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from cosmic_ray import plugins
from cosmic_ray.commands.init import _all_work_items
from cosmic_ray.mutating import mutate_code
from cosmic_ray.work_item import MutationSpec
from coverage.numbits import numbits_to_nums

ROOT = Path(__file__).parents[1]
PARTS = ("core", "formats")
TESTS = ("tests/core", "tests/formats", "tests/reference", "tests/test_cli.py")
QUIET = ("NumberReplacer",)  # a tolerance a little wider is no fault
MOST_TESTS = 60
# faults after which everything is as before, by operator and a part of the line
SAME = (
    ("USub_Invert", "reshape("),  # every negative number stands for the rest
    ("IsNot_Eq", " is not "), ("IsNot_NotEq", " is not "), ("Is_Eq", " is "),  # values that have no equality but identity
    ("GtE_NotEq", 'parts[:, 3].max(initial=0.0) >= 1'),  # rounded up to one in any case
    ("Mod_Pow", "number % self._every"), ("Is_IsNot", "self.obj.base is obj.base"),  # what is kept, to be quick
    ("NotEq_Gt", "then.kind != BACK"),  # of three words, the first in order
)  # fmt: skip
PATIENCE = 240  # s


def faults(tree: Path, only: str) -> list[MutationSpec]:
    """Every fault that could be put in, but for those in annotations and of quiet operators."""
    modules = [p for part in PARTS for p in sorted((tree / "fictilis" / part).rglob("*.py")) if only in str(p)]
    rows = [item.mutations[0] for item in _all_work_items(modules, {})]
    return [row for row in rows if not row.operator_name.split("/")[-1].startswith(QUIET) and not _is_type(row)]


def _is_type(row: MutationSpec) -> bool:
    """Whether a fault only changes an annotation: ``X | None`` is no sum."""
    line = Path(row.module_path).read_text().splitlines()[row.start_pos[0] - 1]
    return "BinaryOperator_BitOr" in row.operator_name and ("None" in line or "np.ndarray" in line or "->" in line)


def coverage_of(tree: Path) -> dict[tuple[str, int], list[str]]:
    """Which tests run which line, by file (from the root) and line."""
    place = tree / "coverage"
    subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-n", "2", "-p", "no:randomly", "--cov", "fictilis", "--cov-context", "test",
         "--cov-report=", *TESTS], cwd=tree, env={**os.environ, "COVERAGE_FILE": str(place), "PYTHONPATH": str(tree)},
        check=False, stdout=subprocess.DEVNULL,
    )  # fmt: skip
    out: dict[tuple[str, int], list[str]] = {}
    rows = sqlite3.connect(place).execute(
        "select path, context, numbits from line_bits join file on file.id = file_id join context on context.id = context_id"
    )
    for path, context, bits in rows:
        if context:
            for line in numbits_to_nums(bits):
                out.setdefault((str(Path(path).relative_to(tree)), line), []).append(context.split("|")[0])
    return out


def sample(rows: list[MutationSpec], count: int, seed: int) -> Iterator[MutationSpec]:
    random.Random(seed).shuffle(rows)
    yield from rows[:count]


@contextmanager
def put_in(row: MutationSpec) -> Iterator[bool]:
    """The fault in its file meanwhile; False where there is nothing to change."""
    where = Path(row.module_path)
    whole = where.read_text()
    changed = mutate_code(whole, plugins.get_operator(row.operator_name)(**row.operator_args), row.occurrence)
    try:
        if changed is not None:
            where.write_text(changed)
        yield changed is not None and changed != whole
    finally:
        where.write_text(whole)


def run(tree: Path, *words: str) -> bool:
    """Whether Python ends well, in time."""
    try:
        return subprocess.run(
            [sys.executable, *words], cwd=tree, env={**os.environ, "PYTHONPATH": str(tree)}, timeout=PATIENCE, check=False,
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        ).returncode == 0  # fmt: skip
    except subprocess.TimeoutExpired:
        return False


def imports(row: MutationSpec, tree: Path) -> bool:
    """Whether a module with a fault can be imported still: what runs as it is imported runs in no test of its own."""
    name = ".".join(Path(row.module_path).relative_to(tree).with_suffix("").parts)
    with put_in(row) as changed:
        return not changed or run(tree, "-c", f"import {name}")


def survives(row: MutationSpec, tree: Path, tests: list[str]) -> bool:
    """Whether all ``tests`` pass with the fault in ``tree``, a copy of the package."""
    with put_in(row) as changed:
        return changed and run(tree, "-m", "pytest", "-q", "-x", "-p", "no:randomly", "-p", "no:cacheprovider", *tests)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--count", type=int, default=100)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", default="")
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        tree = Path(folder) / "tree"
        shutil.copytree(ROOT, tree, ignore=shutil.ignore_patterns(".git", ".venv", "__pycache__", ".hypothesis"))
        lines = coverage_of(tree)
        tried = left = unseen = same = 0
        for row in sample(faults(tree, options.only), options.count, options.seed):
            name, line = str(Path(row.module_path).relative_to(tree)), row.start_pos[0]
            tests = sorted(set(lines.get((name, line), [])))
            text = Path(row.module_path).read_text().splitlines()[line - 1].strip()
            if any(row.operator_name.endswith(operator) and part in text for operator, part in SAME):
                same += 1
                continue
            if not tests and not imports(row, tree):
                tried += 1
                continue
            if not tests:
                unseen += 1
            random.Random(options.seed).shuffle(tests)
            tried += 1
            if not tests or survives(row, tree, tests[:MOST_TESTS]):
                left += 1
                print(f"{name}:{line}: {row.operator_name.split('/')[-1]}, {len(tests)} tests: {text}", flush=True)
        share = f"{100 * left / max(tried, 1):.0f} %"
        print(
            f"{left} of {tried} faults went unnoticed ({share}), {unseen} of them on lines that no test runs; "
            f"{same} more change nothing."
        )


if __name__ == "__main__":
    main()
