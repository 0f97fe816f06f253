"""The SQL that turns an export's texts into typed fields, and that finds each text which cannot be turned.

A typed read would round `1.005` in silence and take `1e3` for a number, so each text must match one pattern whole
before it is cast, and what does not match is never guessed at.
"""

import re
from collections.abc import Callable, Mapping, Sequence
from typing import Literal

from level_almanac.files.tables import Field
from level_almanac.immutable import immutable
from level_almanac.store.binding import Binding

Reason = Literal[
    "blank",
    "choice",
    "date",
    "ambiguous-date",
    "number",
    "decimals",
    "both-sides",
    "no-side",
    "period",
    "carried-day",
    "calendar-day",
    "plan-name",
    "plan-when",
    "plan-amount",
    "account",
    "negative",
    "side",
]


YEARS = "1900 and 2199"
"""The years that a date can lie in."""


@immutable
class Source:
    """Where a field's text comes from: a column of the export, one constant, or neither (always blank).

    values: the export's words and ours; choices: the only words allowed after that, or empty; day: whether the day that
    its text is stands in a column beside it already.
    """

    field: Field
    column: int | None = None
    constant: str | None = None
    values: Mapping[str, str] | None = None
    choices: tuple[str, ...] = ()
    day: bool = False


@immutable
class NumberForm:
    """How numbers are written. decimals: per entity, how many its currency has; scale: how many are stored.

    currency_signs: what may stand about an amount; ways: what else a number may be written with; debit, credit: words
    at an amount that make it one or the other; without words for debits, what has none is a debit.
    """

    decimal: str
    thousands: str
    negatives: tuple[str, ...]
    decimals: Mapping[str, int]
    scale: int
    currency_signs: tuple[str, ...] = ()
    ways: tuple[str, ...] = ()
    debit: tuple[str, ...] = ()
    credit: tuple[str, ...] = ()

    @property
    def is_plain(self) -> bool:
        """Whether nothing beside figures and signs stands in a number."""
        return not (self.currency_signs or self.ways or self.credit)


@immutable
class Turning:
    """What makes the amounts of a line the other way round. test: the SQL test of that; side: the SQL of the text that
    is to say one of `words`, where one is.
    """

    test: str
    side: str = ""
    words: tuple[str, ...] = ()


ALL_TURNED = Turning("true")
_MOST_DECIMALS = 4
"""How many decimals a number has at the most that is in no currency of an entity."""


def turned_where(text: str, words: Sequence[str], bind: Binding) -> Turning:
    """Return what turns the amounts of lines on which a text is one of these words."""
    return Turning(f"coalesce({text} in {bind.many(words)}, false)")


def turned_by_side(column: int, debit: Sequence[str], credit: Sequence[str], bind: Binding) -> Turning:
    """Return what turns the amounts of lines that a column calls credits; without words for debits, all others are."""
    side = f"c{column}"
    return Turning(turned_where(side, credit, bind).test, side, (*debit, *credit) if debit else ())


@immutable
class Cast:
    """One field as SQL: its typed value, the text it comes from, and per reason what makes that text wrong.

    sure: a quicker test than `wrong`, true only where nothing is; empty where there is none; side: the SQL of the text
    that says whether it is a debit, where another does.
    """

    field: Field
    value: str
    text: str
    wrong: tuple[tuple[Reason, str], ...]
    sure: str = ""
    side: str = ""


def number_pattern(form: NumberForm, decimals: str = "+", digits: str = "+") -> str:
    """Return the pattern that a number must match whole.

    decimals: how many there may be after the decimal sign, or empty for no sign at all; digits: how many before it
    where no thousands are set off.
    """
    decimal, thousands = re.escape(form.decimal), re.escape(form.thousands)
    whole = rf"(?:\d{{1,3}}(?:{thousands}\d{{3}})+|\d{digits})" if form.thousands else rf"\d{digits}"
    body = rf"(?:{whole}(?:{decimal}\d{decimals})?|{decimal}\d{decimals})" if decimals else whole
    ways = {
        "minus": rf"[-−+]{body}",
        "trailing-minus": rf"{body}[-−]",
        "parentheses": rf"\({body}\)",
        "crdr": rf"{body} ?(?i:CR|DR)",
    }
    return "|".join([body, *(ways[negative] for negative in form.negatives)])


def casts(
    sources: Sequence[Source],
    dates: Sequence[str],
    form: NumberForm,
    bind: Binding,
    zone: str = "UTC",
    turn: Callable[[Mapping[str, str]], Turning | None] = lambda _: None,
) -> dict[str, Cast]:
    """Return each field's cast by name.

    dates: strptime patterns; zone: in whose days a time that has a zone of its own is counted; turn: takes the SQL of
    each field's text and returns what turns the amounts that are called so.
    """
    texts = {source.field.name: _text(source, bind) for source in sources}
    columns = {}
    turning = turn(texts)
    for source in sources:
        name, text = source.field.name, texts[source.field.name]
        sure = side = ""
        match source.field.kind:
            case "date" if source.day:
                value, wrong = _told_day(text, f"d{source.column}")
            case "date":
                value, wrong = _date(text, dates, bind, zone)
            case "amount":
                value, wrong = _number(text, form, texts.get("entity", "null"), bind)
                sure = _surely_number(text, form, min(form.decimals.values()), bind)
                if turning and name == "amount":
                    value, side = f"(case when {turning.test} then -{value} else {value} end)", turning.side
                    wrong += _wrong_side(turning, text, bind)
                    sure = "" if turning.words else sure
            case "quantity":
                value, wrong = _number(text, form, "null", bind)
                sure = _surely_number(text, form, _MOST_DECIMALS, bind)
            case _:
                value, wrong = text, []
        if source.field.positive:
            wrong.append(("negative", f"{value} < 0"))
            sure = ""
        if source.choices:
            wrong.append(("choice", f"{text} not in ({', '.join(bind(choice) for choice in source.choices)})"))
        if source.field.required:
            # A blank is no wrong number, but still is wrong where there must be one.
            sure = sure and f"({text} is not null and {sure})"
            wrong.insert(0, ("blank", f"{text} is null"))
        told = tuple((why, f"coalesce({sql}, false)") for why, sql in wrong)
        columns[name] = Cast(source.field, value, text, told, sure, side)
    return columns


def _text(source: Source, bind: Binding) -> str:
    if source.constant is not None:
        return f"{bind(source.constant)}::varchar"
    if source.column is None:
        return "null::varchar"
    text = f"c{source.column}"
    if source.values:
        cases = " ".join(f"when {text} = {bind(word)} then {bind(ours)}" for word, ours in source.values.items())
        return f"(case {cases} else {text} end)"
    return text


def _day_sql(text: str, pattern: str, bind: Binding, zone: str) -> str:
    if "%z" not in pattern:
        return f"try_strptime({text}, {bind(pattern)})::date"
    # The engine reads an offset but no `Z`; the day is that of the book's clock at that moment.
    moment = f"try_strptime(regexp_replace({text}, 'Z$', '+00:00'), {bind(pattern)})"
    day = f"(make_timestamp(epoch_us({moment})) at time zone 'UTC' at time zone {bind(zone)})::date"
    # Clocks differ from UTC by no more than fourteen hours; the engine takes any two digits.
    offset = bind(r"(Z|[+-](0[0-9]|1[0-4])(:?[0-5][0-9])?)$")
    return f"(case when regexp_matches({text}, {offset}) then {day} end)"


def _date(text: str, patterns: Sequence[str], bind: Binding, zone: str) -> tuple[str, list[tuple[Reason, str]]]:
    reads = [_day_sql(text, pattern, bind, zone) for pattern in patterns]
    value = reads[0] if len(reads) == 1 else f"coalesce({', '.join(reads)})"
    wrong: list[tuple[Reason, str]] = [
        # `%Y` takes 26 for a year, and 9999 stands for "never"; no fiscal year holds either. To the engine `infinity`
        # and `epoch` are days too.
        ("date", f"{text} is not null and not coalesce(year({value}) between {YEARS} and {_has_digit(text)}, false)")
    ]
    if len(reads) > 1:
        wrong.append(("ambiguous-date", f"len(list_distinct([{', '.join(reads)}])) > 1"))
    return value, wrong


def _wrong_side(turning: Turning, text: str, bind: Binding) -> list[tuple[Reason, str]]:
    if not turning.words:
        return []
    known = ", ".join(bind(word) for word in turning.words)
    return [("side", f"{text} is not null and not coalesce({turning.side} in ({known}), false)")]


def _told_day(text: str, day: str) -> tuple[str, list[tuple[Reason, str]]]:
    """Return the same of a text whose day stands beside it, as `?` where it could be two days."""
    value = f"try_cast({day} as date)"
    return value, [
        ("date", f"{text} is not null and {day} is null"),
        ("ambiguous-date", f"{day} = '?'"),
    ]


def _has_digit(text: str) -> str:
    return f"regexp_matches({text}, '[0-9]')"


def _number(text: str, form: NumberForm, entity: str, bind: Binding) -> tuple[str, list[tuple[Reason, str]]]:
    pattern, original = bind(number_pattern(form)), text
    text = _plain_number(text, form, bind)
    digits = text
    for sign in _signs(form):
        digits = f"replace({digits}, {bind(sign)}, '')"
    if form.decimal != ".":
        digits = f"replace({digits}, {bind(form.decimal)}, '.')"
    scale = _MOST_DECIMALS if entity == "null" else form.scale
    cast = f"try_cast({digits} as decimal(18, {scale}))"
    turned = " or ".join(f"contains({text}, {bind(sign)})" for sign in _signs(form) if sign in _TURNING)
    if form.credit:
        credit = f"regexp_matches({original}, {bind(_words_about(form.credit))})"
        turned = f"({turned}) <> {credit}" if turned else credit
    value = f"(case when {turned} then -{cast} else {cast} end)" if turned else cast
    if entity == "null":
        allowed = str(_MOST_DECIMALS)
    elif len(set(form.decimals.values())) == 1:
        allowed = bind(next(iter(form.decimals.values())))
    else:
        cases = " ".join(f"when {bind(code)} then {bind(count)}" for code, count in form.decimals.items())
        allowed = f"(case {entity} {cases} end)"
    matches = f"regexp_full_match({text}, {pattern})"
    decimals = f"split_part({digits}, '.', 2)"
    if "noise" in form.ways:
        # What a binary float adds to a sum of cents is far below a thousandth of one.
        noise = f"abs(try_cast({digits} as decimal(38, 18)) - {cast}) < 0.00001"
        decimals = f"(case when {noise} then rtrim(split_part({cast}::varchar, '.', 2), '0') else {decimals} end)"
    elif "extra-zeros" in form.ways:
        decimals = f"rtrim({decimals}, '0')"
    wrong: list[tuple[Reason, str]] = [
        ("number", f"{original} is not null and (not coalesce({matches}, false) or ({cast} is null))"),
        ("decimals", f"{matches} and length({decimals}) > {allowed}"),
    ]
    if form.debit:
        either = bind(_words_about((*form.debit, *form.credit)))
        wrong.append(("side", f"{matches} and {cast} <> 0 and not regexp_matches({original}, {either})"))
    return value, wrong


def number_sql(text: str, form: NumberForm, bind: Binding) -> str:
    """Return the SQL of the number that a text is, or null where it is none."""
    value, wrong = _number(text, form, "null", bind)
    return f"(case when not coalesce({wrong[0][1]}, false) then {value} end)"


_BLANKS = r"[ \x{A0}\x{202F}\x{2009}]"


def _words_about(words: Sequence[str]) -> str:
    """Return the pattern of one of these words at the beginning or the end of a text."""
    either = "|".join(re.escape(word) for word in words)
    return rf"^(?:{either}){_BLANKS}*[^\pL]|(?:[^\pL]|^)(?:{either})$"


def _plain_number(text: str, form: NumberForm, bind: Binding) -> str:
    """Return the SQL of a number's text without what may stand about it; a sign between two figures is left there."""
    if form.is_plain:
        return text
    words = (*form.debit, *form.credit)
    if words:
        either = "|".join(re.escape(word) for word in words)
        pattern = rf"^(?:{either}){_BLANKS}*|{_BLANKS}*(?:{either})$"
        text = f"regexp_replace({text}, {bind(pattern)}, '')"
    if form.currency_signs:
        either = "|".join(re.escape(sign) for sign in form.currency_signs)
        pattern = rf"(^|[^0-9]){_BLANKS}*(?:{either}){_BLANKS}*|{_BLANKS}*(?:{either}){_BLANKS}*([^0-9]|$)"
        text = f"trim(regexp_replace({text}, {bind(pattern)}, '\\1\\2'))"
    if "percent" in form.ways:
        text = f"regexp_replace({text}, {bind(_BLANKS + '*%$')}, '')"
    if "spaces" in form.ways:
        about = rf"(^|[^0-9.,']){_BLANKS}+|{_BLANKS}+([^0-9.,']|$)"
        text = f"regexp_replace({text}, {bind(about)}, '\\1\\2', 'g')"
    if "dash-zero" in form.ways:
        text = f"(case when {text} in ('-', '--', '–', '—', '−') then '0' else {text} end)"
    return text


_TURNING = ("-", "−", "(", "CR", "cr", "Cr", "cR")


def _signs(form: NumberForm) -> list[str]:
    """Return all that a number may hold beside its digits and decimal sign; the pattern sees to where it stands.

    Replacing one after the other is many times faster in the engine than one translation or pattern.
    """
    signs = [form.thousands] if form.thousands else []
    if {"minus", "trailing-minus"} & set(form.negatives):
        signs += ["-", "−", "+"]
    if "parentheses" in form.negatives:
        signs += ["(", ")"]
    if "crdr" in form.negatives:
        signs += ["CR", "cr", "Cr", "cR", "DR", "dr", "Dr", "dR", " "]
    return signs


def _surely_number(text: str, form: NumberForm, decimals: int, bind: Binding) -> str:
    if not form.is_plain:
        return ""
    pattern = number_pattern(form, f"{{1,{decimals}}}" if decimals else "", "{1,12}")
    return f"({text} is null or (length({text}) < 18 and regexp_full_match({text}, {bind(pattern)})))"
