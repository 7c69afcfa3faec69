"""--options FILE: options read from a file, where no shell can get at their signs.

A line is an option and its value, parted by one blank; all behind it is the value, as it stands.
Blank lines and lines that begin with `#` say nothing.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from pathlib import Path

from wetcomb.core.errors import UsageError, find_nearest

__all__ = ["FLAG", "read_option_files"]

FLAG = "--options"


def read_option_files(words: Sequence[str], known: Collection[str]) -> list[str]:
    """Return the words of a command with those of its option files in their places.

    Parameters
    ----------
    known : the options that there are

    Raises
    ------
    UsageError : a file cannot be read, or a line of it is no option
    """
    found: list[str] = []
    rest = list(words)
    while rest:
        word = rest.pop(0)
        name, has_value, value = word.partition("=")
        if name != FLAG:
            found.append(word)
            continue
        if not has_value:
            if not rest:
                raise UsageError(f"{FLAG} needs a value: a file with an option a line")
            value = rest.pop(0)
        found += _read_file(Path(value), known)
    return found


def _read_file(path: Path, known: Collection[str]) -> list[str]:
    try:
        lines = path.read_text(encoding="utf-8-sig").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        reason = error.strerror if isinstance(error, OSError) else "it is not UTF-8 text"
        raise UsageError(f"{FLAG} {path}: cannot read this: {reason}") from error
    words = []
    for number, line in enumerate(lines, 1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        flag, _, value = line.lstrip().partition(" ")
        if flag not in known or flag == FLAG:
            near = (
                find_nearest(flag, tuple(known)) if flag != FLAG else "; such files hold no other"
            )
            raise UsageError(f"{path}:{number}: unknown option {flag!r}{near}")
        words.append(f"{flag}={value}" if value.strip() else flag)
    return words
