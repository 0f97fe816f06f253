"""The demo: the same files each time, balanced, and one command that walks through it."""

import hashlib
import shlex
from collections import defaultdict
from pathlib import Path

import pytest

from conftest import Almanac
from level_almanac.cli.say import say
from level_almanac.demo.ledger import LAST_DAY, demo_lines


def test_the_demo_walks_through_load_and_reports(almanac: Almanac, tmp_path: Path) -> None:
    ran = almanac("demo", tmp_path / "book")
    assert ran.code == 0, ran.err
    commands = [line for line in ran.err.splitlines() if line.startswith("$ almanac")]
    assert len(commands) == 18
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
            "Suppliers: totals",
            "Receivables by age",
            "Billing by office",
            "Sales: growth of amount",
            "Sales: amount by item",
            "Pace of costs by department",
            "Checks",
            "Balance sheet",
            "Pages of Skellan books",
            "Edition 2026-P08",
        )
    ] == [True] * 17
    for command in (commands[3], commands[7], *commands[-2:]):
        again = almanac(*shlex.split(command)[2:], cwd=tmp_path / "book")
        assert again.code == (2 if " issue " in command else again.code), "an edition is never written over"
        assert again.out in ran.out, "each step shows what its command prints"
    refused = almanac("demo", tmp_path / "book")
    assert refused.code == 2
    assert "the demo book goes into an empty folder" in refused.err


def test_the_exports_are_the_same_each_time(demo: Path) -> None:
    found = {name: hashlib.sha256() for name in ("billing", "exports", "items", "line", "plans", "sales", "yard")}
    for path in sorted(demo.glob("exports/**/*.csv")):
        found[path.parent.name].update(path.name.encode() + path.read_bytes())
    assert {name: digest.hexdigest()[:16] for name, digest in found.items()} == {
        "billing": "87588978b5f63f0d",
        "exports": "9b1b5af25a70d51e",
        "items": "477173870293538b",
        "line": "119e00afc8d71cdb",
        "plans": "559b25733d637caf",
        "sales": "f2f3f3be73fdf44a",
        "yard": "ce3f75342c9cf4e0",
    }


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


def test_bold_words_beside_a_report_steer_nothing_where_there_is_no_terminal(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.delenv("NO_COLOR", raising=False)
    say("$ almanac trial\x1b[2J", strong=True)
    assert capsys.readouterr().err == "$ almanac trial\\x1b[2J\n"
