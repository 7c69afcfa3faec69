"""The real program, in a folder of its own."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import Any

__all__ = ["wetcomb"]

_SECONDS = 120
_MOST_GIVEN = 1 << 15  # bytes of standard input that a pipe holds on every system


def wetcomb(
    folder: Path, *words: str, given: bytes | None = None, columns: int = 100, **settings: Any
) -> subprocess.CompletedProcess[bytes]:
    """Run wetcomb in a folder; standard input is `given`, or empty; a screen has so many columns.

    Where processes fork, it is one that has loaded the program already.
    """
    environment = {**os.environ, "PYTHONIOENCODING": "utf-8", "COLUMNS": str(columns)}
    can_fork = hasattr(os, "fork") and sys.platform == "linux"
    if can_fork and not settings and len(given or b"") <= _MOST_GIVEN:
        return _fork(folder, [*map(os.fspath, words)], given or b"", environment)
    return subprocess.run(
        [sys.executable, "-m", "wetcomb", *words],
        cwd=folder,
        input=given or b"",
        capture_output=True,
        env=environment,
        timeout=_SECONDS,
        check=False,
        **settings,
    )


@cache
def _open_nursery() -> subprocess.Popen[str]:
    script = str(Path(__file__).with_name("nursery.py"))
    pipes = {"stdin": subprocess.PIPE, "stdout": subprocess.PIPE, "text": True}
    return subprocess.Popen([sys.executable, script], **pipes)  # type: ignore[call-overload, no-any-return]


def _fork(
    folder: Path, words: Sequence[str], given: bytes, environment: dict[str, str]
) -> subprocess.CompletedProcess[bytes]:
    nursery = _open_nursery()
    assert nursery.stdin is not None and nursery.stdout is not None
    with tempfile.TemporaryDirectory() as place:
        out, err = f"{place}/out", f"{place}/err"
        asked = {
            "folder": str(folder), "words": [*words], "given": given.decode("latin-1"), "out": out,
            "err": err, "environment": environment, "seconds": _SECONDS,
        }  # fmt: skip
        nursery.stdin.write(json.dumps(asked) + "\n")
        nursery.stdin.flush()
        status = int(nursery.stdout.readline())
        streams = Path(out).read_bytes(), Path(err).read_bytes()
        return subprocess.CompletedProcess(["wetcomb", *words], status, *streams)
