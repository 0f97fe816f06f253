"""Which of two exports is the later one, where a block says that the later line wins."""

import re
from collections.abc import Iterator, Sequence
from pathlib import PurePosixPath

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.tables import Table
from level_almanac.intake.files import ExportFile
from level_almanac.store.repeats import Later

_DAYS_IN_NAMES = (
    re.compile(r"(?<!\d)((?:19|20|21)\d\d)[-_. ]?([01]\d)[-_. ]?([0-3]\d)(?!\d)"),
    re.compile(r"(?<!\d)([0-3]\d)[-_. ]([01]\d)[-_. ]((?:19|20|21)\d\d)(?!\d)"),
    re.compile(r"(?<!\d)((?:19|20|21)\d\d)[-_. ]?([01]\d)(?!\d)"),
)
"""How a day or a month stands in the name of a file, the year first or last."""


def later_of(files: Sequence[ExportFile], table: Table) -> Later:
    """Return which exports of a table are later than which; raise BookMistake for a name that tells no day, and where
    blocks of one table do not tell it in one way.
    """
    own = [file for file in files if file.block.table == table.name and file.block.later]
    ways = {file.block.later_by for file in own}
    if len(ways) > 1:
        where = f"intake[{own[-1].number}].later_by"
        raise BookMistake(
            Mistake(f"blocks of {table.name} tell in other ways which is later", where, allowed="one way")
        )
    if not own:
        return Later()
    way = ways.pop()
    ranks = {file.name: file.name for file in own}
    if way == "date in name":
        lacking = list(_without_day(own))
        if lacking:
            raise BookMistake(*lacking)
        ranks = {file.name: f"{_day_in(file.unit)} {file.name}" for file in own}
    return Later(ranks, "" if way in ("file name", "date in name") else way)


def _without_day(files: Sequence[ExportFile]) -> Iterator[Mistake]:
    for file in files:
        if not _day_in(file.unit):
            where, allowed = f"intake[{file.number}].later_by", "a name with a day, as gl-20260131.csv"
            yield Mistake("the file's name tells no day", where, repr(file.unit), allowed)


def _day_in(name: str) -> str:
    """Return the day in a file's name as `YYYYMMDD`, or its month, or nothing."""
    text = PurePosixPath(name).name
    for number, pattern in enumerate(_DAYS_IN_NAMES):
        found = pattern.search(text)
        if found:
            return "".join(reversed(found.groups()) if number == 1 else found.groups())
    return ""
