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


_ALIKE, _ABOUT = 0.5, 0.17  # shares of their letters: what is alike, and what differs by little


def find_nearest(word: str, words: Iterable[str]) -> str:
    """Return `; nearest: 'x'` for the closest of `words`, or nothing if none is close.

    One that only goes on where the word stops is closer than any other; of some that are about
    as close, the one that begins most like it.
    """
    import difflib  # only where something is wrong

    known = list(words)
    close = [one for one in known if len(word) > 2 and one.startswith(word)]
    if not close:
        alike = {one: difflib.SequenceMatcher(None, word, one).ratio() for one in known}
        best = max(alike.values(), default=0.0)
        close = [one for one in known if best >= _ALIKE and alike[one] >= best - _ABOUT]
        close.sort(key=lambda one: (-_count_same(word, one), -alike[one]))
    return f"; nearest: {close[0]!r}" if close else ""


def _count_same(one: str, other: str) -> int:
    """Return how many characters two words begin with in common."""
    pairs = enumerate(zip(one, other, strict=False))
    return next((place for place, (a, b) in pairs if a != b), min(len(one), len(other)))
