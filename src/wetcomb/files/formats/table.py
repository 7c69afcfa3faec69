"""Which formats there are: their names, the endings of their files, what writes them."""

from __future__ import annotations

from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from wetcomb.core.errors import UsageError

if TYPE_CHECKING:
    from wetcomb.files.formats.writer import Writer

__all__ = ["FORMATS", "Format", "find_format", "make_writer"]


class Format(msgspec.Struct, frozen=True):
    """One format.

    Attributes
    ----------
    endings : of the files that are written in it
    writer : where the class is that writes it, as module:name in this folder
    settings : what tells it from others of the same class
    """

    endings: tuple[str, ...]
    writer: str
    settings: tuple[bytes, ...] = ()


#: Every format by its name; the first is written where nothing says otherwise.
FORMATS = {
    "csv": Format((".csv",), "delimited:Delimited", (b",",)),
    "tsv": Format((".tsv", ".tab"), "delimited:Delimited", (b"\t",)),
    "jsonl": Format((".jsonl", ".ndjson"), "json_lines:JsonLines"),
    "md": Format((".md",), "markdown:Markdown"),
    "txt": Format((".txt", ".text"), "plain_text:PlainText"),
}
_USUAL = "csv"


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


def make_writer(name: str) -> Writer:
    """Return a writer of a format, for one table."""
    one = FORMATS[name]
    module, kind = one.writer.split(":")
    writer: Writer = getattr(import_module(f"wetcomb.files.formats.{module}"), kind)(*one.settings)
    return writer
