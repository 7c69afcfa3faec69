"""wash, unwrap and wrapped cells: against a plain version, whatever the chunks, nothing eaten."""

from __future__ import annotations

import re

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from laws import blocks_of, run_comb
from wetcomb import Comb, Split, Unwrap, UsageError, Wash
from wetcomb.combs.memory import count_output, make_batch, make_text
from wetcomb.core.report import Report
from wetcomb.core.text import Text

ONE_COLUMN = Split(delimiter="none", quote="none", heading="none", fields=1)

_LINES = "J1 a|J2|  b|b;|c-|é d||| |\f|\fJ3 x|Total 9|kee-|per|- 2 -|Head Page 1|Head Page 2"
lines = st.lists(
    st.sampled_from([*_LINES.split("|"), "x\u200by", "co\u00adal", "> quoted", "Tom wrote:"]),
    max_size=14,
)
texts = st.tuples(lines, st.sampled_from(["\n", "\r\n", "\r"]), st.booleans()).map(
    lambda made: made[1].join(made[0]) + made[1] * made[2]
)


def run_steps(text: str, size: int, *steps: Wash | Unwrap | Split):
    """Run steps over blocks and close the ledger; return the rows with their lines, and the report."""
    report = Report()
    pieces = list(run_comb(Comb(steps), blocks_of(text, size), report))
    ledger = report.ledger
    ledger.check_source()
    tables = [piece.table for piece in pieces if piece.table is not None]
    names = sum(map(len, tables[0].names)) if tables else 0
    ledger.output = names + sum(
        count_output(table) - sum(map(len, table.names)) for table in tables
    )
    ledger.check_output()
    listed = "".join(
        piece.text.value(start, end)
        for piece in pieces
        for _, starts, ends, _ in piece.charges
        for start, end in zip(starts.tolist(), ends.tolist(), strict=True)
    )
    assert len(listed) >= sum(ledger.dropped.values())
    rows = []
    for table in tables:
        firsts, lasts = table.line_numbers(table_rows(table))
        rows += list(zip(table.rows(), firsts.tolist(), lasts.tolist(), strict=True))
    return rows, report


def table_rows(table):
    import numpy as np

    return np.arange(table.n_records)


def plain_unwrap(text: str, rule: str) -> list[str]:
    """The records of a text, put together line by line."""
    records: list[str] = []
    begun, before = False, ""
    for line in re.split(r"\r\n|\n|\r", text):
        bare = line.strip(" \t").removeprefix("\f").strip(" \t")
        if not bare:
            before = "" if rule == "blank-lines" else before
            continue
        if rule == "starts":
            is_start = bool(re.match(r"[ \t\f]*J\d", line))
            begun = begun or is_start
            goes_on = begun and not is_start
        elif rule == "indent":
            goes_on = line[0] in " \t" and bool(records)
        elif rule == "ends":
            goes_on = bool(before) and not before.rstrip(" \t\f").endswith(";")
        elif rule == "blank-lines":
            goes_on = bool(before)
        else:
            goes_on = bool(records)
        goes_on = goes_on and bool(records)
        records[-1:] = [f"{records[-1]} {bare}"] if goes_on else [*records[-1:], bare]
        before = line
    return records


RULES = {
    "starts": Unwrap(starts="J{digits}"),
    "indent": Unwrap(indent=True),
    "ends": Unwrap(ends="text:;"),
    "blank-lines": Unwrap(blank_lines=True),
    "all": Unwrap(all=True),
}


@pytest.mark.parametrize("rule", RULES)
@settings(max_examples=120, deadline=None)
@given(text=texts, size=st.integers(1, 40))
@example(text="J1 a\n\nb\n\fJ2\n  c", size=3)
def test_unwrapping_agrees_with_the_plain_version(rule: str, text: str, size: int) -> None:
    if not text.strip(" \r\n\t\f"):
        return
    whole, whole_report = run_steps(text, 10_000, RULES[rule], ONE_COLUMN)
    assert [row[0] for row, _, _ in whole] == plain_unwrap(text, rule)
    parts, report = run_steps(text, size, RULES[rule], ONE_COLUMN)
    assert parts == whole
    assert report.ledger == whole_report.ledger
    assert report.lines == whole_report.lines
    source = re.split(r"\r\n|\n|\r", text)
    for row, first, last in whole:  # every record says where it came from
        assert row[0] is not None and row[0].split()[0] in source[first - 1]
        assert row[0].split()[-1] in source[last - 1]


WASHES = [
    Wash(),
    Wash(drop_lines="Total {digits}", page_head="Head Page {digits}", page_foot="- {digits} -"),
    Wash(keep_lines=("J{digits}{any}", "{word}")),
    Wash(keep=("zero-width", "soft-hyphen", "reply-mark")),
    Wash(drop=("rule", "blank-line")),
]


@pytest.mark.parametrize("step", WASHES)
@settings(max_examples=120, deadline=None)
@given(text=texts, size=st.integers(1, 40))
def test_washing_takes_only_what_is_named_whatever_the_chunks(
    step: Wash, text: str, size: int
) -> None:
    if not text.strip(" \r\n\t\f"):
        return
    whole, whole_report = run_steps(text, 10_000, step, ONE_COLUMN)
    parts, report = run_steps(text, size, step, ONE_COLUMN)
    assert (parts, report.ledger) == (whole, whole_report.ledger)
    for row, first, _ in whole:
        line = re.split(r"\r\n|\n|\r", text)[first - 1].lstrip("\f").strip()
        cleaned = line if "zero-width" in step.keep else re.sub("[\u200b\u00ad]", "", line)
        assert row[0] == cleaned or (cleaned.startswith(">") and row[0] == cleaned[1:].strip())


#: Options whose answer no plain version gives; still, where the text was cut never shows.
REWRITES = [
    Wash(one_space=True, plain_spaces=True),
    Wash(plain_spaces=True, drop="blank-line", keep="control"),
    Unwrap(indent=True, hyphens="mend"),
    Unwrap(starts="J{digits}", hyphens="drop", glue=""),
    Unwrap(ends="text:;", hyphens="listed", words=("depot",)),
    Unwrap(starts="J{digits}", quote="double"),
    Unwrap(width=6, record_lines=3),
    Unwrap(fields=2, delimiter="semicolon", quote="double"),
]
odd_texts = st.lists(
    st.sampled_from(
        ["J1", "J22 ", "de-\n", "de-\n  pot", "\n", "\r\n", "  ", "\t", ";", '"', "\f", "Z\u00c3\u00ab",
         "\u00a0", "\u3000\u2009", "\x07", "x", "> a\n", "Ruth wrote:\n", "\n\n", "\\xE9"]
    ),
    max_size=24,
).map("".join)  # fmt: skip


@pytest.mark.parametrize("step", REWRITES)
@settings(max_examples=60, deadline=None)
@given(text=odd_texts, size=st.integers(1, 30))
def test_what_rewrites_does_the_same_whatever_the_chunks(
    step: Wash | Unwrap, text: str, size: int
) -> None:
    if not text.strip(" \r\n\t\f\x07\u00a0\u3000\u2009"):
        return
    whole, whole_report = run_steps(text, 10_000, step, ONE_COLUMN)
    parts, report = run_steps(text, size, step, ONE_COLUMN)
    assert (parts, report.ledger) == (whole, whole_report.ledger)
    assert report.snags == whole_report.snags


def wash(text: str, **options: object) -> str:
    return make_text([Wash(**options)], text.encode()).decode()


HARMLESS = [
    "> 2420\n> 31\n12\n",  # a laboratory list, no reply
    "7\n\n\n8\n\n\n9\n",  # lone numbers, no pages
    "---\n--- not tested\n",
    "Total\nTotal 5 t\n",
    "a \u00a0 b\u3000c\n",
]


def spoil(text: str) -> str:
    """Return a text as if it had been read as a Western encoding."""
    return "".join(
        chr(byte) if 0x80 <= byte < 0xA0 else bytes([byte]).decode("latin-1")
        for byte in text.encode()
    )


CLEANED = [
    ({}, "Zo\u00c3\u00ab waits \u00e2\u20ac\u201c \u00c3\u00a0 flot\n", "Zo\u00eb waits \u2013 \u00e0 flot\n"),
    ({}, "CAF\u00c9\u00bb\n", "CAF\u00c9\u00bb\n"),  # right as it is
    ({}, spoil("───  ──\nΚάτω Λεύκα\nБелая ночь\nбар├─ \n"), "───  ──\nΚάτω Λεύκα\nБелая ночь\n" + spoil("бар├─ \n")),  # three of a script in a line
    ({}, "\u00c3\u00ab \u00c9\u00bb\n", "\u00c3\u00ab \u00c9\u00bb\n"),  # they do not agree
    ({"keep": "wrong-decoding"}, "Zo\u00c3\u00ab\n", "Zo\u00c3\u00ab\n"),
    ({}, "Mar\u00c3\u00ada co\u00adal\n", "Mar\u00eda coal\n"),  # a soft hyphen is half of a letter
    ({}, "che\u00c2\u00adcked \u00c3\u00ab\n", "checked \u00eb\n"),  # what cannot be seen, decoded wrongly
    ({"keep": ("soft-hyphen",)}, "che\u00c2\u00adcked\n", "che\u00adcked\n"),
    ({"plain_spaces": True}, "a\u00c2\u00a0b \u00c3\u00ab\n", "a b \u00eb\n"),
    ({"plain_spaces": True}, "a\u00e2\u20ac\u00a0b\u00a0c\n", "a\u2020b c\n"),
    ({"plain_spaces": True}, "1\u00a0250 t\u3000x\n", "1 250 t x\n"),
    ({"plain_spaces": True}, "\u00c3\u00a0\u00a0b\n", "\u00e0 b\n"),
    ({"one_space": True}, "  a  b\t\tc  \n", "  a b\tc  \n"),
    ({"one_space": True, "plain_spaces": True}, "a \u00a0 b\u3000\u3000c\n", "a b c\n"),
    ({"drop": ("rule", "blank-line")}, "a\n---\n\nb\n", "a\nb\n"),
]  # fmt: skip


@pytest.mark.parametrize(("options", "text", "wanted"), CLEANED)
def test_characters_are_made_plain(options: dict[str, object], text: str, wanted: str) -> None:
    assert wash(text, **options) == wanted
    rows, _ = run_steps(text, 7, Wash(**options), ONE_COLUMN)  # and the ledger closes
    assert [row[0] for row, _, _ in rows] == [line.strip() for line in wanted.splitlines()]


def test_what_one_step_puts_in_may_leave_with_the_next() -> None:
    steps = (Wash(plain_spaces=True), Unwrap(indent=True), ONE_COLUMN)
    rows, report = run_steps("\u00a0\n", 10, *steps)
    assert (rows, report.ledger.put_in["glue"]) == ([], 0)


@pytest.mark.parametrize("text", HARMLESS)
def test_nothing_is_eaten_that_was_not_named(text: str) -> None:
    assert wash(text, page_head="Page {digits}", page_foot="- {digits} -") == text


def test_furniture_counts_only_where_it_may_stand() -> None:
    text = "Canal Page 1\nTansy 4\nCanal Page 2\n- 1 -\nHeron 3\n\n- 1 -\n\fCanal Page 2\nWren 7\n- 2 -\n"
    options = {"page_head": "Canal Page {digits}", "page_foot": "- {digits} -"}
    assert wash(text, **options) == "Tansy 4\nCanal Page 2\n- 1 -\nHeron 3\n\n\fWren 7\n"
    assert wash("a\n\n\nCanal Page 2\nb\n", **options) == "a\n\n\n\fb\n"


def test_reply_marks_go_where_a_line_says_who_wrote() -> None:
    text = "Hello,\n\nOn Monday Ruth wrote:\n> > boat;toll\n> > Tansy;4\n>\n> bye\nRuth\n> 31\n"
    assert wash(text) == "Hello,\n\nOn Monday Ruth wrote:\nboat;toll\nTansy;4\n\nbye\nRuth\n> 31\n"
    assert wash(text, keep="reply-mark") == text


JOINED = [
    ({"indent": True, "hyphens": "mend"}, "a kee-\n  per\nX-\n  Y\n", "a keeper\nX- Y\n"),
    ({"indent": True, "hyphens": "keep"}, "a well-\n  known\n", "a well-known\n"),
    ({"starts": "J{digits};", "glue": ""}, "J1;ab \n cd\nJ2;e\n", "J1;ab  cd\nJ2;e\n"),
    ({"fields": 3, "delimiter": "pipe"}, "a|b\nc|d\ne|f|g\nh\ni|j|k\n", "a|b c|d\ne|f|g h\ni|j|k\n"),
    ({"width": 4}, "abcd\nef\ngh\n", "abcd ef\ngh\n"),
    ({"starts": "No {digits}", "indent": True}, "Head\nNo 1\n  a\nb\nNo 2\n", "Head\nNo 1 a\nb\nNo 2\n"),
    ({"indent": True, "hyphens": "drop"}, "GO-\n  PHER\n", "GOPHER\n"),
    ({"indent": True, "hyphens": "listed", "words": "Keeper"}, "kee-\n  per well-\n  known\n", "keeper well-known\n"),
    ({"starts": "J{digits}", "quote": "double"}, 'J1 "a\nJ2 b" c\nJ3 5" d\n', 'J1 "a J2 b" c\nJ3 5" d\n'),
    ({"starts": "J{digits}", "record_lines": 2}, "J1\na\nb\nc\nd\nJ2\n", "J1 a\nb c\nd\nJ2\n"),
    ({"blank_lines": True, "glue": ", "}, "a\nb\n\nc\n", "a, b\nc\n"),
]  # fmt: skip


@pytest.mark.parametrize(("options", "text", "wanted"), JOINED, ids=lambda value: str(value)[:30])
def test_lines_are_joined_as_asked(options: dict[str, object], text: str, wanted: str) -> None:
    assert make_text([Unwrap(**options)], text.encode()).decode() == wanted


@pytest.mark.parametrize(
    ("step", "text", "lines"),
    [
        (Unwrap(starts="J{digits}", indent=True), "head\nJ1\n a\nb\nJ2\nc\n", {"line-unexplained": [4, 6]}),
        (Unwrap(all=True, record_lines=2), "a\nb\nc\nd\ne\n", {"record-lines": [3, 5]}),
        (Unwrap(indent=True, hyphens="listed", words="x"), "a-\n b\nc\n", {"hyphen-unlisted": [1]}),
        (Wash(), "\u00c3\u00ab \u00c9\u00bb\nb\n", {"decoding-unclear": [1]}),
        (Wash(), "\u00c3\u00ab \u00d1\u00bb\nESPA\u00d1\u00bb\n", {"decoding-unclear": [1]}),  # one letter of another script
    ],
)  # fmt: skip
@pytest.mark.parametrize("size", [3, 100])
def test_what_no_rule_explains_is_told(
    step: Wash | Unwrap, text: str, lines: dict[str, list[int]], size: int
) -> None:
    _, report = run_steps(text, size, step, ONE_COLUMN)
    found = {name: [e.first_line for e in some] for name, some in report.snag_examples.items()}
    assert found == lines


REFUSED = [
    (lambda: Unwrap(indent=True, hyphens="listed"), "give both"),
    (lambda: Wash(drop="rules"), "--drop: unknown kind 'rules'; nearest: 'rule'"),
    (lambda: Unwrap(), "unwrap needs a rule"),
    (lambda: Unwrap(all=True, indent=True), "--all stands alone"),
    (lambda: Unwrap(fields=3), "give both"),
    (lambda: Unwrap(fields=3, delimiter="space"), "cannot count blanks"),
    (lambda: Unwrap(indent=True, glue="\n"), "--glue holds a line end"),
    (lambda: Wash(keep="zero"), "--keep: unknown kind 'zero'; nearest: 'zero-width'"),
    (lambda: Wash(page_head="{x"), "is never closed"),
    (lambda: Split(key="Boat"), "--key goes with --wrapped"),
    (lambda: Split(wrapped=True, panels=2), "--panels and --wrapped contradict each other"),
    (lambda: Comb((Wash(),)), "wash makes text; end the steps with split"),
]  # fmt: skip


@pytest.mark.parametrize(("make", "said"), REFUSED, ids=[said for _, said in REFUSED])
def test_what_means_nothing_is_refused(make, said: str) -> None:
    from wetcomb import CombError

    with pytest.raises((UsageError, CombError), match=re.escape(said)):
        make()


REPORT = """\
Boat        Remark              Toll
----------  ------------------  ----
Tansy       toll agreed with    4,50
            the keeper, see
            letter of 3 June
Heron                           3,00

\fBoat         Remark             Toll
-----------  -----------------  ----
             (late)
Wren         paid               1,00
"""


@settings(max_examples=40, deadline=None)
@given(size=st.integers(1, 250))
def test_wrapped_cells_belong_to_the_record_above_even_over_a_page(size: int) -> None:
    step = Split(edges="rule", heading="first", wrapped=True, key="Boat")
    rows, report = run_steps(REPORT, size, step)
    assert rows == [
        (["Tansy", "toll agreed with the keeper, see letter of 3 June", "4,50"], 3, 5),
        (["Heron", "(late)", "3,00"], 6, 10),
        (["Wren", "paid", "1,00"], 11, 11),
    ]
    assert report.ledger.put_in["glue"] == 2


def test_centred_cells_are_parted_by_blank_lines() -> None:
    text = "Boat    Remark        Toll\n\n        waits for\nTansy                 4,50\n        the gate\n\n        empty\nHeron\n        on return     3,00\n"
    step = Split(edges=(8, 22), heading="first", wrapped=True, parted_by="blank-line", glue="/")
    rows, _ = run_steps(text, 30, step)
    assert [row for row, _, _ in rows] == [
        ["Tansy", "waits for/the gate", "4,50"], ["Heron", "empty/on return", "3,00"]
    ]  # fmt: skip
    with pytest.raises(UsageError, match="--key: there is no column 'Bota'; nearest: 'Boat'"):
        run_steps(text, 500, Split(edges=(8, 22), heading="first", wrapped=True, key="Bota"))


def test_pieces_know_their_source_lines_through_every_step() -> None:
    text = "x\nHead Page 1\nJ1 a\n  b\nJ2 c\n"
    made = Text.of(text)
    made = make_batch([Wash(drop_lines="Head {any}")], made).result
    made = make_batch([Unwrap(indent=True)], made).result
    assert made.value(0, made.body_size) == "x\nJ1 a b\nJ2 c\n"
    import numpy as np

    assert made.line_numbers(np.array([0, 2, 7, 9])).tolist() == [1, 3, 4, 5]
    assert made.count_puts(np.array([0]), np.array([made.body_size])) == 1
    assert made.rest(9, 2).line_numbers(np.array([0, 3])).tolist() == [5, 5]
