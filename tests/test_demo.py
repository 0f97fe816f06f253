"""The demo: the same files each time, balanced, and one command that walks through it."""

import hashlib
import shlex
from collections import defaultdict
from pathlib import Path

from conftest import Almanac
from level_almanac.demo.ledger import LAST_DAY, demo_lines


def test_the_demo_walks_through_load_and_reports(almanac: Almanac, tmp_path: Path) -> None:
    ran = almanac("demo", tmp_path / "book")
    assert ran.code == 0, ran.err
    commands = [line for line in ran.err.splitlines() if line.startswith("$ almanac")]
    assert len(commands) == 8
    assert [
        title in ran.out
        for title in (
            "Exports loaded",
            "Fiscal calendar",
            "Trial balance",
            "Income statement",
            "Ferries at",
            "Behind Parcels",
            "Ledger: by vessel.kind and vessel",
            "Balance sheet",
        )
    ] == [True] * 8
    for command in commands[2:]:
        again = almanac(*shlex.split(command)[2:], cwd=tmp_path / "book")
        assert again.out in ran.out, "each step shows what its command prints"
    refused = almanac("demo", tmp_path / "book")
    assert refused.code == 2
    assert "the demo book goes into an empty folder" in refused.err


def test_the_exports_are_the_same_each_time(demo: Path) -> None:
    plans = hashlib.sha256()
    ledgers = hashlib.sha256()
    for path in sorted(demo.glob("exports/**/*.csv")):
        if path.name == "vessels.csv":
            continue
        (plans if path.parent.name == "plans" else ledgers).update(path.name.encode() + path.read_bytes())
    assert ledgers.hexdigest() == "98470692b2df9f4aa55c3982e6da63d439a404279c409fd2313fb609fa80fcdf"
    assert plans.hexdigest() == "ae97d0b67f50717658480f6768b8e3b7451b835b1c25d8c21facc9b286152ab9"


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
