"""Each call that changes a file fails once, and the process dies once before it: what was there is whole, or what is new.

The next run then comes to what an undisturbed one does. Calls are met where Python asks its own hooks for leave.
"""

import errno
import os
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from unittest.mock import patch

import pytest

from conftest import COMMAND, ENVIRONMENT, LONG, MakeBook, Ran, SmallBook

LINES = ("J1,1,2025-10-01,2026-P01,1000,5.00,,a", "J1,2,2025-10-01,2026-P01,4010,,5.00,b")
WRONG = "J9,1,2025-10-02,2026-P01,1000,wrong,,c"
CHANGES = {"os.mkdir", "os.rename", "os.remove", "os.rmdir", "os.chmod", "shutil.copyfile"}
ERRORS = (errno.ENOSPC, errno.EIO, errno.EACCES, errno.EROFS)


class Killed(BaseException):
    """The process is gone: nothing of ours runs after this that changes a file."""


@dataclass
class Calls:
    """What a run asks for. at: the call that does not come back; error: what it fails with, or 0 where the process dies."""

    root: Path
    at: int = 0
    error: int = 0
    met: list[str] = field(default_factory=list)

    def meet(self, name: str, path: object) -> None:
        """Count a call that would change a file of the book, or fail it."""
        if not isinstance(path, str | os.PathLike) or not Path(path).is_relative_to(self.root):
            return
        self.met.append(f"{name} {os.fspath(path)}")
        if len(self.met) == self.at and self.error:
            raise OSError(self.error, os.strerror(self.error), os.fspath(path))
        if self.at and len(self.met) >= self.at and not self.error:
            raise Killed


WATCHING: list[Calls] = []


def _hook(event: str, args: tuple[Any, ...]) -> None:
    if WATCHING and (event in CHANGES or (event == "open" and _writes(args))):
        WATCHING[-1].meet(event, args[0])


def _writes(args: tuple[Any, ...]) -> bool:
    flags = args[2]
    return isinstance(flags, int) and bool(flags & (os.O_WRONLY | os.O_RDWR | os.O_CREAT))


sys.addaudithook(_hook)


@contextmanager
def watched(calls: Calls) -> Iterator[Calls]:
    """Have a run's calls met, those that flush too."""
    flush = os.fsync

    def fsync(handle: int) -> None:
        calls.meet("fsync", calls.root / "file")
        flush(handle)

    WATCHING.append(calls)
    try:
        with patch.object(os, "fsync", fsync):
            yield calls
    finally:
        WATCHING.pop()


def contents(root: Path, *names: str) -> dict[str, bytes]:
    """Return what the files under these names hold."""
    paths = [path for name in names for path in (root / name, *(root / name).rglob("*")) if path.is_file()]
    return {path.relative_to(root).as_posix(): path.read_bytes() for path in paths if path.name[0] != "."}


def told(book: SmallBook) -> list[object]:
    """Return what reports of a book say, and the texts that a load writes beside the store once that is in force."""
    ran = book.run("list", "ledger", "--show", "posted, account, amount, source", "--print", "json")
    assert ran.code == 0, ran.err
    assert book.run("check", "store").code == 0
    lines = [row["cells"] for row in ran.json["rows"]]
    return [lines, contents(book.root, "set-aside"), contents(book.root, "kept/through.toml")]


def edition(book: SmallBook) -> list[object]:
    """Return whether the edition is there, whole."""
    there = (book.root / "editions/one").exists()
    if there:
        verified = book.run("edition", "verify", "one")
        assert verified.code == 0, verified.err
    return [there]


COMMANDS: dict[str, tuple[tuple[str, ...], Callable[[SmallBook], list[object]]]] = {
    "load": (("load", "--set-aside", "--through", "2025-10-31"), told),
    "edition": (("edition", "issue", "one", "--period", "2026-P01", "--pages", "own", "--as", "csv", "--without-explanations"), edition),
    "page": (("page", "save", "mine", "--", "trial", "--period", "2026-P01"), lambda book: [contents(book.root, "pages")]),
    "explain": (
        ("explain", "own", "--period", "2026-P01", "--row", "1000", "--column", "closing", "Rent"),
        lambda book: [contents(book.root, "explanations")],
    ),
    "lock": (("page", "lock", "own"), lambda book: [contents(book.root, "pages")]),
    "output": (("trial", "-o", "ROOT/trial.csv"), lambda book: [contents(book.root, "trial.csv")]),
    "check": (("check",), lambda book: [bool(contents(book.root, "kept/checks.json"))]),
}  # fmt: skip


@pytest.fixture
def book(make_book: MakeBook) -> SmallBook:
    """Return a book that was loaded, with a line set aside, whose export was changed since."""
    made = make_book(*LINES, WRONG)
    assert made.load("--set-aside", "--through", "2025-10-15").code == 1
    assert made.run("page", "save", "own", "--", "trial", "--period", "2026-P01").code == 0
    other = WRONG.replace("wrong", "worse")
    more = [line.replace("J1", "J2").replace("5.00", "7.00") for line in LINES]
    (made.root / "ledger.csv").write_text(
        (made.root / "ledger.csv").read_text().replace(WRONG, "\n".join([*more, other]))
    )
    return made


@pytest.mark.parametrize("name", COMMANDS)
def test_a_call_that_fails_leaves_what_was_there_or_what_is_new(book: SmallBook, tmp_path: Path, name: str) -> None:
    words, looked_at = COMMANDS[name]
    whole = tmp_path.with_name(f"{tmp_path.name}-whole")
    shutil.copytree(book.root, whole)

    def run(calls: Calls) -> Ran | None:
        shutil.rmtree(book.root)
        shutil.copytree(whole, book.root)
        try:
            with watched(calls):
                return book.run(*(word.replace("ROOT", str(book.root)) for word in words))
        except Killed:
            return None

    before = looked_at(book)
    undisturbed = run(calls := Calls(book.root))
    assert undisturbed is not None
    # A load that sets lines aside says so by its exit code.
    done = 1 if name == "load" else 0
    assert undisturbed.code == done, undisturbed.err
    after = looked_at(book)
    assert after != before
    steps = range(1, len(calls.met) + 1)
    assert len(steps) >= 2, calls.met
    chosen = [*steps] if LONG or len(steps) < 6 else [*steps][:: len(steps) // 5]
    for number, at in enumerate(chosen):
        for error in (0, *ERRORS) if LONG else (number % 2 and ERRORS[number // 2 % len(ERRORS)],):
            ran = run(broken := Calls(book.root, at, error))
            what = f"{broken.met[-1]}, {errno.errorcode.get(error, 'killed')}"
            if ran is not None and ran.code != done:
                told_once = [line for line in ran.err.splitlines() if not line.startswith("warning")]
                assert (ran.code in (2, 3), len(told_once)) == (True, 1), (what, ran.err)
            now = looked_at(book)
            assert all(each in both for each, *both in zip(now, before, after, strict=True)), (what, ran)
            # What cannot be kept beside the store is no reason to withhold what was found.
            assert ran is None or ran.code != done or now == after or name == "check", (what, ran)
            if name == "edition" and now == after:
                continue
            again = book.run(*(word.replace("ROOT", str(book.root)) for word in words))
            assert again.code == (2 if name == "page" and now == after else done), (what, again.err)
            assert looked_at(book) == after, what


CALLS = ("write", "pwrite64", "fsync", "rename", "unlink", "mkdir", "ftruncate", "chmod")
STRACE = shutil.which("strace")


@pytest.mark.long
@pytest.mark.skipif(STRACE is None, reason="strace is not installed")
@pytest.mark.parametrize("name", ["load", "edition", "explain"])
def test_a_call_of_the_system_that_fails_leaves_what_was_there_or_what_is_new(
    book: SmallBook, tmp_path: Path, name: str
) -> None:
    words, looked_at = COMMANDS[name]
    whole = tmp_path.with_name(f"{tmp_path.name}-whole")
    shutil.copytree(book.root, whole)
    told_of = tmp_path.with_name(f"{tmp_path.name}-calls")

    def run(*asked: str) -> subprocess.CompletedProcess[str]:
        shutil.rmtree(book.root)
        shutil.copytree(whole, book.root)
        front = [str(STRACE), "-f", "-qq", "-o", str(told_of), *asked, str(COMMAND), "--book", str(book.root)]
        return subprocess.run([*front, *words], capture_output=True, text=True, check=False, env=ENVIRONMENT)

    before = looked_at(book)
    if run("-e", f"trace={','.join(CALLS)}").returncode:
        pytest.skip("strace may not trace here")
    after = looked_at(book)
    made = [line.split("(")[0].split()[-1] for line in told_of.read_text().splitlines() if "(" in line]
    for call in CALLS:
        for at in range(1, made.count(call) + 1):
            for error in ("ENOSPC", "EIO"):
                ran = run("-e", f"trace={call}", "-e", f"inject={call}:error={error}:when={at}")
                what = f"{call} {at}, {error}: {ran.returncode} {ran.stderr}"
                assert ran.returncode in (0, 2, 3), what
                assert "Traceback" not in ran.stderr, what
                now = looked_at(book)
                assert all(each in both for each, *both in zip(now, before, after, strict=True)), what
                if name != "edition" or now == before:
                    assert book.run(*words).code == 0, what
                assert looked_at(book) == after, what
