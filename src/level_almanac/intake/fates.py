"""What became of the records of a file that several blocks take lines of: one takes each, or those that share it."""

from collections.abc import Sequence

from level_almanac.errors import Mistake
from level_almanac.intake.files import ExportFile
from level_almanac.intake.read_export import ReadExport, with_shape
from level_almanac.store.engine import Engine
from level_almanac.store.exports import records_by_fate
from level_almanac.store.ledger_checks import ALL

SHOWN_MISTAKES = 20
Key = tuple[str, str]
"""A table and the name of an export that feeds it."""


def settle_fates(
    engine: Engine,
    files: Sequence[ExportFile],
    done: dict[Key, tuple[ExportFile, ReadExport]],
    *,
    set_aside: bool,
) -> tuple[list[Mistake], int]:
    """Return a mistake for each record that no block of its file takes, or that several take which do not say so, and
    how many there are.

    done: what was read by this load. Where lines are set aside, those that none takes are added to what is, in `done`.
    """
    mistakes: list[Mistake] = []
    total = 0
    units = {file.unit: [each for each in files if each.unit == file.unit] for file, _ in done.values()}
    for unit, siblings in units.items():
        read = [done[each.key] for each in siblings if each.key in done]
        if len(read) < len(siblings) or not any(found.fates for _, found in read):
            continue
        fates = [(str(found.fates), file.block.shares_records) for file, found in read]
        none, several = records_by_fate(engine, fates, ALL if set_aside else SHOWN_MISTAKES)
        step = "say in another [[intake]] block what becomes of it"
        left = [Mistake("no block takes this line", f"{unit}:{line}", next_step=step) for line in none.lines]
        if set_aside and left:
            first, found = read[0]
            done[first.key] = (first, found._replace(aside=with_shape(first, found.aside, left)))
        else:
            mistakes, total = mistakes + left, total + none.total
        step = "say `shares_records = true` in each of them, if that is meant"
        mistakes += [
            Mistake("several blocks take this line", f"{unit}:{line}", next_step=step) for line in several.lines
        ]
        total += several.total
    return mistakes, total
