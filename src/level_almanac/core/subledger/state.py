"""The state of documents on the day of a report over a table's lines, where that table is one of documents."""

from collections.abc import Sequence
from datetime import date

from level_almanac.core.book import Book
from level_almanac.core.fields import LineFields
from level_almanac.core.subledger.day_fields import DayFields
from level_almanac.core.subledger.open_on_day import OpenOnDay
from level_almanac.core.subledger.subledger import Subledger, SubledgerRequest, SubledgerSide
from level_almanac.files.tables import SIDE_OF


def state_of(
    book: Book,
    fields: LineFields,
    day: date,
    computed: Sequence[str],
    entities: Sequence[str],
) -> DayFields:
    """Return the fields that tell the state on a day; of other tables there are none.

    computed: the fields that the report computes; entities: codes of those that it is of.
    """

    def opened() -> OpenOnDay:
        side: SubledgerSide = "payable" if fields.table.name == SIDE_OF["payable"] else "receivable"
        return Subledger(book, SubledgerRequest(side=side, entities=tuple(entities))).open_on(day)

    return DayFields(fields, day, computed, opened)
