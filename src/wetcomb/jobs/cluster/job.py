"""A job on a cluster: what is asked is looked at first, then the run, then one account of it."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace

from wetcomb import __version__
from wetcomb.combs.comb import Comb
from wetcomb.core.errors import OutputError, UsageError
from wetcomb.core.report import Report
from wetcomb.files.formats.table import FORMATS
from wetcomb.jobs.cluster.engines import DaskEngine, Engine, HereEngine, open_engine
from wetcomb.jobs.cluster.grouping import count_cuts, count_parts
from wetcomb.jobs.cluster.inputs import list_texts, read_list
from wetcomb.jobs.cluster.journal import Journal
from wetcomb.jobs.cluster.recipe import Recipe
from wetcomb.jobs.cluster.run import ClusterRun, Progress, RunDone, check_comb, tell_reach
from wetcomb.jobs.job import Job, find_status
from wetcomb.jobs.settings import JobSettings
from wetcomb.jobs.telling import has_color, tell_sources

if TYPE_CHECKING:
    from wetcomb.views.account import RunFacts
    from wetcomb.views.parts import PartsFacts

__all__ = ["ClusterJob", "run_on_cluster", "run_over_parts"]

PART_SIZE = 32  # MiB of text that make a part, where nothing else is asked for
_MOST_SIZE = 1024
_MIB = 1 << 20
_LIST = "_set-aside.txt"


class ClusterJob:
    """Texts, a comb and a folder: everything is looked at before anything starts.

    Raises
    ------
    UsageError : something contradicts something, or there are no texts
    InputError : there is no such file
    """

    def __init__(self, settings: JobSettings, comb: Comb, *, is_checked: bool = True) -> None:  # fmt: skip
        assert settings.folder is not None
        size = PART_SIZE if settings.part_size is None else settings.part_size
        if not 1 <= size <= _MOST_SIZE:
            raise UsageError(f"--part-size {size}: it must be from 1 to {_MOST_SIZE} (MiB)")
        check_comb(comb, settings.format or "csv")
        names = [*settings.inputs, *(read_list(settings.inputs_from) if settings.inputs_from else [])]  # fmt: skip
        self.texts = list_texts(names)
        folder = settings.folder.resolve()
        among = next((t for t in self.texts if Path(t.where).resolve().parent == folder), None)
        if among is not None:
            raise UsageError(f"{among.name}: this lies where the parts go; the source is never written over, so name another folder")  # fmt: skip
        self.settings = settings
        self.recipe = Recipe(
            comb, replace(settings, inputs=[]), str(settings.folder.absolute()), size * _MIB, __version__,
            is_checked, len(self.texts) > 1,
        )  # fmt: skip
        n_long = sum(count_cuts(self.recipe, text) > 1 for text in self.texts)
        self.reach = tell_reach(comb, self.texts, n_long, size, settings.memory)
        self.n_parts = count_parts(self.recipe, self.texts)

    def run(
        self,
        engine: Engine,
        watch: Callable[[Progress], None],
        say: Callable[[str], None] = lambda _: None,
    ) -> RunDone:
        """Run it, and list the texts that were set aside beside the parts.

        Parameters
        ----------
        watch : told how far it has come
        say : told what the comb allows, once all is looked at and before anything starts

        Raises
        ------
        UsageError : a worker cannot do it
        OutputError : the folder belongs to another run, or cannot be written to
        """
        folder = Path(self.recipe.folder)
        ending = FORMATS[self.settings.format or "csv"].endings[0]
        described = self.recipe.describe()
        journal = Journal(folder, described, ending, begins_anew=self.settings.force)
        try:
            if isinstance(engine, DaskEngine):
                engine.check(self.recipe.version, folder, [text.where for text in self.texts])
            say(self.reach)
            self.current = ClusterRun(self.recipe, self.texts, engine, journal, watch)
            done = self.current.run()
            _list_aside(folder / _LIST, done)
        finally:
            journal.close()
        return done

    def find_status(self, done: RunDone) -> int:
        """Return the exit status: 1 where a text was set aside, or something is beyond what is allowed."""
        job = Job(self.settings, [], self.recipe.comb, report=done.report)
        return int(bool(done.aside) or bool(find_status(job)))

    def describe(self, done: RunDone, notes: Sequence[str]) -> tuple[RunFacts, PartsFacts]:
        """Return what the account tells beside the report."""
        from wetcomb.views.account import RunFacts
        from wetcomb.views.parts import PartsFacts

        is_full = self.settings.account == "full"
        fitting = [told for told in done.texts if not told.why]
        encodings = [(told.name, told.encoding) for told in fitting if told.encoding is not None]
        of_texts = [*dict.fromkeys(note for told in fitting for note in told.notes)]
        facts = RunFacts(tell_sources(encodings), [*of_texts, *notes], is_full=is_full)
        folder = str(self.settings.folder)
        aside = [(told.name, told.why) for told in done.aside]
        parts = PartsFacts(
            folder, done.parts, self.current.progress.kept, done.n_removed, len(done.texts), aside, f"{folder}/{_LIST}", is_full
        )  # fmt: skip
        return facts, parts


def _list_aside(path: Path, done: RunDone) -> None:
    """Lay down a list of the texts that were set aside, which can be handed in again."""
    if not done.aside:
        path.unlink(missing_ok=True)
        return
    lines = "".join(f"# {' '.join(told.why.split())}\n{_list(told.name)}\n" for told in done.aside)
    beside = path.with_name(f".{path.name}.tmp")
    try:
        beside.write_text(lines, encoding="utf-8")
        beside.replace(path)
    except OSError as error:
        raise OutputError(f"{path}: cannot be written: {error.strerror}") from error


def _list(name: str) -> str:
    """Return a path as it stands in a list, in which what begins with # is none, nor is one of two lines."""
    if len(name.splitlines()) > 1:
        return f"# not to be listed, for it has a line end: {' '.join(name.split())}"
    return f"./{name}" if name.startswith("#") else name


def run_over_parts(
    comb: Comb, settings: JobSettings, client: Any, *, is_checked: bool
) -> tuple[ClusterJob, RunDone]:  # fmt: skip
    """Run a comb over texts on a client's workers, on a cluster at an address, or in this process."""
    job = ClusterJob(settings, comb, is_checked=is_checked)
    if client is None:
        return job, job.run(HereEngine(), lambda _: None)
    if isinstance(client, str):
        with open_engine(client) as engine:
            return job, job.run(engine, lambda _: None)
    return job, job.run(DaskEngine(client, client.scheduler.address), lambda _: None)


def run_on_cluster(job: ClusterJob, address: str, notes: Sequence[str]) -> int:
    """Run a job on the cluster at an address and tell of it; return the exit status."""
    settings = job.settings
    is_told = not settings.quiet and sys.stderr is not None

    def say(text: str) -> None:
        if is_told and settings.account != "json":
            sys.stderr.write(f"wetcomb: {text}\n")

    try:
        with open_engine(address) as engine, _show_progress(job) as watch:
            done = job.run(engine, watch, say)
    except KeyboardInterrupt:
        if is_told:
            n_parts = job.current.progress.parts if hasattr(job, "current") else 0
            said = "stopped; nothing was written"
            if n_parts:
                what = "1 part is" if n_parts == 1 else f"{n_parts:,} parts are"
                said = f"stopped; {what} whole in {settings.folder}/. The same command goes on from there"
            sys.stderr.write(f"wetcomb: {said}\n")
        return 130
    if is_told:
        with suppress(OSError):
            _tell(job, done, notes)
    return job.find_status(done)


def _tell(job: ClusterJob, done: RunDone, notes: Sequence[str]) -> None:
    """Tell of a run on standard error."""
    facts, parts = job.describe(done, notes)
    settings = job.settings
    if settings.account == "json":
        from msgspec import json

        from wetcomb.views.account_data import describe_run

        told = describe_run(done.report, replace(facts, written=[f"{settings.folder}/{part}" for part in done.parts]))  # fmt: skip
        told["set_aside"] = [{"name": name, "why": why} for name, why in parts.aside]
        told["parts"] = {"written": len(done.parts), "kept": parts.n_kept, "removed": parts.n_removed}  # fmt: skip
        sys.stderr.write(json.format(json.encode(told), indent=1).decode() + "\n")
        return
    from wetcomb.views.account import build_account
    from wetcomb.views.moves import build_moves
    from wetcomb.views.parts import build_parts
    from wetcomb.views.terminal import make_console, render_blocks

    console = make_console(sys.stderr, has_color=has_color(sys.stderr, is_plain=settings.no_color))
    report: Report = done.report
    if settings.moves and report.moved:
        render_blocks(console, [build_moves(report.moves, report.moved, report.names)])
    account = build_account(report, facts) if report.records or not done.aside else []
    render_blocks(console, [*account, *build_parts(parts)])


@contextmanager
def _show_progress(job: ClusterJob) -> Iterator[Callable[[Progress], None]]:
    """Show how far the run has come on standard error, where somebody can see it."""
    settings = job.settings
    if settings.quiet or sys.stderr is None or not sys.stderr.isatty():
        yield lambda _: None
        return
    from rich.progress import BarColumn, TextColumn
    from rich.progress import Progress as Bar

    from wetcomb.views.parts import tell_progress
    from wetcomb.views.terminal import make_console

    console = make_console(sys.stderr, has_color=has_color(sys.stderr, is_plain=settings.no_color))
    columns = BarColumn(bar_width=20), TextColumn("{task.description}", markup=False)
    with Bar(*columns, console=console, transient=True, auto_refresh=False) as bar:
        task = bar.add_task("starting", total=job.n_parts)

        def watch(seen: Progress) -> None:
            said = tell_progress(seen.parts, job.n_parts, seen.records, seen.snagged, seen.slowest, seen.seconds)  # fmt: skip
            bar.update(task, completed=seen.parts, description=said, refresh=True)

        yield watch
