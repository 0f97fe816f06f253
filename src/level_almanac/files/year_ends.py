"""The words for the day that a year of whole weeks ends on: `last saturday of january`."""

import re

WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
MONTH_NAMES = (
    "january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november",
    "december",
)  # fmt: skip
_WEEKDAY, _MONTH = "|".join(WEEKDAYS), "|".join(MONTH_NAMES)
YEAR_ENDS = re.compile(
    rf"(?:last (?P<last>{_WEEKDAY}) of|(?P<nearest>{_WEEKDAY}) nearest the end of) (?P<month>{_MONTH})", re.IGNORECASE
)
"""What `year_ends` must match: the month's last such weekday, or the one nearest to its last day."""
