"""Mails one under another: what their heads say of each, and the text of it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise

from wetcomb.drafts.label_lines import MARKED
from wetcomb.drafts.mail_fields import find_each_head, list_mail_fields
from wetcomb.drafts.pricing.chains import Chain
from wetcomb.drafts.proposals.body import Body
from wetcomb.match.labels import is_parting
from wetcomb.match.mail_heads import Head
from wetcomb.steps.pull.options import Pull

__all__ = ["propose"]

_LEAST = 3  # mails
_MOST = 0.9  # share of the heads that a labelled line stands right above


def propose(body: Body) -> Iterator[Chain]:
    """Yield the chain for mails of one kind, a record each."""
    heads = find_each_head(body.lines, [])
    kinds = Counter(frozenset(name.name for name in head.names) for head in heads)
    if not kinds:
        return
    kind = kinds.most_common(1)[0][0]
    mine = [head for head in heads if frozenset(name.name for name in head.names) == kind]
    labels = [label for _, label in list_mail_fields(body.lines, mine)]
    if len(mine) < _LEAST or not labels:
        return
    above = _find_above(body.lines, mine)
    pull = Pull(
        label=(*([above] if above else []), *labels),
        blocks=f"text:{above}:" if above else "mail",
        unclaimed="column",
    )
    note = f"{len(mine)} mails one under another: a record each, what is no head of theirs in column unclaimed."
    yield body.make_chain((pull,), mine[0].first - bool(above), _find_foot(body.lines, mine), note)


def _find_foot(lines: Sequence[str], heads: Sequence[Head]) -> int | None:
    """Return the rule that ends the last mail, where rules part them; None if none do."""
    rules = [k for k, line in enumerate(lines) if is_parting(line.encode())]
    bounds = pairwise(heads)
    if any(not any(a.end <= k < b.first for k in rules) for a, b in bounds):
        return None
    return next((k for k in rules if k >= heads[-1].end), None)


def _find_above(lines: Sequence[str], heads: Sequence[Head]) -> str:
    """Return the label of the lines right above heads, if nearly all have one."""
    counts = Counter(
        found["label"]
        for head in heads
        if head.first and (found := MARKED.fullmatch(lines[head.first - 1]))
    )
    label, number = counts.most_common(1)[0] if counts else ("", 0)
    return label if number >= _MOST * len(heads) else ""
