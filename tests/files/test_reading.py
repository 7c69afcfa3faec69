"""Sources: encodings told, proved, guessed; bytes that are no text are kept and told."""

from __future__ import annotations

import codecs
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wetcomb.core.errors import InputError
from wetcomb.files import source as source_module
from wetcomb.files.encodings import find_encoding
from wetcomb.files.opening import open_source

POLISH, RUSSIAN, JAPANESE = (
    "1;Łódź\n2;Świnoujście\n3;Żółw\n",
    "1;Привет из порта\n2;Москва и река\n3;Большой шлюз у старой мельницы закрыт\n",
    "1,日本\n2,東京都\n",
)
GERMAN = "1;Zoë;Köln\n2;Jürgen;München\n3;François;Besançon\n4;Måns;Malmö\n"
FRENCH = "".join(
    f"N°\n{no}\nPièce\nthéière\nReçu le\n{no}/02\nRemarque\nà vérifier avant l'été\n\n"
    for no in range(10, 30)
)


@pytest.mark.parametrize(
    ("raw", "stated", "name", "how"),
    [
        (b"a,b\n", "", "utf-8", "proved"),
        (GERMAN.encode(), "", "utf-8", "proved"),
        (codecs.BOM_UTF8 + b"a", "", "utf-8", "marked"),
        (codecs.BOM_UTF16_LE + "a".encode("utf-16-le"), "", "utf-16-le", "marked"),
        (codecs.BOM_UTF16_BE + "a".encode("utf-16-be"), "utf-16", "utf-16-be", "stated"),
        ("no;name\n1;x\n".encode("utf-16-le"), "", "utf-16-le", "guessed"),
        ("no;name\n1;x\n".encode("utf-16-be"), "", "utf-16-be", "guessed"),
        (GERMAN.encode("cp1252"), "", "cp1252", "guessed"),
        (POLISH.encode("cp1250"), "", "cp1250", "guessed"),
        (RUSSIAN.encode("cp1251"), "", "cp1251", "guessed"),
        (JAPANESE.encode("cp932"), "", "cp932", "guessed"),
        (FRENCH.encode("cp1252"), "", "cp1252", "guessed"),
        (GERMAN.encode("cp1252"), "latin-1", "iso8859-1", "stated"),
        (GERMAN.encode() + b"5;caf\xe9\n", "", "utf-8", "proved"),
    ],
)  # fmt: skip
def test_encodings(raw: bytes, stated: str, name: str, how: str) -> None:
    found = find_encoding(raw, "x", stated, is_whole=True)
    assert (found.name, found.how) == (name, how)


def test_an_odd_character_far_down_tells_the_encoding(tmp_path: Path) -> None:
    path = tmp_path / "late.txt"
    path.write_bytes(b"no;city\n" + b"1;Lock\n" * 60_000 + GERMAN.encode("cp1252"))
    source = open_source(str(path))
    assert source.encoding.name == "cp1252"
    assert "München" in b"".join(block.data for block in source.read_blocks()).decode()
    assert source.read_sample().data.count(b"\n") == 10_000
    source.close()


@settings(max_examples=150, deadline=None)
@given(
    st.lists(st.sampled_from(["a", "é", "漢", "🚤", "\n", "\r\n"]), max_size=30).map("".join),
    st.sampled_from(["utf-8", "utf-16-le", "utf-16-be", "utf-32-le", "cp1252", "gb18030"]),
    st.integers(1, 7),
)
def test_blocks_never_cut_a_character(text: str, encoding: str, size: int) -> None:
    raw = text.encode(encoding, "ignore")
    if not raw:
        return
    source = _source_of(raw, encoding)
    wanted = raw.decode(encoding)
    before, source_module.BLOCK_SIZE = source_module.BLOCK_SIZE, size
    try:
        blocks = list(source.read_blocks())
    finally:
        source_module.BLOCK_SIZE = before
    assert "".join(block.data.decode() for block in blocks) == wanted
    assert sum(block.characters for block in blocks) == len(wanted)


def _source_of(raw: bytes, encoding: str) -> source_module.Source:
    import io

    return source_module.Source("x", None, io.BytesIO(raw), encoding)


@settings(max_examples=150, deadline=None)
@given(st.binary(max_size=30).map(lambda raw: b"a\n" + raw), st.integers(1, 5))
def test_no_byte_is_dropped(raw: bytes, size: int) -> None:
    source = _source_of(raw, "utf-8")
    before, source_module.BLOCK_SIZE = source_module.BLOCK_SIZE, size
    try:
        blocks = list(source.read_blocks())
    finally:
        source_module.BLOCK_SIZE = before
    again, n_bad = b"", 0
    for block in blocks:
        done = 0
        for place in block.undecodable:
            assert block.data[place : place + 2] == b"\\x"
            again += block.data[done:place] + bytes.fromhex(
                block.data[place + 2 : place + 4].decode()
            )
            done, n_bad = place + 4, n_bad + 1
        again += block.data[done:]
    assert again == raw
    assert n_bad == sum(
        sign >= "\udc80"
        for sign in raw.decode("utf-8", "surrogateescape")
        if sign <= "\udcff" and sign >= "\udc80"
    )


def test_a_mark_that_contradicts_what_is_stated_is_refused() -> None:
    with pytest.raises(
        InputError, match="mark of utf-16-le, but utf-8 is stated; leave --encoding"
    ):
        find_encoding(codecs.BOM_UTF16_LE + b"a\0", "x", "utf-8")


def test_what_is_no_text_says_how_to_get_it() -> None:
    for raw in (b"%PDF-1.4", b"PK\x03\x04", b"\x89PNG", b"\x1f\x8b\x08", b"{\\rtf1"):
        with pytest.raises(InputError, match=r"x: this is a .*, no text; "):
            find_encoding(raw, "x")
