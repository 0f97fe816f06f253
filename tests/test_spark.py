"""The same statements on Spark as on DuckDB: every row of every report equal, types and decimals to the last digit."""

import os
import shlex
import shutil
from collections.abc import Iterator
from datetime import timedelta
from decimal import Decimal
from pathlib import Path
from tempfile import TemporaryDirectory, gettempdir
from typing import Any
from unittest.mock import patch

import pytest
from hypothesis import given
from hypothesis import strategies as st

from both_engines import CLUSTER, QUICK, BothEngines
from conftest import examples, run_almanac
from level_almanac.core.book import Book
from level_almanac.core.reports.registry import all_reports
from level_almanac.store.binding import Binding
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from level_almanac.store.predicate import FieldTest, quoted, sql_of
from second_items import Doc
from small_items import items_book
from test_items import DOCS, START

pytest.importorskip("pyspark", reason="Spark is not installed")
if shutil.which("java") is None:
    pytest.skip("there is no Java to run Spark with", allow_module_level=True)
from level_almanac.store.engines.spark_engine import SparkEngine

pytestmark = pytest.mark.spark
REPORTS = [report for name, report in all_reports().items() if name != "check"]
EXAMPLES = ["check", *(example for report in REPORTS for example in report.examples[:2])]
TRACES = [f"trace {report.tracing.example}" for report in REPORTS if report.tracing]
FURTHER = (
    "statement income --basis cash --columns 'each quarter; year' --entity LINE",
    "list ledger --date posted --by 'period, account.name' --only 'memo contains fuel'",
    "list sales --by 'vessel.kind, quarter of date' --show 'amount, margin, vessel.insured'",
    "list ledger --by department --columns 'ytd; budget ytd; variance; how many party ytd last year; each source ytd'",
    "list ledger --by account.class --only 'account.class in income, expense' --columns 'natural ytd; budget ytd; variance; share of total'",
    "documents receivable --as-of 2026-03-31 --unapplied",
    "documents payable --top 5 --sort amount",
    "list payables --by 'status, quarter of due' --show 'count, open, signed' --only 'late over 30 or kind is void'",
    "list payables --by 'kind, quarter of date' --show 'count, signed' --except 'reference is blank and party.name contains a'",
    "parties payable --year 2025 --show paid --except 'kind is payment and reference is blank and amount over 500'",
    "aging payable --by status --show 'total, signed, oldest = minimum of due, how many number, party.side'",
    "billing --day 2026-06-16 --payments-by deposited",
    "check over-applied --as-of 2026-03-31",
    "trace statement income --basis cash --row 4011 --column 2 --period 2026-P08",
    'trace check over-applied --row "LINE payable: invoice P39129"',
)
"""What the examples leave out: the cash basis, lines by their bare date, links, chains of documents. Of `check` one is of
all checks, and takes the longest.
"""


@pytest.fixture(scope="module")
def spark() -> Iterator[SparkEngine]:
    with patch.dict(os.environ, QUICK):
        engine = SparkEngine(*CLUSTER, [Path(gettempdir())])
        yield engine
        engine.close()


@pytest.fixture(scope="module")
def both(spark: SparkEngine) -> Iterator[BothEngines]:
    engines = BothEngines(DuckDBEngine([Path(gettempdir())]), spark)
    with patch.object(Book, "engine", engines):
        yield engines


@pytest.mark.parametrize("words", [*EXAMPLES, *TRACES, *FURTHER])
def test_every_statement_of_every_report_gives_the_same_rows(
    both: BothEngines, demo: Path, tmp_path: Path, words: str
) -> None:
    asked = both.asked
    ran = run_almanac(*shlex.split(words), book=demo, cwd=tmp_path)
    assert ran.code in (0, 1), ran.err
    assert both.asked > asked or words.startswith(("calendar", "fields"))


def test_letters_and_numbers_mean_the_same(both: BothEngines) -> None:
    letters = [chr(code) for code in range(0x20, 0x530)] + ["ΟΔΟΣ ΑΣ", "İSTANBUL", "STRAẞE", "\u2028", "a\nb"]
    both.rows("select x, lower(x) from (select unnest($x::varchar[]) as x) order by x", {"x": letters})
    spelt = "regexp_replace(regexp_replace(x, '(^|[^0-9])0+([0-9])', '\\1\\2', 'g'), '[^a-z0-9]', '', 'g')"
    test, bind = FieldTest("x", "over", (Decimal(-5),), as_number=True), Binding(few=["007", "0"], none=[])
    numbers = [
        "1_000",
        " 5 ",
        "0x10",
        "-.5",
        "1.",
        "007",
        "A0012-03",
        "12\n",
        "0",
        "",
        " 1",
        "1e3",
        "+5",
        "-0.5",
        "12345678901234567890",
        "٣",
    ]
    both.rows(
        f"""select x, {spelt}, regexp_matches(x, '^[0-9]+$'), ltrim(x, '0'), {sql_of(test, bind, quoted)}, x in (select unnest($few)),
            x in (select unnest($none)) from (select unnest($x::varchar[]) as x) order by x""",
        {**bind.values, "x": numbers},
    )
    amounts = [
        Decimal("0.005"),
        Decimal("-0.005"),
        Decimal("99999999999999.99"),
        Decimal("-1.50"),
        Decimal(0),
        Decimal("1E+3"),
    ]
    both.rows(
        """select x, round(x, 2), x * x, ((x * 1000)::hugeint // 3::hugeint)::decimal(30, 0), x::decimal(38, 2), greatest(x, null, 0), sum(x) over (order by x)
            from (select unnest($x::decimal(20, 3)[]) as x) order by x""",
        {"x": amounts},
    )


def test_parts_are_read_whatever_their_folder_is_called_and_put_together_by_name(
    both: BothEngines, tmp_path: Path
) -> None:
    folder = tmp_path / "odd [x] {y} #1 %41 é a=b ,; 'q'"
    folder.mkdir()
    parts = [str(folder / f"ledger-{number}.parquet") for number in range(3)]
    writer = DuckDBEngine([tmp_path])
    for part, columns in zip(parts, ("1.25::decimal(18, 2) as amount, 'x' as a", "'y' as b, 0.0005::decimal(18, 4) as amount", "7.5::decimal(18, 2) as amount, 'z' as a"), strict=True):  # fmt: skip
        writer.run(f"copy (select {columns}) to $part (format parquet)", {"part": part})
    assert both.columns(parts[:1]) == {"amount": "DECIMAL(18,2)", "a": "VARCHAR"}
    both.rows(
        "select sum(amount), count(a), count(b), max(amount) from read_parquet($parts, union_by_name = true)",
        {"parts": parts},
    )
    both.rows("select sum(amount), count(a) from read_parquet($parts, union_by_name = true)", {"parts": parts[::2]})


@pytest.mark.usefixtures("both")
@examples(3, 40)
@given(docs=DOCS, others=DOCS, ledger=st.lists(st.tuples(st.integers(0, 5), st.integers(0, 40), st.sampled_from(["1000", "4000", "6000", "6100"]), st.integers(-(10**13), 10**13).filter(bool), st.sampled_from(["", "1", "2", "ÄÖ ß\u2028'\"\\\\", "İi"]), st.sampled_from(["", "V1", "V2"])), max_size=12))  # fmt: skip
def test_any_book_gives_the_same_rows(docs: list[Doc], others: list[Doc], ledger: list[Any]) -> None:
    day = START + timedelta(12)
    items, customers = ([item_line(doc) for doc in once(each)] for each in (docs, others))
    lines = ["F,1,2025-10-01,,1000,1.00,,,", "F,2,2025-10-01,,2000,-1.00,,,"]
    for at, (journal, back, account, cents, number, party) in enumerate(ledger):
        text = number.replace('"', '""')
        for line, sign in ((account, 1), ("2000", -1)):
            posted, amount = START + timedelta(back - 20), sign * Decimal(cents) / 100
            lines.append(f'{journal},{at}-{line},{posted},,{line},{amount},,"{text}",{party}')
    with TemporaryDirectory() as folder:
        book = items_book(Path(folder), items, customers, ledger=lines)
        loaded = book.load()
        assert loaded.code == 0, loaded.err
        for words in ANY_BOOK:
            if (
                (items or "payable" not in words)
                and (customers or "receivable" not in words)
                and (items or customers or "cash" not in words)
            ):
                ran = book.run(*shlex.split(words), "--as-of", day.isoformat())
                assert ran.code in (0, 1), (words, ran.err)


ANY_BOOK = (
    "trial", "statement income --columns 'ptd; each quarter; ytd'", "statement income --basis cash", "aging payable", "documents receivable --settled",
    "parties payable", "check control alike", "list ledger --by 'document, party' --only 'document contains i'",
)  # fmt: skip


def once(docs: list[Doc]) -> list[Doc]:
    """Leave out what has the key of an earlier line."""
    return list({(doc.party, doc.kind, doc.number, doc.line): doc for doc in reversed(docs)}.values())


def item_line(doc: Doc) -> str:
    amount = Decimal(doc.cents) / 100
    return f"{doc.party},{doc.kind},{doc.number},{doc.line},{doc.dated},,,{amount},{doc.settles},{doc.applied or ''},{doc.reference}"
