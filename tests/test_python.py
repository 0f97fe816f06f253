"""The surface for Python: reports with the command line's option names, and the same figures."""

import re
from datetime import date
from decimal import Decimal
from pathlib import Path

import pytest

from conftest import MakeBook, copied, run_almanac
from level_almanac import Book
from level_almanac.api import write_methods
from level_almanac.core.reports.registry import all_reports
from level_almanac.errors import AlmanacError, BookMistake, UsageMistake


@pytest.fixture(scope="module")
def book(demo: Path) -> Book:
    return Book.open(demo)


def test_there_is_a_method_for_each_report_made_from_the_registry() -> None:
    kept = Path(write_methods.__file__).with_name("reports.py").read_text()
    assert kept == write_methods.methods(), "write it anew: python -m level_almanac.api.write_methods"
    assert all(f"    def {name}(" in kept for name in all_reports())


def test_a_report_is_the_one_of_the_command_line(book: Book, demo: Path) -> None:
    made = book.statement("income", period="2026-P08", entity="LINE", level=2, columns=["ptd", "ytd"])
    words = ("statement", "income", "--period", "2026-P08", "--entity", "LINE", "--level", "2", "--columns", "ptd; ytd")
    plain = run_almanac(*words, "--print", "json", book=demo).json
    assert len(made) == len(plain["rows"]) > 5
    for row in plain["rows"]:
        for key, cell in row["cells"].items():
            assert f"{made[row['key'], key]:f}" == cell
    assert made.holds
    assert made.proof is not None
    assert made.proof.considered.lines == plain["proof"]["considered"]["lines"]
    assert made.facts["entity"] == "LINE"
    assert made["result", "1"] == made["result"]["ptd"]  # type: ignore[index]  # a row by itself is a dict


def test_figures_trace_to_their_lines_and_a_report_writes_and_shows_itself(book: Book, tmp_path: Path) -> None:
    made = book.trial(period="2026-P08", entity=["LINE"], only="account begins 12")
    figure = made["12110", "debit"]
    lines = made.trace("12110", "debit")
    assert lines.holds
    assert lines["total", "debit"] == figure
    assert isinstance(figure, Decimal)
    assert made.write(tmp_path / "trial.csv").read_text().splitlines()[0].startswith("key,label")
    assert "Trial balance" in str(made)
    assert repr(made).startswith("<Trial balance: ")
    shown = made._repr_html_()
    assert shown.startswith("<table")
    assert f"{figure:,}" in shown
    with pytest.raises(UsageMistake, match="--row: the report has no such row: 'nothing'"):
        made["nothing"]
    with pytest.raises(UsageMistake, match="nothing can be traced of this report: Fiscal calendar"):
        book.calendar().trace("2026")


def test_options_take_values_as_python_has_them(book: Book) -> None:
    paid = book.parties("payable", year="2025", on="paid", over=7500, top=3)
    assert len(paid) > 3
    assert book.parties("payable", year="2025", on="paid", over=Decimal("7500.00"), top=3)["total"] == paid["total"]
    aged = book.aging("receivable", as_of=date(2025, 9, 30), buckets=(30, 60))
    assert aged["total", "total"]
    assert book.list("ledger", by="vessel", from_=date(2026, 5, 1), through="2026-05-31", except_="vessel is blank")


@pytest.mark.parametrize(
    ("options", "said"),
    [
        ({"perod": "2026-P08"}, "perod: there is no such option; expected .*did you mean 'period'"),
        ({"level": 0}, "level: not allowed here: 0; expected a whole number, 1 or more"),
        ({"entity": "LNE"}, "--entity: .*'LNE'"),
        ({"only": "acount is 5"}, "--only"),
    ],
)
def test_what_cannot_be_asked_is_said(book: Book, options: dict[str, object], said: str) -> None:
    with pytest.raises(UsageMistake, match=said):
        book._made("trial", options)


def test_a_book_loads_runs_pages_and_issues_editions(demo: Path, make_book: MakeBook, tmp_path: Path) -> None:
    with pytest.raises(BookMistake, match="nowhere"):
        Book.open(tmp_path / "nowhere")
    small = make_book("J1,1,2025-10-05,2026-P01,1000,50.00,,SA", "J1,2,2025-10-05,2026-P01,4010,,50.00,SA")
    opened = Book.open(small.root)
    assert opened.load(through="2025-10-31")["total", "lines"] == 16
    assert opened.statement("income", period="2026-P01")["result", "1"] == Decimal("50.00")
    book = Book.open(copied(demo, tmp_path / "demo"))
    page = book.run_page("month-end/1-ferries", period="2026-P08", decimals=0)
    assert page.facts["page"] == "month-end/1-ferries"
    assert page.table.look.style.decimals == 0
    folder = book.issue_edition("may", ["month-end"], period="2026-P08", with_findings=True)
    assert (folder / "index.html").is_file()
    assert book.verify_edition("may").holds
    assert book.compare_edition("may").facts["figures"] == "0"
    with pytest.raises(AlmanacError, match="an edition is for one day or period"):
        book.issue_edition("june", ["month-end"])


def test_an_option_by_its_old_name_warns(book: Book) -> None:
    with pytest.warns(DeprecationWarning, match="months is called by-period now"):
        book._made("pace", {"table": "sales", "by": "route", "months": True})
    with pytest.raises(AttributeError, match="a book has no report 'agin'; did you mean 'aging'"):
        _ = book.agin


@pytest.mark.parametrize("page", ["README.md", "docs/python.md"])
def test_the_examples_in_python_run(demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, page: str) -> None:
    copied(demo, tmp_path / "skellan-books")
    monkeypatch.chdir(tmp_path)
    text = (Path(__file__).parent.parent / page).read_text()
    code = "\n".join(re.findall(r"```python\n(.*?)```", text, re.DOTALL))
    assert "Book.open" in code
    exec(compile(code, page, "exec"), {})  # noqa: S102  the page's own examples
