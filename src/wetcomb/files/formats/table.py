"""Which formats there are: their names, the endings of their files, what writes them."""

from __future__ import annotations

from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from wetcomb.core.errors import UsageError

if TYPE_CHECKING:
    from wetcomb.files.formats.delimited import Style
    from wetcomb.files.formats.writer import Writer

__all__ = [
    "FORMATS", "LINE_ENDS", "READ_AS", "TEXTUAL", "WRITE_DELIMITERS", "Format", "Writing", "find_format", "make_writer",
]  # fmt: skip


class Format(msgspec.Struct, frozen=True):
    """One format.

    Attributes
    ----------
    endings : of the files that are written in it
    writer : where the class is that writes it, as module:name in this folder
    needs : what its class is given: "style", how values are parted, "title", what the table is
        called, "target", where the file is to stand, "heading", whether a text begins with one,
        "part", whether it is one of several files that make a table
    delimiter : what parts values, where a mark does
    """

    endings: tuple[str, ...]
    writer: str
    needs: tuple[str, ...] = ()
    delimiter: bytes = b""


#: Every format by its name; the first is written where nothing says otherwise.
FORMATS = {
    "csv": Format((".csv",), "delimited:Delimited", ("style",), b","),
    "tsv": Format((".tsv", ".tab"), "delimited:Delimited", ("style",), b"\t"),
    "jsonl": Format((".jsonl", ".ndjson"), "json_lines:JsonLines"),
    "md": Format((".md",), "markdown:Markdown"),
    "html": Format((".html", ".htm"), "page:Page", ("title",)),
    "xlsx": Format((".xlsx",), "workbook:Workbook", ("title",)),
    "parquet": Format((".parquet",), "parquet:Parquet", ("title", "part")),
    "sqlite": Format((".sqlite", ".sqlite3", ".db"), "database:Database", ("title", "target")),
    "txt": Format((".txt", ".text"), "plain_text:PlainText", ("heading",)),
}
#: Formats that are text, and may go to a screen.
TEXTUAL = ("csv", "tsv", "jsonl", "md", "html", "txt")
#: What may part values instead, by the words it is asked for with.
WRITE_DELIMITERS = {"comma": b",", "semicolon": b";", "tab": b"\t", "pipe": b"|"}
LINE_ENDS = {"lf": b"\n", "crlf": b"\r\n"}
#: What parts the columns of a table that is read as one; JSON lines are laid out with commas.
READ_AS = {"csv": "comma", "tsv": "tab", "jsonl": "comma"}
_USUAL, _UNTITLED = "csv", "records"


class Writing(msgspec.Struct, frozen=True):
    """How values parted by a mark are written for whoever opens the file.

    Attributes
    ----------
    delimiter, line_ends : words of `WRITE_DELIMITERS` and `LINE_ENDS`; the usual ones if empty
    mark : a byte-order mark in front
    guards : values that a spreadsheet could take for formulas get an apostrophe in front
    """

    delimiter: str = ""
    line_ends: str = ""
    mark: bool = False
    guards: bool = False

    def make_style(self, usual: bytes) -> Style:
        """Return the style of a format that parts values by a mark."""
        from wetcomb.files.formats.delimited import Style

        return Style(
            WRITE_DELIMITERS[self.delimiter] if self.delimiter else usual,
            LINE_ENDS[self.line_ends or "lf"],
            b"\xef\xbb\xbf" if self.mark else b"",
            self.guards,
        )


def find_format(path: Path | None, stated: str = "") -> str:
    """Return the format that was stated, or the one a file's ending stands for.

    Raises
    ------
    UsageError : the ending stands for none
    """
    if stated or path is None:
        return stated or _USUAL
    for name, one in FORMATS.items():
        if path.suffix.lower() in one.endings:
            return name
    if not path.is_file() and path.exists():
        return _USUAL  # a device or a named pipe has no ending
    known = " ".join(ending for one in FORMATS.values() for ending in one.endings)
    raise UsageError(
        f"{path}: no format has this ending; end it in one of {known}, or give --format"
    )


def make_writer(
    name: str,
    target: Path | None = None,
    writing: Writing | None = None,
    *,
    has_heading: bool = False,
    is_part: bool = False,
) -> Writer:
    """Return a writer of a format, for one table.

    Parameters
    ----------
    target : where it goes; a table that has a name is called after it
    has_heading : the name of the only column is the first line of a text
    is_part : other files go on with the table

    Raises
    ------
    UsageError : what the format needs is not installed, or it parts no values by a mark
    """
    one, writing = FORMATS[name], writing or Writing()
    if writing != Writing() and not one.delimiter:
        raise UsageError(
            f"--write-delimiter, --write-line-ends, --write-mark and --guard-formulas are about csv and tsv, and {name} is written"
        )
    given: dict[str, Any] = {
        "style": writing.make_style(one.delimiter),
        "title": target.stem if target is not None else _UNTITLED,
        "target": target,
        "heading": has_heading,
        "part": is_part,
    }
    module, kind = one.writer.split(":")
    made = getattr(import_module(f"wetcomb.files.formats.{module}"), kind)
    writer: Writer = made(*[given[need] for need in one.needs])
    return writer
