"""Where output goes: whole or not at all.

A file is written beside its place under a temporary name and renamed when everything
has been checked. Standard output, and what is no plain file, gets its bytes after the
check as well, out of a temporary file; a `Stream` alone writes as it goes.
"""

from __future__ import annotations

import contextlib
import os
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import IO

from wetcomb.core.errors import OutputError, UsageError

__all__ = ["Sink", "Stream", "check_target"]


def check_target(target: Path, *, force: bool, inputs: Iterable[Path]) -> None:
    """Refuse a place that must not or cannot be written to, before any work is done.

    Raises
    ------
    OutputError : the file is there already, or its folder is not
    UsageError : it is one of the inputs
    """
    try:
        with contextlib.suppress(FileNotFoundError):
            target.stat()
    except OSError as error:
        raise OutputError(f"{target}: cannot be written: {error.strerror}") from error
    for path in inputs:
        with contextlib.suppress(OSError):
            if path.samefile(target):
                raise UsageError(f"{target}: this is the input; the source is never written over")
    if target.is_dir():
        raise OutputError(f"{target}: this is a folder; name a file in it")
    if not target.parent.is_dir():
        raise OutputError(
            f"{target}: the folder {str(target.parent)!r} does not exist; make it first"
        )
    if target.is_file() and not force:
        raise OutputError(f"{target}: this file is there already; --force replaces it")


class Sink:
    """Takes bytes, keeps them out of sight, and lays them down at `commit`.

    Raises
    ------
    OutputError : the bytes cannot be written; nothing is left behind
    """

    def __init__(self, target: Path | None) -> None:
        self._target = target.resolve() if target is not None else None
        is_plain = self._target is not None and (
            self._target.is_file() or not self._target.exists()
        )
        self._temporary: Path | None = None
        self.size = 0
        try:
            if is_plain and self._target is not None:
                self._temporary, handle = _open_beside(self._target)
                self._file: IO[bytes] = os.fdopen(handle, "w+b")
            else:
                import tempfile

                self._file = tempfile.TemporaryFile()  # noqa: SIM115 - closed at commit or discard
        except OSError as error:
            raise self._refuse(error) from error

    def _refuse(self, error: OSError) -> OutputError:
        where = self._target or "standard output"
        return OutputError(f"{where}: cannot be written: {error.strerror}; nothing was written")

    def write(self, data: bytes | memoryview) -> None:
        """Take some bytes."""
        try:
            self._file.write(data)
        except OSError as error:
            raise self._refuse(error) from error
        self.size += len(data)

    def prepare(self) -> None:
        """Make sure that every byte has arrived; after this `commit` can hardly fail."""
        try:
            self._file.flush()
            if self._file.seek(0, 2) != self.size:
                raise OutputError(f"{self._target}: not every byte arrived; nothing was written")
        except OSError as error:
            raise self._refuse(error) from error

    def commit(self) -> None:
        """Lay the bytes down in their place."""
        try:
            if self._temporary is not None and self._target is not None:
                self._file.close()
                self._temporary.chmod(_find_mode(self._target))
                self._temporary.replace(self._target)
                self._temporary = None
                return
            import shutil

            self._file.seek(0)
            if self._target is None:
                if sys.stdout is None:
                    raise OutputError("standard output is closed; name a file (-o FILE)")
                shutil.copyfileobj(self._file, sys.stdout.buffer, 1 << 20)
                sys.stdout.buffer.flush()
            else:
                with self._target.open("wb") as device:
                    shutil.copyfileobj(self._file, device, 1 << 20)
        except BrokenPipeError:
            raise
        except OSError as error:
            raise self._refuse(error) from error
        finally:
            self.discard()

    def discard(self) -> None:
        """Leave nothing behind."""
        with contextlib.suppress(OSError):
            self._file.close()
        if self._temporary is not None:
            self._temporary.unlink(missing_ok=True)
            self._temporary = None


class Stream(Sink):
    """Standard output, each piece as it comes: what has gone out cannot be taken back.

    Raises
    ------
    OutputError : it is closed, or the bytes cannot be written
    """

    def __init__(self) -> None:
        super().__init__(None)
        if sys.stdout is None:
            raise OutputError("standard output is closed; name a file (-o FILE)")

    def write(self, data: bytes | memoryview) -> None:
        """Write some bytes."""
        assert sys.stdout is not None
        try:
            sys.stdout.buffer.write(data)
            sys.stdout.buffer.flush()
        except BrokenPipeError:
            raise
        except OSError as error:
            raise OutputError(f"standard output: cannot be written: {error.strerror}") from error
        self.size += len(data)

    def prepare(self) -> None:
        """All has gone out already."""

    def commit(self) -> None:
        """All has gone out already."""
        self.discard()


def _open_beside(target: Path) -> tuple[Path, int]:
    """Open a file of a name that is free beside another; only the one who runs this may read it."""
    while True:
        name = f".{target.name[:80]}.{os.urandom(4).hex()}.tmp"
        with contextlib.suppress(FileExistsError):
            path = target.parent / name
            flags = os.O_RDWR | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0)
            return path, os.open(path, flags, 0o600)


def _find_mode(target: Path) -> int:
    """Return the mode of the file that is replaced, or what a new file would get."""
    if target.exists():
        return target.stat().st_mode & 0o777
    mask = os.umask(0)
    os.umask(mask)
    return 0o666 & ~mask
