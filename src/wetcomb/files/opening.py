"""Where sources come from: paths and standard input, unpacked, mails decoded, JSON lines laid out."""

from __future__ import annotations

import stat
import sys
from pathlib import Path
from typing import IO

import msgspec
from msgspec.structs import replace

from wetcomb.core.errors import InputError
from wetcomb.files.encodings import Encoding
from wetcomb.files.source import BLOCK_SIZE, Source

__all__ = ["MAIL_ENDINGS", "Reading", "open_source", "reopen_source"]

#: Endings of files that hold mails.
MAIL_ENDINGS = (".eml", ".mbox", ".mbx")


def _spool(stream: IO[bytes]) -> IO[bytes]:
    """Return all that comes out of a stream as a temporary file; the source closes it."""
    import shutil
    import tempfile

    spool = tempfile.TemporaryFile()  # noqa: SIM115 - the source closes it
    shutil.copyfileobj(stream, spool, BLOCK_SIZE)
    return spool


class Reading(msgspec.Struct, frozen=True):
    """What a file is read as.

    Attributes
    ----------
    kind : mail or jsonl, where it is stated; else its ending says whether it is of mails
    part : which part of mails is meant
    n_processes : that read mails
    odd : where the first byte of a plain file stands that is not ASCII, where that is known
    """

    kind: str = ""
    part: str = ""
    n_processes: int = 1
    odd: int | None = None


def open_source(where: str, stated: str = "", reading: Reading | None = None) -> Source:
    """Return the source at a path, or standard input for `-`; what is packed is unpacked.

    Raises
    ------
    InputError : there is nothing to read there, or it is no text
    """
    reading = reading or Reading()
    if where == "-":
        spool = _spool(sys.stdin.buffer)
        return _begin("standard input", None, spool, stated, reading)
    path = Path(where)
    try:
        if path.is_dir():
            raise InputError("this is a folder; name a file in it", source=where)
        file = path.open("rb")
        if not stat.S_ISREG(path.stat().st_mode):
            with file:
                spool = _spool(file)
            file = spool  # type: ignore[assignment]
    except FileNotFoundError as error:
        raise InputError(_tell_missing(path), source=where) from error
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", source=where) from error
    return _begin(where, path, file, stated, reading)


def reopen_source(where: str, encoding: Encoding) -> Source:
    """Return a source that is a plain file, whose encoding was found before.

    Raises
    ------
    InputError : it is not there any more
    """
    path = Path(where)
    try:
        return Source(where, path, path.open("rb"), "", known=encoding)
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", source=where) from error


def _begin(name: str, path: Path | None, file: IO[bytes], stated: str, reading: Reading) -> Source:
    """Return the source; a file that is none is let go of."""
    from wetcomb.files.packed import strip_ending, unpack

    try:
        unpacked = unpack(file, name)
        if unpacked is not None:
            file.close()
            file = unpacked
            path = None if path is None else strip_ending(path)
        if reading.kind == "jsonl":
            return _begin_json(name, path, file)
        if reading.kind == "mail" or (path is not None and path.suffix.lower() in MAIL_ENDINGS):
            return _begin_mails(name, path, file, stated, reading)
        if reading.part:
            raise InputError(
                f"--part {reading.part}: this is no file of mails (--read mail, if it is); wetcomb inspect numbers the parts of a text",
                source=name,
            )
        source = Source(name, path, file, stated, odd=reading.odd)
        source.is_file = path is not None and unpacked is None
        return source
    except BaseException:
        file.close()
        raise


def _begin_json(name: str, path: Path | None, file: IO[bytes]) -> Source:
    """Return the source of the table that JSON lines are, which is laid into a file of its own."""
    import tempfile

    from wetcomb.files.json_text import lay_out_json

    if not file.seek(0, 2):
        raise InputError("this is empty; there is nothing to rebuild", source=name)
    spool = tempfile.TemporaryFile()  # noqa: SIM115 - the source closes it
    try:
        n_objects = lay_out_json(file, spool, name)
        source = Source(name, path, spool, "utf-8")
    except BaseException:
        spool.close()
        raise
    file.close()
    what = "1 JSON object" if n_objects == 1 else f"{n_objects:,} JSON objects"
    source.encoding = replace(source.encoding, how="laid out from JSON")
    source.notes = (f"{what}, laid out as a table: that text is what is counted.",)
    return source


def _begin_mails(
    name: str, path: Path | None, file: IO[bytes], stated: str, reading: Reading
) -> Source:
    """Return the source of what mails say, which is laid into a file of its own."""
    import tempfile

    from wetcomb.files.mail import decode_mails

    if not file.seek(0, 2):
        raise InputError("this is empty; there is nothing to rebuild", source=name)
    spool = tempfile.TemporaryFile()  # noqa: SIM115 - the source closes it
    try:
        found = decode_mails(
            file, spool, name, charset=stated, part=reading.part, n_processes=reading.n_processes
        )
        source = Source(name, path, spool, "" if reading.part else "utf-8", found.broken)
    except BaseException:
        spool.close()
        raise
    file.close()
    source.tell_mails(found.n_mails, reading.part, [*found.parts])
    return source


def _tell_missing(path: Path) -> str:
    from wetcomb.core.errors import find_nearest

    folder = path.parent
    names = [entry.name for entry in folder.iterdir()] if folder.is_dir() else []
    return f"no such file{find_nearest(path.name, names)}"
