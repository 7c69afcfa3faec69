"""A part as it is written by whoever combs it: whole, and out of sight until it counts."""

from __future__ import annotations

from pathlib import Path

from wetcomb.core.batch import Batch
from wetcomb.core.ledger import Ledger
from wetcomb.files.columns import Layout
from wetcomb.files.sinks import Sink
from wetcomb.jobs.cluster.recipe import PartFile, Recipe, begin_digest, find_staged
from wetcomb.jobs.outputs import Renderer

__all__ = ["PartWriter"]


class PartWriter:
    """Writes batches into a part.

    Parameters
    ----------
    is_further : the table was begun in another part, where its heading was counted
    """

    def __init__(self, recipe: Recipe, part: str, *, is_further: bool) -> None:
        path = find_staged(recipe, part)
        path.parent.mkdir(exist_ok=True)
        tables: list[tuple[str, Path | None]] = [(recipe.settings.format or "csv", path)]
        self._renderer = Renderer(tables, [], recipe.settings.writing, is_part=True, is_further=is_further)  # fmt: skip
        self._sink, self._digest = Sink(path), begin_digest()
        self._has_table = False

    def write(self, batch: Batch, layout: Layout, name: str) -> None:
        """Write a batch of a text."""
        self._has_table |= batch.table is not None
        for piece in self._renderer.render(batch, layout, name):
            self._write(piece)

    def _write(self, piece: bytes | memoryview) -> None:
        self._digest.update(piece)
        self._sink.write(piece)

    def finish(self) -> tuple[PartFile | None, Ledger]:
        """Lay the part down, if any table came; return it with what was written."""
        if not self._has_table:
            self.discard()
            return None, Ledger()
        for piece in self._renderer.render_ends():
            self._write(piece)
        made = PartFile(self._sink.size, self._digest.hexdigest())
        self._sink.prepare()
        self._sink.commit()
        return made, self._renderer.take_ledger()

    def discard(self) -> None:
        """Leave nothing behind."""
        self._renderer.close()
        self._sink.discard()
