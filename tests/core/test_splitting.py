"""Laws of splitting: it agrees with the plain version, whatever the chunks are."""

from __future__ import annotations

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

import plain
from laws import blocks_of, rows_of, run, run_unchecked, snags_of, texts
from wetcomb import Split, draft
from wetcomb.core.snags import SNAGS

RULES = [
    ("comma", plain.Rules()),
    ("many lines", plain.Rules(quote_lines=1)),
    ("one line", plain.Rules(quote_lines=0)),
    ("single", plain.Rules(marks=("'",))),
    ("both", plain.Rules(marks=('"', "'"))),
    ("no marks", plain.Rules(marks=())),
    ("long", plain.Rules(delimiters=("~|~",))),
    ("dash", plain.Rules(delimiters=(" - ",))),
    ("touching", plain.Rules(delimiters=("--", ","))),
    ("runs", plain.Rules(delimiters=(",", ";"), cut_runs_once=True)),
    ("tab", plain.Rules(delimiters=("\t",))),
    ("space", plain.Rules(delimiters=(), blanks="space")),
    ("gap", plain.Rules(delimiters=(";",), blanks="gap")),
    ("wide", plain.Rules(delimiters=("漢",), marks=("·",))),
    ("undoubled", plain.Rules(quote_ends="delimiter")),
]


def make_split(rules: plain.Rules, heading: str, fields: int) -> Split:
    return Split(
        delimiter=tuple(f"text:{d}" for d in rules.delimiters)
        + ((rules.blanks,) if rules.blanks else ()),
        cut_runs_once=rules.cut_runs_once,
        quote=rules.marks or "none",
        quote_lines=rules.quote_lines,
        quote_ends=rules.quote_ends,
        heading=heading,
        fields=fields,
    )


@pytest.mark.parametrize("rules", [rules for _, rules in RULES], ids=[name for name, _ in RULES])
@settings(max_examples=150, deadline=None)
@given(text=texts, heading=st.sampled_from(["first", "none"]), fields=st.integers(1, 4))
@example(text='a,b,c\n1,"x,2\n2,y,z\n3,"w",5\n', heading="first", fields=3)
@example(text='a,b\n"x\n"y,z\n', heading="none", fields=2)
@example(text='"a","b "c", d"\n1,2\n', heading="none", fields=2)
@example(text="|\t----\n---\t\na\tb\n", heading="none", fields=2)
def test_agrees_with_the_plain_version(
    rules: plain.Rules, text: str, heading: str, fields: int
) -> None:
    if not text:
        return
    wanted = plain.split(text, rules, heading=heading, fields=fields)
    pieces, _ = run(
        make_split(rules, heading, fields if heading == "none" else 0), blocks_of(text, 10_000)
    )
    assert rows_of(pieces) == [
        [*row, rest] for row, rest in zip(wanted.rows, wanted.rests, strict=True)
    ]
    kinds = [(row, SNAGS[code].name) for row, code in snags_of(pieces)]
    assert sorted(kinds) == sorted(
        (row, name) for row, names in enumerate(wanted.snags) for name in names
    )


@pytest.mark.parametrize("rules", [rules for _, rules in RULES], ids=[name for name, _ in RULES])
@settings(max_examples=80, deadline=None)
@given(text=texts, size=st.integers(1, 9), heading=st.sampled_from(["first", "none"]))
@example(text="a,b\r\n1,2\r\n", size=4, heading="first")
@example(text='a,b\n"x""y",2\n', size=3, heading="first")
def test_chunk_size_never_matters(rules: plain.Rules, text: str, size: int, heading: str) -> None:
    if not text:
        return
    split = make_split(rules, heading, 2 if heading == "none" else 0)
    whole, whole_report = run(split, blocks_of(text, 10_000))
    parts, report = run(split, blocks_of(text, size))
    assert rows_of(parts) == rows_of(whole)
    assert snags_of(parts) == snags_of(whole)
    assert report.ledger == whole_report.ledger
    assert report.dropped_lines == whole_report.dropped_lines
    assert report.drop_examples == whole_report.drop_examples
    assert report.snag_examples == whole_report.snag_examples
    assert report.lines == whole_report.lines


#: Texts on which a careless search would look at everything again for every character.
HOSTILE = {
    "blank lines": "\n" * 200_000 + "a,b\n1,2\n",
    "a long rule that is none": "a,b\n" + "-" * 100_000 + "x\n1,2\n",
    "blanks before a mark": "a\tb\n" + "\t" * 60_000 + "' x\n1\t2\n",
    "only marks": "a,b\n" + '"' * 100_001 + "x\n1,2\n",
    "openings that never close": "a,b\n" + '"x,' * 60_000 + "\n",
    "an opening on every line": "a,b\n" + '1,"x\n' * 4_000,
    "a list of inches": "a,b\n" + '5" hose,6"\n' * 60_000,
    "ten thousand fields": ",".join(f"c{k}" for k in range(10_000)) + "\n" + "x," * 9_999 + "x\n",
}


@pytest.mark.parametrize("name", HOSTILE)
@pytest.mark.parametrize("ends", ["mark", "delimiter"])
def test_hostile_texts_take_no_longer_than_others(name: str, ends: str) -> None:
    """No clock is read: where the work grew with the square, this would not come back."""
    text = HOSTILE[name]
    split = Split(
        delimiter="tab" if "\t" in text else ",", heading="first", fields=0, quote_ends=ends
    )
    _, report = run_unchecked(split, text)
    assert report.ledger.source == len(text)
    draft(text.lstrip()[:120_000])
