"""What the texts of an export's columns look like: dates in which order, numbers with which signs, or neither.

More than one reading can fit all of them; then each is named, and the person who knows says which it is.
"""

import re
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import NamedTuple

from level_almanac.files.patterns import period_pattern, strptime_pattern
from level_almanac.files.tables import Table
from level_almanac.store.casting import NumberForm, number_pattern

DATE_PATTERNS = (
    "YYYY-MM-DD", "DD.MM.YYYY", "DD/MM/YYYY", "MM/DD/YYYY", "DD-MM-YYYY", "MM-DD-YYYY", "YYYY/MM/DD", "YYYYMMDD",
    "DD.MM.YY", "DD/MM/YY", "MM/DD/YY", "YYYY-MM-DD hh:mm:ss", "YYYY-MM-DDThh:mm:ss", "DD.MM.YYYY hh:mm:ss",
    "DD/MM/YYYY hh:mm",
    "MM/DD/YYYY hh:mm", "YYYY-MM-DDThh:mm:ssZ",
)  # fmt: skip
PERIOD_PATTERNS = ("YYYY-PPP", "YYYY-PP", "PP/YYYY", "YYYY/PP", "YYYYPP", "PP-YYYY", "PP.YYYY", "PPP", "PP")
_SIGNS = ((".", ""), (".", ","), (",", ""), (",", "."), (",", " "), (".", " "), (".", "'"))
_NEGATIVES: Mapping[str, Callable[[str], bool]] = {
    "minus": lambda text: text.startswith(("-", "−")),
    "trailing-minus": lambda text: text.endswith(("-", "−")),
    "parentheses": lambda text: text.startswith("("),
    "crdr": lambda text: text.upper().endswith(("CR", "DR")),
}
SYNONYMS: Mapping[str, tuple[str, ...]] = {
    "entity": ("company", "company code", "books", "firm"),
    "journal": ("voucher", "journal no", "journal number", "entry", "entry no", "transaction", "transaction no"),
    "line": ("pos", "position", "line no", "line number", "seq", "row"),
    "posted": (
        "posting date",
        "post date",
        "date",
        "booking date",
        "entry date",
        "gl date",
        "effective date",
        "booked",
    ),
    "period": ("per", "fiscal period", "posting period", "accounting period", "month"),
    "account": ("acct", "code", "account no", "account number", "account code", "gl account", "ledger account"),
    "debit": ("dr", "debit amount", "debits"),
    "credit": ("cr", "credit amount", "credits"),
    "amount": (
        "value",
        "net amount",
        "amount in local currency",
        "local amount",
        "planned",
        "budgeted",
        "total",
        "takings",
        "revenue",
        "turnover",
    ),
    "source": ("kind", "type", "journal type", "entry type", "origin"),
    "batch": ("batch no", "batch number", "run"),
    "document": ("doc", "document no", "document number", "invoice", "invoice no", "invoice number"),
    "reference": ("ref", "reference no", "check no", "cheque no", "cheque", "check"),
    "party": (
        "counterpart",
        "vendor",
        "vendor no",
        "supplier",
        "customer",
        "customer no",
        "business partner",
        "code",
        "party code",
    ),
    "partner": ("group", "partner company", "intercompany", "affiliate"),
    "memo": ("text", "description", "narration", "details", "comment", "remark"),
    "name": ("account name", "description", "title", "label", "text"),
    "class": ("type", "account type", "account class", "category", "nature"),
    "parent": ("below", "parent account", "rolls up to", "heading", "group"),
    "control": ("control account", "sub-ledger", "subledger"),
    "scenario": ("version", "plan", "budget version"),
    "department": ("dept", "cost centre", "cost center"),
    "date": ("day", "as of"),
    "share": ("percent", "percentage"),
    "kind": ("type", "document type", "doc type", "transaction type", "what"),
    "number": (
        "document no",
        "document number",
        "invoice no",
        "invoice number",
        "doc no",
        "no",
        "bill",
        "bill no",
        "receipt",
        "till",
        "order no",
    ),
    "served": ("service date", "date of service", "served on"),
    "checked": ("cheque dated", "cheque date", "check date", "check dated"),
    "deposited": ("banked", "deposit date", "deposited on", "bank date"),
    "office": ("site", "location", "branch"),
    "reason": ("why", "reason code"),
    "item": ("product", "article", "item no"),
    "quantity": ("qty", "sold", "units", "pieces"),
    "cost": ("cost of goods", "cost of sales", "cost amount"),
    "due": ("due date", "net due date", "payable by"),
    "settles": ("applied to", "applies to", "pays", "settled document", "against"),
    "applied": ("applied on", "date applied", "matched", "matched on", "cleared", "clearing date"),
    "payee": ("paid to", "pay to", "payable to"),
    "side": ("party type", "role"),
    "share_of": ("share of", "total name", "of"),
}


class DateGuess(NamedTuple):
    """A date pattern that fits all texts, and the others that do too; sample: a text that shows it."""

    pattern: str
    others: tuple[str, ...]
    sample: str


class NumberGuess(NamedTuple):
    """How numbers are written; others: other signs that fit all texts as well; sample: a text that shows it."""

    decimal: str
    thousands: str
    negatives: tuple[str, ...]
    others: tuple[tuple[str, str], ...]
    sample: str


def date_guess(texts: Sequence[str]) -> DateGuess | None:
    """Return the pattern that all texts are dates by, or None where there is none."""
    fitting = [pattern for pattern in DATE_PATTERNS if texts and all(_is_date(text, pattern) for text in texts)]
    return DateGuess(fitting[0], tuple(fitting[1:]), texts[0]) if fitting else None


def _is_date(text: str, pattern: str) -> bool:
    code = strptime_pattern(pattern)
    # Python reads a day of one figure where the pattern says two, so the length is held against it.
    try:
        day = datetime.strptime(text, str(code))  # noqa: DTZ007  only whether it can be read
    except ValueError:
        return False
    return len(text) == len(pattern) and 1900 <= day.year < 2200


def number_guess(texts: Sequence[str]) -> NumberGuess | None:
    """Return how all of the texts are numbers, or None where they are none."""
    if not texts:
        return None
    negatives = tuple(name for name, is_so in _NEGATIVES.items() if any(is_so(text) for text in texts))
    fitting = []
    for decimal, thousands in _SIGNS:
        form = NumberForm(decimal, thousands, negatives, {}, 2)
        pattern = re.compile(number_pattern(form), re.IGNORECASE)
        if all(pattern.fullmatch(text) for text in texts):
            fitting.append((decimal, thousands))
    if not fitting:
        return None
    decimal, thousands = fitting[0]
    # Where no text holds a sign, or both readings say the same of each, there is nothing to be unsure of.
    others = tuple(
        each for each in fitting[1:] if any(_value(text, each) != _value(text, fitting[0]) for text in texts)
    )
    sample = next(
        (text for text in texts for each in others if _value(text, each) != _value(text, fitting[0])), texts[0]
    )
    return NumberGuess(decimal, thousands, negatives, others, sample)


def _value(text: str, signs: tuple[str, str]) -> str:
    decimal, thousands = signs
    plain = text.replace(thousands, "") if thousands else text
    whole, _, rest = plain.partition(decimal)
    return f"{whole}.{rest.rstrip('0')}"


def period_guess(texts: Sequence[str]) -> str:
    """Return the pattern of periods that all texts fit, or nothing."""
    for pattern in PERIOD_PATTERNS:
        expression = period_pattern(pattern)
        if expression and texts and all(_is_period(expression, text) for text in texts):
            return pattern
    return ""


def _is_period(expression: re.Pattern[str], text: str) -> bool:
    match = expression.fullmatch(text)
    return match is not None and 1 <= int(match["number"]) <= 20


def plain(head: str) -> str:
    """Return a head in small letters, with single spaces for all that is neither letter nor figure."""
    return " ".join(re.findall(r"[a-z0-9]+", head.lower()))


def heads_for(field: str, heads: Sequence[str]) -> list[str]:
    """Return the heads that may be a field, the likeliest first."""
    names = (field.replace("_", " "), *SYNONYMS.get(field, ()))
    ranked = {plain(head): head for head in reversed(heads)}
    return [ranked[plain(name)] for name in names if plain(name) in ranked]


def table_guess(heads: Sequence[str], tables: Mapping[str, Table]) -> list[tuple[str, int]]:
    """Return the tables with how well the heads fit each, the best first."""
    scores = []
    for name, table in tables.items():
        names = {field.name for field in table.fields if heads_for(field.name, heads)}
        missing = sum(
            field.required and field.name not in (*names, "entity", "line", "scenario") for field in table.fields
        )
        scores.append((name, 2 * len(names) - 3 * missing))
    return sorted(scores, key=lambda each: -each[1])
