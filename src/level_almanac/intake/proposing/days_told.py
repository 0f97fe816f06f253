"""How an export writes its days, periods and years."""

import re
from collections.abc import Sequence

from level_almanac.errors import BookMistake, listed
from level_almanac.files.patterns import day_pattern, period_pattern, strptime_pattern
from level_almanac.files.settings import IntakeBlock
from level_almanac.intake.periods import year_told
from level_almanac.intake.proposing.columns import ColumnProfile
from level_almanac.intake.proposing.draft import Draft
from level_almanac.intake.proposing.guesses import date_guess, period_guess
from level_almanac.intake.proposing.words import heads_for
from level_almanac.intake.shaping.head_words import HEAD, SHEET


def dates(draft: Draft) -> None:
    """Say how days are written."""
    dated = [
        column
        for each in draft.table.fields
        if each.kind == "date" and (column := draft.fit.mapped.get(each.name)) and column.date is not None
    ]
    guesses = [column.date for column in dated if column.date]
    for name, column in draft.fit.unfit.items():
        if any(each.name == name and each.kind == "date" for each in draft.table.fields) and name not in draft.fields:
            draft.unsure.append(unfit_words(name, "dates", column))
    common = [{guess.pattern, *guess.others} for guess in guesses]
    fitting = [each for guess in guesses for each in (guess.pattern, *guess.others)]
    shared = [each for each in dict.fromkeys(fitting) if all(each in one for one in common)]
    patterns = shared[:1] or list(dict.fromkeys(guess.pattern for guess in guesses))
    if shared[1:]:
        draft.unsure.append(f"day and month: {guesses[0].sample} and all others fit {listed(shared)}")
    if patterns and patterns != ["YYYY-MM-DD"]:
        draft.keys["dates"] = patterns[0] if len(patterns) == 1 else patterns
    _without_year(draft, patterns)


def _without_year(draft: Draft, patterns: Sequence[str]) -> None:
    plain_ones = all(strptime_pattern(pattern) for pattern in patterns)
    found = [each for pattern in patterns if not plain_ones and (each := day_pattern(pattern))]
    if any(not each.has_year for each in found):
        _year(draft)
    if any(not each.has_day for each in found):
        draft.keys["day"] = "last"
        draft.unsure.append("day: months are taken for their last day")


def _year_beside(draft: Draft, column: ColumnProfile) -> str:
    """Return the head of the years that stand in a column beside that of the periods' numbers, or nothing."""
    if column.period not in ("PP", "PPP"):
        return ""
    heads = heads_for("fiscal_year", [each.head for each in draft.columns if each is not column])
    texts = next((each.texts for each in draft.columns if heads and each.head == heads[0]), ())
    return heads[0] if texts and all(re.fullmatch(r"(19|20)\d\d", text) for text in texts) else ""


def _year(draft: Draft) -> None:
    if "year" in draft.keys:
        return
    try:
        year = year_told(IntakeBlock(table="", year="file name"), draft.name, "")
    except BookMistake:
        year = None
    draft.keys["year"] = "file name" if year else "YEAR"
    if not year:
        draft.unsure.append('year: nothing tells it; say year = 2026, or what it is, in place of "YEAR"')


def unfit_words(name: str, kind: str, column: ColumnProfile) -> str:
    """Return in words that a head names a field whose texts are of another kind."""
    sample = column.texts[0] if column.texts else ""
    return f"{name}: {column.head!r} is named like it, and not all of its texts are {kind} in one way, as {sample!r}"


def period(draft: Draft) -> None:
    """Say how periods are written."""
    column = draft.fit.mapped.get("period")
    if draft.fields.get("period") == HEAD:
        return
    if column is None or "period" not in draft.fields:
        if draft.table.plan_of and draft.found.grid.sheets and "date" not in draft.fields:
            draft.fields["period"] = SHEET
            period_of(draft, [], "Mon")
        return
    year = _year_beside(draft, column)
    if year:
        draft.fields["period"] = {"join": [year, column.head]}
        draft.taken.add(year)
        period_of(draft, [f"2000-{text}" for text in column.texts], "YYYY-PPP" if column.period == "PPP" else "YYYY-PP")
    elif column.period or not draft.table.plan_of:
        period_of(draft, column.texts, period_guess(column.texts))
    if draft.table.name == "ledger" and "posted" not in draft.fields:
        draft.set["posted"] = "end of period"
        draft.settled.add("posted")


def period_of(draft: Draft, texts: Sequence[str], pattern: str) -> None:
    """Say how periods with these texts, or heads, are written."""
    if not pattern:
        if "date" not in draft.fields and texts and date_guess(texts):
            draft.fields.pop("period", None)
            draft.fields["date"] = HEAD
            draft.keys["dates"] = date_guess(texts).pattern  # type: ignore[union-attr]
            return
        draft.unsure.append(f"period: {texts[0] if texts else 'nothing'} fits no pattern that is known")
        return
    # A month by number and its year is mostly the calendar's, where the year is not the fiscal one.
    if pattern == "YYYY-PP" and texts and draft.fields.get("period") == HEAD:
        pattern = "YYYY-MM"
        if isinstance(draft.keys.get("across", {}).get("heads"), str):
            draft.keys["across"]["heads"] = pattern
    if pattern != "YYYY-PPP":
        draft.keys["period"] = pattern
    expression = period_pattern(pattern)
    matches = [match for text in texts if expression and (match := expression.fullmatch(text))]
    numbers = [int(match["number"]) for match in matches if "number" in match.groupdict()]
    if max(numbers, default=0) > 12:
        draft.unsure.append(f"period {max(numbers)}: the calendar has to have it, see extra_periods in [calendar]")
    if expression and "year" not in expression.groupindex and (draft.table.plan_of or "posted" not in draft.fields):
        _year(draft)
