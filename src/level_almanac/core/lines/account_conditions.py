"""Conditions on the chart of accounts, as layouts state them: `account from 6100 through 6199`."""

from collections.abc import Callable, Mapping

from level_almanac.core.accounts import ChartOfAccounts
from level_almanac.errors import AlmanacError, BookMistake
from level_almanac.files.tables import ACCOUNTS
from level_almanac.store.predicate import Every, FieldTest, Not, Predicate, Some, Within


def accounts_that(
    text: str, chart: ChartOfAccounts, where: str, error: type[AlmanacError] = BookMistake
) -> tuple[str, ...]:
    """Return the codes of the accounts that meet the condition, in order; raise `error` where it cannot be read."""
    from level_almanac.core.fields import line_fields
    from level_almanac.core.lines.conditions import read_condition

    fields = line_fields("accounts", {"accounts": ACCOUNTS._replace(links={})}).as_exported
    condition = read_condition(text, fields, where, error)
    return tuple(
        code
        for code, account in chart.accounts.items()
        if holds(
            condition,
            {
                "account": code,
                "name": account.name,
                "class": account.account_class,
                "parent": account.parent,
                "control": account.control,
            },
        )
    )


def holds(predicate: Predicate, line: Mapping[str, str | None]) -> bool:
    """Tell whether a line, as values by field, meets the condition; the same as the store's SQL says of it."""
    match predicate:
        case Not(part):
            return not holds(part, line)
        case Every(parts):
            return all(holds(part, line) for part in parts)
        case Some(parts):
            return any(holds(part, line) for part in parts)
        case Within():
            raise TypeError(predicate)  # an account does not stand in the calendar
        case FieldTest(field, operator, words, _):
            value = line[field]
            if operator == "blank" or value is None:
                return operator == "blank" and value is None
            texts = [str(word) for word in words]
            tests: dict[str, Callable[[str], bool]] = {
                "is": value.__eq__,
                "begins": value.startswith,
                "ends": value.endswith,
                "contains": lambda word: word.lower() in value.lower(),
            }
            if operator == "through":
                return texts[0] <= value <= texts[1]
            return any(tests[operator](word) for word in texts)
