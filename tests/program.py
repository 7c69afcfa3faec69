"""The real program, in a folder of its own."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path
from typing import Any

__all__ = ["wetcomb"]


def wetcomb(
    folder: Path, *words: str, given: bytes | None = None, columns: int = 100, **settings: Any
) -> subprocess.CompletedProcess[bytes]:
    """Run wetcomb in a folder; standard input is `given`, or empty; a screen has so many columns."""
    environment = {**os.environ, "PYTHONIOENCODING": "utf-8", "COLUMNS": str(columns)}
    return subprocess.run(
        [sys.executable, "-m", "wetcomb", *words],
        cwd=folder,
        input=given or b"",
        capture_output=True,
        env=environment,
        timeout=120,
        check=False,
        **settings,
    )
