"""Which tables of a book hold the plans of another."""

from level_almanac.core.book import Book
from level_almanac.errors import Mistake, UsageMistake


def plan_tables(book: Book, table: str, where: str) -> dict[str, str]:
    """Return by the name of each plan of a table the table that holds it.

    where: the option that names plans, for messages. Raises UsageMistake where two tables hold a plan of one name.
    """
    known: dict[str, str] = {}
    for name, holding in book.tables.items():
        if holding.plan_of == table:
            for scenario in book.scenarios_in(name):
                if scenario in known:
                    what = f"{known[scenario]} and {name} both hold a plan of this name"
                    raise UsageMistake(Mistake(what, where, repr(scenario)))
                known[scenario] = name
    return known
