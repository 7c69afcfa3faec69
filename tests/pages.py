"""The commands of a page of the docs, run as they stand there."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

__all__ = ["run_page"]


def run_page(name: str, folder: Path) -> int:
    """Run a page's commands in a folder; each must say what the page says. Return how many there are."""
    program = folder / "bin" / "wetcomb"
    program.parent.mkdir()
    program.write_text(f'#!/bin/sh\nexec "{sys.executable}" -m wetcomb "$@"\n', encoding="utf-8")
    program.chmod(0o755)
    settings = {**os.environ, "PATH": f"{program.parent}{os.pathsep}{os.environ['PATH']}", "COLUMNS": "200"}  # fmt: skip
    page = (Path(__file__).parents[1] / "docs" / name).read_text(encoding="utf-8")
    blocks = re.findall(r"```console\n(.*?)```", page, re.S)
    commands = [part for block in blocks for part in re.split(r"^\$ ", block, flags=re.M)[1:]]
    for command, _, wanted in (part.partition("\n") for part in commands):
        run = subprocess.run(["sh", "-c", command], cwd=folder, env=settings, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, check=False)  # fmt: skip
        assert run.stdout.decode() == wanted, command
    return len(commands)
