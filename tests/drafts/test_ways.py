"""The ways to cut a text, numbered: what each makes, and what an analyst states of them."""

from __future__ import annotations

import itertools
import re
from pathlib import Path

import pytest

from program import wetcomb
from wetcomb import UsageError, draft
from wetcomb.drafts.search import Stated, search
from wetcomb.drafts.whole import Whole
from wetcomb.steps.split.options import Split

#: A list whose goods hold the mark that parts the fields, in three records.
GOODS = """\
Tansy, Orrin Basin, coal, 4.50
Heron Wake, Halden Top, slate, 12.25
Old Regret, Lamb Lock, lime, burnt, 3.00
Wren, Weir Gate, coal, 7.75
Mother Carey, Orrin Basin, timber, oak, 11.00
Plover, Lamb Lock, coal, 2.50
Coot, Orrin Basin, slate, 8.25
Two Sisters, Weir Gate, lime, burnt, 6.00
Rook, Halden Top, coal, 4.75
Teal, Lamb Lock, slate, 5.50
"""


def test_the_column_that_takes_a_surplus_is_found_and_the_ways_differ_in_those_records(
    tmp_path: Path,
) -> None:
    (tmp_path / "goods.txt").write_text("Permits for the basin\n\n" + GOODS)
    said = wetcomb(tmp_path, "inspect", "goods.txt", "--evidence").stdout.decode()
    assert "ways that make different tables; this is way 1" in said
    found = re.search(r"way 1 and way (\d) differ in 3 places\n(.*?)\n *\n", said, re.DOTALL)
    assert found is not None
    assert found[2].count("lime, burnt | ") == 2 and "timber | oak, 11.00" in found[2]
    best = wetcomb(tmp_path, "rebuild", "goods.txt").stdout.decode()
    assert 'Mother Carey,Orrin Basin,"timber, oak",11.00' in best
    other = wetcomb(tmp_path, "rebuild", "goods.txt", "--way", found[1])
    assert 'Mother Carey,Orrin Basin,timber,"oak, 11.00"' in other.stdout.decode()
    assert f"--way {found[1]}" in other.stderr.decode()  # so that the comb kept is this one
    drawn = wetcomb(tmp_path, "draft", "goods.txt", "--way", found[1], "-o", "g.comb.toml")
    assert drawn.returncode == 0
    again = wetcomb(tmp_path, "rebuild", "goods.txt", "--comb", "g.comb.toml")
    assert again.stdout == other.stdout


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--way", "9"], "--way 9: there are 4 ways to cut this; inspect shows them"),
        (["--way", "0"], "'0' is no number of a way"),
        (["--way", "2", "--names", "a,b,c,d,e,f,g,h"], "--way 2: there is one way to cut this"),
        (["--way", "2", "--comb", "x.comb.toml"], "--way and --comb contradict each other"),
    ],
)
def test_a_way_that_is_not_there(tmp_path: Path, words: list[str], said: str) -> None:
    (tmp_path / "goods.txt").write_text(GOODS)
    done = wetcomb(tmp_path, "rebuild", "goods.txt", "-o", "out.csv", *words)
    assert done.returncode == 2 and said in done.stderr.decode()
    assert not (tmp_path / "out.csv").exists()


def test_what_is_stated_stands_in_every_way() -> None:
    given = {"delimiter": ("comma",), "heading": "none"}
    found = search(GOODS.encode(), stated=Stated(given, is_part=True))
    assert len(found.ways) > 3
    for way in found.ways:
        split = next(step for step in way.chain.steps if isinstance(step, Split))
        assert split.delimiter == ("comma",) and split.heading == "none"
        assert (way.chain.first, way.chain.last) == (0, 10)


def test_the_ways_make_different_tables_and_none_is_cheaper_than_the_first() -> None:
    whole = Whole(GOODS.encode(), {}, None)
    ways = list(whole.list_ways())
    tables = [made.table.rows() for _, made in ways]
    assert 2 <= len(ways) <= 4 and all(a != b for a, b in itertools.pairwise(tables))
    assert ways[0] is whole.best and whole.find_way(2)[0] == ways[1][0]
    assert draft(GOODS, way=2).run(GOODS).rows() == tables[1]
    with pytest.raises(UsageError, match="inspect shows them"):
        draft(GOODS, way=7)
