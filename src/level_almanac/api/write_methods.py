"""Write `reports.py` anew: one typed method for each report of the registry.

`python -m level_almanac.api.write_methods` after a change of options.
"""

from collections.abc import Iterator
from pathlib import Path

from level_almanac.core.reports.definition import Report
from level_almanac.core.reports.registry import all_reports
from level_almanac.core.requests.look import LookRequest
from level_almanac.core.requests.options import Option, options_of

_TYPES = {
    "text": "str",
    "texts": "str | Sequence[str]",
    "flag": "bool",
    "count": "int",
    "amount": "Decimal | int | str",
    "amounts": "tuple[Decimal | int | str, Decimal | int | str]",
    "day": "date | str",
    "days": "Sequence[int]",
}
_HEAD = '''"""The methods of a book, one for each report. Made by `write_methods` from the registry."""

from collections.abc import Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Any, Literal

from level_almanac.api.report import Report


class ReportMethods:
    """The reports of a book, with the options that they have on the command line; what is None is not asked for."""

    def _made(self, name: str, given: Mapping[str, Any]) -> Report:
        raise NotImplementedError(name)
'''


def methods() -> str:
    """Return the text of the module."""
    return _HEAD + "".join("\n".join(_method(report)) + "\n" for report in all_reports().values())


def _method(report: Report) -> Iterator[str]:
    own = [*report.options, *options_of(LookRequest)]
    places = [each for each in own if each.argument]
    named = [each for each in own if not each.argument and not each.replaced_by]
    yield ""
    yield f"    def {report.name}("
    yield "        self,"
    for each in places:
        default = "" if each.required and each.default in (None, "", ()) else " = None"
        yield f"        {each.keyword}: {_type(each)}{'' if not default else ' | None'}{default},"
    yield "        *,"
    for each in named:
        yield f"        {each.keyword}: {_type(each)} | None = None,"
    yield "    ) -> Report:"
    yield f'        """{report.help}'
    yield ""
    yield from (f"        {line}" if line else "" for line in report.about.splitlines())
    if named:
        yield ""
        yield from (f"        {each.keyword}: {each.help}" for each in named)
    yield '        """'
    yield f'        return self._made("{report.name}", locals())'


def _type(option: Option) -> str:
    if option.kind == "choice":
        return f"Literal[{', '.join(repr(each).replace(chr(39), chr(34)) for each in option.choices)}]"
    # A list of column words is joined as the command line has it.
    return _TYPES["texts" if option.joint.strip() == ";" else option.kind]


if __name__ == "__main__":
    Path(__file__).with_name("reports.py").write_text(methods(), encoding="utf-8")
