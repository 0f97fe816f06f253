"""What a load takes in and yet warns of."""

from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal
from itertools import pairwise

from level_almanac.errors import Mistake, how_many
from level_almanac.files.tables import INCOME_CLASSES, SIDE_OF, Table
from level_almanac.store import ledger_checks
from level_almanac.store import unknown_codes as store_codes
from level_almanac.store.engine import Engine
from level_almanac.store.rollups import Journals
from level_almanac.store.sign_checks import lines_by_sign
from level_almanac.store.state import LoadedFile
from level_almanac.store.unknown_codes import UnknownCodes


def unbalanced_journals(engine: Engine, journals: Journals, limit: int) -> tuple[list[Mistake], int]:
    """Return a warning for each of the first journals that do not balance, and how many there are."""
    if not journals.parts:
        return [], 0
    rows = ledger_checks.unbalanced_journals(engine, journals, limit)
    found = [
        Mistake(f"journal {journal} of {entity} does not balance", f"{at['file']}:{at['file_line']}", f"{net:+f}", "0")
        for entity, journal, at, net, _ in rows
    ]
    return found, rows[0][-1] if rows else 0


def lines_after(table: str, through: date, files: Sequence[LoadedFile]) -> list[Mistake]:
    """Warn of a day of completeness that was told once and is no longer true, because reports would end there."""
    last = max((loaded.last for loaded in files if loaded.last), default=None)
    if last is None or last <= through:
        return []
    name = "the ledger is" if table == "ledger" else f"{table} are"
    what = f"lines are dated after the day through which {name} complete"
    told = "DAY" if table == "ledger" else f"{table}=DAY"
    step = f"reports end on {through}; move that day with `almanac load --through {told}`"
    return [Mistake(what, got=str(last), next_step=step)]


def ends_early(early: Mapping[str, date], through: Mapping[str, date]) -> list[Mistake]:
    """Warn of what ends clearly before the others: an export is missing, or it goes less far."""
    found = []
    for key, day in early.items():
        table, _, entity = key.partition("/")
        of = f" of {entity}" if entity else ""
        told = f", though data is said to be complete through {through[table]}" if table in through else ""
        what = f"no line{of} in {table} is after {day}{told}"
        step = f"load what is missing, or say how far it goes with `almanac load --through {table}={day}`"
        found.append(Mistake(what, next_step=step))
    return found


_MOST_CODES = 3


def unknown_codes(
    engine: Engine,
    tables: Mapping[str, Table],
    parts: tuple[Mapping[str, Sequence[str]], Mapping[str, Sequence[str]]],
    stand_ins: Sequence[str],
) -> list[Mistake]:
    """Warn of codes that lead to no line of another table, apart from lines that have none: reports put both together.

    parts: of each table all, and those that this load read; stand_ins: codes of parties that stand for others.
    """
    every, fresh = parts
    found = []
    for name, table in tables.items():
        for field, target in table.links.items():
            own = every.get(name, ()) if target in fresh else fresh.get(name, ())
            # What an account of the ledger or of its plans is has to be known, and stops a load else.
            is_account = target == "accounts" and "ledger" in (name, table.plan_of)
            if is_account or not own or target not in every:
                continue
            known = stand_ins if target == "parties" else ()
            codes = store_codes.unknown_codes(
                engine, own, field, (every[target], tables[target].key[0]), known, _MOST_CODES
            )
            if codes:
                found.append(_unknown(name, field, target, codes))
    return found


def _unknown(name: str, field: str, target: str, codes: UnknownCodes) -> Mistake:
    have = "has" if codes.lines == 1 else "have"
    what = f"{how_many(codes.lines, 'line')} of {name} {have} a code in {field} that {target} lacks"
    told = ", ".join(f"{code!r} on {count:,}" for code, count in codes.first)
    more = f" and {codes.codes - len(codes.first):,} more" if codes.codes > len(codes.first) else ""
    blank = f"; {how_many(codes.blank, 'other')} {'has' if codes.blank == 1 else 'have'} none" if codes.blank else ""
    return Mistake(what, got=f"{told}{more}{blank}", next_step="reports by what it leads to put both together")


_NEARLY_ALL = Decimal("0.9")
_AT_LEAST = 3
"""So few lines say nothing of how an export writes its signs."""


def unlikely_signs(
    engine: Engine, tables: Mapping[str, Table], parts: Mapping[str, Sequence[str]], classes: Mapping[str, str]
) -> list[Mistake]:
    """Warn where nearly all lines of a kind or a class have the sign that few of them should have: they were exported
    the other way round, and every total would be wrong.

    parts: of each table those that this load read; classes: of each account.
    """
    found = []
    for name, own in parts.items():
        table = tables[name]
        if not own:
            continue
        if name in (*SIDE_OF.values(), "billing"):
            for kind, file, above, below in lines_by_sign(engine, own, "kind", "amount"):
                if kind != "adjustment" and _nearly_all(below, above):
                    key = f'turned_kinds = ["{kind}"]'
                    found.append(_unlikely(f"{kind} in {name}", "below zero", below, above, file, key))
        elif name == "ledger" or table.plan_of == "ledger":
            found += _by_class(engine, name, own, classes)
        elif name == "sales":
            for _, file, above, below in lines_by_sign(engine, own, "", "amount"):
                if _nearly_all(below, above):
                    found.append(_unlikely(name, "below zero", below, above, file, 'signs = "turned"'))
    return found


def _by_class(engine: Engine, name: str, parts: Sequence[str], classes: Mapping[str, str]) -> Iterator[Mistake]:
    counts: dict[str, tuple[str, int, int]] = {}
    ledger = name == "ledger"
    for account, file, above, below in lines_by_sign(engine, parts, "account", "amount", ordinary=ledger):
        class_ = classes.get(account, "")
        before = counts.get(class_, (file, 0, 0))
        counts[class_] = (before[0], before[1] + above, before[2] + below)
    for class_, (file, above, below) in counts.items():
        if class_ not in INCOME_CLASSES:
            continue
        # A ledger's income stands in credit; a plan's is told in its natural sign.
        usual, other = (below, above) if ledger and class_ == "income" else (above, below)
        if _nearly_all(other, usual):
            sign = "a debit" if ledger and class_ == "income" else "a credit" if ledger else "below zero"
            key = 'signs = "natural" or "turned"' if ledger else 'signs = "ledger"' if class_ == "income" else ""
            yield _unlikely(f"class {class_} in {name}", sign, other, usual, file, key or 'signs = "turned"')


def _nearly_all(unlikely: int, usual: int) -> bool:
    return unlikely >= _AT_LEAST and unlikely >= (unlikely + usual) * _NEARLY_ALL


def _unlikely(of: str, sign: str, count: int, others: int, file: str, key: str) -> Mistake:
    what = f"{count:,} of {count + others:,} lines of {of} are {sign}, which few should be"
    return Mistake(what, file, next_step=f"if the export writes them the other way round, say {key} in its block")


_SHORT = 3
"""How many times smaller a file is than its neighbours that seems cut short."""
_DAYS_SHORT = 7


def cut_short(files: Sequence[LoadedFile]) -> list[Mistake]:
    """Warn of exports of one block that seem cut short: far fewer lines than the others, or a last day that leaves many
    more days to the next one's first than is usual. The newest may be of a time that still runs.
    """
    dated = sorted((loaded for loaded in files if loaded.first and loaded.last), key=lambda loaded: str(loaded.last))
    found = []
    if len(dated) < _FILES_AT_LEAST:
        return []
    sizes = sorted(loaded.lines + loaded.duplicates for loaded in dated[:-1])
    usual = sizes[len(sizes) // 2]
    gaps = [_days_between(one, other) for one, other in pairwise(dated)]
    usual_gap = sorted(gaps)[len(gaps) // 2]
    for at, loaded in enumerate(dated[:-1]):
        size = loaded.lines + loaded.duplicates
        step = "see whether the export was cut short"
        if size * _SHORT < usual:
            what = f"it has {size:,} lines, and exports like it some {usual:,}"
            found.append(Mistake(what, loaded.path, next_step=step))
        elif gaps[at] > max(_DAYS_SHORT, 2 * usual_gap):
            what = f"its last line is of {loaded.last}, {gaps[at]} days before the next export's first"
            found.append(Mistake(what, loaded.path, next_step=step))
    return found


_FILES_AT_LEAST = 4


def _days_between(one: LoadedFile, other: LoadedFile) -> int:
    return (other.first - one.last).days if one.last and other.first else 0
