"""Which engine computes a book, and where its store lies. Only a person says so, never the book (docs/cluster.md).

Said by the option `--engine`, by the variable `ALMANAC_ENGINE`, or in a settings file of the person's own, for all
books or for those of a folder; the first of them counts.
"""

import os
import re
import tomllib
from collections.abc import Mapping
from dataclasses import field
from pathlib import Path
from typing import Any

from level_almanac.errors import BookMistake, Mistake, UsageMistake, listed, nearest
from level_almanac.immutable import immutable

ENGINE = "ALMANAC_ENGINE"
"""The environment's name for the engine."""
SETTINGS = "ALMANAC_SETTINGS"
"""The environment's name for the settings file, where it is another."""
DUCKDB = "duckdb"
_HOSTS = r"[\w.-]+:\d+"
_ADDRESS = re.compile(
    rf"local(\[(\d+|\*)\])?|local-cluster\[\d+,\d+,\d+\]|spark://{_HOSTS}(,{_HOSTS})*|sc://[\w.-]+(:\d+)?(/\S*)?"
)
_EXPECTED = "duckdb, local[2], spark://HOST:PORT or sc://HOST:PORT"
SESSION = (
    "spark.authenticate",
    "spark.authenticate.secret",
    "spark.blockManager.port",
    "spark.cores.max",
    "spark.default.parallelism",
    "spark.driver.bindAddress",
    "spark.driver.host",
    "spark.driver.maxResultSize",
    "spark.driver.memory",
    "spark.driver.port",
    "spark.executor.cores",
    "spark.executor.instances",
    "spark.executor.memory",
    "spark.local.dir",
    "spark.memory.fraction",
    "spark.network.crypto.enabled",
    "spark.network.timeout",
    "spark.sql.files.maxPartitionBytes",
    "spark.sql.shuffle.partitions",
    "spark.task.maxFailures",
)
"""What of a Spark session may be set, by Spark's names: how much it takes and how it is reached, and nothing that
brings code or changes what is computed."""
_STORAGE = "spark.hadoop.fs."
"""What the settings of storage begin with that Spark reaches at a URI: where it is, what it asks of who comes, and
which of what is installed with Spark reaches it."""
_URI = re.compile(r"[a-z][a-z0-9+.-]*://[^\s?#]+")
_KEYS = {
    "engine": "an address",
    "session": "a table of Spark's settings",
    "store": "a folder",
    "parts": "a URI that Spark reads and writes, such as s3a://bucket/books/skellan",
}


@immutable
class EngineChoice:
    """The engine of a book. address: of a Spark cluster, or empty for DuckDB in this process; session: settings of
    Spark's; store: the folder of the book's store, or None where it lies in the book; parts: the URI of its parts, or
    empty where they lie in that folder.
    """

    address: str = ""
    session: Mapping[str, str] = field(default_factory=dict)
    store: Path | None = None
    parts: str = ""


def chosen_engine(root: Path, told: str = "") -> EngineChoice:
    """Return what a person chose for the book in this folder. told: by the option, or empty.

    Raises UsageMistake for an address of no known kind, and BookMistake for a mistake in the settings file.
    """
    path = _settings_path()
    every = _read(path) if path.is_file() else {}
    own = _own(every, root, path)
    session = {**_session(every, path, ""), **_session(own, path, "books.")}
    store = Path(_text(own, "store", path)).expanduser() if own.get("store") else None
    if store is not None and not store.is_absolute():
        raise BookMistake(Mistake("the path of a store has to be whole", f"{path}: store", str(store)))
    parts = _text(own, "parts", path)
    if parts and not _URI.fullmatch(parts):
        raise BookMistake(Mistake("this is no such place", f"{path}: parts", repr(parts), _KEYS["parts"]))
    said = [("--engine", told), (ENGINE, os.environ.get(ENGINE, "").strip())]
    said += [(f"{path}: engine", _text(of, "engine", path)) for of in (own, every) if "engine" in of]
    for where, address in said:
        if address and address != DUCKDB and not _ADDRESS.fullmatch(address):
            raise UsageMistake(Mistake("no engine has such an address", where, repr(address), _EXPECTED))
    address = next((address for _, address in said if address), DUCKDB)
    return EngineChoice("" if address == DUCKDB else address, session, store, parts)


def _settings_path() -> Path:
    if told := os.environ.get(SETTINGS):
        return Path(told)
    from platformdirs import user_config_path

    return user_config_path("level-almanac", appauthor=False) / "settings.toml"


def _read(path: Path) -> dict[str, Any]:
    try:
        plain = tomllib.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError) as error:
        raise BookMistake(Mistake("your settings file cannot be read", str(path), str(error))) from None
    _check(plain, ("engine", "session", "books"), path, "")
    books = plain.get("books", {})
    if not isinstance(books, dict):
        raise BookMistake(Mistake("this is no table", f"{path}: books", repr(books), 'such as [books."/srv/book"]'))
    for name, each in books.items():
        if not isinstance(each, dict):
            raise BookMistake(Mistake("this is no table", f"{path}: books.{name}", repr(each), listed(_KEYS)))
        _check(each, tuple(_KEYS), path, f"books.{name}.")
    return plain


def _check(plain: Mapping[str, Any], known: tuple[str, ...], path: Path, ahead: str) -> None:
    for key in plain:
        if key not in known:
            where = f"{path}: {ahead}{key}"
            raise BookMistake(Mistake("there is no such setting", where, "", listed(known), nearest(key, known)))


def _own(every: Mapping[str, Any], root: Path, path: Path) -> Mapping[str, Any]:
    """Return what is told of the book in this folder, or of the nearest folder above it."""
    told = {Path(name).expanduser(): each for name, each in every.get("books", {}).items()}
    for folder in told:
        if not folder.is_absolute():
            raise BookMistake(Mistake("the path of a book has to be whole", f"{path}: books", str(folder)))
    whole = {folder.resolve(): each for folder, each in told.items()}
    found: Mapping[str, Any] = next(
        (whole[folder] for folder in (root.resolve(), *root.resolve().parents) if folder in whole), {}
    )
    return found


def _text(of: Mapping[str, Any], key: str, path: Path) -> str:
    value = of.get(key, "")
    if not isinstance(value, str):
        raise BookMistake(Mistake("this has to be a text", f"{path}: {key}", repr(value), _KEYS[key]))
    return value


def _session(of: Mapping[str, Any], path: Path, ahead: str) -> dict[str, str]:
    told = of.get("session", {})
    if not isinstance(told, dict):
        raise BookMistake(Mistake("this is no table", f"{path}: {ahead}session", repr(told), _KEYS["session"]))
    for name, value in told.items():
        where = f"{path}: {ahead}session"
        if name not in SESSION and not name.startswith(_STORAGE):
            what = "this of a Spark session cannot be set here"
            known = [*SESSION, f"{_STORAGE}…"]
            raise BookMistake(Mistake(what, where, repr(name), listed(known), nearest(name, SESSION)))
        if not isinstance(value, str):
            raise BookMistake(Mistake("this has to be a text", f"{where}.{name}", repr(value), 'such as "4g"'))
    return told
