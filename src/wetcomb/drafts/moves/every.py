"""Every move there is, in the order in which they are tried."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from wetcomb.drafts.moves.fields import (
    carry_down,
    join_columns,
    quote,
    realign,
    space_once,
    strip_drawn,
    take_frame_off,
)
from wetcomb.drafts.moves.headings import leave_out, take_heading, take_in
from wetcomb.drafts.moves.lines import (
    group_by_margin,
    join_bare,
    join_wrapped,
    mend_hyphens,
    name_lines,
    wash_first,
)
from wetcomb.drafts.pricing.chains import Chain, Priced, PricedText

__all__ = ["MOVES"]

MOVES: tuple[Callable[[PricedText, Priced], Iterator[Chain]], ...] = (
    wash_first, take_heading, take_in, take_frame_off, name_lines, group_by_margin, strip_drawn, quote, join_wrapped, join_columns, carry_down, mend_hyphens, join_bare, realign, space_once, leave_out,
)  # fmt: skip
