"""Lines that were parted into blocks, read: what each column is given, what nothing claims."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Ints, is_among, sort_unique
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.text import Text
from wetcomb.match.labels import LabelFinder, find_like
from wetcomb.match.letter_case import fold_case
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.pull.anchors import Anchors, Taken
from wetcomb.steps.pull.blocks import Blocks, MailHead, find_rules
from wetcomb.steps.pull.claiming import (
    Parts,
    claim,
    claim_left,
    find_before,
    join_spans,
    keep_first_heads,
    leave_inner,
)  # fmt: skip
from wetcomb.steps.pull.laying import Claims, Laid, find_rows, lay_out
from wetcomb.steps.pull.line_labels import LabelReader, Labels
from wetcomb.steps.pull.lines import Lines
from wetcomb.steps.pull.options import BLOCK_WORDS, Pull
from wetcomb.steps.pull.telling import Again, Seen
from wetcomb.steps.pull.values import Values, read_values

__all__ = ["BlockReader", "Gone", "Reading"]

_LIKE = 200  # lines without a label that are looked at for what may be meant
_MORE_WORDS = 2  # than the longest label has, in what looks like one
_MAIL = "mail."  # before a name in the heads of mails


class Gone:
    """Spans that no cell has, by reason."""

    def __init__(self) -> None:
        self.spans: dict[str, list[tuple[Ints, Ints]]] = {}

    def add(self, reason: str, starts: Ints, ends: Ints) -> None:
        """Charge spans; empty ones are none."""
        real = ends > starts
        if real.any():
            self.spans.setdefault(reason, []).append((starts[real], ends[real]))

    def gather(self, reason: str) -> tuple[Ints, Ints]:
        """Return the spans of one reason in order."""
        none = np.zeros(0, np.int64)
        found = self.spans.get(reason, [])
        starts = np.concatenate([none, *(part for part, _ in found)])
        ends = np.concatenate([none, *(part for _, part in found)])
        order = np.argsort(starts, kind="stable")
        return starts[order], ends[order]


class Reading(msgspec.Struct, eq=False):
    """What was pulled out of some lines.

    Attributes
    ----------
    laid : the table
    starts, ends : spans that stand in cells
    snags : of its records
    blocks : the block of each record
    record_starts, record_ends : where that begins and ends
    """

    laid: Laid
    starts: Ints
    ends: Ints
    snags: SnagRows
    blocks: Ints
    record_starts: Ints
    record_ends: Ints


class BlockReader:
    """Pulls what a `Pull` names out of lines; what it counts is in `seen`."""

    def __init__(self, options: Pull) -> None:
        self._options, specs = options, options.specs
        self._texts = list(dict.fromkeys(spec.texts for spec in specs))
        bodies = [[one for one in own if not _is_mail(one)] for own in self._texts]
        self._finder = LabelFinder(bodies, options.label_mark, anywhere=options.labels_anywhere)
        self._reader = LabelReader(self._finder)
        self._mail = {
            fold_case(text[len(_MAIL) :]): place
            for place, own in enumerate(self._texts)
            for text in own
            if _is_mail(text)
        }
        is_pattern = options.blocks not in BLOCK_WORDS
        n_before = len(compile_pattern(options.blocks).fields) if is_pattern else 0
        self._anchors = Anchors(options, n_before + len(specs))
        self.names = tuple(options.names)
        self.columns = (*self.names, *["unclaimed"] * (options.unclaimed == "column"))
        most = max((spec.nth for spec in specs), default=1)
        self._columns_of = np.full((len(self._texts) + 1, most), -1, np.int64)
        self.goes_on = np.zeros(len(self._texts) + 1, np.bool_)
        self.until: list[list[bytes]] = [[] for _ in self._texts]
        self.may_be_rule = options.blocks != "rule"
        ended = [text.partition("=")[::2] for text in options.until]
        for place, spec in enumerate(specs):
            label = self._texts.index(spec.texts)
            self._columns_of[label, spec.nth - 1] = n_before + place
            self.goes_on[label] |= bool({spec.name, "*"} & {*options.multiline})
            self.until[label] += [text.encode() for own, text in ended if own in (spec.name, "*")]
        self.seen = Seen.of(len(self.names))

    def is_like(self, words: bytes) -> bool:
        """Return whether words that stand before a mark are written as the labels are.

        They are hardly more, and begin with a capital where all labels do.
        """
        texts = self._finder.texts
        most = max((len(text.split()) for text in texts), default=0) + _MORE_WORDS
        is_small = all(text[:1].isupper() for text in texts) and words[:1].islower()
        return 0 < len(words.split()) <= most and not is_small

    def find_labels(self, lines: Lines, heads: Sequence[MailHead]) -> Labels:
        """Return the labels of lines; in the heads of mails only names in heads count."""
        in_head = np.zeros(lines.n_lines, np.bool_)
        found = []
        for head in heads:
            in_head[head.first : head.end] = True
            for line, name, at in head.names if self._mail else ():
                if name in self._mail:
                    start, right = int(lines.begins[line]), int(lines.rights[line])
                    value = min(int(lines.starts[line]) + at, right)
                    found.append((line, self._mail[name], start, value, right))
        labels = self._reader.find(lines, skipped=in_head if heads else None)
        return labels.join(Labels.gather(found)) if found else labels

    def read(
        self,
        chunk: Text,
        lines: Lines,
        labels: Labels,
        heads: Sequence[MailHead],
        blocks: Blocks,
        gone: Gone,
        numbers: Ints | None = None,
    ) -> Reading:
        """Return what is pulled out of lines, and charge all that is not.

        Parameters
        ----------
        numbers : source lines in which the blocks begin, where the chunk does not tell them
        """
        of_lines = np.zeros(lines.n_lines, np.int64)
        of_lines[blocks.begins] = 1
        of_lines = np.cumsum(of_lines) - 1
        parts = Parts(blocks.begins, np.append(blocks.begins[1:], lines.n_lines), of_lines)
        labels, head_ends = keep_first_heads(labels, heads, parts)
        if not self._options.again and self._columns_of.shape[1] == 1:
            labels, head_ends = leave_inner(lines, labels, head_ends, of_lines)
        owners = of_lines[labels.lines]
        values = read_values(lines, labels, self, parts.ends[owners], head_ends)
        for reason, spans in values.gone.items():
            for span in spans:
                gone.add(reason, *span)
        columns = self._find_columns(owners, labels)
        rest = self._list_rest(lines, labels, values, parts, blocks, gone)
        taken = self._read_anchors(lines, parts, rest)
        claims, kept, left = claim(labels, values, columns, parts, taken, blocks)
        left = join_spans(left, *find_before(lines, labels))
        if not self._anchors:
            left = join_spans(left, lines.begins[rest], lines.rights[rest])
        if self._options.unclaimed == "column":
            claims, left = claim_left(claims, kept, left, lines, parts, len(self.names))
        gone.add("unclaimed", *left)
        if self._options.again == "rows":
            claims.rows = find_rows(claims, len(self.columns))
        glue = self._options.glue.encode()
        laid = lay_out(chunk, claims, len(self.columns), self._options.again, glue)
        over = laid.over[claims.owners]
        is_open = is_among(kept, np.array(taken.open_ended, np.int64))
        gone.add("label-again", claims.starts[over], claims.ends[over])
        gone.add("label", labels.starts, labels.values)
        literals = np.array(taken.literals, np.int64).reshape(-1, 2)
        gone.add("label", literals[:, 0], literals[:, 1])
        starts = lines.starts[parts.begins[kept]]
        ends = np.append(lines.starts, lines.stops[-1:])[parts.ends[kept]]
        here = chunk.line_numbers(starts) if numbers is None else numbers[kept]
        self._count(values, columns, claims, laid, here)
        if laid.again.any():
            self._count_again(chunk if numbers is None else None, lines, claims, here)
        return Reading(
            laid, claims.starts[~over], claims.ends[~over],
            self._find_snags(lines, values, columns, laid, is_open),
            kept[laid.blocks], starts[laid.blocks], ends[laid.blocks],
        )  # fmt: skip

    def _find_columns(self, owners: Ints, labels: Labels) -> Ints:
        """Return the column of each label: by the how manyth of its kind in its block it is."""
        keys = owners * (len(self._texts) + 1) + labels.labels
        order = np.argsort(keys, kind="stable")
        firsts = np.append(True, np.diff(keys[order]) != 0)[: order.size]
        nth = np.empty_like(order)
        at = np.arange(order.size)
        nth[order] = at - np.maximum.accumulate(np.where(firsts, at, 0))
        table = self._columns_of
        columns = np.where(
            nth < table.shape[1], table[labels.labels, np.minimum(nth, table.shape[1] - 1)], -1
        )
        return np.where(columns >= 0, columns, table[labels.labels, 0])

    def _list_rest(
        self,
        lines: Lines,
        labels: Labels,
        values: Values,
        parts: Parts,
        blocks: Blocks,
        gone: Gone,
    ) -> Ints:
        """Return the lines that no label claims, and charge what stands in blocks and is no text."""
        marks = np.array(blocks.marks, np.int64).reshape(-1, 2)
        gone.add("block-mark", marks[:, 0], marks[:, 1])
        is_used = values.is_taken.copy()
        is_used[labels.lines] = True
        in_block = parts.of_lines >= 0
        is_marked = np.zeros(lines.n_lines, np.bool_)
        is_marked[np.searchsorted(lines.starts, marks[:, 0], "right") - 1] = True
        is_blank = lines.is_blank & in_block & ~is_used & ~is_marked
        has_feed = np.zeros(lines.n_lines, np.bool_)
        feeds = np.flatnonzero(lines.data == 0x0C)
        has_feed[np.searchsorted(lines.starts, feeds[feeds < lines.end], "right") - 1] = True
        for reason, mine in (
            ("blank-line", is_blank & ~has_feed),
            ("page-mark", is_blank & has_feed),
        ):
            gone.add(reason, lines.starts[mine], lines.stops[mine])
        is_free = in_block & ~lines.is_blank & ~is_used
        rules = find_rules(lines, np.flatnonzero(is_free & ~is_marked))
        gone.add("rule", lines.starts[rules], lines.stops[rules])
        is_rest = is_free & ~rules
        ended = is_used | is_marked | is_rest
        gone.add("line-end", lines.ends[ended], lines.stops[ended])
        outside = ~in_block
        gone.add("outside", lines.starts[outside], lines.stops[outside])
        self.seen.n_lines += int((in_block & ~lines.is_blank).sum())
        self.seen.n_outside += int((outside & ~lines.is_blank).sum())
        rest = np.flatnonzero(is_rest)
        for line in rest[: max(0, _LIKE - len(self.seen.like))].tolist():
            if words := find_like(lines.says(line)):
                self.seen.like[words.decode()] = None
        return rest

    def _read_anchors(self, lines: Lines, parts: Parts, rest: Ints) -> Taken:
        """Take what is asked for beside labels out of the lines that none claims, block by block."""
        taken = Taken()
        if not self._anchors:
            return taken
        blocks = parts.of_lines[rest]
        edges = np.searchsorted(blocks, np.arange(parts.begins.size + 1))
        places = rest.tolist()
        for block in np.flatnonzero(np.diff(edges)).tolist():
            every = range(int(parts.begins[block]), int(parts.ends[block]))
            self._anchors.read(lines, block, every, places[edges[block] : edges[block + 1]], taken)
        return taken

    def _find_snags(
        self, lines: Lines, values: Values, columns: Ints, laid: Laid, is_open: Bools
    ) -> SnagRows:
        """Return what is odd in records, by the open ends of their blocks among others."""
        suspects = np.flatnonzero(values.is_suspect)
        spans = values.starts[suspects], values.ends[suspects]
        labels = values.owners[suspects[self._reader.find_inside(lines, *spans)]]
        labels = labels[columns[labels] >= 0]
        claims = (np.cumsum(columns >= 0) - 1)[labels]
        return SnagRows.gather(
            [
                (np.flatnonzero(laid.again), SNAG_CODES["label-again"]),
                (np.flatnonzero(is_open[laid.blocks]), SNAG_CODES["end-missing"]),
                (sort_unique(laid.rows[claims]), SNAG_CODES["label-in-value"]),
            ]
        )

    def _count(
        self, values: Values, columns: Ints, claims: Claims, laid: Laid, numbers: Ints
    ) -> None:
        """Count what is told when all is done."""
        has = np.zeros((numbers.size, len(self.columns)), np.bool_)
        has[claims.records, claims.columns] = True
        self.seen.add_blocks(has[:, : len(self.names)], numbers)
        if not self._options.label_counts:
            return
        is_label = np.flatnonzero(columns >= 0)  # they are the first of all claims, in their order
        for column in range(len(self.names)):
            mine = np.unique(laid.rows[claims.columns == column])
            cells = laid.starts[mine, column], laid.ends[mine, column]
            endings = values.endings[is_label[columns[is_label] == column]]
            is_labels = bool((self._columns_of == column).any())
            self.seen.add_values(laid.text, column, *cells, endings if is_labels else None)

    def _count_again(self, chunk: Text | None, lines: Lines, claims: Claims, numbers: Ints) -> None:
        """Count the blocks in which columns have several values, and look at the first of each.

        The chunk tells their lines; without it they are those of the blocks.
        """
        keys = claims.records * len(self.columns) + claims.columns
        order = np.lexsort((claims.places, keys))
        second = np.flatnonzero(np.diff(keys[order]) == 0) + 1
        again = Seen.of(len(self.names))
        for at in second.tolist():
            first, value = int(order[at - 1]), int(order[at])
            column, record = int(claims.columns[value]), int(claims.records[value])
            number, seen = again.again.get(column, (0, None))
            if seen is not None and seen.record == record:
                continue
            if seen is None:
                places = claims.places[[first, value]]
                line = int(numbers[record])
                again_in = int(chunk.line_numbers(places)[1]) if chunk is not None else line
                before = tuple(_tell_before(lines, int(place)) for place in places)
                seen = Again(line, again_in, (before[0], before[1]), record)
            seen.record = record
            again.again[column] = number + 1, seen
        self.seen.add(again)


def _tell_before(lines: Lines, place: int) -> str:
    """Return the words of a line up to the mark of the label whose value begins at a place."""
    line = int(np.searchsorted(lines.starts, place, "right")) - 1
    said = lines.raw[lines.begins[line] : place].decode(errors="ignore")
    return said.rstrip(" \t:=|.").strip()


def _is_mail(text: str) -> bool:
    return fold_case(text).startswith(_MAIL)
