"""The demo: the same files each time, balanced, and one command that walks through it."""

import hashlib
from collections import defaultdict
from pathlib import Path

from conftest import Almanac
from level_almanac.demo.ledger import LAST_DAY, demo_lines


def test_the_demo_walks_through_load_and_reports(almanac: Almanac, tmp_path: Path) -> None:
    ran = almanac("demo", tmp_path / "book")
    assert ran.code == 0, ran.err
    commands = [line for line in ran.err.splitlines() if line.startswith("$ almanac")]
    assert len(commands) == 4
    assert [
        title in ran.out for title in ("Exports loaded", "Fiscal calendar", "Trial balance", "Income statement")
    ] == [True] * 4
    for command in commands[2:]:
        again = almanac(*command.split()[2:], cwd=tmp_path / "book")
        assert again.out in ran.out, "each step shows what its command prints"
    refused = almanac("demo", tmp_path / "book")
    assert refused.code == 2
    assert "the demo book goes into an empty folder" in refused.err


def test_the_exports_are_the_same_each_time(demo: Path) -> None:
    digest = hashlib.sha256()
    for path in sorted(demo.glob("exports/**/*.csv")):
        digest.update(path.name.encode() + path.read_bytes())
    assert digest.hexdigest() == "98470692b2df9f4aa55c3982e6da63d439a404279c409fd2313fb609fa80fcdf"


def test_journals_balance_and_lines_are_as_many_as_asked() -> None:
    for asked in (25_000, 120_000):
        journals: defaultdict[tuple[str, str], int] = defaultdict(int)
        count = 0
        for line in demo_lines(asked):
            journals[line.entity, line.journal] += line.cents
            count += 1
            assert line.posted <= LAST_DAY
        assert not any(journals.values())
        assert abs(count - asked) < asked // 10
