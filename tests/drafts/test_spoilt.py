"""Values that look spoilt by another program."""

from __future__ import annotations

import pytest

from wetcomb import draft

COLUMNS = {
    "a power of ten": (["12A07", "12B11", "12E07", "11C02", "14D09"], False),
    "a figure with a power": (["1200", "1.2E+07", "1300", "1450", "1700"], True),
    "a day among codes": (["3-12", "4-11", "1-Mar", "7-19", "8-22", "9-30"], True),
    "days": (["1-Mar", "2-Mar", "3-Mar", "4-Mar", "5-Mar"], False),
    "zeros lost": (["0123", "0456", "789", "1034", "0771", "0912"], True),
    "figures": (["123", "45", "789", "1034", "12", "7"], False),
    "codes": (["0123", "0456", "0789", "1034", "0771", "0912"], False),
}


@pytest.mark.parametrize(("values", "is_spoilt"), COLUMNS.values(), ids=COLUMNS)
def test_codes_that_were_taken_for_something_else(values: list[str], *, is_spoilt: bool) -> None:
    names = ("Tansy", "Wren", "Coot", "Rook", "Heron", "Plover")
    text = "Boat;Code\n" + "".join(f"{names[k]};{value}\n" for k, value in enumerate(values))
    assert ("spoilt" in {doubt.name for doubt in draft(text).doubts}) is is_spoilt
