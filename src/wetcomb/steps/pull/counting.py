"""What both ways to run a pull share: their reader, and the counts that are told when all is done."""

from __future__ import annotations

from wetcomb.core.batch import StepRun, Told
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.pull.reading import BlockReader
from wetcomb.steps.pull.telling import Seen, tell_notes

__all__ = ["CountingRun"]


class CountingRun(StepRun):
    """A pull at work that counts what it sees."""

    def __init__(self, options: Pull) -> None:
        self._options = options
        self._reader = BlockReader(options)

    def tell(self) -> Told:
        """Return which labels stand nowhere, or not in all blocks, what stands again, what is outside."""
        seen, names = self._reader.seen, self._reader.names
        counts = seen.tell_counts(names) if self._options.label_counts else ()
        return Told(tuple(tell_notes(seen, names, self._options)), label_counts=counts)

    def give_counts(self) -> object:
        """Return what was counted so far, and begin to count anew."""
        seen, self._reader.seen = self._reader.seen, Seen.of(len(self._reader.names))
        return seen

    def add_counts(self, counts: object) -> None:
        """Add what another run of the step has counted behind what this one has."""
        assert isinstance(counts, Seen)
        self._reader.seen.add(counts)
