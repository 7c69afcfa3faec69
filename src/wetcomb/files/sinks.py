"""Where output goes: whole or not at all.

A file is written beside its place under a temporary name and renamed when everything
has been checked. Standard output, and what is no plain file, gets its bytes after the
check as well, out of a temporary file; a `Stream` alone writes as it goes.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import sys
import zlib
from collections.abc import Iterable
from pathlib import Path
from typing import IO

from wetcomb.core.errors import OutputError, UsageError

try:
    import fcntl
except ImportError:  # it is not there on Windows
    fcntl = None  # type: ignore[assignment]

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

    Parameters
    ----------
    keeps_old : the file that is replaced stays, as the next free NAME.old-1

    Raises
    ------
    OutputError : the bytes cannot be written; nothing is left behind
    """

    def __init__(self, target: Path | None, *, keeps_old: bool = False) -> None:
        self._keeps_old = keeps_old
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

    def find_digest(self) -> str:
        """Return the SHA-256 of all bytes that were taken."""
        self._file.flush()
        self._file.seek(0)
        digest = hashlib.file_digest(self._file, "sha256")  # type: ignore[arg-type]
        self._file.seek(0, 2)
        return digest.hexdigest()

    def find_path(self) -> Path | None:
        """Return where its bytes are until they are laid down; None where nobody else can read them."""
        self._file.flush()
        return self._temporary

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
                self._temporary.chmod(_find_mode(self._target))
                if fcntl is None:  # an open file cannot be renamed there
                    self._file.close()
                if self._keeps_old:
                    _keep_old(self._target)
                self._temporary.replace(self._target)  # while it is locked: no other run has it
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
        if self._temporary is not None and fcntl is not None:
            self._temporary.unlink(missing_ok=True)
            self._temporary = None
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


def _keep_old(target: Path) -> None:
    """Give a file that is to be replaced a second name, the next that is free; it is never without one."""
    number = 1
    while target.is_file():
        kept = target.with_name(f"{target.name}.old-{number}")
        try:
            os.link(target, kept)
        except FileExistsError:
            number += 1
        except OSError:  # a place that knows no second names
            import shutil

            while kept.exists():
                number += 1
                kept = target.with_name(f"{target.name}.old-{number}")
            shutil.copy2(target, kept)
            return
        else:
            return


def _open_beside(target: Path) -> tuple[Path, int]:
    """Open the temporary file of another, and lock it; only the one who runs this may read it.

    Its name follows from the other's: what a run that was killed left behind is taken over, and
    where a run still writes to it the lock is held.

    Raises
    ------
    OutputError : another run writes to it
    """
    path = target.parent / f".{target.name[:80]}.{zlib.crc32(os.fsencode(target)):08x}.tmp"
    flags = os.O_RDWR | os.O_CREAT | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0)
    while True:
        handle = os.open(path, flags, 0o600)
        try:
            if _lock(handle, target) and not _is_there(path, handle):
                os.close(handle)  # it was laid down between the two
                continue
            os.ftruncate(handle, 0)
        except BaseException:
            os.close(handle)
            raise
        return path, handle


def _lock(handle: int, target: Path) -> bool:
    """Lock a file; return whether it could be, which not every place allows.

    Raises
    ------
    OutputError : another run has it locked
    """
    if fcntl is None:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError as error:
        raise OutputError(
            f"{target}: another run is writing to it; wait for it, or name another file"
        ) from error
    except OSError:
        return False
    return True


def _is_there(path: Path, handle: int) -> bool:
    """Return whether a path is still that of a file that was opened."""
    try:
        return os.path.samestat(path.stat(follow_symlinks=False), os.fstat(handle))
    except FileNotFoundError:
        return False


def _find_mode(target: Path) -> int:
    """Return the mode of the file that is replaced, or what a new file would get."""
    if target.exists():
        return target.stat().st_mode & 0o777
    mask = os.umask(0)
    os.umask(mask)
    return 0o666 & ~mask
