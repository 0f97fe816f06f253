"""Two things asked of a book at the same time: what both come to, whichever fails, and Ctrl-C."""

import threading
from pathlib import Path

import pytest

from level_almanac.core.book import Book
from level_almanac.core.reports.check.at_once import at_once
from level_almanac.progress import Listener, heard_by, tell, within
from level_almanac.store.engine import EngineError

ENDLESS = "select count(*) from range(1000000000) as one, range(1000000000) as other where one.range = other.range + 1"


def fails(words: str) -> None:
    raise ValueError(words)


def test_each_has_tables_of_its_own_and_both_are_returned(demo: Path) -> None:
    book = Book.open(demo)

    def made(of: Book, number: int) -> tuple[int, list[tuple[int]]]:
        of.engine.make("one", f"select {number} as it")
        there.wait(60)
        return threading.get_ident(), of.engine.rows("select it from one")

    there = threading.Barrier(2)
    (beside, theirs), (here, ours) = at_once(book, lambda of: made(of, 1), lambda: made(book, 2))
    assert (theirs, ours) == ([(1,)], [(2,)])
    assert beside != here


def test_what_fails_is_told_as_one_after_the_other_would(demo: Path) -> None:
    book = Book.open(demo)
    for beside, here, told in (
        (lambda _: fails("beside"), lambda: 1, "beside"),
        (lambda _: 1, lambda: fails("here"), "here"),
        (lambda _: fails("beside"), lambda: fails("here"), "beside"),
    ):
        with pytest.raises(ValueError, match=told):
            at_once(book, beside, here)
    with pytest.raises(EngineError):
        at_once(book, lambda of: of.engine.rows("select nothing"), lambda: 1)
    assert book.engine.rows("select 1") == [(1,)], "the book's own engine goes on"


def test_what_runs_beside_is_told_of_when_nothing_else_runs(demo: Path) -> None:
    told: list[str] = []
    began, goes_on = threading.Event(), threading.Event()

    def heard() -> None:
        told.append(listener.step.words)
        if told[-1].endswith("beside"):
            goes_on.set()

    def beside(of: Book) -> None:
        tell("beside")
        of.engine.rows("select 1")
        began.set()
        goes_on.wait(60)
        tell("later")

    def here() -> None:
        began.wait(60)
        tell("here")

    listener = Listener(heard)
    book = Book.open(demo)
    with heard_by(listener), within("a page", 0, 1):
        at_once(book, beside, here)
        tell("after")
    assert told == ["a page: here", "a page: beside", "a page: later", "a page: after"]


def test_ctrl_c_ends_what_runs_beside(demo: Path) -> None:
    book = Book.open(demo)
    began, ended = threading.Event(), []

    def beside(of: Book) -> None:
        began.set()
        try:
            of.engine.rows(ENDLESS)
        except BaseException as error:
            ended.append(type(error))
            raise

    def here() -> None:
        began.wait(60)
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        at_once(book, beside, here)
    assert ended == [KeyboardInterrupt]
