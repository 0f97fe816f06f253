"""Words in conditions that no line has, and conditions that only lines which are left out meet: likely slips, told."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from decimal import Decimal
from typing import NamedTuple

from level_almanac.core.accounts import ChartOfAccounts
from level_almanac.core.book import Book
from level_almanac.core.fields import LineFields
from level_almanac.core.lines.account_conditions import words_without_account
from level_almanac.core.lines.rule import Rule
from level_almanac.core.table.model import Slip
from level_almanac.errors import close_to, how_many
from level_almanac.files.layouts import Layout
from level_almanac.store.expressions import Constant, Expression, Summed
from level_almanac.store.line_query import Asked, groups
from level_almanac.store.predicate import Every, FieldTest, Not, OnVoidedLine, Operator, Predicate, Some, Word

_ONE = Constant(Decimal(1))
_HAS: Mapping[Operator, str] = {
    "is": "has {field} {word}",
    "begins": "has {a} {field} that begins {word}",
    "ends": "has {a} {field} that ends {word}",
    "contains": "has {a} {field} that contains {word}",
}
_MEETS: Mapping[Operator, Callable[[str, str], bool]] = {
    "is": lambda value, word: value == word,
    "begins": lambda value, word: value.startswith(word),
    "ends": lambda value, word: value.endswith(word),
    "contains": lambda value, word: word in value,
}
_BLANK = ("null", "none", "empty", "nil", "n/a", "blank")
_ENTRIES = ("ordinary", "adjusting")
_MOST_VALUES = 5000
_AT_ONCE = 40
"""How many words one statement counts the lines of."""
_FEW_LETTERS = 2
"""Words of no more say too little of what they may be the beginning of."""


class _Word(NamedTuple):
    """One word of a test on a text."""

    test: FieldTest
    word: Word

    @property
    def alone(self) -> FieldTest:
        """The test of this word alone."""
        return FieldTest(self.test.field, self.test.operator, (self.word,), self.test.as_number)


def word_slips(
    book: Book, fields: LineFields, rules: Sequence[Rule], hidden: Mapping[str, str] | None = None
) -> Iterator[Slip]:
    """Yield each word of these conditions that no line of the table has, with what it may have been meant for.

    hidden: the entry classes that the report leaves out, each with the option that takes it in, or empty where none
    does: a condition that only lines of these meet is told too.
    """
    if not rules or not book.parts_of(fields.table.name):
        return
    words = list(dict.fromkeys(word for rule in rules for word in _words_in(rule.predicate, fields)))
    asked = [rule for rule in rules if not rule.exclusion] if hidden and fields.table.entries else []
    # One look at the lines answers both.
    counts = list(_counts(book, fields, [*(word.alone for word in words), *_halves(asked, hidden or {})]))
    wrong = [word for word, count in zip(words, counts, strict=False) if not count]
    yield from (_slip(book, fields, word) for word in wrong)
    if asked and hidden and not wrong:
        of_halves = counts[len(words) :]
        of_rules = list(zip(asked, of_halves[::2], of_halves[1::2], strict=True))
        yield from _hidden_slips(book, fields, of_rules, hidden)


def _words_in(predicate: Predicate, fields: LineFields) -> Iterator[_Word]:
    match predicate:
        case FieldTest(name, operator, words, _):
            field = fields.by_name.get(name)
            if field is not None and field.kind == "text" and operator in _HAS:
                yield from (_Word(predicate, word) for word in words)
        case Not(part) | OnVoidedLine(part, _):
            yield from _words_in(part, fields)
        case Every(parts) | Some(parts):
            for part in parts:
                yield from _words_in(part, fields)


def _counts(book: Book, fields: LineFields, tests: Sequence[Predicate]) -> Iterator[int]:
    """Yield how many lines of the table meet each test."""
    source = book.line_source(fields)
    for first in range(0, len(tests), _AT_ONCE):
        asked = [Asked(Summed(((test, _ONE),)), "count") for test in tests[first : first + _AT_ONCE]]
        ((_, *counts),) = groups(book.engine, source, (), asked)
        yield from map(int, counts)


def _slip(book: Book, fields: LineFields, word: _Word) -> Slip:
    table = fields.table.name
    has = _has(word.alone)
    words = f"No line of {'the ledger' if table == 'ledger' else table} {has}"
    text = str(word.word)
    if ours := _own_word(book, fields, word.test.field, text):
        return Slip(f'{words}: it is the export\'s word for "{ours}"')
    if text.lower() in _BLANK:
        return Slip(f"{words}; what has nothing there is `{word.test.field} is blank`")
    value = fields.by_name[word.test.field].value
    nearest, count = _nearest(_values(book, fields, value), word.test.operator, text)
    return Slip(f'{words}; nearest: "{nearest}", {how_many(count, "line")}' if nearest else words)


def _has(test: FieldTest) -> str:
    a = "an" if test.field[0] in "aeiou" else "a"
    return _HAS[test.operator].format(a=a, field=test.field, word=f'"{test.words[0]}"')


def account_slips(layout: Layout, chart: ChartOfAccounts) -> Iterator[Slip]:
    """Yield each word in the conditions of a layout's rows that no account of the chart meets."""
    for number, row in enumerate(layout.rows):
        if row.accounts:
            where = layout.where(number, "accounts")
            for test in words_without_account(row.accounts, chart, where):
                yield Slip(f"No account of the chart {_has(test)}, as {where} asks for")


def _own_word(book: Book, fields: LineFields, name: str, text: str) -> str:
    """Return the value that stands for an export's own word, where an intake block says one."""
    field = fields.by_name[name]
    for block in book.settings.intake:
        if block.table == field.table:
            for theirs, ours in block.values.get(name.rpartition(".")[2], {}).items():
                if theirs.casefold() == text.casefold() and ours != text:
                    return ours
    return ""


def _values(book: Book, fields: LineFields, value: Expression) -> list[tuple[str, int]]:
    """Return the values of a field with how many lines have each, the commonest first."""
    found = groups(book.engine, book.line_source(fields), [value], [])
    counted = [(str(row[0]), int(row[1])) for row in found if row[0] is not None]
    return sorted(counted, key=lambda each: (-each[1], each[0]))[:_MOST_VALUES]


def _nearest(values: Sequence[tuple[str, int]], operator: Operator, text: str) -> tuple[str, int]:
    """Return the value that a word is nearest to, with how many lines have it; nothing where none is near."""
    plain = text.strip().casefold()
    ways = [_MEETS[operator], *([_MEETS["begins"]] if len(plain) > _FEW_LETTERS else [])]
    for meets in ways:
        for value, count in values:
            if meets(value.casefold(), plain):
                return value, count
    parts: dict[str, str] = {}
    for value, _ in reversed(values):
        part = {"begins": value[: len(text)], "ends": value[-len(text) :]}.get(operator, value)
        parts[part.casefold()] = value
    close = close_to(plain, parts)
    return (parts[close], dict(values)[parts[close]]) if close else ("", 0)


def _halves(rules: Sequence[Rule], hidden: Mapping[str, str]) -> Iterator[Predicate]:
    """Yield of each condition which lines meet it that the report takes in, and then which that it leaves out."""
    shown = tuple(name for name in (*_ENTRIES, "closing", "carried") if name not in hidden)
    for rule in rules:
        for classes in (shown, tuple(hidden)):
            yield Every((rule.predicate, FieldTest("entry", "is", classes)))


def _hidden_slips(
    book: Book, fields: LineFields, counts: Sequence[tuple[Rule, int, int]], hidden: Mapping[str, str]
) -> Iterator[Slip]:
    """Yield the conditions that lines meet, but none that the report takes in. counts: of each those of both halves."""
    for rule, shown_count, hidden_count in counts:
        if hidden_count and not shown_count:
            by_class = [Every((rule.predicate, FieldTest("entry", "is", (name,)))) for name in hidden]
            classes = [name for name, count in zip(hidden, _counts(book, fields, by_class), strict=True) if count]
            options = [hidden[name] for name in classes if hidden[name]]
            step = f"{' and '.join(options)} takes them in" if options else "they are in no figure here"
            words = rule.words.removeprefix("not: ")
            yield Slip(f"Only {' and '.join(classes)} lines meet `{words}`, {hidden_count:,} of them: {step}")
