"""What all steps share: options stated once, and what a step says of its surroundings.

A step is a frozen class. Its fields are the options of the command line, the keys of
the comb file and the keywords of the Python call; their help, examples, limits and
defaults stand at the field and nowhere else. An option of type `Auto` that is left out
is worked out from the text by a draft; a run refuses it.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from typing import Annotated, Any, ClassVar, Literal, Union, get_args, get_origin, get_type_hints

import msgspec
from msgspec.structs import force_setattr

from wetcomb.core.errors import UsageError

__all__ = ["AUTO", "Auto", "Option", "Step", "list_options", "option"]

Auto = msgspec.UnsetType
AUTO = msgspec.UNSET


def option(
    help_text: str,
    *,
    group: str,
    example: str,
    short: str = "",
    words: tuple[str, ...] = (),
    parts: tuple[str, ...] = (),
    **limits: Any,
) -> msgspec.Meta:
    """Return what is to be known of one option, to be put at its field's type.

    `words` may stand in the place of a number, or of several; `parts` names the values of an
    option that takes several at once.
    """
    extra = {"group": group, "example": example, "short": short, "words": words, "parts": parts}
    return msgspec.Meta(description=help_text, extra=extra, **limits)


class Option(msgspec.Struct, frozen=True):
    """One option of a step, as the command line, the docs and the comb file need it."""

    name: str
    type: Any
    default: Any
    help: str
    group: str
    example: str
    short: str
    words: tuple[str, ...]
    parts: tuple[str, ...]
    limits: tuple[int | None, int | None]

    @property
    def key(self) -> str:
        """What it is called in a comb: its name, without what keeps that apart from a word of Python's."""
        return self.name.rstrip("_")

    @property
    def flag(self) -> str:
        """The long option of the command line."""
        return "--" + self.key.replace("_", "-")

    @property
    def value_type(self) -> Any:
        """The type of a value that is stated: what the type is, without `Auto`."""
        kinds = [kind for kind in get_args(self.type) if kind is not Auto]
        return Union[tuple(kinds)] if Auto in get_args(self.type) else self.type  # noqa: UP007

    @property
    def is_repeatable(self) -> bool:
        """Whether it may be given several times."""
        return any(get_origin(kind) is tuple for kind in [self.type, *get_args(self.type)])

    @property
    def takes_one(self) -> Any:
        """The type of a single value that stands for a list of one; None where none does."""
        kinds = [self.type, *get_args(self.type)]
        item = next((get_args(kind)[0] for kind in kinds if get_origin(kind) is tuple), None)
        is_one = item is not None and set(get_args(item) or (item,)) <= set(kinds)
        return item if is_one and not (self.words and item is str) else None

    @property
    def is_switch(self) -> bool:
        """Whether it is given without a value."""
        return self.type is bool

    @property
    def is_number(self) -> bool:
        """Whether its value is a whole number, or several."""
        kinds = (self.type, *get_args(self.type))
        return int in kinds and (str not in kinds or bool(self.words))

    @property
    def has_commas(self) -> bool:
        """Whether several values may be given at once, parted by commas."""
        return "commas" in self.help or self.is_number

    def check_limits(self, value: Any) -> None:
        """Raise UsageError for a number beyond the option's limits."""
        low, high = self.limits
        for number in value if isinstance(value, tuple) else (value,):
            if isinstance(number, str):
                continue
            too_low = low is not None and number < low
            if too_low or (high is not None and number > high):
                raise UsageError(f"{self.flag} {number}: it must be from {low} to {high}")

    @property
    def choices(self) -> tuple[str, ...]:
        """The only values there are; none where any will do."""
        kinds = [self.type, *get_args(self.type)]
        return next((get_args(kind) for kind in kinds if get_origin(kind) is Literal), ())


class Step(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=False
):
    """The base of all steps.

    Attributes
    ----------
    name : as it is written in a comb and typed as a command
    summary : what it does, in a line
    usage : what it does, and commands to begin with
    is_command : it can be typed as a command
    takes_tables : its command may read a table that is one already
    traces : options whose work is charged, with the reason it is charged for
    """

    name: ClassVar[str]
    summary: ClassVar[str]
    usage: ClassVar[str]
    takes_tables: ClassVar[bool] = False
    is_command: ClassVar[bool] = True
    traces: ClassVar[Mapping[str, str]] = {}

    def __post_init__(self) -> None:
        """Let a single value stand for a list of one."""
        for name, kind in _list_lenient(type(self)):
            value = getattr(self, name)
            if isinstance(value, kind):
                force_setattr(self, name, (value,))

    @classmethod
    def tell_way(cls, option_name: str) -> str:
        """Return how the help says with which other option one goes; nothing where it goes with any."""
        return ""

    @property
    def reads(self) -> str:
        """What it works on: `text` or `table`."""
        return "text"

    @property
    def makes(self) -> str:
        """What it makes of it: `text` or `table`."""
        return "table"

    @property
    def reach(self) -> str:
        """What of the text before it a record depends on, the heading apart.

        `record`: nothing, so that any cut at a record will do; `next`: nothing either, but only
        the record behind tells where one ends; `state`: what is carried on.
        """
        return "state"

    @property
    def may_cut_column(self) -> bool:
        """Whether it reads text, but could read a column of a table if it were named."""
        return False

    @property
    def is_column_cut(self) -> bool:
        """Whether it reads a table and names the column that it cuts."""
        return False

    @property
    def held_whole(self) -> str:
        """What is said where more text must be seen whole than may be held (`{}`: how much)."""
        return "a record is longer than {}; do its lines end at all, or is a quote mark never closed (--quote-lines, --quote none)? If it is that long, allow more (--memory)"

    @property
    def may_cut_words(self) -> bool:
        """Whether it is right where it cuts through words all over the text."""
        return False

    @property
    def names_in_text(self) -> bool:
        """Whether a text itself names the columns of the table that is made of it."""
        return False

    def as_printed(self) -> Step:
        """Return this step with all columns of the text, as they are printed."""
        return self

    @property
    def makes_lines(self) -> bool:
        """Whether its one column is text whose first line is the column's name."""
        return False

    @property
    def is_tied(self) -> bool:
        """Whether some of it is meant for one text only, known by its digest."""
        return False

    def untie(self, digest: str) -> Step:
        """Return this step as it is meant for the text of a digest: without what belongs to another."""
        return self

    def remember(self, texts: Mapping[str, str], digest: str) -> Step | None:
        """Return this step as a comb keeps it: with the texts that some of its options go with.

        None where nothing of it holds for more than one run.

        Parameters
        ----------
        texts : by the value of the option
        digest : of the text that they stand in
        """
        return self

    def unsettled(self) -> list[str]:
        """Return the names of the options that are still to be worked out from a text."""
        return [
            entry.name for entry in list_options(type(self)) if getattr(self, entry.name) is AUTO
        ]


@cache
def list_options(step: type[Step]) -> tuple[Option, ...]:
    """Return the options of a step in the order they are defined in."""
    hints = get_type_hints(step, include_extras=True)
    options = []
    for entry in msgspec.structs.fields(step):
        hint = hints[entry.name]
        plain, meta = get_args(hint)[:2] if get_origin(hint) is Annotated else (hint, None)
        if isinstance(meta, msgspec.Meta):
            extra: Mapping[str, Any] = meta.extra or {}
            options.append(
                Option(
                    name=entry.name,
                    type=plain,
                    default=entry.default,
                    help=meta.description or "",
                    limits=(meta.ge, meta.le),  # type: ignore[arg-type]
                    **extra,
                )
            )
    return tuple(options)


@cache
def _list_lenient(step: type[Step]) -> tuple[tuple[str, Any], ...]:
    """Return the options of a step that take a single value for a list, and its type."""
    entries = [(entry.name, entry.takes_one) for entry in list_options(step)]
    return tuple((name, kind) for name, kind in entries if kind is not None)
