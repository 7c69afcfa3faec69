"""The layers hold: imports run downwards only, in no circle, and help does not wait for NumPy."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from pathlib import Path

import pytest

import wetcomb

ROOT = Path(wetcomb.__file__).parent
DOCS = Path(__file__).parent.parent / "docs"

#: The layers from the lowest up; views and files see the core only.
LAYERS = ("core", "match", "steps", "combs", "drafts", "files", "views", "jobs", "cli")
BELOW = {layer: set(LAYERS[:place]) for place, layer in enumerate(LAYERS)}
BELOW |= {"files": {"core"}, "views": {"core"}}
FILES = sorted(path for layer in LAYERS for path in (ROOT / layer).rglob("*.py"))
LOWEST = LAYERS[: LAYERS.index("files")]


def name_module(path: Path) -> str:
    parts = path.relative_to(ROOT.parent).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


MODULES = {name_module(path): path for path in FILES}


def list_imports(path: Path) -> set[str]:
    """Return what a file imports anywhere in it, but for what only a type checker reads."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    typed = {
        inner
        for node in ast.walk(tree)
        if isinstance(node, ast.If) and ast.unparse(node.test) == "TYPE_CHECKING"
        for inner in ast.walk(node)
    }
    found = set()
    for node in ast.walk(tree):
        if node in typed:
            continue
        if isinstance(node, ast.Import):
            found |= {name.name for name in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            assert node.level == 0, "imports are absolute"
            found.add(node.module)
            found |= {f"{node.module}.{name.name}" for name in node.names}
    return found


@pytest.mark.parametrize("path", FILES, ids=lambda path: name_module(path))
def test_imports_run_downwards(path: Path) -> None:
    layer, *inner = path.relative_to(ROOT).parts
    imported = list_imports(path)
    layers = {name.split(".")[1] for name in imported if name.startswith("wetcomb.")}
    assert layers & set(LAYERS) <= BELOW[layer] | {layer}
    if layer == "steps" and len(inner) > 1:
        steps = {name.split(".")[2] for name in imported if name.startswith("wetcomb.steps.")}
        assert steps <= {"step", inner[0]}, "no step imports another"
    if layer in LOWEST:
        assert not imported & {"argparse", "rich", "sys", "os", "time", "datetime", "csv", "json"}
        assert not re.search(r"(?<![\w.])(print|open|input)\(", path.read_text(encoding="utf-8"))
    assert "argparse" not in imported or layer == "cli"
    assert "pandas" not in imported or path.stem == "table"
    assert "csv" not in imported


def test_no_module_imports_itself_by_way_of_others() -> None:
    arrows = {
        name: {one for one in list_imports(path) if one in MODULES and one != name}
        for name, path in MODULES.items()
        if path.name != "__init__.py"  # it only says again what its modules say
    }
    while leaves := [name for name, others in arrows.items() if not others & arrows.keys()]:
        for name in leaves:
            del arrows[name]
    assert not arrows, f"these import each other: {sorted(arrows)}"


def test_no_module_is_long() -> None:
    lengths = {
        name_module(path): len(path.read_text(encoding="utf-8").splitlines()) for path in FILES
    }
    assert {name: n for name, n in lengths.items() if n > 400} == {}


@pytest.mark.parametrize(
    "words", [["--version"], ["--help"], ["split", "--help"], ["completion", "bash"]]
)
def test_help_loads_neither_numpy_nor_rich(words: list[str]) -> None:
    code = (
        "import sys\nfrom wetcomb.cli.main import main\n"
        f"try:\n    main({words!r})\nexcept SystemExit as end:\n    assert not end.code\n"
        "assert not {'numpy', 'rich'} & set(sys.modules), 'loaded too early'\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, check=False)
    assert done.returncode == 0, done.stderr
    assert done.stdout


def test_pages_say_what_the_tool_does() -> None:
    """Tables of facts, the drafted comb and every example of a cut are what the tool gives now."""
    script = DOCS.parent / "scripts" / "make_pages.py"
    done = subprocess.run(
        [sys.executable, str(script), "--check"], capture_output=True, check=False
    )
    assert done.returncode == 0, done.stderr.decode()


def test_the_example_in_the_docstring_holds() -> None:
    import doctest

    assert doctest.testmod(wetcomb).failed == 0
