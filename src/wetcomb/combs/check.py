"""Whether a text fits a comb: looked at in its beginning, before anything is run."""

from __future__ import annotations

from msgspec.structs import replace

from wetcomb.combs.comb import Comb
from wetcomb.core.text import Text
from wetcomb.steps.split import Split

__all__ = ["find_misfit", "read_heading"]

_ODD_SHARE = 0.5


def find_misfit(comb: Comb, sample: bytes) -> str:
    """Return in one line why a text does not fit a comb, nothing if it does.

    It fits if its heading is the one in `[fits]` and at least half of its first records
    have the number of fields the comb makes of them.
    """
    step = comb.steps[0]
    assert isinstance(step, Split)
    wanted = comb.fits.columns
    names = read_heading(step, sample) if wanted else ()
    if names != wanted:
        missing = [name for name in wanted if name not in names]
        new = [name for name in names if name not in wanted]
        return f"its heading is not the comb's ({_tell_difference(missing, new)})"
    piece = step.begin().feed(Text.of(sample), is_last=True)
    if piece.table is None:
        return ""
    counts = piece.table.snags.counts()
    odd = counts.get("short", 0) + counts.get("long", 0)
    if odd > _ODD_SHARE * max(1, piece.table.n_records):
        return f"{odd} of its first {piece.table.n_records} records have a wrong number of fields"
    return ""


def read_heading(split: Split, sample: bytes) -> tuple[str, ...]:
    """Return the names a text itself gives to all of its columns; none where it gives none."""
    if split.header != "first" or split.names:
        return ()
    every = replace(split, take=(), missing=())
    piece = every.begin().feed(Text.of(sample), is_last=True)
    return piece.table.names if piece.table is not None else ()


def _tell_difference(missing: list[str], new: list[str]) -> str:
    if not missing and not new:
        return "the same names in another order"
    said = [f"missing: {', '.join(missing)}"] if missing else []
    return "; ".join(said + ([f"new: {', '.join(new)}"] if new else []))
