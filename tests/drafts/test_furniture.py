"""Page heads and feet: found where they recur on every page, and nothing else taken for them."""

from __future__ import annotations

import re

import pytest

from wetcomb import Wash, draft
from wetcomb.drafts.furniture import find_furniture

ROWS = ["Tansy       Orrin   4,50", "Heron Wake  Lamb    3,00", "Wren        Weir    1,25"]
HEADING = "Boat        Lock    Toll"


def make_pages(head: str, foot: str, *, n_pages: int = 3) -> str:
    """Pages with a head, the table's heading, records and a foot, figures running on."""
    pages = []
    for number in range(1, n_pages + 1):
        parts = [head.format(number), "\n".join([HEADING, *ROWS]), foot.format(number)]
        pages.append("\n\n".join(part for part in parts if part) + "\n")
    return "\f".join(pages)


FOUND = [
    ("Canal tolls   Page {}", "", (("Canal tolls Page {digits}",), ())),
    ("Canal tolls\nWeek 23, page {}", "- {} -", (("Canal tolls", "Week {digits}, page {digits}"), ("- {digits} -",))),
    ("", "Not bound by errors.", ((), ("Not bound by errors.",))),
    ("{}", "", (("{digits}",), ())),
    ("", "", ((), ())),
    ("7", "", ((), ())),  # a lone figure that does not rise is a value
]  # fmt: skip


@pytest.mark.parametrize(("head", "foot", "wanted"), FOUND)
def test_what_recurs_on_every_page_is_found(
    head: str, foot: str, wanted: tuple[tuple[str, ...], tuple[str, ...]]
) -> None:
    text = make_pages(head, foot)
    wash, notes = find_furniture(text.encode())
    if wanted == ((), ()):
        assert (wash, notes) == (None, [])
        return
    assert wash == Wash(page_head=wanted[0], page_foot=wanted[1])
    assert "each of 3 pages" in notes[0]
    comb = draft(text)
    assert comb.steps[0] == wash
    assert comb.run(text).rows() == [re.split(" {2,}", row) for row in ROWS] * 3


KEPT = [
    make_pages("Canal tolls Page {}", "", n_pages=1),
    make_pages("", "").replace(HEADING, ""),
    "Canal Page 1\n\na;1\n\fOrrin Page 2\n\nb;2\n",
    "\f\f\n",
]


@pytest.mark.parametrize("text", KEPT)
def test_without_pages_alike_nothing_is_taken(text: str) -> None:
    assert find_furniture(text.encode()) == (None, [])
