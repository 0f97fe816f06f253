"""What a page asks its report for: its options, and which of them give way to the day that it is run for."""

import re
from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.language.days import DayContext
from level_almanac.core.pages.filling import SPAN_OPTIONS, Filled
from level_almanac.core.reports.definition import Report
from level_almanac.core.reports.making import read_asked
from level_almanac.core.reports.registry import all_reports, page_reports
from level_almanac.core.requests.look import LookRequest
from level_almanac.core.requests.options import Option, options_of
from level_almanac.core.requests.words import options_in, words_of
from level_almanac.core.spans.divided import unit_id
from level_almanac.errors import AlmanacError, Mistake, UsageMistake, listed, nearest

WHEN = ("as-of", *SPAN_OPTIONS)


def page_report(words: Sequence[str], where: str, error: type[AlmanacError]) -> Report:
    """Return the report that words begin with; raise `error` where it is none that can be saved."""
    name = words[0] if words else ""
    known = page_reports()
    if name not in known:
        what, hint = "not a report that can be a page", nearest(name, known)
        raise error(Mistake(what, where, repr(name), listed(known), hint))
    return all_reports()[name]


def page_options(report: Report) -> dict[str, Option]:
    """Return the options of a report that a page can hold, those of its look among them, by name."""
    return {each.name: each for each in (*report.options, *options_of(LookRequest)) if not each.argument}


def page_told(page: Filled, report: Report, where: str) -> dict[str, object]:
    """Return what a filled page gives the options of its report, arguments too, by name."""
    known = [*report.options, *options_of(LookRequest)]
    return {**options_in(known, page.words[1:], f"{where}: report"), **page.options}


def page_words(page: Filled, report: Report) -> list[str]:
    """Return a filled page as the words of a command line."""
    return [*page.words, *words_of(page_options(report), page.options)]


def with_when(
    page: Filled, report: Report, when: Mapping[str, str], context: DayContext, raw: Mapping[str, object]
) -> Filled:
    """Return a page made for another day, as a person asked for it. when: one of WHEN, or none; context: its as-of day
    is the one that is meant; raw: the page's options before its answers were put in.

    A page of a period, quarter or year that is made for a day stays one: it is of the one that the day lies in. The
    words of a range go by the day. Raises UsageMistake where its report does not have that option, and for a range of
    two days that go by nothing.
    """
    ranged = [name for name in _RANGED if name in page.options]
    for name, text in when.items():
        if ranged and all(_DAY.fullmatch(str(raw.get(each))) for each in ranged):
            days = " ".join(f"--{each} {page.options[each]}" for each in ranged)
            step = "write day words or a question in their place"
            raise UsageMistake(Mistake("the page's days go by nothing", f"--{name} {text}", days, next_step=step))
        if name not in page_options(report):
            raise UsageMistake(Mistake(f"`{report.name}` is not asked for by this", f"--{name}", repr(text)))
        options = {option: value for option, value in page.options.items() if option not in WHEN}
        unit = next((each for each in SPAN_OPTIONS if each in page.options), None)
        if ranged:
            options["as-of"] = context.as_of.isoformat()
        elif name == "as-of" and unit is not None:
            options[unit] = unit_id(context.as_of, unit, context.calendar)
            options[name] = context.as_of.isoformat()
        else:
            options[name] = text
        page = page._replace(options=options)
    return page


_RANGED = ("from", "through", "before")
_ADDED = ("only", "except", "compute")
"""Options whose values for one run stand beside the page's own, so that none of its conditions is lost."""


def changed_once(words: Sequence[str], report: Report, where: str) -> dict[str, Any]:
    """Return what the words of a command line give the options of a page for one run, by name.

    Raises UsageMistake for an option that its report lacks, and for an argument: which report it is stays.
    """
    known = [each for name, each in page_options(report).items() if name not in WHEN]
    return options_in(known, words, where)


def with_changes(page: Filled, changed: Mapping[str, Any]) -> Filled:
    """Return a page with some options as they are for one run."""
    options = dict(page.options)
    if any(name in changed for name in _RANGED):
        # Days in place of the page's own, or of its period.
        options = {name: value for name, value in options.items() if name not in (*_RANGED, *WHEN)}
    for name, value in changed.items():
        own = options.get(name, [])
        beside = [own] if isinstance(own, str) else list(own) if isinstance(own, list | tuple) else []
        options[name] = [*beside, *value] if name in _ADDED else value
    return page._replace(options=options)


def change_words(page: Filled, report: Report, changed: Mapping[str, Any]) -> tuple[str, str]:
    """Return what is changed for one run, and the same with what the page says itself."""
    known, heads, told = page_options(report), list[str](), list[str]()
    for name, value in changed.items():
        own = {name: page.options[name]} if page.options.get(name) else {}
        words, said = (" ".join(_shown(word) for word in words_of(known, each)) for each in ({name: value}, own))
        heads.append(words)
        told.append(f"{words} {'beside' if name in _ADDED else 'in place of'} {said}" if said else words)
    return " · ".join(heads), " · ".join(told)


def _shown(word: str) -> str:
    name, equals, value = word.partition("=")
    if not equals or not name.startswith("--"):
        return word
    return f'{name} "{value}"' if " " in value else f"{name} {value}"


_DAY = re.compile(r"\d{4}-\d\d-\d\d")


def within_edition(
    page: Filled,
    report: Report,
    when: Mapping[str, str],
    end: date,
    calendar: FiscalCalendar,
    *,
    extras: bool = True,
) -> Filled:
    """Return a page as an edition makes it. when: one of WHEN; end: the edition's last day; extras: whether
    adjustment periods that end on that day belong to it, as they do not to a year's last ordinary period.

    What a page says of a day is the edition's end, and what it says of a period, quarter or year is the edition's own,
    unless the edition is for less than that: a page of a year stays one in an edition of a month. A page of a report
    whose period is what it covers, and that says nothing, is made as of the edition's end.
    """
    known = page_options(report)
    chosen, text = next(iter(when.items()))
    own = next((name for name in WHEN if name in page.options), None)
    ranged = any(name in page.options for name in _RANGED)
    if own in SPAN_OPTIONS and WHEN.index(chosen) < WHEN.index(own):
        # Of a span that the edition ends within, what is booked later belongs to a later edition.
        span = calendar.find(str(page.options[own]), f"--{own}", UsageMistake)
        within = span.first <= end < span.last and "as-of" in known
        return page._replace(options={**page.options, "as-of": end.isoformat()}) if within else page
    covers = "from" in known or report.covers
    if own == "as-of" or ranged or chosen not in known or (own is None and covers):
        chosen, text = "as-of", end.isoformat()
    if chosen not in known:
        return page
    options = {name: value for name, value in page.options.items() if name not in WHEN}
    if chosen == "as-of" and not extras and "adjustments" in known:
        options.setdefault("adjustments", "without")
    return page._replace(options={**options, chosen: text})


def saved_page(words: Sequence[str]) -> tuple[list[str], dict[str, object]]:
    """Return a command's words as a page keeps them: the report with its arguments, and its options by name.

    Raises UsageMistake for what is no report, and for options and values that cannot be read, so that no page is saved
    that cannot be run.
    """
    report = page_report(words, "REPORT", UsageMistake)
    options_told = options_in(
        [*report.options, *options_of(LookRequest), *_NOT_KEPT], words[1:], f"REPORT {report.name}"
    )
    options_told = {
        name: value for name, value in options_told.items() if name not in {each.name for each in _NOT_KEPT}
    }
    called = {each.name: each.called for each in report.options}
    read_asked(report, options_told, lambda name: f"REPORT {report.name}: {called.get(name, f'--{name}')}")
    arguments = [options_told[each.name] for each in report.options if each.argument and each.name in options_told]
    plain = [_as_written(each) for value in arguments for each in (value if isinstance(value, list) else [value])]
    kept = page_options(report)
    return [report.name, *plain], {name: _as_written(value) for name, value in options_told.items() if name in kept}


_NOT_KEPT = (Option("output", kind="texts"), Option("print"), Option("into"))
"""Where a report went is no part of the page that is made of it."""


def _as_written(value: Any) -> Any:
    """Return an option's value as a page holds it: a brace that is meant is doubled there."""
    if isinstance(value, list):
        return [_as_written(each) for each in value]
    return value.replace("{", "{{").replace("}", "}}") if isinstance(value, str) else value
