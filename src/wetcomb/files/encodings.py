"""Which encoding a source is in: told by a mark, proved by decoding, or guessed.

UTF-8 proves itself: other encodings hardly ever happen to be valid UTF-8. What is not
valid is first asked whether it is UTF-8 with a few broken bytes (far more good sequences
than bad ones), and only then left to a guess over its bytes. What is no text at all is
refused, with the way to get its text.
"""

from __future__ import annotations

import codecs
import re
import unicodedata
from collections.abc import Callable

import msgspec

from wetcomb.core.errors import InputError, UsageError

__all__ = ["Encoding", "check_encoding", "find_encoding"]

#: Byte-order marks, longest first, with the encoding of what follows.
_MARKS = (
    (codecs.BOM_UTF32_LE, "utf-32-le"),
    (codecs.BOM_UTF32_BE, "utf-32-be"),
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)

#: How files that are no text begin, what they are, and how to get their text.
_NO_TEXT = (
    (b"%PDF-", "a PDF", "copy its text out of a viewer, or save it as text, and hand in that"),
    (
        b"PK\x03\x04",
        "a zipped file (perhaps a document or a workbook)",
        "open it, copy the text, and hand in that",
    ),
    (b"\xd0\xcf\x11\xe0", "an office document", "open it, copy the text, and hand in that"),
    (b"{\\rtf", "a formatted document", "open it, copy the text, and hand in that"),
    (b"\x1f\x8b", "a compressed file", "decompress it first"),
    (b"\x89PNG", "a picture", "recognise its text first, and hand in that"),
    (b"\xff\xd8\xff", "a picture", "recognise its text first, and hand in that"),
    (b"\x7fELF", "a program", "hand in text"),
    (b"SQLite format 3", "a database", "export the table as text"),
)

#: Those of one byte or of two that texts are mostly in, the commonest first.
_COMMON = (
    "cp1252",
    "cp1250",
    "cp1251",
    "cp932",
    "gb18030",
    "big5",
    "euc_kr",
    "cp949",
    "koi8-r",
    "cp1253",
)

_GOOD_SEQUENCE = re.compile(
    rb"[\xc2-\xdf][\x80-\xbf]|[\xe0-\xef][\x80-\xbf]{2}|[\xf0-\xf4][\x80-\xbf]{3}"
)
_CONTROLS = bytes(sorted(set(range(32)) - set(b"\t\n\r\f\v\x1b\x00"))) + b"\x7f"
#: Signs that stand in texts by themselves: of currency, units and degrees, and of punctuation.
_SIGNS = ("Sc", "So", "Po", "Pd", "Pi", "Pf", "No", "Zs", "Sm")
#: What the frequencies of a language and an encoding rarely met weigh against mess; measured.
_LANGUAGE, _RARE = 0.3, 0.1
_CONTROL_SHARE = 0.02  # more than this is no text; pasted text has next to none
_GOOD_TO_BAD = 4  # so many good UTF-8 sequences for one bad byte make it UTF-8


def _begin(*ranges: tuple[int, int]) -> Callable[[bytes], bool]:
    """Return whether a sign has two bytes, the first in one of some ranges."""
    return lambda raw: len(raw) > 1 and any(low <= raw[0] <= high for low, high in ranges)


#: The first bytes of marks, syllables and the everyday signs of East Asian encodings (level 1 of JIS X 0208, KS X 1001
#: without its Chinese signs, GB 2312 level 1, Big5 level 1).
_USUAL = {
    "cp932": _begin((0x81, 0x84), (0x88, 0x98)), "shift_jis": _begin((0x81, 0x84), (0x88, 0x98)),
    "euc_jp": _begin((0xA1, 0xA6), (0xB0, 0xCF)), "euc_kr": _begin((0xA1, 0xA6), (0xB0, 0xC8)),
    "cp949": lambda raw: _begin((0xA1, 0xA6), (0xB0, 0xC8))(raw) and raw[1] >= 0xA1, "johab": _begin(),
    "gb2312": _begin((0xA1, 0xA9), (0xB0, 0xD7)), "gbk": _begin((0xA1, 0xA9), (0xB0, 0xD7)), "gb18030": _begin((0xA1, 0xA9), (0xB0, 0xD7)),
    "big5": _begin((0xA1, 0xA3), (0xA4, 0xC6)), "big5hkscs": _begin((0xA1, 0xA3), (0xA4, 0xC6)), "cp950": _begin((0xA1, 0xA3), (0xA4, 0xC6)),
}  # fmt: skip


class Encoding(msgspec.Struct, frozen=True):
    """An encoding and how it was found.

    Attributes
    ----------
    name : as Python's codecs call it
    mark : the byte-order mark the source begins with, or nothing
    how : "stated", "marked", "proved" or "guessed"
    """

    name: str
    mark: bytes
    how: str

    @property
    def is_common(self) -> bool:
        """Whether it is certain, or one of those that texts are mostly in."""
        wide = self.name.startswith(("utf", "shift_jis", "euc_", "gb"))
        return (
            self.how != "guessed"
            or wide
            or self.name in {codecs.lookup(name).name for name in _COMMON}
        )


#: What the standard library calls encodings, and is none of a text.
_NO_ENCODINGS = ("idna", "punycode", "undefined", "unicode-escape", "raw-unicode-escape")


def check_encoding(name: str) -> str:
    """Return the plain name of an encoding of text.

    Raises
    ------
    UsageError : there is none of that name
    """
    try:
        found = codecs.lookup(name)
    except LookupError as error:
        raise UsageError(
            f"unknown encoding {name!r}; try utf-8, cp1252, latin-1, shift_jis or utf-16"
        ) from error
    if not getattr(found, "_is_text_encoding", True) or found.name in _NO_ENCODINGS:
        raise UsageError(f"{name!r} is no encoding of text; try utf-8, cp1252 or utf-16")
    return found.name


def find_encoding(
    head: bytes, source: str, stated: str = "", *, is_whole: bool = False
) -> Encoding:
    """Return the encoding of a source, from its first bytes (and any first odd ones after them).

    `is_whole` says that nothing follows the head, so that a character cut off at its end is odd.

    Raises
    ------
    InputError : it is no text, or nothing tells its encoding
    """
    for start, what, how in _NO_TEXT:
        if head.startswith(start):
            raise InputError(f"this is {what}, no text; {how}", source=source)
    if stated:
        return _take_stated(head, check_encoding(stated), source)
    for mark, name in _MARKS:
        if head.startswith(mark):
            return Encoding(name, mark, "marked")
    wide = _find_wide(head)
    if wide:
        return Encoding(wide, b"", "guessed")
    controls = len(head) - len(head.translate(None, _CONTROLS + b"\x00"))
    if controls > max(3, _CONTROL_SHARE * len(head)):
        raise InputError(
            "this is no text (it holds many control characters); hand in text, or state --encoding",
            source=source,
        )
    if _is_utf8(head, is_whole=is_whole):
        return Encoding("utf-8", b"", "proved")
    return Encoding(_guess(head, source), b"", "guessed")


def _take_stated(head: bytes, name: str, source: str) -> Encoding:
    """Return the stated encoding; its byte-order mark settles what its name leaves open."""
    for mark, marked in _MARKS:
        if head.startswith(mark):
            families = (name, name.removesuffix("-sig"), name + "-le", name + "-be")
            if marked in families:
                return Encoding(marked, mark, "stated")
            if marked.startswith("utf") and name.startswith("utf"):
                raise InputError(
                    f"it begins with the byte-order mark of {marked}, but {name} is stated; leave --encoding out",
                    source=source,
                )
    if name in ("utf-16", "utf-32"):
        raise InputError(
            f"{name} needs a byte-order mark to say its order, and there is none; state {name}-le or {name}-be",
            source=source,
        )
    return Encoding(name.removesuffix("-sig"), b"", "stated")


def _find_wide(head: bytes) -> str:
    """Return UTF-16 of one order if every other byte is mostly NUL, as in Western text."""
    pairs = len(head) // 2
    if pairs < 2:
        return ""
    evens, odds = head[: 2 * pairs : 2].count(0), head[1 : 2 * pairs : 2].count(0)
    if odds > 0.4 * pairs and evens < 0.05 * pairs:
        return "utf-16-le"
    if evens > 0.4 * pairs and odds < 0.05 * pairs:
        return "utf-16-be"
    return ""


def _is_utf8(head: bytes, *, is_whole: bool) -> bool:
    decoder = codecs.getincrementaldecoder("utf-8")  # one cut off at the end of a part is no fault
    try:
        decoder().decode(head, final=is_whole)
        return True
    except UnicodeDecodeError:
        text = decoder("surrogateescape").decode(head, final=is_whole)
    bad = sum(1 for character in text if "\udc80" <= character <= "\udcff")
    return len(_GOOD_SEQUENCE.findall(head)) >= _GOOD_TO_BAD * bad


def _guess(head: bytes, source: str) -> str:
    """Return the likeliest of the older encodings.

    Of those that leave little mess, the one counts in which most of the odd characters are
    letters, then the one with the least mess (less where its words are those of a language,
    more where it is rarely met), then the commonest.
    """
    from charset_normalizer import from_bytes

    matches = list(from_bytes(head))
    if not matches:
        raise InputError("cannot tell its encoding; state it with --encoding", source=source)
    ranks = {codecs.lookup(name).name: rank for rank, name in enumerate(_COMMON)}
    names = {
        codecs.lookup(match.encoding).name: match.chaos - _LANGUAGE * match.coherence
        for match in matches
    }
    return min(
        names,
        key=lambda name: (
            -round(_share_letters(head, name) * _share_usual(head, name), 1),
            round(names[name] + _RARE * (not Encoding(name, b"", "guessed").is_common), 2),
            ranks.get(name, len(ranks)),
        ),
    )


def _share_usual(head: bytes, name: str) -> float:
    """Return which share of the signs of two bytes are everyday ones, as their standards order them; 1 for other encodings."""
    if name not in _USUAL:
        return 1.0
    wide = [
        sign.encode(name, "ignore") for sign in head.decode(name, "ignore") if not sign.isascii()
    ]
    return sum(_USUAL[name](raw) for raw in wide) / max(1, len(wide))


def _share_letters(head: bytes, name: str) -> float:
    """Return which share of the odd characters stand where they belong.

    Letters stand in words or alone, never beside a figure only; signs of currency and the like
    stand beside a figure, or by themselves.
    """
    text = f" {head.decode(name, 'replace')} "
    places = [place for place, character in enumerate(text) if not character.isascii()]
    good = sum(_belongs(text[place - 1], text[place], text[place + 1]) for place in places)
    return good / max(1, len(places))


def _belongs(before: str, character: str, behind: str) -> bool:
    if "\u3001" <= character <= "\u301f" or "\uff00" <= character <= "\uff65":
        return True  # East Asian points and brackets, which stand between letters
    in_word = before.isalpha() or behind.isalpha()
    if character.isalpha():
        return in_word or not (before.isdecimal() or behind.isdecimal())
    return unicodedata.category(character) in _SIGNS and not (before.isalpha() and behind.isalpha())
