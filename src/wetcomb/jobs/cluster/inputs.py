"""Which texts a run is over: paths, patterns of paths, or a file that lists them."""

from __future__ import annotations

import glob
from collections.abc import Iterator, Sequence
from pathlib import Path

from wetcomb.core.errors import InputError, UsageError, find_nearest
from wetcomb.jobs.cluster.recipe import TextAt

__all__ = ["list_texts", "read_list"]

_SIGNS = frozenset("*?[")


def read_list(path: Path) -> list[str]:
    """Return the paths that a file lists, one a line; blank lines and those that begin with # are none.

    Raises
    ------
    UsageError : it cannot be read, or lists nothing
    """
    try:
        lines = path.read_text(encoding="utf-8-sig").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        why = error.strerror if isinstance(error, OSError) else "it is no UTF-8 text"
        raise UsageError(f"--inputs-from {path}: {why}") from error
    found = [line.strip() for line in lines if line.strip() and not line.startswith("#")]
    if not found:
        raise UsageError(f"--inputs-from {path}: it lists no path; name one a line")
    return found


def list_texts(names: Sequence[str]) -> list[TextAt]:
    """Return the texts that are named, each pattern's in the order of their names.

    Raises
    ------
    UsageError : a pattern names none, a text is named twice, or it is standard input
    InputError : there is no such file
    """
    found: dict[str, TextAt] = {}
    for name in names:
        for one in _expand(name):
            path = Path(one)
            try:
                seen = path.stat()
            except OSError as error:
                known = [entry.name for entry in path.parent.iterdir()] if path.parent.is_dir() else []  # fmt: skip
                raise InputError(f"no such file{find_nearest(path.name, known)}", source=one) from error  # fmt: skip
            if path.is_dir():
                raise InputError(f"this is a folder; name its files ({one}/*)", source=one)
            if not path.is_file():
                raise InputError("this is no plain file, and workers open a text more than once", source=one)  # fmt: skip
            where = str(path.absolute())
            if where in found:
                raise UsageError(f"input {one!r} is named twice")
            found[where] = TextAt(one, where, seen.st_size, seen.st_mtime_ns)
    return list(found.values())


def _expand(name: str) -> Iterator[str]:
    if name == "-":
        raise UsageError("standard input is one text that only this machine sees; name files")
    if not _SIGNS & set(name) or Path(name).exists():
        yield name
        return
    paths = glob.iglob(name, recursive=True)  # noqa: PTH207 - a pattern may begin at the root
    found = sorted(path for path in paths if not Path(path).is_dir())
    if not found:
        raise UsageError(f"{name}: no file has a name like this")
    yield from found
