"""Patterns: what they match, what they refuse, and that lines are found as one by one."""

from __future__ import annotations

import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wetcomb.core.errors import UsageError
from wetcomb.core.text import Text
from wetcomb.match.lines import find_in_lines, find_lines, match_line
from wetcomb.match.patterns import compile_pattern
from wetcomb.match.shapes import SHAPES, find_shape

MATCHES = [
    ("LK-{digits}", "LK-12", {}),
    ("LK-{digits}", "LK-12x", None),
    ("Boat Lock", "Boat \t  Lock", {}),
    ("{date as day} {words as boat}", "2031-06-02  Two Sisters", {"day": "2031-06-02", "boat": "Two Sisters"}),
    ("{words as boat} {number as tons?}t", "Heron Wake 12t", {"boat": "Heron Wake", "tons": "12"}),
    ("{words as boat} {number as tons?}t", "Heron Wake", {"boat": "Heron Wake", "tons": None}),
    ("No. {digits as no?}/{digits as year}", "No. /31", None),
    ("{any as left}: {text as right}", "é 3: gauché", {"left": "é 3", "right": "gauché"}),
    ("a{gap}b", "a b", None),
    ("a{gap}b", "a\tb", {}),
    ("text:{a} *", "{a} *", {}),
    ("regex:(?P<n>[0-9]+)é+", "12éé", {"n": "12"}),
    ("{time} {code}", "8:05 LK-12/b", {}),
    ("Sub-total {words} {money as toll}", "Sub-total   Orrin Reach   225.00", {"toll": "225.00"}),
]  # fmt: skip


@pytest.mark.parametrize(("source", "value", "fields"), MATCHES, ids=lambda value: str(value)[:30])
def test_a_pattern_covers_a_value(source: str, value: str, fields: dict[str, str] | None) -> None:
    pattern, raw = compile_pattern(source), value.encode()
    found = pattern.find(raw, "fullmatch")
    assert (found is None) == (fields is None)
    if found is not None and fields is not None:
        spans = dict(zip(pattern.fields, found.fields, strict=True))
        said = {name: raw[a:b].decode() if a >= 0 else None for name, (a, b) in spans.items()}
        assert said == fields


@pytest.mark.parametrize("shape", SHAPES)
def test_every_shape_covers_its_example(shape: str) -> None:
    assert compile_pattern(f"{{{shape}}}").covers(SHAPES[shape].example.encode())


REFUSED = [
    ("LK-{digits", "the brace at character 4 is never closed"),
    ("LK-digits}", "a closing brace at character 10 without an opening one"),
    ("{dgits}", "unknown shape 'dgits' at character 2; nearest: 'digits'"),
    ("{date is day}", "write it as {shape as name}"),
    ("  ", "is empty"),
    ("{digits as a}{word as a}", "names 'a' twice"),
    ("regex:(a+)+b", "could run without end"),
    (r"regex:(\w+\s*)*$", "could run without end"),
    ("regex:(.*,)*x", "could run without end"),
    ("regex:(a|a)*b", "could run without end"),
    ("regex:(aa?)*b", "could run without end"),
    ("regex:((a|b)(a|b)?)*c", "could run without end"),
    ("regex:(?=(a|a)*b)a", "could run without end"),
    ("regex:(?:b(?:(?:a)?)*)*c", "could run without end"),
    ("regex:(a?){20}b", "could run without end"),
    ("regex:(a|a){30}b", "could run without end"),
    ("regex:(?i:(?:ab|Ac)*)d", "could run without end"),
    ("regex:(?:[а-я]+)+x", "could run without end"),
    (r"regex:(?:\wx|bx)*c", "could run without end"),
    (r"regex:(?:\w+ ?){1,4}x", "could run without end"),
    ("regex:(?:(?:a{16}){16}){16}", "too large to be looked through"),
    ("regex:(?:ab|[a-z]b)*c", "could run without end"),
    ("regex:[a", "at character 7: unterminated character set"),
]


@pytest.mark.parametrize(("source", "said"), REFUSED, ids=[source for source, _ in REFUSED])
def test_what_cannot_be_a_pattern_is_refused(source: str, said: str) -> None:
    with pytest.raises(UsageError, match=re.escape(said)):
        compile_pattern(source)


def test_letters_of_either_size_are_one_where_case_is_ignored() -> None:
    compile_pattern("regex:(?:ab|Ac)*d")
    with pytest.raises(UsageError, match="could run without end"):
        compile_pattern("regex:(?:ab|Ac)*d", ignore_case=True)


def test_harmless_repeats_within_repeats_are_taken() -> None:
    for source in (
        r"regex:(?:\d+,)*\d+",
        "regex:(?:[a-z]+ )+",
        r"regex:(?:a|b)*c",
        r"regex:(?:\w+ ?){1,3}x",
        r"regex:(?:ab|Ac)*d",
        r"regex:(\w+,\s*)*\w+",
        r"regex:^\s*(\S+\s+)*total",
        r"regex:(?:[^\"]|\"\")*x",
        r"regex:(\d{1,3}\.)*x",
    ):
        assert compile_pattern(source).find(b"zz!", "fullmatch") is None


def test_no_pattern_runs_without_end() -> None:
    """No clock is read: unbounded, these would not come back."""
    line = b"a " * 20_000
    for source in (
        "{words} {words} {words} {words}1",
        "{any}:{any}:{any}:{any}:",
        "regex:.*.*.*.*=.*x",
    ):
        pattern = compile_pattern(source)
        assert not match_line(pattern, line, "line")
        assert not match_line(pattern, line[:90], "anywhere")


lines = st.lists(
    st.sampled_from(["LK-", "LK-1", "12", " ", "  ", "\t", "é", "x", "\f", "Toll", "\n", "\n"]),
    max_size=30,
).map("".join)


@settings(max_examples=300, deadline=None)
@given(
    lines,
    st.sampled_from(
        ["LK-{digits}", "x LK-{digits}", "{digits}", "{gap}x", "regex:^ ?x", "Toll", "éx"]
    ),
)
def test_lines_are_found_as_one_by_one(text: str, source: str) -> None:
    """The byte tests in front leave nothing out."""
    pattern, whole = compile_pattern(source), Text.of(text)
    starts = whole.line_starts
    ends = np.append(starts[1:] - 1, whole.data.size)
    raw = [whole.data[a:b].tobytes() for a, b in zip(starts, ends, strict=True)]
    for covers in ("line", "start", "end", "anywhere"):
        found = find_lines(whole.data, starts, ends, [pattern], covers)
        assert found.tolist() == [match_line(pattern, line, covers) for line in raw]
    begins, _ = find_in_lines(whole.data, starts, ends, [pattern])
    assert begins.size == sum(len([*pattern.find_all(line)]) for line in raw)


@pytest.mark.parametrize(
    ("value", "shape"),
    [
        ("", "empty"), ("0042", "digits"), ("-1,234.50", "number"), ("(12)", "number"), ("12 %", "percent"),
        ("€ 3,50", "money"), ("3.50 EUR", "money"), ("2031-02-13", "date"), ("13.2.31", "date"),
        ("3 June 2031", "date"), ("2031-02-13 14:56", "date"), ("14:56:01", "time"), ("yes", "yes-no"),
        ("a.b@boats.example", "email"), ("https://x.example/a", "url"), ("MP-0204", "code"), ("7d53d1d", "code"),
        ("Tansy", "word"), ("d'Orrin", "word"), ("Lady of the Lake", "words"), ("Zoë Łódź", "words"),
        ("4,50", "number"), ("smith & sons", "words"), ("12.03.2031 08:30", "date"), ("٣٤", "digits"),
        ("see 3/4, late", "text"), (";", "text"), ("a" * 300 + "1", "text"),
    ],
)  # fmt: skip
def test_a_value_has_one_shape_for_patterns_and_profiles(value: str, shape: str) -> None:
    assert find_shape(value) == shape
    if shape not in ("empty", "text") and value.isascii():
        assert compile_pattern(f"{{{shape}}}").covers(value.encode())


#: A pattern, a text, and for each match that cuts no word: all of it, and its fields.
FOUND: dict[str, tuple[str, str, list[tuple[str, ...]]]] = {
    "a closed list": ("{barge|tug as kind} {word as boat}", "the tug Tansy, a barge Wren", [("tug Tansy", "tug", "Tansy"), ("barge Wren", "barge", "Wren")]),
    "the longest of a list": ("{red|red oak as wood}", "red  oak and red", [("red  oak", "red  oak"), ("red", "red")]),
    "no part of a word": ("{tug|barge as kind}", "tugs, tug-boats; bargee", [("tug", "tug")]),
    "one that may be missing": ("{word as boat} {tug|barge as kind?}", "Tansy tug", [("Tansy tug", "Tansy", "tug")]),
    "a text that may be missing": ("{digits as n} t {text:net?}", "12 t net, 7 t", [("12 t net", "12"), ("7 t", "7")]),
    "signs in a list": ("{+|- as sign}{digits as n}", "+3 -4", [("+3", "+", "3"), ("-4", "-", "4")]),
    "any text ends at what follows": ("{text as a}; {text as b}", "x; y; z", [("x; y; z", "x", "y; z")]),
    "any text at the end": ("no {any as rest}", "no 1, no 2", [("no 1, no 2", "1, no 2")]),
    "behind one that may be missing": ("{text as a}; {digits as n?}mm; {word as c}", "x; z", []),
    "what is glued goes too": ("{word as a}; {digits as n?}mm; {word as c}", "x;; z", [("x;; z", "x", "", "z")]),
    "not in a word": ("{digits as n}", "a1 22b 333", [("333", "333")]),
}  # fmt: skip


@pytest.mark.parametrize(("source", "text", "found"), FOUND.values(), ids=FOUND)
def test_every_match_in_a_text(source: str, text: str, found: list[tuple[str, ...]]) -> None:
    raw = text.encode()
    matches = [
        (match.start, match.end, match.fields) for match in compile_pattern(source).find_each(raw)
    ]
    told = [
        (raw[start:end].decode(), *(raw[max(a, 0) : max(b, 0)].decode() for a, b in fields))
        for start, end, fields in matches
    ]
    assert told == found


@pytest.mark.parametrize(
    ("source", "said"),
    [
        ("{barge||tug}", "a text is empty in the list"),
        ("{text:}", "a text is empty in the list"),
        ("{a|b as x} {word as x}", "names 'x' twice"),
    ],
)
def test_lists_that_mean_nothing(source: str, said: str) -> None:
    with pytest.raises(UsageError, match=re.escape(said)):
        compile_pattern(source)
