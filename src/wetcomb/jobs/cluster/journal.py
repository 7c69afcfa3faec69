"""What a run over many parts has done, part by part, so that another can go on from there.

One line of JSON a part, added once the part is in its place. What is told of it is kept as a pickle
of nothing but this tool's own records, numbers and arrays: a line that holds anything else, is cut
short or was made by another version is as if it were not there.
"""

from __future__ import annotations

import base64
import contextlib
import io
import os
import pickle
from collections.abc import Mapping
from pathlib import Path
from typing import IO, Any, TypeVar

import msgspec

from wetcomb.core.errors import OutputError
from wetcomb.jobs.cluster.grouping import PART_NAME
from wetcomb.jobs.cluster.recipe import RUN_FOLDER, BundleDone, Kept, ShareDone

try:
    import fcntl
except ImportError:  # it is not there on Windows
    fcntl = None  # type: ignore[assignment]

__all__ = ["Journal"]

_T = TypeVar("_T")
_NAME = "journal.jsonl"
_PLAIN = {("collections", "Counter"), ("builtins", "set"), ("builtins", "frozenset")}
_ARRAYS = {"_reconstruct", "ndarray", "dtype", "scalar", "_frombuffer"}


class _Header(msgspec.Struct, frozen=True):
    """What all parts of a run depend on."""

    version: str
    comb: str
    options: str


class _Line(msgspec.Struct, frozen=True):
    """A part that was done."""

    part: str
    key: str
    size: int
    digest: str
    told: str


class Journal:
    """The journal of a folder of parts; one run at a time has it.

    Parameters
    ----------
    described : what the parts depend on beside their texts
    begins_anew : parts of a run by another comb, other options or another version give way

    Raises
    ------
    OutputError : the folder cannot be written to, belongs to another run, or one is at work in it
    """

    def __init__(self, folder: Path, described: Mapping[str, str], ending: str, *, begins_anew: bool) -> None:  # fmt: skip
        self.folder, self._wanted = folder, _Header(**described)
        self._known: dict[str, tuple[Kept, int]] = {}  # and where its line begins
        self._was_there = folder.exists()
        path = folder / RUN_FOLDER / _NAME
        try:
            folder.mkdir(exist_ok=True)
            path.parent.mkdir(exist_ok=True)
            self._file: IO[bytes] = path.open("a+b")
        except OSError as error:
            raise OutputError(f"{folder}/: cannot be written to: {error.strerror}") from error
        try:
            self._lock()
            self._read(ending, begins_anew=begins_anew)
        except BaseException:
            self._file.close()
            raise

    def _lock(self) -> None:
        if fcntl is None:
            return
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise OutputError(f"{self.folder}/: another run is writing to it; wait for it, or name another folder") from error  # fmt: skip
        except OSError:
            return  # a place that knows no locks

    def _read(self, ending: str, *, begins_anew: bool) -> None:
        """Read what earlier runs did, and refuse what is not ours."""
        self._file.seek(0)
        header = _decode(self._file.readline(), _Header)
        known: dict[str, tuple[Kept, int]] = {}
        at, raw = self._file.tell(), b"\n"
        for raw in self._file:
            line = _decode(raw, _Line)
            if line is not None and PART_NAME.fullmatch(line.part):
                known[line.part] = Kept(line.key, line.size, line.digest), at
            at += len(raw)
        if header is None or (header != self._wanted and begins_anew):
            if header is None:  # not even --force: what nobody knows would stay among the parts
                self._refuse_strangers(ending)
            for part in known:
                self._remove(part)
            self._file.truncate(0)
            self._add(self._wanted)
            return
        if header != self._wanted:
            names = ("version", "comb", "options")
            other = next(n for n in names if getattr(header, n) != getattr(self._wanted, n))
            what = {
                "version": f"version {header.version} of wetcomb, and this is {self._wanted.version}",
                "comb": "another comb",
                "options": "other options",
            }[other]
            raise OutputError(
                f"{self.folder}/: a run with {what} wrote its parts here; name another folder, or give --force to begin anew"
            )
        if not raw.endswith(b"\n"):  # it was cut short
            self._file.write(b"\n")
        self._known = known

    def _refuse_strangers(self, ending: str) -> None:
        there = next(iter(sorted(self.folder.glob(f"part-*{ending}"))), None)
        if there is not None:
            raise OutputError(f"{there}: this file is there already, and no run that is known wrote it; name another folder")  # fmt: skip

    def find(self, part: str) -> Kept | None:
        """Return by what a part is known again that an earlier run made."""
        return self._known[part][0] if part in self._known else None

    def recall(self, part: str) -> BundleDone | ShareDone | None:
        """Return what was told of a part; None where that cannot be read."""
        if part not in self._known:
            return None
        self._file.seek(self._known[part][1])
        line = _decode(self._file.readline(), _Line)
        return None if line is None else _unpack(line.told)

    def lay_down(self, part: str, done: BundleDone | ShareDone) -> None:
        """Put a part in its place, and take note of it.

        Raises
        ------
        OutputError : it cannot be put there
        """
        try:
            if done.part is not None:
                (self.folder / RUN_FOLDER / part).replace(self.folder / part)
            else:
                (self.folder / part).unlink(missing_ok=True)
            size, digest = (done.part.size, done.part.digest) if done.part else (-1, "")
            at = self._add(_Line(part, done.key, size, digest, _pack(done)))
        except OSError as error:
            raise OutputError(f"{self.folder / part}: cannot be written: {error.strerror}") from error  # fmt: skip
        self._known[part] = Kept(done.key, size, digest), at

    def _add(self, line: msgspec.Struct) -> int:
        """Add a line; return where it begins."""
        at = self._file.seek(0, 2)
        self._file.write(msgspec.json.encode(line) + b"\n")
        self._file.flush()
        os.fsync(self._file.fileno())
        return at

    def leave_out(self, part: str) -> None:
        """Take a part away whose text is set aside after all."""
        self._known.pop(part, None)
        self._remove(part)

    def _remove(self, part: str) -> None:
        (self.folder / part).unlink(missing_ok=True)
        (self.folder / RUN_FOLDER / part).unlink(missing_ok=True)

    def take_away_others(self, parts: set[str]) -> int:
        """Take away the parts that no text makes any more; return how many were there."""
        others = [part for part in self._known if part not in parts]
        number = sum((self.folder / part).is_file() for part in others)
        for part in others:
            self.leave_out(part)
        return number

    def sweep(self) -> None:
        """Take away what lies there of parts that do not count."""
        for path in (self.folder / RUN_FOLDER).iterdir():
            if path.name != _NAME:
                path.unlink(missing_ok=True)

    def close(self) -> None:
        """Let others have the folder; one that was made for nothing is taken away again."""
        self._file.close()
        if not self._known and not self._was_there:
            with contextlib.suppress(OSError):
                (self.folder / RUN_FOLDER / _NAME).unlink()
                (self.folder / RUN_FOLDER).rmdir()
                self.folder.rmdir()


def _decode(raw: bytes, kind: type[_T]) -> _T | None:
    try:
        return msgspec.json.decode(raw, type=kind)
    except msgspec.DecodeError:
        return None


def _pack(done: BundleDone | ShareDone) -> str:
    return base64.b64encode(pickle.dumps(done, 5)).decode()


class _Careful(pickle.Unpickler):
    """Reads back records, counters, sets and arrays; nothing that does anything."""

    def find_class(self, module: str, name: str) -> Any:
        found = super().find_class(module, name) if self._is_known(module, name) else None
        is_record = isinstance(found, type) and issubclass(found, (msgspec.Struct, tuple))
        if found is not None and (is_record or not module.startswith("wetcomb.")):
            return found
        raise pickle.UnpicklingError(f"{module}.{name} has no place here")

    @staticmethod
    def _is_known(module: str, name: str) -> bool:
        is_array = module.partition(".")[0] == "numpy" and name in _ARRAYS
        return module.startswith("wetcomb.") or is_array or (module, name) in _PLAIN or (module, name) == ("msgspec._core", "rebuild")  # fmt: skip


def _unpack(text: str) -> BundleDone | ShareDone | None:
    try:
        done = _Careful(io.BytesIO(base64.b64decode(text))).load()
    except Exception:  # whatever is wrong with it, the part is made again
        return None
    return done if isinstance(done, (BundleDone, ShareDone)) else None
