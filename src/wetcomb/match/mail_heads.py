"""The heads of mails that were pasted as text: lines of names and values (RFC 5322) before a blank line."""

from __future__ import annotations

import re
from collections.abc import Sequence

__all__ = ["find_heads", "read_head_line"]

_LINE = re.compile(rb"[ \t>]*([A-Za-z\x80-\xff][A-Za-z\x80-\xff -]{0,24}):(?:[ \t]+|$)")
_FOLDED = re.compile(rb"[ \t]+\S")
#: What heads are called in, language by language: who, when and about what.
_NAMES = frozenset(
    ["from", "to", "cc", "bcc", "subject", "date", "sent", "reply-to", "von", "an", "kopie", "betreff", "gesendet", "datum", "de", "à", "objet", "envoyé", "od", "do", "temat", "data", "wysłano", "van", "aan", "onderwerp", "verzonden", "da", "a", "oggetto", "inviato", "para", "asunto", "enviado", "från", "till", "ämne", "skickat", "fra", "til", "emne", "sendt", "от", "кому", "тема", "дата", "отправлено"]
)  # fmt: skip
_ABOUT = frozenset(
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
_FEWEST = 3  # lines of a head


def read_head_line(line: bytes) -> tuple[str, int] | None:
    """Return the name that a head's line begins with, in small letters, and where its value begins."""
    found = _LINE.match(line)
    return (found[1].decode().strip().casefold(), found.end()) if found else None


def find_heads(lines: Sequence[bytes]) -> list[tuple[int, int]]:
    """Return the heads among some lines, as the places of their first line and the one behind.

    A head is at least three lines of names that mails have, one of which says what it is about or
    holds an address; a blank line stands behind it.
    """
    heads = []
    place = 0
    while place < len(lines):
        end = _follow(lines, place)
        names = [read[0] for line in lines[place:end] if (read := read_head_line(line))]
        known = [name for name in names if name in _NAMES]
        is_mail = any(name in _ABOUT for name in known) or any(
            b"@" in one for one in lines[place:end]
        )
        if len(known) >= _FEWEST and 2 * len(known) > len(names) and is_mail and names[0] in _NAMES:
            heads.append((place, end))
        place = max(end, place + 1)
    return heads


def _follow(lines: Sequence[bytes], place: int) -> int:
    """Return the line behind a run of names and values that a blank line ends; the same where there is none."""
    end = place
    while end < len(lines) and (
        read_head_line(lines[end]) or (end > place and _FOLDED.match(lines[end]))
    ):
        end += 1
    is_ended = end == len(lines) or not lines[end].strip(b" \t>")
    return end if is_ended else place
