"""How many small faults in ``core`` the tests find: mutants, sampled by room.

    python benchmarks/mutants.py 100            so many mutants, by the lines of each room
    python benchmarks/mutants.py 50 decide      of one room

Which tests cover which line is found out first, by one run of all tests (``build/mutants``; delete
it to have it anew). A mutant changes one thing: a comparison, ``and`` to ``or``, a number by one, a
condition to its contrary, a word of a list left out. The tests that cover its line run on it, the
quickest first; it lives where all pass. Those that live are printed with their lines.
"""

import ast
import os
import random
import shutil
import sqlite3
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
CORE = ROOT / "src" / "tallcheck" / "core"
KEPT = ROOT / "build" / "mutants"
OF_TEXTS = ("test_docs", "test_rooms", "test_pictures", "test_naming", "test_hosts", "test_ssh")
"""Tests that look at sources and pictures, or at the clock: they say nothing of rules."""
TESTS_MOST, SECONDS_MOST = 60, 240
FLIPPED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq, ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip


def mutants_of(tree: ast.Module) -> Iterator[tuple[ast.AST, str]]:
    """Each place that can be changed, with what is changed there."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Compare):
            yield node, "comparison"
        elif isinstance(node, ast.BoolOp):
            yield node, "and to or, or to and"
        elif isinstance(node, ast.If | ast.IfExp | ast.While):
            yield node, "the contrary of a condition"
        elif isinstance(node, ast.Constant) and type(node.value) is int:
            yield node, "a number by one"
        elif isinstance(node, ast.Tuple | ast.Set) and _is_long_list(node.elts):
            yield node, "a word left out"


def _is_long_list(those: list[ast.expr]) -> bool:
    return len(those) > 2 and isinstance(those[0], ast.Constant)


def change(node: ast.AST) -> None:
    """Change one place of a tree."""
    if isinstance(node, ast.Compare):
        node.ops[0] = FLIPPED[type(node.ops[0])]()
    elif isinstance(node, ast.BoolOp):
        node.op = ast.Or() if isinstance(node.op, ast.And) else ast.And()
    elif isinstance(node, ast.If | ast.IfExp | ast.While):
        node.test = ast.UnaryOp(ast.Not(), node.test)
    elif isinstance(node, ast.Constant):
        assert isinstance(node.value, int)
        node.value += 1
    elif isinstance(node, ast.Tuple | ast.Set):
        node.elts.pop()


def covering() -> dict[tuple[str, int], set[str]]:
    """The tests that run each line, by file and line."""
    data = KEPT / "coverage"
    if not data.exists():
        KEPT.mkdir(parents=True, exist_ok=True)
        environment = os.environ | {"COVERAGE_FILE": str(data)}
        subprocess.run(
            [sys.executable, "-m", "pytest", "-q", "-n", "2", "--cov=tallcheck", "--cov-report=",
             "--cov-context=test", "tests"], cwd=ROOT, env=environment, check=False,
        )  # fmt: skip
    found: dict[tuple[str, int], set[str]] = {}
    with sqlite3.connect(data) as base:
        rows = base.execute(
            "select path, context, numbits from line_bits join file on file.id = file_id "
            "join context on context.id = context_id where context != ''"
        )
        for path, test, bits in rows:
            name = test.partition("|")[0]
            if any(word in name for word in OF_TEXTS):
                continue
            for at, byte in enumerate(bits):
                for bit in range(8) if byte else ():
                    if byte >> bit & 1:
                        found.setdefault((path, at * 8 + bit), set()).add(name)
    return found


def lives(path: Path, mutant: str, tests: list[str], tree: Path) -> bool:
    """Whether all tests pass on a changed copy of the sources."""
    place = tree / path.relative_to(ROOT)
    whole = place.read_text(encoding="utf-8")
    place.write_text(mutant, encoding="utf-8")
    environment = os.environ | {"PYTHONPATH": str(tree / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    try:
        ran = subprocess.run(
            [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", "-p", "no:cov",
             *tests], cwd=ROOT, env=environment, capture_output=True, timeout=SECONDS_MOST,
            check=False,
        )  # fmt: skip
        return ran.returncode == 0
    except subprocess.TimeoutExpired:
        return False
    finally:
        place.write_text(whole, encoding="utf-8")


def main() -> None:
    """Sample, try, print those that live."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    room = sys.argv[2] if len(sys.argv) > 2 else ""
    covered = covering()
    rng = random.Random(int(os.environ.get("SEED", "1")))
    places = []
    for path in sorted((CORE / room).rglob("*.py")):
        tree = ast.parse(path.read_text(encoding="utf-8"))
        for number, (node, what) in enumerate(mutants_of(tree)):
            line = getattr(node, "lineno", 0)
            if covered.get((str(path), line)):
                places.append((path, number, line, what))
    alive = 0
    copy = KEPT / f"tree-{os.getpid()}"
    shutil.copytree(ROOT / "src", copy / "src", ignore=shutil.ignore_patterns("__pycache__"))
    chosen = rng.sample(places, min(count, len(places)))
    for path, number, line, what in chosen:
        tree = ast.parse(path.read_text(encoding="utf-8"))
        node = next(one for at, (one, _) in enumerate(mutants_of(tree)) if at == number)
        change(node)
        tests = sorted(covered[str(path), line])
        tests = rng.sample(tests, TESTS_MOST) if len(tests) > TESTS_MOST else tests
        if lives(path, ast.unparse(ast.fix_missing_locations(tree)), tests, copy):
            alive += 1
            source = path.read_text(encoding="utf-8").splitlines()[line - 1].strip()
            print(f"lives  {path.relative_to(CORE)}:{line}  {what}  | {source}", flush=True)
    shutil.rmtree(copy)
    print(f"{len(chosen)} mutants of {len(places)} places, {alive} live "
          f"({100 * alive / max(len(chosen), 1):.0f} %)")  # fmt: skip


if __name__ == "__main__":
    main()
