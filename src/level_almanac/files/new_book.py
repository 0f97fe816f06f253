"""Start a book: the `almanac.toml` that a person goes on from, every key with a word of what it is for."""

from pathlib import Path
from typing import NamedTuple

from level_almanac.errors import BookMistake, Mistake, UsageMistake
from level_almanac.files.outside import BOOK_FILE
from level_almanac.files.reading import read_book

_TEXT = """# A book: which companies there are, how their year runs, and what their exports look like.
[book]
name = {name}
# Whose days count where a time of day has to become one.
time_zone = {zone}

# One section a company. Retained earnings: the equity account that takes finished years' results.
[entities.{entity}]
name = {entity_name}
currency = {currency}
retained_earnings = {retained}

[calendar]
# The fiscal year begins on this month and day, and is named by the year it ends in.
year_start = {year_start}
year_named_by = "end"
# How many adjustment periods follow the twelfth, reached only by a line's own period: 1 makes P13.
extra_periods = {extra}
# Periods through this one are closed: closed_through = "2026-P08"

# What makes a ledger line a balance carried forward, a year-end closing entry, or an adjustment.
[entry_classes]
# carried = "source is CF"
# closing = "source is CL"
# adjusting = "period is P13"

# One [[intake]] block for each kind of export. `almanac propose FILE` looks at one and writes its block.
"""


class NewBook(NamedTuple):
    """What a new book says at first. further: the codes of further companies, which are like the first one."""

    name: str
    entity: str
    entity_name: str
    currency: str
    retained_earnings: str
    year_start: str
    time_zone: str
    extra_periods: int = 0
    further: tuple[str, ...] = ()


def write_book(folder: Path, new: NewBook) -> list[Path]:
    """Write a new book into a folder, which is made if need be, and return what was written.

    Raises UsageMistake where the folder holds a book already, or what is asked for makes none.
    """
    target = folder / BOOK_FILE
    if target.exists():
        raise UsageMistake(Mistake("there is a book here already", str(target), next_step="name another folder"))
    text = _TEXT.format(
        name=_quoted(new.name),
        zone=_quoted(new.time_zone),
        entity=new.entity,
        entity_name=_quoted(new.entity_name),
        currency=_quoted(new.currency),
        retained=_quoted(new.retained_earnings),
        year_start=_quoted(new.year_start),
        extra=new.extra_periods,
    )
    sections = "".join(
        f"[entities.{code}]\nname = {_quoted(code)}\ncurrency = {_quoted(new.currency)}\n"
        f"retained_earnings = {_quoted(new.retained_earnings)}\n\n"
        for code in new.further
    )
    text = text.replace("[calendar]\n", f"{sections}[calendar]\n")
    folder.mkdir(parents=True, exist_ok=True)
    target.write_text(text, encoding="utf-8")
    try:
        read_book(folder)
    except BookMistake as error:
        target.unlink()
        raise UsageMistake(*error.mistakes) from None
    exports = folder / "exports"
    exports.mkdir(exist_ok=True)
    return [target, exports]


def _quoted(text: str) -> str:
    escaped = text.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{escaped}"'
