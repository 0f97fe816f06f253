"""The calendar as a report."""

from level_almanac.core.reports.definition import Report

REPORT = Report(
    package=__name__,
    name="calendar",
    help="Fiscal years, quarters and periods, and what data covers them.",
    about="",
    examples=("calendar", "calendar --year 2026 --entity YARD"),
    request="report:CalendarRequest",
    make="report:calendar_report",
)
