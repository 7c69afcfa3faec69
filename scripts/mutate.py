"""Change a module in one small place at a time, and see whether its tests notice.

python scripts/mutate.py src/wetcomb/steps/split/outline.py --tests tests/core/test_layouts.py
python scripts/mutate.py src/wetcomb/core/rewrite.py --tests tests/core --most 30 --seed 7
python scripts/mutate.py --charges

A change swaps a comparison, a sign or a truth, moves a number by one, or leaves a condition
out. It is made in a copy of the package; what is here is never touched. What survives is told,
with its line: a test is missing there, or the line is not needed.

With --charges every place where a step charges what it drops is changed twice, so that it
charges it double and not at all, and the cases of the tests are run by the program itself. It
must stop with its own fault each time; a place that no case reaches is told too.

Exit status: 0 all were noticed, 1 some were not.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
import tomllib
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).resolve().parent.parent
SOURCE = ROOT / "src" / "wetcomb"
CASES = ROOT / "tests" / "cases"
_SECONDS = 300

_COMPARED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq, ast.NotEq: ast.Eq, ast.In: ast.NotIn, ast.NotIn: ast.In,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
_COUNTED: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
    ast.Mult: ast.Add,
}  # fmt: skip

#: What charges double, and what charges nothing; they go into the copy's own ledger.
_HELPERS = """

def _charge_twice(charge):
    import numpy
    twice = [numpy.concatenate([part, part]) for part in (charge.starts, charge.ends)]
    return charge._replace(starts=twice[0], ends=twice[1])


def _charge_never(charge):
    return charge._replace(starts=charge.starts[:0], ends=charge.ends[:0])
"""


class Change(NamedTuple):
    """One small change: the line, what it was and is, and the whole text of the module with it."""

    line: int
    said: str
    text: str


def list_changes(path: Path) -> Iterator[Change]:
    """Yield every small change of a module."""
    text = path.read_text(encoding="utf-8")
    tree = ast.parse(text)
    annotations = {id(inner) for node in ast.walk(tree) for inner in _list_annotations(node)}
    for node in ast.walk(tree):
        if id(node) in annotations:
            continue
        for changed in _change_node(node):
            yield _write(text, node, changed)


def _list_annotations(node: ast.AST) -> Iterator[ast.AST]:
    for name in ("annotation", "returns"):
        inner = getattr(node, name, None)
        if inner is not None:
            yield from ast.walk(inner)


def _change_node(node: ast.AST) -> Iterator[ast.expr]:
    """Yield what may stand in the place of a part of the code."""
    if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in _COMPARED:
        yield ast.Compare(node.left, [_COMPARED[type(node.ops[0])]()], node.comparators)
    elif isinstance(node, ast.BoolOp):
        yield ast.BoolOp(ast.Or() if isinstance(node.op, ast.And) else ast.And(), node.values)
        yield from (node.values[0], node.values[-1])
    elif isinstance(node, ast.BinOp) and type(node.op) in _COUNTED:
        yield ast.BinOp(node.left, _COUNTED[type(node.op)](), node.right)
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not | ast.Invert):
        yield node.operand
    elif isinstance(node, ast.Constant) and isinstance(node.value, bool):
        yield ast.Constant(not node.value)
    elif isinstance(node, ast.Constant) and isinstance(node.value, int):
        yield ast.Constant(node.value + 1)
    elif isinstance(node, ast.Constant) and node.value in ("left", "right"):
        yield ast.Constant("left" if node.value == "right" else "right")
    elif isinstance(node, ast.IfExp):
        yield from (node.body, node.orelse)


def _write(text: str, node: ast.AST, changed: ast.expr) -> Change:
    """Return a text with one part of it written otherwise."""
    assert isinstance(node, ast.expr)
    assert node.end_lineno is not None and node.end_col_offset is not None
    lines = text.encode().splitlines(keepends=True)
    start = sum(map(len, lines[: node.lineno - 1])) + node.col_offset
    end = sum(map(len, lines[: node.end_lineno - 1])) + node.end_col_offset
    raw = text.encode()
    was, now = raw[start:end].decode(), f"({ast.unparse(changed)})"
    said = f"{' '.join(was.split())[:60]}  ->  {now[1:-1][:60]}"
    return Change(node.lineno, said, (raw[:start] + now.encode() + raw[end:]).decode())


def try_change(path: Path, change: Change, tests: Sequence[str]) -> bool:
    """Return whether the tests notice a change."""
    with tempfile.TemporaryDirectory(prefix="wetcomb-mutant-") as folder:
        copy = Path(folder) / "wetcomb"
        shutil.copytree(SOURCE, copy, ignore=shutil.ignore_patterns("__pycache__"))
        (copy / path.resolve().relative_to(SOURCE)).write_text(change.text, encoding="utf-8")
        environment = {**os.environ, "PYTHONPATH": folder, "PYTHONDONTWRITEBYTECODE": "1"}
        words = [sys.executable, "-m", "pytest", "-x", "-q", "-n", "0", "-p", "no:cacheprovider"]
        try:
            done = subprocess.run(
                [*words, *tests], cwd=ROOT, env=environment, capture_output=True,
                timeout=_SECONDS, check=False,
            )  # fmt: skip
        except subprocess.TimeoutExpired:
            return True
        return done.returncode != 0


def list_charges() -> Iterator[tuple[Path, Change]]:
    """Yield every place that charges what is dropped, charging double and not at all."""
    for path in sorted(SOURCE.rglob("*.py")):
        text = path.read_text(encoding="utf-8")
        for node in ast.walk(ast.parse(text)):
            is_charge = isinstance(node, ast.Call) and ast.unparse(node.func) == "Charge"
            if not is_charge:
                continue
            for name in ("_charge_twice", "_charge_never"):
                helper = ast.parse(f"__import__('wetcomb.core.ledger').core.ledger.{name}")
                call = ast.Call(helper.body[0].value, [node], [])  # type: ignore[attr-defined]
                change = _write(text, node, call)
                yield path, change._replace(said=f"{ast.unparse(node)[:70]}: {name[1:]}")


def try_charge(path: Path, change: Change) -> str:
    """Return `found` if the program stops at a wrong charge, `lost` if not, `unreached` if none comes up."""
    outcome = "unreached"
    with tempfile.TemporaryDirectory(prefix="wetcomb-mutant-") as folder:
        copy = Path(folder) / "wetcomb"
        shutil.copytree(SOURCE, copy, ignore=shutil.ignore_patterns("__pycache__"))
        ledger = copy / "core" / "ledger.py"
        (copy / path.relative_to(SOURCE)).write_text(change.text, encoding="utf-8")
        ledger.write_text(ledger.read_text(encoding="utf-8") + _HELPERS, encoding="utf-8")
        for case in sorted(CASES.glob("*/case.toml")):
            said, table = _run_case(case.parent, Path(folder))
            if "this is a fault of wetcomb, not of the text" in said:
                return "found"
            wanted = (case.parent / "expected.csv").read_bytes()
            account = tomllib.loads(case.read_text(encoding="utf-8"))["account"]
            if table != wanted or any(line not in said for line in account):
                outcome = "lost"
    return outcome


def _run_case(case: Path, folder: Path) -> tuple[str, bytes]:
    """Return what the copy says of a case, and the table it writes."""
    command, *words = tomllib.loads((case / "case.toml").read_text(encoding="utf-8"))["words"]
    (folder / "input.txt").write_bytes((case / "input.txt").read_bytes())
    out = folder / "out.csv"
    out.unlink(missing_ok=True)
    done = subprocess.run(
        [sys.executable, "-m", "wetcomb", command, "input.txt", *words, "-o", "out.csv"],
        cwd=folder, env={**os.environ, "PYTHONPATH": str(folder), "COLUMNS": "200"},
        capture_output=True, timeout=_SECONDS, check=False,
    )  # fmt: skip
    return done.stderr.decode(), out.read_bytes() if out.exists() else b""


def main() -> int:
    """Try the changes and tell of those that nothing noticed."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("modules", nargs="*", type=Path, help="the modules to change")
    parser.add_argument("--tests", nargs="+", default=["tests"], help="what is to notice it")
    parser.add_argument("--most", type=int, default=40, help="changes of a module, drawn at random")
    parser.add_argument("--seed", type=int, default=1, help="what they are drawn by")
    parser.add_argument("--jobs", type=int, default=os.cpu_count(), help="how many at once")
    parser.add_argument("--charges", action="store_true", help="change every charge")
    arguments = parser.parse_args()
    with ThreadPoolExecutor(arguments.jobs) as pool:
        if arguments.charges:
            return _try_charges(pool)
        n_survived = sum(_try_module(path, arguments, pool) for path in arguments.modules)
    return int(n_survived > 0)


def _try_module(path: Path, arguments: argparse.Namespace, pool: ThreadPoolExecutor) -> int:
    """Return how many changes of a module nothing noticed."""
    same = Change(0, "", path.read_text(encoding="utf-8"))
    if try_change(path, same, arguments.tests):
        raise SystemExit(f"{path}: the tests fail, or take too long, without any change")
    changes = list(list_changes(path))
    if len(changes) > arguments.most:
        changes = random.Random(arguments.seed).sample(changes, arguments.most)
    changes.sort(key=lambda change: change.line)
    found = list(pool.map(lambda change: try_change(path, change, arguments.tests), changes))
    for change, is_found in zip(changes, found, strict=True):
        if not is_found:
            print(f"{path}:{change.line}: survived: {change.said}", flush=True)
    print(f"{path}: {sum(found)} of {len(changes)} changes noticed", flush=True)
    return len(changes) - sum(found)


def _try_charges(pool: ThreadPoolExecutor) -> int:
    """Return the exit status: whether the program stopped at each wrong charge."""
    tried = list(list_charges())
    outcomes = list(pool.map(lambda one: try_charge(*one), tried))
    for (path, change), outcome in zip(tried, outcomes, strict=True):
        if outcome != "found":
            print(f"{path.relative_to(ROOT)}:{change.line}: {outcome}: {change.said}")
    n_found = outcomes.count("found")
    print(f"{n_found} of {len(outcomes)} wrong charges were found by the program itself")
    return int(n_found < len(outcomes))


if __name__ == "__main__":
    sys.exit(main())
