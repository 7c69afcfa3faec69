"""Formats a table is written in: csv, tsv, jsonl and md.

A writer turns grids into bytes and counts the characters of the cells it has written:
what really stands in the bytes, less what the format itself puts between and into them.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Protocol

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, is_blank
from wetcomb.core.errors import UsageError
from wetcomb.core.gather import find_inside, replace_bytes, weave
from wetcomb.core.table import MISSING
from wetcomb.core.text import count_characters
from wetcomb.files.columns import Grid

__all__ = ["FORMATS", "Writer", "find_format", "make_writer"]

#: Formats by name, with the endings of files that are written in them.
FORMATS = {
    "csv": (".csv",),
    "tsv": (".tsv", ".tab"),
    "jsonl": (".jsonl", ".ndjson"),
    "md": (".md",),
}


def find_format(path: Path | None, stated: str = "") -> str:
    """Return the format that was stated, or the one a file's ending stands for.

    Raises
    ------
    UsageError : the ending stands for none
    """
    if stated or path is None:
        return stated or "csv"
    for name, endings in FORMATS.items():
        if path.suffix.lower() in endings:
            return name
    if not path.is_file() and path.exists():
        return "csv"  # a device or a named pipe has no ending
    known = " ".join(ending for endings in FORMATS.values() for ending in endings)
    raise UsageError(
        f"{path}: no format has this ending; end it in one of {known}, or give --format"
    )


class Writer(Protocol):
    """Turns one table into bytes, heading first.

    Attributes
    ----------
    cell_characters : characters of cells and headings written so far, what the format adds
        left out
    """

    cell_characters: int

    def write_heading(self, names: Sequence[str]) -> bytes:
        """Return the bytes of the heading."""
        ...

    def write_rows(self, grid: Grid) -> bytes:
        """Return the bytes of some records."""
        ...


def make_writer(name: str) -> Writer:
    """Return a writer of a format, for one table."""
    if name == "jsonl":
        return _JsonLines()
    if name == "md":
        return _Markdown()
    return _Delimited(b"," if name == "csv" else b"\t")


class _Delimited:
    """RFC 4180 with LF: quotes only where a reader would need them, marks inside doubled.

    Spacing at a value's edges is quoted too, for a reader that trims; and so is an empty
    value alone on its line, which would else be a blank line.
    """

    def __init__(self, delimiter: bytes) -> None:
        self.cell_characters = 0
        self._delimiter = delimiter
        self._special = delimiter + b'"\r\n'
        # the text after a value: closing mark of this one, delimiter or line end, mark of the next
        self._texts = [
            b'"' * closes + end + b'"' * opens
            for end in (delimiter, b"\n")
            for closes in (False, True)
            for opens in (False, True)
        ]

    def write_heading(self, names: Sequence[str]) -> bytes:
        raw = [name.encode() for name in names]
        stops = np.cumsum([len(name) for name in raw])
        starts = np.concatenate([[0], stops[:-1]])
        data = np.frombuffer(b"".join(raw), np.uint8)
        return self.write_rows(Grid(data, data.size, starts[None, :], stops[None, :]))

    def write_rows(self, grid: Grid) -> bytes:
        n_rows, n_columns = grid.starts.shape
        if not n_rows:
            return b""
        data = grid.data
        starts, ends = _clear_missing(grid)
        cells, places = find_inside(data, grid.body_size, starts, ends, self._special)
        quoted = _has_spacing_at_edge(data, starts, ends)
        quoted[cells] = True
        if n_columns == 1:
            quoted |= ends == starts
        marked = cells[data[places] == ord('"')]
        doubled = 0
        if marked.size:
            rows = np.flatnonzero(np.bincount(marked))
            data, starts, ends, doubled = _replace(data, starts, ends, rows, {ord('"'): b'""'})
        codes = 2 * quoted.view(np.uint8)
        codes[:-1] += quoted[1:]
        codes[n_columns - 1 :: n_columns] += 4
        out = weave(data, grid.body_size, starts, ends, codes, self._texts)
        if quoted[0]:
            out = np.concatenate([np.frombuffer(b'"', np.uint8), out])
        added = doubled + 2 * int(quoted.sum()) + codes.size
        self.cell_characters += count_characters(out) - added
        return out.tobytes()


def _has_spacing_at_edge(data: Bytes, starts: Ints, ends: Ints) -> Bools:
    if not data.size:
        return np.zeros(starts.size, np.bool_)
    at_edge = is_blank(data.take(starts, mode="clip"))
    at_edge |= is_blank(data.take(ends - 1, mode="clip"))
    return at_edge & (ends > starts)


def _replace(
    data: Bytes, starts: Ints, ends: Ints, rows: Ints, table: Mapping[int, bytes]
) -> tuple[Bytes, Ints, Ints, int]:
    """Return text and spans with bytes replaced in some values, and how many were added."""
    starts, ends = starts.copy(), ends.copy()
    data, starts[rows], ends[rows], added = replace_bytes(data, starts[rows], ends[rows], table)
    return data, starts, ends, added


def _clear_missing(grid: Grid) -> tuple[Ints, Ints]:
    """Return all spans in writing order, missing ones as empty."""
    starts, ends = grid.starts.ravel(), grid.ends.ravel()
    is_missing = starts == MISSING
    if not is_missing.any():
        return starts, ends
    return np.where(is_missing, 0, starts), np.where(is_missing, 0, ends)


_ESCAPES = {byte: json.dumps(chr(byte))[1:-1].encode() for byte in (*range(32), 0x22, 0x5C)}


class _JsonLines:
    """One JSON object (RFC 8259) a line; a missing value is null."""

    def __init__(self) -> None:
        self.cell_characters = 0
        self._keys: list[bytes] = []

    def write_heading(self, names: Sequence[str]) -> bytes:
        self._keys = [json.dumps(name, ensure_ascii=False).encode() + b": " for name in names]
        self.cell_characters += sum(map(len, names))
        return b""

    def write_rows(self, grid: Grid) -> bytes:
        n_rows, n_columns = grid.starts.shape
        if not n_rows:
            return b""
        is_null = (grid.starts == MISSING).ravel()
        starts, ends = _clear_missing(grid)
        cells, _ = find_inside(grid.data, grid.body_size, starts, ends, bytes(_ESCAPES))
        data, added = grid.data, 0
        if cells.size:
            rows = np.flatnonzero(np.bincount(cells))
            data, starts, ends, added = _replace(data, starts, ends, rows, _ESCAPES)
        next_null = np.append(is_null[1:], True)
        columns = np.tile(np.arange(n_columns), n_rows)
        codes = 4 * columns + 2 * is_null + next_null
        texts = self._list_texts(n_columns)
        out = weave(data, grid.body_size, starts, ends, codes, texts)
        # what follows a record opens the next one; the last record's is only its end
        first = b"{" + self._keys[0] + self._open(is_null[0])
        tail = len(b"{" + self._keys[0] + b"null")
        out = np.concatenate([np.frombuffer(first, np.uint8), out[:-tail]])
        sizes = np.array([len(text.decode()) for text in texts])
        between = int(sizes[codes].sum()) - len((b"{" + self._keys[0] + b"null").decode())
        self.cell_characters += count_characters(out) - between - len(first.decode()) - added
        return out.tobytes()

    @staticmethod
    def _open(is_null: bool | np.bool_) -> bytes:
        return b"null" if is_null else b'"'

    def _list_texts(self, n_columns: int) -> list[bytes]:
        texts = []
        for column in range(n_columns):
            is_last = column == n_columns - 1
            between = b"}\n{" if is_last else b", "
            key = self._keys[0 if is_last else column + 1]
            for closes in (b'"', b""):
                texts += [closes + between + key + self._open(null) for null in (False, True)]
        return texts


class _Markdown:
    """A pipe table for people: bars escaped, line breaks as `<br>`; a value an entry."""

    def __init__(self) -> None:
        self.cell_characters = 0

    def write_heading(self, names: Sequence[str]) -> bytes:
        return self._write_line(names) + b"|" + b" --- |" * len(names) + b"\n"

    def write_rows(self, grid: Grid) -> bytes:
        lines = []
        for starts, ends in zip(grid.starts.tolist(), grid.ends.tolist(), strict=True):
            spans = zip(starts, ends, strict=True)
            values = [
                "" if start == MISSING else grid.data[start:end].tobytes().decode()
                for start, end in spans
            ]
            lines.append(self._write_line(values))
        return b"".join(lines)

    def _write_line(self, values: Sequence[str]) -> bytes:
        self.cell_characters += sum(map(len, values))
        return ("| " + " | ".join(map(_escape_markdown, values)) + " |\n").encode()


def _escape_markdown(value: str) -> str:
    escaped = value.replace("\\", "\\\\").replace("|", "\\|").replace("<", "&lt;")
    return "<br>".join(escaped.replace("\r\n", "\n").replace("\r", "\n").split("\n"))
