"""The reports that there are: each package here that has a definition named REPORT is one."""

from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from level_almanac.core import reports
from level_almanac.core.reports.definition import Report


@cache
def all_reports() -> dict[str, Report]:
    """Return every report by the name of its command."""
    by_name = {}
    for module in iter_modules(reports.__path__):
        if module.ispkg:
            report = getattr(import_module(f"{reports.__name__}.{module.name}"), "REPORT", None)
            if isinstance(report, Report):
                by_name[report.name] = report
    return by_name


def page_reports() -> tuple[str, ...]:
    """Return the names of the reports that can be saved as pages."""
    return tuple(name for name, report in all_reports().items() if report.page)
