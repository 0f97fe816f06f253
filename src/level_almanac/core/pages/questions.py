"""The questions that a page asks: what an answer may be, and what it means in the book's calendar (docs/pages.md)."""

import csv
import re
from collections.abc import Callable, Mapping
from dataclasses import field, replace
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Literal, NamedTuple

from level_almanac.core.calendar.date_text import range_words
from level_almanac.core.calendar.fiscal import FiscalPeriod, FiscalQuarter, FiscalWeek, FiscalYear
from level_almanac.core.language.days import DayContext, Unit, day_of, moved, read_day
from level_almanac.errors import AlmanacError, Mistake, UsageMistake, how_many, listed, nearest
from level_almanac.files.numbers import exact_number
from level_almanac.files.pages import PLACEHOLDER, Question, placeholders, read_rule
from level_almanac.immutable import immutable

_YES = {"yes": True, "y": True, "true": True, "no": False, "n": False, "false": False}
_SPANS = ("year", "quarter", "period")
_ONE_WORD = re.compile(r"[\w.-]+")
"""What needs no quotes in an expression."""
Span = FiscalYear | FiscalQuarter | FiscalPeriod


class Answer(NamedTuple):
    """An answer that was found right. text: as it is kept and told, with days and ids in place of words; texts: the
    values of a list; first, last: the days of a pair; quoted: whether it is a text of a person's own, which stands in
    quotes within an expression; unit: the kind of a span that may be of any.
    """

    text: str
    texts: tuple[str, ...] = ()
    first: date | None = None
    last: date | None = None
    quoted: bool = False
    unit: Literal["year", "quarter", "period", ""] = ""


@immutable
class AnswerReader:
    """Reads answers. where: what messages call the question, with its name put after it; given: the answers that were
    read, which others are bounded by.
    """

    context: DayContext
    where: str = "--answer"
    given: dict[str, Answer | None] = field(default_factory=dict)

    def read(self, name: str, question: Question, text: str) -> Answer:
        """Return what an answer means; raise UsageMistake with the rule that it does not keep."""
        self.given[name] = answer = self._read(name, self.bounded(question), text)
        return answer

    def bounded(self, question: Question) -> Question:
        """Return a question with the answers in its limits that these take in; without a limit by an open one."""

        def filled(text: str) -> str:
            names = [name.partition(".") for name in placeholders(text)]
            if any(self.given.get(name) is None for name, _, _ in names):
                return ""
            return PLACEHOLDER.sub(lambda found: _end_of(self.given, found.group(1)), text)

        return replace(question, least=filled(question.least), most=filled(question.most))

    def is_asked(self, question: Question) -> bool:
        """Tell whether a question is asked, after the answers that were given before it."""
        return not question.when or rule_holds(question.when, self.given)

    def _read(self, name: str, question: Question, text: str) -> Answer:
        where, kind = f"{self.where} {name}", question.kind
        readers: Mapping[str, Callable[[str, Question, str], Answer]] = {
            "day": self._day,
            "days": self._days,
            "amount": _amount,
            "count": _count,
            "choice": _choice,
            "list": _list,
            "text": _text,
            "yes-no": _yes_no,
        }
        return readers.get(kind, self._span)(where, question, text.strip())

    def _day(self, where: str, question: Question, text: str) -> Answer:
        day = self._day_of(text, where)
        self._check_day(where, question, day)
        return Answer(day.isoformat(), first=day, last=day)

    def _day_of(self, text: str, where: str) -> date:
        return day_of(read_day(text, where, UsageMistake), self.context)

    def _check_day(self, where: str, question: Question, day: date) -> None:
        """Hold a day against the least and the most that the question takes, both in words."""
        for key, words, wrong in (("least", question.least, -1), ("most", question.most, 1)):
            if words:
                limit = self._limit(words, where, first=key == "least")
                if (day - limit).days * wrong > 0:
                    what = "before the first day allowed" if wrong < 0 else "after the last day allowed"
                    told = f"{words} = {limit}" if words != limit.isoformat() else words
                    allowed = f"{'from' if wrong < 0 else 'through'} {told}"
                    raise UsageMistake(Mistake(what, where, day.isoformat(), allowed))

    def _limit(self, words: str, where: str, *, first: bool) -> date:
        """Return the day that a limit in words means: an id's or a span's first or last day."""
        span = self._find_span(words, where)
        if span is not None:
            return span.first if first else span.last
        return self._day_of(words, where)

    def _days(self, where: str, question: Question, text: str) -> Answer:
        start, through, end = (part.strip() for part in text.partition(" through "))
        if through:
            first, last = self._day_of(start, where), self._day_of(end, where)
        else:
            span = self._find_span(text, where)
            if span is None:
                allowed = "two days, as `2026-05-01 through 2026-05-31`, or a span such as 2026-P08 or `last quarter`"
                raise UsageMistake(Mistake("not a pair of days", where, repr(text), allowed))
            first, last = span.first, span.last
        if first > last:
            what = "the first day is after the last"
            raise UsageMistake(Mistake(what, where, f"{first} through {last}", "the earlier day first"))
        self._check_day(where, question, first)
        self._check_day(where, question, last)
        if question.longest:
            number, unit = question.longest.split()
            reach: Unit = unit.removesuffix("s")  # type: ignore[assignment]  # the page's check holds it to be a unit
            if last >= moved(first, int(number), reach, self.context.calendar):
                days = f"{range_words(first, last)}, {how_many((last - first).days + 1, 'day')}"
                raise UsageMistake(Mistake("longer than the page allows", where, days, f"at most {question.longest}"))
        return Answer(f"{first} through {last}", first=first, last=last)

    def _span(self, where: str, question: Question, text: str) -> Answer:
        unit = question.kind
        if unit == "span":
            return self._any_span(where, question, text)
        article = f"a fiscal {unit}" if unit == "year" else f"a {unit}"
        example = {"year": "2026", "quarter": "2026-Q2", "period": "2026-P08"}[unit]
        allowed = f"{article}, as {example} or `last {unit}`"
        span = self._find_span(text, where)
        if span is None:
            raise UsageMistake(Mistake(f"not {article}", where, repr(text), allowed))
        if not isinstance(span, {"year": FiscalYear, "quarter": FiscalQuarter, "period": FiscalPeriod}[unit]):
            raise UsageMistake(Mistake("this is the id of something else", where, repr(text), allowed))
        self._check_span(where, question, span)
        return Answer(str(span), first=span.first, last=span.last)

    def _any_span(self, where: str, question: Question, text: str) -> Answer:
        span = self._find_span(text, where)
        if span is None:
            allowed = "a fiscal year, a quarter or a period, as 2026, 2026-Q2, 2026-P08 or `last period`"
            raise UsageMistake(Mistake("not a span", where, repr(text), allowed))
        self._check_span(where, question, span)
        unit: Literal["year", "quarter", "period"] = "period"
        if not isinstance(span, FiscalPeriod):
            unit = "year" if isinstance(span, FiscalYear) else "quarter"
        return Answer(str(span), first=span.first, last=span.last, unit=unit)

    def _check_span(self, where: str, question: Question, span: Span) -> None:
        """Hold a span against the least and the most: none that begins before the one or ends after the other."""
        for key, words in (("least", question.least), ("most", question.most)):
            if not words:
                continue
            limit = self._find_span(words, where)
            day = self._day_of(words, where) if limit is None else limit.first if key == "least" else limit.last
            limit_words = words if limit is None or str(limit) == words else f"{words} = {limit}"
            if key == "least" and span.first < day:
                raise UsageMistake(Mistake("before the first one allowed", where, str(span), f"from {limit_words}"))
            if key == "most" and span.last > day:
                raise UsageMistake(Mistake("after the last one allowed", where, str(span), f"through {limit_words}"))

    def _find_span(self, text: str, where: str) -> Span | None:
        """Return the year, quarter or period of an id or of words such as `last period`; None for anything else."""
        calendar = self.context.calendar
        words = text.lower().split()
        if len(words) == 2 and words[0] in ("this", "last", "next") and words[1] in _SPANS:
            day = self._day_of(f"end of {words[0]} {words[1]}", where)
            period, year = calendar.period_of(day), calendar.year_of(day)
            if words[1] == "quarter":
                return year.quarter_of(period)
            return year if words[1] == "year" else period
        if not text[:1].isdigit() and not text.upper().startswith("FY"):
            return None
        if len(text) == 10 and text.count("-") == 2:
            return None
        named = calendar.find(text.upper(), where, UsageMistake)
        return None if isinstance(named, FiscalWeek) else named


def _amount(where: str, question: Question, text: str) -> Answer:
    try:
        number = exact_number(text)
    except InvalidOperation:
        number = Decimal("NaN")
    if not number.is_finite():
        raise UsageMistake(Mistake("not a number", where, repr(text), "such as 7500 or -12.50"))
    if question.least and number < Decimal(question.least):
        raise UsageMistake(Mistake("less than the page allows", where, text, f"at least {question.least}"))
    if question.most and number > Decimal(question.most):
        raise UsageMistake(Mistake("more than the page allows", where, text, f"at most {question.most}"))
    return Answer(f"{number:f}")


def _count(where: str, question: Question, text: str) -> Answer:
    if not text.isascii() or not text.isdigit():
        raise UsageMistake(Mistake("not a whole number", where, repr(text), "such as 10"))
    return _amount(where, question, text.lstrip("0") or "0")


def rule_holds(rule: str, answers: Mapping[str, Answer | None]) -> bool:
    """Tell whether `NAME`, `not NAME`, `NAME is VALUE` or `NAME is not VALUE` holds of answers."""
    question, value, negated = read_rule(rule)
    answer = answers.get(question)
    return (answer is not None and answer.text.casefold() == value.casefold()) != negated


def _end_of(answers: Mapping[str, Answer | None], name: str | None) -> str:
    """Return an answer's text, or a day of it, as a limit takes it in."""
    called, _, end = (name or "").partition(".")
    answer = answers.get(called)
    if answer is None:
        return ""
    return answer.text if not end else str(answer.first if end == "first" else answer.last)


def _one_of(where: str, choices: list[str], text: str) -> str:
    by_folded = {choice.casefold(): choice for choice in choices}.get(text.casefold())
    if by_folded is None:
        raise UsageMistake(
            Mistake("not one of the choices", where, repr(text), listed(choices), nearest(text, choices))
        )
    return by_folded


def _choice(where: str, question: Question, text: str) -> Answer:
    return Answer(_one_of(where, question.choices, text))


def _list(where: str, question: Question, text: str) -> Answer:
    # A value with a comma in it stands in quotes.
    parts = [part.strip() for part in next(csv.reader([text], skipinitialspace=True), [])]
    if not parts or not all(parts):
        raise UsageMistake(Mistake("an empty place in the list", where, repr(text), "values with commas between"))
    if question.choices:
        parts = [_one_of(where, question.choices, each) for each in parts]
    for each in parts:
        _check_quotes(where, each)
    told = [f'"{each}"' if "," in each else each for each in parts]
    return Answer(
        ", ".join(told),
        tuple(parts),
        quoted=not question.choices or any(not _ONE_WORD.fullmatch(each) for each in parts),
    )


def _text(where: str, question: Question, text: str) -> Answer:  # noqa: ARG001  as the other readers
    _check_quotes(where, text)
    return Answer(text, (text,), quoted=True)


def _check_quotes(where: str, text: str) -> None:
    if not text or '"' in text or not text.isprintable():
        raise UsageMistake(Mistake("this cannot be put in", where, repr(text), 'a text without quote marks (")'))


def _yes_no(where: str, question: Question, text: str) -> Answer:  # noqa: ARG001  as the other readers
    if text.casefold() not in _YES:
        raise UsageMistake(Mistake("neither yes nor no", where, repr(text), "yes or no"))
    return Answer("yes" if _YES[text.casefold()] else "no")


def read_answers(
    reader: AnswerReader, questions: Mapping[str, Question], told: Mapping[str, str]
) -> dict[str, Answer | None]:
    """Return the answer to each question: as told, or else its default; None where it is left open and may be.

    Raises UsageMistake with everything that is wrong: answers to what is not asked, and questions without an answer.
    """
    mistakes: list[Mistake] = []
    answers: dict[str, Answer | None] = {}
    for name in told:
        if name not in questions:
            hint = nearest(name, questions)
            asked = listed(questions) if questions else "no answer: the page asks nothing"
            mistakes.append(Mistake("the page asks no such question", f"{reader.where} {name}", "", asked, hint))
    for name, question in questions.items():
        text = told.get(name, question.default)
        if not reader.is_asked(question):
            answers[name] = reader.given[name] = None
            if told.get(name, "").strip():
                what = f"this is asked only where `{question.when}` holds"
                mistakes.append(Mistake(what, f"{reader.where} {name}", repr(text)))
            continue
        if not text.strip():
            reader.given[name] = None
            answers[name] = None
            if not question.optional:
                what, step = "a question without an answer", f"give --answer {name}=VALUE"
                label = f"{question.label or name} ({question.kind})"
                mistakes.append(Mistake(what, f"{reader.where} {name}", label, next_step=step))
            continue
        try:
            answers[name] = reader.read(name, question, text)
        except AlmanacError as error:
            mistakes += [
                each if name in told else replace(each, what=f"its default: {each.what}") for each in error.mistakes
            ]
    if mistakes:
        raise UsageMistake(*mistakes)
    return answers


def rule_words(question: Question) -> str:
    """Return what an answer may be, for a person who is asked."""
    kinds = {
        "year": "a fiscal year, as 2026",
        "quarter": "a quarter, as 2026-Q2",
        "period": "a period, as 2026-P08",
        "day": "a day, as 2026-05-31",
        "days": "two days, as 2026-05-01 through 2026-05-31",
        "span": "a year, quarter or period, as 2026-P08",
        "amount": "an amount",
        "count": "a whole number",
        "choice": listed(question.choices),
        "list": "values with commas between" + (f": {', '.join(question.choices)}" if question.choices else ""),
        "text": "a text",
        "yes-no": "yes or no",
    }
    words = [kinds[question.kind]]
    words += [f"from {question.least}"] if question.least else []
    words += [f"through {question.most}"] if question.most and question.kind not in ("amount", "count") else []
    words += [f"at most {question.most}"] if question.most and question.kind in ("amount", "count") else []
    words += [f"at most {question.longest} long"] if question.longest else []
    words += ["or nothing"] if question.optional else []
    return ", ".join(words)
