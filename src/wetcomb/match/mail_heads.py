"""The heads of mails that were pasted as text: lines of names and values (RFC 5322) before a blank line."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

__all__ = [
    "ABOUT", "LONGEST_HEAD", "Head", "HeadName", "find_heads", "is_inner_head", "is_of_mail", "is_technical", "iterate_heads",
    "may_be_of_head", "read_head_line",
]  # fmt: skip

_LINE = re.compile(
    rb"[ \t>]*([A-Za-z\x80-\xff][A-Za-z\x80-\xff -]{0,24}|[A-Za-z0-9]+(?:-[A-Za-z0-9]+){1,6}):(?:[ \t]+|$)"
)
#: What a line says that stands before a mail within another.
_WITHIN = re.compile(
    rb"(?i)forward|original|message|weiterleit|nachricht|transf|r\xc3\xa9exp|mensaje|reenviado|przekaz|doorgestuurd|bericht|vidarebef|videresend|inoltrat"
)
_FOLDED = re.compile(rb"[ \t]+\S")
#: What heads are called in, language by language: who, when and about what.
_NAMES = frozenset(
    ["from", "to", "cc", "bcc", "subject", "date", "sent", "reply-to", "von", "an", "kopie", "betreff", "gesendet", "datum", "de", "à", "objet", "envoyé", "od", "do", "temat", "data", "wysłano", "van", "aan", "onderwerp", "verzonden", "da", "a", "oggetto", "inviato", "para", "asunto", "enviado", "från", "till", "ämne", "skickat", "fra", "til", "emne", "sendt", "от", "кому", "тема", "дата", "отправлено"]
)  # fmt: skip
#: Those that say what a mail is about: every head has one, or an address.
ABOUT = frozenset(
    [
        "subject",
        "betreff",
        "objet",
        "temat",
        "onderwerp",
        "oggetto",
        "asunto",
        "ämne",
        "emne",
        "тема",
    ]
)
#: What programs add to heads; it tells no mail by itself.
_TECHNICAL = frozenset(
    ["arc-seal", "authentication-results", "auto-submitted", "comments", "content-disposition", "content-language", "content-transfer-encoding", "content-type", "delivered-to", "dkim-signature", "errors-to", "importance", "in-reply-to", "keywords", "list-id", "list-unsubscribe", "message-id", "mime-version", "organization", "precedence", "priority", "received", "received-spf", "references", "resent-date", "resent-from", "return-path", "sender", "status", "thread-index", "thread-topic", "user-agent"]
)  # fmt: skip
_WRITTEN = re.compile(
    rb"(?:wrote|writes|schrieb|a \xc3\xa9crit|escribi\xc3\xb3|ha scritto|schreef|skrev|napisa\xc5\x82)\b.{0,40}:\s*$"
)
#: Those of them that are words of other kinds too.
_WORDS = frozenset(["a", "an", "da", "de", "do", "od", "data", "date", "datum", "дата", "van", "à"])
_FEWEST = 3  # lines of a head
LONGEST_HEAD = 200


class HeadName(NamedTuple):
    """A name in a head, in small letters: its line, and where in that its value begins."""

    line: int
    name: str
    value: int


class Head(NamedTuple):
    """The head of a mail: its first line, the one behind it, and its names."""

    first: int
    end: int
    names: list[HeadName]


def read_head_line(line: bytes) -> tuple[str, int] | None:
    """Return the name that a head's line begins with, in small letters, and where its value begins."""
    found = _LINE.match(line)
    return (found[1].decode().strip().casefold(), found.end()) if found else None


def is_technical(name: str) -> bool:
    """Return whether programs add a name to heads, in small letters."""
    return name in _TECHNICAL or name.startswith("x-")


def find_heads(lines: Sequence[bytes]) -> list[tuple[int, int]]:
    """Return the heads among some lines, as the places of their first line and the one behind."""
    return [(head.first, head.end) for head in iterate_heads(lines, range(len(lines)))]


def iterate_heads(lines: Sequence[bytes], likely: Iterable[int]) -> Iterator[Head]:
    """Yield the heads among some lines.

    A head is at least three lines of names that mails have, one of which says what it is about or
    holds an address; a blank line stands behind it. It begins as early in a run of such lines as
    it can, and has at most `LONGEST_HEAD` of them.

    Parameters
    ----------
    likely : rising, the lines that may be what a head is about or hold an address; or more
    """
    place = 0
    for wanted in likely:
        if wanted < place:
            continue
        end, names = _read_run(lines, wanted, 1)
        first = wanted
        if end > wanted:
            first, before = _read_run(lines, wanted - 1, -1, place)
            names = [*reversed(before), *names]
            first += 1
        if end == len(lines) or not lines[end].strip(b" \t>"):
            held = [name for name in names if name.line >= end - LONGEST_HEAD]
            start = _find_start(lines, held)
            if start is not None:
                yield Head(start, end, [name for name in held if name.line >= start])
        place = max(end, wanted + 1)


def _read_run(
    lines: Sequence[bytes], place: int, step: int, limit: int = 0
) -> tuple[int, list[HeadName]]:
    """Go along lines that may be of a head; return the first that is none, and the names."""
    names = []
    while limit <= place < len(lines):
        line = lines[place]
        read = read_head_line(line)
        if read is not None:
            names.append(HeadName(place, *read))
        elif _FOLDED.match(line) is None:
            break
        place += step
    return place, names


def is_inner_head(lines: Sequence[bytes], first: int) -> bool:
    """Return whether a head is of a mail within another: quoted, or behind a line that says so."""
    if lines[first].lstrip(b" \t").startswith(b">"):
        return True
    before = first - 1
    while before >= 0 and not lines[before].strip(b" \t\f"):
        before -= 1
    above = lines[before].strip(b" \t") if before >= 0 else b""
    is_title = above[:2] in (b"--", b"__", b"==", b"**") or above.endswith(b":")
    return (is_title and _WITHIN.search(above) is not None) or _WRITTEN.search(above) is not None


def may_be_of_head(line: bytes) -> bool:
    """Return whether a line is a name and its value, or goes on with one."""
    return _LINE.match(line) is not None or _FOLDED.match(line) is not None


def is_of_mail(line: bytes) -> bool:
    """Return whether a line by itself says that it is a mail's: who, to whom, about what; or who wrote."""
    found = read_head_line(line)
    is_head = found is not None and found[0] in _NAMES - _WORDS
    return is_head or _WRITTEN.search(line) is not None


def _find_start(lines: Sequence[bytes], names: Sequence[HeadName]) -> int | None:
    """Return the first line from which on the lines of some names are a head; None if there is none."""
    start, known, of_programs, is_mail = None, 0, 0, False
    for n_names, (line, name, _) in enumerate(reversed(names), 1):
        is_known, is_of_program = name in _NAMES, is_technical(name)
        is_mail = is_mail or name in ABOUT or b"@" in lines[line]
        known += is_known
        of_programs += is_of_program
        is_most = 2 * (known + of_programs) > n_names
        if known >= _FEWEST and is_most and is_mail and (is_known or is_of_program):
            start = line
    return start
