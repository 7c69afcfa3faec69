"""Sources: encodings told, proved, guessed; bytes that are no text are kept and told."""

from __future__ import annotations

import codecs
import random
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


#: Everyday words in encodings of two bytes a sign, that are mistaken for each other most easily.
WIDE = {
    ("cp932", "euc_jp"): "日付 番号 品名 注文者 備考 鉛筆 磯辺春 住所変更、半分のみ 箱が破損 署名が必要 許可待ち 返却済 石炭 トン 便箋 霧島田茂 水門 通行料 二日遅れ",
    ("cp949",): "날짜 번호 품목 주문자 비고 연필 절반만 주소변경 뒤뜰에보관 재확인 상자파손 서명필요 허가대기 석탄 톤 편지지 수문 통행료 홍길동 김철수",
    ("gb18030",): "日期 编号 品名 订购人 备注 铅笔 只有一半 地址变更 存放后院 再次确认 箱子破损 需要签名 等待许可 煤炭 吨 水闸 通行费 王小明 李建国",
    ("big5",): "日期 編號 品名 訂購人 備註 鉛筆 只有一半 地址變更 存放後院 再次確認 箱子破損 需要簽名 等待許可 煤炭 噸 水閘 通行費 李建國 張偉",
}  # fmt: skip


@pytest.mark.parametrize("names", WIDE)
def test_short_tables_of_everyday_words_are_read_as_they_are(names: tuple[str, ...]) -> None:
    words = WIDE[names].split()
    for seed in range(12):
        chance = random.Random(seed)
        rows = [[f"2031-03-{k + 10}", *(chance.choice(words) for _ in range(3))] for k in range(6)]
        text = "\n".join(";".join(row) for row in rows)
        for name in names:
            found = find_encoding(text.encode(name), "in.txt", is_whole=True)
            assert text.encode(name).decode(found.name) == text, (seed, found)
            assert found.is_common
