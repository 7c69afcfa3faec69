"""Mails in files: one (RFC 5322 with MIME) or a pile of them (mbox), as the text that is in them.

The standard library's parser takes a mail apart; this says what text is made of it. Fields of the
head stand a line each, unfolded, encoded words undone; behind a blank line stands the body, in its
own charset, transfer encodings undone: the plain part where there are several ways to say it,
else the HTML as text. Mails within a mail follow it, behind a line that says so. Attached files are
no text of the mail: each is a part that can be asked for. Bytes that are no text in their charset
stay as they are, so that the reader of sources finds them; a mail that is not built as its head
says is told by its place.
"""

from __future__ import annotations

import email
import re
from collections import Counter, deque
from collections.abc import Iterator, Sequence
from email.errors import HeaderParseError
from email.header import decode_header
from email.message import Message
from typing import IO

import msgspec

from wetcomb.core.errors import InputError
from wetcomb.files.markup import find_text

__all__ = ["Mails", "decode_mails"]

_BATCH = 1 << 20  # bytes of mails that are taken apart at once
_LONG = 8 << 20  # bytes from which it pays to have helpers
_PILED = re.compile(rb"From \S+ .*\d")
_STUFFED = re.compile(rb"(?m)^>(>*From )")
_FOLD = re.compile(r"\r?\n[ \t]+")
_ENCODED = re.compile(r"=\?[^?\s]+\?[bBqQ]\?[^?]*\?=")
_WITHIN = "---------- attached message ----------"


class Mails(msgspec.Struct):
    """What was found in a file of mails.

    Attributes
    ----------
    n_mails : how many there are
    broken : where in the text the mails end that are not built as they say
    parts : attached files by name, with how often each stands
    """

    n_mails: int = 0
    broken: list[int] = msgspec.field(default_factory=list)
    parts: Counter[str] = msgspec.field(default_factory=Counter)


class _Text(msgspec.Struct):
    """The text of one mail, in bytes, whether it is broken, its parts with their names."""

    data: bytes
    is_broken: bool
    parts: list[str]


def decode_mails(
    file: IO[bytes], into: IO[bytes], name: str, *, charset: str, part: str, n_processes: int
) -> Mails:
    """Write the text of all mails in a file into another.

    Parameters
    ----------
    charset : what text is in whose mail does not say; UTF-8 if empty
    part : name of an attached file, or a type of content, that is wanted instead of the text
    n_processes : how many take mails apart, where there are many

    Raises
    ------
    InputError : no mail has that part
    """
    found, size = Mails(), 0
    for text in _decode_all(file, charset, part, n_processes):
        found.n_mails += 1
        found.parts.update(text.parts)
        into.write(text.data)
        size += len(text.data)
        if text.is_broken and size:
            found.broken.append(size - 1)
    if part and not size:
        known = ", ".join(sorted(found.parts)) or "none"
        raise InputError(f"no mail in it has a part {part!r}; there are: {known}", source=name)
    return found


def _decode_all(file: IO[bytes], charset: str, part: str, n_processes: int) -> Iterator[_Text]:
    """Yield the text of each mail, in order; many are shared among processes."""
    size = file.seek(0, 2)
    batches = _batch(_part_mails(file))
    if size < _LONG or n_processes < 2:
        for batch in batches:
            yield from _decode_batch(batch, charset, part)
        return
    import multiprocessing
    from concurrent.futures import Future, ProcessPoolExecutor

    with ProcessPoolExecutor(n_processes, multiprocessing.get_context("fork")) as helpers:
        waiting: deque[Future[list[_Text]]] = deque()
        for batch in batches:
            waiting.append(helpers.submit(_decode_batch, batch, charset, part))
            if len(waiting) > 2 * n_processes:
                yield from waiting.popleft().result()
        while waiting:
            yield from waiting.popleft().result()


def _part_mails(file: IO[bytes]) -> Iterator[bytes]:
    """Yield the mails of a pile, each with the line that parts it; one mail as it is."""
    file.seek(0)
    lines: list[bytes] = []
    is_pile = is_parted = False
    for number, line in enumerate(file):
        if line.startswith(b"From ") and (not number or (is_pile and is_parted)):
            if _PILED.match(line) and lines:
                yield b"".join(lines)
                lines = []
            is_pile |= not number
        lines.append(line)
        is_parted = not line.strip()
    if lines:
        yield b"".join(lines)


def _batch(mails: Iterator[bytes]) -> Iterator[list[bytes]]:
    batch, size = [], 0
    for mail in mails:
        batch.append(mail)
        size += len(mail)
        if size >= _BATCH:
            yield batch
            batch, size = [], 0
    if batch:
        yield batch


def _decode_batch(mails: Sequence[bytes], charset: str, part: str) -> list[_Text]:
    return [_decode_mail(mail, charset, part) for mail in mails]


def _decode_mail(raw: bytes, charset: str, part: str) -> _Text:
    """Return the text of a mail, or of one of its parts."""
    first = b""
    if raw.startswith(b"From "):
        first, _, raw = raw.partition(b"\n")
        raw = _STUFFED.sub(rb"\1", raw)
    reader = _Reader(charset or "utf-8", part)
    try:
        mail = email.message_from_bytes(raw)
        reader.read(mail)
        is_broken = reader.is_broken or any(each.defects for each in mail.walk())
    except RecursionError:  # parts within parts without end: its text stands as it came
        reader.lines, is_broken = raw.decode("utf-8", "surrogateescape").splitlines(), True
    if part:
        return _Text(b"".join(reader.wanted), is_broken and bool(reader.wanted), reader.parts)
    lines = [first.decode("utf-8", "surrogateescape").rstrip("\r")] * bool(first)
    text = "\n".join([*lines, *reader.lines]).rstrip("\n") + "\n"
    return _Text(
        (text + "\n" * bool(first)).encode("utf-8", "surrogateescape"), is_broken, reader.parts
    )


class _Reader:
    """Puts the text of one mail together."""

    def __init__(self, charset: str, part: str) -> None:
        self._charset, self._part = charset, part
        self.lines: list[str] = []
        self.parts: list[str] = []
        self.wanted: list[bytes] = []
        self.is_broken = False

    def read(self, mail: Message) -> None:
        """Take a mail: its head, a blank line, its body."""
        self._read_head(mail)
        self._read_body(mail)

    def _read_head(self, mail: Message) -> None:
        for name, value in mail.raw_items():
            self.lines.append(f"{name}: {self._decode_field(value)}")
        self.lines.append("")

    def _decode_field(self, raw: str) -> str:
        value = _FOLD.sub(" ", str(raw)).strip()
        if not value.isascii():  # bytes as they came
            value = self._decode(value.encode("utf-8", "surrogateescape"), self._charset)
        if not _ENCODED.search(value):
            return value
        try:
            pieces = decode_header(value)
        except (HeaderParseError, ValueError):  # what was encoded cannot be undone
            self.is_broken = True
            return value
        texts = [
            piece if isinstance(piece, str) else self._decode(piece, charset or "ascii")
            for piece, charset in pieces
        ]
        return " ".join("".join(texts).splitlines())

    def _read_body(self, mail: Message) -> None:
        kind = mail.get_content_type()
        sort = kind.partition("/")[0]
        if not mail.is_multipart():
            is_text = sort in ("text", "multipart") and not _is_file(mail, kind)
            (self._read_text if is_text else self._keep)(mail, kind)
        elif kind == "message/delivery-status":
            for group in _list_inner(mail):
                self._read_head(group)
        elif kind == "multipart/alternative":
            self._read_one_of(_list_inner(mail))
        else:
            for inner in _list_inner(mail):
                if sort == "message":
                    self.lines += ["", _WITHIN, ""]
                    self._read_head(inner)
                self._read_body(inner)

    def _read_one_of(self, ways: Sequence[Message]) -> None:
        """Take one of several ways to say the same: the plain one, else the last."""
        kinds = [way.get_content_type() for way in ways]
        chosen = kinds.index("text/plain") if "text/plain" in kinds else len(ways) - 1
        for place, (way, kind) in enumerate(zip(ways, kinds, strict=True)):
            if place == chosen or way.is_multipart():
                self._read_body(way)
            else:
                self._keep(way, kind)

    def _read_text(self, mail: Message, kind: str) -> None:
        """Take a part that is text."""
        text = self._decode_part(mail)
        if self._part == kind:
            self.wanted.append(_close(text).encode("utf-8", "surrogateescape"))
        if kind == "text/html":
            text = find_text(text)
        self.lines += [*text.replace("\r\n", "\n").split("\n"), ""]

    def _keep(self, part: Message, kind: str) -> None:
        """Take a part that is no text of the mail: it can be asked for by its name or type."""
        name = self._decode_field(part.get_filename() or "")
        self.parts.append(name or kind)
        if self._part not in (name, kind):
            return
        raw = part.get_payload(decode=True)
        raw = raw if isinstance(raw, bytes) else b""
        if kind.startswith("text/") and part.get_content_charset():
            raw = self._decode_part(part).encode("utf-8", "surrogateescape")
        self.wanted.append(raw if raw.endswith(b"\n") else raw + b"\n")

    def _decode_part(self, part: Message) -> str:
        raw = part.get_payload(decode=True)
        if not isinstance(raw, bytes):
            raw = str(part.get_payload()).encode("utf-8", "surrogateescape")
        return self._decode(raw, part.get_content_charset() or self._charset)

    def _decode(self, raw: bytes, charset: str) -> str:
        """Return text; bytes that are none in its charset as lone surrogates, which stay bytes."""
        if charset in ("us-ascii", "ascii", "unknown-8bit"):
            charset = self._charset
        try:
            return raw.decode(charset, "surrogateescape")
        except (LookupError, UnicodeError):  # a charset that nobody knows
            self.is_broken = True
            return raw.decode("utf-8", "surrogateescape")


def _list_inner(mail: Message) -> list[Message]:
    """Return the parts of a mail that has several."""
    return [each for each in mail.get_payload() if isinstance(each, Message)]


def _is_file(part: Message, kind: str) -> bool:
    """Return whether a part of text is a file of its own, and no text of the mail."""
    if part.get("content-disposition") is None and kind == "text/plain":
        return False
    return part.get_content_disposition() == "attachment" or (
        kind != "text/plain" and part.get_filename() is not None
    )


def _close(text: str) -> str:
    return text if text.endswith("\n") else text + "\n"
