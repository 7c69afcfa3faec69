"""Whether the options of a split mean something, alone and together."""

from __future__ import annotations

import re
from itertools import pairwise

from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.match.marks import BLANK_WORDS, LINE_WORD, NO_DELIMITER
from wetcomb.match.patterns import compile_pattern, read_shape
from wetcomb.steps.split.declared import EDGE_WORDS
from wetcomb.steps.split.derived import SplitDerived
from wetcomb.steps.split.ways import WAYS
from wetcomb.steps.step import AUTO, list_options

__all__ = ["BOUNDARY_SIGNS", "check_split"]

#: Kinds of character in a boundary; `*` is anything that the other side is not.
BOUNDARY_SIGNS = "aA9_.*"
_COUNT = re.compile(r"(first|last):(\d+)")


def check_split(split: SplitDerived) -> None:
    """Raise UsageError for options that contradict each other, or values that mean nothing."""
    _check_marks(split)
    _check_places(split)
    _check_ways(split)
    _check_pages(split)
    _check_records(split)
    if split.column_by_column and split.delimiter != (NO_DELIMITER,):
        raise UsageError("--column-by-column takes each line as a cell; -d contradicts it")
    if split.way == "stacked":
        _check_stacked(split)
    if split.way == "outline":
        _check_outline(split)
    _check_names(split)


def _check_marks(split: SplitDerived) -> None:
    marks = [sign for pair in split.quote_pairs for sign in pair]
    words = split.words
    for text in split.literals:
        if any(mark in text for mark in marks):
            raise UsageError(
                f"delimiter {text!r} holds a quote mark; give --quote none, or another --quote"
            )
    if isinstance(split.delimiter, tuple) and not split.delimiter:
        raise UsageError("no delimiter is given; leave the option out to have it worked out")
    if NO_DELIMITER in words and len(words) > 1:
        raise UsageError("-d none stands alone; leave the other -d out")
    if len(set(BLANK_WORDS) & set(words)) > 1:
        raise UsageError("space and gap contradict each other; a gap is cut by space too")
    if LINE_WORD in words and split.records_at == "newline" and not split.per_record:
        raise UsageError(
            "-d newline: records end there already; say what else ends them, as --records-at blank-line or --per-record N"
        )
    for pair in split.protect:
        if len(pair) != 2 or pair[0] == pair[1] or any(c.isalnum() or c.isspace() for c in pair):
            raise UsageError(
                f"--protect takes an opening and a closing bracket, found {pair!r}; for example --protect '()'"
            )


def _check_places(split: SplitDerived) -> None:
    blocks: tuple[tuple[int, ...], ...] = ()
    if isinstance(split.edges, tuple):
        blocks = (split.edges,)
    elif isinstance(split.edges, str) and split.edges not in EDGE_WORDS:
        blocks = _read_block_edges(split.edges)
        if not split.stacked:
            raise UsageError("--edges with / gives the edges of stacked blocks; add --stacked")
    for edges in blocks:
        if any(b <= a for a, b in pairwise(edges)):
            raise UsageError(
                f"--edges must rise from left to right, found {','.join(map(str, edges))}"
            )
    for example in split.boundary:
        _check_boundary(example)
    for pattern in (
        *split.before, *split.after, *split.drop_pieces, *split.group, *split.totals,
    ):  # fmt: skip
        compile_pattern(pattern)
    if split.cuts != "all" and not ((found := _COUNT.fullmatch(split.cuts)) and int(found[2])):
        raise UsageError(f"--cuts is all, first:N or last:N, found {split.cuts!r}")


def _check_records(split: SplitDerived) -> None:
    if not split.records_at:
        raise UsageError("--records-at is empty; give newline, blank-line or a text")
    end = split.record_end
    if end and any(sign in end for pair in split.quote_pairs for sign in pair):
        raise UsageError(f"--records-at {end!r} holds a quote mark; give --quote none")
    if end and end in split.literals:
        raise UsageError(f"{end!r} cannot end a field and a record both")
    if split.edges and split.records_at != "newline":
        raise UsageError("--edges cuts lines; --records-at contradicts it")
    if split.learns_edges and split.per_record:
        raise UsageError(f"--edges {split.edges} needs a record a line")
    if len(split.column) > 1 and not split.each_a_record:
        raise UsageError("several columns are cut in step only with --each-a-record")
    if split.shapes and len(split.shapes) != split.per_record:
        raise UsageError(
            f"--cell-shapes gives {len(split.shapes)} shapes for {split.per_record} fields a record"
        )
    for shape in split.shapes:
        compile_pattern(read_shape(shape))


def _check_pages(split: SplitDerived) -> None:
    """Raise for page starts that nothing asks for."""
    for pattern in split.page_start:
        compile_pattern(pattern)
    if split.page_start and split.panels == 1 and split.edges != "heading":
        raise UsageError("--page-start goes with --panels, or with --edges heading")


def _check_ways(split: SplitDerived) -> None:
    """Raise where options do not go together, as the table of ways says."""
    chosen = [way for way in WAYS if way.flag and way.is_chosen(split)]
    records = [way for way in chosen if way.name not in ("column", "outline")]
    if len(records) > 1:
        raise UsageError(f"{records[0].flag} and {records[1].flag} contradict each other")
    given = {
        entry.name: entry.flag
        for entry in list_options(type(split))
        if getattr(split, entry.name) not in (entry.default, AUTO, ())
    }
    if split.column and (split.group or split.totals):
        raise UsageError("--group and --totals need a record a line, or --wrapped ones")
    for way in chosen:
        if any(name in given for name in way.refuses):
            raise UsageError(way.why)
    for way in WAYS:
        lost = [flag for name, flag in given.items() if name in way.own]
        if way not in chosen and lost:
            raise UsageError(f"{lost[0]} goes with {way.flag}")
    for way in (way for way in chosen if way.only):
        odd = next((flag for name, flag in given.items() if name not in way.only), None)
        if odd is not None:
            said = f"--records-at {split.records_at}" if way.name == "outline" else way.flag
            raise UsageError(f"{odd} means nothing with {said}")


def _check_stacked(split: SplitDerived) -> None:
    if not split.edges:
        raise UsageError(
            "--stacked needs --edges: numbers for each block (32,46/31,43), or blanks, rule or heading"
        )
    if split.delimiter != (NO_DELIMITER,):
        raise UsageError("--stacked cuts at --edges; -d contradicts it")
    if split.names and split.edges in ("heading", "rule"):
        raise UsageError(
            f"--names cannot be had with --stacked --edges {split.edges}; give the edges as numbers, or blanks"
        )


def _check_outline(split: SplitDerived) -> None:
    if split.heading != "none" or split.delimiter != (NO_DELIMITER,):
        raise UsageError(
            f"--records-at {split.records_at} gives number, title and text; -d and --heading contradict it"
        )


def _check_names(split: SplitDerived) -> None:
    if 0 in split.take_positions:
        raise UsageError("--take counts columns from 1; there is no column 0")
    if split.column and split.take:
        raise UsageError(
            "--take does not go with --column; name all pieces, and leave some out behind it: + clean --without NAME"
        )
    duplicates = sorted({name for name in split.names if split.names.count(name) > 1})
    if duplicates:
        raise UsageError(f"--names gives {duplicates[0]!r} twice; columns need names of their own")
    if "" in split.missing:
        raise UsageError("--missing holds an empty word; an empty field is empty already")


def _read_block_edges(text: str) -> tuple[tuple[int, ...], ...]:
    """Return the edges of each stacked block, as they were written: 32,46/31,43."""
    if not re.fullmatch(r"[1-9]\d{0,5}(,[1-9]\d{0,5})*(/[1-9]\d{0,5}(,[1-9]\d{0,5})*)+", text):
        raise UsageError(
            f"--edges: unknown value {text!r}{find_nearest(text, EDGE_WORDS) or '; give whole numbers, block by block with / between (32,46/31,43), or one of: ' + ' '.join(EDGE_WORDS)}"
        )
    return tuple(tuple(map(int, part.split(","))) for part in text.split("/"))


def _check_boundary(example: str) -> None:
    """Raise unless an example of a change is two sides of known signs, not both open."""
    left, bar, right = example.partition("|")
    if not bar or not left or not right:
        raise UsageError(
            f"--boundary shows both sides of a cut with a bar between them, found {example!r}; for example 'a|A'"
        )
    odd = next((sign for sign in left + right if sign not in BOUNDARY_SIGNS), None)
    if odd is not None:
        raise UsageError(
            f"--boundary {example!r}: {odd!r} is no kind of character{find_nearest(odd, BOUNDARY_SIGNS)}; a small letter, A capital, 9 digit, _ space, . mark, * any other"
        )
    if left == right or (left == "*" and right == "*"):
        raise UsageError(f"--boundary {example!r}: both sides are the same; nothing changes there")
