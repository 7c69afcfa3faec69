"""The account after a run: what a colleague would say."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from wetcomb.core.inspection import RUNNERS_UP
from wetcomb.core.ledger import DROPS, LINE_DROPS, PUT_IN, REPEATED
from wetcomb.core.moves import Move
from wetcomb.core.report import Example, Report
from wetcomb.core.snags import SNAGS, SnagKind
from wetcomb.views.blocks import Block, Fact, Styled, make_visible
from wetcomb.views.doubts import build_doubts

__all__ = ["RunFacts", "build_account", "find_advice"]

_EXCERPT = 70
_NAMES, _NAME = 8, 30
_NOTES, _DROPS, _KINDS = 3, 3, 4  # of each that a short account tells
_MORE = "--account full tells all"


class RunFacts(msgspec.Struct, frozen=True):
    """What the shell knows and the report does not.

    Attributes
    ----------
    source : what was read, with its encoding
    notes : what was settled, with the evidence
    written : where the output went
    next_command : what keeps the comb, where none was given
    input_name, output_name : the files as they are typed, for commands
    is_full : whether all of it is told; else what a person needs to see that all is well
    """

    source: str
    notes: Sequence[str] = ()
    written: Sequence[str] = ()
    next_command: str = ""
    input_name: str = ""
    output_name: str = ""
    is_full: bool = False


def build_account(report: Report, told: RunFacts) -> list[Block]:
    """Return the account, a fact a line."""
    facts = build_doubts(report.doubts, told.input_name, told.output_name)
    if report.is_text:
        facts = []  # there is no table to be sure of
    facts += [
        Fact(
            "read",
            [
                Styled(
                    f"{told.source}: {_count(report.lines, 'line')}, {_number(report.ledger.source)} characters"
                )
            ],
        )
    ]
    is_full = told.is_full
    notes = [note for note in told.notes if is_full or not note.startswith(RUNNERS_UP)]
    facts += _cut_short("settled", [[Styled(note)] for note in notes], is_full or _NOTES)
    facts.append(_tell_records(report))
    facts += _tell_names(report)
    facts += _cut_short("left out", _tell_drops(report), is_full or _DROPS)
    facts += _tell_totals(report)
    facts += _tell_moves(report)
    facts += _tell_snags(report, is_full=is_full)
    facts += [Fact("must", [Styled(said, "bad")]) for said in report.broken]
    facts += _cut_short("note", [[Styled(note)] for note in report.notes], is_full or _NOTES)
    facts.append(_tell_ledger(report, is_full=is_full))
    facts += [
        Fact("written" if not place else "", [Styled(where)])
        for place, where in enumerate(told.written)
    ]
    if told.next_command:
        facts.append(Fact("to keep", [Styled(told.next_command, "strong")]))
    return list(facts)


def _cut_short(label: str, told: Sequence[Sequence[Styled]], most: int | bool) -> list[Fact]:
    """Return facts of one label, the first few of them if there are more by two at least."""
    number = len(told) if most is True or len(told) <= most + 1 else most
    facts = [Fact("" if place else label, parts) for place, parts in enumerate(told[:number])]
    if number < len(told):
        facts.append(Fact("", [Styled(f"and {len(told) - number} more; {_MORE}", "faint")]))
    return facts


def _tell_records(report: Report) -> Fact:
    if report.is_text:
        return Fact("lines", [Styled(_count(report.records, "line"), "strong")])
    names = [_clip(make_visible(name), _NAME) for name in report.names[:_NAMES]]
    shown = ", ".join(names)
    if len(report.names) > _NAMES:
        shown += f" and {len(report.names) - _NAMES} more"
    if report.rests:
        shown += ", rest"
    columns = _count(len(report.names) + bool(report.rests), "column")
    return Fact(
        "records",
        [Styled(_count(report.records, "record"), "strong"), Styled(f" of {columns}: {shown}")],
    )


def _tell_names(report: Report) -> list[Fact]:
    if not report.renamed:
        return []
    said = ", ".join(
        f"{old!r} is now {new!r}" if old else f"one without a name is now {new!r}"
        for old, new in report.renamed[:_NAMES]
    )
    if len(report.renamed) > _NAMES:
        said += f" and {len(report.renamed) - _NAMES} more"
    return [Fact("headings", [Styled(said)])]


def _tell_drops(report: Report) -> list[list[Styled]]:
    told: list[list[Styled]] = []
    for reason in LINE_DROPS:
        number = report.dropped_lines[reason]
        if not number:
            continue
        example = report.drop_examples[reason][0]
        which = "the first of them is " if number > 1 else ""
        said = f"{_count(number, _LINE_NOUNS[reason])}: {which}{_place(example)}"
        parts = [Styled(said)]
        if example.text.strip():
            parts += [Styled(": "), Styled(_excerpt(example), "faint")]
        told.append(parts)
    if report.outside_lines:
        said = f"{_count(report.outside_lines, 'line')} outside the part that was asked for"
        told.append([Styled(said)])
    for reason in _TOLD_DROPS:
        number = report.ledger.dropped[reason]
        if number:
            told.append([Styled(f"{_count(number, 'character')}: {DROPS[reason]}")])
    return told


def _tell_totals(report: Report) -> list[Fact]:
    agreeing, odd = report.totals
    if not agreeing + odd:
        return []
    said = [
        Styled(f"{_count(agreeing, 'figure')} of total lines agree{'s' * (agreeing == 1)}", "good")
    ]
    if odd:
        said.append(Styled(f"; {_number(odd)} {'does' if odd == 1 else 'do'} not", "bad"))
    facts = [Fact("totals", said)]
    for seen in report.total_examples:
        for name, printed, summed, agrees in seen.figures:
            if not agrees:
                text = f"  line {seen.line}: {name} printed {printed}, the records give {summed}: "
                facts.append(
                    Fact(
                        "",
                        [Styled(text), Styled(_clip(make_visible(seen.text), _EXCERPT), "faint")],
                    )
                )
    return facts


def _tell_moves(report: Report) -> list[Fact]:
    if not report.moved:
        return []
    number = _count(report.moved, "record")
    facts = [Fact("moved", [Styled(number, "strong"), Styled(": cells put under other columns")])]
    shown: dict[str, Move] = {}
    for move in report.moves[:3]:
        shown.setdefault(move.reason, move)
    for move in shown.values():
        where = _place(Example(move.first_line, move.last_line, "", move.source))
        facts.append(Fact("", [Styled(f"  {where}: {make_visible(move.reason)}")]))
    if report.moved > 1 and report.keep_moves <= 3:
        facts.append(Fact("", [Styled("  --moves lists them all, before and after")]))
    return facts


def _tell_snags(report: Report, *, is_full: bool) -> list[Fact]:
    if not report.snags:
        if report.doubts or report.is_text:
            return [Fact("snags", [Styled("none")])]
        return [Fact("snags", [Styled("none: every record fits", "good")])]
    facts = [
        Fact(
            "snags",
            [
                Styled(
                    f"{_count(report.snagged_records, 'record')} of {_number(report.records)} {'does' if report.snagged_records == 1 else 'do'} not fit",
                    "snag",
                )
            ],
        )
    ]
    kinds = [kind for kind in SNAGS if kind.name in report.snags]
    shown = kinds if is_full or len(kinds) <= _KINDS + 1 else kinds[:_KINDS]
    for kind in shown:
        facts += _tell_snag(report, kind, 2 if is_full else 1)
    if len(shown) < len(kinds):
        facts.append(
            Fact("", [Styled(f"and {len(kinds) - len(shown)} other kinds; {_MORE}", "faint")])
        )
    return facts


def _tell_snag(report: Report, kind: SnagKind, n_examples: int) -> list[Fact]:
    number = report.snags[kind.name]
    facts = [
        Fact(
            "",
            [
                Styled(f"{_number(number)} {kind.name}", "snag"),
                Styled(f": {kind.odd}; {kind.done}"),
            ],
        )
    ]
    for example in report.snag_examples[kind.name][:n_examples]:
        facts.append(
            Fact("", [Styled(f"  {_place(example)}: "), Styled(_excerpt(example), "faint")])
        )
        facts += [
            Fact("", [Styled(f"    {make_visible(doubt.reason)}")])
            for doubt in report.unread
            if kind.name == "wrong-place"
            and (doubt.first_line, doubt.source) == (example.first_line, example.source)
        ]
    facts.append(Fact("", [Styled(f"  to settle: {find_advice(report, kind)}")]))
    return facts


def find_advice(report: Report, kind: SnagKind) -> str:
    """Return the option that would settle most snags of a kind, as far as one was tried."""
    tried = [
        (*found, option) for (name, option), found in report.advice.items() if name == kind.name
    ]
    if not tried:
        return kind.settle
    settled, changed, _ = max(tried, key=lambda found: (found[0], -found[1]))
    options = [option for *found, option in tried if found == [settled, changed]]
    shown = ", ".join(options[:_NAMES])
    verb = "would settle" if len(options) == 1 else "would each settle"
    more = (
        f" and read {_number(changed)} others differently" if changed else ", and change no other"
    )
    look = "" if len(options) == 1 else "; look which of these columns is the one"
    return f"{shown} {verb} {_number(settled)}{more} (tried){look}"


def _tell_ledger(report: Report, *, is_full: bool) -> Fact:
    ledger = report.ledger
    if not is_full:
        return _sum_up(report)
    altered = f", {_number(ledger.altered)} in another form (now {_number(ledger.altered_to)})"
    dropped = sorted(((n, reason) for reason, n in ledger.dropped.items() if n), reverse=True)
    said = f"{_number(ledger.source)} in, {_number(ledger.kept)} kept{altered if ledger.altered_to else ''}"
    if dropped:
        said += ", left out: " + ", ".join(f"{_name(why)} {_number(n)}" for n, why in dropped)
    put_in = [
        f"{words} {_number(ledger.put_in[what])}"
        for what, words in PUT_IN.items()
        if ledger.put_in[what]
    ]
    if put_in:
        said += "; put in: " + ", ".join(put_in)
    again = [f"{REPEATED[what]} {_number(n)}" for what, n in ledger.repeated.items() if n]
    if again:
        said += "; repeated: " + ", ".join(again)
    return Fact("ledger", [_tell_sure(report), Styled(f": {said}")])


def _sum_up(report: Report) -> Fact:
    """Return the ledger in one line."""
    ledger = report.ledger
    parts = [
        (ledger.source, "in"),
        (ledger.kept, "kept"),
        (ledger.altered, "in another form"),
        (ledger.dropped.total(), "left out"),
        (ledger.put_in.total(), "put in"),
        (ledger.repeated.total(), "told again"),
    ]
    said = ", ".join(f"{_number(number)} {what}" for number, what in parts if number)
    return Fact("ledger", [_tell_sure(report), Styled(f": {said}")])


def _tell_sure(report: Report) -> Styled:
    sure = "every character is accounted for"
    if report.doubts:  # never let it be read as "correct"
        return Styled(f"{sure}, which does not prove that it stands in the right place")
    return Styled(sure, "good")


#: What a dropped line is called when they are counted.
_LINE_NOUNS = {
    "blank-line": "blank line",
    "rule": "rule",
    "page-mark": "page mark",
    "empty-record": "empty record",
    "heading-again": "repeated heading",
    "dropped-line": "line that a pattern names",
    "group-line": "group line",
    "total-line": "total line",
    "unclaimed": "line that no label claims",
    "page-head": "page head",
    "page-foot": "page foot",
}


#: Characters that left within lines and are worth a word.
_TOLD_DROPS = (
    "not-taken",
    "heading-replaced",
    "missing-word",
    "dropped-piece",
    "wrong-decoding",
    "special-space",
    "zero-width",
    "direction-mark",
    "soft-hyphen",
    "control",
    "reply-mark",
    "hyphen",
    "label-again",
)


def _name(reason: str) -> str:
    """Return a reason as it is said before its characters."""
    words = reason.replace("-", " ")
    return (
        words
        if reason
        in (
            "spacing",
            "unclaimed",
            "taken-out",
            "label-again",
            "not-taken",
            "heading-replaced",
            "heading-again",
            "outside",
        )
        else words.replace("foot", "feet") + "s" * ("foot" not in words)
    )


def _place(example: Example) -> str:
    where = f" of {example.source}" if example.source else ""
    if example.first_line == example.last_line:
        return f"line {example.first_line}{where}"
    return f"lines {example.first_line}-{example.last_line}{where}"


def _excerpt(example: Example) -> str:
    return _clip(make_visible(example.text), _EXCERPT)


def _clip(text: str, width: int) -> str:
    return text if len(text) <= width else text[: width - 1] + "…"


def _number(number: int) -> str:
    return f"{number:,}"


def _count(number: int, noun: str) -> str:
    if number == 1:
        return f"1 {noun}"
    if noun.endswith("foot"):
        return f"{_number(number)} {noun[:-4]}feet"
    first, _, rest = noun.partition(" that ")
    return f"{_number(number)} {first}s" + f" that {rest}" * bool(rest)
