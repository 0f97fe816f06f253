"""Laws that hold for any book: made-up ledgers over any year start, against plain loops that share no code with it."""

import calendar
import itertools
import tempfile
from collections import defaultdict
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from conftest import BOOK, CHART, HEADS, PERIOD_AND_SIDES, examples
from level_almanac.core.book import Book
from level_almanac.core.lines.book_rules import entry_class_rules
from level_almanac.core.reports.statement.report import StatementRequest, statement
from level_almanac.core.reports.trial.report import TrialRequest, trial
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.intake.load import LoadOptions, LoadRules, load

FIRST, LAST = date(2024, 7, 1), date(2025, 8, 31)
ACCOUNTS = ("1000", "1590", "2000", "3000", "4010", "4090", "5000", "6000")
INCOME = {"4010": -1, "4090": -1, "5000": 1, "6000": 1}


@dataclass(frozen=True)
class Year:
    """A fiscal year's start month and how it is named, in plain arithmetic."""

    month: int
    named_by: str

    def of(self, day: date) -> tuple[int, int]:
        started = day.year if day.month >= self.month else day.year - 1
        return started + (self.named_by == "end" and self.month > 1), (day.month - self.month) % 12 + 1

    def edges(self, year: int, period: int) -> tuple[date, date]:
        if period > 12:
            return (self.edges(year, 12)[1],) * 2
        started = year - (self.named_by == "end" and self.month > 1)
        month = self.month + period - 1
        first = date(started + (month - 1) // 12, (month - 1) % 12 + 1, 1)
        return first, first.replace(day=calendar.monthrange(first.year, first.month)[1])


@dataclass(frozen=True)
class Entry:
    """One ledger line. period: its own one, if the export tells it."""

    journal: int
    day: date
    period: tuple[int, int] | None
    account: str
    cents: int
    source: str


@dataclass(frozen=True)
class Placed:
    """Where a line counts. kind: carried, closing or moved."""

    year: int
    period: int
    day: date
    account: str
    cents: int
    kind: str


@st.composite
def ledgers(draw: st.DrawFn) -> tuple[Year, list[Entry]]:
    year = Year(draw(st.integers(1, 12)), draw(st.sampled_from(["start", "end"])))
    entries = []
    for journal in range(draw(st.integers(1, 9))):
        carried = draw(st.booleans()) and draw(st.booleans())
        day = draw(st.dates(FIRST, LAST))
        period = None
        if carried:
            first, last = year.edges(year.of(day)[0], 1)[0], year.edges(year.of(day)[0], 12)[1]
            day = draw(st.sampled_from([first, last]))
        elif draw(st.booleans()):
            period = (year.of(day)[0], draw(st.sampled_from([*range(1, 13), 13, 13, 13])))
        cents = draw(st.lists(st.integers(-(10**9), 10**9).filter(bool), min_size=1, max_size=3))
        accounts = st.sampled_from([code for code in ACCOUNTS if not carried or code not in INCOME])
        sources = st.just("CF") if carried else st.sampled_from(["GJ", "GJ", "GJ", "CL"])
        amounts = [*cents, -sum(cents)]
        entries += [Entry(journal, day, period, draw(accounts), amount, draw(sources)) for amount in amounts]
    return year, [entry for entry in entries if entry.cents]


def placed(year: Year, entries: list[Entry]) -> list[Placed]:
    closing = {entry.journal for entry in entries if entry.source == "CL"}
    found = []
    for entry in entries:
        number, period = entry.period or year.of(entry.day)
        first, last = year.edges(number, period)
        if entry.source == "CF":
            opened = number + (entry.day == year.edges(number, 12)[1])
            found.append(Placed(opened, 1, year.edges(opened, 1)[0], entry.account, entry.cents, "carried"))
            continue
        kind = "closing" if entry.journal in closing else "moved"
        found.append(Placed(number, period, min(max(entry.day, first), last), entry.account, entry.cents, kind))
    return found


def open_book(folder: Path, year: Year, entries: list[Entry]) -> Book:
    text = BOOK.format(intake="", fields=PERIOD_AND_SIDES).replace(
        'year_start = "10-01"', f'year_start = "{year.month:02d}-01"\nyear_named_by = "{year.named_by}"'
    )
    (folder / "almanac.toml").write_text(text)
    (folder / "chart.csv").write_text(CHART)
    rows = []
    for number, entry in enumerate(entries):
        size = f"{Decimal(abs(entry.cents)) / 100:.2f}"
        period = f"{entry.period[0]}-P{entry.period[1]:02d}" if entry.period else ""
        sides = f"{size}," if entry.cents > 0 else f",{size}"
        rows.append(f"{entry.journal},{number},{entry.day},{period},{entry.account},{sides},{entry.source}\n")
    (folder / "ledger.csv").write_text(HEADS + "".join(rows))
    book = Book.open(folder)
    now = datetime(2026, 1, 1, tzinfo=UTC)
    load(
        book.file,
        book.store,
        book.calendar_by_entity,
        LoadRules(entry_class_rules(book), {}),
        now,
        LoadOptions(),
        book.choice,
    )
    return Book.open(folder)


def expected_trial(
    lines: list[Placed], year: Year, first: date, last: date, after_closing: bool
) -> dict[str, list[int]]:
    number = year.of(first)[0]
    start = min(line.year for line in lines)
    found: dict[str, list[int]] = defaultdict(lambda: [0, 0, 0])
    for line in lines:
        base = line.kind == "carried" and line.year == start
        if (line.kind == "carried" and not base) or line.year > number:
            continue
        if line.kind == "closing" and line.year == number and not after_closing:
            continue
        row = found["earlier-results" if line.account in INCOME and line.year < number else line.account]
        if base or line.year < number or line.day < first:
            row[0] += line.cents
        elif line.day <= last:
            row[1 if line.cents > 0 else 2] += abs(line.cents)
    return {key: row for key, row in found.items() if any(row)}


@examples(7)
@given(ledgers(), st.dates(FIRST, LAST), st.integers(0, 400), st.booleans())
def test_trial(ledger: tuple[Year, list[Entry]], first: date, length: int, after_closing: bool) -> None:
    year, entries = ledger
    last = min(first + timedelta(days=length), year.edges(year.of(first)[0], 12)[1])
    with tempfile.TemporaryDirectory() as folder:
        book = open_book(Path(folder), year, entries)
        table = trial(book, TrialRequest(first=first, last=last, after_closing=after_closing)).table
    shown = {row.key: row.cells for row in table.rows if row.kind == "line"}
    for key, row in expected_trial(placed(year, entries), year, first, last, after_closing).items():
        cells = shown.pop(key)
        assert [cells["opening"], cells["debit"], cells["credit"]] == [Decimal(cents) / 100 for cents in row], key
        assert cells["closing"] == Decimal(row[0] + row[1] - row[2]) / 100
    assert not any(cell for cells in shown.values() for cell in cells.values())
    assert table.proof is not None
    assert table.proof.balances, "every journal balances, so every trial balance does"
    assert table.proof.considered.lines == len(entries)


@examples(7)
@given(ledgers(), st.dates(FIRST, LAST), st.sampled_from(["with", "without"]))
def test_statement(ledger: tuple[Year, list[Entry]], day: date, adjustments: str) -> None:
    year, entries = ledger
    number, period = year.of(day)
    extra = adjustments == "with"
    with tempfile.TemporaryDirectory() as folder:
        book = open_book(Path(folder), year, entries)
        when = AsOfRequest(as_of=day, adjustments="with" if extra else "without")
        table = statement(book, StatementRequest(when=when, columns="ptd; ytd; year; year last year; change")).table
    lines = [line for line in placed(year, entries) if line.kind == "moved" and line.account in INCOME]
    columns = {
        "ptd": [line for line in lines if (line.year, line.period) == (number, period) and line.day <= day],
        "ytd": [line for line in lines if line.year == number and line.day <= day and (extra or line.period < 13)],
        # As of a day, nothing that is booked for later days is there.
        "year": [line for line in lines if line.year == number and line.day <= day and (extra or line.period < 13)],
        "year-last-year": [line for line in lines if line.year == number - 1 and (extra or line.period < 13)],
    }
    rows = {row.key: row.cells for row in table.rows}
    for key, within in columns.items():
        for account, sign in INCOME.items():
            moved = Decimal(sum(sign * line.cents for line in within if line.account == account)) / 100
            assert (rows.get(account, {}).get(key) or 0) == moved, (account, key)
        # A span that lies before the data has no figure.
        result = rows["result"].get(key)
        assert (Decimal(0) if result is None else result) == Decimal(-sum(line.cents for line in within)) / 100
    of, over, change = (rows["result"].get(key) for key in ("year", "year-last-year", "change"))
    assert change is None or change == Decimal(str(of)) - Decimal(str(over))
    assert table.proof is not None
    assert table.proof.balances
    shown = set(itertools.chain.from_iterable(map(id, each) for each in columns.values()))
    assert table.proof.shown.lines == len(shown)


def balance(lines: list[Placed], number: int, day: date) -> dict[str, int]:
    """Return the debit-positive balance of each account at a day of the year, income and expense as two results."""
    start = min(line.year for line in lines)
    found: dict[str, int] = defaultdict(int)
    for line in lines:
        base = line.kind == "carried" and line.year == start
        if (line.kind == "carried" and not base) or line.day > day:
            continue
        if line.account in INCOME:
            found["earlier-results" if line.year < number else "result"] += line.cents
        else:
            found[line.account] += line.cents
    return {account: cents for account, cents in found.items() if cents}


@examples(7)
@given(ledgers(), st.dates(FIRST, LAST))
def test_balance_sheet(ledger: tuple[Year, list[Entry]], day: date) -> None:
    year, entries = ledger
    number, period = year.of(day)
    with tempfile.TemporaryDirectory() as folder:
        book = open_book(Path(folder), year, entries)
        request = StatementRequest(
            layout="balance", when=AsOfRequest(as_of=day), columns="closing; opening; each day period", signs="stored"
        )
        table = statement(book, request).table
    lines = placed(year, entries)
    shown = {row.key: row.cells for row in table.rows if row.kind == "line"}
    for key, at in [("closing", day), *((day.isoformat(), day) for day in days_of(year.edges(number, period)[0], day))]:
        expected = {account: Decimal(cents) / 100 for account, cents in balance(lines, number, at).items()}
        assert {account: cells[key] for account, cells in shown.items() if cells[key]} == expected, key
    opening = [line for line in lines if line.year < number or (line.kind == "carried" and line.year == number)]
    opened = {
        account: Decimal(cents) / 100 for account, cents in (balance(opening, number, day) if opening else {}).items()
    }
    base_elsewhere = min(line.year for line in lines) != min((line.year for line in opening), default=0)
    if not base_elsewhere:
        assert {account: cells["opening"] for account, cells in shown.items() if cells["opening"]} == opened
    assert table.proof is not None
    assert table.proof.balances, "every journal balances, so does every balance sheet"


def days_of(first: date, last: date) -> list[date]:
    return [first + timedelta(days=number) for number in range((last - first).days + 1)]


@examples(7)
@given(ledgers(), st.dates(FIRST, LAST), st.sampled_from(["each period", "each quarter", "each source"]))
def test_parts_sum_to_the_year(ledger: tuple[Year, list[Entry]], day: date, each: str) -> None:
    year, entries = ledger
    with tempfile.TemporaryDirectory() as folder:
        book = open_book(Path(folder), year, entries)
        columns = f"{each} year; year"
        table = statement(book, StatementRequest(when=AsOfRequest(as_of=day), columns=columns, by="source")).table
    for row in table.rows:
        if row.cells:
            cells = {key: cell for key, cell in row.cells.items() if isinstance(cell, Decimal)}
            total = cells.pop("year")
            assert sum(cells.values(), Decimal(0)) == total, row.key
    assert table.proof is not None
    assert table.proof.balances
