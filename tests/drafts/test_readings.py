"""Readings of dates and numbers that a table would allow: proposed only where they are certain."""

from __future__ import annotations

import pytest

from wetcomb import Comb, Split
from wetcomb.drafts.readings import propose_readings

#: Values of a column; what is proposed for it, and whether it is told as undecided.
COLUMNS: dict[str, tuple[list[str], str, bool]] = {
    "day first": (["01.02.2031", "13.02.2031"], "--date a=13.02.2031", False),
    "month first": (["02/01/2031", "02/13/2031"], "--date a=02/13/2031", False),
    "either": (["01.02.2031", "03.04.2031"], "", True),
    "names": (["2 June 2031", "13 May 2031"], "--date a=13 May 2031", False),
    "no such day": (["13.02.2031", "31.02.2031"], "", False),
    "as they should be": (["2031-02-01", "2031-02-13"], "", False),
    "groups and decimals": (["1.204,50", "3,00"], "--number a=1.204,50", False),
    "groups or decimals": (["1.204", "3.100"], "", True),
    "decimals": (["1.204", "3.10"], "", False),
    "groups, going by one": (["1,204", "3,100,000"], "--number a=3,100,000", False),
    "a currency": (["4,50 EUR", "13,20 EUR"], "--number a=13,20 EUR", False),
    "two currencies": (["4,50 EUR", "13,20 USD"], "", False),
    "codes": (["LK-01", "LK-02"], "", False),
    "codes of digits": (["0012", "0340"], "", False),
    "words": (["Tansy", "Wren"], "", False),
    "letters with one of them": (["135", "1008", "117", "c118", "203"], "", False),
    "figures among words": (["12,5", "none"], "", False),
}


@pytest.mark.parametrize(("values", "option", "is_undecided"), COLUMNS.values(), ids=COLUMNS)
def test_what_is_proposed(values: list[str], option: str, *, is_undecided: bool) -> None:
    comb = Comb((Split(delimiter=";", heading="first", fields=2),))
    table = comb.run("a;b\n" + "".join(f"{value};x\n" for value in values))
    options, undecided = propose_readings(table)
    assert options == [option] * bool(option)
    assert bool(undecided) is is_undecided
