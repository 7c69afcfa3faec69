"""What was found for records that were read: two readings, the cells of the best, whether it is taken."""

from __future__ import annotations

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, Spans
from wetcomb.core.table import MISSING
from wetcomb.steps.realign.profiles import PieceMatrix, Profile
from wetcomb.steps.realign.readings import IMPOSSIBLE, find_readings

__all__ = ["BestReadings", "read_matrix"]


class BestReadings(msgspec.Struct, frozen=True, eq=False):
    """The same for M records under F columns.

    Attributes
    ----------
    costs, next_costs : (M,) int64, `IMPOSSIBLE` or more where there is no reading
    skipped : (M,) int64, empty pieces the best reading passes over at the start
    takes, next_takes : (M, F) uint8, how many pieces each column takes
    starts, ends : (M, F) int32, the cells of the best reading, -1 where one is missing
    is_taken : (M,) bool
    is_known : (M,) bool, records that lack no more than their last columns, but these are not
        optional: what is odd about them has been said already
    """

    costs: Ints
    next_costs: Ints
    skipped: Ints
    takes: Bytes
    next_takes: Bytes
    starts: Spans
    ends: Spans
    is_taken: Bools
    is_known: Bools

    @classmethod
    def none(cls, n_records: int, n_columns: int) -> BestReadings:
        """Return that nothing was found."""
        never = np.full(n_records, IMPOSSIBLE, np.int64)
        takes = np.zeros((n_records, n_columns), np.uint8)
        spans = np.full((n_records, n_columns), MISSING, np.int32)
        return cls(
            never,
            never.copy(),
            np.zeros(n_records, np.int64),
            takes,
            takes.copy(),
            spans,
            spans.copy(),
            np.zeros(n_records, np.bool_),
            np.zeros(n_records, np.bool_),
        )

    def put(self, places: Ints, other: BestReadings) -> None:
        """Take over what was found for some of the records."""
        for name in self.__struct_fields__:
            getattr(self, name)[places] = getattr(other, name)


def read_matrix(profile: Profile, matrix: PieceMatrix) -> BestReadings:
    """Return what is found for a matrix.

    A reading is taken if the next one costs so much more as is asked for, and its record then
    fits. One with the right number of pieces is read otherwise only as the options say it may be.
    """
    readings = find_readings(profile.weigh(matrix))
    margin = readings.next_costs - readings.costs
    is_taken = (readings.costs < IMPOSSIBLE) & (margin >= profile.options.margin)
    starts, ends = matrix.lay(readings.takes, readings.skipped)
    is_taken &= ~profile.find_misfits(matrix, readings, starts, ends)
    if len(matrix.starts) == len(profile.columns):  # it would have lost one and gained another
        is_taken &= profile.are_declared(readings.takes)
    is_known = is_taken & _lack_their_ends(readings.takes) & (readings.skipped == 0)
    is_known &= ~profile.are_declared(readings.takes)
    is_taken &= ~is_known
    return BestReadings(
        readings.costs,
        readings.next_costs,
        readings.skipped,
        readings.takes,
        readings.next_takes,
        starts,
        ends,
        is_taken,
        is_known,
    )


def _lack_their_ends(takes: Bytes) -> Bools:
    """Return which readings leave every piece where it was cut, and the last columns blank."""
    as_cut = np.logical_and.reduce(takes[:, 1:] <= takes[:, :-1], axis=1)
    whole: Bools = as_cut & np.logical_and.reduce(takes <= 1, axis=1)
    return whole
