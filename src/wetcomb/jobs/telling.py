"""What is told of a run when it is done: to a person, on standard error."""

from __future__ import annotations

import os
import shlex
import sys
from collections.abc import Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from wetcomb.files.encodings import Encoding
    from wetcomb.jobs.job import Job
    from wetcomb.views.account import RunFacts
    from wetcomb.views.blocks import Block

__all__ = ["has_color", "is_on_terminal", "tell", "tell_run", "tell_sources"]


def has_color(stream: object, *, is_plain: bool) -> bool:
    """Return whether to draw in colour on a stream; `is_plain` if that is not wanted."""
    if is_plain or os.environ.get("NO_COLOR"):
        return False
    isatty = getattr(stream, "isatty", None)
    return bool(isatty and isatty())


def is_on_terminal() -> bool:
    """Return whether somebody sees what goes to standard output."""
    return sys.stdout is not None and sys.stdout.isatty()


def tell(job: Job, written: Sequence[str]) -> None:
    """Tell of a run on standard error."""
    if sys.stderr is None:
        return
    if job.settings.account == "json":
        from msgspec import json

        from wetcomb.views.account_data import describe_run

        whole = json.encode(describe_run(job.report, tell_run(job, written)))
        sys.stderr.write(json.format(whole, indent=1).decode() + "\n")
        return
    from wetcomb.views.account import build_account
    from wetcomb.views.moves import build_moves
    from wetcomb.views.terminal import make_console, render_blocks

    console = make_console(
        sys.stderr, has_color=has_color(sys.stderr, is_plain=job.settings.no_color)
    )
    told = tell_run(job, written)
    if job.settings.show_steps:
        from wetcomb.jobs.sheets import show_steps

        render_blocks(console, show_steps(job, console.width))
    if job.settings.why is not None:
        from wetcomb.jobs.sheets import explain

        render_blocks(console, explain(job, job.settings.why))
    if job.extremes is not None and job.settings.extremes:
        from wetcomb.views.extremes import build_extremes

        render_blocks(console, [build_extremes(job.extremes.tell())])
    if job.settings.moves and job.report.moved:
        render_blocks(console, [build_moves(job.report.moves, job.report.moved, job.report.names)])
    if job.report.label_counts:
        from wetcomb.views.label_counts import build_label_counts

        render_blocks(console, [build_label_counts(job.report.label_counts)])
    render_blocks(console, [*build_account(job.report, told), *_tell_others(job)])


def _tell_others(job: Job) -> list[Block]:
    """Return how the table differs from the file that it replaced, and from the one that is wanted."""
    if not job.replacing and job.against is None:
        return []
    from wetcomb.views.blocks import Fact, Styled
    from wetcomb.views.compare import build_comparison, build_replacing

    blocks: list[Block] = []
    if isinstance(job.replacing, str):
        blocks += [Fact("replaces", [Styled(job.replacing)])] if job.replacing else []
    else:
        blocks += build_replacing(job.replacing)
    return blocks if job.against is None else [*blocks, *build_comparison(job.against)]


def tell_run(job: Job, written: Sequence[str]) -> RunFacts:
    """Return what the account tells beside the report."""
    from wetcomb.views.account import RunFacts

    settings = job.settings
    sources = tell_sources([(source.name, source.encoding) for source in job.sources])
    names = [shlex.quote(name) for name in settings.inputs]
    output = shlex.quote(str(settings.output)) if settings.output is not None else ""
    notes = [*dict.fromkeys(note for source in job.sources for note in source.notes), *job.notes]
    return RunFacts(
        sources,
        notes,
        written,
        job.next_command,
        " ".join(names),
        output,
        settings.account == "full",
    )


def tell_sources(sources: Sequence[tuple[str, Encoding]]) -> str:
    """Return what was read, and how: the first few by name."""
    said = ", ".join(f"{name} ({encoding.name}, {encoding.how})" for name, encoding in sources[:3])
    if any(encoding.how == "guessed" for _, encoding in sources):
        said += "; state --encoding if letters look wrong"
    if len(sources) > 3:
        said += f" and {len(sources) - 3:,} more"
    return said
