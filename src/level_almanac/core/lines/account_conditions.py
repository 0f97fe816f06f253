"""Conditions on the chart of accounts, as layouts state them: `account from 6100 through 6199`."""

from collections.abc import Callable, Iterator, Mapping, Sequence

from level_almanac.core.accounts import Account, ChartOfAccounts
from level_almanac.errors import AlmanacError, BookMistake
from level_almanac.files.tables import ACCOUNTS
from level_almanac.store.predicate import Every, FieldTest, Not, OnVoidedLine, Predicate, Some, Within, fields_in


def accounts_that(
    text: str, chart: ChartOfAccounts, where: str, error: type[AlmanacError] = BookMistake
) -> tuple[str, ...]:
    """Return the codes of the accounts that meet the condition, in order; raise `error` where it cannot be read."""
    condition = _read(text, where, error)
    return tuple(code for code, account in chart.accounts.items() if holds(condition, _line(code, account)))


def words_without_account(
    text: str, chart: ChartOfAccounts, where: str, error: type[AlmanacError] = BookMistake
) -> list[FieldTest]:
    """Return the parts of the condition that no account meets, each word of a test by itself."""
    lines = [_line(code, account) for code, account in chart.accounts.items()]
    return [test for test in _each_word(_read(text, where, error)) if not any(holds(test, line) for line in lines)]


def _each_word(predicate: Predicate) -> Iterator[FieldTest]:
    match predicate:
        case FieldTest(field, operator, words, _) if operator in ("is", "begins", "ends", "contains"):
            yield from (FieldTest(field, operator, (word,)) for word in words)
        case Not(part):
            yield from _each_word(part)
        case Every(parts) | Some(parts):
            for part in parts:
                yield from _each_word(part)


def _read(text: str, where: str, error: type[AlmanacError]) -> Predicate:
    from level_almanac.core.fields import line_fields
    from level_almanac.core.lines.conditions import read_condition

    fields = line_fields("accounts", {"accounts": ACCOUNTS._replace(links={})}).as_exported
    return read_condition(text, fields, where, error)


def _line(code: str, account: Account) -> dict[str, str | None]:
    return {
        "account": code,
        "name": account.name,
        "class": account.account_class,
        "parent": account.parent,
        "control": account.control,
    }


def classes_that_can_meet(conditions: Sequence[Predicate], chart: ChartOfAccounts) -> frozenset[str]:
    """Return the classes of the accounts whose ledger lines can meet all of these conditions on lines.

    Empty where none of them is on the account.
    """
    if not any(field.partition(".")[0] == "account" for each in conditions for field in fields_in(each)):
        return frozenset()
    return frozenset(
        account.account_class
        for code, account in chart.accounts.items()
        if all(
            _can_hold(
                each,
                {
                    "account": code,
                    "account.name": account.name,
                    "account.class": account.account_class,
                    "account.parent": account.parent,
                    "account.control": account.control,
                },
            )[0]
            for each in conditions
        )
    )


_HELD = ("blank", "is", "begins", "ends", "contains", "through")
"""The ways in which `holds` compares; of others, which are of numbers, either may be."""


def _can_hold(predicate: Predicate, account: Mapping[str, str | None]) -> tuple[bool, bool]:
    """Tell whether a condition can be true of some line on an account, and whether it can be untrue of some."""
    match predicate:
        case OnVoidedLine(part, _):
            return _can_hold(part, account)
        case Not(part):
            can, can_not = _can_hold(part, account)
            return can_not, can
        case Every(parts) | Some(parts):
            found = [_can_hold(part, account) for part in parts]
            cans, can_nots = [each[0] for each in found], [each[1] for each in found]
            return (all(cans), any(can_nots)) if isinstance(predicate, Every) else (any(cans), all(can_nots))
        case FieldTest(field, operator, _, as_number) if field in account and operator in _HELD and not as_number:
            is_met = holds(predicate, account)
            return is_met, not is_met
    return True, True


def holds(predicate: Predicate, line: Mapping[str, str | None]) -> bool:
    """Tell whether a line, as values by field, meets the condition; the same as the store's SQL says of it."""
    match predicate:
        case OnVoidedLine(part, _):
            return holds(part, line)
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
