"""pull at work: chunks of text in, a record for each block out."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from wetcomb.core.batch import Batch, NameSource, StepRun
from wetcomb.core.cutting.ragged import LineDrops
from wetcomb.core.errors import InputError, UsageError, find_nearest
from wetcomb.core.ledger import Charge
from wetcomb.core.snags import SnagRows
from wetcomb.core.table import Table
from wetcomb.core.text import Text, count_line_ends
from wetcomb.match.labels import find_like
from wetcomb.match.mail_heads import LONGEST_HEAD, may_be_of_head
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.pull.blocks import find_blocks, find_mail_heads
from wetcomb.steps.pull.counting import CountingRun
from wetcomb.steps.pull.line_labels import Labels
from wetcomb.steps.pull.lines import Lines, read_lines
from wetcomb.steps.pull.options import BLOCK_WORDS, Pull
from wetcomb.steps.pull.reading import Gone, Reading
from wetcomb.steps.pull.spacing import charge_spacing

__all__ = ["Puller", "begin"]

_LOOKED_AT = 10_000  # lines that a near label is looked for in
_LINES = ("blank-line", "rule", "page-mark", "unclaimed")  # what is told with an example


def begin(options: Pull) -> StepRun:
    """Return a pull ready to run.

    Raises
    ------
    UsageError : the labels are still to be worked out
    """
    if options.unsettled():
        raise UsageError(
            "pull: the labels are still to be worked out; draft a comb first, or give --label"
        )
    if options.column:
        from wetcomb.steps.pull.column import ColumnPuller

        return ColumnPuller(options)
    return Puller(options)


class Puller(CountingRun):
    """Runs one `Pull` over the chunks of one text."""

    def __init__(self, options: Pull) -> None:
        super().__init__(options)
        is_pattern = options.blocks not in BLOCK_WORDS
        self._pattern = compile_pattern(options.blocks) if is_pattern else None
        self._rising = (-1, b"")
        self._is_first = True

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield the blocks that end in a chunk."""
        chunk = batch.text
        lines = read_lines(chunk, is_last=is_last)
        if not is_last:
            lines = _leave_open_head(lines)
        heads = find_mail_heads(lines) if self._options.blocks != "line" else []
        is_rising = self._options.blocks == "rising"
        labels = Labels.gather([])
        if not is_rising:
            labels = self._reader.find_labels(lines, heads)
        blocks = find_blocks(
            lines, labels, heads, self._options.blocks, self._pattern, self._rising
        )
        if not is_last:
            is_open = self._options.blocks == "file" or not blocks.begins.size
            if is_open or (blocks.begins.size < 2 and not blocks.begins[0]):
                yield Batch(chunk)
                return
            lines = lines.cut(int(blocks.begins[-1]))
            blocks = blocks.cut(lines)
            labels = labels.select(labels.lines < lines.n_lines)
            heads = [head for head in heads if head.first < lines.n_lines]
        self._rising = blocks.rising
        if blocks.marks:
            lines = lines.begin_at(np.array([end for _, end in blocks.marks], np.int64))
        if is_rising:
            labels = self._reader.find_labels(lines, heads)
        gone = Gone()
        reading = self._reader.read(chunk, lines, labels, heads, blocks, gone)
        if is_last and not self._reader.seen.n_blocks:
            raise InputError(self._tell_none(lines))
        yield self._build(chunk, lines, reading, gone, is_last=is_last)

    def _tell_none(self, lines: Lines) -> str:
        """Return what is said where nothing that was asked for stands anywhere."""
        if not self._options.label:
            asked = (*self._options.pattern, *self._options.each, *self._options.above)
            what = asked[0] if asked else (*self._options.left_of, "the text before a value")[0]
            return f"no line has {what!r}; look at the lines (wetcomb inspect), or say less in the pattern"
        first = self._reader.names[0]
        said = [find_like(line) for line in lines.as_list()[:_LOOKED_AT]]
        like = dict.fromkeys(word.decode() for word in said if word)
        near = find_nearest(first, like)
        others = "; lines begin with: " + ", ".join([*like][:6]) if like else ""
        return f"no line begins with {first!r} and a mark behind it{near or others}"

    def _build(
        self, chunk: Text, lines: Lines, reading: Reading, gone: Gone, *, is_last: bool
    ) -> Batch:
        laid, stop = reading.laid, chunk.body_size if is_last else lines.end
        charge_spacing(chunk, (reading.starts, reading.ends), gone, stop)
        odd = np.searchsorted(reading.record_starts, chunk.odd_places, "right") - 1
        inside = (odd >= 0) & (chunk.odd_places < stop)
        table = Table(
            laid.text,
            self._reader.columns,
            laid.starts[:, :-1].astype(np.int32),
            laid.ends[:, :-1].astype(np.int32),
            laid.starts[:, -1].astype(np.int32),
            laid.ends[:, -1].astype(np.int32),
            reading.record_starts,
            reading.record_ends,
            SnagRows.join([reading.snags, SnagRows.of(odd[inside], chunk.odd_kinds[inside])]),
            repeats=("other-columns",) if laid.is_repeated else (),
        )
        sources = (NameSource(),) * len(self._reader.columns) if self._is_first else ()
        self._is_first = False
        drops = [LineDrops.of(reason, *gone.gather(reason)) for reason in _LINES]
        return Batch(
            chunk,
            stop,
            count_line_ends(chunk.data[:stop].tobytes(), is_whole=is_last),
            table,
            charges=[Charge(reason, *gone.gather(reason)) for reason in gone.spans],
            drops=LineDrops.join(drops),
            name_sources=sources,
        )


def _leave_open_head(lines: Lines) -> Lines:
    """Return lines without the last ones, if these may be of a head that goes on."""
    told, at = lines.as_list(), lines.n_lines
    while at and lines.n_lines - at < LONGEST_HEAD and may_be_of_head(told[at - 1]):
        at -= 1
    return lines.cut(at)
