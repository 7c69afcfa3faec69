"""Snags: what does not fit, kept and shown.

A snag never takes text away: it marks a record and says what is odd about it, what
was done, and the one option that would settle it. While a text runs through, snags
are two arrays (record, kind); words are made only for those that are shown.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Ints

__all__ = ["SNAGS", "SNAG_CODES", "SnagKind", "SnagRows"]


class SnagKind(msgspec.Struct, frozen=True):
    """One cause.

    Attributes
    ----------
    name : as it is written in tables and messages
    odd : what is odd, for one record
    done : what was done with it
    settle : the option that would settle it, or what to do
    """

    name: str
    odd: str
    done: str
    settle: str


#: Every cause there is; its place in this tuple is its code.
SNAGS = (
    SnagKind(
        "short",
        "fewer fields than columns",
        "the last columns are missing",
        "look whether a delimiter is missing in the line",
    ),
    SnagKind(
        "long",
        "more fields than columns",
        "what is over stands in 'rest'",
        "put marks around the value that holds the delimiter, or -d another one",
    ),
    SnagKind(
        "text-after-quote",
        "text after a closing quote mark",
        "the field stands as it is, marks and all",
        "--quote-ends delimiter, if inner marks were never doubled",
    ),
    SnagKind(
        "quote-never-closed",
        "a quote mark that would close only in a later record",
        "the mark stands as text",
        "close or take away the mark in the source",
    ),
    SnagKind(
        "quote-over-records",
        "a quoted field over lines that look like records themselves",
        "they stand as one field, as the marks say",
        "--quote-lines 0, if every line is a record",
    ),
    SnagKind(
        "quote-left-open",
        "a quote mark without a closing one",
        "the mark stands as text",
        "--quote none, or close the mark in the source",
    ),
    SnagKind(
        "quote-end-unclear",
        "several marks could end a field",
        "the first of them does",
        "double the inner marks in the source",
    ),
    SnagKind(
        "edge-in-word",
        "an edge between two characters of a word",
        "it is cut there",
        "other --edges; --touching, if fields stand without a gap",
    ),
    SnagKind(
        "edge-torn",
        "an edge inside a tab or a wide character",
        "it is cut before that character",
        "--tab-width N, or other --edges",
    ),
    SnagKind(
        "bracket-unpaired",
        "brackets that do not pair",
        "what is in them is cut like all else",
        "mend the brackets in the source",
    ),
    SnagKind(
        "cell-missing",
        "fewer cells than a record has, going by their shapes",
        "the last columns are missing; the next record begins in its place",
        "put a mark where the cell is missing, and give it as --missing",
    ),
    SnagKind(
        "cell-too-many",
        "more cells than a record has, going by their shapes",
        "what is over stands in 'rest'",
        "take the surplus out of the source, or --drop-pieces",
    ),
    SnagKind(
        "wrong-shape",
        "a cell that is not of its column's shape",
        "the cells stand as they came",
        "look whether a cell is missing before it; --cell-shapes any, to have no check",
    ),
    SnagKind(
        "unequal-lists",
        "lists that run in step have unequal lengths",
        "the shorter ones end in missing cells",
        "look for a value that holds the delimiter",
    ),
    SnagKind(
        "label-missing",
        "a row label that some block lacks",
        "the columns of that block are missing",
        "look for a label written another way, or a line that was lost",
    ),
    SnagKind(
        "label-new",
        "a row label that the first block lacks",
        "the row stands at the end of its set",
        "look for a label written another way, or a line that was lost",
    ),
    SnagKind(
        "label-almost",
        "a row label that another block has almost so",
        "the rows stand apart",
        "write the label the same way in every block of the source",
    ),
    SnagKind(
        "label-again",
        "a label that stands in its block more than once",
        "the first value stands in its column, the others in 'rest'",
        "--again join, first or last; or another --blocks, where two blocks are one",
    ),
    SnagKind(
        "label-in-value",
        "what looks like a label, within a value",
        "it stands in the value",
        "--label, if it is one; mend the source, where a blank or a line end was lost before it",
    ),
    SnagKind(
        "end-missing",
        "a text that begins a value, and none that ends it (--between)",
        "the value goes to the end of its block",
        "look at the record, or give another END",
    ),
    SnagKind(
        "line-unexplained",
        "a line that neither begins a record nor goes on with one, going by the rules",
        "it stands as a record of its own",
        "another rule for unwrap (--starts, --ends, --indent), or wash --drop-lines",
    ),
    SnagKind(
        "record-lines",
        "a record of very many lines",
        "it is ended there; the next line begins another",
        "--record-lines N, or another rule for where records begin",
    ),
    SnagKind(
        "hyphen-unlisted",
        "a hyphen at a line's end in a word that is not listed",
        "it stays, and the word is joined without glue",
        "--words, if it is to be mended",
    ),
    SnagKind(
        "decoding-unclear",
        "a line in which only some signs look like letters decoded wrongly",
        "it stands as it is",
        "mend it in the source; wash --keep wrong-decoding, if it is right",
    ),
    SnagKind(
        "wrong-place",
        "pieces that do not go under their columns in one way that is clearly the best",
        "the record stands as it was cut",
        "realign --optional or --absorb for a column, or --shift LINE:COLUMN:N for one record",
    ),
    SnagKind(
        "stale",
        "a record that was to be changed by hand, but its text is another now",
        "it stands as it came",
        "look at it, and give --shift or --fix anew",
    ),
    SnagKind(
        "no-number",
        "a value that does not read as the column's example of a number does",
        "it stands as text",
        "look at it; another example behind |, --missing, or --fix for one value",
    ),
    SnagKind(
        "no-date",
        "a value that is no date as the column's examples are written, or a day that does not exist",
        "it stands as text",
        "look at it; another example behind |, --missing, or --fix for one value",
    ),
    SnagKind(
        "no-match",
        "a value that is to be written anew from the fields of a pattern, which does not stand in it",
        "it stands as it was",
        "look at it; widen the pattern of --replace, or --fix for one value",
    ),
    SnagKind(
        "repeat-differs",
        "a record with the key of another and something else in it",
        "both stand",
        "--repeat-kept first or last; or another --by",
    ),
    SnagKind(
        "goes-on-nowhere",
        "a cell that says that it goes on, above a line that is a record of its own",
        "the mark stands as text",
        "look whether the mark belongs to the value, or a piece was lost",
    ),
    SnagKind(
        "mail-broken",
        "a mail that is not built as its head says",
        "its text stands as far as it could be read",
        "look at it in the mail; ask for it again, if something is missing",
    ),
    SnagKind(
        "undecodable",
        "bytes that are no text in this encoding",
        "they stand as \\xNN",
        "--encoding NAME",
    ),
)

SNAG_CODES = {kind.name: code for code, kind in enumerate(SNAGS)}


class SnagRows(msgspec.Struct, frozen=True, eq=False):
    """Which records have which snags, in record order.

    Attributes
    ----------
    records : (S,) int64, row of the table
    kinds : (S,) int64, code of the cause
    """

    records: Ints
    kinds: Ints

    @classmethod
    def gather(cls, pairs: list[tuple[Ints, int]]) -> SnagRows:
        """Return the snags of several causes as one list in record order."""
        records = [rows for rows, _ in pairs]
        kinds = [np.full(rows.size, code, np.int64) for rows, code in pairs]
        none = np.zeros(0, np.int64)
        return cls.of(np.concatenate([none, *records]), np.concatenate([none, *kinds]))

    @classmethod
    def of(cls, records: Ints, kinds: Ints) -> SnagRows:
        """Return snags in record order, each of a record once."""
        order = np.lexsort((kinds, records))
        records, kinds = records[order], kinds[order]
        first = np.ones(records.size, np.bool_)  # the same may be found twice in one record
        first[1:] = (np.diff(records) != 0) | (np.diff(kinds) != 0)
        return cls(records[first], kinds[first])

    @classmethod
    def join(cls, parts: Sequence[SnagRows]) -> SnagRows:
        """Return the snags of all parts, which are of the same table."""
        none = np.zeros(0, np.int64)
        records = np.concatenate([none, *[part.records for part in parts]])
        return cls.of(records, np.concatenate([none, *[part.kinds for part in parts]]))

    def select(self, kept: Bools) -> SnagRows:
        """Return some of them."""
        return SnagRows(self.records[kept], self.kinds[kept])

    def move(self, rows: Ints) -> SnagRows:
        """Return them as those of other records.

        Parameters
        ----------
        rows : (R,) int64, where each record is now; -1 where it is not any more
        """
        records = rows[self.records]
        return SnagRows.of(records[records >= 0], self.kinds[records >= 0])

    @property
    def n_records(self) -> int:
        """How many records have at least one."""
        return int(np.count_nonzero(np.diff(self.records, prepend=-1)))

    def counts(self) -> dict[str, int]:
        """Return how many records each cause has, by name, in the order of `SNAGS`."""
        numbers = np.bincount(self.kinds, minlength=len(SNAGS))
        return {kind.name: int(n) for kind, n in zip(SNAGS, numbers, strict=True) if n}
