"""Whether the chart of accounts holds together, and whether it has every account that the ledger uses."""

from collections.abc import Mapping, Sequence

from level_almanac.errors import Mistake, nearest
from level_almanac.files.settings import Entity
from level_almanac.store.chart_lines import chart_lines
from level_almanac.store.engine import Engine
from level_almanac.store.ledger_checks import lines_of_accounts


def chart_mistakes(engine: Engine, parts: Sequence[str]) -> list[Mistake]:
    """Return the mistakes in the chart: a parent that it lacks, of another class, or that is its own descendant."""
    if not parts:
        return []
    rows = chart_lines(engine, parts)
    chart = {account: (class_, parent) for account, _, class_, parent, *_ in rows}
    mistakes = []
    for account, _, class_, parent, file, line, _ in rows:
        where = f"{file}:{line}: parent"
        if parent is None:
            continue
        if parent not in chart:
            mistakes.append(Mistake("the chart lacks this account", where, repr(parent), "", nearest(parent, chart)))
        elif chart[parent][0] != class_:
            mistakes.append(
                Mistake(f"account {account} is {class_} under a parent that is {chart[parent][0]}", where, repr(parent))
            )
        elif _leads_to_itself(account, chart):
            mistakes.append(Mistake("the account is its own parent, at once or by others", where, repr(account)))
    return mistakes


def _leads_to_itself(account: str, chart: Mapping[str, tuple[str, str | None]]) -> bool:
    seen: set[str] = set()
    above = chart[account][1]
    while above is not None and above in chart and above not in seen:
        if above == account:
            return True
        seen.add(above)
        above = chart[above][1]
    return False


def retained_earnings_mistakes(engine: Engine, parts: Sequence[str], entities: Mapping[str, Entity]) -> list[Mistake]:
    """Return a mistake for each entity whose retained-earnings account the chart lacks or has under another class."""
    if not parts:
        return []
    classes = {row[0]: row[2] for row in chart_lines(engine, parts)}
    mistakes = []
    for code, entity in entities.items():
        where, account = f"entities.{code}.retained_earnings", entity.retained_earnings
        if account not in classes:
            mistakes.append(
                Mistake("the chart lacks this account", where, repr(account), "", nearest(account, classes))
            )
        elif classes[account] != "equity":
            mistakes.append(Mistake(f"the account is {classes[account]}", where, repr(account), "an equity account"))
    return mistakes


def unknown_account_mistakes(
    engine: Engine, ledger: Sequence[str], accounts: Sequence[str], used: Sequence[str], limit: int
) -> tuple[list[Mistake], int]:
    """Return a mistake for each of the first ledger lines whose account the chart lacks, and how many there are."""
    chart = [row[0] for row in chart_lines(engine, accounts)]
    unknown = sorted(set(used) - set(chart))
    if not unknown:
        return [], 0
    rows = lines_of_accounts(engine, ledger, unknown, limit)
    mistakes = [
        Mistake("the chart lacks this account", f"{file}:{line}: account", repr(account), "", nearest(account, chart))
        for file, line, account, _ in rows
    ]
    return mistakes, rows[0][-1]
