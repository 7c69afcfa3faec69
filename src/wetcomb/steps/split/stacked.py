"""split --stacked: a wide table printed as blocks of columns one under another.

Blocks are parted by blank lines; each has its own heading and its own edges, and begins with
the same column of row labels. A set of blocks ends where the first block's heading comes
again or a page begins. Rows of a set are put together by label, equal ones in their order;
a row that some block lacks has missing cells there, and one that the first block lacks stands
at the end of its set: both are snags, and so are labels that almost agree. A mark without
letters or digits that ends the heading of every block but the last only says that more
follows, and leaves.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Spans
from wetcomb.core.batch import Batch, NameSource, StepRun
from wetcomb.core.cutting.ragged import LineDrops
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.ledger import Charge
from wetcomb.core.snags import SnagRows
from wetcomb.core.table import MISSING
from wetcomb.core.text import Text, count_line_ends
from wetcomb.steps.split.blank_edges import fill_columns, find_edges
from wetcomb.steps.split.options import Split
from wetcomb.steps.split.run import Splitter
from wetcomb.steps.split.stacked_rows import JoinedBlocks, Span

__all__ = ["StackedSplitter"]

_FORM_FEED = b"\f"
_MARK = re.compile(rb"[ \t]([!-/:-@\[-`{-~]{1,3})[ \t]*$")


class _Stack(msgspec.Struct):
    """A block: its bytes from `start` to `end`, its heading lines, its lines of records.

    `gap` is how many blank lines stand before it, `mark` where a mark stands that more follows.
    """

    start: int
    end: int
    heading: list[tuple[int, int]]
    body: list[tuple[int, int]]
    begins_page: bool
    gap: int
    mark: tuple[int, int] | None = None


class StackedSplitter(StepRun):
    """Runs one `Split` over the chunks of a text of stacked blocks."""

    def __init__(self, options: Split) -> None:
        self._options = options
        self._first_words: bytes | None = None
        self._gap: int | None = None  # blank lines between blocks; more belong to a heading
        self._names: tuple[str, ...] | None = None
        edges = options.edges
        self._edges: list[tuple[int, ...] | str] = [edges] if isinstance(edges, tuple) else []
        if isinstance(edges, str) and edges[0].isdecimal():
            self._edges = [tuple(map(int, part.split(","))) for part in edges.split("/")]
        elif isinstance(edges, str):
            self._edges = [edges]

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield the records of the sets of blocks that are whole."""
        yield self._join_sets(batch.text, is_last=is_last)

    def _join_sets(self, chunk: Text, *, is_last: bool) -> Batch:
        data = chunk.data[: chunk.body_size].tobytes()
        n_heading = self._options.n_heading
        if self._gap is None:
            sets = self._part_sets(data, _list_blocks(data, n_heading))
            if len(sets) > 1 or is_last:
                self._gap = min((block.gap for block in sets[0][1:]), default=1) if sets else 1
        sets = self._part_sets(data, _list_blocks(data, n_heading, self._gap))
        taken = sets if is_last else sets[:-1]
        if not taken:
            if is_last:
                raise InputError("there are no blocks in it: every line is blank")
            return Batch(chunk)
        used = len(data) if is_last else taken[-1][-1].end
        joined = [self._join_set(chunk, data, blocks) for blocks in taken]
        made = joined[0]
        for more in joined[1:]:
            made = _append(made, more)
        return replace(made, used=used, n_lines=count_line_ends(data[:used]))

    def _part_sets(self, data: bytes, blocks: list[_Stack]) -> list[list[_Stack]]:
        """Return the blocks in sets; a set begins like the first, or with a page."""
        sets: list[list[_Stack]] = []
        for block in blocks:
            words = b" ".join(b"\n".join(data[a:b] for a, b in block.heading).split())
            first = self._first_words if sets or self._names else None
            self._first_words = first or words
            if not sets or block.begins_page or (words and words == first):
                sets.append([])
            sets[-1].append(block)
        return sets

    def _join_set(self, chunk: Text, data: bytes, blocks: list[_Stack]) -> Batch:
        """Return the records of one set, its blocks side by side."""
        _find_marks(data, blocks)
        names, parts = list(self._options.names), []
        found = [self._find_edges(data, block, k, len(blocks)) for k, block in enumerate(blocks)]
        n_columns = 1 + sum(map(len, found))
        if names and len(names) != n_columns:
            raise UsageError(f"--names gives {len(names)} names for {n_columns} columns")
        for block, edges in zip(blocks, found, strict=True):
            mine = names[: len(edges) + 1] if isinstance(edges, tuple) else []
            names = mine[:1] + names[len(edges) + 1 :]  # later blocks begin with the label again
            parts.append(self._cut(chunk, data, block, edges, mine))
        joined = JoinedBlocks(chunk, parts[0], len(blocks[0].heading))
        for place, part in enumerate(parts[1:], 1):
            joined.add(part, len(blocks[place].heading))
        made = joined.finish(is_named=bool(self._options.names))
        table = made.table
        assert table is not None
        if self._names is None:
            self._names = table.names
            return made
        if len(table.names) != len(self._names):
            raise InputError(
                f"the blocks that begin here have {len(table.names)} columns, those before {len(self._names)}",
                line=int(chunk.line_numbers(np.array([blocks[0].start]))[0]),
            )
        return _forget_names(made, self._names)

    def _find_edges(
        self, data: bytes, block: _Stack, place: int, n_blocks: int
    ) -> tuple[int, ...] | str:
        edges = self._edges
        if len(edges) > 1:
            if len(edges) != n_blocks:
                raise InputError(
                    f"--edges gives edges for {len(edges)} blocks, but there are {n_blocks}"
                )
            return edges[place]
        if edges[0] != "blanks":
            return edges[0]
        lines = [data[a:b].decode().rstrip("\r\n") for a, b in block.heading + block.body]
        filled = fill_columns([line.lstrip("\f") for line in lines], self._options.tab_width)
        found = find_edges(filled, len(block.heading), 1)
        if not found:
            raise InputError(
                "--edges blanks: no display column is blank in all lines of this block; give the edges as numbers, block by block (32,46/31,43)",
                line=data[: block.start].count(b"\n") + 1,
            )
        return found

    def _cut(
        self,
        chunk: Text,
        data: bytes,
        block: _Stack,
        edges: tuple[int, ...] | str,
        names: Sequence[str],
    ) -> Batch:
        """Return what plain splitting makes of one block, told in the places of the chunk."""
        n_heading = sum(bool(data[a:b].strip()) for a, b in block.heading)
        options = replace(
            self._options,
            stacked=False,
            edges=edges,
            heading=n_heading or "none",
            names=tuple(names),
        )
        raw = data[block.start : block.end]
        if block.mark is not None:
            a, b = block.mark[0] - block.start, block.mark[1] - block.start
            raw = raw[:a] + b" " * (b - a) + raw[b:]
        line = int(chunk.line_numbers(np.array([block.start]))[0])
        text = chunk.slice(block.start, block.end, line)
        text = replace(text, data=np.frombuffer(raw, np.uint8))
        (made,) = Splitter(options).feed(Batch(text), is_last=True)
        made = _move(made, chunk, block.start)
        return _charge_mark(made, block.mark) if block.mark else made


def _list_blocks(data: bytes, n_heading: int, gap: int | None = None) -> list[_Stack]:
    """Return the blocks of a text; blank lines belong to the block above them.

    Where `gap` is known, blank lines beyond it are the first lines of a heading.
    """
    starts = Text.of(data).line_starts.tolist()
    blocks: list[_Stack] = []
    blank: list[tuple[int, int]] = []
    is_open = False
    for start, end in zip(starts, [*starts[1:], len(data)], strict=True):
        line = data[start:end]
        block = blocks[-1] if blocks else None
        if block is not None and is_open and len(block.heading) < n_heading:
            block.heading.append((start, end))
        elif not line.strip():
            is_open = False
            blank.append((start, end))
        elif block is not None and is_open and _FORM_FEED not in line:
            block.body.append((start, end))
        else:
            is_page = _FORM_FEED in line or any(_FORM_FEED in data[a:b] for a, b in blank)
            surplus = min(len(blank) - gap, n_heading - 1) if blocks and gap is not None else 0
            own = [*blank[len(blank) - max(0, surplus) :], (start, end)]
            block = _Stack(own[0][0] if blocks else 0, end, [], [], is_page, len(blank))
            if blocks:
                blocks[-1].end = block.start
            (block.heading if n_heading else block.body).extend(own)
            blocks.append(block)
            blank, is_open = [], True
        if blocks:
            blocks[-1].end = end
    return blocks


def _find_marks(data: bytes, blocks: list[_Stack]) -> None:
    """Note the mark that ends the first heading line of every block but the last."""
    if len(blocks) < 2 or not blocks[0].heading:
        return
    found = [_MARK.search(data[a:b].rstrip(b"\r\n")) for a, b in (bl.heading[0] for bl in blocks)]
    marks = {match[1] if match else b"" for match in found[:-1]}
    if len(marks) != 1 or b"" in marks or (found[-1] and found[-1][1] in marks):
        return
    for block, match in zip(blocks, found[:-1], strict=False):
        assert match is not None
        start = block.heading[0][0]
        block.mark = start + match.start(1), start + match.end(1)


def _charge_mark(batch: Batch, mark: tuple[int, int]) -> Batch:
    """Charge the mark that was read as blanks by its own name."""
    begin, end = mark
    charges = [Charge("block-mark", np.array([begin]), np.array([end]))]
    for charge in batch.charges:
        hit = (charge.starts <= begin) & (end <= charge.ends)
        if hit.any():
            starts = np.sort(np.concatenate([charge.starts, [end]]))
            ends = np.sort(np.concatenate([charge.ends, [begin]]))
            charge = charge._replace(starts=starts, ends=ends)
        charges.append(charge)
    return replace(batch, charges=charges)


def _move(part: Batch, chunk: Text, by: int) -> Batch:
    """Return what was made of a slice of a chunk as if it had been made of the chunk."""
    table = part.table
    assert table is not None
    assert table.text.data.size == table.text.body_size, "edges build no values"

    def shift(spans: Spans) -> Spans:
        return np.where(spans == MISSING, MISSING, spans + by).astype(np.int32)

    table = replace(
        table,
        text=chunk,
        starts=shift(table.starts),
        ends=shift(table.ends),
        rest_starts=shift(table.rest_starts),
        rest_ends=shift(table.rest_ends),
        record_starts=table.record_starts + by,
        record_ends=table.record_ends + by,
    )
    drops = part.drops
    if drops is not None:
        drops = LineDrops(drops.starts + by, drops.ends + by, drops.reasons)
    sources = tuple(
        NameSource(_shift_spans(source.spans, by), _shift_spans(source.again, by))
        for source in part.name_sources
    )
    charges = [c._replace(starts=c.starts + by, ends=c.ends + by) for c in part.charges]
    return replace(
        part, text=chunk, table=table, drops=drops, name_sources=sources, charges=charges
    )


def _shift_spans(spans: Sequence[Span], by: int) -> tuple[Span, ...]:
    return tuple((start + by, end + by) for start, end in spans)


def _forget_names(batch: Batch, names: tuple[str, ...]) -> Batch:
    """Return a later set with the names of the first; its own only say them again."""
    assert batch.table is not None
    return replace(batch.without_names(), table=replace(batch.table, names=names))


def _append(batch: Batch, more: Batch) -> Batch:
    """Return the records of two sets as one batch."""
    first, second = batch.table, more.table
    assert first is not None and second is not None
    assert batch.drops is not None and more.drops is not None
    moved = second.snags.move(np.arange(second.n_records) + first.n_records)
    fields = ("starts", "ends", "rest_starts", "rest_ends", "record_starts", "record_ends")
    joined = {
        name: np.concatenate([getattr(first, name), getattr(second, name)]) for name in fields
    }
    table = replace(first, **joined, snags=SnagRows.join([first.snags, moved]))
    return replace(
        batch,
        table=table,
        charges=[*batch.charges, *more.charges],
        drops=LineDrops.join([batch.drops, more.drops]),
    )
