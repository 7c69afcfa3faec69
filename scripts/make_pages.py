"""Make the parts of the docs that come from the tool itself: tables of facts, and examples it ran.

python scripts/make_pages.py          writes them into docs/
python scripts/make_pages.py --check  says which pages are out of date; nothing is written
"""

from __future__ import annotations

import shlex
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import wetcomb
from wetcomb.core.doubts import DOUBTS
from wetcomb.core.ledger import DROPS
from wetcomb.core.snags import SNAGS
from wetcomb.drafts.typed_options import type_part, type_steps
from wetcomb.match.shapes import SHAPES
from wetcomb.steps.realign.options import COSTS

ROOT = Path(__file__).parent.parent
DOCS = ROOT / "docs"

#: Every kind of cut: what it is for, the options, three lines in. All names are made up.
CUTS = [
    ("a delimiter, quotes honoured", "-d comma --heading first", 'Boat,Notice\nTansy,"Slow, 4 knots"\nHeron,"Weir ""B"" shut"\n'),
    ("any of several delimiters", "-d semicolon -d ' - ' --heading none --fields 3", "Tansy; Orrin - up\nHeron; Lamb - down\nWren; Weir - up\n"),
    ("runs of blanks", "-d gap --heading first", "Boat        Lock    Tons\nTwo Sisters Mill  12\nOld Regret  Orrin   7\n".replace("Sisters Mill", "Sisters  Mill").replace("Regret  Orrin", "Regret   Orrin")),
    ("a frame around each line", "-d pipe --frame --heading first", "| Boat | Tons |\n| Tansy | 12 |\n| Heron | 7 |\n"),
    ("display columns", "--edges 8,13 --heading first", "Boat    Lock Tons\nTansy   Mill   12\nHeron           7\n"),
    ("display columns without gaps", "--edges 2,4,7 --touching --heading none", "0601 12Tansy\n0602  7Heron\n0603112Wren\n"),
    ("columns of a rule", "--edges rule --heading first", "Boat        Toll\n----------- ----\nOld Regret  4,50\n"),
    ("columns under the heading", "--edges heading --heading first", " Boat        feeds on   Toll\n Tansy       coal       4,50\nHeron Wake   slate dust 3,00\n"),
    ("columns of blanks", "--edges blanks --heading first", "Boat        Lock  Toll\nTwo Sisters Mill  4,50\nOld Regret        3,00\nWren        Weir  1,50\n"),
    ("a change of kind", "--boundary '9|a' --boundary 'a|A' --heading none --fields 3", "12tTansy\n7tHeron\n140tWren\n"),
    ("capitals kept together", "--boundary 'A|Aa' --heading none --fields 2", "TSSWharf\nMVHeron\nHOCTansy\n"),
    ("before a pattern", "--before 'LK-{digits}' --heading none --fields 2", "Mill Reach LK-12\nOrrin LK-3\nWeir Gate LK-140\n"),
    ("after a pattern", "--after '{time}' --heading none --names when,what", "08:30 Tansy goes up\n09:15 Heron goes down\n11:40 Wren waits\n"),
    ("not within brackets", "-d comma --protect '()' --heading none --fields 2", "Tansy,Mill (upper, lower)\nHeron,Orrin\nWren,Weir (by hand, no keeper)\n"),
    ("only the first cuts", "-d space --cuts first:2 --heading none --fields 3", "08:30 Tansy goes up empty\n09:15 Heron waits\n11:40 Wren goes down\n"),
    ("without footnote marks", "-d space --drop-pieces '*' --drop-pieces 'text:(a)' --heading none --fields 2", "Tansy 12 *\nHeron (a) 7\nWren 140\n"),
    ("records at a text", "-d comma --records-at semicolon --heading none --fields 2", "Tansy,12; Heron,7;\nWren,140; Rook,3;\nCoot,9\n"),
    ("records at blank lines", "-d newline --records-at blank-line --heading none --fields 2", "Tansy\n12\n\nHeron\n7\n"),
    ("a cell a line", "--per-record 3 --cell-shapes words,date,number --heading none --snag-column", "Tansy\n2031-06-01\n12\nHeron\n7\nWren\n2031-06-02\n140\nRook\n2031-06-03\n3\nCoot\n2031-06-04\n9\n"),
    ("panels side by side", "-d gap --panels 2 --heading first", "Code  Boat     Code  Boat\nA     Tansy    C     Wren\nB     Heron    D     Rook\n"),
    ("every piece a record", "-d semicolon --each-a-record --names boat", "Tansy; Heron\nWren\nRook; Coot; Plover\n"),
    ("a heading of two lines", "--edges 7,12,18 --heading 2", "           2031 2032\nBoat   Lock Tons  Tons\nTansy  Mill   12     7\n".replace("           2031 2032", "            2031  2032")),
    ("the column of a table", "-d semicolon --heading none --names boat,size + split --column size --boundary '9|a' --names tons,unit", "Tansy; 12t\nHeron; 7t\nWren; 140cwt\n"),
    ("lists that run in step", "-d semicolon --heading first + split --column When,Who -d pipe --each-a-record", "Boat;When;Who\nTansy;June|July;Ruth|Tom\nHeron;May;Edda\n"),
    ("cells wrapped under their column", "--edges rule --heading first --wrapped", "Boat   Remark      Toll\n-----  ----------  ----\nTansy  waits for   4,50\n       the gate\nHeron              3,00\n"),
    ("cells centred on several lines", "--edges 7,19 --heading first --wrapped --parted-by blank-line", "Boat   Remark      Toll\n\n       waits for\nTansy              4,50\n       the gate\n\nHeron  in coin     3,00\n"),
    ("one column after another", "--column-by-column --heading first", "Boat\nTansy\nHeron\n\nTons\n12\n7\n\nBoat\nWren\n\nTons\n140\n"),
    ("cells that say they go on", "-d semicolon --heading first --continues +", "Boat;Remark\nTansy;waits for the +\n;gate\nHer+;in coin\n+on;\n"),
    ("pages that a line begins", "-d gap --panels 2 --heading first --page-start 'Page {digits}'", "Code  Boat   Code  Boat\nPage 1\nA     Tansy  C     Wren\nB     Heron  D     Rook\nPage 2\nE     Coot   F     Teal\n"),
    ("blocks one under another", "--stacked --edges blanks --heading first", "Boat        in   out  \\\nTansy        1     2\nOld Heron   10    20\n\n          tons\nTansy        4\nOld Heron   35\n"),
    ("group lines and totals", "-d gap --heading first --group 'Reach: {words as Reach}' --totals 'Total {money as Toll}'", "Boat   Toll\nReach: Mill Reach\nTansy  4,50\nReach: Orrin Reach\nHeron  3,00\nTotal  7,50\n"),
]  # fmt: skip

#: What is done before a text is split: the words of the whole chain, and the text.
CHAINS = [
    ("page heads and feet", "wash paste.txt --page-head 'Canal{any}Page {digits}' --page-foot '- {digits} -' + split -d gap --heading first", "Canal tolls   Page 1\nBoat   Toll\nTansy  4,50\n- 1 -\n\fCanal tolls   Page 2\nBoat   Toll\nHeron  3,00\n- 2 -\n"),
    ("reply marks", "wash paste.txt --drop-lines '{any} wrote:' + split -d semicolon --heading first", "On Monday Ruth wrote:\n> Boat;Toll\n> Tansy;4,50\n"),
    ("records that begin so", "unwrap paste.txt --starts 'J{digits}|' + split -d pipe --heading none --fields 3", "J1|waits for\nthe gate|4,50\nJ2|in coin|3,00\n"),
    ("indented lines, words mended", "unwrap paste.txt --indent --hyphens mend + split -d semicolon --heading first", "Boat; Remark\nTansy; see the kee-\n   per at the gate\nHeron; in coin\n"),
    ("labels within a column of a table", "pull paste.txt --read semicolon --column Note --label Boat --label Berth", "No;Note\n1;Boat: Tansy, Berth: A10\n2;Berth: B4\n"),
    ("items within wrapped sentences", "unwrap paste.txt --all + pull --each '{words as boat} ({number as tons} t)'", "Tansy (12 t), Old\nRegret (9.5 t)\n"),
    ("lines cut in the middle of words", "unwrap paste.txt --width 14 --glue '' + split -d semicolon --heading none --fields 3", "J1;Tansy;waits\n for the gate\nJ2;Heron;coin\n"),
]  # fmt: skip


#: Ways that a label and its value stand together, and where blocks begin.
LABELS = [
    ("colons, leaders, values below", "--label 'Permit no' --label Holder --label Fee", "Permit no: MP-0204\nHolder: A. Dunmore\nFee ........ 27.00 marks\n\nPermit no: MP-0207\nHolder:\n  Ruth Pell\nFee:\n  44.00 marks\n"),
    ("several on a line, another order, one missing", "--label No --label Boat --label Berth", "No: 1   Boat: Tansy   Berth: A10\nNo: 2   Berth: B4\nNo: 3   Berth: A2; Boat: Wren\n"),
    ("key=value, quoted", "--label ts --label boat --label note", 'ts=08:30 boat=Tansy note="late: fog"\nts=09:15 boat="Old Regret"\n'),
    ("other words for a label, another name", "--label 'No' --label 'Boat|Vessel as boat'", "No: 1\nVessel: Tansy\nNo: 2\nBoat: Heron\n"),
    ("values that go on over lines", "--label No --label Remark --multiline Remark", "No: 1\nRemark: keep the water point clear,\n  and mind the swans\nNo: 2\nRemark: none\n"),
    ("up to a text, blank lines or not", "--label No --label Notice --until 'Notice=Signed'", "No: 1\nNotice: the gate is shut\n\nuntil the chain is mended\nSigned R. Pell\n"),
    ("blocks between rules", "--label Boat --label No --blocks rule", "Boat: Tansy\nNo: 1\n-----\nNo: 2\nBoat: Heron\n"),
    ("names in the heads of mails", "--label 'mail.date as sent' --label 'Permit no' --label Date", "From: Mooring Office\nDate: 3 June 2031\nSubject: your permit\n\nPermit no: MP-0204\nDate: 2031-07-02\n"),
    ("numbers that rise", "--label Boat --label Berth --blocks rising", "1. Boat: Tansy\n   Berth: A10\n2. Boat: Heron\n"),
    ("the second of several equal labels", "--label No --label 'Date as asked' --label 'Date#2 as paid'", "No: 1\nDate: 3 June\nDate: 9 June\nNo: 2\nDate: 4 June\n"),
    ("a label that stands again begins another record", "--label No --label Boat --label Tons --again rows", "No: 1\nBoat: Tansy\nTons: 12\nBoat: Wren\nTons: 9\nNo: 2\nBoat: Heron\nTons: 7\n"),
    ("what stands between two texts", "--label No --between '(ref' ')' ref", "No: 1\nas agreed (ref A 17) on the quay\nNo: 2\nsee (ref\nB 4)\n"),
    ("what stands above a text, and left of one", "--above 'Dear keeper as sender' --left-of 'marks paid as fee' --blocks rule", "A. Dunmore\nHalden Top\nDear keeper,\n27.00 marks paid today\n----\nRuth Pell\nDear keeper,\n"),
    ("free lines, by a pattern", "--pattern '{words as goods} {number as price} {text:per ton?}'", "Coal 3.50 per ton\nOld rope 1.20\n"),
    ("one of a closed list", "--pattern '{barge|tug|narrow boat as kind} {word as boat}'", "the tug Tansy is late\na narrow boat Heron came up\n"),
    ("items within sentences, a record each", "--label Day --each '{words as boat} ({number as tons} t)'", "Day: 3 June\nTansy (12 t), Old Regret (9.5 t) and\nWren (7 t)\nDay: 4 June\nHeron (3 t)\n"),
    ("what no label claims, kept", "--label No --unclaimed column", "No: 1\nseen by the keeper\nNo: 2\n"),
]  # fmt: skip


#: What is done to a table in the end.
CLEANS = [
    ("numbers by example", "--number 'Toll=1.234,56' --number 'Tons=(1,234.5)'", "Boat;Toll;Tons\nTansy;1.204,50;12.5\nWren;-2;(3.25)\n"),
    ("units beside numbers", "--number 'Toll=4,50 EUR' --currency column", "Boat;Toll\nTansy;4,50 EUR\nWren;USD 3,20\n"),
    ("dates by example, several in turn", "--date 'Day=31.12.24|31 Dec 2024'", "Day\n01.02.31\n3 June 2031\n31.02.31\n"),
    ("times of day", "--date 'At=31.12.2024 14:56' --date-mark T", "At\n13.02.2031 7:05\n"),
    ("marks and quotes", "--strip 'Boat=*†' --take-out 'Lock=~' --unquote", "Boat;Lock\n*Tansy*;Or~rin\nWren†;«Lamb»\n"),
    ("spellings", "--replace 'Lock:Top Lk=Top Lock' --letters Boat=initials --one-space", "Boat;Lock\nOLD  regret;Halden Top Lk\n"),
    ("values that hold for the records below", "--carry Reach,Lock", "Reach;Lock;Boat\nHalden;Top;Tansy\n;;Wren\nOrrin;;Coot\n;Weir;Rook\n"),
    ("repeats", "--drop-repeats --ignore-case --ignore-spacing", "No;Boat\n1;Old Regret\n1;OLD  REGRET\n2;Wren\n"),
    ("records that are none", "--drop-records 3 --drop-matching 'Sum{any}'", "Boat;Toll\nTansy;1\nseen by the keeper;\nSum;1\n"),
    ("a cell by hand", "--fix '3:Toll=3.50'", "Boat;Toll\nTansy;1.20\nWren;3.5O\n"),
    ("columns", "--rename 'Sum=Toll' --without Page --column-order No", "Boat;Sum;Page;No\nTansy;1;7;12\n"),
    ("order", "--number Toll=1.5 --sort=-Toll,Boat", "Boat;Toll\nWren;9\nTansy;10\nCoot;9\n"),
]  # fmt: skip

#: A pile of mails, as programs for mail keep it.
PILE = """\
From MAILER Tue Jun  3 08:55:00 2031
From: Mooring Office <moorings@halden-orrin.example>
Date: Tue, 3 Jun 2031 08:55:00 +0100
Subject: =?utf-8?q?Your_permit_f=C3=BCr_Tansy?=
Content-Type: text/plain; charset="iso-8859-1"
Content-Transfer-Encoding: quoted-printable

Gr=FC=DFe, your permit is below.

Permit no: MP-0204
Holder: B=F6ll Dunmore
Boat: Tansy   Berth: A10

Berth: is on the left bank, as ever.
Yours, the office

From MAILER Wed Jun  4 09:50:00 2031
From: Mooring Office <moorings@halden-orrin.example>
Date: Wed, 4 Jun 2031 09:50:00 +0100
Subject: Your permit
 for Heron
MIME-Version: 1.0
Content-Type: multipart/mixed; boundary="X"

--X
Content-Type: text/html

<p>Good day,<table><tr><td>Permit no:<td>MP-0207<tr><td>Holder:<td>Ruth Pell<tr><td>Boat:<td>Heron</table>
--X
Content-Type: text/csv
Content-Disposition: attachment; filename="berths.csv"

Berth;Toll
A10;4,50
B4;3,00
--X--

"""
PULLED = "--label 'mail.date as sent' --label 'mail.subject as about' --label 'Permit no' --label Holder --label Boat --label Berth --blocks mail"
#: A short text of each kind that a draft finds by itself.
FOUND = [
    ("a mark between fields", "boat;lock;toll\nTansy;Orrin;4.50\nHeron;Mill Reach;3.00\nWren;Weir;1.50\n"),
    ("a column that takes what is too much", "Permits for the basin\n\nTansy, Orrin Basin, coal, 4.50\nHeron Wake, Halden Top, slate, 12.25\nOld Regret, Lamb Lock, lime, burnt, 3.00\nWren, Weir Gate, coal, 7.75\nMother Carey, Orrin Basin, timber, oak, 11.00\nPlover, Lamb Lock, coal, 2.50\nCoot, Orrin Basin, slate, 8.25\nTwo Sisters, Weir Gate, lime, burnt, 6.00\nRook, Halden Top, coal, 4.75\nTeal, Lamb Lock, slate, 5.50\n"),
    ("columns of blanks, cells wrapped in them", "Ref   Work                     Due\n3.1   Mend the gate by the     28 March\n      upper lock\n3.2   Paint the bridge         11 April\n3.4   Order seed for the       2 May\n      keeper's garden, and\n      tools\n3.7   Clear the weir           9 May\n"),
    ("lines at the margin over indented records", "3 May\n  10:00   Sweeping the quay        at the pump     free\n  16:30   Draughts, all ages       small hall      50 p\n\n5 May\n  19:00   Choir                    large hall      free\n  20:30   Wireless club            attic           by list\n\n9 May\n  12:00   Band                     bandstand       free\n  14:00   Tea                      yard            20 p\n"),
    ("single blanks, names between figures", "18% Fenny Hythe 025 Dora Marsh 2,581.56\n74% Orrin 015 Ben Sedge 1,460.31\n41% Fenny Hythe 060 Una Vole 8,550.27\n24% Upper Sallow 476 Jory van der Reed 4,292.79\n97% Ash-on-Reach 546 Piers Bray 7,100.09\n10% Halden 296 Wherry 7,805.74\n49% Mere End 001 Ed Brack 8,465.00\n3% Stoke Withy 157 Tom Vole 5,766.04\n53% Long Quay 042 Anna Mire 1,175.46\n45% Halden 117 Mire 6,355.52\n34% Orrin 037 Hester Rush 6,699.52\n"),
    ("blocks of labels", "Permit no: MP-0204\nHolder: A. Dunmore\nFee: 27.00\n\nPermit no: MP-0207\nHolder: Ruth Pell\nFee: 44.00\n\nPermit no: MP-0211\nHolder: P. Quill\nFee: 19.50\n"),
    ("the same text around every record", "Brindle passed Sallow Bridge with 14.5 tons of lime and paid 2.03.\nWren passed Lamb Lock with 20.5 tons of brick and paid 13.90.\nOld Regret passed Pitchford with 7.0 tons of coal and paid 4.45.\nTansy passed Weir Gate with 11.5 tons of salt and paid 6.10.\n"),
    ("the value first, and in brackets what it is", "".join(f"{boat} (boat)\n{keeper} (keeper)\n{goods} (goods)\n{toll} (toll)\n\n" for boat, keeper, goods, toll in (("Mother Carey", "A. Dunmore", "salt", "2.54"), ("Tansy", "Ruth Pell", "grain", "3.23"), ("Teal", "Ida Marsh", "coal", "7.80"), ("Old Regret", "Tom Sedge", "lime", "1.05"), ("Wren", "Ruth Pell", "salt", "9.15"), ("Coot", "P. Quill", "brick", "4.40"), ("Grey Lady", "A. Dunmore", "coal", "12.75")))),
    ("a cell a line", "LK-412\nTansy\n4.50\nLK-415\nHeron Wake\n12.25\nLK-418\nOld Regret\n3.00\nLK-421\nWren\n7.75\nLK-424\nPlover\n2.50\n"),
    ("records that begin alike and go on below", "LK-412; Tansy; paid in coin at the gate,\none rope left as pledge\nLK-415; Heron Wake; waited two hours\nfor water\nLK-418; Old Regret; empty on return, see\nthe letter of 3 June\nLK-421; Wren; late\nMP-007; Plover; held at the stop lock,\nthen let go\n"),
    ("everything on one line", "LK-412 | Tansy | 4.50 || LK-415 | Heron Wake | 12.25 || LK-418 | Old Regret | 3.00 || LK-421 | Wren | 7.75 || LK-424 | Plover | 2.50 ||\n"),
    ("a leader up to the margin", "Mooring for a night ......... 4.50\nWinter berth ............... 27.00\nWater at the quay ........... 1.25\nUse of the crane ............ 9.00\n"),
    ("days printed once", "Day         Boat          Toll\n02.06.2031  Tansy         4.50\n            Heron Wake   12.25\n            Wren          3.00\n03.06.2031  Plover        7.75\n            Coot         11.00\n05.06.2031  Rook          2.50\n            Teal          8.25\n"),
    ("a tree that is drawn", "PATH                 SIZE  OWNER\n/                    12.0  root\n├─/locks              4.5  keeper\n│ ├─/locks/orrin      1.5  keeper\n│ │ └─/locks/orrin/1  0.5  keeper\n│ └─/locks/lamb       3.0  keeper\n│   └─/locks/lamb/2   1.0  keeper\n├─/boats              2.5  keeper\n└─/tolls              7.5  office\n  ├─/tolls/2031       4.5  office\n  └─/tolls/2032       3.0  office\n"),
    ("entries with numbers that rise", "Rules of the basin\n\n[1] Berths: no boat lies over the water hydrant, and none\nin the mouth of the dock after dusk.\n[2] Fires: stoves are out before the keeper goes home, the\nlamp at the stern is not.\n\n1\n\n[3] Ropes: every rope is the owner's; what is left on the\nquay for three days goes to the store. The keeper writes it\ndown.\n[4] Dogs: on a lead, on board or ashore.\n[5] Water: from the pump by the store, and not from the\nhydrant. Buckets are lent.\n[6] Tolls: paid before the gate is opened, by the keeper's\nlist, which hangs at the door.\n\n2\n"),
    ("signs that tell the level", "What is to be done\n\n• Upper gate\n   – Paint\n      › Scrape the beam, and the\n        balance beam too\n      › Two coats of black\n   – Hinges\n      › Grease\n• Basin\n   – Chains\n      › Count them\n      › Renew the third\n"),
    ("lines that are indented under headings, with a field that may be missing", "Dinner on the twelfth, final list.\n(what stands behind the dash is for the kitchen)\n\nTable by the door\n   Hester Quill – no fish\n   Piers Vole\n   Una Marsh – no nuts, and no honey\n   Dora Brack\n\nTable by the stove\n   Tom Coot – no milk\n   Ida Reed\n   Ben Sedge\n   Col Plover – eats all, twice\n\nTable in the hall\n   Jory Teal\n   Zoë Wren – no wheat\n   Anna Rook – no pork\n"),
    ("a log whose messages go on below", "2031-06-02 08:08:11,601 - INFO - orrin.gate - gate 2 shut\n    level 3.4 m\n2031-06-02 08:19:15,463 - WARN - orrin.gauge - upper gauge - no answer\n    last value 5.9 m at 08:10\n    next try in 75 s\n2031-06-02 08:32:29,405 - INFO - office.mail - 6 notices sent\n2031-06-02 08:33:35,279 - INFO - orrin.gate - gate 1 open\n    level 3.1 m\n2031-06-02 08:52:28,509 - WARN - orrin.lamps - main lamp out - spare lamp on\n2031-06-02 09:00:09,868 - INFO - office.mail - 2 notices sent\n"),
    ("pages whose columns move", "Stores of the Orrin office\n\n  Item          Kept at        Count\n\n  Rope          Sallow Bridge     12\n  Lamp oil      Weir Gate          4\n  Chain         Lamb Lock          7\n\n                    - 1 -\n\n  Item             Kept at     Count\n\n  Boat hook        Weir Gate       9\n  Balance beam     Lamb Lock       1\n  Bucket           Orrin          15\n\n                    - 2 -\n"),
]  # fmt: skip

#: What is typed on the page of mails, and whether the account belongs to it.
TYPED = [
    (f"pull pile.mbox {PULLED} -o permits.csv --label-counts", True),
    (f"pull pile.mbox {PULLED} --format csv", False),
    ("rebuild pile.mbox --part berths.csv --format csv", False),
]


def run_typed(words: str, *, with_account: bool) -> str:
    """Return what a command prints of the pile of mails: the account, or the table."""
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "pile.mbox").write_bytes(PILE.encode())
        command = [sys.executable, "-m", "wetcomb", *shlex.split(words)]
        done = subprocess.run(command, cwd=folder, capture_output=True, check=False)
        if done.returncode:
            raise SystemExit(f"{words}: {done.stderr.decode()}")
        told = done.stderr if with_account else done.stdout
        return "".join(f"{line.rstrip()}\n" for line in told.decode().splitlines())


def list_typed() -> Iterator[tuple[str, str]]:
    """Yield the marks of the page of mails and what stands between them."""
    yield "pile", f"```text\n{PILE}```"
    for number, (words, with_account) in enumerate(TYPED, 1):
        shown = (
            words.replace(" --label ", " \\\n        --label ", 1)
            if " --label " in words
            else words
        )
        printed = run_typed(words, with_account=with_account)
        yield f"typed-{number}", f"    wetcomb {shown}\n\n```text\n{printed}```"


def run_example(options: str, text: str, command: str = "split paste.txt") -> str:
    """Return the table the program makes of a text, as it prints it."""
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "paste.txt").write_text(text, encoding="utf-8")
        words = [sys.executable, "-m", "wetcomb", *shlex.split(f"{command} {options}")]
        done = subprocess.run([*words, "--quiet"], cwd=folder, capture_output=True, check=False)
        if done.returncode:
            raise SystemExit(f"{options}: {done.stderr.decode()}")
        return done.stdout.decode()


def list_examples(examples: list[tuple[str, str, str]], command: str) -> Iterator[str]:
    """Yield a page of examples, one after another."""
    for title, options, text in examples:
        yield f"### {title[0].upper()}{title[1:]}\n"
        yield f"    wetcomb {f'{command} {options}'.strip()}\n"
        shown = text.replace("\f", "␌")
        yield f"```text\n{shown}```\n"
        yield f"```text\n{run_example(options, text, command)}```\n"


def list_found() -> Iterator[str]:
    """Yield what a draft finds in each kind of text: the text, the steps with the evidence, the table."""
    for title, text in FOUND:
        comb = wetcomb.draft(text)
        steps = " + ".join(type_steps(comb.steps)).partition(" ")
        command = " ".join(["wetcomb", steps[0], "paste.txt", *type_part(comb.part), steps[2]])
        table = run_example("--format csv", text, "rebuild paste.txt")
        yield f"### {title[0].upper()}{title[1:]}\n"
        yield f"```text\n{text}```\n"
        yield "\n".join(f"- {note}" for note in comb.notes if not note.startswith("Next best"))
        yield f"\n    {command}\n\n```text\n{table}```\n"


def run_rebuild(name: str, n_lines: int) -> str:
    """Return the first lines of what `rebuild` makes of a text of the demo, by itself."""
    text = (ROOT / "src" / "wetcomb" / "demo" / name).read_text(encoding="utf-8")
    lines = run_example("--format csv", text, "rebuild paste.txt").splitlines(keepends=True)
    return "".join(lines[:n_lines])


def make_parts() -> dict[tuple[str, str], str]:
    """Return what stands between the marks of each page, by page and mark."""
    notices = (ROOT / "src" / "wetcomb" / "demo" / "notices.txt").read_bytes()
    comb = wetcomb.render_comb(wetcomb.draft(notices, encoding="utf-8"))
    reasons = "\n".join(f"| `{name}` | {what} |" for name, what in DROPS.items())
    snags = "\n".join(
        f"| `{kind.name}` | {kind.odd} | {kind.done} | {kind.settle} |" for kind in SNAGS
    )
    doubts = "\n".join(f"| `{kind.name}` | {kind.about} | {kind.settle} |" for kind in DOUBTS)
    shapes = "\n".join(f"| `{name}` | {shape.example} |" for name, shape in SHAPES.items())
    costs = "\n".join(f"| {cost.cost} | {cost.what} |" for cost in COSTS.values())
    return {
        ("realigning.md", "costs"): f"| cost | for |\n| --- | --- |\n{costs}",
        ("ledger.md", "reasons"): reasons,
        ("snags.md", "snags"): snags,
        ("doubts.md", "doubts"): doubts,
        ("comb-file.md", "example"): f"```toml\n{comb}```",
        ("patterns.md", "shapes"): shapes,
        ("cuts.md", "cuts"): "\n".join(list_examples(CUTS, "split paste.txt")),
        ("cleaning.md", "cleans"): "\n".join(
            list_examples(CLEANS, "clean paste.txt --read semicolon")
        ),
        ("labels.md", "labels"): "\n".join(list_examples(LABELS, "pull paste.txt")),
        ("mails.md", "pasted"): f"```text\n{run_rebuild('permits.txt', 4)}```",
        **{("mails.md", mark): text for mark, text in list_typed()},
        ("found.md", "found"): "\n".join(list_found()),
        ("cuts.md", "chains"): "\n".join(list_examples(CHAINS, "")),
    }


def fill(page: str, mark: str, text: str) -> str:
    """Return a page with the text between its marks."""
    head, _, rest = page.partition(f"<!-- {mark} -->\n")
    _, _, tail = rest.partition(f"<!-- /{mark} -->")
    return f"{head}<!-- {mark} -->\n{text.rstrip()}\n<!-- /{mark} -->{tail}"


def main() -> None:
    """Write the pages, or check them."""
    stale = []
    for (name, mark), text in make_parts().items():
        path = DOCS / name
        page = path.read_text(encoding="utf-8")
        filled = fill(page, mark, text)
        if filled != page and "--check" in sys.argv:
            stale.append(name)
        elif filled != page:
            path.write_text(filled, encoding="utf-8")
    if stale:
        raise SystemExit(f"out of date: {', '.join(stale)}; run python scripts/make_pages.py")


if __name__ == "__main__":
    main()
