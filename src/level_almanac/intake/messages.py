"""The words for what is wrong with a line of an export."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace

from level_almanac.errors import Mistake, listed, nearest
from level_almanac.files.settings import IntakeBlock
from level_almanac.store.casting import Reason
from level_almanac.store.lines import WrongText
from level_almanac.store.repeats import Clash

_NEGATIVES = {"minus": "-5{d}00", "trailing-minus": "5{d}00-", "parentheses": "(5{d}00)", "crdr": "5{d}00 CR"}

_PLAIN: Mapping[Reason, tuple[str, str]] = {
    "decimals": ("more decimals than the entity's currency has", "an exact amount"),
    "carried-day": ("a carried line that opens no year", "the last or the first day of a fiscal year"),
    "plan-name": ("this name is kept for what was booked", "another name for a plan"),
    "plan-when": ("a plan is for a period or for a day", "one of the two on each line"),
    "plan-amount": (
        "a plan is an amount or a share of a total", "an amount, or a share with the total's name",
    ),
    "calendar-day": ("the calendar does not reach to this day", "a day of the period file"),
    "negative": (
        "an amount below zero, though its kind fixes the sign", "0 or more, and the kind that it is",
    ),
}  # fmt: skip
"""What is wrong with a text, and what would be right, where that says all."""


def line_mistake(name: str, wrong: WrongText, block: IntakeBlock, choices: Sequence[str]) -> Mistake:
    """Return the mistake for one wrong text. name: the file's; choices: what the field may hold, where it is a list."""
    # Each is told of only where it is met: a file can have as many as it has lines.
    where, got = f"{name}:{wrong.line}: {wrong.field}", repr(wrong.text)
    match wrong.reason:
        case "blank":
            return Mistake("is blank", where, allowed="a value on every line")
        case "choice":
            return Mistake(f"unknown {wrong.field}", where, got, listed(choices), nearest(wrong.text, choices))
        case "date":
            return Mistake("not a date", where, got, f"a day from 1900 to 2199 as {listed(block.date_patterns)}")
        case "ambiguous-date":
            step = f"as {listed(block.date_patterns)}"
            return Mistake("the date can be read in more than one way", where, got, next_step=step)
        case "number":
            return Mistake("not a number", where, got, number_words(block))
        case "both-sides" | "no-side" | "side":
            return _side_mistake(where, wrong, block)
        case "period":
            allowed = f"a period of the calendar as {block.period}"
            return Mistake("the calendar has no such period", where, got, allowed)
        case "account":
            return Mistake("the chart lacks this account", where, got, next_step=nearest(wrong.text, choices))
    what, allowed = _PLAIN[wrong.reason]
    return Mistake(what, where, got, allowed)


def _side_mistake(where: str, wrong: WrongText, block: IntakeBlock) -> Mistake:
    if wrong.reason == "both-sides":
        return Mistake("both a debit and a credit", where, wrong.text, "one of the two")
    if wrong.reason == "no-side":
        return Mistake("neither a debit nor a credit", where, allowed="one of the two")
    words = (*block.sides.debit, *block.sides.credit) if block.sides else ()
    return Mistake("neither a debit nor a credit", where, repr(wrong.text), listed(repr(word) for word in words))


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


def by_cause(mistakes: Sequence[Mistake]) -> list[Mistake]:
    """Return mistakes with those of later files counted where their like was told of an earlier one."""
    told: dict[tuple[str, ...], list[Mistake]] = {}
    for mistake in mistakes:
        place, _, field = mistake.where.partition(": ")
        kinds = re.sub(r"[^\W\d_]+", "a", re.sub(r"\d+", "9", mistake.got))
        same_word = mistake.what.startswith(("unknown", "the chart lacks", "the calendar"))
        cause = (mistake.what, field, mistake.got if same_word else kinds, mistake.allowed if field else place)
        told.setdefault(cause, []).append(mistake)
    found = []
    for alike in told.values():
        files = list(dict.fromkeys(mistake.where.partition(":")[0] for mistake in alike))
        own = [mistake for mistake in alike if mistake.where.partition(":")[0] == files[0]]
        more = [mistake for mistake in alike if mistake not in own]
        if more:
            count = sum(1 + mistake.alike for mistake in more) + own[-1].alike
            last = files[-1] if len(files) == 2 else f"{len(files) - 1} more files to {files[-1]}"
            own[-1] = replace(own[-1], alike=count, last=last)
        found += own
    order = {id(mistake): at for at, mistake in enumerate(mistakes)}
    return sorted(found, key=lambda mistake: order.get(id(mistake), order[id(_first_of(mistake, mistakes))]))


def _first_of(mistake: Mistake, mistakes: Sequence[Mistake]) -> Mistake:
    return next(each for each in mistakes if (each.where, each.what) == (mistake.where, mistake.what))
