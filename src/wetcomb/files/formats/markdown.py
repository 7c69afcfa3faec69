"""A pipe table for people."""

from __future__ import annotations

from collections.abc import Sequence

from wetcomb.core.table import MISSING
from wetcomb.files.columns import CellGrid
from wetcomb.files.formats.writer import Writer

__all__ = ["Markdown"]


class Markdown(Writer):
    """A pipe table for people: bars escaped, line breaks as `<br>`; a value an entry."""

    def write_heading(self, names: Sequence[str], types: Sequence[str] = ()) -> bytes:
        return self._write_line(names) + b"|" + b" --- |" * len(names) + b"\n"

    def write_rows(self, grid: CellGrid) -> bytes:
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
