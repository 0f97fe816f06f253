"""Look at an export and write the `[[intake]]` block for it, saying what it was unsure of (docs/loading.md)."""

import csv
import re
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import takewhile
from pathlib import Path
from typing import NamedTuple

from level_almanac.errors import BookMistake, Mistake, UsageMistake, listed, nearest
from level_almanac.files.patterns import period_pattern
from level_almanac.files.settings import Format, IntakeBlock
from level_almanac.files.tables import DATED, Field, Table
from level_almanac.intake.formats.csv_text import CsvText
from level_almanac.intake.formats.json_records import JsonRecords
from level_almanac.intake.formats.records import Records, TextForm
from level_almanac.intake.formats.sheet_records import SheetRecords, open_sheet
from level_almanac.intake.formats.unpacked import unpacked
from level_almanac.intake.formats.xlsx_sheet import open_workbook, quiet
from level_almanac.intake.proposing.guesses import (
    DateGuess,
    NumberGuess,
    date_guess,
    heads_for,
    number_guess,
    period_guess,
    table_guess,
)
from level_almanac.shown_text import visible
from level_almanac.store.engine import DuckDBEngine, EngineError
from level_almanac.store.exports import copy_parquet, parquet_heads, sample_of

_FORMATS: Mapping[str, Format] = {".xlsx": "xlsx", ".jsonl": "jsonl", ".ndjson": "jsonl", ".parquet": "parquet"}
_DELIMITERS = (",", ";", "\t", "|")
_SAMPLE_BYTES = 4 << 20
_SAMPLE_RECORDS = 5000
_NOT_IN_TEXT = re.compile(r'[\\"\x00-\x1f\x7f-\x9f\ud800-\udfff]')
_CLASS_WORDS = {
    "asset": ("asset", "assets", "a", "as"),
    "liability": ("liability", "liabilities", "l", "li", "payable"),
    "equity": ("equity", "capital", "eq", "e"),
    "income": ("income", "revenue", "sales", "i", "r", "in", "rv"),
    "direct-cost": ("direct cost", "cost of sales", "cogs", "cost of goods sold", "direct", "d", "dc"),
    "expense": ("expense", "expenses", "cost", "costs", "x", "ex", "overhead"),
}
_KIND_WORDS = {
    "invoice": ("invoice", "inv", "bill", "i", "in"),
    "credit": ("credit", "credit note", "credit memo", "crn", "cn", "cm"),
    "payment": ("payment", "pay", "pmt", "receipt", "p", "py", "cheque", "check"),
    "write-off": ("write-off", "write off", "wof", "wo"),
    "refund": ("refund", "ref", "rf"),
    "void": ("void", "voided", "voi", "vd", "stopped"),
}
_SIDE_WORDS = {
    "payable": ("payable", "supplier", "vendor", "creditor", "s", "v"),
    "receivable": ("receivable", "customer", "client", "debtor", "c"),
}
_WORDS = {"class": _CLASS_WORDS, "kind": _KIND_WORDS, "side": _SIDE_WORDS}
"""What exports call the few values that a field takes."""


class Sample(NamedTuple):
    """The first records of an export: how they are read, the heads, and each column's texts that are not blank."""

    block: IntakeBlock
    heads: list[str]
    columns: dict[str, list[str]]
    records: int
    remarks: list[str]


def propose(path: Path, name: str, tables: Mapping[str, Table], entities: Sequence[str], table: str = "") -> str:
    """Return the block as commented TOML.

    name: the file's, as the block is to say it; entities: the codes of the book's; table: the one that it feeds, where
    that is known. Raises UsageMistake or BookMistake for a file that cannot be read.
    """
    if not path.is_file():
        raise UsageMistake(Mistake("there is no such file", "FILE", repr(str(path))))
    if table and table not in tables:
        hint = nearest(table, tables)
        raise UsageMistake(Mistake("there is no such table", "--table", repr(table), listed(tables), hint))
    with tempfile.TemporaryDirectory() as work:
        sample = _sample(path, Path(work))
    return _Proposal(sample, name, tables, entities, table).text()


def _sample(path: Path, work: Path) -> Sample:
    suffixes = [suffix.lower() for suffix in path.suffixes]
    inner = (
        suffixes[-2] if suffixes[-1:] in (["gz"], [".gz"]) and len(suffixes) > 1 else suffixes[-1] if suffixes else ""
    )
    block = IntakeBlock(table="", files=path.name, format=_FORMATS.get(inner, "csv"))
    path = unpacked(path, path.name, block, work)
    remarks: list[str] = []
    if block.format == "parquet":
        return _parquet_sample(path, block, work)
    records: Records
    if block.format == "csv":
        block, path, remarks = _csv_form(path, block, work)
        records = CsvText(path, path.name, block.encoding, block.delimiter)
    elif block.format == "xlsx":
        block, remarks = _sheet(path, block)
        records = SheetRecords(path, path.name, block, block.sheet)
    else:
        records = JsonRecords(path, path.name, block)
    heads, numbered = records.head(), work / "numbered.csv"
    records.write_numbered(numbered, 1)
    with numbered.open(encoding="utf-8", newline="") as stream:
        rows = [row[1:] for row, _ in zip(csv.reader(stream), range(_SAMPLE_RECORDS), strict=False)]
    return Sample(block, heads, _columns(heads, rows), len(rows), remarks)


def _parquet_sample(path: Path, block: IntakeBlock, work: Path) -> Sample:
    engine, form, raw = DuckDBEngine((path, work)), TextForm(block), work / "raw.parquet"
    try:
        heads_found = parquet_heads(engine, path)
        copy_parquet(engine, path, heads_found, form.date, form.decimal, raw)
        rows = sample_of(engine, raw, len(heads_found), _SAMPLE_RECORDS)
    except EngineError as error:
        raise BookMistake(Mistake("not a Parquet file that can be read", path.name, error.mistakes[0].got)) from None
    finally:
        engine.close()
    heads = [name for name, _ in heads_found]
    return Sample(block, heads, _columns(heads, rows), len(rows), [])


def _columns(heads: Sequence[str], rows: Sequence[Sequence[str | None]]) -> dict[str, list[str]]:
    columns: dict[str, list[str]] = {head: [] for head in heads}
    for row in rows:
        for head, text in zip(heads, row, strict=False):
            if text and text.strip():
                columns[head].append(text.strip())
    return columns


def _csv_form(path: Path, block: IntakeBlock, work: Path) -> tuple[IntakeBlock, Path, list[str]]:
    """Return the block with encoding and delimiter, a copy of the file's beginning, and what was unsure."""
    with path.open("rb") as stream:
        raw = stream.read(_SAMPLE_BYTES)
    if len(raw) == _SAMPLE_BYTES:
        raw = raw[: raw.rfind(b"\n") + 1]
    if not raw.strip():
        raise BookMistake(Mistake("the file is empty", path.name))
    remarks = []
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        block = replace(block, encoding="windows-1252")
        text = raw.decode("cp1252", errors="replace")
        line = raw.count(b"\n", 0, error.start) + 1
        remarks.append(f"encoding: line {line} is not UTF-8; look at its letters, and say latin-1 if they are wrong")
    counts = {each: _fields(text, each) for each in _DELIMITERS}
    best = max(counts.values())
    fitting = [each for each, count in counts.items() if count == best]
    if best < 2:
        remarks.append("delimiter: no sign divides the lines into columns")
    elif len(fitting) > 1:
        remarks.append(f"delimiter: {listed(repr(each) for each in fitting)} divide the lines alike")
    beginning = work / path.name
    beginning.write_bytes(raw)
    return replace(block, delimiter=fitting[0]), beginning, remarks


def _fields(text: str, delimiter: str) -> int:
    """Return into how many columns a delimiter divides the first lines, or 1 where it does so unevenly."""
    rows = list(csv.reader(text.splitlines()[:200], delimiter=delimiter))
    counts = {len(row) for row in rows if row}
    return counts.pop() if len(counts) == 1 else 1


def _sheet(path: Path, block: IntakeBlock) -> tuple[IntakeBlock, list[str]]:
    with quiet():
        names = open_workbook(path, path.name).sheetnames
        remarks = []
        if len(names) > 1:
            block = replace(block, sheet=names[0])
            remarks.append(f"sheet: the workbook has {listed(names)}; the first was looked at")
        rows = takewhile(lambda row: row.number <= 20, open_sheet(path, path.name, block.format, block.sheet).rows())
        counts = {row.number: len(row.cells) for row in rows}
    widest = max(counts.values(), default=0)
    head_row = next((number for number, count in counts.items() if count == widest), 1)
    if head_row > 1:
        block = replace(block, head_row=head_row)
        remarks.append(f"head_row: row {head_row} is the first of the widest, and taken for the heads")
    return block, remarks


class _Proposal:
    """One block in the writing."""

    def __init__(
        self, sample: Sample, name: str, tables: Mapping[str, Table], entities: Sequence[str], table: str
    ) -> None:
        self.sample, self.name, self.entities = sample, name, entities
        self.unsure = list(sample.remarks)
        ranked = table_guess(sample.heads, tables)
        self.table = tables[table or ranked[0][0]]
        close = [other for other, score in ranked[1:] if score >= ranked[0][1] - 1]
        if not table and close:
            self.unsure.append(f"table: its heads fit {listed(close)} as well")
        self.mapped: dict[str, str] = {}
        self.notes: dict[str, str] = {}
        self._map()

    def _map(self) -> None:
        taken: set[str] = set()
        for field in self.table.fields:
            heads = [head for head in heads_for(field.name, self.sample.heads) if head not in taken]
            unfit = [head for head in heads if not self._fits(field, head)]
            heads = [head for head in heads if head not in unfit]
            if not heads:
                self.unsure += [self._unfit_words(field, head) for head in unfit[:1]]
                continue
            self.mapped[field.name] = heads[0]
            taken.add(heads[0])
            others = [head for head in heads[1:] if head not in taken]
            if others:
                self.notes[field.name] = f"unsure: {listed(repr(other) for other in others)} may be meant instead"
        if {"debit", "credit"} <= self.mapped.keys() and "amount" in self.mapped:
            left = self.mapped.pop("amount")
            self.unsure.append(f"amount: debit and credit are taken, and {left!r} is left")
        elif ("debit" in self.mapped) != ("credit" in self.mapped):
            self.unsure.append("debit and credit: only one of the two has a head")
        self._check_amounts()

    def _check_amounts(self) -> None:
        wanted: tuple[set[str], ...] = ()
        if self.table.name == "ledger":
            wanted, needed = ({"debit", "credit"}, {"amount"}), "debit and credit, or amount,"
        elif self.table.plan_of:
            wanted, needed = ({"amount"}, {"share"}), "amount or share"
        if wanted and not any(each <= self.mapped.keys() for each in wanted):
            self.unsure.append(f"the amount: {needed} is needed, and no head looks like it")

    def _unfit_words(self, field: Field, head: str) -> str:
        sample = self.sample.columns[head][0]
        kind = "dates" if field.kind == "date" else "numbers"
        return f"{field.name}: {head!r} is named like it, and not all of its texts are {kind} in one way, as {sample!r}"

    def _fits(self, field: Field, head: str) -> bool:
        texts = self.sample.columns[head]
        if field.kind == "date":
            return not texts or date_guess(texts) is not None
        if field.kind in ("amount", "quantity"):
            return not texts or number_guess(texts) is not None
        return True

    def text(self) -> str:
        """Return the block, with what was unsure first."""
        body = [*self._reading(), *self._fields(), *self._values()]
        head = [
            _comment(
                f"Proposed from the first {self.sample.records:,} records of {self.name}. Read it before you load."
            )
        ]
        head += [_comment(f"UNSURE of {words}.") for words in self.unsure] or ["# Nothing was unsure."]
        return "\n".join([*head, "[[intake]]", *body, ""])

    def _reading(self) -> Iterator[str]:
        block = self.sample.block
        yield f"table = {_toml(self.table.name)}"
        yield f"files = {_toml(self.name)}"
        for key in ("format", "sheet", "head_row", "encoding", "delimiter"):
            value, default = getattr(block, key), IntakeBlock.__dataclass_fields__[key].default
            if value != default:
                yield f"{key} = {_toml(value)}"
        yield from self._dates()
        if "period" in self.mapped:
            yield from self._period()
        yield from self._numbers()
        yield from self._set()

    def _dates(self) -> Iterator[str]:
        guesses: dict[str, DateGuess] = {}
        for field in self.table.fields:
            head = self.mapped.get(field.name)
            if field.kind == "date" and head and (guess := date_guess(self.sample.columns[head])):
                guesses[head] = guess
        common = [{guess.pattern, *guess.others} for guess in guesses.values()]
        fitting = [each for guess in guesses.values() for each in (guess.pattern, *guess.others)]
        shared = [each for each in dict.fromkeys(fitting) if all(each in one for one in common)]
        patterns = shared or list(dict.fromkeys(guess.pattern for guess in guesses.values()))
        if shared[1:]:
            sample = next(iter(guesses.values())).sample
            self.unsure.append(f"day and month: {sample} and all others fit {listed(shared)}")
        if patterns and (shared or len(patterns) == 1):
            if patterns[0] != "YYYY-MM-DD":
                yield f"dates = {_toml(patterns[0])}"
        elif patterns:
            yield f"dates = [{', '.join(_toml(each) for each in patterns)}]"

    def _period(self) -> Iterator[str]:
        texts = self.sample.columns[self.mapped["period"]]
        pattern = period_guess(texts)
        if not pattern:
            self.unsure.append(f"period: {texts[0] if texts else 'nothing'} fits no pattern that is known")
            return
        if pattern != "YYYY-PPP":
            yield f"period = {_toml(pattern)}"
        expression = period_pattern(pattern)
        numbers = [int(match["number"]) for text in texts if expression and (match := expression.fullmatch(text))]
        if max(numbers, default=0) > 12:
            self.unsure.append(f"period {max(numbers)}: the calendar has to have it, see extra_periods in [calendar]")

    def _numbers(self) -> Iterator[str]:
        texts = [
            text
            for field in self.table.fields
            if field.kind in ("amount", "quantity") and field.name in self.mapped
            for text in self.sample.columns[self.mapped[field.name]]
        ]
        guess = number_guess(texts)
        if guess is None:
            if texts:
                self.unsure.append("numbers: those of its columns are not written in one way")
            return
        yield from self._signs(guess)

    def _signs(self, guess: NumberGuess) -> Iterator[str]:
        if guess.others:
            ways = listed(
                f"decimal {each[0]!r}" for each in dict.fromkeys([(guess.decimal,), *((o[0],) for o in guess.others)])
            )
            self.unsure.append(f"decimal sign: {guess.sample} can be read with {ways}")
        if guess.decimal != ".":
            yield f"decimal = {_toml(guess.decimal)}"
        if guess.thousands:
            yield f"thousands = {_toml(guess.thousands)}"
        if guess.negatives and guess.negatives != ("minus",):
            yield f"negatives = [{', '.join(_toml(each) for each in guess.negatives)}]"

    def _set(self) -> Iterator[str]:
        constants = {}
        if self.table.field("entity") and "entity" not in self.mapped:
            constants["entity"] = self.entities[0] if self.entities else "CODE"
            if len(self.entities) != 1:
                self.unsure.append(f"entity: no head tells it; {listed(self.entities) or 'a code of the book'} is set")
        if self.table.plan_of and "scenario" not in self.mapped:
            constants["scenario"] = "budget"
            self.unsure.append("scenario: no head tells it; 'budget' is set")
        if constants:
            yield f"set = {{ {', '.join(f'{key} = {_toml(value)}' for key, value in constants.items())} }}"

    def _fields(self) -> Iterator[str]:
        yield ""
        yield "[intake.fields]"
        for field in self.table.fields:
            if field.name in self.mapped:
                note = f"  {_comment(self.notes[field.name])}" if field.name in self.notes else ""
                yield f"{field.name} = {_toml(self.mapped[field.name])}{note}"
            elif field.name == "line" and self.table.name in ("ledger", *DATED):
                yield 'line = "order"  # no head tells lines apart, so they are numbered in file order'
            elif field.required and field.name not in ("entity", "scenario"):
                yield f'# {field.name} = "…"  needed, and no head looks like it'
                self.unsure.append(f"{field.name}: it is needed, and no head looks like it")
        left = [head for head in self.sample.heads if head not in self.mapped.values()]
        if left:
            yield _comment(f"Not taken: {', '.join(left)}.")
            yield f"# To have one, declare it in [tables.{self.table.name}.fields] of almanac.toml and map it here."

    def _values(self) -> Iterator[str]:
        for field in self.table.fields:
            head = self.mapped.get(field.name)
            if head is None or field.name not in _WORDS or not field.choices:
                continue
            words = sorted(set(self.sample.columns[head]))
            if not all(word in field.choices for word in words):
                yield from self._values_of(field, words)

    def _values_of(self, field: Field, words: Sequence[str]) -> Iterator[str]:
        self.unsure.append(f"{field.name}: what its words stand for, see [intake.values.{field.name}]")
        yield ""
        yield f"[intake.values.{field.name}]"
        for word in words:
            known = [name for name, each in _WORDS[field.name].items() if word.lower() in each]
            if known:
                yield f"{_key(word)} = {_toml(known[0])}"
            else:
                yield _comment(f'{_key(word)} = "…"  one of {listed(field.choices)}')
                self.unsure.append(f"{field.name}: what {word!r} stands for")


def _key(word: str) -> str:
    return word if re.fullmatch(r"[A-Za-z0-9_-]+", word) else _toml(word)


def _toml(value: object) -> str:
    if isinstance(value, int):
        return str(value)
    return f'"{_NOT_IN_TEXT.sub(_escaped, str(value))}"'


def _escaped(match: re.Match[str]) -> str:
    letter = match[0]
    if "\ud800" <= letter <= "\udfff":
        return "\ufffd"
    return f"\\{letter}" if letter in '\\"' else f"\\u{ord(letter):04x}"


def _comment(words: str) -> str:
    """Return a line of remarks, on which whatever stands in an export stays, and is seen."""
    return f"# {visible(words)}".replace("\n", "\\n")
