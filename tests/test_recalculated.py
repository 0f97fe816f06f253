"""A workbook that is recalculated has the figures that were printed: of every report, with every kind of column."""

import re
import shutil
import subprocess
from collections.abc import Mapping
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from openpyxl.utils import column_index_from_string

from conftest import Almanac

COSTS = '--only "account.class is expense"'
RESULT = '--only "account.class in income, direct-cost, expense"'
CASES = {
    "variance": f'list ledger --by department {COSTS} --columns "ytd; budget ytd; variance; variance %"',
    "variance of a result": 'list ledger --by account.class --columns "ytd; budget ytd; variance; variance %"',
    "variance of natural amounts": f'list ledger --by account.class {RESULT} --columns "natural ytd; budget ytd; variance; variance %; change of natural-ytd over budget-ytd"',
    "variance with debits positive": f'list ledger --by department,account.name {COSTS} --columns "amount ytd; budget ytd; variance %"',
    "groups of columns": f'list ledger --by account.name {COSTS} --columns "each department (now = ytd; budget ytd; variance; variance %; then = ytd last year; change %)"',
    "members": f'list ledger --by account.name {COSTS} --columns "each department ytd; ytd; share of total"',
    "quarters": f'list ledger --by department {COSTS} --columns "each quarter year; each quarter budget year; variance; variance %"',
    "forecast": f'list ledger --by department {COSTS} --columns "landing = ytd; forecast year; change of landing over forecast-year; left = forecast-year - landing; done = landing / forecast-year * 100"',
    "measures": 'list sales --by item.range,item --columns "amount ytd; quantity ytd; price = amount-ytd / quantity-ytd; margin % ytd; margin % ytd last year; change; count ytd; share of group in amount-ytd"',
    "largest": 'list sales --by terminal,vessel --top 2 --columns "ytd; ytd last year; change; change %"',
    "documents in columns": 'list payables --by party --columns "signed ytd; signed ytd last year; change; change %" --top 5',
    "lines": 'list ledger --period 2026-P03 --by department --lines --show "amount, debit, credit" --only "account.class is expense"',
    "ratios": 'list sales --by "terminal, route" --year 2026 --compute "profit = amount - cost" --compute "share = (amount - cost) / amount * 100" --show "count, quantity, amount, cost, profit, share"',
    "income": 'statement income --columns "ptd; budget ptd; variance; variance %; ytd; ytd last year; change; change %; share of income"',
    "stored": 'statement income --signs stored --level 2 --columns "ptd; budget ptd; variance; variance %; x = ptd - budget-ptd"',
    "blocks": 'statement income --by department --level 1 --columns "ytd; budget ytd; variance %; ytd last year; change"',
    "departments": 'statement income --level 1 --columns "each department (ytd; budget ytd; variance; variance %)"',
    "periods": 'statement income --level 1 --columns "each quarter year; each quarter year last year; change; change %"',
    "balance": "statement balance",
    "trial": "trial --period 2026-P08",
    "detail": "detail 4011 --period 2026-P08",
    "aging": "aging receivable --as-of 2025-09-30 --top 6",
    "documents": "documents receivable --overdue --by party --over 3000 --settled",
    "parties": "parties payable --year 2025 --top 8",
    "rank": "rank sales --by vessel --of 'amount, quantity, margin %' --top 3",
    "rank within": "rank sales --by item --within terminal --top 2",
    "growth": "growth sales --by vessel --each quarter",
    "pace": "pace ledger --by department",
    "billing": "billing --day 2026-06-16 --payments-by deposited",
}  # fmt: skip
CELL = re.compile(r"\b([A-Z]{1,3})(\d+)\b")
RANGE = re.compile(r"(SUM|SUBTOTAL)\((?:9,)?([A-Z]+\d+):([A-Z]+\d+)\)")


class Written:
    """The first sheet of a workbook, with the JSON of the same report."""

    def __init__(self, path: Path, report: dict[str, Any]) -> None:
        self.sheet = openpyxl.load_workbook(path).worksheets[0]
        self.report = report
        front, first = re.fullmatch(r"([A-Z]+)(\d+)", str(self.sheet.freeze_panes)).groups()  # type: ignore[union-attr]
        self.front, self.first = column_index_from_string(front), int(first)

    def cells(self) -> Mapping[tuple[str, str], tuple[str, Any]]:
        """Return by row and column key where a cell is, and what the JSON has there."""
        return {
            (row["key"], column["key"]): (
                self.sheet.cell(self.first + down, self.front + across).coordinate,
                row["cells"].get(column["key"]),
            )
            for down, row in enumerate(self.report["rows"])
            for across, column in enumerate(self.report["columns"])
        }

    def value(self, place: str) -> Any:
        """Return the value of a cell, with its formula computed from the cells that it names."""
        value = self.sheet[place].value
        return self._computed(value[1:]) if isinstance(value, str) and value.startswith("=") else value

    def _computed(self, formula: str) -> float:
        names: dict[str, float] = {}

        def summed(match: re.Match[str]) -> str:
            of, first, last = match.groups()
            cells = [cell for (cell,) in self.sheet[f"{first}:{last}"]]
            if of == "SUBTOTAL":
                # A subtotal leaves out the subtotals within its range.
                cells = [cell for cell in cells if "SUBTOTAL" not in str(cell.value)]
            values = [self.value(cell.coordinate) for cell in cells]
            name = f"sum_{len(names)}"
            names[name] = sum(value for value in values if isinstance(value, int | float))
            return name

        text = RANGE.sub(summed, formula).replace("ABS(", "abs(")
        text = CELL.sub(lambda match: repr(float(self.value(match[0]) or 0)), text)
        return float(eval(text, {"__builtins__": {}, "abs": abs}, names))  # noqa: S307  our own arithmetic

    @property
    def formulas(self) -> int:
        """How many cells have a formula."""
        return sum(str(cell.value).startswith("=") for row in self.sheet.iter_rows() for cell in row)


@pytest.fixture(scope="module")
def written(almanac: Almanac, demo: Path, tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, dict[str, Written]]:
    import shlex

    folder = tmp_path_factory.mktemp("written")
    found = {}
    for name, words in CASES.items():
        ran = almanac(*shlex.split(words), "-o", folder / f"{name}.xlsx", "--print", "json", book=demo)
        assert ran.code == 0, (name, ran.err)
        found[name] = Written(folder / f"{name}.xlsx", ran.json)
    return folder, found


def differences(made: Written, values: Mapping[str, Any]) -> list[tuple[str, ...]]:
    """Return the cells that are not what the JSON has. values: by the coordinates of a cell."""
    off: list[tuple[str, ...]] = []
    for (row, column), (place, cell) in made.cells().items():
        value = values[place]
        number = cell is not None and re.fullmatch(r"-?\d+(\.\d+)?", str(cell)) is not None
        if number and not isinstance(value, int | float):
            off.append((row, column, place, str(cell), str(value)))
        elif (number and abs(Decimal(repr(value)) - Decimal(str(cell))) > Decimal("1e-6")) or (
            not number and isinstance(value, int | float)
        ):
            off.append((row, column, place, str(cell), str(value), str(made.sheet[place].value)))
    return off


@pytest.mark.parametrize("name", CASES)
def test_the_formulas_of_a_workbook_give_its_figures(written: tuple[Path, dict[str, Written]], name: str) -> None:
    made = written[1][name]
    assert not differences(made, {place: made.value(place) for place, _ in made.cells().values()})
    if name not in ("trial", "detail", "growth", "billing"):
        assert made.formulas, "totals, changes and shares are formulas"


@pytest.mark.skipif(shutil.which("soffice") is None, reason="no spreadsheet program on this machine")
def test_a_spreadsheet_program_recalculates_the_same(written: tuple[Path, dict[str, Written]], tmp_path: Path) -> None:
    folder, found = written
    bare = []
    for number, name in enumerate(found):
        # A workbook saved by this library has no stored values, so that only recalculated ones can be right.
        bare.append(tmp_path / f"{number}.xlsx")
        openpyxl.load_workbook(folder / f"{name}.xlsx").save(bare[-1])
    home = f"-env:UserInstallation=file://{tmp_path}/home"
    command = ["soffice", "--headless", home, "--convert-to", "xlsx:Calc MS Excel 2007 XML", "--outdir"]
    subprocess.run([*command, tmp_path / "out", *bare], check=True, capture_output=True, timeout=280)
    for number, (name, made) in enumerate(found.items()):
        sheet = openpyxl.load_workbook(tmp_path / "out" / f"{number}.xlsx", data_only=True).worksheets[0]
        assert not differences(made, {place: sheet[place].value for place, _ in made.cells().values()}), name
