"""Text made of the pieces of another: what stays, what is put between, what left and why.

A step that makes text says which spans of a chunk it keeps and what follows each of them; the
new text knows the source line of every piece, and where something stands that the source
does not have. Nothing is believed: kept spans and charges must tile the chunk.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wetcomb.core.arrays import Ints
from wetcomb.core.errors import BrokenPromise
from wetcomb.core.gather import weave
from wetcomb.core.ledger import LINE_DROPS, Charge, Ledger
from wetcomb.core.piece import Piece, TextPiece
from wetcomb.core.ragged import LineDrops
from wetcomb.core.text import Text, count_line_ends

__all__ = ["list_lines", "rewrite"]


def list_lines(chunk: Text) -> tuple[Ints, Ints, Ints]:
    """Return where the lines of a body begin, where their line ends do, and where these end."""
    starts = chunk.line_starts[chunk.line_starts < chunk.body_size]
    stops = np.append(starts[1:], chunk.body_size)[: starts.size]
    ends = stops.copy()
    for byte in (0x0A, 0x0D):
        at_end = (ends > starts) & (chunk.data.take(ends - 1, mode="clip") == byte)
        ends -= at_end
    return starts, ends, stops


def rewrite(
    chunk: Text,
    step: str,
    used: int,
    kept: tuple[Ints, Ints],
    glue: tuple[Ints, Sequence[bytes]],
    charges: list[Charge],
    doubts: Sequence[tuple[Ints, int]] = (),
) -> TextPiece:
    """Return the text of the kept spans, each followed by what is put behind it.

    Parameters
    ----------
    used : bytes of the chunk that were taken
    kept : (P,) starts and ends, rising
    glue : (P,) which of the texts follows each span, and these texts
    charges : every span that leaves, by reason
    doubts : places of the chunk that are odd, within kept spans, by the code of the snag

    Raises
    ------
    BrokenPromise : a byte is neither kept nor charged, or both
    """
    starts, ends = kept
    is_whole = (
        starts.size == 1 and starts[0] == 0 and ends[0] == used and not glue[1][int(glue[0][0])]
    )
    if is_whole and not any(places.size for places, _ in doubts):  # nothing is made anew
        n_lines = count_line_ends(chunk.data[:used].tobytes())
        return TextPiece(Piece(chunk, step, None, used, n_lines, Ledger()), chunk.take(used))
    _check_tiling(used, [(starts, ends), *((charge.starts, charge.ends) for charge in charges)])
    codes, texts = glue
    sizes = np.array([len(text) for text in texts], np.int64)[codes]
    data = weave(chunk.data, chunk.body_size, starts, ends, codes, texts)
    stops = np.cumsum(ends - starts + sizes)
    begins = stops - (ends - starts + sizes)
    puts = sizes > 0
    lines = chunk.line_numbers(starts)
    # what is put in counts to the line behind it
    behind = chunk.line_numbers(np.array([used]))
    following = np.append(lines[1:], behind)[-lines.size :] if lines.size else lines
    pieces = np.concatenate([begins, (stops - sizes)[puts]])
    order = np.argsort(pieces, kind="stable")
    piece_lines = np.concatenate([lines, following[puts]])[order]
    put_starts, put_ends = _move_puts(chunk, starts, ends, begins)
    old = chunk.doubts < used
    places = np.concatenate([chunk.doubts[old], *(mine for mine, _ in doubts)])
    codes_of = [np.full(mine.size, code, np.int64) for mine, code in doubts]
    doubt_codes = np.concatenate([chunk.doubt_codes[old], *codes_of])
    by_place = np.argsort(places, kind="stable")
    result = Text(
        data,
        data.size,
        int(lines[0]) if starts.size else chunk.first_line,
        pieces=pieces[order],
        piece_lines=piece_lines,
        puts=np.concatenate([stops[puts] - sizes[puts], put_starts]),
        put_ends=np.concatenate([stops[puts], put_ends]),
        doubts=_move(places[by_place], starts, begins),
        doubt_codes=doubt_codes[by_place],
    )
    ledger = Ledger()
    for charge in charges:
        number = chunk.count(charge.starts, charge.ends)
        ledger.dropped[charge.reason] += number - chunk.count_puts(charge.starts, charge.ends)
    whole = [charge for charge in charges if charge.reason in LINE_DROPS and charge.starts.size]
    drops = [
        LineDrops(c.starts, c.ends, np.full(c.starts.size, LINE_DROPS.index(c.reason), np.int64))
        for c in whole
    ]
    n_lines = count_line_ends(chunk.data[:used].tobytes())
    dropped = LineDrops.join(drops) if drops else None
    piece = Piece(chunk, step, None, used, n_lines, ledger, charges, dropped)
    return TextPiece(piece, result)


def _move(places: Ints, starts: Ints, begins: Ints) -> Ints:
    """Return where places of the chunk stand in the new text."""
    at = np.maximum(np.searchsorted(starts, places, "right") - 1, 0)
    return begins[at] + places - starts[at] if starts.size else places[:0]


def _move_puts(chunk: Text, starts: Ints, ends: Ints, begins: Ints) -> tuple[Ints, Ints]:
    """Return what an earlier step put in, as it stands in the new text."""
    if not ends.size:
        return starts[:0], starts[:0]
    at = np.searchsorted(starts, chunk.puts, "right") - 1
    inside = (at >= 0) & (chunk.put_ends <= ends.take(np.maximum(at, 0), mode="clip"))
    if not inside.any():
        return starts[:0], starts[:0]
    at = at[inside]
    moved = begins[at] - starts[at]
    return chunk.puts[inside] + moved, chunk.put_ends[inside] + moved


def _check_tiling(used: int, homes: list[tuple[Ints, Ints]]) -> None:
    starts = np.concatenate([start for start, _ in homes])
    ends = np.concatenate([end for _, end in homes])
    real = ends > starts
    order = np.argsort(starts[real], kind="stable")
    starts, ends = starts[real][order], ends[real][order]
    if not (np.append(starts, used) == np.append(0, ends)).all():
        raise BrokenPromise("text was rewritten with a gap or an overlap")
