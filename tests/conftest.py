"""Makes the helpers beside the tests importable, and the program quick to start."""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

# The program is started some hundred times: it is compiled once, wherever nothing else is said.
if "PYTEST_XDIST_WORKER" not in os.environ:  # those that share the tests share this too
    _compiled = tempfile.TemporaryDirectory(prefix="wetcomb-compiled-")
    os.environ["PYTHONPYCACHEPREFIX"] = _compiled.name
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
