"""The rules that figures are made by, numbered: what an edition was issued by is told beside what they are now."""

from collections.abc import Iterator

from level_almanac.errors import how_many
from level_almanac.files.editions import Edition

RULES = 3
"""The rules of today. What changes what a figure of an existing page holds takes the next number, with its words."""
_CHANGED: dict[int, tuple[str, ...]] = {
    2: (
        "a period, quarter or year that is not finished ends where the data ends",
        "nothing that is booked after the day of a report counts in columns told relative to it",
        "nothing is compared with a span that reaches back before the data",
        "a change is the later less the earlier, and a variance is of a plan and what was booked in its span",
        "lists of the ledger leave closing lines out",
        "growth and rankings of the ledger are of the result, unless conditions leave one kind of accounts",
        "where no member of a ranking is above zero, size decides",
        "a void belongs to its payment and a refund to its credit",
        "projections are exact until their last step",
        "sums and differences of several fields are made of totals",
        "a number of another table counts once for each of its keys in groups and totals",
    ),
    3: (
        "a condition tests a void with the values of the line that it voids, and a refund with its own",
        "a void counts as the reverse of the kind that it voids",
        "a void that names a document voids the line of exactly its amount, whatever its kind",
    ),
}


def changed_rules(edition: Edition) -> list[str]:
    """Return in words the rules that changed since an edition was issued; none where it was issued by today's."""
    return [words for number in range(edition.rules + 1, RULES + 1) for words in _CHANGED[number]]


def rules_notes(edition: Edition, figures: int) -> Iterator[str]:
    """Yield what is told of an edition that was issued by earlier rules. figures: how many these changed."""
    rules = changed_rules(edition)
    if rules:
        count = how_many(figures, "figure")
        yield f"It was issued by earlier rules; by those of today its own data make {count} otherwise. What changed:"
        yield from rules
