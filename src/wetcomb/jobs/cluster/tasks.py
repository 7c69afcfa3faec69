"""What a worker does: comb whole texts, look at a long one, survey it, comb a share of it.

Each task is a function of what it is given and of the bytes of its texts. So it may run again
anywhere, and comes out the same; what it writes counts only once that is said elsewhere.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path

from wetcomb.combs.engine import StepsRun, check_edges
from wetcomb.combs.part import part_blocks
from wetcomb.core.batch import Batch
from wetcomb.core.doubts import Doubt
from wetcomb.core.errors import BrokenPromise, InputError, OutputError, WetCombError
from wetcomb.core.report import Report
from wetcomb.core.text import count_line_ends
from wetcomb.files.source import BLOCK_SIZE, HEAD_BYTES, Source
from wetcomb.jobs.cluster.grouping import HELD
from wetcomb.jobs.cluster.part_writer import PartWriter
from wetcomb.jobs.cluster.reading import (
    begin_report,
    begin_run,
    begin_share_report,
    check_fit,
    find_digest,
    is_there,
    open_again,
    open_text,
    read_beginning,
)
from wetcomb.jobs.cluster.recipe import (
    BundleDone,
    Kept,
    LookDone,
    Recipe,
    ShareDone,
    SurveyDone,
    TextAt,
    TextTold,
    find_key,
)
from wetcomb.jobs.helpers import keep_memory
from wetcomb.jobs.job import check_kept, check_names
from wetcomb.jobs.shares import (
    FIRST_SHARE,
    SHARE,
    Combed,
    Share,
    comb_share,
    find_last_record,
    find_share_end,
)

__all__ = ["begin_long", "comb_bundle", "comb_piece", "doubt_long", "look", "survey"]

_FAULT = "this is a fault of wetcomb, not of the text"


class _SetAside(Exception):
    """A text cannot be combed; its text says why."""


class _Spoiled(Exception):
    """Some of a text was written, and then it could not be: the part is begun anew without it."""

    def __init__(self, told: TextTold) -> None:
        super().__init__(told.why)
        self.told = told


@contextmanager
def _set_aside(name: str) -> Iterator[None]:
    """Turn what is wrong with a text into one error that says why it has no records.

    A place that takes no more bytes is not the text's fault.
    """
    try:
        yield
    except WetCombError as error:
        if isinstance(error, OutputError) and isinstance(error.__cause__, OSError):
            raise
        said = str(error).removeprefix(f"{name}:").strip()
        raise _SetAside(f"line {said}" if said[:1].isdecimal() and isinstance(error, InputError) and error.line else said) from error  # fmt: skip
    except BrokenPromise as error:
        raise _SetAside(f"{_FAULT}: {error}") from error


def comb_bundle(
    recipe: Recipe, texts: Sequence[TextAt], part: str, names: tuple[str, ...], first: str, known: Kept | None
) -> BundleDone:  # fmt: skip
    """Comb whole texts one after another into a part; those that cannot be are set aside.

    Parameters
    ----------
    names : of the columns, from the text `first`; empty where the table begins here
    known : what an earlier run made of this part
    """
    recipe.check_version()
    digests = [find_digest(text.where) for text in texts]
    key = find_key(part, names, first, [(text.name, digest) for text, digest in zip(texts, digests, strict=True)])  # fmt: skip
    if is_there(recipe, part, key, known):
        return BundleDone(is_kept=True)
    aside: dict[str, TextTold] = {}
    while True:
        try:
            return _comb_all(recipe, texts, part, BundleDone(key, names=names), first, aside)
        except _Spoiled as spoiled:
            aside[spoiled.told.name] = spoiled.told


def _comb_all(
    recipe: Recipe, texts: Sequence[TextAt], part: str, done: BundleDone, first: str, aside: Mapping[str, TextTold]
) -> BundleDone:  # fmt: skip
    """Comb whole texts into a part, but for those that were set aside before."""
    writer = PartWriter(recipe, part, is_further=bool(done.names))
    try:
        for text in texts:
            told = aside.get(text.name)
            if told is None:
                told = _comb_text(recipe, text, done, first, writer, len(texts))
            done.texts.append(told)
            if not first and done.names:
                first = text.name
        if all(told.why for told in done.texts):
            writer.discard()
        else:
            done.part, done.written = writer.finish()
    except BaseException:
        writer.discard()
        raise
    return done


def _comb_text(recipe: Recipe, text: TextAt, done: BundleDone, first: str, writer: PartWriter, n_texts: int) -> TextTold:  # fmt: skip
    """Comb one whole text; what is made of it is written once all of it is, if it shares its part."""
    if text.size > HELD:
        keep_memory()
    begin, held, is_writing = time.perf_counter(), list[Batch](), False
    told, layout, names = TextTold(text.name), recipe.lay_out(text.name), list[tuple[str, ...]]()

    def take(batch: Batch) -> None:
        if batch.table is not None:
            check_names(batch.table.names, done.names, text.name, first)
            names.append(batch.table.names)
        if n_texts > 1:
            held.append(batch)
        else:
            writer.write(batch, layout, text.name)

    try:
        with _set_aside(text.name), open_text(recipe, text) as source:
            report = begin_report(recipe, source)
            told.doubts = check_fit(recipe, source, told).find_doubts()
            run = begin_run(recipe, source, report, is_continued=bool(done.names))
            for stretch in part_blocks(recipe.comb.part, source.read_blocks()):
                for batch in run.take(stretch):
                    take(batch)
            run.tell(report)
            run.finish()
            check_edges(recipe.comb.steps, report, source.name)
            check_kept(report, 0, source.name)
            source.check_unchanged()
            is_writing = True
            for batch in held:
                writer.write(batch, layout, text.name)
            done.report.add(report)
            done.names = done.names or names[0]
    except _SetAside as reason:
        told.why, told.is_unseen = str(reason), not Path(text.where).exists()
        if is_writing:
            raise _Spoiled(told) from reason
    told.seconds = time.perf_counter() - begin
    return told


def look(recipe: Recipe, text: TextAt, odd: int | None) -> LookDone:
    """Look at the beginning of a long text: whether it fits, and whether it can be combed in shares.

    Parameters
    ----------
    odd : where its first byte stands that is not ASCII, where that is known; -1 where there is none
    """
    recipe.check_version()
    keep_memory()
    done = LookDone(TextTold(text.name))
    try:
        with _set_aside(text.name), open_text(recipe, text, -1 if odd is None else odd) as source:
            check_fit(recipe, source, done.told)
            report = Report(source=text.name if recipe.has_many else "")
            run = begin_run(recipe, source, report, is_continued=False)
            done.start = len(source.encoding.mark)
            is_local = (
                source.is_file and source.encoding.name == "utf-8" and recipe.comb.part.is_whole
            )
            if not is_local or not run.can_share:
                return done
            is_found = odd is not None or bool(recipe.settings.encoding)
            done.is_plain = not is_found and source.read_bytes(0, HEAD_BYTES).isascii()
            head, combed = _find_head(recipe, source, done.start)
            if combed.end is not None and combed.report.names and head < recipe.part_size:
                done.can_share, done.head = True, head
                done.names, done.state = combed.report.names, combed.state
    except _SetAside as reason:
        done.told.why, done.told.is_unseen = str(reason), not Path(text.where).exists()
    return done


def _find_head(recipe: Recipe, source: Source, start: int) -> tuple[int, Combed]:
    """Return where the beginning ends that tells the heading, and what came of it."""
    size = FIRST_SHARE
    while True:
        end = find_share_end(source, start + size)
        _, combed = _prime(recipe, source, Share(start, end, 1))
        is_told = combed.end is not None and combed.report.names
        if is_told or end >= source.size or end - start > recipe.part_size:
            return end, combed
        size = end - start + SHARE


def _prime(recipe: Recipe, source: Source, head: Share) -> tuple[StepsRun, Combed]:
    """Return steps that know the heading of a text, and what they made of its beginning."""
    run = begin_run(recipe, source, Report(), is_continued=False)
    return run, comb_share(run, source, head, run.state, Report(), lambda _: None)


def begin_long(recipe: Recipe, text: TextAt, seen: LookDone) -> StepsRun:
    """Return steps that know the heading of a long text, and have counted nothing."""
    with open_again(text, seen.told.encoding) as source:
        run, _ = _prime(recipe, source, Share(seen.start, seen.head, 1))
    run.give_counts()
    return run


def survey(recipe: Recipe, text: TextAt, seen: LookDone, first: int, number: int) -> SurveyDone:
    """Return where a stretch of a long text is cut: so many shares from one on, counted from 0."""
    recipe.check_version()
    found = list[tuple[int, Share]]()
    with open_again(text, seen.told.encoding) as source:
        run, _ = _prime(recipe, source, Share(seen.start, seen.head, 1))

        def cut(nth: int) -> tuple[int, int]:
            """Return where the share before a cut ends, and where the one behind it begins."""
            place = seen.start + nth * recipe.part_size
            if nth == 0 or place >= source.size:
                return (min(place, source.size),) * 2
            end = find_share_end(source, place)
            return end, find_last_record(run, source, end, seen.state) if end < source.size else end

        line, odd = 1, -1
        before, start = cut(first)
        for nth in range(first, first + number):
            end, behind = cut(nth + 1)
            if end > before:
                found.append((nth, Share(start, end, line)))
            n_lines, at = _count_lines(source, start, behind)
            line, odd = line + n_lines, at if odd < 0 else odd
            before, start = end, behind
    return SurveyDone(found, line - 1, odd)


def _count_lines(source: Source, start: int, end: int) -> tuple[int, int]:
    """Return how many ends of lines a stretch has, and where its first byte stands that is not ASCII."""
    number, odd, is_open = 0, -1, False
    while start < end:
        block = source.read_bytes(start, min(start + BLOCK_SIZE, end))
        if not block:
            break
        number += count_line_ends(block) - (is_open and block.startswith(b"\n"))
        if odd < 0 and not block.isascii():
            odd = start + next(place for place, byte in enumerate(block) if byte > 0x7F)
        is_open = block.endswith(b"\r")
        start += len(block)
    return number, odd


def comb_piece(
    recipe: Recipe, text: TextAt, seen: LookDone, share: Share, state: tuple[bool, ...], part: str,
    names: tuple[str, ...], known: Kept | None,
) -> ShareDone:  # fmt: skip
    """Comb a share of a long text into a part.

    Parameters
    ----------
    state : what the share before it is thought to carry on
    names : of the columns, where the table was begun in another text
    """
    recipe.check_version()
    begin = time.perf_counter()
    keep_memory()
    told, layout = TextTold(text.name), recipe.lay_out(text.name)
    is_first = share.start == seen.start
    with open_again(text, seen.told.encoding) as source:
        key = find_key(
            part, text.name, share, state, names, share.end == source.size,
            find_digest(text.where, seen.start, seen.head), find_digest(text.where, share.start, share.end),
        )  # fmt: skip
        if is_there(recipe, part, key, known):
            return ShareDone(is_kept=True)
        writer = PartWriter(recipe, part, is_further=bool(names) or not is_first)
        try:
            with _set_aside(text.name):
                report = (
                    begin_report(recipe, source)
                    if is_first
                    else begin_share_report(recipe, text.name)
                )
                run = begin_run(recipe, source, Report(), is_continued=bool(names))
                if is_first:
                    state = run.state
                else:
                    head = Share(seen.start, seen.head, 1)
                    comb_share(run, source, head, run.state, Report(), lambda _: None)
                combed = comb_share(
                    run, source, share, state, report,
                    lambda batch: writer.write(batch, layout, text.name),
                )  # fmt: skip
                source.check_unchanged()
            done = ShareDone(key, told, report, combed.counts, combed.end, combed.state)
            done.part, done.written = writer.finish()
        except _SetAside as reason:
            writer.discard()
            told.why = str(reason)
            return ShareDone(key, told)
        except BaseException:
            writer.discard()
            raise
    told.seconds = time.perf_counter() - begin
    return done


def doubt_long(recipe: Recipe, text: TextAt, seen: LookDone) -> tuple[Doubt, ...]:
    """Return what speaks against the comb for the beginning of a long text."""
    recipe.check_version()
    with open_again(text, seen.told.encoding) as source:
        return read_beginning(recipe, source).find_doubts()
