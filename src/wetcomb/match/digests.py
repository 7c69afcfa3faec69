"""Digests of values: a number for each span of a text, the same for the same characters.

Values are compared and looked up by the thousand, mostly short ones that come again and again.
A digest mixes the bytes of a value, eight at a time, with its length; two values that
differ have the same one by chance only (one in 2**64), so what is known of a value can be
kept under its digest. Folded digests are the same for values that differ in nothing
but which digit, which capital or which small ASCII letter stands where: what depends on kinds
of characters alone is then known for `20.1` once `31.2` has been looked at.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property

import msgspec
import numpy as np

from wetcomb.core.arrays import Array, Bools, Bytes, Ints, Spans

__all__ = ["Digests", "Reader", "Verdicts", "digest_text"]

Digests = Array[np.uint64]

_LONGEST = 256  # bytes; longer values are digested one by one, hardly any column has them

_MIX, _SEED = np.uint64(0x9E3779B97F4A7C15), np.uint64(0xC2B2AE3D27D4EB4F)
_SHIFT = np.uint64(29)
_WORD = 8

_SMALL, _DIGITS = b"abcdefghijklmnopqrstuvwxyz", b"0123456789"
_FOLD = bytes.maketrans(_SMALL.upper() + _SMALL + _DIGITS, b"A" * 26 + b"a" * 26 + b"9" * 10)
_MASKS = np.array([(1 << 8 * n_bytes) - 1 for n_bytes in range(_WORD + 1)], np.uint64)


class Reader(msgspec.Struct, frozen=True, eq=False, dict=True):
    """A text whose spans are looked at by their digests."""

    data: Bytes

    @cached_property
    def _padded(self) -> bytes:
        return self.data.tobytes() + bytes(2 * _WORD)

    @cached_property
    def _raw(self) -> Digests:
        return _read_words(self._padded)

    @cached_property
    def _folded(self) -> Digests:
        return _read_words(self._padded.translate(_FOLD))

    def find_prints(self, starts: Spans | Ints, ends: Spans | Ints, *, folded: bool) -> Digests:
        """Return the digest of each span."""
        begins = starts.ravel().astype(np.int64, copy=False)
        lengths = ends.ravel() - begins
        prints = lengths.astype(np.uint64)
        prints *= _MIX
        prints ^= _SEED
        words = self._folded if folded else self._raw
        longest = int(lengths.max(initial=0))
        for ahead in range(0, min(longest, _LONGEST), _WORD):
            is_inside = lengths > ahead
            if not ahead or is_inside.all():
                prints = _mix(prints, _take_words(words, begins + ahead, lengths - ahead))
                continue
            inside = np.flatnonzero(is_inside)
            places, left = begins.take(inside) + ahead, lengths.take(inside) - ahead
            prints[inside] = _mix(prints.take(inside), _take_words(words, places, left))
        for place in np.flatnonzero(lengths > _LONGEST).tolist() if longest > _LONGEST else ():
            value = self.data[begins[place] : begins[place] + lengths[place]].tobytes()
            prints[place] = _digest(value.translate(_FOLD) if folded else value)
        return prints.reshape(starts.shape)


def digest_text(text: str) -> int:
    """Return the raw digest of a text."""
    data = np.frombuffer(text.encode(), np.uint8)
    edges = np.array([0]), np.array([data.size])
    return int(Reader(data).find_prints(*edges, folded=False)[0])


def _read_words(padded: bytes) -> Digests:
    """Return the little-endian word of eight bytes that begins at each byte; they overlap."""
    return np.ndarray((len(padded) - _WORD,), "<u8", padded, strides=(1,))


def _take_words(words: Digests, places: Ints, lengths: Ints) -> Digests:
    """Return the up to eight bytes at each place, those beyond its length as zeros."""
    word = words[places].astype(np.uint64, copy=False)
    word &= _MASKS.take(lengths, mode="clip")
    return word


def _mix(prints: Digests, word: Digests) -> Digests:
    """Return digests with a word mixed in; its own array is used for that."""
    word ^= prints
    word *= _MIX
    word ^= word >> _SHIFT
    return word


def _digest(value: bytes) -> int:
    from hashlib import blake2b  # long values are seldom

    return int.from_bytes(blake2b(value, digest_size=8).digest(), "little")


_SLOTS = 1 << 14
_MANY = 1 << 18  # values known; more are forgotten, so that a long run stays in bounded memory


class Verdicts:
    """Whether values pass a test, each kind of value tested once.

    Parameters
    ----------
    passes : the test, for the bytes of a value
    folded : whether it depends on kinds of characters alone
    """

    def __init__(self, passes: Callable[[bytes], bool], *, folded: bool) -> None:
        self._passes, self.folded = passes, folded
        self._known: dict[int, bool] = {}
        self._keys = np.zeros(_SLOTS, np.uint64)
        self._values = np.zeros(_SLOTS, np.bool_)

    def find(self, data: Bytes, starts: Spans | Ints, ends: Spans | Ints, prints: Digests) -> Bools:
        """Return which spans pass.

        Parameters
        ----------
        prints : of the spans; folded or raw, as `folded` says
        """
        slots = (prints >> np.uint64(50)).view(np.int64)
        found = self._values.take(slots, mode="clip")
        unknown = np.flatnonzero((self._keys.take(slots, mode="clip") != prints).ravel())
        if unknown.size:
            flat = found.ravel()
            missed = prints.ravel()[unknown]
            order = np.argsort(missed, kind="stable")
            fresh = np.append(True, np.diff(missed[order]) != 0)
            kinds, firsts, which = missed[order][fresh], order[fresh], np.empty_like(order)
            which[order] = np.cumsum(fresh) - 1
            verdicts = np.zeros(kinds.size, np.bool_)
            spans = unknown[firsts]
            begins, stops = starts.ravel()[spans].tolist(), ends.ravel()[spans].tolist()
            for place, kind in enumerate(kinds.tolist()):
                verdict = self._known.get(kind)
                if verdict is None:
                    verdict = self._passes(data[begins[place] : stops[place]].tobytes())
                    if len(self._known) >= _MANY:
                        self._known.clear()
                    self._known[kind] = verdict
                verdicts[place] = verdict
            flat[unknown] = verdicts[which]
            found = flat.reshape(prints.shape)
            slots = (kinds >> np.uint64(50)).astype(np.int64)
            self._keys[slots] = 0  # where two share a slot, one of them is kept
            self._values[slots] = verdicts
            self._keys[slots] = kinds
        return found
