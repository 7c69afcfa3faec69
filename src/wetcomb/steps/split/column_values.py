"""The values of a table's column, cut as lines are.

They are laid one behind another, parted by a sign that none of them has, and cut by the same
cutter; the spans found are then told in the table's own text. So every rule for lines holds
for values, and nothing is copied but for the search.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Bytes, Ints
from wetcomb.core.cutting.fitting import Fitted, fit_fields
from wetcomb.core.cutting.proof import prove_cut
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.cutting.records import OddPlaces, Records
from wetcomb.core.cutting.specials import CutRules, find_specials
from wetcomb.core.ledger import Charge
from wetcomb.core.surplus import take_back
from wetcomb.core.table import Table
from wetcomb.core.text import Text
from wetcomb.core.values_text import lay_behind, tell_spans
from wetcomb.steps.split.cutter import Cutter, Surroundings
from wetcomb.steps.split.options import Split

__all__ = ["CutValues", "cut_values"]

_SIGNS = bytes([0x1E, 0x1F, 0x1D, 0x1C, *range(1, 9), 0x7F])


class CutValues(msgspec.Struct, frozen=True, eq=False):
    """The pieces of a column's values, told in the table's text.

    Attributes
    ----------
    ragged : a record for each value
    fitted : the same fitted to the new columns, told where they were cut; None where there are none
    odd_fields : pieces at which something is odd, and the codes of the snags
    charges : what left the values, in the body of the text
    """

    ragged: Ragged
    fitted: Fitted | None
    odd_fields: tuple[Ints, Ints]
    charges: Sequence[Charge]


def cut_values(options: Split, table: Table, column: int, n_fields: int | None) -> CutValues:
    """Return the values of one column cut into pieces.

    Parameters
    ----------
    n_fields : how many new columns there are; None where every piece becomes a record
    """
    starts = np.maximum(table.starts[:, column], 0).astype(np.int64)
    ends = np.maximum(table.ends[:, column], 0).astype(np.int64)
    sign = _find_free_sign(table.text.data)
    buffer, begins = lay_behind(table.text.data, starts, ends, sign)
    rules = _make_rules(options, sign)
    cutter = Cutter(options, rules)
    specials = find_specials(buffer, rules, is_last=True)
    around = Surroundings(np.zeros(0, np.int64))
    records = cutter.cut(specials, around, n_fields=n_fields, is_table=False)
    assert records is not None
    bare = _find_bare(cutter, buffer, records.staying)
    charges = _list_charges(buffer, records, bare, rules)
    ragged = _empty(records.staying, bare)
    fitted = None
    if n_fields is not None:
        fitted = fit_fields(buffer, ragged, n_fields, ends_at_lines=False)
        charges, _ = take_back(charges, *fitted.merged)
        ragged = fitted.ragged
    moves = starts - begins  # a span of the buffer, told in the table's text
    bounds = np.append(begins, buffer.size)
    return CutValues(
        _move(ragged, moves),
        fitted,
        _find_odd_fields(records.odd, ragged),
        [_tell_charge(table.text, charge, len(sign), bounds, moves) for charge in charges],
    )


def _make_rules(options: Split, sign: bytes) -> CutRules:
    return replace(
        options.rules(),
        record_end=sign,
        paragraphs=False,
        lines_part=False,
        quote_lines=0,  # the signs part values: no mark reaches from one into the next
    )


def _find_bare(cutter: Cutter, buffer: Bytes, ragged: Ragged) -> Ints:
    """Return the values, as fields, that are but one piece, and that one to be dropped."""
    alone = ragged.offsets[:-1][ragged.counts == 1]
    alone = alone[ragged.ends[alone] > ragged.starts[alone]]
    spans = zip(ragged.starts[alone].tolist(), ragged.ends[alone].tolist(), strict=True)
    dropped = [cutter.drops_all(buffer[start:end].tobytes()) for start, end in spans]
    return alone[np.array(dropped, np.bool_)]


def _empty(ragged: Ragged, fields: Ints) -> Ragged:
    """Return the records with nothing left of some fields."""
    if not fields.size:
        return ragged
    ends, doubled = ragged.ends.copy(), ragged.doubled.copy()
    ends[fields], doubled[fields] = ragged.starts[fields], False
    return replace(ragged, ends=ends, doubled=doubled)


def _list_charges(buffer: Bytes, records: Records, bare: Ints, rules: CutRules) -> list[Charge]:
    """Return what is in no piece, as spans of the buffer."""
    if bare.size:
        records = records.let_go(bare, "dropped-piece")
    proved = prove_cut(Text(buffer, buffer.size), records.ragged, LineDrops.none(), rules)
    return proved + records.charge_leaving()


def _find_odd_fields(odd: OddPlaces, ragged: Ragged) -> tuple[Ints, Ints]:
    """Return the pieces at which something is odd; values stand in the buffer in their order."""
    fields = np.searchsorted(ragged.outer_starts, odd.places, "right") - 1
    held: Bools = fields >= 0
    return fields[held], odd.kinds[held]


def _move(ragged: Ragged, moves: Ints) -> Ragged:
    shift = np.repeat(moves, ragged.counts)
    return replace(
        ragged,
        starts=ragged.starts + shift,
        ends=ragged.ends + shift,
        outer_starts=ragged.outer_starts + shift,
        outer_ends=ragged.outer_ends + shift,
    )


def _find_free_sign(data: Bytes) -> bytes:
    """Return a sign that does not stand in a text, to part its values by."""
    present = np.zeros(256, np.bool_)
    present[data] = True
    for byte in _SIGNS:
        if not present[byte]:
            return bytes([byte])
    raw = data.tobytes()
    sign = bytes([_SIGNS[0], _SIGNS[1]])
    while sign in raw:
        sign += bytes([_SIGNS[len(sign) % 2], _SIGNS[0]])
    return sign


def _tell_charge(text: Text, charge: Charge, n_sign: int, bounds: Ints, moves: Ints) -> Charge:
    """Return a charge of the buffer as one of the places that its text came from."""
    reason, starts, ends = charge.reason, charge.starts, charge.ends
    if reason == "record-end":  # the sign was ours; what stands beside it is spacing
        signs = bounds[1:] - n_sign
        reason = "spacing"
        starts, ends = np.concatenate([starts, signs + n_sign]), np.concatenate([signs, ends])
    return Charge(reason, *tell_spans(text, starts, ends, bounds, moves))
