"""pull at work: chunks of text in, a record for each block out."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise

import msgspec
import numpy as np

from wetcomb.core.arrays import Ints
from wetcomb.core.batch import Batch, NameSource, StepRun, Told
from wetcomb.core.cutting.ragged import LineDrops
from wetcomb.core.errors import InputError, UsageError, find_nearest
from wetcomb.core.ledger import Charge
from wetcomb.core.line_charges import Span, charge_edge, prove_charges, to_arrays
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import MISSING, Table
from wetcomb.core.text import Text, count_line_ends
from wetcomb.match.labels import LabelFinder, find_like, looks_like_label
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.pull.blocks import Line, find_begins, read_lines
from wetcomb.steps.pull.options import BLOCK_WORDS, Pull

__all__ = ["Puller", "begin"]

_LOOKED_AT = 10_000  # lines that a near label is looked for in
_SHORT_RULE = 3  # marks of a line that may be a value
_MAIL = "mail."  # before a name in the heads of mails
_SEPARATORS = b";,|\xc2\xb7"
_REASONS = (
    "spacing", "line-end", "page-mark", "label", "delimiter", "quote-mark", "unclaimed", "outside",
    "label-again", "blank-line", "rule",
)  # fmt: skip


def begin(options: Pull) -> Puller:
    """Return a pull ready to run.

    Raises
    ------
    UsageError : the labels are still to be worked out
    """
    return Puller(options)


class _Record(msgspec.Struct):
    """A record in the making: for each label its values, each as the pieces it is put together of."""

    start: int
    stop: int
    cells: dict[int, list[list[Span]]] = msgspec.field(default_factory=dict)
    unclaimed: list[Span] = msgspec.field(default_factory=list)


class Puller(StepRun):
    """Runs one `Pull` over the chunks of one text.

    Raises
    ------
    UsageError : the labels are still to be worked out
    """

    def __init__(self, options: Pull) -> None:
        if options.unsettled():
            raise UsageError(
                "pull: the labels are still to be worked out; draft a comb first, or give --label"
            )
        self._options, specs = options, options.specs
        self._finder = LabelFinder(
            [
                [text for text in texts if not text.casefold().startswith(_MAIL)]
                for texts, _ in specs
            ],
            options.label_mark,
            anywhere=options.labels_anywhere,
        )
        self._mail = {
            text[len(_MAIL) :].casefold(): place
            for place, (texts, _) in enumerate(specs)
            for text in texts
            if text.casefold().startswith(_MAIL)
        }
        self._names = tuple(name for _, name in specs)
        self._columns = (*self._names, *["unclaimed"] * (options.unclaimed == "column"))
        is_pattern = options.blocks not in BLOCK_WORDS
        self._pattern = compile_pattern(options.blocks) if is_pattern else None
        self._goes_on = {self._names.index(name) for name in options.multiline}
        ended = [text.partition("=")[::2] for text in options.until]
        self._until = [
            [text.encode() for name, text in ended if name in (own, "*")] for own in self._names
        ]
        self._counts: Counter[int] = Counter()  # blocks that each label stands in
        self._without: dict[int, int] = {}  # the line of the first block that lacks each label
        self._n_blocks, self._n_outside = 0, 0
        self._is_first = True

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield the blocks that end in a chunk."""
        chunk = batch.text
        lines = read_lines(chunk, self._finder, self._mail, is_last=is_last)
        begins = find_begins(lines, self._options.blocks, self._pattern)
        stop = chunk.body_size
        if not is_last:
            if self._options.blocks == "file" or not begins or (len(begins) < 2 and not begins[0]):
                yield Batch(chunk)
                return
            lines, begins = lines[: begins[-1]], begins[:-1]
            stop = lines[-1].stop
        yield self._build(chunk, lines, begins, stop, is_last=is_last)

    def tell(self) -> Told:
        """Return which labels stand nowhere, or not in all blocks, and how much stands before the first."""
        told = []
        for place, name in enumerate(self._names):
            if not self._counts[place]:
                told.append(f"--label {name}: it stands nowhere as a label")
            elif place in self._without:
                told.append(
                    f"{name}: in {self._counts[place]} of {self._n_blocks} blocks; the first without it begins in line {self._without[place]}"
                )
        if self._n_outside:
            said = "line stands" if self._n_outside == 1 else "lines stand"
            told.append(f"{self._n_outside} {said} before the first block, outside")
        return Told(tuple(told))

    def _build(
        self, chunk: Text, lines: Sequence[Line], begins: Sequence[int], stop: int, *, is_last: bool
    ) -> Batch:
        gone: dict[str, list[Span]] = {reason: [] for reason in _REASONS}
        before = begins[0] if begins else len(lines)
        for line in lines[:before]:
            _charge_line(chunk, gone, line, "outside")
            self._n_outside += not line.is_blank
        records = []
        for first, last in pairwise([*begins, len(lines)]):
            record = self._read_block(chunk, lines[first:last], gone)
            if record is not None:
                records.append(record)
                self._count(chunk, record)
        if is_last and not self._n_blocks:
            raise InputError(self._tell_none(lines))
        table = self._lay_out(chunk, records, gone, stop)
        prove_charges(chunk, gone)
        sources = (NameSource(),) * len(self._columns) if self._is_first else ()
        self._is_first = False
        drops = [
            LineDrops.of(reason, *to_arrays(gone[reason]))
            for reason in ("blank-line", "rule", "unclaimed")
        ]
        return Batch(
            chunk,
            stop,
            count_line_ends(chunk.data[:stop].tobytes(), is_whole=is_last),
            table,
            charges=[Charge(reason, *to_arrays(spans)) for reason, spans in gone.items() if spans],
            drops=LineDrops.join(drops),
            name_sources=sources,
        )

    def _count(self, chunk: Text, record: _Record) -> None:
        self._n_blocks += 1
        self._counts.update(record.cells.keys())
        for place in range(len(self._names)):
            if place not in record.cells and place not in self._without:
                (line,) = chunk.line_numbers(np.array([record.start])).tolist()
                self._without[place] = line

    def _tell_none(self, lines: Sequence[Line]) -> str:
        """Return what is said where no label stands anywhere."""
        like = dict.fromkeys(
            word.decode() for line in lines[:_LOOKED_AT] if (word := find_like(line.raw))
        )
        near = find_nearest(self._names[0], like)
        others = "; lines begin with: " + ", ".join([*like][:6]) if like else ""
        return f"no line begins with {self._names[0]!r} and a mark behind it{near or others}"

    def _read_block(
        self, chunk: Text, lines: Sequence[Line], gone: dict[str, list[Span]]
    ) -> _Record | None:
        """Return what the labels of a block claim; None, and all of it unclaimed, if they claim nothing."""
        record = _Record(lines[0].start, lines[-1].stop)
        if not any(line.labels for line in lines):
            for line in lines:
                _charge_line(chunk, gone, line, "unclaimed")
            return None
        open_label, margin = -1, 0
        for line in lines:
            if line.labels:
                self._read_labels(chunk, line, record, gone)
                open_label, margin = line.labels[-1].label, line.indent
                if not self._is_open(record, open_label):
                    open_label = -1
            elif line.is_blank or (
                line.is_rule and not self._may_be_value(line, record, open_label)
            ):
                _charge_line(chunk, gone, line, "")
                if open_label >= 0 and not (line.is_blank and self._until[open_label]):
                    open_label = -1
            elif open_label < 0 or self._ends(line, margin, open_label):
                open_label = -1
                self._leave(chunk, line, record, gone)
            else:
                self._go_on(chunk, line, record, open_label, gone)
                if not self._is_open(record, open_label):
                    open_label = -1
        return record

    def _is_open(self, record: _Record, label: int) -> bool:
        """Return whether a value goes on in the next line: it may, or none of it has come yet."""
        return label in self._goes_on or bool(self._until[label]) or not record.cells[label][-1]

    def _may_be_value(self, line: Line, record: _Record, label: int) -> bool:
        """Return whether three marks are a word for nothing: they stand where a value is waited for."""
        is_short = len(line.raw.strip(b" \t\f")) <= _SHORT_RULE and self._options.blocks != "rule"
        return is_short and label >= 0 and not record.cells[label][-1]

    def _ends(self, line: Line, margin: int, label: int) -> bool:
        """Return whether a line ends the value before it, though it has none of the labels."""
        if any(line.raw.strip(b" \t\f").startswith(text) for text in self._until[label]):
            return True
        return line.indent == margin and looks_like_label(line.raw)

    def _read_labels(
        self, chunk: Text, line: Line, record: _Record, gone: dict[str, list[Span]]
    ) -> None:
        """Take the values that stand behind the labels of a line."""
        head = line.labels[0].start
        if line.raw[:head].strip(b" \t\f"):  # labels within a line: what stands before is no value
            begin = line.start + line.indent
            charge_edge(chunk, gone, line.start, begin)
            _claim(chunk, gone, record, begin, line.start + head)
        else:
            charge_edge(chunk, gone, line.start, line.start + head)
        following = [found.start for found in line.labels[1:]]
        for found, stop in zip(line.labels, [*following, len(line.raw)], strict=True):
            raw = line.raw[found.value : stop]
            start = line.start + found.value
            gone["label"].append((line.start + found.start, start))
            is_inner = stop < len(line.raw)
            begin, end = _trim(raw, is_inner=is_inner)
            if len(raw[begin:end]) > 1 and raw[begin : begin + 1] == raw[end - 1 : end] == b'"':
                gone["quote-mark"] += [
                    (start + begin, start + begin + 1),
                    (start + end - 1, start + end),
                ]
                piece = [(start + begin + 1, start + end - 1)]
            else:
                piece = [(start + begin, start + end)] if end > begin else []
            charge_edge(chunk, gone, start, start + begin)
            if raw[end:].strip():
                mark = end + len(raw[end:]) - len(raw[end:].lstrip())
                close = mark + len(raw[mark:].rstrip())
                charge_edge(chunk, gone, start + end, start + mark)
                gone["delimiter"].append((start + mark, start + close))
                charge_edge(chunk, gone, start + close, start + len(raw))
            else:
                charge_edge(chunk, gone, start + end, start + len(raw))
            record.cells.setdefault(found.label, []).append(piece)
        gone["line-end"] += [(line.end, line.stop)] * (line.stop > line.end)

    def _go_on(
        self, chunk: Text, line: Line, record: _Record, label: int, gone: dict[str, list[Span]]
    ) -> None:
        """Take a line as one more of a value."""
        begin, end = line.start + line.indent, line.start + len(line.raw.rstrip(b" \t\f"))
        charge_edge(chunk, gone, line.start, begin)
        charge_edge(chunk, gone, end, line.end)
        gone["line-end"] += [(line.end, line.stop)] * (line.stop > line.end)
        record.cells[label][-1].append((begin, end))

    def _leave(self, chunk: Text, line: Line, record: _Record, gone: dict[str, list[Span]]) -> None:
        """Take a line that no label claims."""
        if self._options.unclaimed == "drop":
            _charge_line(chunk, gone, line, "unclaimed")
            return
        begin, end = line.start + line.indent, line.start + len(line.raw.rstrip(b" \t\f"))
        charge_edge(chunk, gone, line.start, begin)
        charge_edge(chunk, gone, end, line.end)
        gone["line-end"] += [(line.end, line.stop)] * (line.stop > line.end)
        record.unclaimed.append((begin, end))

    def _lay_out(
        self, chunk: Text, records: Sequence[_Record], gone: dict[str, list[Span]], stop: int
    ) -> Table:
        """Return the records as a table; labels that come again are settled as the options say."""
        n_columns = len(self._columns)
        starts = np.full((len(records), n_columns + 1), MISSING, np.int64)
        ends = starts.copy()
        joined: list[tuple[int, int, list[Span]]] = []
        again = []
        for row, record in enumerate(records):
            cells = {label: self._settle(values, gone) for label, values in record.cells.items()}
            rest = [piece for _, over in cells.values() for piece in over]
            if not self._options.again and any(len(v) > 1 for v in record.cells.values()):
                again.append(row)
            filled = [(label, pieces) for label, (pieces, _) in cells.items()]
            if self._options.unclaimed == "column" and record.unclaimed:
                filled.append((n_columns - 1, record.unclaimed))
            else:
                gone["unclaimed"] += record.unclaimed
            for column, pieces in [*filled, *([(n_columns, rest)] if rest else [])]:
                if len(pieces) > 1:
                    joined.append((row, column, pieces))
                elif pieces:
                    starts[row, column], ends[row, column] = pieces[0]
                else:  # the label stands there, and nothing behind it
                    starts[row, column] = ends[row, column] = record.start
        text = chunk
        if joined:
            parts = np.array([span for *_, spans in joined for span in spans], np.int64)
            counts: Ints = np.array([len(spans) for *_, spans in joined], np.int64)
            glue = self._options.glue.encode()
            text, begins, stops = chunk.build(parts[:, 0], parts[:, 1], counts, glue)
            rows, columns = [row for row, *_ in joined], [column for _, column, _ in joined]
            starts[rows, columns], ends[rows, columns] = begins, stops
        begins = np.array([record.start for record in records], np.int64)
        odd = np.searchsorted(begins, chunk.odd_places, "right") - 1
        inside = (odd >= 0) & (chunk.odd_places < stop)
        told = SnagRows.gather([(np.array(again, np.int64), SNAG_CODES["label-again"])])
        return Table(
            text,
            self._columns,
            starts[:, :-1].astype(np.int32),
            ends[:, :-1].astype(np.int32),
            starts[:, -1].astype(np.int32),
            ends[:, -1].astype(np.int32),
            begins,
            np.array([record.stop for record in records], np.int64),
            SnagRows.join([told, SnagRows.of(odd[inside], chunk.odd_kinds[inside])]),
        )

    def _settle(
        self, values: list[list[Span]], gone: dict[str, list[Span]]
    ) -> tuple[list[Span], list[Span]]:
        """Return the value of a label in a block, and the values that are over."""
        again = self._options.again
        if again == "join":
            return [piece for pieces in values for piece in pieces], []
        kept = values[-1] if again == "last" else values[0]
        others = [piece for pieces in values if pieces is not kept for piece in pieces]
        if again:
            gone["label-again"] += others
            return kept, []
        return kept, others


def _trim(raw: bytes, *, is_inner: bool) -> tuple[int, int]:
    """Return where a value begins and ends: without spacing, and without a mark before a next label."""
    begin = len(raw) - len(raw.lstrip(b" \t\f"))
    end = len(raw.rstrip(b" \t\f"))
    if is_inner and end > begin and raw[end - 1] in _SEPARATORS[:3]:
        end = len(raw[: end - 1].rstrip(b" \t\f"))
    return min(begin, end), end


def _claim(
    chunk: Text, gone: dict[str, list[Span]], record: _Record, start: int, stop: int
) -> None:
    """Charge what stands before a label within its line."""
    raw = chunk.data[start:stop].tobytes()
    end = start + len(raw.rstrip(b" \t\f"))
    record.unclaimed.append((start, end))
    charge_edge(chunk, gone, end, stop)


def _charge_line(chunk: Text, gone: dict[str, list[Span]], line: Line, reason: str) -> None:
    """Charge a line that is in no value: as a whole, or what stands on it."""
    if line.is_blank and reason != "outside":
        gone["page-mark" if b"\f" in line.raw else "blank-line"].append((line.start, line.stop))
    elif line.is_rule and reason != "outside":
        gone["rule"].append((line.start, line.stop))
    else:
        gone[reason].append((line.start, line.stop))
