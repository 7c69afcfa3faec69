"""One JSON object a line (RFC 8259)."""

from __future__ import annotations

import json
from collections.abc import Sequence

import numpy as np

from wetcomb.core.gather import weave
from wetcomb.core.table import MISSING
from wetcomb.core.text import count_characters
from wetcomb.files.columns import CellGrid
from wetcomb.files.formats.writer import Writer, escape_values

__all__ = ["JsonLines"]

_ESCAPES = {byte: json.dumps(chr(byte))[1:-1].encode() for byte in (*range(32), 0x22, 0x5C)}


class JsonLines(Writer):
    """One JSON object (RFC 8259) a line; a missing value is null."""

    def __init__(self) -> None:
        super().__init__()
        self._keys: list[bytes] = []

    def write_heading(self, names: Sequence[str], types: Sequence[str] = ()) -> bytes:
        self._keys = [json.dumps(name, ensure_ascii=False).encode() + b": " for name in names]
        self.cell_characters += sum(map(len, names))
        return b""

    def write_rows(self, grid: CellGrid) -> bytes:
        n_rows, n_columns = grid.starts.shape
        if not n_rows:
            return b""
        is_null = (grid.starts == MISSING).ravel()
        data, starts, ends, added = escape_values(grid, _ESCAPES)
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
