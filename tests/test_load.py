"""One load equals many; all or nothing; one writer; and a killed load leaves the old state or the new one."""

import json
import os
import random
import re
import shlex
import shutil
import signal
import subprocess
import threading
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from filelock import FileLock
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import COMMAND, ENVIRONMENT, HEADS, LONG, MakeBook, Ran, SmallBook, copied, run_almanac
from level_almanac.files import fingerprints
from level_almanac.files.fingerprints import reading_version
from level_almanac.files.tables import BUILT_IN
from level_almanac.intake import taking_in
from level_almanac.store import rollups
from level_almanac.store import state as loaded_state
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from level_almanac.store.state import Store

REPORTS = (
    ["trial", "--year", "2026"],
    ["trial", "--period", "2025-P13", "--after-closing"],
    ["statement", "income"],
    ["calendar"],
)
LINES = [
    f"{journal},{line},{day},{period},{account},{debit},{credit},{source}"
    for journal, day, period, source, postings in (
        ("CF1", "2024-09-30", "", "CF", (("1000", "900.00", ""), ("3000", "", "900.00"))),
        ("1", "2024-10-01", "", "GJ", (("1000", "10.10", ""), ("4010", "", "10.10"))),
        ("2", "2025-09-30", "2025-P13", "AJ", (("6100", "3.00", ""), ("1590", "", "3.00"))),
        ("3", "2025-09-30", "2025-P13", "CL", (("4010", "10.10", ""), ("6100", "", "3.00"), ("3100", "", "7.10"))),
        ("CF2", "2025-09-30", "", "CF", (("1000", "910.10", ""), ("1590", "", "3.00"), ("3000", "", "907.10"))),
        ("4", "2026-02-28", "2026-P06", "GJ", (("1000", "20.00", ""), ("4020", "", "20.00"))),
        ("5", "2026-03-05", "", "GJ", (("5000", "4.40", ""), ("2000", "", "4.40"))),
    )
    for line, (account, debit, credit) in enumerate(postings, 1)
]  # fmt: skip


def reports(book: Path) -> list[dict[str, Any]]:
    """Return the reports as JSON, the time of loading aside."""
    found = []
    for words in REPORTS:
        ran = run_almanac(*words, "--print", "json", book=book)
        assert ran.code == 0, ran.err
        report = ran.json
        del report["facts"]["loaded"]
        found.append(report)
    return found


def states(book: Path) -> set[str]:
    return {path.name for path in (book / ".almanac" / "manifests").glob("*.json")}


@settings(max_examples=100 if LONG else 3, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.integers(0, 2**32), st.integers(2, 16))
def test_one_export_or_many_in_any_order_give_the_same_reports(make_book: MakeBook, seed: int, files: int) -> None:
    chance = random.Random(seed)
    book = make_book(*LINES)
    shutil.rmtree(book.root / ".almanac", ignore_errors=True)
    for path in book.root.glob("ledger?*.csv"):
        if path.name != "ledger.csv":
            path.unlink()
    assert book.load().code == 0
    whole = reports(book.root)
    shutil.rmtree(book.root / ".almanac")
    (book.root / "ledger.csv").unlink()
    shuffled = chance.sample(LINES, len(LINES))
    for number in range(files):
        # Some lines stand in two files, as exports overlap.
        own = [line for at, line in enumerate(shuffled) if at % files == number or (at % 5 == 0 and number == 0)]
        book.ledger(HEADS + "".join(f"{line}\n" for line in own), f"ledger-{chance.randrange(10**6)}-{number}.csv")
        if chance.random() < 0.3:
            book.load()
    assert book.load().code == 0
    assert book.load().code == 0
    assert reports(book.root) == whole


def kept(book: Path) -> list[Any]:
    """Return what a store holds of each export: what the manifest says, and its lines, those that do not count apart."""
    store = Store(book / ".almanac")
    state = store.state()
    assert state is not None
    engine = DuckDBEngine((book,))
    asked = "select journal, line, debit, credit, entry_class, file, file_line from read_parquet($part) order by all"
    return [
        (
            loaded.path,
            loaded.lines,
            loaded.duplicates,
            loaded.superseded,
            loaded.sums,
            loaded.first,
            loaded.last,
            [engine.rows(asked, {"part": store.path_of(part)}) for part in (loaded.part, loaded.shadow) if part],
        )
        for loaded in state.files_of("ledger")
    ]


@settings(max_examples=60 if LONG else 3, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.integers(0, 2**32), st.sampled_from(["", 'later = "wins"']))
def test_load_after_load_comes_to_one_load_of_what_is_there(
    make_book: MakeBook, tmp_path_factory: pytest.TempPathFactory, seed: int, later: str
) -> None:
    """Each looks only at what changed: lines in several exports, journals over several, some closing or not balanced."""
    chance = random.Random(seed)
    book = make_book(*LINES, intake=later)
    shutil.rmtree(book.root / ".almanac", ignore_errors=True)
    for path in book.root.glob("ledger*.csv"):
        path.unlink()
    for step in range(4):
        for number in chance.sample(range(4), chance.choice((1, 1, 2, 4) if step else (4,))):
            path = book.root / f"ledger-{number}.csv"
            lines = chance.sample(LINES, chance.randrange(1, len(LINES)))
            if later and chance.random() < 0.5:
                lines = [line.replace(",10.10,", ",10.20,").replace(",4.40", ",4.50") for line in lines]
            if step and path.exists() and chance.random() < 0.3:
                path.unlink()
            else:
                book.ledger(HEADS + "".join(f"{line}\n" for line in lines), path.name)
        if not list(book.root.glob("ledger-*.csv")):
            return
        anew = tmp_path_factory.mktemp("anew")
        copied(book.root, anew / "book", ".almanac", "kept")
        told, fresh = book.load("--drop-missing"), run_almanac("load", book=anew / "book")
        assert "fault" not in told.err + fresh.err
        # What a load warns of is of what is there, but for signs and ends of exports, which are said once.
        assert [sorted(line for line in ran.err.splitlines() if "balance" in line) for ran in (told, fresh)] == [
            sorted(line for line in fresh.err.splitlines() if "balance" in line)
        ] * 2
        assert (told.code, kept(book.root)) == (fresh.code, kept(anew / "book"))
    found = [
        run_almanac("check", "unbalanced", "outside", "--print", "json", book=of) for of in (book.root, anew / "book")
    ]
    one, other = ([(row["key"], row["label"], row["cells"].get("amount")) for row in ran.json["rows"]] for ran in found)
    assert one == other


def test_an_export_that_only_looks_unchanged_is_read(make_book: MakeBook, monkeypatch: pytest.MonkeyPatch) -> None:
    """It is taken for the same by what no program can set; one that was written just now is read whatever it shows."""
    monkeypatch.setattr(loaded_state, "SETTLED", -1.0)
    book = make_book(*LINES)
    assert book.load().code == 0
    path = book.root / "ledger.csv"
    there, text = path.stat(), path.read_text()
    for digit, settled in (("5", -1.0), ("6", 1e6)):
        monkeypatch.setattr(loaded_state, "SETTLED", settled)
        path.write_text(text.replace("20.00", f"2{digit}.00"))
        os.utime(path, ns=(there.st_atime_ns, there.st_mtime_ns))
        rows = book.load("--print", "json").json["rows"]
        assert [row["cells"].get("outcome") for row in rows] == ["unchanged", "changed", None]
    monkeypatch.setattr(loaded_state, "SETTLED", -1.0)
    assert book.run("load", "--look").code == 0
    path.write_text(text)
    assert book.load().code == 0
    monkeypatch.setattr(taking_in, "fingerprint", lambda path: pytest.fail(f"{path} was read"))
    assert book.load().code == 0


def test_the_same_again_changes_nothing_and_a_changed_file_replaces_its_own_lines(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    first = book.load("--print", "json")
    assert {row["cells"].get("outcome") for row in first.json["rows"]} == {"new", None}
    state = (book.root / ".almanac" / "current").read_text()
    again = book.load("--print", "json")
    assert {row["cells"].get("outcome") for row in again.json["rows"]} == {"unchanged", None}
    assert (book.root / ".almanac" / "current").read_text() == state
    book.ledger(HEADS + "".join(f"{line}\n" for line in LINES).replace("20.00", "25.00"))
    changed = book.load("--print", "json").json["rows"]
    assert [row["cells"].get("outcome") for row in changed] == ["unchanged", "changed", None]
    assert "25.00" in book.run("statement", "income", "--columns", "ytd").out


def test_lines_in_two_files_count_once_and_come_back_when_the_first_file_goes(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    book.load()
    alone = reports(book.root)
    book.ledger(HEADS + "".join(f"{line}\n" for line in LINES[-4:]), "ledger-again.csv")
    rows = {row["key"]: row["cells"] for row in book.load("--print", "json").json["rows"]}
    # `ledger-again.csv` comes first by its name, so the copies are those of `ledger.csv`.
    assert rows["ledger.csv"]["duplicates"] == 4
    assert rows["total"]["lines"] == len(LINES) + 14
    assert reports(book.root) == alone
    (book.root / "ledger-again.csv").unlink()
    gone = book.load()
    assert gone.code == 3
    assert "ledger-again.csv: this export was loaded and is gone; put it back" in gone.err
    assert book.load("--drop-missing").code == 0
    assert reports(book.root) == alone


def test_two_files_that_disagree_on_a_line_are_refused(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    assert book.load().code == 0
    book.ledger(HEADS + LINES[-1].replace("4.40", "4.41") + "\n", "ledger-other.csv")
    told = book.load()
    assert told.code == 3
    assert re.search(r"ledger-other.csv:2 and ledger.csv:\d+: two different lines under one key", told.err)


def test_a_closing_journal_is_taken_out_whole(make_book: MakeBook) -> None:
    """A rule that fits one side of a journal takes the other side too, even from another file."""
    book = make_book(*LINES)
    toml = book.root / "almanac.toml"
    toml.write_text(toml.read_text().replace('"source is CL"', '"source is CL and account begins 31"'))
    one = [line for line in LINES if not line.startswith("3,3")]
    book.ledger(HEADS + "".join(f"{line}\n" for line in one))
    book.ledger(HEADS + next(line for line in LINES if line.startswith("3,3")) + "\n", "ledger-kept.csv")
    assert book.load().code == 0
    before = book.run("statement", "income", "--year", "2025", "--columns", "year", "--print", "json").json
    result = next(row["cells"]["year"] for row in before["rows"] if row["key"] == "result")
    assert result == "7.10", "the closing lines on income and expense are no movement of the year"
    assert book.run("trial", "--year", "2025").code == 0


def test_a_changed_rule_asks_for_a_load(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    book.load()
    toml = book.root / "almanac.toml"
    toml.write_text(toml.read_text().replace("source is CF", "source is OB"))
    told = book.run("trial")
    assert told.code == 3
    assert "changed since the exports were loaded; run `almanac load`" in told.err
    assert book.load().code == 0
    assert book.run("trial").code == 0


def test_a_report_on_a_book_without_a_load_says_so(make_book: MakeBook) -> None:
    told = make_book(*LINES).run("trial")
    assert (told.code, told.err.split(": ", 2)[2]) == (3, "nothing is loaded yet; run `almanac load`\n")


def test_a_second_writer_is_turned_away(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    book.load()
    with FileLock(book.root / ".almanac" / "lock"):
        told = book.load()
        assert told.code == 4
        assert "another load is writing to this book" in told.err
        assert book.run("trial").code == 0, "readers never wait"


def let_it_start(book: Path) -> None:
    """Wait until a load holds the book."""
    for _ in range(600):
        if (book / ".almanac" / "work").exists():
            return
        time.sleep(0.05)


@pytest.mark.parametrize("seconds", [0.0, 0.3, 0.7, 1.2] if LONG else [0.3, 0.7])
def test_a_killed_load_leaves_the_old_state_or_the_new_one(demo: Path, tmp_path: Path, seconds: float) -> None:
    book = tmp_path / "book"
    copied(demo, book)
    old = totals(book)
    path = book / "exports" / "line" / "line-2026-05.csv"
    path.write_text(path.read_text().replace(",Tills paid in,", ",Tills emptied,").replace("TK26", "TQ26"))
    load = subprocess.Popen(
        [COMMAND, "--book", book, "load"], env=ENVIRONMENT, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    let_it_start(book)
    time.sleep(seconds)
    load.send_signal(signal.SIGKILL)
    load.wait()
    assert totals(book) == old, "the change of names moves no figure, so both states show the same"
    kept = json.loads((book / ".almanac" / "manifests" / (book / ".almanac" / "current").read_text()).read_text())
    for entry in kept["files"]:
        assert all(
            (book / ".almanac" / "parts" / entry[part]).is_file()
            for part in ("part", "shadow", "rollup", "days")
            if entry[part]
        )
    done = run_almanac("load", book=book)
    assert done.code == 0, done.err
    assert totals(book) == old
    assert not list((book / ".almanac").glob("work/*"))


@pytest.mark.parametrize("seconds", [0.1, 0.6] if LONG else [0.6])
def test_an_interrupted_load_says_so_and_changes_nothing(demo: Path, tmp_path: Path, seconds: float) -> None:
    book = tmp_path / "book"
    copied(demo, book, ".almanac")
    load = subprocess.Popen(
        [COMMAND, "--book", book, "load"], env=ENVIRONMENT, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
    )
    let_it_start(book)
    time.sleep(seconds)
    load.send_signal(signal.SIGINT)
    told = load.communicate()[1]
    assert "Traceback" not in told
    if load.returncode:
        assert (load.returncode, told.strip()) == (130, "almanac: interrupted; the book is whole")
        assert not (book / ".almanac" / "current").exists()
    assert run_almanac("load", book=book).code == 0


def totals(book: Path) -> dict[str, Any]:
    ran: Ran = run_almanac("trial", "--print", "json", book=book)
    assert ran.code == 0, ran.err
    return {row["key"]: row["cells"] for row in ran.json["rows"]}


def test_two_blocks_may_not_take_one_file(make_book: MakeBook) -> None:
    book: SmallBook = make_book(*LINES)
    toml = book.root / "almanac.toml"
    text = toml.read_text()
    toml.write_text(text + text[text.rindex("[[intake]]") :].replace("ledger*.csv", "ledger.csv"))
    told = book.load()
    assert told.code == 3
    assert (
        told.err
        == "almanac: intake[3].files: intake[2] takes this file too: ledger.csv; expected one block for each file; blocks that share a file say which lines each takes, as `only`, or `shares_records = true`\n"
    )


def test_a_file_that_is_not_there(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    toml = book.root / "almanac.toml"
    toml.write_text(toml.read_text().replace('"chart.csv"', '"charts.csv"'))
    assert (
        book.load().err == "almanac: intake[1].files: there is no such file: 'charts.csv'; did you mean 'chart.csv'?\n"
    )


CUTS = (
    "trial --from 2026-02-03 --through 2026-04-09",
    "trial --from 2026-02-03 --through 2026-04-09 --date posted",
    "statement income --as-of 2026-05-17 --columns 'each department ytd; ytd last year; ptd'",
    "statement income --as-of 2026-05-17 --columns 'each source ytd; ytd' --only 'account.class is expense'",
    "detail 12110 --from 2026-05-09 --through 2026-05-23",
)


@pytest.mark.parametrize("by", ["fields", "days", "lines"])
def test_sums_of_days_say_what_their_lines_say(
    demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, by: str
) -> None:
    book = copied(demo, tmp_path / "book", ".almanac")
    # A book of few lines a day keeps none by department and the like, and an earlier version kept none at all.
    monkeypatch.setattr(rollups, "_FEWER", 0 if by == "fields" else 1_000)
    assert run_almanac("load", "--through", "2026-06-17", book=book).code == 0
    store = Store(book / ".almanac")
    state = store.state()
    assert state is not None
    assert {bool(loaded.days_by) for loaded in state.files_of("ledger")} == {by == "fields"}
    if by == "lines":
        store.put_in_force(replace(state, files=tuple(replace(loaded, days="") for loaded in state.files)))

    def told(of: Path) -> list[dict[str, Any]]:
        found = [run_almanac(*shlex.split(words), "--print", "json", book=of).json for words in CUTS]
        return [report for report in found if report["facts"].pop("loaded")]

    assert told(book) == told(demo)


def test_a_damaged_store_is_told_and_can_be_rebuilt(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    book.load()
    whole = reports(book.root)
    for part in (book.root / ".almanac" / "parts").glob("rollup-*"):
        part.unlink()
    told = book.run("trial")
    assert told.code == 3
    assert "delete the folder .almanac and run `almanac load`" in told.err
    shutil.rmtree(book.root / ".almanac")
    book.load()
    assert reports(book.root) == whole


def test_the_demo_cut_anew_into_thirty_files_gives_the_same_reports(demo: Path, tmp_path: Path) -> None:
    book = tmp_path / "book"
    copied(demo, book, ".almanac")
    chance = random.Random(30)
    head, lines = "", set()
    for path in book.glob("exports/line/*.csv"):
        head, *rest = path.read_text(encoding="utf-8").splitlines(keepends=True)
        lines |= set(rest)
        path.unlink()
    shuffled = chance.sample(sorted(lines), len(lines))
    for number in range(30):
        text = head + "".join(shuffled[number::30])
        (book / "exports" / "line" / f"{chance.randrange(10**9)}.csv").write_text(text, encoding="utf-8")
    assert run_almanac("load", "--through", "2026-06-17", book=book).code == 0
    assert reports(book) == reports(demo)


def test_the_day_of_completeness_is_kept_and_a_stale_one_is_told(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    assert book.load("--through", "2026-03-31").err == ""
    assert book.run("statement", "income", "--print", "json").json["facts"]["as_of"] == "2026-03-31"
    book.ledger(
        HEADS + "6,1,2026-04-02,,1000,1.00,,GJ\n6,2,2026-04-02,,4010,,1.00,GJ\n",
        "ledger-april.csv",
    )
    told = book.load()
    assert told.code == 0
    assert "warning: lines are dated after the day through which the ledger is complete: 2026-04-02" in told.err
    assert book.run("statement", "income", "--print", "json").json["facts"]["as_of"] == "2026-03-31"


def test_lines_dated_after_today_do_not_choose_the_day(make_book: MakeBook) -> None:
    book = make_book(*LINES, "9,1,2199-01-01,,1000,1.00,,GJ", "9,2,2199-01-01,,4010,,1.00,GJ")
    assert book.load().code == 0
    facts = book.run("statement", "income", "--print", "json").json["facts"]
    assert (facts["as_of"], facts["as_of_chosen"]) == ("2026-03-05", "the newest posting date")


def test_a_replaced_state_stays_for_its_readers_and_then_goes(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    store = book.root / ".almanac"

    def age() -> None:
        for path in [*(store / "parts").iterdir(), *(store / "manifests").iterdir()]:
            os.utime(path, (time.time() - 3 * 24 * 3600,) * 2)

    assert book.load().code == 0
    first = set((store / "parts").iterdir())
    age()
    book.ledger(HEADS + "".join(f"{line}\n" for line in LINES[:-2]))
    assert book.load().code == 0
    assert first < set((store / "parts").iterdir()), "in force for three days, and replaced only now"
    age()
    book.ledger(HEADS + "".join(f"{line}\n" for line in LINES[:-4]))
    assert book.load().code == 0
    gone = first - set((store / "parts").iterdir())
    assert {path.name.split("-")[0] for path in gone} == {"ledger", "rollup", "wide"}
    assert len(states(book.root)) == 2
    assert book.run("trial").code == 0


def test_how_exports_are_read_is_told_by_a_hash_of_tables_patterns_and_grammar(monkeypatch: pytest.MonkeyPatch) -> None:
    assert reading_version() == 2, "what was numbered by hand is read as it is; give another shape no number"
    for changed in (
        {"ledger": BUILT_IN["ledger"]._replace(date="")},
        {"sales": BUILT_IN["sales"]._replace(fields=BUILT_IN["sales"].fields[:-1])},
    ):
        monkeypatch.setattr(fingerprints, "BUILT_IN", {**BUILT_IN, **changed})
        reading_version.cache_clear()
        assert len(str(reading_version())) == 64
    monkeypatch.undo()
    reading_version.cache_clear()


def test_what_is_interrupted_does_nothing_more() -> None:
    engine = DuckDBEngine([])
    other, ended = engine.beside(), []
    statements = (
        "select count(*) from range(200000) as a, range(200000) as b where a.range % 7 = b.range % 5",
        "select 1",
    )

    def ask() -> None:
        for sql in statements:
            try:
                other.rows(sql)
            except KeyboardInterrupt:
                # Else a reader would take it for an export that another has to read, and go on for long.
                ended.append(sql)

    thread = threading.Thread(target=ask)
    thread.start()
    time.sleep(0.3)
    other.interrupt()
    thread.join(30)
    assert tuple(ended) == statements
    assert engine.rows("select 1") == [(1,)]
