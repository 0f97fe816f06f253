"""A book on a system that cannot be had here: names that it takes, and calls that behave as they do there."""

import errno
import fcntl
import json
import os
import re
from collections.abc import Iterator
from pathlib import Path
from unittest.mock import patch

import pytest

from conftest import MakeBook, SmallBook
from level_almanac import whole_file
from level_almanac.files.names import portable

LINES = ("J1,1,2025-10-01,2026-P01,1000,5.00,,a", "J1,2,2025-10-01,2026-P01,4010,,5.00,b")
WRONG = "J9,1,2025-10-02,2026-P01,1000,wrong,,c"
REFUSED = re.compile(r'[<>:"|?*\\\x00-\x1f]|[. ]$|^(con|prn|aux|nul|com\d|lpt\d)(\.|$)', re.IGNORECASE)
"""What a name must not have there: signs, an end, a device."""


class CallsThere:
    """The system's calls as they behave there: what is open for reading is not flushed, and no folder is opened."""

    def __getattr__(self, name: str) -> object:
        return getattr(os, name)

    @staticmethod
    def fsync(handle: int) -> None:
        if fcntl.fcntl(handle, fcntl.F_GETFL) & os.O_ACCMODE == os.O_RDONLY:
            raise OSError(errno.EBADF, os.strerror(errno.EBADF))
        os.fsync(handle)

    @staticmethod
    def open(path: str | Path, flags: int) -> int:
        if Path(path).is_dir():
            raise PermissionError(errno.EACCES, os.strerror(errno.EACCES), str(path))
        return os.open(path, flags)


@pytest.fixture
def calls_as_there() -> Iterator[None]:
    with patch.object(whole_file, "os", CallsThere()):
        yield


def used(book: SmallBook) -> None:
    for words in (
        ["load", "--set-aside", "--through", "2025-10-31"],
        ["page", "save", "group/own", "--", "trial", "--period", "2026-P01"],
        ["page", "lock", "group/own"],
        ["explain", "group/own", "--period", "2026-P01", "--row", "1000", "--column", "closing", "Rent"],
        ["check"],
        ["edition", "issue", "2026-P01", "--period", "2026-P01", "--pages", "group", "--as", "csv", "--as", "html"],
        ["edition", "verify", "2026-P01"],
        ["trial", "-o", str(book.root / "x.xlsx")],
        ["load", "--set-aside"],
    ):
        ran = book.run(*words)
        # Lines that are set aside end a load with 1.
        assert ran.code == (words[0] == "load"), (words, ran.err)


@pytest.mark.usefixtures("calls_as_there")
def test_all_that_is_written_is_written_there_too_and_under_names_that_it_takes(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    odd = ["con.csv", 'a:b?"<x>|*.csv', "aux", "back\\slash.csv"]
    (book.root / "almanac.toml").write_text(
        (book.root / "almanac.toml")
        .read_text()
        .replace('files = "ledger*.csv"', f"files = {json.dumps(['ledger.csv', *odd])}")
    )
    for at, name in enumerate(odd):
        book.ledger(
            (book.root / "ledger.csv").read_text().split("\n")[0] + f"\n{WRONG.replace('J9', f'K{at}')}\n", name
        )
    used(book)
    ours = [path for path in book.root.rglob("*") if path.name not in odd]
    assert len([path for path in ours if "set-aside" in path.parts]) >= len(odd)
    assert [path.name for path in ours if REFUSED.search(path.name)] == []
    assert max(len(str(path.relative_to(book.root))) for path in ours) < 120


@pytest.mark.parametrize(
    ("name", "written"),
    [
        ("a/con.csv", "a/%63on.csv"),
        ("a:b", "a%3Ab"),
        ("end.", "end%2E"),
        ("LPT1", "%4CPT1"),
        ("a/b.csv", "a/b.csv"),
        ("50%", "50%25"),
    ],
)
def test_a_name_is_written_so_that_every_system_takes_it(name: str, written: str) -> None:
    assert portable(name) == written


@pytest.mark.parametrize("name", ["con", "AUX", "lpt1.old", "ends."])
def test_no_page_or_edition_is_called_as_a_device_is(make_book: MakeBook, name: str) -> None:
    book = make_book(*LINES)
    assert book.load().code == 0
    assert book.run("page", "save", "own", "--", "trial").code == 0
    assert book.run("edition", "issue", name, "--period", "2026-P01", "--pages", "own").err.startswith(
        "almanac: NAME: not a name for an edition"
    )
    page = book.run("page", "save", f"group/{name.lower()}", "--", "trial")
    assert (page.code, "not a name for a page" in page.err) == (2, True), page.err


def test_a_file_that_is_open_elsewhere_is_kept_and_told_of(make_book: MakeBook, tmp_path: Path) -> None:
    book = make_book(*LINES)
    assert book.load().code == 0
    target = tmp_path / "open.xlsx"
    target.write_text("as it was")
    refused = PermissionError(errno.EACCES, "Permission denied")
    with patch.object(Path, "replace", side_effect=refused):
        ran = book.run("trial", "-o", target)
    assert (ran.code, ran.err) == (
        2,
        f"almanac: -o: cannot be written: {target}: Permission denied; "
        "close it where it is open, or write elsewhere; what was there is as it was\n",
    )
    assert (target.read_text(), list(tmp_path.glob(".open*"))) == ("as it was", [])


def test_parts_that_a_reader_has_open_are_let_go_by_a_later_load(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    assert book.load().code == 0
    for path in [*(book.root / ".almanac/parts").iterdir(), *(book.root / ".almanac/manifests").iterdir()]:
        os.utime(path, (0, 0))
    (book.root / "ledger.csv").write_text((book.root / "ledger.csv").read_text().replace("5.00", "6.00"))
    unlink = Path.unlink

    def refused(path: Path, missing_ok: bool = False) -> None:
        if path.suffix in (".parquet", ".json"):
            raise PermissionError(errno.EACCES, "Permission denied", str(path))
        unlink(path, missing_ok)

    with patch.object(Path, "unlink", refused):
        done = book.load()
    assert done.code == 0, done.err


def test_a_pattern_may_tell_folders_apart_by_either_sign(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    (book.root / "in").mkdir()
    (book.root / "ledger.csv").rename(book.root / "in/ledger.csv")
    text = (book.root / "almanac.toml").read_text()
    (book.root / "almanac.toml").write_text(text.replace('"ledger*.csv"', r"'in\ledger*.csv'"))
    assert book.load().code == 0
    assert "in/ledger.csv" in book.run("list", "ledger", "--show", "file", "--print", "csv").out
