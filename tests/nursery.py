"""A process that has loaded the program and forks for each run: tests need not load it again.

Each line of standard input asks for a run, as JSON; each line of standard output is its exit status.
What runs is the program's own `run`, with standard streams, folder and environment of its own.
"""

from __future__ import annotations

import importlib
import io
import json
import os
import pkgutil
import signal
import sys
from contextlib import suppress
from typing import Any, NoReturn

import wetcomb
from wetcomb.__main__ import run


def _become(asked: dict[str, Any]) -> NoReturn:
    """Run the program in this process, as if it had been started so."""
    signal.signal(signal.SIGINT, signal.default_int_handler)
    signal.alarm(asked["seconds"])
    os.chdir(asked["folder"])
    os.environ.clear()
    os.environ.update(asked["environment"])
    given, write = os.pipe()
    os.write(write, asked["given"].encode("latin-1"))
    os.close(write)
    os.dup2(given, 0)
    for number, path in ((1, asked["out"]), (2, asked["err"])):
        os.dup2(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC), number)
    sys.stdin = io.TextIOWrapper(io.FileIO(0, closefd=False), encoding="utf-8")
    sys.stdout = io.TextIOWrapper(io.BufferedWriter(io.FileIO(1, "w", closefd=False)), encoding="utf-8")  # fmt: skip
    sys.stderr = io.TextIOWrapper(io.BufferedWriter(io.FileIO(2, "w", closefd=False)), encoding="utf-8", errors="backslashreplace", write_through=True)  # fmt: skip
    sys.argv = ["wetcomb", *asked["words"]]
    status = 1
    try:
        run()
    except SystemExit as left:
        status = left.code if isinstance(left.code, int) else int(left.code is not None)
    except BaseException:
        sys.excepthook(*sys.exc_info())
    with suppress(Exception):
        sys.stdout.flush()
        sys.stderr.flush()
    os._exit(status)


def main() -> None:
    """Serve runs until nobody asks any more."""
    for module in pkgutil.walk_packages(wetcomb.__path__, "wetcomb."):
        with suppress(ImportError):
            importlib.import_module(module.name)
    answers = os.fdopen(os.dup(1), "w", encoding="utf-8")
    for line in sys.stdin:
        asked = json.loads(line)
        child = os.fork()
        if not child:
            _become(asked)
        _, status = os.waitpid(child, 0)
        answers.write(f"{os.waitstatus_to_exitcode(status)}\n")
        answers.flush()


if __name__ == "__main__":
    main()
