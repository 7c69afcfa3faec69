"""Capitals and small letters, from the frozen table of characters: the same with every Python."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache
from itertools import accumulate
from struct import calcsize, unpack_from

__all__ = ["fold_case", "make_capital", "make_small"]

_HEAD = 8  # bytes of the magic word
_FOLDED, _SMALL, _CAPITAL = range(3)


@cache
def _load() -> tuple[dict[int, str], ...]:
    """Return what characters become whose case is folded, made small, made capital."""
    raw = __loader__.get_data(__file__.removesuffix("letter_case.py") + "characters.bin")  # type: ignore[name-defined]
    (n_runs,) = unpack_from("<I", raw, _HEAD)
    return tuple(_read_maps(raw, _HEAD + calcsize(f"<I{n_runs}I{n_runs}B")))


def _read_maps(raw: bytes, place: int) -> Iterator[dict[int, str]]:
    for _ in (_FOLDED, _SMALL, _CAPITAL):
        (number,) = unpack_from("<I", raw, place)
        points = unpack_from(f"<{number}I", raw, place + 4)
        sizes = unpack_from(f"{number}B", raw, place + calcsize(f"<I{number}I"))
        place += calcsize(f"<I{number}I{number}B")
        ends = [*accumulate(sizes)]
        text = raw[place : place + 4 * ends[-1]].decode("utf-32-le")
        made = (text[end - size : end] for end, size in zip(ends, sizes, strict=True))
        yield dict(zip(points, made, strict=True))
        place += 4 * ends[-1]


def fold_case(text: str) -> str:
    """Return a text in which capitals tell nothing apart."""
    return text.lower() if text.isascii() else text.translate(_load()[_FOLDED])


def make_small(text: str) -> str:
    """Return a text in small letters, each character by itself."""
    return text.lower() if text.isascii() else text.translate(_load()[_SMALL])


def make_capital(text: str) -> str:
    """Return a text in capitals."""
    return text.upper() if text.isascii() else text.translate(_load()[_CAPITAL])
