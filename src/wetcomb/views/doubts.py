"""The verdict and the doubts, as they are told first."""

from __future__ import annotations

from collections.abc import Sequence

from wetcomb.core.doubts import Doubt, find_verdict
from wetcomb.views.blocks import Fact, Styled, make_visible

__all__ = ["build_doubts"]

_LINES = 3


def build_doubts(doubts: Sequence[Doubt], input_name: str, output_name: str = "") -> list[Fact]:
    """Return the verdict and why it is not certain.

    Parameters
    ----------
    input_name, output_name : the files as they are typed, for the commands
    """
    verdict = find_verdict(doubts)
    role = {"table": "good", "doubtful": "snag", "no table": "bad"}[verdict]
    facts = [Fact("verdict", [Styled(verdict, role)])]
    for place, doubt in enumerate(doubts):
        said = f": {make_visible(doubt.said)}{_tell_lines(doubt)}"
        facts.append(Fact("" if place else "doubts", [Styled(doubt.name, "snag"), Styled(said)]))
        command = type_command(doubt.command, input_name, output_name)
        settle = Styled(command, "strong") if command else Styled(doubt.kind.settle)
        label = "  next best: " if command and doubt.name == "no-table" else "  to settle: "
        facts.append(Fact("", [Styled(label), settle]))
    return facts


def type_command(command: str, input_name: str, output_name: str) -> str:
    """Return a doubt's command with the files in their places."""
    if not command:
        return ""
    before, _, behind = command.partition("{input}")
    written = f" -o {output_name}" if output_name else ""
    return f"{before}{input_name}{behind}{written}"


def _tell_lines(doubt: Doubt) -> str:
    if not doubt.lines:
        return ""
    shown = [
        f"{first}" if first == last else f"{first}-{last}" for first, last in doubt.lines[:_LINES]
    ]
    is_one = len(shown) == 1 and "-" not in shown[0]
    return f" (line{'s' * (not is_one)} {', '.join(shown)})"
