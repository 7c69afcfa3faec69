"""Records kept to try other options on: the first that had to be read anew, with their texts.

They are kept in the order of the text, so that they are the same ones wherever it was cut,
and with no more text than their own, so that they are light to keep and to send.
"""

from __future__ import annotations

import msgspec
import numpy as np

from wetcomb.core.arrays import Ints, list_positions
from wetcomb.match.digests import Reader
from wetcomb.steps.realign.profiles import Bounds, PieceMatrix

__all__ = ["AdviceSample"]

_MOST = 400  # records that are kept


class AdviceSample(msgspec.Struct):
    """Up to 400 records.

    Attributes
    ----------
    parts : pairs of the records' places in the order of the text, counted from 0, and the records
    """

    parts: list[tuple[Ints, PieceMatrix]] = msgspec.field(default_factory=list)

    @property
    def n_records(self) -> int:
        """How many there are."""
        return sum(places.size for places, _ in self.parts)

    @property
    def room(self) -> int:
        """How many more are wanted."""
        return _MOST - self.n_records

    def add(self, parts: list[tuple[Ints, PieceMatrix]]) -> None:
        """Keep records that stand behind those there are, as far as there is room."""
        before, room = self.n_records, self.room
        for places, matrix in parts:
            near = np.flatnonzero(places < room)
            if near.size:
                self.parts.append((before + places[near], _keep_own_text(matrix.take(near))))

    def list_matrices(self) -> list[PieceMatrix]:
        """Return all of them, those of as many pieces together."""
        widths = sorted({len(matrix.starts) for _, matrix in self.parts})
        return [_join([b for _, b in self.parts if len(b.starts) == width]) for width in widths]


def _keep_own_text(matrix: PieceMatrix) -> PieceMatrix:
    """Return the same records over a text of nothing but their pieces and what stands between."""
    data = matrix.reader.data
    starts, ends, outer_starts, outer_ends = (
        array.T.ravel()  # record by record
        for array in (matrix.starts, matrix.ends, matrix.outer_starts, matrix.outer_ends)
    )
    heads = np.flatnonzero(~matrix.follows.T)  # from one to the next all stands one behind another
    lasts = np.append(heads[1:], starts.size) - 1
    begins, stops = outer_starts[heads], outer_ends[lasts]
    sizes = stops - begins
    moves = np.repeat(np.cumsum(sizes) - sizes - begins, lasts - heads + 1)
    built = np.flatnonzero((starts < outer_starts) | (ends > outer_ends))
    values = data[list_positions(starts[built], ends[built])]
    texts = np.concatenate([data[list_positions(begins, stops)], values])
    lengths = (ends - starts)[built]
    starts, ends = starts + moves, ends + moves
    starts[built] = texts.size - values.size + np.cumsum(lengths) - lengths
    ends[built] = starts[built] + lengths
    shape = matrix.starts.T.shape
    return PieceMatrix(
        Reader(texts),
        starts.reshape(shape).T,
        ends.reshape(shape).T,
        (outer_starts + moves).reshape(shape).T,
        (outer_ends + moves).reshape(shape).T,
        matrix.follows,
        matrix.bounds,
    )


def _join(matrices: list[PieceMatrix]) -> PieceMatrix:
    """Return the records of all matrices as one."""
    sizes = [matrix.reader.data.size for matrix in matrices]
    moves = [sum(sizes[:place]) for place in range(len(sizes))]

    def join(name: str) -> Ints:
        arrays = [getattr(b, name) + move for b, move in zip(matrices, moves, strict=True)]
        return np.concatenate(arrays, axis=1)

    columns = matrices[0].bounds.low
    return PieceMatrix(
        Reader(np.concatenate([matrix.reader.data for matrix in matrices])),
        join("starts"),
        join("ends"),
        join("outer_starts"),
        join("outer_ends"),
        np.concatenate([matrix.follows for matrix in matrices], axis=1),
        Bounds(
            {c: np.concatenate([b.bounds.low[c] for b in matrices]) for c in columns},
            {c: np.concatenate([b.bounds.high[c] for b in matrices]) for c in columns},
        ),
    )
