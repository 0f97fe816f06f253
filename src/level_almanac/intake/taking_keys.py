"""The key of an intake block that would take in what it does not: told with the mistake, where the texts show it."""

from collections.abc import Sequence

from level_almanac.errors import nearest
from level_almanac.files.patterns import day_pattern
from level_almanac.files.settings import IntakeBlock
from level_almanac.files.validation.intake import SHEETS
from level_almanac.intake.proposing.guesses import date_guess, number_guess
from level_almanac.store.lines import WrongText


def taking_key(wrong: WrongText, block: IntakeBlock, known: Sequence[str]) -> str:
    """Return the key that would take wrong texts of one cause, or nothing where they show none.

    known: the accounts, or the words that the field may hold.
    """
    texts = wrong.texts or (wrong.text,)
    key = ""
    match wrong.reason:
        case "date":
            guess = date_guess(texts)
            if guess and not guess.others:
                key = _list_key("dates", [*block.date_patterns, guess.pattern])
                if (found := day_pattern(guess.pattern)) and not found.has_year and not block.year:
                    key += ' with year = "file name" or a year'
        case "number":
            key = _number_key(texts, block)
        case "decimals":
            key = _decimals_key(texts, block)
        case "negative":
            return "turned_kinds = [KIND] turns kinds that are exported with a minus"
        case "account":
            key = _account_key(wrong.field, texts, block, known)
        case "choice" | "blank":
            return _words_key(wrong, known)
    return f"{key} would take it" if key else ""


def _words_key(wrong: WrongText, known: Sequence[str]) -> str:
    if wrong.reason == "choice" and known and not nearest(wrong.text, known):
        return f'values.{wrong.field} = {{ "{wrong.text}" = "…" }} says which it is'
    if wrong.reason == "blank" and wrong.field in ("account", "party", "journal", "number") and wrong.line > 2:
        return "`down` carries the one above down, `pass_over` leaves rows out that are no lines"
    return ""


def _decimals_key(texts: Sequence[str], block: IntakeBlock) -> str:
    if all(not text.rstrip("0").partition(block.decimal)[2][2:] for text in texts):
        return _list_key("numbers", [*block.numbers, "extra-zeros"])
    return _list_key("numbers", [*block.numbers, "noise"]) if block.format in SHEETS else ""


def _list_key(name: str, words: Sequence[str]) -> str:
    listed = ", ".join(f'"{word}"' for word in words)
    return f"{name} = [{listed}]"


def _number_key(texts: Sequence[str], block: IntakeBlock) -> str:
    """Return the keys that numbers are written by which the block does not read."""
    if all(text in ("-", "--", "–", "—", "−") for text in texts):
        return _list_key("numbers", [*block.numbers, "dash-zero"])
    if all(text.endswith("%") for text in texts):
        return _list_key("numbers", [*block.numbers, "percent"])
    guess = number_guess(texts)
    if guess is None or guess.others:
        return ""
    told = {"decimal": guess.decimal, "thousands": guess.thousands}
    parts = [f'{key} = "{sign}"' for key, sign in told.items() if sign and sign != getattr(block, key)]
    more = [each for each in guess.negatives if each not in block.negatives]
    parts += [_list_key("negatives", [*block.negatives, *more])] if more else []
    return " and ".join(parts)


def _account_key(field: str, texts: Sequence[str], block: IntakeBlock, known: Sequence[str]) -> str:
    source = block.field_sources.get(field)
    if source is None or not source.is_plain or len(source.heads) != 1:
        return ""
    accounts, head = set(known), source.heads[0]
    if all(text.lstrip("0") in accounts for text in texts):
        return f'{field} = {{ head = "{head}", zeros = "strip" }}'
    for sign in (" - ", " ", "-", ":", "/"):
        if all(text.partition(sign)[0] in accounts for text in texts):
            return f'{field} = {{ head = "{head}", before = "{sign}" }}'
    widths = {len(account) for account in accounts}
    if len(widths) == 1 and all(text.zfill(min(widths)) in accounts for text in texts):
        return f'{field} = {{ head = "{head}", width = {min(widths)} }}'
    return ""
