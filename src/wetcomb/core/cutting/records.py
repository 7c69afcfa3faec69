"""Records as they are cut: their fields, the lines beside them, and what is odd, by its place.

What is odd is told by its place in the text and not by the number of a record. So lines may
leave and fields may go to other records, and it still belongs to the record whose field it
stands in.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bytes, Ints
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.ledger import DROPS, Charge
from wetcomb.core.snags import SNAG_CODES, SnagRows

__all__ = ["LEAVING", "OddPlaces", "Records", "find_owners"]


#: Why a field leaves its record; its place is its code, and the first stays.
LEAVING = ("", "dropped-piece", "heading-again", "heading")


class OddPlaces(msgspec.Struct, frozen=True, eq=False):
    """Places of a text at which something is odd.

    Attributes
    ----------
    places : (O,) int64
    kinds : (O,) int64, code of the snag
    """

    places: Ints
    kinds: Ints

    @classmethod
    def of(cls, name: str, places: Ints) -> OddPlaces:
        """Return places that are all odd in one way."""
        return cls(places, np.full(places.size, SNAG_CODES[name], np.int64))

    @classmethod
    def join(cls, parts: Sequence[OddPlaces]) -> OddPlaces:
        """Return the places of all parts."""
        return cls(
            np.concatenate([np.zeros(0, np.int64), *[part.places for part in parts]]),
            np.concatenate([np.zeros(0, np.int64), *[part.kinds for part in parts]]),
        )

    def find_snags(self, ragged: Ragged) -> SnagRows:
        """Return them as snags of the records that hold them; those in no record are gone."""
        if not self.places.size or not ragged.stops.size:
            return SnagRows.gather([])
        rows = find_owners(ragged, self.places)
        held = rows >= 0
        return SnagRows.of(rows[held], self.kinds[held])


def find_owners(ragged: Ragged, places: Ints) -> Ints:
    """Return the record that holds each place of a text, -1 where none does.

    Records need not be lines, nor stand in the order of the text: a place is held by the
    record of the last field that begins at it or before it, up to the end of its last line.
    """
    order = np.argsort(ragged.outer_starts, kind="stable")
    owners = np.repeat(np.arange(ragged.stops.size), ragged.counts)[order]
    at = np.searchsorted(ragged.outer_starts[order], places, "right") - 1
    rows: Ints = np.where(at >= 0, owners.take(np.maximum(at, 0)), -1)
    rows[(rows >= 0) & (places >= ragged.stops.take(rows, mode="clip"))] = -1
    return rows


class Records(msgspec.Struct, frozen=True, eq=False):
    """Records cut from the beginning of a text.

    Attributes
    ----------
    ragged : the fields of all records, those that leave them among them
    leaves : (C,) uint8, why fields leave their records and make no column, places in `LEAVING`
    drops : the lines that are no record
    odd : what is odd, by its place
    used : bytes of the text that were read; the next record begins there
    """

    ragged: Ragged
    leaves: Bytes
    drops: LineDrops
    odd: OddPlaces
    used: int

    @property
    def staying(self) -> Ragged:
        """The records without the fields that leave them; some may have none left."""
        return self.ragged.without_fields(self.leaves > 0) if self.leaves.any() else self.ragged

    def let_go(self, fields: Ints, reason: str) -> Records:
        """Return them with some fields leaving.

        Parameters
        ----------
        fields : places among those that stay
        """
        leaves, doubled = self.leaves.copy(), self.ragged.doubled.copy()
        mine = np.flatnonzero(leaves == 0)[fields]
        leaves[mine] = LEAVING.index(reason)
        if reason in DROPS:  # they leave as they stand, doubled marks too
            doubled[mine] = False
        return replace(self, leaves=leaves, ragged=replace(self.ragged, doubled=doubled))

    def charge_leaving(self) -> list[Charge]:
        """Return the fields that leave, but for the words of a heading, which may be names."""
        charges: list[Charge] = []
        if not self.leaves.any():
            return charges
        for code in np.flatnonzero(np.bincount(self.leaves)).tolist():
            if LEAVING[code] in DROPS:
                mine = self.leaves == code
                charges.append(
                    Charge(LEAVING[code], self.ragged.starts[mine], self.ragged.ends[mine])
                )
        return charges

    def before(self, position: int) -> Records:
        """Return those that begin before a position, where a record does."""
        stays = self.ragged.record_starts < position
        return Records(
            self.ragged.select(stays),
            self.leaves[np.repeat(stays, self.ragged.counts)],
            self.drops.before(position),
            self.odd,
            position,
        )
