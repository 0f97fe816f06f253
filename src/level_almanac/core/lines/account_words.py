"""Accounts as a person names them: by code, with all below it, by class, by range, or by a condition."""

import re
from collections.abc import Sequence

from level_almanac.core.accounts import ChartOfAccounts
from level_almanac.core.lines.account_conditions import accounts_that
from level_almanac.errors import Mistake, UsageMistake, nearest
from level_almanac.files.tables import ACCOUNT_CLASSES

_RANGE = re.compile(r"\s*(\S+)\s+through\s+(\S+)\s*", re.IGNORECASE)
WHERE = "ACCOUNT"


def chosen_accounts(words: Sequence[str], chart: ChartOfAccounts) -> tuple[str, ...]:
    """Return the codes of the accounts that any of the words name, in the order of the chart.

    Raises UsageMistake for words that name no account.
    """
    found = {code for each in words for code in _named(each, chart)}
    return tuple(code for code in chart.accounts if code in found)


def _named(words: str, chart: ChartOfAccounts) -> Sequence[str]:
    if words in chart.accounts:
        return chart.below(words)
    if words.lower() in ACCOUNT_CLASSES:
        return [code for code, account in chart.accounts.items() if account.account_class == words.lower()]
    if between := _RANGE.fullmatch(words):
        low, high = between[1], between[2]
        if low > high:
            raise UsageMistake(Mistake("the range ends before it starts", WHERE, repr(words)))
        # The last code of a range stands for all that begin with it, as people mean it.
        codes = [code for code in chart.accounts if low <= code and (code <= high or code.startswith(high))]
    elif " " in words.strip():
        codes = list(accounts_that(words, chart, WHERE, UsageMistake))
    else:
        allowed = "a code, a class such as expense, `6100 through 6199`, or a condition such as `account begins 61`"
        hint = nearest(words, [*chart.accounts, *ACCOUNT_CLASSES])
        raise UsageMistake(Mistake("the chart lacks this account", WHERE, repr(words), allowed, hint))
    if not codes:
        raise UsageMistake(Mistake("no account of the chart is meant by this", WHERE, repr(words)))
    return codes
