"""The exports of a state in the making: each with its parts, and what those come to."""

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from uuid import uuid4

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.tables import DATED, Table
from level_almanac.immutable import immutable
from level_almanac.store import rollups
from level_almanac.store.closing import rewrite_classes
from level_almanac.store.engine import WritingEngine
from level_almanac.store.part_sums import part_sums
from level_almanac.store.plain_checks import days_covered
from level_almanac.store.state import READ, LoadedFile, Store


@immutable
class Draft:
    """One file of the state in the making. fresh: its part was written by this load; records: how many became lines;
    summed: whether what its part comes to is known.
    """

    entry: LoadedFile
    part: Path
    shadow: Path | None = None
    rollup: Path | None = None
    days: Path | None = None
    journals: Path | None = None
    fresh: bool = False
    records: int = 0
    summed: bool = False

    @property
    def parts(self) -> list[str]:
        """The part of the lines that count, and that of those which do not."""
        return [str(self.part), *([str(self.shadow)] if self.shadow else [])]

    @property
    def made_of_it(self) -> dict[str, Path | None]:
        """What stands beside its part, as `LoadedFile` calls it."""
        return {"shadow": self.shadow, "rollup": self.rollup, "days": self.days, "journals": self.journals}


def draft_of(store: Store, entry: LoadedFile) -> Draft:
    """Return what a store holds of an export; raises BookMistake where a part of it is gone."""
    made = {what: store.parts / name for what in READ if (name := getattr(entry, what))}
    if "part" not in made or not all(map(store.has, made.values())):
        step = "delete the folder .almanac and run `almanac load`"
        raise BookMistake(Mistake("a part of the store is gone", entry.path, next_step=step))
    records = entry.lines + entry.duplicates + entry.superseded
    return Draft(
        entry,
        made["part"],
        made.get("shadow"),
        made.get("rollup"),
        made.get("days"),
        made.get("journals"),
        records=records,
    )


def summed_draft(engine: WritingEngine, draft: Draft, tables: Mapping[str, Table], target: Path) -> Draft:
    """Return the draft with what its part comes to, and its roll-up and the sums of its days where it is a ledger's.

    target: of a name that can be made others of.
    """
    part = str(draft.part)
    table = tables[draft.entry.table]
    if table.name != "ledger":
        sums = part_sums(engine, part, table)
        first, last = days_covered(engine, part, table.date) if table.name in DATED else (None, None)
        count = sum(each[0] for each in sums.values())
        return replace(draft, entry=replace(draft.entry, lines=count, sums=sums, first=first, last=last), summed=True)
    rollup, days, thin = (target.with_stem(f"{target.stem}-{what}") for what in ("rollup", "days", "thin"))
    fields = rollups.wide_fields(table)
    # The lines are read once, and all else is made of what they come to by day.
    rollups.write_days(engine, part, fields, days)
    rollups.merge_rollups(engine, [str(days)], fields, rollup)
    summary = rollups.part_summary(engine, str(days))
    thinner = rollups.thinner_days(engine, str(days), sum(row[1] for row in summary), fields, thin)
    entry = replace(
        draft.entry,
        lines=sum(row[1] for row in summary),
        sums={entity: (lines, debit, credit) for entity, lines, debit, credit, *_ in summary},
        first=min((row[4] for row in summary), default=None),
        last=max((row[5] for row in summary), default=None),
        fiscal_low=min((row[6] for row in summary), default=0),
        fiscal_high=max((row[7] for row in summary), default=0),
        days_by=[] if thinner else list(fields),
    )
    journals = target.with_stem(f"{target.stem}-journals")
    rollups.write_journals(engine, part, journals)
    return replace(draft, entry=entry, rollup=rollup, days=thin if thinner else days, journals=journals, summed=True)


def new_part(folder: Path) -> Path:
    """Return where to write a part: under a name that nothing else has, whoever writes and however often it is begun.

    Parts without lines are alike to the byte, so a name made of another part's would not be its own.
    """
    return folder / f"part-{uuid4().hex}.parquet"


@immutable
class Reclassifying:
    """Ledger parts written anew with the classes that their journals give. journals: the closing ones."""

    journals: Path
    folder: Path

    def reclassified(self, engine: WritingEngine, _: Path, draft: Draft) -> Draft:
        """Return the draft with its part written anew."""
        target = new_part(self.folder)
        rewrite_classes(engine, str(draft.part), self.journals, target)
        return replace(draft, part=target, fresh=True, summed=False)


@immutable
class Summing:
    """Parts that were written anew, and what they come to."""

    tables: Mapping[str, Table]
    folder: Path

    def summed(self, engine: WritingEngine, _: Path, draft: Draft) -> Draft:
        """Return the draft with what its part comes to."""
        return summed_draft(engine, draft, self.tables, new_part(self.folder))
