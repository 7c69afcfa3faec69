"""What can go wrong, and where.

Everything a person can mend is a `WetCombError`: the shell shows it in one line
and exits with 2. A promise of the tool's own that does not hold (the ledger, an
invariant) is a `BrokenPromise`, deliberately outside that family, so that no
handler for bad input can swallow it.
"""

from __future__ import annotations

from collections.abc import Iterable

__all__ = [
    "BrokenPromise",
    "CombError",
    "InputError",
    "OutputError",
    "UsageError",
    "WetCombError",
    "find_nearest",
]


class WetCombError(Exception):
    """Something a person can mend; its text says what, where and how."""


class UsageError(WetCombError):
    """An option or argument that cannot be taken."""


class CombError(WetCombError):
    """A comb file that cannot be used; names the file and the line."""


class InputError(WetCombError):
    """A source that cannot be read as records.

    Parameters
    ----------
    message : what is wrong and what to do
    source : name of the file or stream, where known
    line, column : counted from 1, where known
    """

    def __init__(
        self, message: str, *, source: str = "", line: int | None = None, column: int | None = None
    ) -> None:
        place = ":".join([source] * bool(source) + [str(n) for n in (line, column) if n])
        super().__init__(f"{place}: {message}" if place else message)
        self.message, self.source, self.line, self.column = message, source, line, column


class OutputError(WetCombError):
    """An output that cannot be written; nothing was left half-written."""


class BrokenPromise(AssertionError):
    """An invariant of the tool itself does not hold. Nothing is written."""


def find_nearest(word: str, words: Iterable[str]) -> str:
    """Return `; nearest: 'x'` for the closest of `words`, or nothing if none is close.

    One that only goes on where the word stops is closer than any other.
    """
    import difflib  # only where something is wrong

    known = list(words)
    longer = [one for one in known if len(word) > 2 and one.startswith(word)]
    close = longer or difflib.get_close_matches(word, known, n=1, cutoff=0.5)
    return f"; nearest: {close[0]!r}" if close else ""
