"""What a job is told: where it reads, what it writes, how it tells of it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import msgspec

from wetcomb.core.errors import UsageError
from wetcomb.files.formats.table import READ_AS, Writing, find_format

__all__ = ["JobSettings"]

_MOST_MEMORY = 512  # MiB of text that can be held at once


class JobSettings(msgspec.Struct, frozen=True, kw_only=True):
    """The settings of a job; the names are those of the command line.

    Raises
    ------
    UsageError : a number is out of its range
    """

    inputs: Sequence[str]
    encoding: str = ""
    read: str = ""
    mail_part: str = ""
    comb: Path | None = None
    output: Path | None = None
    folder: Path | None = None
    keep_old: bool = False
    by: Sequence[str] = ()
    against: Path | None = None
    format: str = ""
    force: bool = False
    write_delimiter: str = ""
    write_line_ends: str = ""
    write_mark: bool = False
    guard_formulas: bool = False
    missing_as: str = ""
    with_source: bool = False
    no_source_file: bool = False
    save_comb: Path | None = None
    snags: Path | None = None
    snags_apart: bool = False
    snags_first: bool = False
    snag_column: bool = False
    strict: bool = False
    stream: bool = False
    ledger: Path | None = None
    moves: bool = False
    account: str = "short"
    figure: Path | None = None
    sheet: Path | None = None
    extremes: bool = False
    show_steps: bool = False
    why: int | None = None
    processes: int | None = None
    inputs_from: Path | None = None
    cluster: str = ""
    part_size: int | None = None
    memory: int | None = None
    quiet: bool = False
    no_color: bool = False

    def __post_init__(self) -> None:
        if self.processes is not None and self.processes < 1:
            raise UsageError(f"--processes {self.processes}: it must be at least 1")
        if self.stream and self.output is not None:
            raise UsageError("--stream writes to standard output; -o FILE contradicts it")
        if self.part_size is not None and not self.cluster:
            raise UsageError("--part-size is about the parts that --cluster writes; give that too")
        if self.cluster and self.folder is None:
            raise UsageError(
                "--cluster writes parts of a table into a folder; give one (-o tables/)"
            )
        if self.cluster and (self.processes or self.keep_old):
            flag = "--processes" if self.processes else "--keep-old"
            raise UsageError(f"{flag} and --cluster contradict each other; leave one of them out")
        if self.keep_old and not self.force:
            raise UsageError("--keep-old keeps the file that --force replaces; give --force too")
        if self.by and self.against is None and not self.force:
            raise UsageError("--by says what tells records apart for --against and for the file that --force replaces; give one of them")  # fmt: skip
        if self.against is not None:
            self._check_against()
        if self.folder is not None:
            self._check_folder()
        elif self.snags_apart and self.output is None:
            raise UsageError(
                "--snags apart needs -o FILE: the records that do not fit go beside it"
            )
        if self.sheet is not None and self.sheet.suffix.lower() not in (".html", ".htm"):
            raise UsageError(
                f"--sheet {self.sheet}: a sheet is a page; name a file that ends in .html"
            )
        if self.why is not None and len(self.inputs) > 1:
            raise UsageError("--why names a line of one text; hand in one input at a time")
        if self.sheet is not None and len(self.inputs) > 1:
            raise UsageError("--sheet shows one text beside its table; hand in one input at a time")
        if self.memory is not None and not 1 <= self.memory <= _MOST_MEMORY:
            raise UsageError(f"--memory {self.memory}: it must be from 1 to {_MOST_MEMORY}")

    def _check_against(self) -> None:
        """Refuse what cannot be held against a table, before any work is done."""
        if self.output is None or find_format(self.output, self.format) not in READ_AS:
            raise UsageError(
                "--against needs -o FILE, of csv, tsv or jsonl: that is held against it"
            )
        if self.write_delimiter:
            raise UsageError(
                "--against reads files as their endings say; leave out --write-delimiter"
            )
        assert self.against is not None
        if not self.against.is_file():
            raise UsageError(f"--against {self.against}: there is no such file")
        if self.against.resolve() == self.output.resolve():
            raise UsageError(f"--against {self.against}: that is where the table goes")

    def _check_folder(self) -> None:
        """Refuse what goes with one table alone."""
        alone = (
            ("--stream", self.stream), ("--snags FILE", self.snags), ("--ledger", self.ledger), ("--sheet", self.sheet),
            ("--figure", self.figure), ("--save-comb", self.save_comb), ("--moves", self.moves and not self.cluster), ("--extremes", self.extremes),
            ("--show-steps", self.show_steps), ("--why", self.why), ("--against", self.against),
        )  # fmt: skip
        flag = next((flag for flag, given in alone if given), None)
        if flag is not None:
            many = "one in parts" if self.cluster else "one of each text"
            raise UsageError(
                f"{flag} goes with one table in a file, and -o {self.folder}/ makes {many}; run it over one text alone"
            )

    @property
    def writing(self) -> Writing:
        """How values parted by a mark are written."""
        return Writing(
            self.write_delimiter, self.write_line_ends, self.write_mark, self.guard_formulas
        )

    @property
    def apart(self) -> Path | None:
        """Where the records that do not fit go, if they leave the table."""
        if not self.snags_apart or self.output is None:
            return None
        return self.output.with_name(f"{self.output.stem}.snags{self.output.suffix}")

    @property
    def targets(self) -> list[Path]:
        """All files that are to be written."""
        paths = (
            self.output,
            self.apart or self.snags,
            self.ledger,
            self.figure,
            self.sheet,
            self.save_comb,
        )
        return [path for path in paths if path is not None]
