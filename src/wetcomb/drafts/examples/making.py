"""The steps that make a record of where its cells come from."""

from __future__ import annotations

from collections.abc import Sequence

from wetcomb.combs.on_table import run_on_table
from wetcomb.core.table import Table
from wetcomb.drafts.examples.bases import Base
from wetcomb.drafts.examples.cuttings import Cutting
from wetcomb.drafts.examples.example import Example
from wetcomb.drafts.examples.patterns import find_pattern
from wetcomb.drafts.examples.sources import Piece, Source, Sources
from wetcomb.drafts.examples.writing import write_cutting
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.clean.written import write_name
from wetcomb.steps.glue.options import Glue
from wetcomb.steps.step import Step

__all__ = ["Maker"]


class Maker:
    """Writes the steps that make an example's cells of where they come from."""

    def __init__(self, base: Base, example: Example, sources: Sources) -> None:
        self._base, self._example, self._sources = base, example, sources
        self._table = base.table
        self.steps: list[Step] = []
        self._clean: dict[str, list[str]] = {}
        self._spare: set[str] = set()

    def make(self, cuttings: dict[int, Cutting]) -> Table | None:
        """Return the table, None if some of it can be written in no step."""
        names = self._name_cells()
        parts: dict[Piece, str] = {}
        for column, cutting in cuttings.items():
            if not self._cut(column, cutting, names, parts):
                return None
        ends: list[str] = []
        for place, source in enumerate(self._sources):
            own = [parts.get(p) or self._base.table.names[p.column] for p in source.pieces]
            name = self._put_together(source, own, names[place])
            if name is None:
                return None
            ends.append(name)
            if source.letters:
                self._clean.setdefault("letters", []).append(f"{write_name(name)}={source.letters}")
            if source.converted:
                said = f"{write_name(name)}={source.written}"
                self._clean.setdefault(source.converted, []).append(said)
        self._finish(ends, names)
        return self._table

    def _name_cells(self) -> list[str]:
        """Return what the cells are called: as the example says, else as the columns that they are of."""
        if self._example.names:
            return [*self._example.names]
        old = self._base.table.names
        made: list[str] = []
        columns = [{piece.column for piece in source.pieces} for source in self._sources]
        is_made_up = [name.startswith("field-") and name[6:].isdecimal() for name in old]
        if all(is_made_up):
            return [f"field-{k + 1}" for k in range(len(columns))]
        for place, own in enumerate(columns):
            column = min(own) if own else 0
            sharing = [k for k, other in enumerate(columns) if column in other]
            name = old[column] if own else f"field-{place + 1}"
            if len(sharing) > 1:
                name = f"{name}-{sharing.index(place) + 1}"
            while name in made:
                name += "-2"
            made.append(name)
        return made

    def _cut(
        self, column: int, cutting: Cutting, names: Sequence[str], parts: dict[Piece, str]
    ) -> bool:
        """Cut a column as was learnt; return whether a step does so."""
        base, old = self._base, self._base.table.names[column]
        cells = [(place, source) for place, source in enumerate(self._sources) if not source.is_whole and column in {p.column for p in source.pieces}]  # fmt: skip
        pieces = [piece for _, source in cells for piece in source.pieces if piece.column == column]
        values = base.list_values(column)
        if len(cells) == 1 and all(p.column == column for p in cells[0][1].pieces):
            source = cells[0][1]
            if len(pieces) > 1 or source.literals != ("", ""):
                return self._rewrite(column, cutting, source, values, parts)
        called = self._call(cells, pieces, names, {*base.table.names} - {old})
        written = write_cutting(self._table, old, values, cutting, called)
        if written is None:
            return False
        self._add(written.step)
        self._spare |= {*written.spare}
        parts |= dict(zip(pieces, written.names, strict=True))
        return True

    def _call(
        self,
        cells: Sequence[tuple[int, Source]],
        pieces: Sequence[Piece],
        names: Sequence[str],
        taken: set[str],
    ) -> list[str]:
        """Return what stretches are called: as their cells, where these are no more."""
        found: list[str] = []
        for place, source in cells:
            for k, piece in enumerate(source.pieces):
                if piece in pieces:
                    name = names[place] if len(source.pieces) == 1 else f"{names[place]}-{k + 1}"
                    while name in taken or name in found:
                        name += "-new"
                    found.append(name)
        return found

    def _rewrite(
        self,
        column: int,
        cutting: Cutting,
        source: Source,
        values: Sequence[str],
        parts: dict[Piece, str],
    ) -> bool:
        """Write the values of a column otherwise: its stretches in another order, with other text between."""
        order = sorted(range(len(source.pieces)), key=lambda k: source.pieces[k].start)
        spans = [tuple(own[k] for k in order) for own in cutting.spans]
        letters = [chr(ord("a") + k) for k in range(len(order))]
        pattern = find_pattern(values, spans, letters, is_whole=True)
        if pattern is None:
            return False
        back = [letters[order.index(k)] for k in range(len(order))]
        new = source.literals[0] + "".join(f"{{{name}}}{text}" for name, text in zip(back, source.literals[1:], strict=True))  # fmt: skip
        if "=" in new or set("{}") & set("".join(source.literals)):
            return False
        self._clean.setdefault("replace", []).append(f"{write_name(self._base.table.names[column])}:{pattern}={new}")  # fmt: skip
        parts |= dict.fromkeys(source.pieces, self._base.table.names[column])
        return True

    def _put_together(self, source: Source, own: Sequence[str], name: str) -> str | None:
        """Return the column of a cell, after its pieces were put together where they stand in several."""
        several = [*dict.fromkeys(own)]
        if len(several) < 2:
            if len(several) == 1 and source.literals != ("", "") and len(source.pieces) == 1 and not self._is_rewritten(several[0]):  # fmt: skip
                return self._dress(several[0], source.literals)
            return several[0] if several else None
        if len(several) != len(own):
            return None
        joined = own[0]
        for k, other in enumerate(own[1:], 1):
            text = source.literals[k]
            if not text or set("\r\n") & set(text):
                return None
            called = name if name not in {*self._table.names} - {joined, other} else f"{name}-new"
            self._add(Glue(columns=(joined, other), with_=text, as_=called, skip_empty=True, quote="loose"))  # fmt: skip
            joined = called
        if source.literals[0] or source.literals[-1]:
            return self._dress(joined, (source.literals[0], source.literals[-1]))
        return joined

    def _is_rewritten(self, name: str) -> bool:
        return any(
            text.startswith(f"{write_name(name)}:") for text in self._clean.get("replace", ())
        )

    def _dress(self, name: str, literals: Sequence[str]) -> str | None:
        """Put text before and behind the values of a column."""
        if set("={}") & set("".join(literals)):
            return None
        self._clean.setdefault("replace", []).append(f"{write_name(name)}:{{text as a}}={literals[0]}{{a}}{literals[1]}")  # fmt: skip
        return name

    def _finish(self, ends: Sequence[str], names: Sequence[str]) -> None:
        """Take the columns that are wanted, and call them so."""
        options: dict[str, object] = {key: tuple(said) for key, said in self._clean.items()}
        new = {old: name for old, name in zip(ends, names, strict=True) if old != name}
        if new:
            options["rename"] = tuple(f"{write_name(old)}={name}" for old, name in new.items())
        called = [new.get(name, name) for name in self._table.names]
        kept = [name for name in called if name not in self._spare]
        kept = kept if self._example.names else [*names]
        if kept != called:
            options["only"] = tuple(kept)
        if options:
            self._add(Clean(**options))  # type: ignore[arg-type]

    def _add(self, step: Step) -> None:
        self._table = run_on_table(step, self._table)
        self.steps.append(step)
