"""What is shown of a run with its source held at once: each step, and the sheet with what is on it, and the digests that tell which text, comb and table it is of."""

from __future__ import annotations

from hashlib import sha256
from typing import TYPE_CHECKING

from msgspec.structs import replace

from wetcomb.core.errors import UsageError
from wetcomb.core.ledger import DROPS, PUT_IN, REPEATED, Ledger
from wetcomb.core.text import count_line_ends
from wetcomb.views.account import RunFacts, build_account
from wetcomb.views.blocks import Block, Fact, Grid, Styled, make_visible
from wetcomb.views.doubts import build_doubts
from wetcomb.views.extremes import build_extremes
from wetcomb.views.moves import build_moves
from wetcomb.views.sheet import Section, build_sheet

if TYPE_CHECKING:
    from wetcomb.files.source import Source
    from wetcomb.jobs.job import Job

__all__ = ["check_line", "explain", "render_sheet", "show_steps"]

_RARE = 6  # columns of which the rarest value is told at the top


def render_sheet(job: Job, told: RunFacts, table_digest: str) -> bytes:
    """Return the page of a run that has come to its end."""
    from wetcomb.combs.sheets import make_sheet
    from wetcomb.combs.stages import hold_source
    from wetcomb.combs.toml import render_comb

    source, report = job.sources[0], job.report
    digest = source.find_digest()
    comb = job.comb.remember(report.remembered, digest)
    steps = comb.untie(digest).steps
    held = hold_source(source.read_blocks(), job.comb.part)
    doubted = {first: doubt.name for doubt in report.doubts for first, _ in doubt.lines}
    sheet = make_sheet(steps, held, [*doubted])
    comb_text = render_comb(comb, job.base)
    sections: list[Section] = [
        ("what was done", build_account(report, replace(told, is_full=True, next_command="")))
    ]
    if report.moves:
        sections.append(
            ("cells that were moved", [build_moves(report.moves, report.moved, report.names)])
        )
    if job.extremes is not None:
        sections.append(("extremes", [build_extremes(job.extremes.tell())]))
    sections.append(("the ledger", [_draw_ledger(report.ledger)]))
    digests = [
        ("source", digest),
        ("comb", sha256(comb_text.encode()).hexdigest()),
        ("table", table_digest),
    ]
    sections.append(
        ("digests (SHA-256)", [Fact(what, [Styled(one)]) for what, one in digests if one])
    )
    fit = f"{report.snagged_records:,} do not fit" if report.snagged_records else "all of them fit"
    records = f"{report.records:,} records of {len(report.names)} columns; {fit}"
    first: list[Block] = [
        *build_doubts(report.doubts, told.input_name, told.output_name),
        Fact("records", [Styled(records)]),
    ]
    if job.extremes is not None:
        told_of = job.extremes.tell()
        rare = [(c.name, c.rarest) for c in told_of.columns if c.rarest is not None][:_RARE]
        rare += [("sign", told_of.rarest_sign)] if told_of.rarest_sign is not None else []
        said = "; ".join(f"{name} {place.text!r} (line {place.line})" for name, place in rare)
        first += [Fact("rarest", [Styled(said)])] * bool(said)
    return build_sheet(
        sheet, f"{source.name} beside its table", first, sections, comb_text, doubted
    ).encode()


def show_steps(job: Job, width: int) -> list[Block]:
    """Return what each step of a run makes of its first source."""
    from wetcomb.combs.stages import hold_source, run_stages, tell_stages
    from wetcomb.drafts.typed_options import type_steps
    from wetcomb.views.steps import build_steps

    source = job.sources[0]
    steps = job.comb.untie(source.find_digest()).steps
    held = hold_source(source.read_blocks(), job.comb.part)
    stages = [*tell_stages(run_stages(steps, held.text), held.text)]
    return build_steps(stages, type_steps(steps), width)


def check_line(source: Source, line: int) -> None:
    """Raise UsageError where a text has no such line."""
    n_lines = 0
    is_open = False
    for block in source.read_blocks():
        n_lines += count_line_ends(block.data)
        is_open = not block.data.endswith((b"\n", b"\r"))
    if line > n_lines + is_open:
        raise UsageError(f"--why {line}: {source.name} has {n_lines + is_open:,} lines")


def explain(job: Job, line: int) -> list[Block]:
    """Return everything that happened to the record of a line of the first source."""
    from wetcomb.combs.stages import hold_source, run_stages
    from wetcomb.combs.why import explain_line
    from wetcomb.drafts.typed_options import type_steps

    source = job.sources[0]
    steps = job.comb.untie(source.find_digest()).steps
    held = hold_source(source.read_blocks(), job.comb.part)
    told = explain_line(run_stages(steps, held.text), held.text, line, type_steps(steps))
    facts: list[Block] = []
    before = ""
    for label, said in told:
        facts.append(Fact("" if label == before else label, [Styled(make_visible(said))]))
        before = label
    return facts


def _draw_ledger(ledger: Ledger) -> Grid:
    rows = [["in", "", f"{ledger.source:,}"], ["kept", "", f"{ledger.kept:,}"]]
    rows += [["in another form", "", f"{ledger.altered:,}"]] * bool(ledger.altered)
    rows += [
        ["left out", f"{why}: {DROPS[why]}", f"{n:,}"]
        for why, n in ledger.dropped.most_common()
        if n
    ]
    rows += [["put in", PUT_IN[what], f"{n:,}"] for what, n in ledger.put_in.most_common() if n]
    rows += [
        ["told again", REPEATED[what], f"{n:,}"] for what, n in ledger.repeated.most_common() if n
    ]
    return Grid(
        "every character has one home", ["characters", "why", "number"], rows, [""] * len(rows)
    )
