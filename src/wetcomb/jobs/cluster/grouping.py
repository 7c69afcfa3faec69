"""Which texts make a part together, into how many a long one is cut, and what parts are called.

It follows from the sizes of the texts alone, so that it is the same whoever combs them.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from wetcomb.files.formats.table import FORMATS
from wetcomb.jobs.cluster.recipe import Recipe, TextAt

__all__ = ["HELD", "PART_NAME", "count_cuts", "count_parts", "group_texts", "name_part"]

#: Bytes of a text whose records are held until it is known that all of it can be combed; a longer one is a part by itself.
HELD = 4 << 20
#: What a part may be called; a journal is not believed that says otherwise.
PART_NAME = re.compile(r"part-\d{6,}\.\w+", re.ASCII)
_MOST_BUNDLED = 512  # texts of a part
_FIRST = 16  # of the first, which the others wait for
_LONG = 1.5  # times the size of a part from which a text is cut


def name_part(recipe: Recipe, number: int) -> str:
    """Return what a part is called, counted from 1."""
    ending = FORMATS[recipe.settings.format or "csv"].endings[0]
    return f"part-{number:06}{ending}"


def count_cuts(recipe: Recipe, text: TextAt) -> int:
    """Return into how many shares a text is cut at most; 1 where it is not worth it."""
    return -(-text.size // recipe.part_size) if text.size > _LONG * recipe.part_size else 1


def count_parts(recipe: Recipe, texts: Sequence[TextAt]) -> int:
    """Return how many parts texts make at most."""
    return sum(
        count_cuts(recipe, own[0]) if len(own) == 1 else 1 for own in group_texts(recipe, texts)
    )


def group_texts(recipe: Recipe, texts: Sequence[TextAt]) -> Iterator[list[TextAt]]:
    """Yield the texts that are worked on together: long ones alone, short ones up to a part."""
    held: list[TextAt] = []
    n_before = 0
    for text in texts:
        size = text.size + sum(one.size for one in held)
        is_full = len(held) == (_MOST_BUNDLED if n_before else _FIRST)
        if held and (size > recipe.part_size or text.size > HELD or is_full):
            yield held
            held, n_before = [], n_before + 1
        held = [*held, text]
        if text.size > HELD or count_cuts(recipe, text) > 1:
            yield held
            held, n_before = [], n_before + 1
    if held:
        yield held
