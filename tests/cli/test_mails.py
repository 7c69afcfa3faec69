"""Mails in files: charsets, encodings, parts, piles, and what is broken in them."""

from __future__ import annotations

import base64
import io
from email.message import EmailMessage
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from program import wetcomb
from wetcomb.files.mail import decode_mails

HEAD = "From: Ruth Pell <ruth@halden-orrin.example>\nTo: office\nSubject: {subject}\nDate: 3 June 2031\n"
BODY = "Boat: Tansy\nBerth: A10\n"
LABELS = ["--label", "mail.subject as about", "--label", "Boat", "--label", "Berth"]
TABLE = "about,Boat,Berth\n"


def mail(
    body: str | bytes, head: str = "", *, subject: str = "a permit", charset: str = "utf-8"
) -> bytes:
    raw = body if isinstance(body, bytes) else body.encode(charset)
    return (HEAD.format(subject=subject) + head).encode() + b"\n" + raw


def parts(*bodies: str, kind: str = "mixed") -> bytes:
    text = "".join(f"--X\n{body}\n" for body in bodies)
    return mail(
        f"before the parts\n{text}--X--\n", f'Content-Type: multipart/{kind}; boundary="X"\n'
    )


TYPE = "Content-Type: text/plain; charset={}\nContent-Transfer-Encoding: {}\n"
HTML = "Content-Type: text/html\n\n<title>x</title><p>Hello &amp; good day<table><tr><td>Boat:<td>Tansy</tr><tr><td>Berth:<td> A10 </table><ul><li>one<li>two</ul>"
PLAIN = "Content-Type: text/plain\n\nBoat: Wren\nBerth: B2\n"
CSV = 'Content-Type: text/csv\nContent-Disposition: attachment; filename="fields.csv"\n\nNo;Toll\n1;2,50\n'

#: Mails, and the record that comes of each.
MAILS: dict[str, tuple[bytes, str]] = {
    "plain": (mail(BODY), "a permit,Tansy,A10\n"),
    "line ends of the net": (mail(BODY).replace(b"\n", b"\r\n"), "a permit,Tansy,A10\n"),
    "folded": (mail(BODY, subject="a long\n\tpermit"), "a long permit,Tansy,A10\n"),
    "encoded words": (mail(BODY, subject="=?iso-8859-1?Q?f=FCr_?=\n =?utf-8?B?" + base64.b64encode("größer".encode()).decode() + "?="), "für größer,Tansy,A10\n"),
    "quoted-printable": (mail("Boat: B=F6=\nller\nBerth: A=20\n", TYPE.format("iso-8859-1", "quoted-printable")), "a permit,Böller,A\n"),
    "base64": (mail(base64.encodebytes(BODY.encode("utf-16")).decode(), TYPE.format("utf-16", "base64")), "a permit,Tansy,A10\n"),
    "one of several ways": (parts(HTML, PLAIN, kind="alternative"), "a permit,Wren,B2\n"),
    "html alone": (mail(HTML.partition("\n\n")[2], "Content-Type: text/html\n"), "a permit,Tansy,A10\n"),
    "an attached file": (parts(PLAIN, CSV), "a permit,Wren,B2\n"),
    "a mail within": (parts("Content-Type: message/rfc822\n\n" + mail(BODY, subject="inner").decode(), "Content-Type: text/plain\n\nbye\n"), "a permit,Tansy,A10\n"),
    "a bounce": (parts("Content-Type: message/delivery-status\n\nBoat: Tansy\n\nBerth: A10\n"), "a permit,Tansy,A10\n"),
}  # fmt: skip


@pytest.mark.parametrize(("raw", "record"), MAILS.values(), ids=MAILS)
def test_what_a_mail_says(tmp_path: Path, raw: bytes, record: str) -> None:
    (tmp_path / "m.eml").write_bytes(raw)
    done = wetcomb(
        tmp_path, "pull", "m.eml", *LABELS, "--blocks", "mail", "--format", "csv", "--strict"
    )
    assert (done.stdout.decode(), done.returncode) == (TABLE + record, 0), done.stderr.decode()
    again = wetcomb(tmp_path, "pull", *LABELS, "--blocks", "mail", "--read", "mail", given=raw)
    assert again.stdout == done.stdout


def test_a_pile_of_mails(tmp_path: Path) -> None:
    rows = [raw.rstrip() for raw, _ in MAILS.values()]
    inner = mail(">From the gate: nothing\nFrom here on\n\nBoat: Heron\n", subject="last")
    pile = b"".join(b"From x Tue Jun  3 2031\n" + raw + b"\n\n" for raw in [*rows, inner])
    (tmp_path / "pile.mbox").write_bytes(pile)
    words = ["pull", "pile.mbox", *LABELS, "--blocks", "mail", "--no-source-file", "-o", "t.csv"]
    done = wetcomb(tmp_path, *words, "--ledger", "l.csv")
    said = done.stderr.decode()
    table = TABLE + "".join(record for _, record in MAILS.values()) + "last,Heron,\n"
    assert (tmp_path / "t.csv").read_text() == table, said
    assert "12 mails, decoded" in said and "'fields.csv'" in said
    assert "From the gate: nothing" in (tmp_path / "l.csv").read_text()
    first = (tmp_path / "t.csv").read_bytes()
    (tmp_path / "pile.mbox").write_bytes(pile * 3000)  # long enough to be shared
    done = wetcomb(tmp_path, *words, "--force", "--processes", "2", "--quiet")
    heading, rest = first.split(b"\n", 1)
    assert (tmp_path / "t.csv").read_bytes() == heading + b"\n" + rest * 3000, done.stderr


@pytest.mark.parametrize(
    ("part", "table"),
    [
        ("fields.csv", 'No,Toll\n1,"2,50"\n'),
        ("text/csv", 'No,Toll\n1,"2,50"\n'),
        ("nix.csv", "wetcomb: m.eml: no mail in it has a part 'nix.csv'; there are: fields.csv\n"),
    ],
)
def test_an_attached_file_is_a_part(tmp_path: Path, part: str, table: str) -> None:
    (tmp_path / "m.eml").write_bytes(parts(PLAIN, CSV))
    done = wetcomb(tmp_path, "rebuild", "m.eml", "--part", part, "--format", "csv")
    assert table in (done.stdout.decode(), done.stderr.decode())
    assert done.returncode == (0 if "Toll" in table else 2)


#: Mails that are not what they say: the record, the snag.
BROKEN: dict[str, tuple[bytes, str, str]] = {
    "no such charset": (mail(BODY, TYPE.format("nix-8", "8bit")), "a permit,Tansy,A10\n", "mail-broken"),
    "no text in its charset": (mail(b"Boat: T\xffnsy\nBerth: A\n", TYPE.format("utf-8", "8bit")), "a permit,T\\xFFnsy,A\n", "undecodable"),
    "no boundary": (mail(BODY, "Content-Type: multipart/mixed\n"), "a permit,Tansy,A10\n", "mail-broken"),
    "never closed": (parts(PLAIN).replace(b"--X--", b""), "a permit,Wren,B2\n", "mail-broken"),
    "base64 that is none": (mail("Qm9hdDogVGFuc3k=!K", TYPE.format("utf-8", "base64")), "a permit,Tansy,\n", "mail-broken"),
    "parts without end": (mail(BODY, "".join(f'Content-Type: multipart/mixed; boundary="b{k}"\n\n--b{k}\n' for k in range(900)) + "\n"), "a permit,Tansy,A10\n", "mail-broken"),
    "an encoded word that is none": (mail(BODY, subject="=?utf-8?B?abcde?="), "=?utf-8?B?abcde?=,Tansy,A10\n", "mail-broken"),
}  # fmt: skip


@pytest.mark.parametrize(("raw", "record", "snag"), BROKEN.values(), ids=BROKEN)
def test_a_broken_mail_is_a_snag_and_its_text_kept(
    tmp_path: Path, raw: bytes, record: str, snag: str
) -> None:
    pile = b"".join(b"From x 2031\n" + one + b"\n\n" for one in (mail(BODY), raw, mail(BODY)))
    (tmp_path / "m.mbox").write_bytes(pile)
    done = wetcomb(
        tmp_path, "pull", "m.mbox", *LABELS, "--blocks", "mail", "--format", "csv", "--snag-column"
    )
    rows = done.stdout.decode().splitlines()
    assert rows[2] == f"{record.strip()},{snag}", done.stderr.decode()
    assert rows[1] == rows[3] == "a permit,Tansy,A10,"


def test_files_that_hold_no_mail(tmp_path: Path) -> None:
    (tmp_path / "none.eml").write_bytes(b"")
    (tmp_path / "text.txt").write_bytes(
        mail("Boat: B=F6ller\n", TYPE.format("iso-8859-1", "quoted-printable"))
    )
    empty = wetcomb(tmp_path, "rebuild", "none.eml")
    assert (empty.returncode, empty.stderr) == (2, b"wetcomb: none.eml: this is empty; there is nothing to rebuild\n")  # fmt: skip
    kept = wetcomb(tmp_path, "pull", "text.txt", "--label", "Boat", "--format", "csv")
    assert kept.stdout == b"Boat\nB=F6ller\n"  # what was pasted is never decoded
    part = wetcomb(tmp_path, "pull", "text.txt", "--part", "fields.csv", "--label", "Boat")
    assert part.returncode == 2 and b"this is no file of mails" in part.stderr


def test_a_pile_is_rebuilt_without_an_option(tmp_path: Path) -> None:
    rows = [
        ("Tansy", "A1", "3.50"),
        ("Wren", "B2", "4.25"),
        ("Coot", "A7", "1.20"),
        ("Rook", "C3", "9.00"),
    ]
    bodies = [f"Good day,\n\nBoat: {a}\nBerth: {b}\nToll: {c}\n\nYours\n" for a, b, c in rows]
    pile = b"".join(b"From MAILER Tue Jun  3 2031\n" + mail(body) + b"\n" for body in bodies)
    (tmp_path / "pile.mbox").write_bytes(pile)
    done = wetcomb(tmp_path, "rebuild", "pile.mbox", "--format", "csv", "--strict")
    table = "Boat,Berth,Toll\n" + "".join(",".join(row) + "\n" for row in rows)
    assert (done.stdout.decode(), done.returncode) == (table, 0), done.stderr.decode()


WORDS = st.text("aäßжé漢=?_ .,'\"", min_size=1, max_size=30).map(
    lambda text: " ".join(text.split())
)


@settings(max_examples=150, deadline=None)
@given(
    subject=WORDS.filter(bool),
    value=WORDS.filter(bool),
    charset=st.sampled_from(["utf-8", "koi8-r", "iso-8859-15", "gb18030"]),
    way=st.sampled_from(["base64", "quoted-printable", "8bit"]),
    n_parts=st.integers(0, 2),
)
def test_what_was_written_is_what_is_read(
    subject: str, value: str, charset: str, way: str, n_parts: int
) -> None:
    made = EmailMessage()
    made["From"], made["To"], made["Subject"] = "a@b.example", "c@d.example", subject
    try:
        value.encode(charset)
        made.set_content(f"Boat: {value}\n", charset=charset, cte=way)
    except (UnicodeEncodeError, ValueError):
        return  # it cannot be written so
    for number in range(n_parts):
        made.add_attachment(b"x;y\n", maintype="text", subtype="csv", filename=f"{number}.csv")
    into = io.BytesIO()
    found = decode_mails(io.BytesIO(made.as_bytes()), into, "m", charset="", part="", n_processes=1)
    lines = into.getvalue().decode().split("\n")
    assert f"Subject: {subject}" in lines and f"Boat: {value}" in lines
    assert (found.n_mails, found.broken) == (1, [])
    assert [*found.parts] == [f"{number}.csv" for number in range(n_parts)]
