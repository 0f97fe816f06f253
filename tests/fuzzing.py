"""Made-up trouble: small right files of every kind that a book has or reads, broken by chance, each case by its seed.

Whatever stands in them, a command ends in words, with a code of its own, and a load that fails changes nothing.
"""

import gzip
import html
import io
import json
import random
import sqlite3
import tempfile
import time
import tomllib
import zipfile
from collections.abc import Callable, Sequence
from pathlib import Path

import duckdb
import openpyxl

from conftest import BOOK, CHART, HEADS, PERIOD_AND_SIDES, Ran, SmallBook
from test_shapes import write_ods, write_xls

_LINES = [
    ["J1", "1", "2025-10-01", "2026-P01", "1000", "1234.56", "", "Rent, paid"],
    ["J1", "2", "2025-10-01", "2026-P01", "4010", "", "1234.56", 'a "word"'],
    ["J2", "1", "2025-11-03", "2026-P02", "6000", "20.00", "", "x"],
    ["J2", "2", "2025-11-03", "2026-P02", "1000", "", "20.00", "ŵ"],
]
_TOKENS = [
    *'",;\t\r\n\\\'[]{}()=+-*/%<>.:_#$@ 0129aZ', "\r\n", "\x00", "\x1b[2J", "\u202e", "\ufeff", "\ud7ff", "é", "日本", "1e999999999", "-1e-999999999",
    "infinity", "NaN", "null", "true", "1979-05-27", "1979-05-27T07:32:00Z", "9999-12-31", "0000-00-00", "99999999999999999999.99",
    '"""', "[[", "]]", "[" * 400, "{" * 400, "((((", "../../etc/passwd", "=cmd()", "${HOME}", "{period}", "today", "x" * 5000,
]  # fmt: skip
_SAID = {
    "--only": [
        "account is 4010", "amount over 3", "posted between 2025-10-01 and 2025-11-01", "source begins a", "not (journal is J1)",
        "account.class is expense", "account from 1000 through 4010 or period is P01",
    ],
    "--compute": ["m = amount * 2", "m = debit - credit", "m = days from posted to 2025-12-01", "m = first 2 of source"],
    "--show": ["account, sum of amount", "amount, debit, source", "how many", "sum of debit / how many"],
    "--by": ["account", "account.class, source", "posted by period"],
    "--columns": [
        "ptd; ytd", "each period; ytd", "now = ytd; before = ytd last year; change", "2025-10-01..2025-11-30", "qtd; share of sales",
    ],
    "--as-of": ["2025-11-30", "today - 3 weeks", "end of 2026-P01", "last day of last month"],
    "--period": ["2026-P01", "last period", "2026-P02"],
    "--through": ["2025-11-30", "end of 2026-P02"],
}  # fmt: skip
"""What is asked rightly or nearly so; cases are these, broken, put together or put in the place of one another."""
_MOST_SECONDS = 20


class Found(AssertionError):
    """A case that came to what no case may."""


class Fuzz:
    """The books that cases are tried on, made once in a folder; `tried` counts what cases came to, by kind and code."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.tried: dict[tuple[str, int], int] = {}
        self.exports = {f"export {kind}": self._book_of(kind) for kind in _WRITERS}
        self.book = self._book_with_texts()
        self.texts = {f"text {name}": (name, commands) for name, commands in self._texts().items()}
        self.words = {f"words {option}": (option, words) for option, words in _ASKED.items()}

    @property
    def kinds(self) -> list[str]:
        """What cases there are."""
        return [*self.exports, *self.texts, *self.words]

    def case(self, kind: str, seed: int) -> None:
        """Try one case; raise Found for what it must not come to."""
        chance = random.Random(f"{kind} {seed}")
        if kind in self.words:
            option, words = self.words[kind]
            self._run(kind, self.book, [*words.split(), option, _said(option, chance)])
            return
        whole = self._place(kind).read_bytes()
        broken = (
            _broken_workbook(whole, chance) if kind in ("export xlsx", "export ods") else _broken(whole, chance, kind)
        )
        self.tried_with(kind, broken, set_aside=chance.random() < 0.3)

    def tried_with(self, kind: str, raw: bytes, *, set_aside: bool = False) -> None:
        """Try a file of a kind with this content, and put back what was there."""
        path = self._place(kind)
        whole = path.read_bytes()
        path.write_bytes(raw)
        try:
            if kind in self.texts:
                for words in self.texts[kind][1]:
                    self._run(kind, self.book, words.split())
            else:
                self._loaded(kind, path, ["--set-aside"] if set_aside else [])
        finally:
            path.write_bytes(whole)
            (self.book.root / "pages/other.toml").unlink(missing_ok=True)

    def _place(self, kind: str) -> Path:
        if kind in self.texts:
            name = self.texts[kind][0].replace("*.json", (self.book.root / ".almanac/current").read_text())
            return next(self.book.root.glob(name))
        return self.exports[kind].root / f"ledger.{kind.removeprefix('export ')}"

    def _loaded(self, kind: str, path: Path, options: list[str]) -> None:
        book = self.exports[kind]
        state = book.root / ".almanac/current"
        before = state.read_text()
        ran = self._run(kind, book, ["load", *options])
        # Lines that were set aside end with 1, and the others are loaded.
        if ran.code > 1 and state.read_text() != before:
            raise Found("a load that failed changed the state in force")
        if kind != "export db":
            proposed = self._run(kind.replace("export", "propose"), book, ["propose", str(path)])
            if not proposed.code:
                tomllib.loads(proposed.out)

    def _run(self, kind: str, book: SmallBook, words: Sequence[str]) -> Ran:
        begun = time.monotonic()
        ran = book.run(*words)
        key = (kind, ran.code)
        self.tried[key] = self.tried.get(key, 0) + 1
        told = f"{words} came to {ran.code}: {ran.err[-3000:]}"
        if ran.code not in (0, 1, 2, 3) or "Traceback" in ran.err:
            raise Found(told)
        if ran.code in (2, 3) and (not ran.err.strip() or len(ran.err) > 20_000):
            raise Found(f"{told[:300]} … {len(ran.err)} letters")
        if time.monotonic() - begun > _MOST_SECONDS:
            raise Found(f"{words} took {time.monotonic() - begun:.0f} s")
        return ran

    # What it is tried on.

    def _book_of(self, kind: str) -> SmallBook:
        root = self.folder / kind
        root.mkdir()
        source = f'format = "{_FORMAT[kind]}"'
        if kind == "db":
            source += '\nname = "erp"\nurl = "sqlite:ledger.db"\nquery = "select * from entries"'
        source += _KEYS.get(kind, "")
        text = BOOK.format(intake=source, fields=PERIOD_AND_SIDES)
        text = text.replace('files = "ledger*.csv"', "" if kind == "db" else f'files = "ledger.{kind}"')
        (root / "almanac.toml").write_text(text)
        (root / "chart.csv").write_text(CHART)
        (root / f"ledger.{kind}").write_bytes(_WRITERS[kind](root))
        book = SmallBook(root)
        loaded = book.load()
        assert loaded.code == 0, loaded.err
        return book

    def _book_with_texts(self) -> SmallBook:
        root = self.folder / "texts"
        root.mkdir()
        text = BOOK.format(intake="", fields=PERIOD_AND_SIDES)
        text = text.replace('year_start = "10-01"\nextra_periods = 1\n', 'periods = "file"\nfile = "periods.csv"\n')
        (root / "almanac.toml").write_text(text + '\n[page]\ntitle = "A page"\nlogo = "mark.png"\n')
        (root / "mark.png").write_bytes(_picture())
        (root / "periods.csv").write_text(
            "year,period,first,last\n2026,1,2025-10-01,2025-10-31\n2026,2,,2025-11-30\n2026,3,,2025-12-31\n"
        )
        (root / "chart.csv").write_text(CHART)
        (root / "ledger.csv").write_bytes(_csv())
        (root / "layouts").mkdir()
        (root / "layouts/own.toml").write_text(
            'title = "Own"\n[[rows]]\nlabel = "Sales"\naccounts = "account from 4000 through 4999"\nkey = "sales"\n'
            '[[rows]]\nlabel = "All"\nsum_of = ["sales"]\nkey = "all"\n'
        )
        book = SmallBook(root)
        for words in (
            ["load", "--through", "2025-11-30"],
            ["trial", "--period", "2026-P01"],
            ["page", "save", "own", "--", "trial"],
            ["page", "run", "own", "--no-questions"],
            ["check"],
            ["edition", "issue", "one", "--period", "2026-P01", "--pages", "own", "--as", "html", "--with-findings"],
        ):
            ran = book.run(*words)
            assert ran.code in (0, 1), (words, ran.err)
        ran = book.run("explain", "own", "--period", "2026-P01", "--row", "1000", "--column", "closing", "Rent")
        assert (root / "explanations/own.toml").is_file(), ran.err
        return book

    def _texts(self) -> dict[str, tuple[str, ...]]:
        return {
            "almanac.toml": ("trial", "load", "allow"),
            "layouts/own.toml": ("statement own --columns ptd", "statement own --columns ytd --print json"),
            "pages/own.toml": ("page run own --no-questions", "page list", "page check"),
            "explanations/own.toml": ("page run own --no-questions",),
            "periods.csv": ("trial", "calendar"),
            "chart.csv": ("load", "propose ROOT/chart.csv".replace("ROOT", str(self.book.root))),
            "kept/through.toml": ("load",),
            "kept/checks.json": ("check",),
            ".almanac/current": ("trial", "check"),
            ".almanac/manifests/*.json": ("trial", "check"),
            ".almanac/parts/ledger-*.parquet": ("trial", "check", "list ledger"),
            ".almanac/answers.jsonl": ("page show own", "page run own --no-questions"),
            ".almanac/last-report.json": ("page save other",),
            "editions/one/edition.json": ("edition list", "edition show one", "edition verify one", "edition compare one"),
            "editions/one/figures/own.json": ("edition verify one", "edition compare one"),
            "editions/parts/ledger-*.parquet": ("edition verify one", "edition compare one"),
            "mark.png": tuple(f"trial -o {self.folder}/x.{form}" for form in ("html", "pdf", "xlsx")),
        }  # fmt: skip


_ASKED = {
    "--only": "list ledger",
    "--compute": "list ledger --show m",
    "--show": "list ledger",
    "--by": "list ledger",
    "--columns": "statement income",
    "--as-of": "trial",
    "--period": "trial",
    "--through": "load",
}


def _said(option: str, chance: random.Random) -> str:
    """Return an expression: some words of right ones, left out, said twice, put elsewhere or cut in two."""
    every = [word for said in _SAID.values() for words in said for word in words.split()]
    own = chance.choice(_SAID[option]).split()
    joined = ["and", "or", "not", "(", ")", ";", ",", "+", "-", "*", "/"]
    for _ in range(chance.choice([0, 1, 1, 1, 2, 5])):
        at = chance.randrange(len(own) + 1)
        match chance.randrange(6):
            case 0:
                own[at : at + 1] = []
            case 1:
                own[at:at] = [chance.choice(every)]
            case 2:
                own[at : at + 1] = [chance.choice(every)]
            case 3:
                own[at:at] = [chance.choice(joined), *chance.choice(_SAID[option]).split()]
            case 4:
                own[at:at] = own[: chance.randrange(len(own) + 1)]
            case _:
                own[at:at] = [chance.choice(_TOKENS)]
    # The system hands no such letter to a command.
    return " ".join(own).replace("\x00", "")


def _csv() -> bytes:
    quoted = [",".join('"' + cell.replace('"', '""') + '"' for cell in line) for line in _LINES]
    return (HEADS + "\n".join(quoted) + "\n").encode()


def _xlsx() -> bytes:
    book, stream = openpyxl.Workbook(), io.BytesIO()
    sheet = book.active
    assert sheet is not None
    for row in [HEADS.strip().split(","), *_LINES]:
        sheet.append(row)
    book.save(stream)
    return stream.getvalue()


def _json() -> bytes:
    heads = HEADS.strip().split(",")
    return "".join(json.dumps(dict(zip(heads, line, strict=True))) + "\n" for line in _LINES).encode()


def _parquet(root: Path) -> bytes:
    (root / "x.csv").write_bytes(_csv())
    duckdb.sql(
        f"copy (select * from read_csv('{root}/x.csv', all_varchar = true)) to '{root}/x.parquet' (format parquet)"
    )
    (root / "x.csv").unlink()
    raw = (root / "x.parquet").read_bytes()
    (root / "x.parquet").unlink()
    return raw


def _database(root: Path) -> bytes:
    path = root / "x.sqlite"
    with sqlite3.connect(path) as database:
        database.execute(f"create table entries ({HEADS.strip()})")
        database.executemany("insert into entries values (?, ?, ?, ?, ?, ?, ?, ?)", _LINES)
    raw = path.read_bytes()
    path.unlink()
    return raw


def _zip() -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("ledger.csv", _csv())
    return stream.getvalue()


def _picture() -> bytes:
    import matplotlib.pyplot as plt

    figure, stream = plt.figure(figsize=(0.3, 0.3)), io.BytesIO()
    figure.savefig(stream, format="png")
    plt.close(figure)
    return stream.getvalue()


_FORMAT = {
    "csv": "csv", "xlsx": "xlsx", "jsonl": "jsonl", "parquet": "parquet", "db": "sql", "csv.gz": "csv", "zip": "csv",
    "json": "json", "xml": "xml", "ods": "ods", "xls": "xls", "txt": "fixed", "utf16": "csv", "wide": "csv",
}  # fmt: skip
_KEYS = {
    "json": '\npath = "rows"',
    "xml": '\npath = "row"',
    "txt": '\ncolumns = { journal = "1-10", line = "11-20", posted = "21-30", period = "31-40", account = "41-50", debit = "51-60", credit = "61-70", source = "71-90" }',
    "utf16": '\nencoding = "utf-16"',
    "wide": '\nhead_row = 2\nuneven_rows = true\npass_over = "journal is End"\ntotals = [{ rows = "journal is Total" }]\nnumbers = ["spaces"]\nlater = "wins"',
}
"""What a block says of a format beside its name."""


def _by_shapes(name: str) -> bytes:
    rows = [HEADS.strip().split(","), *_LINES]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "x"
        (write_ods if name == "ods" else write_xls)(path, {"L": rows})
        return path.read_bytes()


def _xml() -> bytes:
    heads = HEADS.strip().split(",")
    cells = [zip(heads, map(html.escape, line), strict=True) for line in _LINES]
    rows = "".join("<row>" + "".join(f"<{head}>{cell}</{head}>" for head, cell in row) + "</row>\n" for row in cells)
    return f"<rows>\n{rows}</rows>".encode()


def _fixed() -> bytes:
    return "".join(
        "".join(f"{cell:<10}" for cell in line) + "\n" for line in [HEADS.strip().split(","), *_LINES]
    ).encode()


def _wide() -> bytes:
    total = "Total,,,,,1254.56,1254.56,\n"
    return b"A list\n" + _csv() + f"{total}End\n".encode()


_WRITERS: dict[str, Callable[[Path], bytes]] = {
    "csv": lambda _: _csv(),
    "xlsx": lambda _: _xlsx(),
    "jsonl": lambda _: _json(),
    "parquet": _parquet,
    "db": _database,
    "csv.gz": lambda _: gzip.compress(_csv()),
    "zip": lambda _: _zip(),
    "json": lambda _: json.dumps({"rows": [json.loads(line) for line in _json().splitlines()]}, indent=1).encode(),
    "xml": lambda _: _xml(),
    "ods": lambda _: _by_shapes("ods"),
    "xls": lambda _: _by_shapes("xls"),
    "txt": lambda _: _fixed(),
    "utf16": lambda _: _csv().decode().encode("utf-16"),
    "wide": lambda _: _wide(),
}


def _broken(raw: bytes, chance: random.Random, kind: str) -> bytes:
    """Return bytes that were changed in a few places: flipped, cut out, written twice, or with something put between."""
    binary = not kind.endswith(
        (".toml", ".csv", ".json", ".jsonl", "csv", "jsonl", "json", "xml", "txt", "wide", "current")
    )
    for _ in range(chance.choice([1, 1, 1, 2, 3])):
        at = chance.randrange(len(raw) + 1)
        to = min(len(raw), at + chance.choice([0, 1, 1, 2, 8, 60]))
        match chance.randrange(5 if binary else 7):
            case 0:
                raw = raw[:at] + bytes([chance.randrange(256)]) + raw[at + 1 :]
            case 1:
                raw = raw[:at] + raw[to:]
            case 2:
                raw = raw[:to] + raw[at:to] + raw[to:]
            case 3:
                raw = raw[:at] if chance.random() < 0.2 else raw[:at] + bytes([chance.randrange(256)]) + raw[at:]
            case 4:
                raw = (
                    raw[:at] + (raw[at] ^ 1 << chance.randrange(8)).to_bytes() + raw[at + 1 :] if at < len(raw) else raw
                )
            case _:
                raw = raw[:at] + chance.choice(_TOKENS).encode() + raw[to:]
    return raw


def _broken_workbook(raw: bytes, chance: random.Random) -> bytes:
    """Return a workbook with one of its own texts changed, or its archive."""
    if chance.random() < 0.2:
        return _broken(raw, chance, "xlsx")
    stream = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(raw)) as old, zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as new:
        names = old.namelist()
        sheet = next(name for name in ("xl/worksheets/sheet1.xml", "content.xml") if name in names)
        changed = chance.choice([*names, *[sheet] * 6])
        for name in names:
            text = old.read(name)
            new.writestr(name, _broken(text, chance, chance.choice(["x.toml", "x"])) if name == changed else text)
    return stream.getvalue()
