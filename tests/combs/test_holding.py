"""What is held against something else: the laws of runs, of records explained, of tables in pieces."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import wetcomb
from wetcomb import Clean, Comb, Fits, Glue, Split, Unwrap, Wash, load_comb, parse_comb, render_comb
from wetcomb.combs.compare import compare
from wetcomb.combs.engine import run_blocks
from wetcomb.combs.memory import make_table
from wetcomb.combs.sides import Side
from wetcomb.combs.stages import run_stages
from wetcomb.combs.usual import find_departures, measure_run
from wetcomb.combs.why import explain_line
from wetcomb.core.comparison import Difference
from wetcomb.core.decoded import Decoded
from wetcomb.core.report import Report
from wetcomb.core.table import Table
from wetcomb.core.text import Text
from wetcomb.steps.step import Step

CUT = Split(delimiter=("semicolon",), heading="first", fields=0)
cells = st.sampled_from(
    ["Tansy", "3.50", "1 204,00", "2031-06-02", "", "coal", "n/a", "é 漢", "AB-7", "0"]
)
rows = st.lists(st.lists(cells, min_size=3, max_size=3), max_size=30)


def run(steps: Iterable[Step], text: str, size: int = 1 << 20) -> tuple[list[Table], Report]:
    """Return the tables of a text that is handed in by blocks of whole lines, and the report."""
    lines, blocks, report = text.splitlines(keepends=True), [""], Report()
    for line in lines:
        if len(blocks[-1]) >= size:
            blocks.append("")
        blocks[-1] += line
    made = run_blocks([*steps], [Decoded.of(block) for block in blocks], report)
    return [batch.table for batch in made if batch.table is not None], report


def lay(found: list[list[str]]) -> str:
    return "".join(";".join(row) + "\n" for row in [["a", "b", "c"], *found])


@settings(max_examples=40, deadline=None)
@given(rows)
def test_a_run_does_not_depart_from_itself(found: list[list[str]]) -> None:
    (table, *_), report = run([CUT], lay(found))
    kept = measure_run(table, report)
    assert not [*find_departures(table, report, [kept])]
    comb = Comb((CUT,), fits=Fits(columns=("a", "b", "c"))).accept(kept)
    assert parse_comb(render_comb(comb)).fits == comb.fits
    again = comb.accept(kept)
    assert parse_comb(render_comb(again, render_comb(comb))).fits.run == (kept, kept)


def test_a_comb_keeps_the_last_dozen_runs(tmp_path) -> None:  # type: ignore[no-untyped-def]
    comb = Comb((CUT,))
    for n_records in range(20):
        (table, *_), report = run([CUT], lay([["x", "1", "2"]] * n_records))
        comb = comb.accept(measure_run(table, report))
    path = tmp_path / "k.toml"
    path.write_text("# mine\n" + render_comb(comb), encoding="utf-8")
    assert [one.records for one in load_comb(path).fits.run] == list(range(8, 20))
    text = render_comb(comb.accept(comb.fits.run[0]), path.read_text(encoding="utf-8"))
    assert text.startswith("# mine\n")
    assert [one.records for one in parse_comb(text).fits.run] == [*range(9, 20), 8]


@settings(max_examples=50, deadline=None)
@given(rows, rows, st.integers(1, 200), st.booleans())
def test_pieces_of_a_table_do_not_matter(
    old: list[list[str]], new: list[list[str]], size: int, ignore: bool
) -> None:
    def side(name: str, found: list[list[str]], size: int) -> Side:
        return Side(name, lambda: run([CUT], lay(found), size)[0])

    told: list[list[Difference]] = [[], []]
    results = [
        compare(
            side("old", old, n), side("new", new, n), ignore_spacing=ignore, take=told[k].append
        )
        for k, n in enumerate((1 << 20, size))
    ]
    assert results[0] == results[1] and told[0] == told[1]
    lost = sum(one.what == "gone" for one in told[0])
    assert results[0].n_old - lost == results[0].same + results[0].changed + results[0].spacing


@settings(max_examples=50, deadline=None)
@given(rows, st.integers(1, 200), st.sampled_from(["none", "double"]))
def test_glue_does_not_care_where_the_text_is_cut(
    found: list[list[str]], size: int, quote: str
) -> None:
    for glue in (
        Glue(columns=("c", "a"), with_=" | ", as_="both", quote=quote),  # type: ignore[arg-type]
        Glue(each_a_line=True, with_="~~", skip_empty=True, quote=quote),  # type: ignore[arg-type]
        Glue(columns=("c", "b"), with_="a", as_="as they stand", quote="loose"),
        Glue(columns=("b",), one_line=True, with_=" / ", quote=quote),  # type: ignore[arg-type]
    ):
        whole = [row for table in run([CUT, glue], lay(found))[0] for row in table.rows()]
        parts = [row for table in run([CUT, glue], lay(found), size)[0] for row in table.rows()]
        assert whole == parts


@settings(max_examples=40, deadline=None)
@given(rows)
def test_every_line_is_explained(found: list[list[str]]) -> None:
    text = Text.of("\n" + lay(found) + "\nDrawn up by hand")
    steps = [Wash(drop_lines=("Drawn up {any}",)), CUT, Clean(missing="n/a", rename="c=C")]
    stages = run_stages(steps, text)
    typed = [step.name for step in steps]
    records = {}
    for batch in stages[-1].batches:
        assert batch.table is not None
        lines = batch.table.line_numbers(np.arange(batch.table.n_records))[0]
        records |= dict(zip(lines.tolist(), batch.table.rows(), strict=True))
    for line in range(1, len(found) + 5):
        told = [*explain_line(stages, text, line, typed)]
        assert told[0][0] == "source"
        said = "\n".join(one for _, one in told)
        if line in records:
            assert "a record: a " in said and "it is no record" not in said
            assert ("'n/a' is now ''" in said) == ("n/a" in found[line - 3])
            assert "the column c is called C" in said
        elif line == 2:
            assert "it names the columns: a, b, c" in said
        else:
            assert "no record" in said or "lines that a pattern names" in said


def test_lines_that_are_joined_are_explained() -> None:
    text = Text.of("a;b\nTansy;seen by\n  the keeper\nWren;no\n")
    steps = [Unwrap(indent=True), CUT]
    stages = run_stages(steps, text)
    said = [one for _, one in explain_line(stages, text, 3, ["unwrap", "split"])]
    assert "it goes on the line that begins in line 2: 'Tansy;seen by the keeper'" in said
    assert "lines 2 to 3 are one record: a 'Tansy', b 'seen by the keeper'" in said
    said = [one for _, one in explain_line(stages, text, 9, ["unwrap", "split"])]
    assert said == ["line 9 is outside the part that was asked for, or found"]


@settings(max_examples=40, deadline=None)
@given(rows)
def test_steps_as_calls_make_what_a_comb_makes(found: list[list[str]]) -> None:
    text = lay(found)
    clean = {"missing": "n/a", "number": "b=3.50", "only": ("b", "a")}
    by_comb = make_table([CUT, Clean(**clean)], text)  # type: ignore[arg-type]
    by_calls = wetcomb.clean(wetcomb.split(text, delimiter=";", heading="first", fields=0), **clean)
    assert (by_comb.names, by_comb.rows(), by_comb.types) == (
        by_calls.names,
        by_calls.rows(),
        by_calls.types,
    )
    assert by_comb.snags.counts() == by_calls.snags.counts()
