"""What is sent to workers and what comes back: a recipe, texts, shares of them; what came of each."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import Any

import msgspec

from wetcomb import __version__
from wetcomb.combs.comb import Comb
from wetcomb.combs.toml import render_comb
from wetcomb.core.doubts import Doubt
from wetcomb.core.errors import UsageError
from wetcomb.core.ledger import Ledger
from wetcomb.core.report import Report
from wetcomb.files.columns import Layout
from wetcomb.files.encodings import Encoding
from wetcomb.jobs.settings import JobSettings
from wetcomb.jobs.shares import Share

__all__ = ["RUN_FOLDER", "BundleDone", "Kept", "LookDone", "PartFile", "Recipe", "ShareDone", "SurveyDone", "TextAt", "TextTold", "begin_digest", "find_key", "find_staged"]  # fmt: skip

#: The folder beside the parts in which what is not finished lies, and the journal.
RUN_FOLDER = "_run"


class TextAt(msgspec.Struct, frozen=True):
    """A text to be combed.

    Attributes
    ----------
    name : what it is called, as it was typed
    where : its path, from the root
    size, changed : bytes, and when it was last changed (ns), as the one who hands it out sees it
    """

    name: str
    where: str
    size: int
    changed: int


class Recipe(msgspec.Struct, frozen=True):
    """Everything that is the same for all tasks of a run.

    Attributes
    ----------
    settings : without the inputs, which may be many
    folder : where the parts go, from the root
    version : of the package that all workers must have
    is_checked : each text must fit the comb
    has_many : there is more than one text
    """

    comb: Comb
    settings: JobSettings
    folder: str
    part_size: int
    version: str
    is_checked: bool = True
    has_many: bool = False

    def lay_out(self, name: str) -> Layout:
        """Return what is written beside the columns of a text's table."""
        settings = self.settings
        return Layout(
            with_rest=True,  # a part is begun before it is known whether one is needed
            with_source=settings.with_source,
            with_snags=settings.snag_column,
            source_file=name if self.has_many and not settings.no_source_file else None,
            missing_as=settings.missing_as,
        )

    def check_version(self) -> None:
        """Refuse to work where another version is installed: a worker may have come later than the others.

        Raises
        ------
        UsageError : it is
        """
        if self.version != __version__:
            raise UsageError(f"a worker has version {__version__} of wetcomb, and the run is of {self.version}; install the same there")  # fmt: skip

    def describe(self) -> dict[str, str]:
        """Return what a part depends on beside its text: the version, and digests of the comb and of the options."""
        settings = self.settings
        options = (
            settings.format or "csv", settings.writing, settings.encoding, settings.read, settings.mail_part, settings.memory,
            self.lay_out(""), settings.moves, self.part_size, self.is_checked,
        )  # fmt: skip
        return {"version": self.version, "comb": find_key(render_comb(self.comb)), "options": find_key(*map(repr, options))}  # fmt: skip


def begin_digest() -> Any:
    """Return what sums bytes up to know them again: BLAKE2b, which is faster than SHA-256 where no chip helps."""
    return hashlib.blake2b(digest_size=32)


def find_key(*parts: Any) -> str:
    """Return a digest of what tells one thing from all others."""
    digest = begin_digest()
    digest.update(msgspec.msgpack.encode(parts))
    said: str = digest.hexdigest()
    return said


class Kept(msgspec.Struct, frozen=True):
    """A part that an earlier run left: by what it is known again, and its file's size and digest; -1 where it has none."""

    key: str
    size: int
    digest: str


class PartFile(msgspec.Struct, frozen=True):
    """A part as it was written, still out of sight."""

    size: int
    digest: str


class TextTold(msgspec.Struct):
    """What is told of a text beside the account of its records.

    Attributes
    ----------
    why : why it was set aside; nothing where it was not
    encoding : what it is written in
    notes : of how it was read
    doubts : what speaks against the comb for its beginning
    seconds : that its combing took
    is_unseen : the worker does not see it
    """

    name: str
    why: str = ""
    encoding: Encoding | None = None
    notes: tuple[str, ...] = ()
    doubts: tuple[Doubt, ...] = ()
    seconds: float = 0.0
    is_unseen: bool = False


class BundleDone(msgspec.Struct):
    """What came of some whole texts that make a part together; `part` is None where no record came of them.

    `report` is of all that were not set aside, in their order.

    `is_kept` if it was there already, and nothing else is said.
    """

    key: str = ""
    texts: list[TextTold] = msgspec.field(default_factory=list)
    report: Report = msgspec.field(default_factory=Report)
    names: tuple[str, ...] = ()
    written: Ledger = msgspec.field(default_factory=Ledger)
    part: PartFile | None = None
    is_kept: bool = False


class LookDone(msgspec.Struct):
    """What is seen at the beginning of a long text.

    Attributes
    ----------
    told : whether it fits, how it is read
    can_share : it can be combed in shares
    is_plain : its beginning is ASCII and nothing is stated, so that what it is written in is seen
        further down
    names : of its columns
    start : bytes of its byte-order mark
    head : where the beginning ends that tells the heading
    state : what is carried on from there
    """

    told: TextTold
    can_share: bool = False
    is_plain: bool = False
    names: tuple[str, ...] = ()
    start: int = 0
    head: int = 0
    state: tuple[bool, ...] = ()


class SurveyDone(msgspec.Struct):
    """Where a stretch of a long text is cut into shares.

    Attributes
    ----------
    shares : with lines counted from the first of the stretch
    n_lines : ends of lines up to where the next stretch's first share begins
    odd : the place of the first byte that is not ASCII, -1 where there is none
    """

    shares: list[tuple[int, Share]]
    n_lines: int
    odd: int


class ShareDone(msgspec.Struct):
    """What came of a share; `end` is None where it must be longer."""

    key: str = ""
    told: TextTold = msgspec.field(default_factory=lambda: TextTold(""))
    report: Report = msgspec.field(default_factory=Report)
    counts: list[object] = msgspec.field(default_factory=list)
    end: int | None = None
    state: tuple[bool, ...] = ()
    written: Ledger = msgspec.field(default_factory=Ledger)
    part: PartFile | None = None
    is_kept: bool = False


def find_staged(recipe: Recipe, part: str) -> Path:
    """Return where a part lies until it counts."""
    return Path(recipe.folder) / RUN_FOLDER / part
