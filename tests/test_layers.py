"""The layers hold: imports run downwards only, and help does not wait for NumPy."""

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

#: What each layer may import beside itself.
BELOW = {
    "core": set(),
    "match": {"core"},
    "steps": {"core", "match"},
    "combs": {"core", "match", "steps"},
    "drafts": {"core", "match", "steps", "combs"},
    "files": {"core"},
    "views": {"core"},
    "cli": {"core", "match", "steps", "combs", "drafts", "files", "views"},
}
#: Modules that belong to a step.
_SPLIT = "split splitter places page_edges headings regroup column_splitter outline wrapped groups columns settling stacked blank_edges"
_REALIGN = "realign realigner readings profiles laid_pieces found move_words tried"
STEP_OF = dict.fromkeys(_SPLIT.split(), "split") | dict.fromkeys(_REALIGN.split(), "realign")
STEP_OF |= {"unwrapper": "unwrap", "washer": "wash"}
FILES = sorted(path for layer in BELOW for path in (ROOT / layer).glob("*.py"))


def list_imports(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found |= {name.name for name in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            assert node.level == 0, "imports are absolute"
            found.add(node.module)
            found |= {f"{node.module}.{name.name}" for name in node.names}
    return found


@pytest.mark.parametrize("path", FILES, ids=lambda path: f"{path.parent.name}/{path.stem}")
def test_imports_run_downwards(path: Path) -> None:
    layer = path.parent.name
    imported = list_imports(path)
    layers = {name.split(".")[1] for name in imported if name.startswith("wetcomb.")}
    assert layers & set(BELOW) <= BELOW[layer] | {layer}
    if layer == "steps":
        own = {name.split(".")[2] for name in imported if name.startswith("wetcomb.steps.")}
        homes = {STEP_OF.get(stem, stem) for stem in own - {"step"}}
        assert homes <= {STEP_OF.get(path.stem, path.stem)}, "no step imports another"
    if layer not in ("files", "views", "cli"):
        assert not imported & {"argparse", "rich", "sys", "os", "time", "datetime", "csv", "json"}
        assert not re.search(r"(?<![\w.])(print|open|input)\(", path.read_text(encoding="utf-8"))
    assert "pandas" not in imported or path.stem == "table"
    assert "csv" not in imported


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
