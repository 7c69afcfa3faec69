"""The heads of mails that were pasted as text: lines of names and values (RFC 5322) before a blank line."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

__all__ = [
    "ABOUT", "LONGEST_HEAD", "find_heads", "is_inner_head", "may_be_of_head", "read_head_line",
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
_FEWEST = 3  # lines of a head
LONGEST_HEAD = 200


def read_head_line(line: bytes) -> tuple[str, int] | None:
    """Return the name that a head's line begins with, in small letters, and where its value begins."""
    found = _LINE.match(line)
    return (found[1].decode().strip().casefold(), found.end()) if found else None


def find_heads(
    lines: Sequence[bytes], likely: Iterable[int] | None = None
) -> list[tuple[int, int]]:
    """Return the heads among some lines, as the places of their first line and the one behind.

    A head is at least three lines of names that mails have, one of which says what it is about or
    holds an address; a blank line stands behind it. It begins as early in a run of such lines as
    it can, and has at most `LONGEST_HEAD` of them.

    Parameters
    ----------
    likely : rising, the lines that may be what a head is about or hold an address; all of them,
        if None
    """
    heads, place = [], 0
    for wanted in range(len(lines)) if likely is None else likely:
        if wanted < place:
            continue
        first = wanted
        while likely is not None and first > place and may_be_of_head(lines[first - 1]):
            first -= 1
        end = first
        while end < len(lines) and may_be_of_head(lines[end]):
            end += 1
        if end == len(lines) or not lines[end].strip(b" \t>"):
            first = max(first, end - LONGEST_HEAD)
            start = _find_start(lines[first:end])
            heads += [(first + start, end)] if start >= 0 else []
        place = max(end, wanted + 1)
    return heads


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


def _find_start(lines: Sequence[bytes]) -> int:
    """Return the first of some lines from which on they are a head; -1 if there is none."""
    start, known, of_programs, n_names, is_mail = -1, 0, 0, 0, False
    for place in range(len(lines) - 1, -1, -1):
        read = read_head_line(lines[place])
        is_mail |= b"@" in lines[place]
        if read is None:
            continue
        name = read[0]
        n_names += 1
        is_mail |= name in ABOUT
        is_known, is_of_program = name in _NAMES, name in _TECHNICAL or name.startswith("x-")
        known += is_known
        of_programs += is_of_program
        is_most = 2 * (known + of_programs) > n_names
        if known >= _FEWEST and is_most and is_mail and (is_known or is_of_program):
            start = place
    return start
