"""The sheet: one page with the source as it was pasted beside its table, to be held against the paper.

It needs no script to be read, and nothing from outside. Each value is a link to its cell and each
cell one to its place, so that a keyboard does what pointing does; a tint and a small number tell the
column, and what left is struck and says why, so that nothing hangs on colour.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from wetcomb.core.ledger import DROPS
from wetcomb.core.sheet import Sheet, SheetLine, SheetPiece, SheetRow
from wetcomb.views.blocks import Block
from wetcomb.views.html import draw_blocks, draw_text

__all__ = ["Section", "build_sheet"]

_TINTS, _ODD = 8, 12

#: A heading of the page, and what stands under it.
Section = tuple[str, Sequence[Block]]


def build_sheet(
    sheet: Sheet,
    title: str,
    first: Sequence[Block],
    sections: Sequence[Section],
    comb: str,
    doubted: Mapping[int, str],
) -> str:
    """Return the page.

    Parameters
    ----------
    title : what the page is about
    first : what stands above the source and the table
    sections : what stands below them
    comb : the text of the comb
    doubted : lines that speak against the whole, and the doubt that says so
    """
    odd = {**doubted, **{row.line: row.odd for row in sheet.rows if row.odd}}
    shown = {(row.row, column) for row in sheet.rows for column in range(len(row.cells))}
    told = set[tuple[int, int]]()
    lines = "".join(_draw_line(line, odd, shown, told) for line in _mark_gaps(sheet.lines))
    parts = [
        f"<h1>{draw_text(title)}</h1>",
        draw_blocks(first),
        _tell_odd(odd),
        _tell_part(sheet),
        '<div class="beside"><section aria-label="the source"><h2>the source</h2>',
        f"<div class=source>{lines}</div></section>",
        '<section aria-label="the table"><h2>the table</h2>',
        "".join(_draw_table(sheet, told)),
        "</section></div>",
        _explain(sheet),
        *(f"<h2>{draw_text(name)}</h2>{draw_blocks(blocks)}" for name, blocks in sections),
        f"<h2>the comb</h2><pre>{_draw_text_lines(comb)}</pre>",
    ]
    body = "\n".join(filter(None, parts))
    return (
        f'<!DOCTYPE html>\n<html lang="en"><head><meta charset="utf-8"><title>{draw_text(title)}</title>'
        f'<meta name="viewport" content="width=device-width, initial-scale=1"><style>{_STYLE}</style></head>'
        f"<body><main>{body}</main><script>{_SCRIPT}</script></body></html>\n"
    )


def _draw_text_lines(text: str) -> str:
    """Return lines that are safe in a page."""
    return "\n".join(draw_text(line) for line in text.split("\n"))


def _tell_odd(odd: Mapping[int, str]) -> str:
    """Return the first lines that are odd, each a link to where it stands."""
    if not odd:
        return ""
    shown = sorted(odd)[:_ODD]
    links = ", ".join(
        f'<a href="#L{line}">line {line}</a> {draw_text(odd[line])}' for line in shown
    )
    more = f" and {len(odd) - _ODD:,} more" if len(odd) > _ODD else ""
    return f'<p class="odds snag">look at: {links}{more}</p>'


def _tell_part(sheet: Sheet) -> str:
    if sheet.is_whole:
        return ""
    said = (
        f"Shown in part: {len(sheet.lines):,} of {sheet.n_lines:,} lines and {len(sheet.rows):,} of"
        f" {sheet.n_records:,} records: the head, the tail, and what is odd with the lines around it."
    )
    return f"<p class=part>{said}</p>"


def _mark_gaps(lines: Sequence[SheetLine]) -> Iterator[SheetLine | int]:
    """Yield lines, and how many are not shown where some are not."""
    last = 0
    for line in lines:
        if line.number > last + 1:
            yield line.number - last - 1
        yield line
        last = line.number


def _draw_line(
    line: SheetLine | int,
    odd: dict[int, str],
    shown: set[tuple[int, int]],
    told: set[tuple[int, int]],
) -> str:
    if isinstance(line, int):
        return f"<div class=gap>… {line:,} line{'s' * (line != 1)} not shown</div>"
    text = "".join(_draw_piece(piece, shown, told) for piece in line.pieces)
    reasons = dict.fromkeys(p.reason for p in line.pieces if p.kind == "drop")
    has_cell = any(p.kind in ("cell", "rest", "name") for p in line.pieces)
    whole = (
        [] if has_cell else [reason for reason in reasons if reason not in ("line-end", "spacing")]
    )
    why = f"<em>{draw_text(', '.join(whole).replace('-', ' '))}</em> " if whole else ""
    more = f" <em>… {line.n_more:,} more characters</em>" if line.n_more else ""
    snag = odd.get(line.number, "")
    said = f" <strong>{draw_text(snag)}</strong>" if snag else ""
    return f'<div class="l{" odd" if snag else ""}" id="L{line.number}"><i>{line.number}</i>{why}<code>{text}</code>{more}{said}</div>'


def _draw_piece(piece: SheetPiece, shown: set[tuple[int, int]], told: set[tuple[int, int]]) -> str:
    raw = piece.text.rstrip("\r\n")
    if not raw:
        return ""
    text = draw_text(raw)
    if piece.kind == "drop":
        kind = " class=blank" if not raw.strip() else ""
        return f'<s{kind} title="{draw_text(piece.reason)}: {draw_text(DROPS.get(piece.reason, ""))}">{text}</s>'
    if piece.kind == "name":
        return f'<b class="n c{piece.column % _TINTS}" data-c="{piece.column + 1}">{text}</b>'
    if piece.kind == "plain":
        return text
    key = piece.row, piece.column
    name = f"{piece.row + 1}-{piece.column + 1}"
    place = "" if key in told else f' id="s{name}"'
    told.add(key)
    tint = f'class="c{piece.column % _TINTS}" data-c="{piece.column + 1}"'
    if key not in shown:
        return f"<span {tint}{place}>{text}</span>"
    return f'<a {tint}{place} href="#t{name}" title="record {piece.row + 1}, column {piece.column + 1}">{text}</a>'


def _draw_table(sheet: Sheet, told: set[tuple[int, int]]) -> Iterator[str]:
    names = [*sheet.names, *["rest"] * sheet.has_rest]
    heads = "".join(
        f'<th scope=col><b class="c{k % _TINTS}" data-c="{k + 1}">{draw_text(name)}</b></th>'
        for k, name in enumerate(names)
    )
    odd_head = "<th scope=col>snag</th>" if any(row.odd for row in sheet.rows) else ""
    yield f'<div class=wide><table class="records"><thead><tr><th scope=col>line</th>{heads}{odd_head}</tr></thead><tbody>'
    last = -1
    for row in sheet.rows:
        if row.row > last + 1:
            number = row.row - last - 1
            yield f"<tr class=gap><td colspan={len(names) + 1 + bool(odd_head)}>… {number:,} record{'s' * (number != 1)} not shown</td></tr>"
        yield _draw_row(row, told, has_odd=bool(odd_head))
        last = row.row
    if sheet.n_records > last + 1:
        yield f"<tr class=gap><td colspan={len(names) + 1}>… {sheet.n_records - last - 1:,} not shown</td></tr>"
    yield "</tbody></table></div>"


def _draw_row(row: SheetRow, told: set[tuple[int, int]], *, has_odd: bool) -> str:
    cells = []
    for column, value in enumerate(row.cells):
        name = f"{row.row + 1}-{column + 1}"
        text = '<span class="faint">∅</span>' if value is None else draw_text(value)
        is_there = (row.row, column) in told
        cells.append(
            f'<td><a id="t{name}" href="#s{name}">{text}</a></td>'
            if is_there
            else f'<td id="t{name}">{text}</td>'
        )
    odd = f"<td class=snag>{draw_text(row.odd)}</td>" if has_odd else ""
    kind = " class=odd" if row.odd else ""
    return f'<tr{kind}><th scope=row><a href="#L{row.line}">{row.line}</a></th>{"".join(cells)}{odd}</tr>'


def _explain(sheet: Sheet) -> str:
    """Return what the marks mean, and why text was left out."""
    seen = dict.fromkeys(p.reason for line in sheet.lines for p in line.pieces if p.kind == "drop")
    reasons = "; ".join(f"{reason}: {DROPS.get(reason, '')}" for reason in seen)
    names = [*sheet.names, *["rest"] * sheet.has_rest]
    columns = " ".join(
        f'<b class="c{k % _TINTS}" data-c="{k + 1}">{draw_text(name)}</b>'
        for k, name in enumerate(names)
    )
    return (
        f"<p class=key>A value has the tint and the small number of its column: {columns}. "
        f"<s>What was left out is struck</s>: {draw_text(reasons)}. A framed line or row does not fit. "
        "Point at a value or follow it to see its cell; a cell leads back to its place.</p>"
    )


_STYLE = """
:root{color-scheme:light dark;--ink:#1b1f24;--page:#fff;--faint:#5a6370;--line:#c9d0d8;--snag:#8a3b00;--good:#1c6b33;--bad:#a3122b;--on:#ffd54a;--onink:#1b1f24;
--t0:#d6e6ff;--t1:#d9f2d9;--t2:#ffe3cf;--t3:#efdcfb;--t4:#fff1b8;--t5:#cfeff2;--t6:#fbd8e3;--t7:#e4e4d0}
@media (prefers-color-scheme:dark){:root{--ink:#e8ebef;--page:#14181d;--faint:#a3adb8;--line:#3a434d;--snag:#ffb37a;--good:#8fdba3;--bad:#ff9aa8;--on:#f2c230;--onink:#14181d;
--t0:#1f3a5f;--t1:#1f4a2c;--t2:#5a3518;--t3:#442a5a;--t4:#4d430f;--t5:#174a50;--t6:#56243a;--t7:#3f3f2a}}
*{box-sizing:border-box}body{margin:0;background:var(--page);color:var(--ink);font:15px/1.45 system-ui,sans-serif}
main{padding:1rem 1.25rem}h1{font-size:1.25rem;margin:0 0 .5rem}h2{font-size:1.05rem;margin:1.2rem 0 .4rem}h3{font-size:.95rem;margin:.9rem 0 .3rem}
.beside{display:grid;grid-template-columns:minmax(0,1fr) minmax(0,1fr);gap:1.25rem}.source,.wide{max-height:75vh;overflow:auto;border:1px solid var(--line)}
pre,code,.source{font:13px/1.9 ui-monospace,monospace}pre{white-space:pre-wrap;border:1px solid var(--line);padding:.5rem;margin:0}
.l{white-space:pre;padding:0 .4rem;border:1px solid transparent}.l i{display:inline-block;width:4.5ch;text-align:right;margin-right:1ch;color:var(--faint);font-style:normal;user-select:none}
.l.odd{border-color:var(--snag)}.l strong,.snag{color:var(--snag);font-weight:600}.l em{color:var(--faint)}.gap{color:var(--faint);padding:.2rem .6rem;font-style:italic}
s{color:var(--faint)}s.blank{text-decoration:none}a{color:inherit;text-decoration:none}.faint{color:var(--faint)}.good{color:var(--good)}.bad{color:var(--bad);font-weight:600}.strong{font-weight:600}.cut{font-weight:600}
[data-c]{border-bottom:2px solid var(--faint);position:relative}[data-c]::before{content:attr(data-c);position:absolute;left:0;top:-7px;font:700 8px/1 system-ui,sans-serif;color:var(--ink)}
.c0{background:var(--t0)}.c1{background:var(--t1)}.c2{background:var(--t2)}.c3{background:var(--t3)}.c4{background:var(--t4)}.c5{background:var(--t5)}.c6{background:var(--t6)}.c7{background:var(--t7)}
table{border-collapse:collapse;font-size:14px}td,th{border:1px solid var(--line);padding:.15rem .45rem;text-align:left;vertical-align:top}
.records thead th{padding-top:.55rem;position:sticky;top:0;background:var(--page)}.records{font-size:13px;width:max-content}.records td{white-space:pre-wrap;max-width:36ch;overflow-wrap:anywhere}.records th{white-space:nowrap}.odds a{text-decoration:underline}tr.odd>*{border-top:2px solid var(--snag);border-bottom:2px solid var(--snag)}
.facts th{border:0;text-align:right;font-weight:400;color:var(--faint);white-space:nowrap}.facts td{border:0}
:target,.on{background:var(--on)!important;color:var(--onink)!important;outline:2px solid var(--onink)}:target .faint,.on .faint{color:var(--onink)}a:focus-visible{outline:3px solid var(--ink)}
@media (max-width:900px){.beside{grid-template-columns:minmax(0,1fr)}}
@media print{.source,.wide{max-height:none;overflow:visible;border:0}.beside{display:block}.l{white-space:pre-wrap}body{font-size:11px}*{print-color-adjust:exact;-webkit-print-color-adjust:exact}}
"""

_SCRIPT = """
(function(){var lit=[];
function off(){lit.forEach(function(e){e.classList.remove("on")});lit=[]}
function find(a){var h=a&&a.getAttribute("href");return h&&h.charAt(0)==="#"?document.getElementById(h.slice(1)):null}
function on(e){off();var a=e.target.closest&&e.target.closest("a[href]");var other=find(a);if(!other)return;
lit=[a,other];lit.forEach(function(n){n.classList.add("on")});
if(e.type==="focusin"||a.closest(".records"))show(other)}
function show(n){var box=n.closest(".source,.wide");if(!box)return;var r=n.getBoundingClientRect(),b=box.getBoundingClientRect();
if(r.top<b.top+30||r.bottom>b.bottom)box.scrollTop+=r.top-b.top-box.clientHeight/2}
document.addEventListener("mouseover",on);document.addEventListener("focusin",on);
document.addEventListener("keydown",function(e){if(e.key==="Escape")off()});})();
"""
