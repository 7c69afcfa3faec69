"""Values that say in another form what the source says: which spans of the body they stand for."""

from __future__ import annotations

import msgspec
import numpy as np

from wetcomb.core.arrays import Ints, spread

__all__ = ["Forms"]


def _no_positions() -> Ints:
    return np.zeros(0, np.int64)


class Forms(msgspec.Struct, frozen=True, eq=False):
    """Values in another form, F of them, in a text's appendix.

    Attributes
    ----------
    starts, ends : (F,) int64, where each stands, rising
    owners, from_, to : (S,) int64, the pieces of the body that they stand for: the place of the
        value among them, and a span
    """

    starts: Ints = msgspec.field(default_factory=_no_positions)
    ends: Ints = msgspec.field(default_factory=_no_positions)
    owners: Ints = msgspec.field(default_factory=_no_positions)
    from_: Ints = msgspec.field(default_factory=_no_positions)
    to: Ints = msgspec.field(default_factory=_no_positions)

    def add(self, spans: tuple[Ints, Ints], pieces: tuple[Ints, Ints, Ints]) -> Forms:
        """Return these and more, which stand behind them; owners of pieces are counted from 0."""
        owners, starts, ends = pieces
        return Forms(
            np.concatenate([self.starts, spans[0]]),
            np.concatenate([self.ends, spans[1]]),
            np.concatenate([self.owners, owners + self.starts.size]),
            np.concatenate([self.from_, starts]),
            np.concatenate([self.to, ends]),
        )

    def find(self, starts: Ints, ends: Ints) -> Ints:
        """Return which of them each span is; -1 for all others."""
        if not self.starts.size:
            return np.full(starts.size, -1)
        at = np.searchsorted(self.starts, starts, "right") - 1
        is_form = (at >= 0) & (starts == self.starts[at]) & (ends == self.ends[at])
        return np.where(is_form, at, -1)

    def list_pieces(self, which: Ints) -> tuple[Ints, Ints, Ints]:
        """Return the pieces of some of them: the place of the value among those asked for, and a span."""
        first = np.searchsorted(self.owners, which)
        behind = np.searchsorted(self.owners, which, "right")
        owners, nth = spread(behind - first)
        pieces = first[owners] + nth
        return owners, self.from_[pieces], self.to[pieces]
