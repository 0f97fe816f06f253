"""Life in a shell: completion of the book's names, the manual page, schemas, and pipes."""

import json
import os
import subprocess
import tomllib
from pathlib import Path
from typing import Any

import click
import pytest
from jsonschema import Draft202012Validator

from conftest import COMMAND, ENVIRONMENT, Almanac, run_almanac, run_installed
from level_almanac.cli.main import almanac as main
from level_almanac.cli.manual import manual
from level_almanac.files.page_reading import built_in_names, read_page
from level_almanac.files.schemas import schema_text, schemas

ROOT = Path(__file__).parent.parent


def completed(book: Path, words: str, last: str) -> list[str]:
    front = f"almanac --book {book} {words}"
    environment = {
        **ENVIRONMENT, "_ALMANAC_COMPLETE": "bash_complete", "COMP_WORDS": f"{front} {last}", "COMP_CWORD": str(len(front.split())),
    }  # fmt: skip
    done = subprocess.run([str(COMMAND)], capture_output=True, text=True, check=True, env=environment)
    assert done.stderr == ""
    return [line.partition(",")[2] for line in done.stdout.splitlines() if line]


@pytest.mark.parametrize(
    ("words", "last", "offered"),
    [
        ("", "sta", ["statement"]),
        ("page", "re", ["rename"]),
        ("page run", "month-end/1", ["month-end/1-ferries"]),
        ("page lock", "enq", ["enquiries", "enquiries/party-lines"]),
        ("edition issue x --pages", "month-end", ["month-end", *(f"month-end/{n}" for n in ("1-ferries", "2-balance", "3-trial", "4-customers", "5-suppliers", "6-spending", "7-desks", "8-sales"))]),
        ("statement", "f", ["ferries"]),
        ("statement income --by", "depart", ["department"]),
        ("list sales --by", "item,item.r", ["item,item.range"]),
        ("rank", "sal", ["sales", "sales_plan"]),
        ("detail", "1211", ["12110"]),
        ("trial --entity", "Y", ["YARD"]),
        ("trial --period", "2026-P1", ["2026-P10", "2026-P11", "2026-P12", "2026-P13"]),
        ("trial --year", "202", ["2026", "2025", "2024", "2023"]),
        ("trial --style", "b", ["board"]),
        ("aging payable --by", "party.n", ["party.name"]),
        ("pace ledger --plan", "b", ["budget"]),
    ],
)  # fmt: skip
def test_words_of_the_book_are_completed(demo: Path, words: str, last: str, offered: list[str]) -> None:
    assert completed(demo, words, last) == offered


def test_completing_never_fails_and_every_shell_has_its_script(tmp_path: Path, almanac: Almanac) -> None:
    assert completed(tmp_path, "page run", "x") == []
    for shell in ("bash", "zsh", "fish"):
        made = almanac("completion", shell)
        assert made.code == 0
        assert f"_ALMANAC_COMPLETE={shell}_complete" in made.out
    assert almanac("completion", "ksh").code == 2


def commands(group: click.Group, front: str = "almanac") -> list[tuple[str, click.Command]]:
    found: list[tuple[str, click.Command]] = []
    for name in group.list_commands(click.Context(group)):
        command = group.get_command(click.Context(group), name)
        assert command is not None
        found.append((f"{front} {name}", command))
        found += commands(command, f"{front} {name}") if isinstance(command, click.Group) else []
    return found


def test_every_command_has_examples_of_itself_and_stands_in_the_manual() -> None:
    kept = (ROOT / "docs/almanac.1").read_text()
    assert kept == manual(), "write it anew: python -m level_almanac.cli.manual docs/almanac.1"
    plain = kept.replace("\\-", "-")
    for path, command in commands(main):
        examples = (command.help or "").partition("Examples:")[2]
        assert path in examples, path
        assert f".SS {path} " in plain


def test_the_schemas_of_the_docs_are_those_of_the_code() -> None:
    for name, schema in schemas().items():
        Draft202012Validator.check_schema(schema)
        kept = (ROOT / "docs/schemas" / name).read_text()
        assert kept == schema_text(schema), "write them anew: python -m level_almanac.files.schemas docs/schemas"


def mistakes(name: str, plain: Any) -> list[str]:
    return [error.message for error in Draft202012Validator(schemas()[f"{name}.schema.json"]).iter_errors(plain)]


def toml(path: Path) -> Any:
    # As an editor sees it: days are texts.
    return json.loads(json.dumps(tomllib.loads(path.read_text()), default=str))


def test_what_the_book_and_its_reports_hold_fits_the_schemas(demo: Path) -> None:
    assert mistakes("book", toml(demo / "almanac.toml")) == []
    assert mistakes("layout", toml(demo / "layouts/ferries.toml")) == []
    for path in demo.glob("pages/**/*.toml"):
        assert mistakes("page", toml(path)) == [], path
    for name in built_in_names():
        assert mistakes("page", tomllib.loads(read_page(demo, name).text)) == [], name
    for path in demo.glob("explanations/**/*.toml"):
        assert mistakes("explanations", toml(path)) == [], path
    assert mistakes("page", {"report": "trial", "ask": {"x": {"kind": "month"}}}) != []
    for words in (
        "page run month-end/1-ferries --period 2026-P08", "statement income --period 2026-P08 --with-lines --level 2",
        "trace statement income --row 60110 --column ptd", "check", "aging receivable", "growth sales --each quarter",
        "rank sales --by item", "billing --in-transit", "pace ledger --by department --entity LINE", "page list", "calendar",
    ):  # fmt: skip
        assert mistakes("report", run_almanac(*words.split(), "--print", "json", book=demo).json) == [], words


def test_a_reader_that_stops_early_ends_quietly_and_nothing_is_coloured_in_a_pipe(demo: Path) -> None:
    environment = {key: value for key, value in os.environ.items() if key != "NO_COLOR"} | {"FORCE_COLOR": "1"}
    shown = f"{COMMAND} --book {demo}"
    piped = subprocess.run(
        ["/bin/bash", "-o", "pipefail", "-c", f"{shown} page show common/income | head -1; {shown} page list | head -2"],
        capture_output=True, text=True, check=False, env=environment,
    )  # fmt: skip
    assert piped.stderr == ""
    assert "\x1b[" not in piped.stdout
    assert piped.stdout.splitlines()[0] == "# The month and the year so far, each beside last year."


@pytest.mark.parametrize(
    ("words", "code"),
    [
        ("--version", 0), ("aging receivable --top 3", 1), ("billing --by office", 0), ("calendar", 0), ("check gaps", 1),
        ("completion fish", 0), ("demo .", 2), ("detail 12110 --period 2026-P08", 0), ("documents payable --open --top 3", 1),
        ("edition list", 0), ("explain common/income --row result --column ptd", 0), ("fields sales", 0),
        ("growth sales --each year", 0), ("list accounts --first 3", 0), ("load --through never", 2), ("new .", 2),
        ("pace ledger --entity LINE", 0), ("page run common/trial", 0), ("parties payable --top 3", 0),
        ("propose exports/chart.csv", 0), ("rank sales --by route", 0), ("statement balance --level 1", 0),
        ("trace trial --row 12110 --column debit --first 3", 0), ("trial --level 1", 0),
    ],
)  # fmt: skip
def test_the_installed_command_does_what_the_tests_run_in_their_own_process(demo: Path, words: str, code: int) -> None:
    words = words.replace(" .", f" {demo}").replace("exports/", f"{demo}/exports/")
    installed, here = (run(*words.split(), book=demo) for run in (run_installed, run_almanac))
    assert (installed.code, installed.out, installed.err) == (here.code, here.out, here.err)
    assert installed.code == code, installed.err
