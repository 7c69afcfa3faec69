"""What is counted while labels are pulled, and what is told of it when all is done."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Ints
from wetcomb.core.batch import LabelCount
from wetcomb.core.errors import find_nearest
from wetcomb.core.text import Text
from wetcomb.match.digests import Reader
from wetcomb.match.letter_case import fold_case
from wetcomb.steps.pull.options import BLOCK_WORDS, Pull
from wetcomb.steps.pull.values import ENDS

__all__ = ["Again", "Counts", "Seen", "tell_notes"]

_MOST_LINES = 12  # blocks without a label that are listed
_MOST_KINDS = 50_000  # values of a label that are told apart, to know the rarest
_MARK = re.compile(r"[:=|\t]|  ")  # what no longer label has in it
_EXCERPT = 60  # characters of a value that are shown


class Counts(msgspec.Struct):
    """What is known of one label; sums of what was seen piece by piece.

    Attributes
    ----------
    n_blocks : blocks that have it
    lines : source lines in which blocks without it begin, the first few
    shortest, longest : values, with how many characters they have
    endings : how values ended, by the words of `ENDS`
    kinds : how often each value came, by its digest; of the rarest an example
    """

    n_blocks: int = 0
    lines: list[int] = msgspec.field(default_factory=list)
    shortest: tuple[int, str] | None = None
    longest: tuple[int, str] | None = None
    endings: Counter[str] = msgspec.field(default_factory=Counter)
    kinds: dict[int, tuple[int, str]] = msgspec.field(default_factory=dict)
    is_full: bool = False

    def add(self, other: Counts) -> None:
        """Add what was seen further down."""
        self.n_blocks += other.n_blocks
        self.lines += other.lines[: _MOST_LINES - len(self.lines)]
        for mine, yours, better in (
            ("shortest", other.shortest, min),
            ("longest", other.longest, max),
        ):
            own = getattr(self, mine)
            if yours is not None:
                best = yours if own is None else better(own, yours, key=lambda one: one[0])
                setattr(self, mine, best)
        self.endings.update(other.endings)
        self.is_full |= other.is_full
        for kind, (number, text) in other.kinds.items():
            before = self.kinds.get(kind)
            if before is None and len(self.kinds) >= _MOST_KINDS:
                self.is_full = True
                continue
            self.kinds[kind] = (
                number + (before[0] if before else 0),
                before[1] if before else text,
            )


class Again(msgspec.Struct):
    """How a label that stands again in its block looks.

    Attributes
    ----------
    first_line : where the block begins
    line : where the label stands again
    before : what its two lines say up to its mark
    record : the last block that was counted, within its chunk
    """

    first_line: int
    line: int
    before: tuple[str, str]
    record: int = -1


class Seen(msgspec.Struct):
    """What a pull has counted.

    Attributes
    ----------
    columns : of each column, in order
    n_blocks, n_lines, n_outside : blocks with a value, lines of all blocks that are not blank, and
        such lines before the first
    like : words that lines begin with as with labels, and that are none, the first few
    again : columns that have several values in a block: in how many, and how that looks at first
    """

    columns: list[Counts]
    n_blocks: int = 0
    n_lines: int = 0
    n_outside: int = 0
    like: dict[str, None] = msgspec.field(default_factory=dict)
    again: dict[int, tuple[int, Again]] = msgspec.field(default_factory=dict)

    @classmethod
    def of(cls, n_columns: int) -> Seen:
        """Return one that has seen nothing."""
        return cls([Counts() for _ in range(n_columns)])

    def add(self, other: Seen) -> None:
        """Add what was seen further down."""
        for mine, yours in zip(self.columns, other.columns, strict=True):
            mine.add(yours)
        self.n_blocks += other.n_blocks
        self.n_lines += other.n_lines
        self.n_outside += other.n_outside
        self.like.update(other.like)
        for column, (number, first) in other.again.items():
            before = self.again.get(column)
            self.again[column] = (number + before[0], before[1]) if before else (number, first)

    def add_blocks(self, has: Bools, lines: Ints) -> None:
        """Count blocks: which columns each has (R, C), and the line in which it begins."""
        self.n_blocks += has.shape[0]
        for column, count in enumerate(has.sum(axis=0).tolist()):
            counts = self.columns[column]
            counts.n_blocks += count
            if count < has.shape[0] and len(counts.lines) < _MOST_LINES:
                without = np.flatnonzero(~has[:, column])[: _MOST_LINES - len(counts.lines)]
                counts.lines += lines[without].tolist()

    def add_values(
        self, text: Text, column: int, starts: Ints, ends: Ints, endings: Ints | None
    ) -> None:
        """Look at the values of a column, as `--label-counts` asks."""
        if not starts.size:
            return
        counts = Counts()
        lengths = text.lengths(starts, ends)
        for name, place in (
            ("shortest", int(lengths.argmin())),
            ("longest", int(lengths.argmax())),
        ):
            value = text.value(int(starts[place]), int(ends[place]))
            setattr(counts, name, (int(lengths[place]), value[:_EXCERPT]))
        prints = Reader(text.data).find_prints(starts, ends, folded=False)
        order = np.argsort(prints, kind="stable")
        firsts = np.flatnonzero(np.append(True, np.diff(prints[order]) != 0))
        numbers = np.diff(np.append(firsts, order.size)).tolist()
        for place, number in zip(order[firsts].tolist(), numbers, strict=True):
            value = (
                text.value(
                    int(starts[place]), min(int(ends[place]), int(starts[place]) + 4 * _EXCERPT)
                )
                if len(counts.kinds) < _MOST_KINDS
                else ""
            )
            counts.kinds[int(prints[place])] = number, value[:_EXCERPT]
        counts.is_full = len(counts.kinds) > _MOST_KINDS
        if endings is not None:
            numbers_of = np.bincount(endings, minlength=len(ENDS)).tolist()
            counts.endings.update({word: n for word, n in zip(ENDS, numbers_of, strict=True) if n})
        self.columns[column].add(counts)

    def tell_counts(self, names: Sequence[str]) -> tuple[LabelCount, ...]:
        """Return what `--label-counts` shows."""
        return tuple(
            _tell_count(name, counts, self.n_blocks)
            for name, counts in zip(names, self.columns, strict=True)
        )


def _tell_count(name: str, counts: Counts, n_blocks: int) -> LabelCount:
    least = min(counts.kinds.values(), key=lambda one: one[0], default=(0, ""))
    n_rare = sum(number == least[0] for number, _ in counts.kinds.values())
    return LabelCount(
        name,
        counts.n_blocks,
        n_blocks,
        tuple(counts.lines),
        counts.shortest or (0, ""),
        counts.longest or (0, ""),
        (least[1], least[0], n_rare, -1 if counts.is_full else len(counts.kinds)),
        tuple(counts.endings.most_common()),
    )


def tell_notes(seen: Seen, names: Sequence[str], options: Pull) -> Iterator[str]:
    """Yield which columns stand nowhere or not in all blocks, which have several values, what is outside."""
    labels = {spec.name: spec for spec in options.specs}
    for name, counts in zip(names, seen.columns, strict=True):
        if not counts.n_blocks:
            what = "as a label" if name in labels else "as it was asked for"
            near = find_nearest(labels[name].texts[0], seen.like) if name in labels else ""
            yield f"{'--label ' * (name in labels)}{name}: it stands nowhere {what}{near}"
        elif counts.lines:
            yield f"{name}: in {counts.n_blocks:,} of {seen.n_blocks:,} blocks; the first without it begins in line {counts.lines[0]}"
    yield from _tell_again(seen, names, options)
    if options.blocks not in BLOCK_WORDS and seen.n_blocks == seen.n_lines > 1:
        yield f"every line begins a block (--blocks {options.blocks!r}); say more in the pattern, or --blocks line"
    if seen.n_outside:
        said = "line stands" if seen.n_outside == 1 else "lines stand"
        yield f"{seen.n_outside:,} {said} before the first block, outside"


def _tell_again(seen: Seen, names: Sequence[str], options: Pull) -> Iterator[str]:
    """Yield what is to be said of columns with several values, unless that was stated."""
    if options.again:
        return
    labels = {spec.name: spec for spec in options.specs}
    for column, (number, first) in sorted(seen.again.items()):
        name = names[column]
        before, behind = first.before
        is_told = fold_case(before) != fold_case(behind) and max(map(len, first.before)) < _EXCERPT
        is_told &= name in labels and not any(_MARK.search(words) for words in first.before)
        if is_told:
            settle = f"longer ones are unique: --label {before!r} and --label {behind!r}"
        elif name in labels:
            settle = f"--label '{labels[name].texts[0]}#2 as NAME' takes the second"
        else:
            settle = "--again says what becomes of the others"
        yield f"{name}: several in {number:,} of {seen.n_blocks:,} blocks, first in the one that begins in line {first.first_line}; {settle}"
    if len(seen.again) > 1:
        first = min((one for _, one in seen.again.values()), key=lambda one: one.line)
        yield f"{len(seen.again)} labels stand again in a block: it would part in line {first.line}, if it is two (--blocks)"
