"""The rows of a query: SQLite by Python's own module, PostgreSQL by its public driver, an optional extra.

A secret stands in the environment; it is put into the url when the database is asked and nowhere else.
"""

import csv
import os
import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.settings import IntakeBlock
from level_almanac.intake.records import TextForm

_SECRET = re.compile(r"\$\{(\w+)\}")
_SECONDS_TO_CONNECT = 10
_ROWS_AT_ONCE = 5000


@dataclass(frozen=True, slots=True)
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
                cursor.execute(self.block.query)
                if cursor.description is None:
                    raise BookMistake(
                        Mistake("the query gives no rows", self.name, allowed="one that begins with SELECT")
                    )
                with target.open("w", encoding="utf-8", newline="") as stream:
                    writer = csv.writer(stream, quoting=csv.QUOTE_ALL, lineterminator="\n")
                    writer.writerow([column[0] for column in cursor.description])
                    while rows := cursor.fetchmany(_ROWS_AT_ONCE):
                        writer.writerows([form.text(value) for value in row] for row in rows)
            except error_types as error:
                raise BookMistake(self._failed("the database refused the query", error)) from None

    @contextmanager
    def _connected(self) -> Iterator[tuple[Any, tuple[type[Exception], ...]]]:
        url = self._url()
        connect, errors = (self._sqlite if url.startswith("sqlite:") else self._postgresql)(url)
        try:
            connection = connect()
        except errors as error:
            raise BookMistake(self._failed("the database does not answer", error)) from None
        try:
            yield connection, errors
        finally:
            connection.close()

    def _url(self) -> str:
        def secret(match: re.Match[str]) -> str:
            value = os.environ.get(match[1])
            if value is None:
                step = f"set {match[1]} in the environment of this command"
                raise BookMistake(Mistake(f"the environment has no {match[1]}", f"{self.name}: url", next_step=step))
            return value

        return _SECRET.sub(secret, self.block.url)

    def _sqlite(self, url: str) -> tuple[Any, tuple[type[Exception], ...]]:
        import sqlite3

        path = (self.root / url.removeprefix("sqlite:").removeprefix("//")).resolve()
        if not path.is_file():
            raise BookMistake(Mistake("there is no such database file", self.name, repr(self.block.url)))
        # Nothing that a report is made from is ever changed by making it.
        place = f"{path.as_uri()}?mode=ro"
        return lambda: sqlite3.connect(place, uri=True, timeout=_SECONDS_TO_CONNECT), (sqlite3.Error,)

    def _postgresql(self, url: str) -> tuple[Any, tuple[type[Exception], ...]]:
        try:
            import psycopg
        except ImportError:
            step = "install it with `pip install level-almanac[postgresql]`"
            raise BookMistake(
                Mistake("the driver for PostgreSQL is not installed", self.name, next_step=step)
            ) from None

        def connect() -> Any:
            connection = psycopg.connect(url, connect_timeout=_SECONDS_TO_CONNECT)
            connection.read_only = True
            return connection

        return connect, (psycopg.Error,)

    def _failed(self, what: str, error: Exception) -> Mistake:
        told = " ".join(str(error).split())
        for name in _SECRET.findall(self.block.url):
            if secret := os.environ.get(name):
                told = told.replace(secret, f"${{{name}}}")
        return Mistake(what, self.name, told[:300], next_step=f"see the block's url and query: {self.block.url}")
