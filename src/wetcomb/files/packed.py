"""Packed texts (gzip, bzip2, xz), known by how they begin, unpacked into a file of their own.

A small file may unpack without end. So it is unpacked piece by piece, and one that grows beyond what
texts do is refused before it fills the disk.
"""

from __future__ import annotations

import bz2
import gzip
import lzma
import re
import tempfile
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import IO, Any

from wetcomb.core.errors import InputError

__all__ = ["strip_ending", "unpack"]

#: How a packed file begins, what that is called, and what reads it.
_KINDS: tuple[tuple[re.Pattern[bytes], str, Callable[[IO[bytes]], Any]], ...] = (
    (re.compile(rb"\x1f\x8b\x08"), "gzip", lambda file: gzip.GzipFile(fileobj=file)),
    (re.compile(rb"BZh[1-9](1AY&SY|\x17rE8P\x90)"), "bzip2", bz2.BZ2File),
    (re.compile(rb"\xfd7zXZ\x00"), "xz", lzma.LZMAFile),
)
_ENDINGS = (".gz", ".bz2", ".xz")
_PIECE = 1 << 20
_ALWAYS, _MOST_TIMES = 256 << 20, 200  # bytes that any file may unpack to; times its own size


def unpack(file: IO[bytes], name: str) -> IO[bytes] | None:
    """Return what a packed file holds, as a temporary file; None where it is not packed.

    Raises
    ------
    InputError : it ends early, is damaged, or grows without end
    """
    file.seek(0)
    head = file.read(16)
    kind = next((one for one in _KINDS if one[0].match(head)), None)
    size = file.seek(0, 2)
    file.seek(0)
    if kind is None:
        return None
    _, what, begin = kind
    spool = tempfile.TemporaryFile()  # noqa: SIM115 - the source closes it
    n_unpacked = 0
    try:
        packed = begin(file)
        while piece := packed.read(_PIECE):
            spool.write(piece)
            n_unpacked += len(piece)
            if n_unpacked > max(_ALWAYS, _MOST_TIMES * size):
                raise InputError(
                    f"it unpacks to more than {_MOST_TIMES} times its size ({n_unpacked >> 20:,} MiB so far), as no text does; unpack it yourself if it is right",
                    source=name,
                )
    except BaseException as error:
        spool.close()
        if isinstance(error, EOFError):
            raise InputError(
                f"this {what} file ends early, behind {n_unpacked:,} bytes of text; fetch it once more",
                source=name,
            ) from error
        if isinstance(error, (OSError, zlib.error, lzma.LZMAError)):
            raise InputError(
                f"this {what} file is damaged behind {n_unpacked:,} bytes of text ({error}); fetch it once more",
                source=name,
            ) from error
        raise
    return spool


def strip_ending(path: Path) -> Path:
    """Return a path without the ending that says that it is packed."""
    return path.with_suffix("") if path.suffix.lower() in _ENDINGS else path
