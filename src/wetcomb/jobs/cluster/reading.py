"""How a worker reads a text: opens it, holds its beginning against the comb, knows it again."""

from __future__ import annotations

from contextlib import closing
from functools import partial
from pathlib import Path

from msgspec.structs import replace

from wetcomb.combs.engine import StepsRun
from wetcomb.combs.part import part_blocks
from wetcomb.core.errors import InputError
from wetcomb.core.report import Report
from wetcomb.files.encodings import Encoding
from wetcomb.files.opening import Reading, open_source, reopen_source
from wetcomb.files.source import BLOCK_SIZE, Source
from wetcomb.jobs.cluster.recipe import Kept, Recipe, TextAt, TextTold, begin_digest
from wetcomb.jobs.fitness import Beginning
from wetcomb.jobs.job import MOST_MOVES

__all__ = ["begin_report", "begin_run", "begin_share_report", "check_fit", "find_digest", "is_there", "open_again", "open_text", "read_beginning"]  # fmt: skip

_COARSE = 2 * 10**9  # nanoseconds by which a shared place may tell times of change otherwise


def open_text(recipe: Recipe, text: TextAt, odd: int | None = None) -> closing[Source]:
    """Open a text by its path, and call it as it was typed.

    Raises
    ------
    InputError : this worker does not see it, or sees another
    """
    settings = recipe.settings
    reading = Reading(settings.read, settings.mail_part, 1, odd)
    try:
        source = open_source(text.where, settings.encoding, reading)
    except InputError as error:
        raise InputError(error.message, source=text.name, line=error.line, column=error.column) from error  # fmt: skip
    source.name = text.name
    return closing(source)


def open_again(text: TextAt, encoding: Encoding | None) -> closing[Source]:
    """Open a long text whose beginning was looked at.

    Raises
    ------
    InputError : it is another text now
    """
    assert encoding is not None
    source = reopen_source(text.where, encoding)
    source.name = text.name
    late = abs(Path(text.where).stat().st_mtime_ns - text.changed) > _COARSE
    if source.size != text.size or late:
        source.close()
        raise InputError("it changed while it was read; hand in a copy that stays as it is", source=text.name)  # fmt: skip
    return closing(source)


def begin_run(recipe: Recipe, source: Source, report: Report, *, is_continued: bool) -> StepsRun:
    memory = recipe.settings.memory
    return StepsRun(
        recipe.comb.steps, report, source=source.name, is_continued=is_continued,
        max_record=memory and memory << 20,
    )  # fmt: skip


def begin_share_report(recipe: Recipe, name: str) -> Report:
    report = Report(source=name if recipe.has_many else "")
    return replace(report, keep_moves=MOST_MOVES) if recipe.settings.moves else report


def begin_report(recipe: Recipe, source: Source) -> Report:
    """Return the report of a text, in which its byte-order mark is told."""
    report = begin_share_report(recipe, source.name)
    report.ledger.source += source.mark_characters
    report.ledger.dropped["byte-order-mark"] += source.mark_characters
    return report


def check_fit(recipe: Recipe, source: Source, told: TextTold) -> Beginning:
    """Take note of how a text is read, and refuse it where it does not fit the comb; return its beginning."""
    told.encoding, told.notes = source.encoding, source.notes
    beginning = read_beginning(recipe, source)
    misfit = beginning.find_misfit() if recipe.is_checked else ""
    if misfit:
        raise InputError(f"does not fit: {misfit}", source=source.name)
    return beginning


def read_beginning(recipe: Recipe, source: Source) -> Beginning:
    """Return the beginning of the part of a text that the comb is for."""
    return Beginning(recipe.comb, source.read_sample(partial(part_blocks, recipe.comb.part)))


def find_digest(where: str, start: int = 0, end: int | None = None) -> str:
    """Return the digest of a file, or of a stretch of it; nothing where it cannot be read."""
    digest = begin_digest()
    try:
        with Path(where).open("rb") as file:
            file.seek(start)
            left = end - start if end is not None else 1 << 62
            while left > 0 and (block := file.read(min(BLOCK_SIZE, left))):
                digest.update(block)
                left -= len(block)
    except OSError:
        return ""
    said: str = digest.hexdigest()
    return said


def is_there(recipe: Recipe, part: str, key: str, known: Kept | None) -> bool:
    """Return whether an earlier run made this very part, and it is still as it was."""
    if known is None or known.key != key:
        return False
    if known.size < 0:
        return True
    path = Path(recipe.folder) / part
    return path.is_file() and path.stat().st_size == known.size and find_digest(str(path)) == known.digest  # fmt: skip
