"""Tables in files held against each other; the differences as a table of their own."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import msgspec

from wetcomb.combs.compare import compare
from wetcomb.combs.engine import StepsRun
from wetcomb.combs.part import Part, part_blocks
from wetcomb.combs.sides import Side, do_both
from wetcomb.core.comparison import Comparison, Difference
from wetcomb.core.errors import UsageError, WetCombError
from wetcomb.core.report import Report
from wetcomb.core.table import Table
from wetcomb.files.formats.table import READ_AS, find_format, make_writer
from wetcomb.files.listings import make_grid
from wetcomb.files.opening import Reading, open_source
from wetcomb.files.packed import strip_ending
from wetcomb.files.sinks import Sink, check_target
from wetcomb.files.source import Source
from wetcomb.jobs.helpers import become_helper, count_processors
from wetcomb.jobs.settings import JobSettings
from wetcomb.steps.registry import Split

__all__ = ["CompareSettings", "compare_files", "hold_against_old", "make_side", "open_table"]

_NAMES = ("what", "old_line", "new_line", "key", "column", "old", "new")
_COMPARED = (
    64 << 20
)  # bytes of a file and of the one that it replaces, compared while somebody waits
_LARGE, _TWO = 8 << 20, 2  # bytes of both that are worth a second process; processors
_ROWS = 1 << 13  # differences that are written at once


class CompareSettings(msgspec.Struct, frozen=True, kw_only=True):
    """What is held against what, and how.

    Attributes
    ----------
    read : how both are parted, where their endings do not say so
    output : where the differences go as a table
    """

    old: str
    new: str
    by: Sequence[str] = ()
    read: str = ""
    encoding: str = ""
    ignore_case: bool = False
    ignore_spacing: bool = False
    output: Path | None = None
    force: bool = False


def compare_files(settings: CompareSettings) -> Comparison:
    """Return how two tables in files differ; the differences are written where that is asked for.

    Raises
    ------
    UsageError : one cannot be read as a table, they have no column in common, the key is none
    """
    if settings.old == settings.new == "-":
        raise UsageError("only one of two tables can come from standard input")
    if settings.output is not None:
        inputs = [Path(name) for name in (settings.old, settings.new) if name != "-"]
        check_target(settings.output, force=settings.force, inputs=inputs)
    with ExitStack() as stack:
        sides, sources = [], []
        for name in (settings.old, settings.new):
            source, how = open_table(name, settings.read, settings.encoding)
            stack.callback(source.close)
            sources.append(source)
            sides.append(make_side(source, how))
        listing = None if settings.output is None else _Listing(settings.output)
        try:
            found = compare(
                *sides,
                by=settings.by,
                ignore_case=settings.ignore_case,
                ignore_spacing=settings.ignore_spacing,
                take=None if listing is None else listing.take,
                both=_do_both if sum(source.size for source in sources) >= _LARGE else do_both,
            )
            if listing is not None:
                listing.commit()
        finally:
            if listing is not None:
                listing.discard()
    return found


_task: Callable[[], Any] | None = None


def _do_both(first: Callable[[], Any], second: Callable[[], Any]) -> tuple[Any, Any]:
    """Call two functions at once, the second in a process of its own, where there are two processors."""
    global _task
    if sys.platform != "linux" or count_processors() < _TWO:
        return do_both(first, second)
    import multiprocessing
    from concurrent.futures import ProcessPoolExecutor

    _task = second  # what a forked process finds in place
    pool = ProcessPoolExecutor(1, multiprocessing.get_context("fork"), initializer=become_helper)
    try:
        other = pool.submit(_call)
        return first(), other.result()
    finally:
        pool.shutdown(cancel_futures=True)
        _task = None


def _call() -> Any:
    assert _task is not None
    return _task()


def open_table(name: str, read: str, encoding: str = "") -> tuple[Source, str]:
    """Return a table's source and what parts its columns.

    Raises
    ------
    UsageError : its ending does not say how it is to be read
    """
    how = read
    if not how:
        form = "csv" if name == "-" else _find_form(Path(name))
        if form not in READ_AS:
            raise UsageError(
                f"{name}: csv, tsv and jsonl can be held against each other, and this is {form}; write it as one of them, or say how its columns are parted (--read semicolon)"
            )
        how = form
    return open_source(name, encoding, Reading("jsonl" if how == "jsonl" else "")), READ_AS.get(how, how)  # fmt: skip


def _find_form(path: Path) -> str:
    try:
        return find_format(strip_ending(path))
    except UsageError:
        return f"none of them ({path.suffix or 'no ending'})"


def make_side(source: Source, how: str) -> Side:
    """Return a table for comparing: read as often as it is asked for."""
    split = Split(delimiter=(how,), heading="first", fields=0)

    def read() -> Iterable[Table]:
        return _read(split, source)

    return Side(source.name, read)


def _read(split: Split, source: Source) -> Iterator[Table]:
    run = StepsRun([split], Report(), source=source.name)
    for stretch in part_blocks(Part(), source.read_blocks()):
        for batch in run.take(stretch):
            if batch.table is not None:
                yield batch.table


class _Listing:
    """The differences as a table, written some at a time, laid down when all is done."""

    def __init__(self, path: Path) -> None:
        self._writer = make_writer(find_format(path), path)
        self._sink = Sink(path)
        self._rows: list[list[str]] = []
        self._sink.write(self._writer.write_heading(_NAMES))

    def take(self, one: Difference) -> None:
        lines = [str(line or "") for line in (one.old_line, one.new_line)]
        self._rows.append([one.what, *lines, one.key, one.column, one.old, one.new])
        if len(self._rows) >= _ROWS:
            self._write()

    def _write(self) -> None:
        self._sink.write(self._writer.write_rows(make_grid(self._rows, len(_NAMES))))
        self._rows = []

    def commit(self) -> None:
        """Lay the table down."""
        self._write()
        self._sink.write(self._writer.write_end())
        self._sink.prepare()
        self._sink.commit()

    def discard(self) -> None:
        """Leave nothing behind."""
        self._writer.close()
        self._sink.discard()


def hold_against_old(settings: JobSettings, new: Path | None) -> Comparison | str:
    """Return how a table differs from the file that it replaces; nothing where there is none."""
    old = settings.output
    if old is None or new is None or not old.is_file():
        return ""
    form = find_format(old, settings.format)
    size = old.stat().st_size + new.stat().st_size
    if form not in READ_AS or size > _COMPARED:
        return f"{old}; {'a table so large' if form in READ_AS else f'what is {form}'} is not held against it here"
    read = settings.write_delimiter or form
    try:
        found = compare_files(
            CompareSettings(old=str(old), new=str(new), by=settings.by, read=read)
        )
    except WetCombError as error:
        return f"{old}, which cannot be held against it: {str(error).replace(str(new), 'the new table')}"
    found.new = "the new table"
    return found
