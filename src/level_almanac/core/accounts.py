"""The chart of accounts as a tree."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from level_almanac.files.tables import INCOME_CLASSES


class Account(NamedTuple):
    """One account. level: 1 for one without a parent."""

    code: str
    name: str
    account_class: str
    parent: str | None
    level: int
    control: str | None = None

    @property
    def is_income(self) -> bool:
        """Whether it belongs to the income statement, and so opens each year at zero."""
        return self.account_class in INCOME_CLASSES


class ChartOfAccounts:
    """All accounts of a book."""

    def __init__(self, lines: Iterable[Sequence[str | None]]) -> None:
        """Take (account, name, class, parent, control) of each, in the order that reports show; parents are there."""
        lines_by_code = {
            str(code): (str(name), str(class_), parent, control) for code, name, class_, parent, control in lines
        }

        def level(code: str) -> int:
            parent = lines_by_code[code][2]
            return 1 if parent is None else 1 + level(parent)

        self.accounts = {
            code: Account(code, name, class_, parent, level(code), control)
            for code, (name, class_, parent, control) in lines_by_code.items()
        }
        self._places = {code: place for place, code in enumerate(self.accounts)}
        self._children: dict[str | None, list[Account]] = defaultdict(list)
        for account in self.accounts.values():
            self._children[account.parent].append(account)

    def place(self, code: str) -> int:
        """Return where an account stands in the chart's order; one that the chart lacks stands last."""
        return self._places.get(code, len(self._places))

    def __getitem__(self, code: str) -> Account:
        return self.accounts[code]

    def children(self, code: str) -> list[Account]:
        """Return the accounts right below this one, in the chart's order."""
        return self._children.get(code, [])

    def roots(self, account_class: str) -> list[Account]:
        """Return the accounts of a class that have no parent, in the chart's order."""
        return [account for account in self._children[None] if account.account_class == account_class]

    def below(self, code: str) -> list[str]:
        """Return the account and all below it, parents first."""
        return [code, *(each for child in self.children(code) for each in self.below(child.code))]

    def at_level(self, code: str, level: int | None) -> Account:
        """Return the account itself, or its ancestor at this level where it lies deeper."""
        account = self.accounts[code]
        while level is not None and account.level > level and account.parent is not None:
            account = self.accounts[account.parent]
        return account

    @property
    def depth(self) -> int:
        """How many levels the tree has."""
        return max((account.level for account in self.accounts.values()), default=0)
