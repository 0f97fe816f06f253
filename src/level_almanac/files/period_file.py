"""A calendar told period by period in a CSV file of the book: heads `year`, `period`, `first`, `last`."""

import csv
from collections.abc import Iterator
from datetime import date, timedelta
from pathlib import Path
from typing import NamedTuple

from level_almanac.errors import BookMistake, Mistake, listed, nearest

_HEADS = ("year", "period", "first", "last")
_ONE_DAY = timedelta(days=1)


class ToldPeriod(NamedTuple):
    """One period as told: its year's name, its number within it, its first and last day."""

    year: int
    number: int
    first: date
    last: date


def read_period_file(path: Path, name: str) -> tuple[ToldPeriod, ...]:
    """Return the periods in their order, each starting the day after the one before ended.

    name: what messages call the file. `first` may be blank but on the first line. Raises BookMistake with every
    mistake: a date that is none, a gap, a number that is not the next.
    """
    try:
        lines = list(csv.reader(path.read_text(encoding="utf-8-sig").splitlines()))
    except FileNotFoundError:
        raise BookMistake(Mistake("there is no such file", "calendar.file", repr(name))) from None
    except UnicodeDecodeError:
        raise BookMistake(Mistake("not UTF-8 text", name)) from None
    if not lines or tuple(head.strip() for head in lines[0]) != _HEADS:
        got = ",".join(lines[0]) if lines else "nothing"
        unknown = [head for head in (lines[0] if lines else []) if head not in _HEADS]
        hint = next((hint for head in unknown if (hint := nearest(head, _HEADS))), "")
        raise BookMistake(Mistake("not the heads of a period file", f"{name}:1", got, ",".join(_HEADS), hint))
    periods: list[ToldPeriod] = []
    for number, line in enumerate(lines[1:], 2):
        if line:
            periods.append(_period(line, f"{name}:{number}", periods[-1] if periods else None))
    if not periods:
        raise BookMistake(Mistake("the period file tells no period", name))
    return tuple(periods)


def _period(line: list[str], where: str, before: ToldPeriod | None) -> ToldPeriod:
    cells = [cell.strip() for cell in [*line, "", "", "", ""][:4]]
    mistakes = list(_shape_mistakes(cells, where, before))
    if mistakes:
        raise BookMistake(*mistakes)
    year, number = int(cells[0]), int(cells[1])
    after = before.last + _ONE_DAY if before else None
    first = date.fromisoformat(cells[2]) if cells[2] else after
    last = date.fromisoformat(cells[3])
    follows = (before is None and number == 1) or (
        before is not None
        and ((year, number) == (before.year, before.number + 1) or (year, number) == (before.year + 1, 1))
    )
    if not follows:
        allowed = f"{before.year},{before.number + 1} or {before.year + 1},1" if before else "period 1"
        raise BookMistake(Mistake("not the period that comes next", where, f"{year},{number}", allowed))
    if first is None:
        raise BookMistake(Mistake("the first period must tell its first day", f"{where}: first"))
    if after is not None and first != after:
        raise BookMistake(Mistake("not the day after the period before", f"{where}: first", str(first), str(after)))
    if last < first:
        raise BookMistake(Mistake("the period ends before it starts", f"{where}: last", str(last)))
    return ToldPeriod(year, number, first, last)


def _shape_mistakes(cells: list[str], where: str, before: ToldPeriod | None) -> Iterator[Mistake]:
    for head, cell in zip(_HEADS, cells, strict=True):
        if head in ("year", "period"):
            if not cell.isdecimal() or int(cell) > 9999:
                yield Mistake("not a whole number", f"{where}: {head}", repr(cell))
            elif head == "year" and not 1900 <= int(cell) <= 2199:
                yield Mistake("out of range", f"{where}: {head}", repr(cell), "1900 to 2199")
        elif not cell and head == "first" and before is not None:
            continue
        elif not _is_day(cell):
            yield Mistake("not a day", f"{where}: {head}", repr(cell), listed(["YYYY-MM-DD"]))


def _is_day(text: str) -> bool:
    try:
        return len(text) == 10 and date.fromisoformat(text) is not None
    except ValueError:
        return False
