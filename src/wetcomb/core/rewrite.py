"""Text made of the pieces of another: what stays, what is put between, what left and why.

A step that makes text says which spans of a chunk it keeps and what follows each of them; the
new text knows the source line of every piece, and where something stands that the source
does not have. That kept spans and charges tile the chunk is proved where the book is closed.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wetcomb.core.arrays import Ints, spread
from wetcomb.core.batch import Batch
from wetcomb.core.cutting.ragged import LineDrops
from wetcomb.core.gather import weave
from wetcomb.core.ledger import LINE_DROPS, Charge
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
    used: int,
    kept: tuple[Ints, Ints],
    glue: tuple[Ints, Sequence[bytes]],
    charges: list[Charge],
    odd: Sequence[tuple[Ints, int]] = (),
) -> Batch:
    """Return the text of the kept spans, each followed by what is put behind it.

    Parameters
    ----------
    used : bytes of the chunk that were taken
    kept : (P,) starts and ends, rising
    glue : (P,) which of the texts follows each span, and these texts
    charges : every span that leaves, by reason
    odd : places of the chunk that are odd, within kept spans, by the code of the snag
    """
    starts, ends = kept
    n_lines = count_line_ends(chunk.data[:used].tobytes(), is_whole=True)
    is_whole = (
        starts.size == 1 and starts[0] == 0 and ends[0] == used and not glue[1][int(glue[0][0])]
    )
    if is_whole and not any(places.size for places, _ in odd):  # nothing is made anew
        result = chunk.take(used)
    else:
        result = _weave_text(chunk, used, kept, glue, odd)
    sizes = np.array([len(text) for text in glue[1]], np.int64)[glue[0]]
    whole = [charge for charge in charges if charge.reason in LINE_DROPS and charge.starts.size]
    drops = [LineDrops.of(charge.reason, charge.starts, charge.ends) for charge in whole]
    return Batch(
        chunk,
        used,
        n_lines,
        result=result,
        kept=kept,
        kept_at=np.cumsum(ends - starts + sizes) - (ends - starts + sizes),
        charges=charges,
        drops=LineDrops.join(drops) if drops else None,
    )


def _weave_text(
    chunk: Text,
    used: int,
    kept: tuple[Ints, Ints],
    glue: tuple[Ints, Sequence[bytes]],
    odd: Sequence[tuple[Ints, int]],
) -> Text:
    """Return the new text, told where each of its pieces comes from."""
    (starts, ends), (codes, texts) = kept, glue
    sizes = np.array([len(text) for text in texts], np.int64)[codes]
    data = weave(chunk.data, chunk.body_size, starts, ends, codes, texts)
    stops = np.cumsum(ends - starts + sizes)
    begins = stops - (ends - starts + sizes)
    is_put = sizes > 0
    lines = chunk.line_numbers(starts)
    # what is put in counts to the line behind it
    behind = chunk.line_numbers(np.array([used]))
    following = np.append(lines[1:], behind)[-lines.size :] if lines.size else lines
    jumps = np.concatenate([begins, (stops - sizes)[is_put]])
    order = np.argsort(jumps, kind="stable")
    moved = _move_puts(chunk, starts, ends, begins)
    puts = np.concatenate([(stops - sizes)[is_put], moved[0]])
    by_put = np.argsort(puts, kind="stable")
    old = chunk.odd_places < used
    places = np.concatenate([chunk.odd_places[old], *(mine for mine, _ in odd)])
    kinds_of = [np.full(mine.size, code, np.int64) for mine, code in odd]
    kinds = np.concatenate([chunk.odd_kinds[old], *kinds_of])
    by_place = np.argsort(places, kind="stable")
    return Text(
        data,
        data.size,
        int(lines[0]) if starts.size else chunk.first_line,
        jumps=jumps[order],
        jump_lines=np.concatenate([lines, following[is_put]])[order],
        puts=puts[by_put],
        put_ends=np.concatenate([stops[is_put], moved[1]])[by_put],
        odd_places=_move(places[by_place], starts, begins),
        odd_kinds=kinds[by_place],
    )


def _move(places: Ints, starts: Ints, begins: Ints) -> Ints:
    """Return where places of the chunk stand in the new text."""
    at = np.maximum(np.searchsorted(starts, places, "right") - 1, 0)
    return begins[at] + places - starts[at] if starts.size else places[:0]


def _move_puts(chunk: Text, starts: Ints, ends: Ints, begins: Ints) -> tuple[Ints, Ints]:
    """Return what an earlier step put in, so far as it was kept, as it stands in the new text."""
    if not (ends.size and chunk.puts.size):
        return starts[:0], starts[:0]
    first = np.searchsorted(ends, chunk.puts, "right")
    last = np.searchsorted(starts, chunk.put_ends)
    owners, nth = spread(np.maximum(last - first, 0))
    spans = first[owners] + nth
    put_starts = np.maximum(chunk.puts[owners], starts[spans])
    put_ends = np.minimum(chunk.put_ends[owners], ends[spans])
    real = put_ends > put_starts
    moved = (begins[spans] - starts[spans])[real]
    return put_starts[real] + moved, put_ends[real] + moved
