"""Checks of the ledger itself: balance, periods, closed periods, carried balances, numbering."""

import re
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.lines.conditions import read_condition
from level_almanac.core.lines.source_place import SOURCE_PLACE
from level_almanac.core.reports.check.findings import KINDS, Checked, Finding, FoundLine
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.table.exact import figure_words, off_words
from level_almanac.core.table.model import CountedAmount, Proof
from level_almanac.errors import BookMistake, Mistake, UsageMistake, how_many, listed, nearest
from level_almanac.files.currencies import decimals_of
from level_almanac.store import ledger_checks
from level_almanac.store.check_record import CheckRecord
from level_almanac.store.engine import Row
from level_almanac.store.expressions import Constant, Expression, FieldReference
from level_almanac.store.ledger_sums import MOVEMENT, Slice
from level_almanac.store.line_query import Asked, Order, groups, lines
from level_almanac.store.numbering import not_followed
from level_almanac.store.predicate import FieldTest, FiscalRange

_ZERO = Decimal(0)
_DIGITS = re.compile("[0-9]+")


class PeriodSums(NamedTuple):
    """What a period of an entity holds: how many lines, and their debits and credits."""

    lines: int
    debit: Decimal
    credit: Decimal


def unbalanced(book: Book) -> Checked:
    """Return the journals whose debits and credits differ."""
    rows = ledger_checks.unbalanced_journals(book.engine, book.journals, ledger_checks.ALL)
    journals, lines_ = ledger_checks.journals_counted(book.engine, book.journals)
    findings = []
    fields = book.line_fields("ledger")
    told: defaultdict[tuple[str, str], list[FoundLine]] = defaultdict(list)
    names = ("entity", "journal", "line", "account", "amount", "posted")
    rules = [
        FieldTest("entity", "is", tuple(sorted({entity for entity, *_ in rows}))),
        FieldTest("journal", "is", tuple(sorted({journal for _, journal, *_ in rows}))),
    ]
    values: list[Expression] = [*(FieldReference(name) for name in names), SOURCE_PLACE]
    order = [Order(FieldReference("line"), as_number=True)]
    for row in lines(book.engine, book.line_source(fields, rules), values, order) if rows else ():
        entity, journal, line, account, value, day, place = row
        told[entity, journal].append(FoundLine(f"line {line} on {account}", place, value, day))
    for entity, journal, _, amount, _ in rows:
        words = f"{entity} journal {journal}: debits less credits"
        findings.append(Finding(f"{entity}/{journal}", words, tuple(told[entity, journal]), amount))
    return Checked(KINDS["unbalanced"], findings, how_many(journals, "journal"), proofs=(_looked(book, lines_),))


def _looked(book: Book, lines_: int) -> Proof:
    loaded = sum(each.lines for each in book.state.files_of("ledger"))
    return Proof("", CountedAmount(loaded, _ZERO), CountedAmount(lines_, _ZERO), (), verb="looked at")


def outside(book: Book) -> tuple[Checked, list[Finding]]:
    """Return the journals dated outside the period they are in; and apart those dated after it, where it is closed."""
    journals: defaultdict[tuple[str, str, int, date], list[FoundLine]] = defaultdict(list)
    rows = ledger_checks.lines_outside(book.engine, book.parts_of("ledger"), book.day_parts)
    for entity, journal, line, posted, fiscal, account, amount, memo, file, number in rows:
        told = FoundLine(f"line {line} on {account}, {memo or 'no memo'}", f"{file}:{number}", amount, posted)
        journals[entity, journal, fiscal, posted].append(told)
    within: list[Finding] = []
    into_closed: list[Finding] = []
    for (entity, journal, fiscal, posted), told_lines in journals.items():
        calendar = book.calendar_by_entity[entity]
        period = calendar.period(fiscal // 100, fiscal % 100)
        words = f"{entity} {journal}: posted {day_words(posted)} into {period}"
        debits = sum((max(line.amount or _ZERO, _ZERO) for line in told_lines), _ZERO)
        finding = Finding(f"{entity}/{journal}", words, tuple(told_lines), debits)
        if period is not None and calendar.is_closed(period) and posted > period.last:
            into_closed.append(finding._replace(words=f"{words}, which is closed"))
        else:
            within.append(finding._replace(severity="warning"))
    return Checked(KINDS["outside"], within, _lines_words(book)), into_closed


def _lines_words(book: Book) -> str:
    return how_many(sum(loaded.lines for loaded in book.state.files_of("ledger")), "ledger line")


def closed_sums(book: Book, rows: Sequence[Row]) -> dict[str, PeriodSums]:
    """Return what every closed period holds, by `ENTITY/PERIOD`. rows: what periods hold, as the store tells it."""
    held: dict[str, PeriodSums] = {}
    for entity, fiscal, count, debit, credit in rows:
        calendar = book.calendar_by_entity[entity]
        period = calendar.period(fiscal // 100, fiscal % 100)
        if period is not None and calendar.is_closed(period):
            held[f"{entity}/{period}"] = PeriodSums(count, Decimal(debit), Decimal(credit))
    return held


def _changes_words(book: Book, entity: str, now: PeriodSums, old: PeriodSums) -> str:
    """Return by what a period changed: `lines +2, debits +940.10, credits +940.10`."""
    decimals = decimals_of(book.settings.entities[entity].currency)
    sides = [off_words(one - other, decimals) for one, other in ((now.debit, old.debit), (now.credit, old.credit))]
    return f"lines {off_words(Decimal(now.lines - old.lines), 0)}, debits {sides[0]}, credits {sides[1]}"


def closed_changes(book: Book, before: Sequence[Row], after: Sequence[Row]) -> Iterator[str]:
    """Yield in words which closed periods a load changed, and by what. before, after: what periods hold about it."""
    was, now = closed_sums(book, before), closed_sums(book, after)
    nothing = PeriodSums(0, _ZERO, _ZERO)
    for key in sorted(was.keys() | now.keys()):
        one, other = was.get(key, nothing), now.get(key, nothing)
        if one != other:
            changes = _changes_words(book, key.partition("/")[0], other, one)
            yield f"{key.replace('/', ' ')} is closed, and this load changed it: {changes}"


class ClosedPeriods(NamedTuple):
    """What became of closed periods. found: what can be accepted; held: by `ENTITY/PERIOD` what the next run holds them
    against, and since when; accepted: what was taken as right, in words, by what it was.
    """

    checked: Checked
    found: tuple[str, ...]
    held: Mapping[str, tuple[PeriodSums, str]]
    accepted: Mapping[str, str]


def closed(
    book: Book, into_closed: Sequence[Finding], before: CheckRecord | None, accepting: Sequence[str], now_words: str
) -> ClosedPeriods:
    """Return what was posted into closed periods and how they changed, and what the next run is to go by.

    A change is found by every run until it is accepted. before: what the last run kept; accepting: periods, as
    `ENTITY/PERIOD`, and journals, as `ENTITY/JOURNAL`, whose changes are taken as right. Raises UsageMistake for one in
    which nothing is found.
    """
    sums = closed_sums(book, ledger_checks.period_sums(book.engine, book.store.path_of(book.ledger_state.rollup)))
    accepted = dict(before.accepted) if before else {}
    held = {key: (now, now_words) for key, now in sums.items()}
    found: dict[str, Finding] = {each.key: each for each in into_closed if _in_full(each) != accepted.get(each.key)}
    for key, (lines_, debit, credit, *since) in (before.closed if before else {}).items():
        old = PeriodSums(int(lines_), Decimal(str(debit)), Decimal(str(credit)))
        told = str(since[0]) if since else before.closed_at if before else ""
        if key not in sums:
            continue
        if sums[key] == old or key not in accepting:
            held[key] = (old, told)
        entity, _, period_id = key.partition("/")
        changed = (
            f"{entity} {period_id} changed since the check of {told}: {_changes_words(book, entity, sums[key], old)}"
        )
        if sums[key] != old:
            now = sums[key]
            name = f"{key}/{now.lines}/{now.debit}/{now.credit}"
            found[key] = Finding(name, changed, (), abs(now.debit - old.debit))
    for key in accepting:
        if key not in found and key in accepted:
            continue
        if key not in found:
            step = "an entity and its period, or a journal of it, such as LINE/2026-P08"
            raise UsageMistake(
                Mistake("nothing is found there", "--accept", repr(key), listed(found) or step, nearest(key, found))
            )
        accepted[key] = _in_full(found.pop(key))
    checked = Checked(KINDS["closed"], list(found.values()), how_many(len(sums), "closed period"))
    return ClosedPeriods(checked, tuple(found), held, accepted)


def _in_full(finding: Finding) -> str:
    return f"{finding.words}: {figure_words(finding.amount)}" if finding.lines and finding.amount else finding.words


def carried(book: Book) -> Checked:
    """Return the balances that were carried into a year unlike what the lines before it come to."""
    years = ledger_checks.carried_years(book.engine, book.store.path_of(book.ledger_state.rollup))
    later = [(entity, fiscal) for entity, fiscal in years if fiscal != book.state.bases.get(entity)]
    measures: dict[str, tuple[Slice, ...]] = {}
    for fiscal in sorted({fiscal for _, fiscal in later}):
        year = fiscal // 100 * 100
        measures[f"carried {fiscal}"] = (Slice(("carried",), (FiscalRange(fiscal, fiscal),)),)
        measures[f"computed {fiscal}"] = (
            Slice(MOVEMENT, (FiscalRange(0, year),)),
            Slice(("base",), (FiscalRange(0, year),)),
        )
    if not measures:
        return Checked(KINDS["carried"], skipped="no year after the first was carried into")
    sums = book.sums(measures)
    findings: list[Finding] = []
    for entity, fiscal in later:
        findings += _carried_into(book, entity, fiscal, sums)
    return Checked(KINDS["carried"], findings, f"{how_many(len(later), 'year')} carried into")


def _carried_into(book: Book, entity: str, fiscal: int, sums: Mapping[tuple[str, str], Any]) -> Iterator[Finding]:
    retained = book.settings.entities[entity].retained_earnings
    was: defaultdict[str, Decimal] = defaultdict(Decimal)
    computed: defaultdict[str, Decimal] = defaultdict(Decimal)
    for (code, account), balance in sums.items():
        if code == entity:
            was[account] += balance[f"carried {fiscal}"].amount
            # What is left on income and expense belongs to retained earnings once its year is over.
            under = retained if book.chart[account].is_income else account
            computed[under] += balance[f"computed {fiscal}"].amount
    year = book.calendar_by_entity[entity].year(fiscal // 100)
    places = decimals_of(book.settings.entities[entity].currency)
    for account in sorted({*was, *computed}):
        if was[account] == computed[account]:
            continue
        words = (
            f"{entity} {account} {book.chart[account].name} into {year.year}: "
            f"carried {figure_words(was[account], places)}, computed {figure_words(computed[account], places)}"
        )
        told = tuple(
            FoundLine(f"carried in {journal}/{line}", place, amount, day)
            for journal, line, amount, day, place in _carried_lines(book, entity, account, fiscal)
        )
        balances = (was[account], computed[account])
        yield Finding(f"{entity}/{account}/{fiscal}", words, told, balances[0] - balances[1], carried=balances)


def _carried_lines(book: Book, entity: str, account: str, fiscal: int) -> list[tuple[Any, ...]]:
    rules = [
        FieldTest("entity", "is", (entity,)),
        FieldTest("account", "is", (account,)),
        FieldTest("entry", "is", ("carried",)),
        FieldTest("period", "is", (f"{fiscal // 100}-P{fiscal % 100:02d}",)),
    ]
    values: list[Expression] = [FieldReference(name) for name in ("journal", "line", "amount", "posted")]
    values.append(SOURCE_PLACE)
    return lines(book.engine, book.line_source(book.line_fields("ledger"), rules), values, ())


def gaps(book: Book, reach: AsOf) -> Checked:
    """Return the gaps in the numbers that the book says run without one."""
    if not book.settings.numbering:
        return Checked(KINDS["gaps"], skipped="the book names no numbers that run without a gap, as [[numbering]]")
    findings: list[Finding] = []
    looked = 0
    for at, numbering in enumerate(book.settings.numbering, 1):
        fields = book.line_fields(numbering.table)
        rules = []
        if numbering.only:
            rules.append(read_condition(numbering.only, fields, f"numbering[{at}].only", BookMistake, reach))
        entity = FieldReference("entity") if fields.table.field("entity") else Constant("")
        number = FieldReference(numbering.field)
        # Of journals the numbers stand in parts of their own, which are fewer than lines.
        of_journals = (numbering.table, numbering.field) == ("ledger", "journal") and book.journals.written
        numbers = book.line_source(fields, rules, book.journals.parts if of_journals and not rules else None)
        count, steps = not_followed(book.engine, numbers, entity, number)
        looked += count
        if steps:
            texts = tuple(sorted({text for _, *both in steps for text in both}))
            source = book.line_source(fields, [*rules, FieldTest(numbering.field, "is", texts)])
            found = groups(book.engine, source, [entity, number], [Asked(SOURCE_PLACE, "minimum")])
            places = {(code, text): place for code, text, _, place in found}
            findings += _gaps(f"{numbering.table}.{numbering.field}", steps, places)
    return Checked(KINDS["gaps"], findings, how_many(looked, "number"))


def _gaps(what: str, steps: Sequence[Sequence[str]], places: Mapping[tuple[str, str], str]) -> Iterator[Finding]:
    for entity, first, last in steps:
        missing = int(_last_digits(last)) - int(_last_digits(first)) - 1
        if not missing:
            continue
        words = f"{entity} {what}: {missing:,} missing between {first} and {last}".strip()
        told = tuple(FoundLine(text, places[entity, text]) for text in (first, last))
        yield Finding(f"{entity}/{what}/{first}", words, told)


def _last_digits(text: str) -> str:
    return str(_DIGITS.findall(text)[-1])
