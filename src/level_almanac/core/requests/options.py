"""Options of reports, declared once on the fields of their requests.

From one declaration come the option of the command line, that of a page, the keyword in Python, and the check of a
request, whoever makes it.
"""

from collections.abc import Callable, Mapping
from dataclasses import MISSING, Field, field, fields
from datetime import date
from decimal import Decimal
from typing import Any, Literal, NamedTuple

from level_almanac.core.language.days import Edge, LengthFrom, Moved, NamedDay, read_day
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.files.numbers import exact_number

Kind = Literal["text", "texts", "flag", "count", "amount", "amounts", "day", "days", "choice"]
_OPTIONS = "options"
_TRUTH = {True: True, False: False, "yes": True, "no": False}


class Option(NamedTuple):
    """One option. name: as on the command line, without dashes; metavar: what its help calls the value; choices: of a
    choice; least, most: of a count; offers: what of the book completes it; joint: what joins the values of a page's
    list; argument, required: whether it stands without its name, and must;
    replaced_by: the name that it has from this version on, where it is an old one, told of when it is used; listed:
    whether its text is a list, so that given again it goes on.
    """

    name: str
    help: str = ""
    kind: Kind = "text"
    metavar: str = ""
    choices: tuple[Any, ...] = ()
    default: Any = None
    show_default: bool = False
    least: int = 1
    most: int | None = None
    offers: str = ""
    joint: str = ", "
    argument: bool = False
    required: bool = False
    replaced_by: str = ""
    listed: bool = False

    @property
    def several(self) -> bool:
        """Whether it can be given more than once."""
        return self.kind == "texts"

    @property
    def keyword(self) -> str:
        """Its name in Python."""
        name = self.name.replace("-", "_")
        return f"{name}_" if name in ("from", "except") else name

    @property
    def called(self) -> str:
        """What messages call it on the command line."""
        return (self.metavar.strip("[].") or self.name.upper()) if self.argument else f"--{self.name}"

    @property
    def allowed(self) -> str:
        """What may stand for its value, in words."""
        if self.kind == "choice":
            return listed(map(str, self.choices))
        if self.kind == "count":
            return f"a whole number, {self.least} or more" if self.most is None else f"{self.least} to {self.most}"
        return _ALLOWED[self.kind]

    def holds(self, value: object) -> bool:
        """Tell whether a value is one that it can have in a request."""
        if self.kind == "choice":
            return value in self.choices or value == self.default
        if self.kind == "count":
            return value is None or (
                isinstance(value, int)
                and not isinstance(value, bool)
                and self.least <= value <= (self.most if self.most is not None else value)
            )
        return _HOLDS[self.kind](value)

    def read(self, value: object, where: str) -> Any:
        """Return the value that a text stands for, or the value as it is. Raises UsageMistake, with `where` before it.

        A binary float is no amount: it is not what was written.
        """
        try:
            value_read = _READ[self.kind](self, value, where)
        except (ValueError, ArithmeticError, TypeError):
            value_read = _NOTHING
        if value_read is _NOTHING or not self.holds(value_read):
            raise UsageMistake(Mistake("not allowed here", where, repr(value), self.allowed, self._hint(value)))
        return value_read

    def _hint(self, value: object) -> str:
        return nearest(value, map(str, self.choices)) if isinstance(value, str) else ""


WITH_LINES = Option(
    "with-lines", "With the lines behind each figure: links in HTML, a sheet in a workbook.", "flag", default=False
)
"""The option of a report that can show the lines behind all of its figures."""
_NOTHING = object()
_DAYS = (date, NamedDay, Edge, Moved, LengthFrom)
_ALLOWED: Mapping[str, str] = {
    "text": "a text",
    "texts": "a tuple of texts",
    "flag": "true or false",
    "amount": "a number such as 7500 or -12.50",
    "amounts": "two numbers such as 5000 7500",
    "day": "a day such as 2026-06-17, or what `read_day` makes of words",
    "days": "the last day late of each bucket, rising, as 30,60,90",
}


def is_texts(value: object) -> bool:
    """Tell whether a value is a tuple of texts."""
    return isinstance(value, tuple) and all(isinstance(each, str) for each in value)


def _rising(value: object) -> bool:
    return (
        isinstance(value, tuple)
        and all(isinstance(each, int) and not isinstance(each, bool) and each > 0 for each in value)
        and sorted(set(value)) == list(value)
    )


def _number(value: object) -> bool:
    return isinstance(value, Decimal) and value.is_finite()


_HOLDS: Mapping[str, Callable[[object], bool]] = {
    "text": lambda value: isinstance(value, str),
    "texts": is_texts,
    "flag": lambda value: isinstance(value, bool),
    "amount": lambda value: value is None or _number(value),
    "amounts": lambda value: value is None or (isinstance(value, tuple) and [*map(_number, value)] == [True, True]),
    "day": lambda value: value is None or isinstance(value, _DAYS),
    "days": _rising,
}  # fmt: skip


def _read_text(option: Option, value: object, _: str) -> Any:
    if isinstance(value, list | tuple) and option.joint:
        return option.joint.join(map(str, value))
    return _NOTHING if isinstance(value, bool) else str(value) if isinstance(value, str | int | Decimal) else _NOTHING


def _read_texts(_option: Option, value: object, _: str) -> Any:
    found = tuple(value) if isinstance(value, list | tuple) else (value,)
    return found if is_texts(found) else tuple(str(each) for each in found if isinstance(each, int))


def _read_choice(option: Option, value: object, _: str) -> Any:
    return next((each for each in option.choices if str(each) == str(value)), value)


_MOST_COUNTED = 10**9
"""More rows than any report has: whoever asks for more asks for all."""


def _read_count(_option: Option, value: object, _: str) -> Any:
    number = int(value) if isinstance(value, str) else value
    return min(number, _MOST_COUNTED) if isinstance(number, int) and not isinstance(number, bool) else number


def _read_amount(_option: Option, value: object, _: str) -> Any:
    if isinstance(value, str):
        return exact_number(value.strip())
    return Decimal(value) if isinstance(value, int) and not isinstance(value, bool) else value


def _read_amounts(option: Option, value: object, where: str) -> Any:
    return tuple(_read_amount(option, each, where) for each in value) if isinstance(value, list | tuple) else value


def _read_day(_option: Option, value: object, where: str) -> Any:
    return read_day(value, where, UsageMistake) if isinstance(value, str) else value


def _read_days(_option: Option, value: object, _: str) -> Any:
    parts = value.split(",") if isinstance(value, str) else value
    return tuple(int(each) for each in parts) if isinstance(parts, list | tuple) else value


_READ: Mapping[str, Callable[[Option, object, str], Any]] = {
    "text": _read_text,
    "texts": _read_texts,
    "flag": lambda _option, value, _: _TRUTH[value],
    "choice": _read_choice,
    "count": _read_count,
    "amount": _read_amount,
    "amounts": _read_amounts,
    "day": _read_day,
    "days": _read_days,
}


class Declared(NamedTuple):
    """The options behind one field of a request. build: makes the field's value of theirs, by name; holds: tells
    whether a value is one that the field can have; allowed: that in words; inner: the request that the field holds.
    """

    options: tuple[Option, ...]
    build: Callable[[Mapping[str, Any]], Any]
    holds: Callable[[Any], bool]
    allowed: str
    inner: type["Request"] | None = None


class Request:
    """The base of what reports are asked for: a frozen dataclass that checks itself when it is made."""

    __slots__ = ()

    def __post_init__(self) -> None:
        """Raise UsageMistake with every field whose value is of the wrong kind."""
        mistakes = []
        for each in fields(self):  # type: ignore[arg-type]  # every request is a dataclass
            declared = declared_of(each)
            value = getattr(self, each.name)
            if declared is not None and not declared.holds(value):
                what, where = "not allowed here", f"{type(self).__name__}.{each.name}"
                mistakes.append(Mistake(what, where, repr(value), declared.allowed))
        if mistakes:
            raise UsageMistake(*mistakes)

    @property
    def by_date(self) -> tuple[str, ...] | None:
        """The entities asked for whose ledger lines are to be placed by their date alone, or None (`dated_option`)."""
        return getattr(self, "entities", ()) if getattr(self, "dated", "") == "posted" else None


def declared_of(of: Field[Any]) -> Declared | None:
    """Return the options behind a field, or None where it has none."""
    found: Declared | None = of.metadata.get(_OPTIONS)
    return found


_DEFAULTS: Mapping[str, Any] = {"text": "", "texts": (), "flag": False, "days": ()}


def option(name: str, words: str, kind: Kind = "text", default: Any = None, **more: Any) -> Any:
    """Return a field of a request that is one option. words: its help; more: as of `Option`."""
    value = _DEFAULTS.get(kind) if default is None else default
    declared_option = Option(name, words, kind, default=value, **more)
    declared = Declared((declared_option,), lambda given: given[name], declared_option.holds, declared_option.allowed)
    if declared_option.required and default is None:
        return field(metadata={_OPTIONS: declared})
    return field(default=value, metadata={_OPTIONS: declared})


def options(
    *made: Option, build: Callable[[Mapping[str, Any]], Any], default: Any, holds: Callable[[Any], bool], allowed: str
) -> Any:
    """Return a field of a request whose value is built of several options. holds: whether it can be a value."""
    declared = Declared(made, build, holds, allowed)
    return field(default=default, metadata={_OPTIONS: declared})


def inner(
    kind: type[Request],
    *,
    required: bool = False,
    only: tuple[str, ...] = (),
    without: tuple[str, ...] = (),
    helps: Mapping[str, str] | None = None,
) -> Any:
    """Return a field of a request that is a request itself, with the options of that one.

    only, without: which of them; helps: other words for their help.
    """
    kept = tuple(
        each._replace(help=(helps or {}).get(each.name, each.help))
        for each in options_of(kind)
        if each.name not in without and (not only or each.name in only)
    )
    declared = Declared(
        kept, lambda given: request_of(kind, given), lambda value: isinstance(value, kind), kind.__name__, kind
    )
    return (
        field(metadata={_OPTIONS: declared}) if required else field(default_factory=kind, metadata={_OPTIONS: declared})
    )


def options_of(kind: type[Request]) -> list[Option]:
    """Return the options of a request, in the order of its fields, arguments first."""
    found = [each for one in fields(kind) if (declared := declared_of(one)) for each in declared.options]  # type: ignore[arg-type]  # every request is a dataclass
    return sorted(found, key=lambda each: not each.argument)


def request_of(kind: type[Request], given: Mapping[str, Any]) -> Any:
    """Return the request that values of options by name make; what is not given has its default.

    Raises UsageMistake for values that do not go together, and where one is missing that there must be.
    """
    values = {}
    for each in fields(kind):  # type: ignore[arg-type]  # every request is a dataclass
        declared = declared_of(each)
        if declared is None:
            continue
        needed = each.default is MISSING and each.default_factory is MISSING
        own = {one.name: given[one.name] for one in declared.options if one.name in given}
        if declared.inner is not None and (own or needed):
            values[each.name] = declared.build(own)
        elif own:
            values[each.name] = declared.build({one.name: one.default for one in declared.options} | own)
        elif needed:
            option = declared.options[0]
            raise UsageMistake(Mistake("this must be told", option.called, allowed=option.allowed))
    return kind(**values)


def read_options(known: Mapping[str, Option], told: Mapping[str, Any], where: Callable[[str], str]) -> dict[str, Any]:
    """Return the values of options by name. where: what messages call an option.

    Raises UsageMistake with everything that is wrong: options that are not known, and values that cannot be read.
    """
    mistakes, values = list[Mistake](), dict[str, Any]()
    for name, value in told.items():
        if name not in known:
            hint = nearest(name, known)
            mistakes.append(
                Mistake("there is no such option", where(name), allowed=listed(sorted(known)), next_step=hint)
            )
            continue
        try:
            values[name] = known[name].read(value, where(name))
        except UsageMistake as error:
            mistakes += error.mistakes
    if mistakes:
        raise UsageMistake(*mistakes)
    return values
