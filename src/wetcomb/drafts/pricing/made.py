"""What a chain makes of a text, and what all of it costs: cells, and whatever the chain does not explain."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence

import numpy as np

from wetcomb.core.batch import Batch
from wetcomb.core.ledger import Charge
from wetcomb.core.table import MISSING, Table
from wetcomb.core.text import Text
from wetcomb.drafts.pricing.chain import Chain
from wetcomb.drafts.pricing.columns import ColumnPrices
from wetcomb.drafts.pricing.indents import price_indents
from wetcomb.drafts.pricing.layout import Pieces, price_layout
from wetcomb.drafts.pricing.names import price_names
from wetcomb.drafts.pricing.terms import price_furniture, price_options, price_roles
from wetcomb.drafts.pricing.tokens import Tokens, flag_bits, list_bits, price_once
from wetcomb.steps.split.options import Split
from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["KIND", "Made"]

KIND = 4.0  # of structure
_LISTED_LINE = 0.5  # a line outside that recurs: to be in a column is cheaper
_DROPPED = 8.0  # a line of content dropped between records
_SNAG = 20.0
_RULED = 10.0  # a gap in a rule, which says where columns part, and is not heeded
_NO_KEY = 3.0  # a record without its first cell
_FEW = {1: 70.0, 2: 40.0, 3: 14.0}  # records
_GAP, _MOST_GAPS, _GAPS = 6.0, 5, re.compile(r" {2,}|\t")  # gaps in a value: it may be several
_SPANNING, _OVER_BLANK = 3.0, 6.0  # a record over a blank line: a counted one, one joined
_THIN = 6.0  # a record that fills its first cell only
_OUTSIDE, _TORN = 2.0, 10.0  # a stretch of lines that is left outside; one that is torn there
_NO_MARK = 0.5  # a quote mark
_LEAD, _LED = re.compile(r"[^\w\s]{1,2}\s"), 12.0  # a mark before every value, which is none of it
_FEWEST = 3  # values that say nothing together
_RARER = (" | ", " / ", " – ", " — ")  # that hardly ever stand within a value
_MARKS = (": ", "; ", " | ", " / ", " – ", " - ")
_INSIDE = 12.0  # one of these within every value: it parts two
_LEADS_IN, _TWICE = 48.0, 2  # words before the first value that are none of it
_RUN = re.compile(r"([^\w\s])\1{3,}")
_LINE_ENDS = re.compile(r"\r\n|\n|\r")

#: The role of a line by why it leaves.
_ROLES = {
    "blank-line": "b", "page-mark": "b", "rule": "u", "heading-again": "h", "heading-replaced": "h",
    "dropped-line": "f", "page-head": "f", "page-foot": "f", "group-line": "g", "total-line": "t",
}  # fmt: skip
#: Text that leaves and that nothing explains.
_RAW = frozenset(["unclaimed", "total-line", "not-taken", "dropped-piece", "empty-record", "label-again"])  # fmt: skip
#: Text that leaves, of which there are few kinds.
_LISTED = frozenset(["hyphen", "missing-word", "block-mark", "continues-mark", "group-line"])


class Made:
    """What a chain made of a text, being priced."""

    def __init__(
        self,
        lines: tuple[Sequence[str], Sequence[str]],
        first_line: int,
        chain: Chain,
        stages: list[tuple[Text, Sequence[Charge]]],
        batch: Batch,
        table: Table,
    ) -> None:
        (self._lines, self._said), self._first_line = lines, first_line
        self._chain, self._stages = chain, stages
        self._batch, self._table = batch, table
        self._frame = frozenset(chain.frame)
        self._is_pull = any(step.name == "pull" for step in chain.steps)
        self._is_each = any(getattr(step, "each", ()) for step in chain.steps)
        self._roles = ["b" if not line.strip() else "d" for line in self._lines]
        self._raw: list[str] = []
        self._listed: list[str] = []
        self._groups: list[str] = []
        self._between: list[str] = []  # marks that no label claims
        self._n_marks = self._n_spanning = self._n_more_gaps = self._n_ruled = 0
        self._pieces = self._find_pieces()

    def price(self, tokens: Tokens, columns: ColumnPrices) -> dict[str, float]:
        """Return the bits of everything, by what it is."""
        furniture: list[str] = []
        labels: dict[int, list[str]] = {}
        for stage, charges in self._stages:
            self._look_at_drops(stage, charges, furniture, labels)
        self._look_at_names()
        on_lines = self._look_at_records()
        for line, names in labels.items():
            self._roles[line] = "L" + "\0".join(names)
        chain, lines = self._chain, self._said
        outside = [
            line
            for place, line in enumerate(lines)
            if not chain.first <= place < chain.last and line.strip()
        ]
        for place in range(len(lines)):
            if not chain.first <= place < chain.last and self._roles[place] == "d":
                self._roles[place] = "o"
        dropped = [lines[k] for k, role in enumerate(self._roles) if role == "d"]
        inside = [k for k, role in enumerate(self._roles) if role[0] in "rcL"]
        between = self._roles[inside[0] : inside[-1]] if inside else []
        n_stretches = (chain.first > 0) + (chain.last < len(lines))
        n_torn = sum(
            0 < k < len(lines) and bool(lines[k].strip() and lines[k - 1].strip())
            for k in (chain.first, chain.last)
        )
        return {
            "options": KIND + chain.bits + sum(map(price_options, chain.steps)) + _OUTSIDE * n_stretches + _TORN * n_torn,
            "roles": price_roles(tuple(self._roles)),
            "raw": self._price_raw([*outside, *self._raw, *dropped], tokens, columns),
            "furniture": price_furniture(furniture, self._list_patterns()),
            "names": self._price_names(tokens),
            "columns": sum(self._price_columns(tokens, columns)),
            "layout": self._price_layout() + list_bits(on_lines, 0.3, 2.0) + self._price_wraps(),
            "groups": self._price_lost_groups(tokens),
            "between": price_roles(tuple(self._between)),
            "listed": list_bits(self._listed, 1.0) + sum(map(price_once, set(self._listed))),
            "marks": _NO_MARK * self._n_marks,
            "dropped": _DROPPED * (between.count("d") + between.count("x") * self._is_each),
            "odd": self._price_odd(tokens) + price_indents(self._lines, self._roles, chain.steps),
        }  # fmt: skip

    def _list_patterns(self) -> list[str]:
        """Return the patterns of lines that washes drop."""
        names = ("drop_lines", "page_head", "page_foot")
        steps = self._chain.steps
        return [text for step in steps for name in names for text in getattr(step, name, ())]

    @staticmethod
    def _price_raw(lines: Sequence[str], tokens: Tokens, columns: ColumnPrices) -> float:
        """Return the bits of lines that nothing explains, those that recur as a list."""
        again = [line for line, number in Counter(lines).items() if number > 1]
        recurring = set(again)
        if not recurring:
            return sum(map(tokens.price, lines))
        others = sum(tokens.price(line) for line in lines if line not in recurring)
        listed = [line for line in lines if line in recurring]
        return others + columns.price(listed) + _LISTED_LINE * len(listed)

    def _find_pieces(self) -> Pieces:
        table = self._table
        starts, ends = table.starts.astype(np.int64), table.ends.astype(np.int64)
        again = np.isin(starts, table.text.again_starts)
        told = np.zeros(starts.shape, np.bool_)
        carried = np.zeros(starts.shape, np.bool_)
        if starts.shape[0] > 1:  # what stands once and holds for several records
            told[1:] = (starts[1:] == starts[:-1]) & (ends[1:] == ends[:-1])
        reasons = dict(zip(table.text.again_starts.tolist(), table.text.again_reasons, strict=True))
        for row, column in zip(*map(np.ndarray.tolist, np.nonzero(again)), strict=True):
            value = table.value(row, column) or ""
            carried[row, column] = reasons[int(starts[row, column])] == "carried"
            is_same = row > 0 and table.value(row - 1, column) == value
            told[row, column] = carried[row, column] or is_same
        self._is_told, self._is_carried = told, carried
        rows, columns = np.nonzero((ends > starts) & ~again & ~told)
        found = table.text.find_sources(starts[rows, columns], ends[rows, columns])
        owners = found.owners
        order = np.argsort(found.starts, kind="stable")
        begin, stop = found.starts[order], found.ends[order]
        lines = table.text.line_numbers(begin) - self._first_line
        lasts = table.text.line_numbers(np.maximum(stop - 1, begin)) - self._first_line
        return Pieces(rows[owners][order], columns[owners][order], begin, stop, lines, lasts)

    def _look_at_drops(
        self,
        stage: Text,
        charges: Sequence[Charge],
        furniture: list[str],
        labels: dict[int, list[str]],
    ) -> None:
        offset = self._first_line
        for charge in charges:
            role = _ROLES.get(charge.reason)
            is_told = charge.reason in _RAW or charge.reason in _LISTED or charge.reason == "label"
            self._n_marks += charge.starts.size * (charge.reason == "quote-mark")
            if not charge.starts.size or not (role or is_told):
                continue
            firsts = (stage.line_numbers(charge.starts) - offset).tolist()
            lasts = (
                stage.line_numbers(np.maximum(charge.ends - 1, charge.starts)) - offset
            ).tolist()
            spans = zip(charge.starts.tolist(), charge.ends.tolist(), strict=True)
            for (start, end), first, last in zip(spans, firsts, lasts, strict=True):
                said = stage.value(start, end).strip() if is_told or role in ("f", "u") else ""
                if role:
                    for line in range(first, last + 1):
                        if self._roles[line] != "b":
                            self._roles[line] = role
                if role == "f" and said:
                    furniture += said.splitlines()
                if role == "u":
                    self._n_ruled = max(self._n_ruled, len(said.split()))
                if role == "u" and any(map(str.isalnum, said)):
                    self._raw += _LINE_ENDS.split(said)  # a rule with words in it
                if charge.reason == "label" and said:
                    labels.setdefault(first, []).append(said)
                elif charge.reason == "group-line" and said:
                    self._groups.append(said)
                elif charge.reason in _LISTED and said:
                    self._listed.append(said)
                elif charge.reason in _RAW and _shorten(said) in self._frame:
                    self._explain(first, last)
                elif charge.reason in _RAW and said and not any(map(str.isalnum, said)):
                    self._between.append(said)
                elif charge.reason in _RAW and said:
                    self._raw += _LINE_ENDS.split(said)
                    if role is None:
                        self._explain(first, last)

    def _explain(self, first: int, last: int) -> None:
        """Take lines for explained that hold nothing else."""
        for line in range(first, last + 1):
            if self._roles[line] == "d":
                self._roles[line] = "x"

    def _look_at_names(self) -> None:
        text = self._batch.text
        for source in self._batch.name_sources:
            for start, end in (*source.spans, *source.again):
                first, last = text.line_numbers(np.array([start, max(start, end - 1)])).tolist()
                for line in range(first, last + 1):
                    self._roles[line - self._first_line] = "h"

    def _look_at_records(self) -> list[int]:
        """Give each line of a record its role; return how many records begin on each line where some do."""
        pieces = self._pieces
        seen: dict[int, dict[int, None]] = {}
        spans = zip(pieces.rows.tolist(), pieces.lines.tolist(), pieces.lasts.tolist(), strict=True)
        for row, line, last in spans:
            mine = seen.setdefault(row, {})
            mine[line] = None
            for further in range(line + 1, last + 1):
                if self._roles[further] == "d":
                    mine[further] = None
        firsts = Counter(min(lines) for lines in seen.values())
        gaps = [
            sum(
                self._roles[k] == "b" != self._roles[k - 1]
                for k in range(min(lines) + 1, max(lines))
            )
            for lines in seen.values()
        ]
        self._n_spanning = sum(map(bool, gaps))
        usual = Counter(gaps).most_common(1)[0][0] if gaps else 0
        self._n_more_gaps = sum(max(0, number - usual) for number in gaps)
        for lines in seen.values():
            for place, line in enumerate(sorted(lines)):
                if line in firsts:
                    self._roles[line] = "r"
                elif self._roles[line] not in "gh":
                    self._roles[line] = f"c{min(place, 9)}"
        return list(firsts.values())

    def _price_names(self, tokens: Tokens) -> float:
        if self._is_pull:
            return 0.0  # labels are options
        lines = [self._said[k] for k, role in enumerate(self._roles) if role == "h"]
        return price_names(self._batch, self._chain.steps, lines, tokens)

    def _price_columns(self, tokens: Tokens, columns: ColumnPrices) -> Iterator[float]:
        table = self._table
        is_open = any(getattr(step, "unclaimed", "") == "column" for step in self._chain.steps)
        levels = max(getattr(step, "outline_level", 0) for step in self._chain.steps)
        for column, name in enumerate(table.names):
            if is_open and name == "unclaimed":  # lines that nothing explains, kept
                yield self._price_raw([*self._list_lines_of(column)], tokens, columns)
                continue
            if column < 2 * levels and column % 2 == 0:
                yield float(table.n_records)  # they come in sequence, or the line is no heading
                continue
            told = self._is_told[:, column]
            values = [
                table.value(row, column) or "" for row in range(table.n_records) if not told[row]
            ]
            gaps = sum(min(_MOST_GAPS, len(_GAPS.findall(v))) for v in values)
            yield columns.price(values) + _GAP * gaps
            mark = _LEAD.match(values[0]) if len(values) > 1 else None
            yield _LED * (mark is not None and all(v.startswith(mark[0]) for v in values))
            yield _INSIDE * _holds_mark(values) + _LEADS_IN * _leads_in(values)

    def _list_lines_of(self, column: int) -> Iterator[str]:
        """Yield what a column has on each line."""
        pieces, raw = self._pieces, self._table.text.data
        mine = pieces.columns == column
        for start, end in zip(
            pieces.starts[mine].tolist(), pieces.ends[mine].tolist(), strict=True
        ):
            yield raw[start:end].tobytes().decode(errors="replace")

    def _price_layout(self) -> float:
        """Return what blanks and marks between cells cost; nothing where labels say where values stand."""
        if any(step.name == "pull" and not getattr(step, "each", ()) for step in self._chain.steps):
            return 0.0
        return price_layout(self._pieces, self._lines, self._table.text.data.tobytes())

    def _price_lost_groups(self, tokens: Tokens) -> float:
        """Return the bits of group lines that no record stands under."""
        if not self._groups:
            return 0.0
        table = self._table
        n_groups = sum(len(getattr(step, "group", ())) for step in self._chain.steps)
        columns = range(min(n_groups, len(table.names)))
        values = {table.value(row, column) for column in columns for row in range(table.n_records)}
        lost = [s for s in self._groups if not any(v and v in s for v in values)]
        return sum(map(tokens.price, lost))

    def _price_wraps(self) -> float:
        """Return what it costs to say in which columns cells go on over further lines."""
        pieces, n_columns = self._pieces, len(self._table.names)
        counts = Counter(zip(pieces.rows.tolist(), pieces.columns.tolist(), strict=True))
        longest: Counter[int] = Counter()
        here: Counter[int] = Counter()
        for (row, column), number in counts.items():
            longest[row] = max(longest[row], number - 1)
            here[column] += number - 1
        more = sum(longest.values())
        if not more:
            return 0.0
        lines = (
            flag_bits(min(here[c], more), max(0, more - here[c]))
            for c in range(n_columns)
            if here[c]
        )
        return sum(lines) + 0.5 * (n_columns - sum(n > 0 for n in here.values()))

    def _price_odd(self, tokens: Tokens) -> float:
        table = self._table
        first = table.starts[:, 0], table.ends[:, 0]
        bits = _NO_KEY * int((first[1] <= first[0]).sum()) + _FEW.get(table.n_records, 0.0)
        bits += _SNAG * table.snags.n_records
        has_edges = any(isinstance(s, Split) and s.edges for s in self._chain.steps)
        bits += 0.0 if has_edges else _RULED * max(0, self._n_ruled - 1)
        if len(table.names) > 2:
            filled = ((table.ends > table.starts) & ~self._is_carried).sum(axis=1)
            bits += _THIN * int((filled == 1).sum())
        rests = np.flatnonzero(table.rest_starts != MISSING).tolist()
        bits += sum(tokens.price(table.rest(row) or "") + 6.5 for row in rests)
        if any(getattr(step, "per_record", 0) for step in self._chain.steps):
            bits += _SPANNING * self._n_spanning
        elif any(
            isinstance(s, Unwrap) and not s.all and not s.blank_lines for s in self._chain.steps
        ):
            bits += _OVER_BLANK * self._n_spanning
        elif any(isinstance(s, Split) and s.outline_level for s in self._chain.steps):
            bits += _OVER_BLANK * self._n_more_gaps
        if self._batch.moves is not None:
            bits += 4.0 * self._batch.moves.changed.size
        return bits


def _holds_mark(values: Sequence[str]) -> bool:
    """Return whether all of several values hold one and the same mark, once; or half of them a rarer one."""
    if len(values) <= _FEWEST:
        return False
    joined = "\0".join(values)
    for mark in dict.fromkeys((*_MARKS, *_RARER)):
        number = joined.count(mark)
        if number != len(values) and (mark not in _RARER or not len(values) / 2 <= number):
            continue
        most = max(value.count(mark) for value in values)
        if most == 1 and (mark in _RARER or number == len(values)):
            return True
    return False


def _leads_in(values: Sequence[str]) -> bool:
    """Return whether all of several values hold a mark once, and the first twice: words lead in to the list."""
    if len(values) <= _FEWEST:
        return False
    counts = ([value.count(mark) for value in values] for mark in _MARKS[:2])
    return any(first == _TWICE and set(others) == {1} for first, *others in counts)


def _shorten(text: str) -> str:
    """Return a text with single blanks, and three marks for a longer run of one, as a frame says it."""
    return _RUN.sub(r"\1\1\1", " ".join(text.split()))
