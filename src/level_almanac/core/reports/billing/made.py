"""Billing as it is asked for: its figures and lists, or a day as one document."""

from level_almanac.core.book import Book
from level_almanac.core.reports.billing.day import BilledDay
from level_almanac.core.reports.billing.report import Billing, BillingRequest
from level_almanac.core.reports.definition import MadeReport


def billing(book: Book, request: BillingRequest) -> MadeReport:
    """Return the report. Raises UsageMistake for what the report lacks, BookMistake where no billing is loaded."""
    if request.day is not None:
        day = BilledDay(book, request, request.day)
        return MadeReport(day.table(), day)
    made = Billing(book, request)
    table, rows = made.made()
    return MadeReport(table, (made, rows))
