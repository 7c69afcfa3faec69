"""What `realign` would settle behind a split that was typed: tried on the sample before it is advised."""

from __future__ import annotations

from collections.abc import Sequence

from wetcomb.combs.memory import make_table
from wetcomb.core.arrays import is_among
from wetcomb.core.batch import Advice
from wetcomb.drafts.alignment import find_realign, part_records, run_realign
from wetcomb.drafts.typed_options import type_steps
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step

__all__ = ["list_realign_advice"]


def list_realign_advice(steps: Sequence[Step], sample: bytes) -> list[Advice]:
    """Return, for records with too few or too many fields, the step that would mend some, if one does.

    Parameters
    ----------
    steps : of which the last is to be a split; behind another nothing is advised
    sample : whole lines from the beginning of the part that is meant
    """
    *before, split = steps
    if not isinstance(split, Split) or split.column:
        return []
    realign, _ = find_realign(sample, before, split)
    if realign is None:
        return []
    table = make_table(steps, sample)
    moves = run_realign(table, realign)
    assert moves is not None
    settled = moves.rows[moves.settled]
    n_others = int((~is_among(settled, part_records(table)[1])).sum())
    counts = table.snags.select(is_among(table.snags.records, settled)).counts()
    (typed,) = type_steps([realign])
    return [
        Advice(name, f"+ {typed}", counts[name], n_others)
        for name in ("short", "long")
        if counts.get(name)
    ]
