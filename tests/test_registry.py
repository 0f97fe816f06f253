"""Every report that there is: as a command, in every format, as a page, traced, and in an edition; and one that is added."""

import re
import shlex
from collections.abc import Iterator
from pathlib import Path

import pytest

from conftest import Almanac, copied, run_almanac
from level_almanac.cli.main import commands
from level_almanac.core import reports
from level_almanac.core.reports.registry import all_reports
from level_almanac.core.requests.options import options_of, request_of
from level_almanac.errors import UsageMistake
from level_almanac.output.files import ENDINGS

ROOT = Path(__file__).parent.parent
ASKED = {
    "aging": ("aging receivable --period 2026-P08 --top 3", "--row total"),
    "billing": ("billing --by office --period 2026-P08", "--row Kelsay --column net"),
    "calendar": ("calendar --year 2026", ""),
    "check": ("check gaps unbalanced", "--row gaps/"),
    "detail": ("detail 12110 --period 2026-P08", ""),
    "documents": ("documents payable --open --period 2026-P08 --top 5", "--row total"),
    "fields": ("fields sales", ""),
    "growth": ("growth sales --each quarter --last 2", "--row 2026-Q2 --column now"),
    "list": ("list ledger --by vessel --period 2026-P08", "--row Brae"),
    "pace": ("pace ledger --by department --entity LINE --period 2026-P08", "--row SEA --column spent"),
    "parties": ("parties payable --period 2026-P08 --top 5", "--row total"),
    "rank": ("rank sales --by route --period 2026-P08", "--row total"),
    "statement": ("statement income --level 1 --period 2026-P08", "--row result --column 1"),
    "trial": ("trial --level 1 --period 2026-P08", "--row total --column debit"),
}
"""By report, how it is asked for here, and a figure of it."""
DRAWN = {"aging", "growth", "pace", "parties", "rank", "statement"}


def test_every_report_is_asked_for_here() -> None:
    assert set(ASKED) == set(all_reports())
    for report in all_reports().values():
        names = [each.name for each in report.options]
        assert len(names) == len(set(names)), f"{report.name} has two options of one name"
        assert all(each.help or each.argument for each in report.options)
        assert commands()[report.name] == report.help


@pytest.mark.parametrize("name", all_reports())
def test_a_report_is_a_command_in_every_format_and_its_figures_are_traced(
    demo: Path, almanac: Almanac, tmp_path: Path, name: str
) -> None:
    words, figure = (shlex.split(each) for each in ASKED[name])
    endings = [each for each in ENDINGS if each not in ("png", "svg") or name in DRAWN]
    files = [word for ending in endings for word in ("-o", tmp_path / f"r.{ending}")]
    ran = almanac(*words, *files, "--print", "json", book=demo)
    assert ran.code == (1 if name in ("aging", "check") else 0), ran.err
    assert ran.json["rows"]
    assert {path.suffix for path in tmp_path.iterdir() if path.stat().st_size} == {f".{each}" for each in endings}
    assert bool(figure) == (all_reports()[name].tracing is not None)
    if figure:
        row = next((each["key"] for each in ran.json["rows"] if each["key"].startswith(figure[1])), figure[1])
        traced = almanac("trace", *words, figure[0], row, *figure[2:], "--print", "json", book=demo)
        assert traced.code == 0, traced.err
        assert traced.json["title"].startswith("Behind ")


@pytest.mark.parametrize("name", all_reports())
def test_what_must_be_told_is_asked_for(demo: Path, almanac: Almanac, name: str) -> None:
    report = all_reports()[name]
    needed = next((each for each in report.options if each.argument and each.required), None)
    if needed is not None:
        bare = almanac(name, book=demo)
        assert bare.code == 2
        assert "Error: Missing argument" in bare.err
    if needed is not None and needed.default in (None, "", ()):
        with pytest.raises(UsageMistake, match=f"{needed.called}: this must be told"):
            request_of(report.request_type, {})
    elif needed is None:
        assert request_of(report.request_type, {}) == report.request_type()
    if report.tracing is not None:
        traced = almanac("trace", *shlex.split(ASKED[name][0]), book=demo)
        assert traced.code == 2
        assert "Error: Missing option '--row'" in traced.err


def test_every_report_that_can_be_saved_is_a_page_and_stands_in_an_edition(
    demo: Path, almanac: Almanac, tmp_path: Path
) -> None:
    book = copied(demo, tmp_path / "book")
    for name, report in all_reports().items():
        saved = almanac("page", "save", f"all/{name}", *shlex.split(ASKED[name][0]), book=book)
        assert saved.code == (0 if report.page else 2), saved.err
        if report.page:
            plain = almanac(*shlex.split(ASKED[name][0]), "--print", "json", book=book).json
            run = almanac("page", "run", f"all/{name}", "--print", "json", book=book).json
            assert run["rows"] == plain["rows"]
            assert run["facts"]["page"] == f"all/{name}"
    words = ("issue", "may", "--period", "2026-P08", "--pages", "all", "--with-findings")
    issued = almanac("edition", *words, book=book)
    assert issued.code == 0, issued.err
    assert almanac("edition", "verify", "may", book=book).code == 0
    same = almanac("edition", "compare", "may", "--print", "json", book=book)
    assert (same.code, same.json["facts"]["figures"]) == (0, "0"), same.out


@pytest.fixture
def added(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Have the report that CONTRIBUTING.md adds stand among the others."""
    text = (ROOT / "CONTRIBUTING.md").read_text()
    blocks = re.findall(r"```python (\S+)\n(.*?)```", text, re.DOTALL)
    assert len(blocks) == 2
    for name, code in blocks:
        path = tmp_path / "reports" / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(code)
    monkeypatch.setattr(reports, "__path__", [*reports.__path__, str(tmp_path / "reports")])
    for kept in (all_reports, commands):
        kept.cache_clear()
    yield
    monkeypatch.undo()
    for kept in (all_reports, commands):
        kept.cache_clear()


@pytest.mark.usefixtures("added")
def test_a_report_that_is_added_has_all_that_the_others_have(demo: Path, tmp_path: Path) -> None:
    book = copied(demo, tmp_path / "book")
    asked = ("sources", "--period", "2026-P08", "--at-least", "1000")
    assert "What each source system booked." in run_almanac("--help").out
    assert "--at-least N" in run_almanac("sources", "--help").out
    assert [each.name for each in options_of(all_reports()["sources"].request_type)][:2] == ["on", "over"]
    files = [
        word
        for ending in ("xlsx", "pdf", "html", "csv", "parquet", "md", "txt")
        for word in ("-o", tmp_path / f"r.{ending}")
    ]
    made = run_almanac(*asked, *files, "--print", "json", book=book)
    assert made.code == 0, made.err
    assert made.json["proof"]["balances"] is True
    row = next(row for row in made.json["rows"] if row["kind"] == "line")
    traced = run_almanac("trace", *asked, "--row", row["key"], "--print", "json", book=book)
    assert traced.code == 0, traced.err
    assert traced.json["rows"][-1]["cells"]["debit"] == row["cells"]["debit"]
    assert run_almanac("page", "save", "own/sources", *asked, book=book).code == 0
    issued = run_almanac("edition", "issue", "may", "--period", "2026-P08", "--pages", "own", book=book)
    assert issued.code == 0, issued.err
    assert run_almanac("edition", "verify", "may", book=book).code == 0
