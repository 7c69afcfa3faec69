"""The proof believes nothing: a span that is moved, dropped or charged wrongly is found."""

from __future__ import annotations

import contextlib
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from laws import texts
from wetcomb import BrokenPromise, Split
from wetcomb.core.batch import Batch
from wetcomb.core.bookkeeping import close_batch
from wetcomb.core.cutting.proof import prove_cut
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.cutting.reading import cut_records
from wetcomb.core.cutting.scanner import Scanner
from wetcomb.core.cutting.specials import CutRules, find_specials
from wetcomb.core.ledger import Ledger
from wetcomb.core.snags import SnagRows
from wetcomb.core.table import lay_out, undouble
from wetcomb.core.text import Text

RULES = Split(delimiter=",").rules()
NO_DROPS = LineDrops(*(np.zeros(0, np.int64) for _ in range(3)))


def cut(text: Text, rules: CutRules = RULES) -> tuple[Ragged, int]:
    specials = find_specials(text.data, rules, is_last=True)
    made = cut_records(specials, rules, 0, None, Scanner(specials, rules))
    return made.ragged, made.used


def moved(name: str, by: int) -> Callable[[Ragged, int], Ragged]:
    def move(ragged: Ragged, place: int) -> Ragged:
        array = getattr(ragged, name).copy()
        array[place % array.size] += by
        return replace(ragged, **{name: array})

    return move


TAMPERED = [
    *(moved(name, by) for name in ("starts", "ends", "outer_starts", "outer_ends", "stops") for by in (1, -1)),
    lambda ragged, place: ragged.select(np.arange(ragged.stops.size) != place % ragged.stops.size),
    lambda ragged, place: replace(ragged, doubled=~ragged.doubled),
]  # fmt: skip


def close(text: Text, ragged: Ragged, used: int) -> None:
    """Prove a cut and close the book on it, every field a column of its own."""
    charges = prove_cut(text, ragged, NO_DROPS, RULES)
    grown, values = undouble(text, ragged, RULES.closing)
    n_columns = max(values.counts.tolist(), default=1)
    table = lay_out(grown, values, ("x",) * n_columns, SnagRows.gather([]))
    ledger = close_batch(Batch(text, used, table=table, charges=charges))
    assert ledger.kept + sum(ledger.dropped.values()) == len(text.value(0, used))


@settings(max_examples=300, deadline=None)
@given(texts, st.sampled_from(TAMPERED), st.integers(0, 50))
def test_tampering_never_loses_a_character(
    raw: str, tamper: Callable[[Ragged, int], Ragged], place: int
) -> None:
    """Either it is refused, or every character still has one home."""
    assume(raw)
    text = Text.of(raw)
    ragged, used = cut(text)
    close(text, ragged, used)
    changed = tamper(ragged, place)
    with contextlib.suppress(BrokenPromise):
        close(text, changed, used)


@pytest.mark.parametrize(
    ("raw", "change", "said"),
    [
        ("a,b\n", moved("ends", -1), "more than spacing around a field"),
        ("a,b\n", moved("outer_ends", -1), "fields parted by no delimiter"),
        ("a,b\nc,d\n", moved("outer_ends", 9), "more than spacing around a field"),
        ("a", moved("stops", 1), "a field lies outside the text"),
        ('"a""b",c\n', lambda ragged, _: replace(ragged, ends=ragged.ends - [1, 0]), "more than spacing"),
        ("a,b\n", lambda ragged, _: replace(ragged, stops=ragged.stops - 1), "does not end where records end|book"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_named(
    raw: str, change: Callable[[Ragged, int], Ragged], said: str
) -> None:
    text = Text.of(raw)
    ragged, used = cut(text)
    with pytest.raises(BrokenPromise, match=said):
        close(text, change(ragged, 0), used)


@pytest.mark.parametrize("reason", ["delimiter", "line-end", "quote-mark", "doubled-mark"])
def test_a_charge_that_is_doubled_dropped_or_moved_is_found(reason: str) -> None:
    text = Text.of('"a ""b""" , c\nd,e\n')
    ragged, used = cut(text)
    honest = prove_cut(text, ragged, NO_DROPS, RULES)
    grown, values = undouble(text, ragged, RULES.closing)
    table = lay_out(grown, values, ("x", "y"), SnagRows.gather([]))
    close_batch(Batch(text, used, table=table, charges=honest))
    others = [charge for charge in honest if charge.reason != reason]
    mine = [charge for charge in honest if charge.reason == reason and charge.starts.size]
    for wrong in (
        [*honest, *mine],
        others,
        [*others, *(charge._replace(starts=charge.starts - 1) for charge in mine)],
    ):
        with pytest.raises(BrokenPromise, match="the book does not close"):
            close_batch(Batch(text, used, table=table, charges=wrong))


def test_a_value_that_stands_in_two_cells_is_found() -> None:
    text = Text.of("a,b\n")
    ragged, used = cut(text)
    charges = prove_cut(text, ragged, NO_DROPS, RULES)
    table = lay_out(text, ragged, ("x", "y"), SnagRows.gather([]))
    twice = replace(table, starts=table.starts[:, [0, 0]], ends=table.ends[:, [0, 0]])
    with pytest.raises(BrokenPromise, match="byte 0 of a batch has no home, or two"):
        close_batch(Batch(text, used, table=twice, charges=charges))


def test_a_ledger_that_does_not_close_says_by_how_much() -> None:
    ledger = Ledger(source=5, kept=3)
    with pytest.raises(BrokenPromise, match="5 characters came in, 3 are accounted for"):
        ledger.check_source()
    ledger.dropped["other"] = 2
    with pytest.raises(BrokenPromise, match=r"without a name: \['other'\]"):
        ledger.check_source()
    with pytest.raises(BrokenPromise, match="3 characters were due in the output, 0 were written"):
        ledger.check_output()
    total = Ledger()
    for _ in range(3):
        total.add(Ledger(source=2, kept=1, output=1))
    assert (total.source, total.kept, total.output) == (6, 3, 3)
