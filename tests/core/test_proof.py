"""The proof believes nothing: a span that is moved, dropped or charged wrongly is found."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from laws import texts
from wetcomb import BrokenPromise, Split
from wetcomb.core.ledger import Ledger
from wetcomb.core.proof import prove_cut
from wetcomb.core.ragged import LineDrops, Ragged
from wetcomb.core.reading import cut_records
from wetcomb.core.scanner import Scanner
from wetcomb.core.specials import CutRules, find_specials
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


@settings(max_examples=300, deadline=None)
@given(texts, st.sampled_from(TAMPERED), st.integers(0, 50))
def test_tampering_never_loses_a_character(
    raw: str, tamper: Callable[[Ragged, int], Ragged], place: int
) -> None:
    """Either the proof refuses, or its charges and values still cover every character once."""
    assume(raw)
    text = Text.of(raw)
    ragged, used = cut(text)
    honest, _ = prove_cut(text, used, ragged, NO_DROPS, RULES)
    assert honest.source == len(raw)
    changed = tamper(ragged, place)
    try:
        ledger, charges = prove_cut(text, used, changed, NO_DROPS, RULES)
    except BrokenPromise:
        return
    covered = np.zeros(text.data.size, np.int64)
    for start, end in zip(changed.starts, changed.ends, strict=True):
        covered[start:end] += 1
    for charge in charges:
        for start, end in zip(charge.starts, charge.ends, strict=True):
            covered[start:end] += -1 if charge.reason == "doubled-mark" else 1
            if charge.reason == "doubled-mark":  # it lies inside a value: one home, not two
                covered[start:end] += 1
    assert (covered == 1).all()
    assert ledger.source == len(raw)


@pytest.mark.parametrize(
    ("raw", "change", "said"),
    [
        ("a,b\n", moved("ends", -1), "more than spacing around a field"),
        ("a,b\n", moved("outer_ends", -1), "a value reaches beyond its field"),
        ("a;,b\n", moved("outer_starts", 1), "records leave a gap"),
        ('"a""b",c\n', lambda ragged, _: replace(ragged, ends=ragged.ends - [1, 0]), "more than spacing"),
        ("a,b\n", lambda ragged, _: replace(ragged, stops=ragged.stops - 1), "records leave a gap"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_named(
    raw: str, change: Callable[[Ragged, int], Ragged], said: str
) -> None:
    text = Text.of(raw)
    ragged, used = cut(text)
    with pytest.raises(BrokenPromise, match=said):
        prove_cut(text, used, change(ragged, 0), NO_DROPS, RULES)


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
