"""Memory that processes share, to hand what they made to the one that writes it.

What goes through a pipe is copied four times, some kilobytes at a time, and the reader has to
stop its own work for each of them. Here it is laid down once.
"""

from __future__ import annotations

import mmap
from collections import deque
from collections.abc import Sequence

__all__ = ["Desk"]

_SIZE = 4 << 20  # bytes of a place; pages of it that are never written take no memory


class Desk:
    """Places for what is made of a share each; made before the processes part."""

    def __init__(self, n_places: int) -> None:
        self._memory = mmap.mmap(-1, n_places * _SIZE)
        self._free = deque(range(n_places))

    def take(self) -> int | None:
        """Return a free place, None if there is none."""
        return self._free.popleft() if self._free else None

    def give_back(self, place: int) -> None:
        """Make a place free again."""
        self._free.append(place)

    def lay(self, place: int, parts: Sequence[bytes]) -> list[int] | None:
        """Lay parts down one behind another and return their sizes; None if there is no room."""
        sizes = [len(part) for part in parts]
        if sum(sizes) > _SIZE:
            return None
        start = place * _SIZE
        self._memory[start : start + sum(sizes)] = b"".join(parts)
        return sizes

    def read(self, place: int, sizes: Sequence[int]) -> list[bytes]:
        """Return what was laid down at a place."""
        parts, start = [], place * _SIZE
        for size in sizes:
            parts.append(self._memory[start : start + size])
            start += size
        return parts
