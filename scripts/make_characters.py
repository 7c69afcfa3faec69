"""Make the frozen table of characters that ships with wetcomb: kinds, display widths, letter case.

    python scripts/make_characters.py

The table is made once from Python's own Unicode data and kept, so that a comb gives the same
table with every Python. Its format: the magic word, the number of runs R, R first code points
(uint32, little-endian), R codes (uint8): the kind in the low four bits, the width above them.
Behind them, for case folded, small letters and capitals in turn: the number of characters C that
change, C code points (uint32), C lengths (uint8), and the code points they become, one behind another.
"""

from __future__ import annotations

import sys
import unicodedata
from collections.abc import Callable
from pathlib import Path

import numpy as np

TARGET = Path(__file__).parent.parent / "src" / "wetcomb" / "match" / "characters.bin"
MAGIC = b"WCCH1\n\0\0"
MARK, SMALL, CAPITAL, LETTER, DIGIT, SPACE, COMBINING, FORMAT = range(8)
KINDS = {
    "Ll": SMALL,
    "Lu": CAPITAL,
    "Lt": CAPITAL,
    "Lm": LETTER,
    "Lo": LETTER,
    "Nd": DIGIT,
    "Nl": DIGIT,
    "No": DIGIT,
    "Zs": SPACE,
    "Zl": SPACE,
    "Zp": SPACE,
    "Mn": COMBINING,
    "Me": COMBINING,
    "Mc": COMBINING,
    "Cf": FORMAT,
}


def find_code(number: int) -> int:
    """Return the code of a code point: its kind, and its width above it."""
    character = chr(number)
    category = unicodedata.category(character)
    kind = KINDS.get(category, MARK)
    if number in (0x09, 0x0A, 0x0B, 0x0C, 0x0D):
        kind = SPACE
    is_wide = unicodedata.east_asian_width(character) in "WF"
    is_narrow_jamo = 0x1160 <= number <= 0x11FF  # vowels and finals join the consonant before
    no_width = category in ("Mn", "Me", "Cc") or (category == "Cf" and number != 0xAD)
    width = 0 if no_width or is_narrow_jamo else 2 if is_wide else 1
    return kind | width << 4


def write_case(change: Callable[[str], str]) -> bytes:
    """Return which characters a change of case changes, and into what."""
    changed = [n for n in range(sys.maxunicode + 1) if change(chr(n)) != chr(n)]
    made = [change(chr(number)) for number in changed]
    return (
        np.array([len(changed)], "<u4").tobytes()
        + np.array(changed, "<u4").tobytes()
        + np.array([len(text) for text in made], np.uint8).tobytes()
        + "".join(made).encode("utf-32-le", "surrogatepass")
    )


def main() -> None:
    """Write the table."""
    codes = np.array([find_code(number) for number in range(sys.maxunicode + 1)], np.uint8)
    firsts = np.flatnonzero(np.diff(codes.astype(np.int16), prepend=-1))
    TARGET.write_bytes(
        MAGIC
        + np.array([firsts.size], "<u4").tobytes()
        + firsts.astype("<u4").tobytes()
        + codes[firsts].tobytes()
        + b"".join(map(write_case, (str.casefold, str.lower, str.upper)))
    )
    print(f"{TARGET}: Unicode {unicodedata.unidata_version}, {firsts.size} runs")


if __name__ == "__main__":
    main()
