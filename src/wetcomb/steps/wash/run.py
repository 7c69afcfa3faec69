"""wash at work: chunks of text in, the same without what was named out."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, is_blank
from wetcomb.core.batch import Batch, StepRun
from wetcomb.core.cutting.layout import is_rule
from wetcomb.core.cutting.recut import trim
from wetcomb.core.ledger import Charge
from wetcomb.core.rewrite import list_lines, rewrite
from wetcomb.core.snags import SNAG_CODES
from wetcomb.core.text import Text, is_ascii
from wetcomb.match.lines import find_lines
from wetcomb.match.patterns import Pattern, compile_pattern
from wetcomb.match.signs import CONTROLS, DIRECTION_MARKS, SOFT_HYPHENS, SPECIAL_SPACES, ZERO_WIDTH
from wetcomb.steps.wash.decoding import find_repairs
from wetcomb.steps.wash.options import Wash

__all__ = ["Washer", "begin"]

_FORM_FEED = 0x0C
#: Bytes of each kind of character that cannot be seen.
_SIGNS = {
    kind: tuple(sign.encode() for sign in signs)
    for kind, signs in (
        ("zero-width", ZERO_WIDTH),
        ("direction-mark", DIRECTION_MARKS),
        ("soft-hyphen", SOFT_HYPHENS),
        ("control", CONTROLS),
    )
}
_REPLY = re.compile(rb"(?:[ \t]*>)+[ \t]?")
#: Bars that quote a line, and do not frame it.
_BARS = re.compile(rb"(?:[ \t]*\|)+(?:$|[ \t](?!.*\|[ \t]*$))")
#: How a line ends or begins that says a quoted stretch follows.
_WROTE = re.compile(
    rb"(?i)(?:\b(?:wrote|writes|schrieb|escribi\xc3\xb3|a \xc3\xa9crit)\b.*:|-{2,} ?(?:forwarded|original) message ?-{2,}|(?:from|date|subject|to|sent):.*)[ \t]*$"
)
_SPACES = tuple(sign.encode() for sign in SPECIAL_SPACES)
#: Why a line leaves; its place is its code.
_REASONS = ("", "dropped-line", "page-head", "page-foot", "blank-line", "rule")
_STAYS, _DROPPED, _HEAD, _FOOT, _BLANK, _RULE = range(len(_REASONS))
_NEAR = 16  # lines
_PARTING = 2  # blank lines in a row that part pages where form feeds are missing


def begin(options: Wash) -> Washer:
    """Return a wash ready to run."""
    return Washer(options)


class Washer(StepRun):
    """Runs one `Wash` over the chunks of one text."""

    def __init__(self, options: Wash) -> None:
        self._options = options
        self._drop = self._compile(options.drop_lines)
        self._keep = self._compile(options.keep_lines)
        self._head = self._compile(options.page_head)
        self._foot = self._compile(options.page_foot)
        self._kinds = [kind for kind in _SIGNS if kind not in options.keep]
        self._at_top, self._n_blank = True, 0
        stated = re.escape(options.reply_mark.encode())
        self._quoting = re.compile(rb"(?:[ \t]*%b)+[ \t]?" % stated) if stated else None
        self._is_barred = False  # whether they are bars
        self._depth = 0  # reply marks of the last line, nothing where none is quoted
        self._before = b""  # the last line that is not blank
        self._has_kept, self._owes_mark, self._last_kept = False, False, 0

    def _compile(self, patterns: tuple[str, ...] | str) -> list[Pattern]:
        ignored = self._options.ignore_case
        return [compile_pattern(text, ignore_case=ignored) for text in patterns]

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield the lines of a chunk without what leaves them."""
        yield self._rewrite(batch.text, is_last=is_last)

    def _rewrite(self, chunk: Text, *, is_last: bool) -> Batch:
        data = chunk.data[: chunk.body_size]
        starts, ends, stops = list_lines(chunk)
        n_lines = starts.size if is_last else self._count_sure(data, starts, ends, stops)
        at_foot = self._find_feet(data, starts, ends, is_last=is_last)[:n_lines]
        starts, ends, stops = starts[:n_lines], ends[:n_lines], stops[:n_lines]
        used = int(stops[-1]) if n_lines else 0
        reasons = self._find_reasons(data, starts, ends, at_foot)
        gone: dict[str, tuple[Ints, Ints]] = {}
        for code, reason in enumerate(_REASONS[1:], 1):
            mine = np.flatnonzero(reasons == code)
            gone[reason] = self._spare_feeds(data, starts[mine], stops[mine])
        stays = reasons == _STAYS
        repairs, unclear = self._find_repairs(data, starts[stays], stops[stays])
        mended = np.array([span for span, _ in repairs], np.int64).reshape(-1, 2)
        signs = self._find_signs(data, starts[stays], stops[stays])
        if "reply-mark" not in self._options.keep:  # a line that leaves may be the one that tells
            marks = self._find_replies(data.tobytes(), starts.tolist(), stops.tolist())
            left = set(starts[~stays].tolist())
            signs["reply-mark"] = [span for span in marks if span[0] not in left]
        for kind, spans in signs.items():
            found = np.array(sorted(spans), np.int64).reshape(-1, 2)
            found = found[~_stand_inside(found[:, 0], mended)]
            gone[kind] = found[:, 0], found[:, 1]
        spaces = self._find_spaces(data, starts[stays], stops[stays])
        free = ~_stand_inside(spaces[0], mended)
        spaces = spaces[0][free], spaces[1][free]
        plain = spaces[0]
        if self._options.one_space:
            spacing = _mark_spacing(data, spaces)
            gone["spacing"] = _find_runs(data, starts[stays], ends[:n_lines][stays], spacing)
            plain = plain[~spacing[plain - 1] | (plain == 0)]  # the first of a run
        gone["special-space"] = spaces
        gone["wrong-decoding"] = mended[:, 0], mended[:, 1]
        kept = _find_kept(used, list(gone.values()))
        heads = gone["page-head"][0]
        kept, codes = self._put_marks(data, kept, heads)
        whole = [self._drop_signs(text) for _, text in repairs]
        there = np.array([place for place, text in enumerate(whole) if text], np.int64)
        puts = np.concatenate([plain, mended[there, 0]])
        put_codes = np.concatenate([np.full(plain.size, 2), 3 + there])
        order = np.argsort(puts, kind="stable")
        puts, put_codes = puts[order], put_codes[order]
        places = np.searchsorted(kept[0], puts)
        kept = np.insert(kept[0], places, puts), np.insert(kept[1], places, puts)
        texts = (b"", b"\f", b" ", *whole)
        glue = (np.insert(codes, places, put_codes), texts)
        odd = [(unclear, SNAG_CODES["decoding-unclear"])]
        charges = [Charge(reason, *spans) for reason, spans in gone.items()]
        return rewrite(chunk, used, kept, glue, charges, odd)

    def _drop_signs(self, text: bytes) -> bytes:
        """Return what was mended as it is washed itself: a sign may have been decoded wrongly that cannot be seen."""
        for kind in self._kinds:
            for sign in _SIGNS[kind]:
                text = text.replace(sign, b"")
        for space in _SPACES if self._options.plain_spaces else ():
            text = text.replace(space, b" ")
        return text

    def _put_marks(
        self, data: Bytes, kept: tuple[Ints, Ints], heads: Ints
    ) -> tuple[tuple[Ints, Ints], Ints]:
        """Return the kept spans with a page mark before what stood below a page head.

        Not before the first of the text, and not where a form feed stands there already.
        """
        starts, ends = kept
        n_before = np.searchsorted(starts, heads)  # kept spans before each head
        wanted = (n_before > 0) | self._has_kept
        last_kept = data.take(ends[np.maximum(n_before - 1, 0)] - 1) if ends.size else heads
        wanted &= np.where(n_before > 0, last_kept, self._last_kept) != _FORM_FEED
        places = set(n_before[wanted].tolist()) | ({0} if self._owes_mark else set())
        self._has_kept = self._has_kept or bool(starts.size)
        self._last_kept = int(data[ends[-1] - 1]) if ends.size else self._last_kept
        self._owes_mark = starts.size in places
        rows = np.array(sorted(places - {starts.size}), np.int64)
        rows = rows[data[starts[rows]] != _FORM_FEED]
        codes = np.zeros(starts.size + rows.size, np.int64)
        codes[rows + np.arange(rows.size)] = 1
        marks = starts[rows]
        return (np.insert(starts, rows, marks), np.insert(ends, rows, marks)), codes

    def _count_sure(self, data: Bytes, starts: Ints, ends: Ints, stops: Ints) -> int:
        """Return how many lines can be settled already.

        Those before the last line that says where the page's foot is not: one that is neither
        blank nor a foot itself, or that begins a page.
        """
        whole = starts.size
        if whole and (stops[-1] == ends[-1] or data[-1] == 0x0D):
            whole -= 1
        for behind in (_NEAR, whole):  # it mostly is one of the last
            near = slice(max(0, whole - behind), whole)
            begins, ceases = trim(data, starts[near], ends[near])
            telling = ceases > begins
            if self._foot:
                met = find_lines(data, starts[near], ends[near], self._foot, "line")
                telling &= ~met | (data.take(begins, mode="clip") == _FORM_FEED)
            rows = np.flatnonzero(telling)
            if rows.size:
                return near.start + int(rows[-1])
        return 0

    def _find_feet(self, data: Bytes, starts: Ints, ends: Ints, *, is_last: bool) -> Bools:
        """Return the lines that stand at a page's foot: only blank lines and feet behind them."""
        at_foot = np.zeros(starts.size, np.bool_)
        if not self._foot:
            return at_foot
        met = find_lines(data, starts, ends, self._foot, "line")
        begins, ceases = trim(data, starts, ends)
        fed = (begins < ceases) & (data.take(begins, mode="clip") == _FORM_FEED)
        is_open = is_last  # nothing but blank lines and feet up to a page's end
        n_blank = 0
        for row in range(starts.size - 1, -1, -1):
            blank = begins[row] == ceases[row]
            n_blank = n_blank + 1 if blank else 0
            is_open = is_open or n_blank >= _PARTING
            at_foot[row] = is_open and met[row] and not fed[row]
            is_open = bool(fed[row]) or (is_open and bool(blank or met[row]))
        return at_foot

    def _find_reasons(self, data: Bytes, starts: Ints, ends: Ints, at_foot: Bools) -> Bytes:
        """Return why each line leaves, as codes of `_REASONS`."""
        reasons = np.zeros(starts.size, np.uint8)
        if not (self._drop or self._keep or self._head or self._foot or self._options.drop):
            return reasons
        drop = find_lines(data, starts, ends, self._drop, "line")
        keep = find_lines(data, starts, ends, self._keep, "line")
        head = find_lines(data, starts, ends, self._head, "line")
        begins, ceases = trim(data, starts, ends)

        def line_of(row: int) -> bytes:
            return data[begins[row] : ceases[row]].tobytes()

        for row in range(starts.size):
            is_blank = begins[row] == ceases[row]
            if not is_blank and data[begins[row]] == _FORM_FEED:
                self._at_top = True
                is_blank = ceases[row] - begins[row] == 1
            self._n_blank = self._n_blank + 1 if is_blank else 0
            self._at_top = self._at_top or self._n_blank >= _PARTING
            is_dropped = drop[row] or (self._keep and not keep[row] and not is_blank)
            why = _DROPPED if is_dropped else _STAYS
            if not why and head[row] and self._at_top:
                why = _HEAD
            elif not why and at_foot[row]:
                why = _FOOT
            elif not why and is_blank and begins[row] == ceases[row]:
                why = _BLANK if "blank-line" in self._options.drop else _STAYS
            elif not why and not is_blank:
                self._at_top = False
                is_rule_out = "rule" in self._options.drop and is_rule(line_of(row))
                why = _RULE if is_rule_out else _STAYS
            if not is_blank:
                self._n_blank = 0
            reasons[row] = why
        return reasons

    @staticmethod
    def _spare_feeds(data: Bytes, starts: Ints, stops: Ints) -> tuple[Ints, Ints]:
        """Return lines without a form feed at their start: it stays as a page mark."""
        begins, _ = trim(data, starts, stops)
        fed = (begins < stops) & (data.take(begins, mode="clip") == _FORM_FEED)
        return np.where(fed, begins + 1, starts), stops

    def _find_signs(
        self, data: Bytes, starts: Ints, stops: Ints
    ) -> dict[str, list[tuple[int, int]]]:
        """Return the characters that cannot be seen in the lines that stay, by kind."""
        raw = data.tobytes()
        n_usual = np.count_nonzero(data == ord("\n"))
        n_usual += sum(raw.count(sign) for sign in (b"\t", b"\r", b"\f") if sign in raw)
        has_controls = np.count_nonzero(data < ord(" ")) > n_usual or b"\x7f" in raw
        if is_ascii(data) and not has_controls:
            return {}
        owners = list(zip(starts.tolist(), stops.tolist(), strict=True))
        return {kind: _find_all(raw, _SIGNS[kind], owners) for kind in self._kinds}

    def _find_spaces(self, data: Bytes, starts: Ints, stops: Ints) -> tuple[Ints, Ints]:
        """Return the special spaces in the lines that stay, if they are to be plain."""
        spans: list[tuple[int, int]] = []
        if self._options.plain_spaces and not is_ascii(data):
            owners = list(zip(starts.tolist(), stops.tolist(), strict=True))
            spans = _find_all(data.tobytes(), _SPACES, owners)
        found = np.array(spans, np.int64).reshape(-1, 2)
        return found[:, 0], found[:, 1]

    def _find_repairs(
        self, data: Bytes, starts: Ints, stops: Ints
    ) -> tuple[list[tuple[tuple[int, int], bytes]], Ints]:
        """Return what was decoded wrongly with what it stands for, and lines where that is unclear."""
        if "wrong-decoding" in self._options.keep or is_ascii(data):
            return [], np.zeros(0, np.int64)
        return find_repairs(data.tobytes(), starts.tolist(), stops.tolist())

    def _find_replies(
        self, raw: bytes, starts: list[int], stops: list[int]
    ) -> list[tuple[int, int]]:
        """Return the reply marks of stretches of lines that all have one, told by a line before."""
        found: list[tuple[int, int]] = []
        if self._quoting is not None:
            marks = (self._quoting.match(raw, a, b) for a, b in zip(starts, stops, strict=True))
            return [mark.span() for mark in marks if mark]
        if b">" not in raw and b"|" not in raw:
            if any(raw[a:b].strip() for a, b in zip(starts, stops, strict=True)):
                self._depth, self._is_barred = 0, False
            lines = (raw[a:b].strip() for a, b in zip(starts[::-1], stops[::-1], strict=True))
            self._before = next(filter(None, lines), self._before)
            return found
        for start, stop in zip(starts, stops, strict=True):
            line = raw[start:stop].strip()
            bare = raw[start:stop].rstrip(b"\r\n")
            is_told = _WROTE.search(self._before) is not None
            mark = _REPLY.match(bare)
            if self._is_barred if self._depth else is_told and mark is None:
                mark = _BARS.match(bare)
                self._is_barred = mark is not None
            if mark and (self._depth or is_told):
                sign = b"|" if self._is_barred else b">"
                end, depth = mark.end(), mark[0].count(sign)
                is_deeper = depth == self._depth + 1 > 1 and not is_told
                if is_deeper and raw[start + end : start + end + 1].isdigit():
                    end, depth = mark[0].rindex(sign), self._depth  # "> 200" is a value
                found.append((start, start + end))
                self._depth = depth
            elif line:
                self._depth, self._is_barred = 0, False
            self._before = line or self._before
        return found


def _stand_inside(places: Ints, spans: Ints) -> Bools:
    """Return which places lie in one of some spans, (N, 2) and rising."""
    at = np.searchsorted(spans[:, 0], places, "right") - 1
    if not spans.size:
        return np.zeros(places.size, np.bool_)
    return (at >= 0) & (places < spans[np.maximum(at, 0), 1])


def _find_runs(data: Bytes, starts: Ints, ends: Ints, spacing: Bools) -> tuple[Ints, Ints]:
    """Return the blanks inside lines that follow another one, or any kind of space."""
    if not starts.size:
        return starts, ends
    begins, ceases = trim(data, starts, ends)
    after = np.flatnonzero(is_blank(data[1:]) & spacing[:-1]) + 1
    at = np.searchsorted(begins, after, "right") - 1
    inside = (at >= 0) & (after < ceases.take(np.maximum(at, 0), mode="clip"))
    after = after[inside]
    first = np.diff(after, prepend=-2) > 1
    last = np.append(first[1:], True) if after.size else first
    return after[first], after[last] + 1


def _mark_spacing(data: Bytes, spaces: tuple[Ints, Ints]) -> Bools:
    """Return which bytes are blanks, or of the special spaces given."""
    edges = np.zeros(data.size + 1, np.int8)
    edges[spaces[0]] += 1
    edges[spaces[1]] -= 1
    return is_blank(data) | (np.cumsum(edges[:-1], dtype=np.int8) > 0)


def _find_all(
    raw: bytes, signs: tuple[bytes, ...], owners: list[tuple[int, int]]
) -> list[tuple[int, int]]:
    known = re.compile(b"|".join(map(re.escape, signs)))
    return [m.span() for start, stop in owners for m in known.finditer(raw, start, stop)]


def _find_kept(used: int, holes: list[tuple[Ints, Ints]]) -> tuple[Ints, Ints]:
    """Return what is left between the holes."""
    starts = np.sort(np.concatenate([begins for begins, _ in holes]))
    ends = np.sort(np.concatenate([stops for _, stops in holes]))
    begins, ceases = np.append(0, ends), np.append(starts, used)
    real = ceases > begins
    return begins[real], ceases[real]
