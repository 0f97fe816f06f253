"""The words for what is wrong with a line of an export."""

from collections.abc import Sequence

from level_almanac.errors import Mistake, listed, nearest
from level_almanac.files.settings import IntakeBlock
from level_almanac.store.casting import Reason
from level_almanac.store.lines import WrongText
from level_almanac.store.repeats import Clash

_NEGATIVES = {"minus": "-5{d}00", "trailing-minus": "5{d}00-", "parentheses": "(5{d}00)", "crdr": "5{d}00 CR"}


def line_mistake(name: str, wrong: WrongText, block: IntakeBlock, choices: Sequence[str]) -> Mistake:
    """Return the mistake for one wrong text. name: the file's; choices: what the field may hold, where it is a list."""
    where, got = f"{name}:{wrong.line}: {wrong.field}", repr(wrong.text)
    dates = listed(block.date_patterns)
    told: dict[Reason, Mistake] = {
        "blank": Mistake("is blank", where, allowed="a value on every line"),
        "choice": Mistake(f"unknown {wrong.field}", where, got, listed(choices), nearest(wrong.text, choices)),
        "date": Mistake("not a date", where, got, f"a day from 1900 to 2199 as {dates}"),
        "ambiguous-date": Mistake("the date can be read in more than one way", where, got, next_step=f"as {dates}"),
        "number": Mistake("not a number", where, got, number_words(block)),
        "decimals": Mistake("more decimals than the entity's currency has", where, got, "an exact amount"),
        "both-sides": Mistake("both a debit and a credit", where, wrong.text, "one of the two"),
        "no-side": Mistake("neither a debit nor a credit", where, allowed="one of the two"),
        "period": Mistake("the calendar has no such period", where, got, f"a period of the calendar as {block.period}"),
        "carried-day": Mistake(
            "a carried line that opens no year", where, got, "the last or the first day of a fiscal year"
        ),
        "plan-name": Mistake("this name is kept for what was booked", where, got, "another name for a plan"),
        "plan-when": Mistake("a plan is for a period or for a day", where, got, "one of the two on each line"),
        "plan-amount": Mistake(
            "a plan is an amount or a share of a total", where, got, "an amount, or a share with the total's name"
        ),
        "calendar-day": Mistake("the calendar does not reach to this day", where, got, "a day of the period file"),
        "negative": Mistake(
            "an amount below zero, though its kind fixes the sign", where, got, "0 or more, and the kind that it is"
        ),
        "account": Mistake("the chart lacks this account", where, got, next_step=nearest(wrong.text, choices)),
    }
    return told[wrong.reason]


def number_words(block: IntakeBlock) -> str:
    """Return in words how the block's numbers are written."""
    examples = [f"1{block.thousands}234{block.decimal}56"]
    examples += [_NEGATIVES[negative].format(d=block.decimal) for negative in block.negatives]
    return f"a number such as {listed(examples)}"


def clash_mistake(clash: Clash, key: Sequence[str]) -> Mistake:
    """Return the mistake for two lines under one key. key: the names of the table's key fields."""
    told = ", ".join(f"{name} {value}" for name, value in zip(key, clash.key, strict=True) if value)
    first, second = (f"{file}:{line}" for file, line in (clash.first, clash.second))
    if clash.same_content:
        what, allowed = "the same line twice in one file", "each line once"
    else:
        what, allowed = "two different lines under one key", "one line for each key"
    return Mistake(f"{what} ({told})", f"{first} and {second}", allowed=allowed)
