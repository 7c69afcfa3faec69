"""Doubts: that the whole is not certain. A snag is about one record, a doubt about all of them.

A doubt takes nothing away and changes nothing: it names what speaks against the answer, and
the command that would settle it, which has been tried.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

__all__ = ["DOUBTS", "Doubt", "DoubtKind", "find_verdict", "tell_shortly"]


class DoubtKind(msgspec.Struct, frozen=True):
    """One ground for doubt.

    Attributes
    ----------
    name : as it is written in tables and messages
    about : what is not certain
    settle : what settles it, where no command was found that does
    """

    name: str
    about: str
    settle: str


#: Every ground there is, in the order they are told.
DOUBTS = (
    DoubtKind(
        "no-table",
        "each line came out as one field, and nobody asked for that",
        "say what parts the fields (-d, --edges), or take the part that is a table (--lines)",
    ),
    DoubtKind(
        "hardly-cut",
        "the text is hardly easier to write down as this table than as plain text",
        "look whether it is a table at all; state -d or --edges if it is",
    ),
    DoubtKind(
        "cut-close",
        "another way to cut is as likely, and gives another table",
        "hold the ways that inspect numbers side by side; --way 2 takes the second",
    ),
    DoubtKind(
        "example-open",
        "the examples allow two rules, which differ in other records",
        "look at the record that is told, and give it as one more --example",
    ),
    DoubtKind(
        "example-odd",
        "records do not come out whole by the rule that gives the examples",
        "look at them, and give one as another --example",
    ),
    DoubtKind(
        "several-tables",
        "there are several tables, cut as if they were one",
        "take one at a time: --part N",
    ),
    DoubtKind(
        "few-records",
        "hardly any records came of many lines",
        "look whether lines were joined, or left out, that are records",
    ),
    DoubtKind(
        "mail-text",
        "lines of a mail stand among the records",
        "take the part that is the table: --lines, --part",
    ),
    DoubtKind(
        "labels",
        "values look like labels with what they name behind them",
        "name the labels (pull --label), or cut each line with -d and --cuts first:1",
    ),
    DoubtKind(
        "outside-alike",
        "lines were left out that stand beside the table and look like part of it",
        "say which lines are meant: --lines",
    ),
    DoubtKind(
        "page-lines",
        "lines that recur on every page were taken into values",
        "take them out first: wash --drop-lines, or --page-head and --page-foot",
    ),
    DoubtKind(
        "heading-unsure",
        "whether the first record is the heading",
        "state --heading first or --heading none",
    ),
    DoubtKind(
        "heading-joined",
        "which columns the upper lines of the heading belong to",
        "look at the names; state --heading N, or --names",
    ),
    DoubtKind(
        "heading-short",
        "the heading names fewer columns than most records have",
        "look whether a name was lost, or stands for two columns; state --names",
    ),
    DoubtKind(
        "heading-torn",
        "words of the heading are torn, or hold marks that were drawn",
        "state --edges or --heading, or take the heading out with --lines",
    ),
    DoubtKind(
        "heading-inside",
        "a record says words of the heading, or nothing but marks",
        "wash --drop-lines takes such lines out, --lines one of several tables",
    ),
    DoubtKind(
        "first-blank",
        "a column is blank in many records: it may lack values, or hold what stands above, or the line goes on with that record",
        "--wrapped, where such lines go on with the record above; clean --carry, where a value holds until another comes",
    ),
    DoubtKind(
        "thin-records",
        "many records fill one column only",
        "look whether such lines belong to records beside them: --wrapped, --group",
    ),
    DoubtKind(
        "total-inside",
        "a record looks like a total of the others",
        "take it out: --totals, or wash --drop-lines",
    ),
    DoubtKind(
        "odd-signs",
        "signs that cannot be seen, or were decoded wrongly, stand in values",
        "wash takes them out",
    ),
    DoubtKind(
        "hyphen-left",
        "words that were parted at a line's end still have their hyphen",
        "unwrap --hyphens mend, where that is right for all of them",
    ),
    DoubtKind(
        "encoding-unsure",
        "the encoding was guessed, and it is not a common one",
        "state --encoding",
    ),
    DoubtKind(
        "missing-bare",
        "a bare word stands among cells that are all quoted: it may mean that nothing is there",
        "state --missing",
    ),
    DoubtKind(
        "spoilt",
        "values look as if another program had taken codes for numbers or dates",
        "get the text from where it was not opened by such a program; --as-text keeps them as they are",
    ),
    DoubtKind(
        "units-mixed",
        "the numbers of a column stand for different units or currencies",
        "hold each unit's sum against the paper; never add them up: clean --currency column keeps the unit beside each",
    ),
    DoubtKind(
        "foreign-value",
        "a word stands among figures, or a figure that is cut in two",
        "look at those lines: a cell may stand in the wrong column",
    ),
    DoubtKind(
        "marks-kept",
        "the values of a column begin or end with the same mark, or say by one that the value above holds",
        "take the mark out: --drop-pieces, or wash; what a mark stands for must be written out",
    ),
    DoubtKind(
        "quotes-left",
        "a quote mark opens one value and closes another one, and was taken as text",
        "look whether a quoted field holds the delimiter or line ends; state --quote",
    ),
    DoubtKind(
        "mark-inside",
        "a mark stands in nearly all values of a column, and may part two fields",
        "cut there too, with a second -d or split --column",
    ),
    DoubtKind(
        "fields-inside",
        "the values of a column are built alike of figures and words: they may be several fields",
        "look at the ways that inspect numbers; state --edges, or say the fields in a pattern: pull --each",
    ),
    DoubtKind(
        "glued-values",
        "figures and words stand together without anything between them",
        "cut them with --boundary",
    ),
    DoubtKind(
        "joined-unsure",
        "lines were joined that may be records of their own",
        "look at those lines; leave --wrapped out",
    ),
    DoubtKind(
        "joined-torn",
        "lines were joined with a blank that may have been cut within words or figures",
        "look at where they were joined; unwrap --glue '' joins them as they stand",
    ),
    DoubtKind(
        "cut-inside",
        "a name or a code was cut in two",
        "state another -d, or --edges",
    ),
    DoubtKind(
        "records-equal",
        "records are equal to the letter",
        "look whether the text has them twice",
    ),
    DoubtKind(
        "total-off",
        "a total that is printed is not what the records give",
        "look for a record that was lost, or a figure read wrongly",
    ),
)

_ORDER = {kind.name: place for place, kind in enumerate(DOUBTS)}


class Doubt(msgspec.Struct, frozen=True):
    """One ground for doubt in one text.

    Attributes
    ----------
    name : of its kind
    said : the evidence, in words
    lines : source lines (first, last) where it names some
    command : what would settle it, tried; `{input}` stands for the file. Empty where none was found
    """

    name: str
    said: str
    lines: tuple[tuple[int, int], ...] = ()
    command: str = ""

    @property
    def kind(self) -> DoubtKind:
        """What is said of all doubts of this kind."""
        return DOUBTS[_ORDER[self.name]]

    @property
    def place(self) -> int:
        """Its place in the order they are told."""
        return _ORDER[self.name]


def find_verdict(doubts: Sequence[Doubt]) -> str:
    """Return the whole in a word: `table`, `doubtful` or `no table`."""
    if any(doubt.name == "no-table" for doubt in doubts):
        return "no table"
    return "doubtful" if doubts else "table"


def tell_shortly(doubts: Sequence[Doubt]) -> str:
    """Return verdict and doubts in one line; nothing where there is no doubt."""
    if not doubts:
        return ""
    names = ", ".join(doubt.name for doubt in doubts)
    return f"{find_verdict(doubts)}: {names}; --snags FILE lists why"
