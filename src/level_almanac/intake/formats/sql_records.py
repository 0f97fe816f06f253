"""The rows of a query: SQLite by Python's own module, PostgreSQL by its public driver, an optional extra.

A secret stands in the environment; it is put into the url when the database is asked and nowhere else. Databases and
variables are asked for only where the person allowed that, and a database is let do nothing but read.
"""

import csv
import os
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from datetime import date, time
from decimal import Decimal
from pathlib import Path
from typing import Any
from urllib.parse import quote
from uuid import UUID

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.database_url import file_in, filled, is_file, variables_in
from level_almanac.files.outside import check_allowed, place_of, url_reaches
from level_almanac.files.settings import IntakeBlock
from level_almanac.immutable import immutable
from level_almanac.intake.formats.records import TextForm

_SECONDS_TO_CONNECT = 10
_ROWS_AT_ONCE = 5000
_STEPS_BETWEEN_LOOKS = 100_000
"""After how many of its steps SQLite lets Python see whether the person has interrupted it."""
_ACTING_FUNCTIONS = ("load_extension", "fts3_tokenizer", "edit", "readfile", "writefile")
_PLAIN = (str, bool, int, float, Decimal, date, time, UUID, type(None))


@immutable
class SqlRecords:
    """One query: its block, the name that messages call it by, and the book's folder, where SQLite files lie."""

    block: IntakeBlock
    name: str
    root: Path

    def fetch(self, target: Path) -> None:
        """Ask the database, and write its answer as CSV with heads. Raises BookMistake where it does not answer."""
        form = TextForm(self.block)
        with self._connected() as (connection, error_types):
            try:
                cursor = connection.cursor()
                self._ask(cursor)
                if cursor.description is None:
                    raise BookMistake(
                        Mistake("the query gives no rows", self.name, allowed="one that begins with SELECT")
                    )
                with target.open("w", encoding="utf-8", newline="") as stream:
                    writer = csv.writer(stream, quoting=csv.QUOTE_ALL, lineterminator="\n")
                    writer.writerow([column[0] for column in cursor.description])
                    at = 1
                    while rows := cursor.fetchmany(_ROWS_AT_ONCE):
                        writer.writerows(self._texts(form, rows, cursor.description, at))
                        at += len(rows)
            except error_types as error:
                raise BookMistake(self._failed("the database refused the query", error)) from None

    def _texts(self, form: TextForm, rows: Iterable[tuple[Any, ...]], columns: Any, first: int) -> Iterator[list[str]]:
        """Yield each row as texts; raise BookMistake for a value that is no text, number or day. first: its number."""
        for number, row in enumerate(rows, first):
            for value, column in zip(row, columns, strict=True):
                if isinstance(value, _PLAIN) and not (isinstance(value, str) and not _is_text(value)):
                    continue
                what = "not UTF-8 text" if isinstance(value, str) else "not a value that a line can have"
                kind = "" if isinstance(value, str) else type(value).__name__
                raise BookMistake(Mistake(what, f"{self.name}: row {number}, {column[0]}", kind))
            yield [form.text(value) for value in row]

    def _ask(self, cursor: Any) -> None:
        """Have the database run the query: one statement, and no more, whichever database it is."""
        if is_file(self.block.url):
            cursor.execute(self.block.query)
        else:
            cursor.execute(self.block.query, prepare=True)

    @contextmanager
    def _connected(self) -> Iterator[tuple[Any, tuple[type[Exception], ...]]]:
        check_allowed(self.root, list(url_reaches(self.root, self.block.url, f"{self.name}: url")))
        for name in variables_in(self.block.url):
            if name not in os.environ:
                step = f"set {name} in the environment of this command"
                raise BookMistake(Mistake(f"the environment has no {name}", f"{self.name}: url", next_step=step))
        connect, errors = self._sqlite() if is_file(self.block.url) else self._postgresql()
        try:
            connection = connect()
        except errors as error:
            raise BookMistake(self._failed("the database does not answer", error)) from None
        try:
            yield connection, errors
        finally:
            connection.close()

    def _sqlite(self) -> tuple[Any, tuple[type[Exception], ...]]:
        import sqlite3

        path = place_of(self.root, file_in(self.block.url, os.environ), f"{self.name}: url").resolve()
        if not path.is_file():
            raise BookMistake(Mistake("there is no such database file", self.name, repr(self.block.url)))
        # Nothing that a report is made from is ever changed by making it, nor anything else by a query.
        place = f"{path.as_uri()}?mode=ro"
        reads = {sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_FUNCTION, sqlite3.SQLITE_RECURSIVE}

        def may(action: int, _one: str | None, called: str | None, *_: str | None) -> int:
            harmless = action in reads and called not in _ACTING_FUNCTIONS
            return sqlite3.SQLITE_OK if harmless else sqlite3.SQLITE_DENY

        def connect() -> Any:
            connection = sqlite3.connect(place, uri=True, timeout=_SECONDS_TO_CONNECT)
            for setting in ("query_only = on", "trusted_schema = off", "cell_size_check = on"):
                connection.execute(f"pragma {setting}")
            connection.text_factory = lambda raw: raw.decode("utf-8", "surrogateescape")
            connection.set_progress_handler(lambda: 0, _STEPS_BETWEEN_LOOKS)
            connection.set_authorizer(may)
            return connection

        return connect, (sqlite3.Error, UnicodeDecodeError)

    def _postgresql(self) -> tuple[Any, tuple[type[Exception], ...]]:
        try:
            import psycopg
        except ImportError:
            step = "install it with `pip install level-almanac[postgresql]`"
            raise BookMistake(
                Mistake("the driver for PostgreSQL is not installed", self.name, next_step=step)
            ) from None

        def connect() -> Any:
            url = filled(self.block.url, os.environ)
            connection = psycopg.connect(url, connect_timeout=_SECONDS_TO_CONNECT)
            connection.read_only = True
            # Once a transaction has seen something, nothing in it can take back that it only reads.
            connection.execute("select 1")
            return connection

        return connect, (psycopg.Error,)

    def _failed(self, what: str, error: Exception) -> Mistake:
        told = " ".join(str(error).split())
        for name in variables_in(self.block.url):
            if secret := os.environ.get(name):
                told = told.replace(secret, f"${{{name}}}").replace(quote(secret, safe=""), f"${{{name}}}")
        return Mistake(what, self.name, told[:300], next_step=f"see the block's url and query: {self.block.url}")


def _is_text(value: str) -> bool:
    """Tell whether a text came out of its bytes whole: those that are no UTF-8 stand in it as surrogates."""
    return value.isascii() or not any("\ud800" <= letter <= "\udfff" for letter in value)
