"""Between a page's options and the words of a command line: the same names, checked against the command's own."""

from collections.abc import Mapping, Sequence
from datetime import date
from functools import cache
from typing import Any

import click

from level_almanac.cli.session import REPORTS
from level_almanac.core.pages.filling import Filled, Value
from level_almanac.errors import AlmanacError, BookMistake, Mistake, UsageMistake, listed, nearest

WHEN = ("as-of", "period", "quarter", "year")
_NOT_KEPT = ("output", "print", "help")
_JOINTS = {"columns": "; "}
_COVERING = ("pace",)
"""Reports without a range of days, whose period is what they cover."""


@cache
def command_named(name: str) -> click.Command:
    """Return the command of a report."""
    from level_almanac.cli.main import almanac  # noqa: PLC0415  it imports this module's users

    command = almanac.get_command(click.Context(almanac), name)
    assert command is not None  # noqa: S101  the names stand in REPORTS
    return command


def check_report(words: Sequence[str], where: str, error: type[AlmanacError]) -> None:
    """Raise `error` where words do not begin with a report that can be saved."""
    name = words[0] if words else ""
    if name not in REPORTS:
        raise error(
            Mistake("not a report that can be a page", where, repr(name), listed(REPORTS), nearest(name, REPORTS))
        )


def options_of(name: str) -> dict[str, click.Option]:
    """Return the options of a report that a page can hold, by long name."""
    found = {}
    for parameter in command_named(name).params:
        if isinstance(parameter, click.Option):
            long = next(each for each in reversed(parameter.opts) if each.startswith("--")).removeprefix("--")
            if long not in _NOT_KEPT:
                found[long] = parameter
    return found


def command_words(page: Filled, where: str) -> list[str]:
    """Return a filled page as the words of a command line; raises BookMistake with each option that is not right."""
    check_report(page.words, f"{where}: report", BookMistake)
    known = options_of(page.words[0])
    words, mistakes = [*page.words], list[Mistake]()
    for name, value in page.options.items():
        if name not in known:
            what = f"`{page.words[0]}` has no such option"
            hint = nearest(name, known)
            mistakes.append(Mistake(what, f"{where}: options.{name}", allowed=listed(sorted(known)), next_step=hint))
            continue
        try:
            words += _words(name, known[name], value)
        except ValueError as error:
            mistakes.append(Mistake("not allowed here", f"{where}: options.{name}", repr(value), str(error)))
    if mistakes:
        raise BookMistake(*mistakes)
    return words


def _words(name: str, option: click.Option, value: Value) -> list[str]:
    if option.is_flag:
        flags = {True: True, False: False, "yes": True, "no": False}
        if isinstance(value, list) or value not in flags:
            raise ValueError("true or false")
        return [f"--{name}"] if flags[value] else []
    if isinstance(value, bool):
        raise ValueError("a text or a number")
    parts = value if isinstance(value, list) else [value]
    if option.nargs > 1:
        if len(parts) != option.nargs:
            raise ValueError(f"a list of {option.nargs}")
        return [f"--{name}", *parts]
    if not option.multiple and parts:
        parts = [_JOINTS.get(name, ", ").join(parts)]
    return [f"--{name}={part}" for part in parts]


def page_options(words: Sequence[str]) -> tuple[list[str], dict[str, Any]]:
    """Return a command's words as a page keeps them: the command with its arguments, and its options by long name.

    Raises UsageMistake for a command that is no report, click.UsageError for options that it lacks.
    """
    check_report(words, "REPORT", UsageMistake)
    command = command_named(words[0])
    context = click.Context(command, info_name=words[0])
    values, _, order = command.make_parser(context).parse_args(list(words[1:]))
    # It is held against the command whole, so that no page is saved that cannot be run.
    command.make_context(words[0], list(words[1:]), resilient_parsing=False)
    known = {option.name: long for long, option in options_of(words[0]).items()}
    report, options = [words[0]], dict[str, Any]()
    for parameter in dict.fromkeys(order):
        value = _as_written(values.get(parameter.name))
        if isinstance(parameter, click.Argument):
            report += [value] if isinstance(value, str) else value or []
        elif parameter.name in known and value is not None:
            options[known[parameter.name]] = value
    return report, options


def _as_written(value: Any) -> Any:
    """Return an option's value as a page holds it: a brace that is meant is doubled there."""
    if isinstance(value, tuple | list):
        return [_as_written(each) for each in value]
    return value.replace("{", "{{").replace("}", "}}") if isinstance(value, str) else value


def with_when(page: Filled, when: Mapping[str, str]) -> Filled:
    """Return a page made for another day, as a person asked for it. when: one of WHEN, or none.

    Raises UsageMistake where its command does not have that option.
    """
    for name, text in when.items():
        if name not in options_of(page.words[0]):
            raise UsageMistake(Mistake(f"`{page.words[0]}` is not asked for by this", f"--{name}", repr(text)))
        options = {option: value for option, value in page.options.items() if option not in WHEN}
        page = page._replace(options={**options, name: text})
    return page


def within_edition(page: Filled, when: Mapping[str, str], end: date, *, extras: bool = True) -> Filled:
    """Return a page as an edition makes it. when: one of WHEN; end: the edition's last day; extras: whether adjustment
    periods that end on that day belong to it, as they do not to a year's last ordinary period.

    What a page says of a day is the edition's end, and what it says of a period, quarter or year is the edition's own,
    unless the edition is for less than that: a page of a year stays one in an edition of a month. A page of a command
    whose period is what it covers, and that says nothing, is made as of the edition's end.
    """
    known = options_of(page.words[0])
    chosen, text = next(iter(when.items()))
    own = next((name for name in WHEN if name in page.options), None)
    ranged = {"from", "through", "before"} & set(page.options)
    if own in ("period", "quarter", "year") and WHEN.index(chosen) < WHEN.index(own):
        return page
    covers = "from" in known or page.words[0] in _COVERING
    if own == "as-of" or ranged or chosen not in known or (own is None and covers):
        chosen, text = "as-of", end.isoformat()
    if chosen not in known:
        return page
    options = {name: value for name, value in page.options.items() if name not in WHEN}
    if chosen == "as-of" and not extras and "adjustments" in known:
        options.setdefault("adjustments", "without")
    return page._replace(options={**options, chosen: text})
