"""Sources: paths and standard input, as blocks of valid UTF-8, counted as they go.

Standard input is kept in a temporary file first, so that every source can be looked at
and read again. A byte that is no text in the source's encoding is written as `\\xNN` and
its place is handed on, so that its record becomes a snag; nothing is dropped.
"""

from __future__ import annotations

import codecs
import hashlib
import os
import re
from bisect import bisect_left
from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path
from typing import IO

from msgspec.structs import replace

from wetcomb.core.decoded import Decoded, Sample
from wetcomb.core.errors import InputError
from wetcomb.files.encodings import Encoding, find_encoding

__all__ = ["BLOCK_SIZE", "HEAD_BYTES", "Source"]

BLOCK_SIZE = 1 << 20
SAMPLE_BYTES, SAMPLE_LINES = 4 << 20, 10_000
HEAD_BYTES = 1 << 18  # by which it is told what a text is written in, where it is not all ASCII
_LINE_END = re.compile(rb"\r\n|\n|\r")

#: Tells of each block of a text whether it is inside the part meant, and whether that ends.
Pick = Callable[[Iterator[Decoded]], Iterable[tuple[Decoded, bool, bool]]]


def part_whole(blocks: Iterator[Decoded]) -> Iterator[tuple[Decoded, bool, bool]]:
    """Say that all of a text is meant."""
    return ((block, True, False) for block in blocks)


_SURROGATES = re.compile("[\udc00-\udcff]")


def _keep_bytes(error: UnicodeError) -> tuple[str, int]:
    """Keep each byte that is no text as a lone surrogate; decoded text has none of its own."""
    assert isinstance(error, UnicodeDecodeError)
    bad = error.object[error.start : error.end]
    return "".join(chr(0xDC00 + byte) for byte in bad), error.end


codecs.register_error("wetcomb-keep", _keep_bytes)


class Source:
    """One text to be read, as often as it is asked for.

    Attributes
    ----------
    name : what messages call it
    path : where it is, None for standard input
    size : its bytes
    encoding : what it is written in
    notes : what is to be told of how it was read
    is_file : its bytes are those of the file at `path`, neither unpacked nor decoded

    Parameters
    ----------
    odd : where its first byte stands that is not ASCII, where that is known; -1 where there is none
    known : what it is written in, where that is known
    """

    is_file = False

    def __init__(
        self,
        name: str,
        path: Path | None,
        file: IO[bytes],
        stated: str,
        broken: Sequence[int] = (),
        odd: int | None = None,
        known: Encoding | None = None,
    ) -> None:
        self.name, self.path, self._file = name, path, file
        self.size = file.seek(0, 2)
        self._broken = broken  # places of mails that are not built as they should be
        self._changed = os.fstat(file.fileno()).st_mtime_ns if path is not None else 0
        self.notes: tuple[str, ...] = ()
        if self.size == 0:
            raise InputError("this is empty; there is nothing to rebuild", source=name)
        self.encoding: Encoding = known or self._find_encoding(stated, odd)

    def _find_encoding(self, stated: str, odd: int | None) -> Encoding:
        head = self._read_head(odd)
        return find_encoding(head, self.name, stated, is_whole=len(head) == self.size)

    def _read_head(self, known: int | None) -> bytes:
        """Return the first bytes, and those around the first that is not ASCII, if it comes later."""
        self._file.seek(0)
        head = self._file.read(HEAD_BYTES)
        if not head.isascii() or b"\x00" in head or known == -1:
            return head
        if known is not None:
            self._file.seek(known - (known - HEAD_BYTES) % BLOCK_SIZE)
        while block := self._file.read(BLOCK_SIZE):
            if not block.isascii():
                odd = next(place for place, byte in enumerate(block) if byte > 0x7F)
                return head + block[odd : odd + HEAD_BYTES]
        return head

    def read_blocks(self, progress: Callable[[int], None] | None = None) -> Iterator[Decoded]:
        """Yield the text from its beginning; `progress` is told how many bytes have been read."""
        self._file.seek(len(self.encoding.mark))
        is_utf8 = self.encoding.name == "utf-8"
        decoder = codecs.getincrementaldecoder(self.encoding.name)("wetcomb-keep")
        n_read, carried = 0, b""
        while raw := self._file.read(BLOCK_SIZE):
            start = len(self.encoding.mark) + n_read - len(carried)
            n_read += len(raw)
            if is_utf8 and not carried and raw.isascii():
                yield self._mark(Decoded(raw, len(raw)), start, len(raw))
            elif is_utf8:
                whole, carried = _cut_character(carried + raw)
                yield self._mark(_check_utf8(whole), start, len(whole))
            else:
                yield _encode(decoder.decode(raw))
            if progress is not None:
                progress(n_read)
        tail = (
            carried.decode("utf-8", "wetcomb-keep") if is_utf8 else decoder.decode(b"", final=True)
        )
        if tail:
            yield _encode(tail)

    def find_digest(self) -> str:
        """Return the SHA-256 of all its bytes; it is known again by that."""
        digest = hashlib.sha256()
        self._file.seek(0)
        while raw := self._file.read(BLOCK_SIZE):
            digest.update(raw)
        return digest.hexdigest()

    def read_bytes(self, start: int, end: int) -> bytes:
        """Return some bytes as they are, wherever else the source is being read."""
        return os.pread(self._file.fileno(), end - start, start)

    def read_stretch(self, start: int, end: int) -> Iterator[tuple[Decoded, bool]]:
        """Yield what lies between two ends of lines, and whether it is the last of it; UTF-8 only."""
        carried, begin = b"", start
        n_blocks = max(1, round((end - start) / BLOCK_SIZE))  # none is so short as to be dear
        size = -(-(end - start) // n_blocks)
        while start < end:
            raw = self.read_bytes(start, min(start + size, end))
            if not raw:
                raise self._tell_change(start)
            start += len(raw)
            if start == end:
                yield self._mark(_check_utf8(carried + raw), begin, len(carried + raw)), True
                return
            whole, carried = _cut_character(carried + raw)
            yield self._mark(_check_utf8(whole), begin, len(whole)), False
            begin += len(whole)

    def _mark(self, block: Decoded, start: int, size: int) -> Decoded:
        """Return a block, of so many bytes from a place on, with the broken mails that stand in it."""
        first, last = bisect_left(self._broken, start), bisect_left(self._broken, start + size)
        if first == last:
            return block
        grown = len(r"\xNN") - 1  # a byte that is no text is written longer
        places = []
        for place in self._broken[first:last]:
            at = place - start
            for nth, odd in enumerate(block.undecodable):
                at += grown if odd - nth * grown < place - start else 0
            places.append(min(at, len(block.data) - 1))
        return replace(block, broken=tuple(places))

    def read_sample(self, pick: Pick = part_whole) -> Sample:
        """Return the text's beginning, cut at a line end: at most 10,000 lines or 4 MiB.

        Blank lines in front do not count. `pick` tells of each block whether it is inside the
        part that is meant.
        """
        parts: list[bytes] = []
        size, lines, before = 0, 0, 0
        is_whole = True
        for block, is_inside, is_end in pick(self.read_blocks()):
            n_lines = len(_LINE_END.findall(block.data))
            if not is_inside or (not parts and not block.data.strip()):
                before += n_lines
                continue
            data = block.data
            if not parts:
                data = data.lstrip(b"\r\n")
                before += len(_LINE_END.findall(block.data[: len(block.data) - len(data)]))
            parts.append(data)
            size += len(data)
            lines += n_lines
            if is_end:
                break
            if size > SAMPLE_BYTES or lines > SAMPLE_LINES:
                is_whole = False
                break
        sample = b"".join(parts)
        if is_whole and size <= SAMPLE_BYTES and lines <= SAMPLE_LINES:
            return Sample(sample, before + 1)
        ends = [match.end() for match in _LINE_END.finditer(sample[:SAMPLE_BYTES])]
        stop = ends[min(SAMPLE_LINES, len(ends)) - 1] if ends else SAMPLE_BYTES
        return Sample(sample[:stop], before + 1, stop >= len(sample) and is_whole)

    def tell_mails(self, n_mails: int, part: str, attached: Sequence[str]) -> None:
        """Say that this is what some mails say, or a part of them, and which files are attached."""
        what = "1 mail" if n_mails == 1 else f"{n_mails:,} mails"
        if part:
            self.notes = (f"Part {part!r} of {what}.",)
            return
        self.encoding = replace(self.encoding, how="decoded from mails")
        told = f"{what}, decoded: that text is what is counted"
        if attached:
            names = ", ".join(map(repr, attached[:4])) + ", ..." * (len(attached) > 4)
            told += f"; attached and not read: {names} (--part NAME)"
        self.notes = (f"{told}.",)

    def check_unchanged(self) -> None:
        """Raise InputError if it is another text now than when it was opened."""
        if self.path is None:
            return
        now = os.fstat(self._file.fileno())
        if (now.st_size, now.st_mtime_ns) != (self.size, self._changed):
            raise self._tell_change(now.st_size)

    def _tell_change(self, size: int) -> InputError:
        became = (
            f"{self.size:,} bytes at first, {size:,} now"
            if size != self.size
            else "as long as before"
        )
        return InputError(
            f"it changed while it was read ({became}); nothing was written; hand in a copy that stays as it is",
            source=self.name,
        )

    @property
    def mark_characters(self) -> int:
        """How many characters the byte-order mark is: one, or none."""
        return int(bool(self.encoding.mark))

    def close(self) -> None:
        """Let go of the file."""
        self._file.close()


def _cut_character(data: bytes) -> tuple[bytes, bytes]:
    """Return the bytes up to the last whole character, and the beginning of one behind them."""
    for back in range(1, min(4, len(data) + 1)):
        byte = data[-back]
        if byte >= 0xC0:
            needed = 2 if byte < 0xE0 else 3 if byte < 0xF0 else 4
            return (data[:-back], data[-back:]) if needed > back else (data, b"")
        if byte < 0x80:
            break
    return data, b""


def _check_utf8(data: bytes) -> Decoded:
    try:
        return Decoded(data, len(data.decode()))
    except UnicodeDecodeError:
        return _encode(data.decode("utf-8", "wetcomb-keep"))


def _encode(text: str) -> Decoded:
    """Return decoded text as a block; bytes that could not be decoded become `\\xNN`."""
    try:
        return Decoded.of(text)
    except UnicodeEncodeError:
        pass
    parts, places, size, done = [], [], 0, 0
    for found in _SURROGATES.finditer(text):
        part = text[done : found.start()]
        size += len(part.encode())
        places.append(size)
        parts += [part, f"\\x{ord(found[0]) - 0xDC00:02X}"]
        size += 4
        done = found.end()
    return Decoded.of("".join([*parts, text[done:]]), tuple(places))
