"""The demo's plans: a monthly budget that leans on the year before, and a forecast that was made for the whole year."""

from collections import defaultdict
from collections.abc import Iterable, Iterator

from level_almanac.demo.chart import INCOME_WORDS, chart_rows
from level_almanac.demo.ledger import DemoLine

BUDGET_HEADS = ("Plan", "Company", "Account", "Dept", "Month", "Planned")
FORECAST_HEADS = ("Plan", "Company", "Account", "Year", "Planned", "Percent", "Of")
_CLASS = {code: word for code, _, word, _, _ in chart_rows()}
_NOT_PLANNED = frozenset({"40190", "62290", "64210"})
"""Accounts that nobody plans: what comes of them stands beside no budget."""
_DRILLS = "60320"
"""What the yard plans each month and books nothing on."""

Key = tuple[str, str, str, int, int]
"""Entity, account, department, fiscal year, period."""


class PlanSums:
    """Adds up the ledger as it passes by, for the plans to lean on."""

    def __init__(self) -> None:
        self.cents: defaultdict[Key, int] = defaultdict(int)

    def seen(self, lines: Iterable[DemoLine]) -> Iterator[DemoLine]:
        """Yield the lines on, having added up those that are planned for."""
        for line in lines:
            year, number = line.period
            word = _CLASS[line.account]
            if word in INCOME_WORDS and line.source not in ("CF", "CL") and number <= 12:
                sign = -1 if word == "revenue" else 1
                self.cents[line.entity, line.account, line.department, year, number] += sign * line.cents
            yield line

    def budget(self, year: int) -> Iterator[tuple[object, ...]]:
        """Yield the budget of a year: last year's months and three per cent, to the hundred."""
        for (entity, account, department, of, number), cents in sorted(self.cents.items()):
            if of != year - 1 or account in _NOT_PLANNED:
                continue
            planned = round(cents * 103 / 1_000_000) * 10_000
            if planned:
                yield ("budget", entity, account, department, f"{year}-{number:02d}", _words(planned))
        for number in range(1, 13):
            yield ("budget", "YARD", _DRILLS, "SLIP", f"{year}-{number:02d}", "400.00")

    def forecast(self, year: int) -> Iterator[tuple[object, ...]]:
        """Yield the ferry company's forecast for a year, account by account; upkeep as shares of what was set aside."""
        totals: defaultdict[str, int] = defaultdict(int)
        for (entity, account, _, of, _), cents in self.cents.items():
            if entity == "LINE" and of == year - 1 and account not in _NOT_PLANNED:
                totals[account] += cents
        for account, cents in sorted(totals.items()):
            if not account.startswith("612"):
                yield ("forecast", "LINE", account, year, _words(round(cents * 101 / 10_000_000) * 100_000), "", "")
        yield ("forecast", "LINE", "61210", year, "", "85", "upkeep")
        yield ("forecast", "LINE", "61220", year, "", "15", "upkeep")


def _words(cents: int) -> str:
    return f"{'-' if cents < 0 else ''}{abs(cents) // 100}.{abs(cents) % 100:02d}"
