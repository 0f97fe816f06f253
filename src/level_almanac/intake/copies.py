"""The same line in several exports: which of them counts, looked for anew only where exports changed."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

from level_almanac.errors import BookMistake
from level_almanac.files.tables import Table
from level_almanac.immutable import immutable
from level_almanac.intake.drafts import Draft, new_part
from level_almanac.intake.fates import SHOWN_MISTAKES
from level_almanac.intake.messages import clash_mistake
from level_almanac.store import repeats
from level_almanac.store.engine import Crew, Engine, GatheringEngine, WritingEngine
from level_almanac.store.state import State, Store


def touched_parts(store: Store, before: State | None, table: Table, drafts: Sequence[Draft]) -> list[str] | None:
    """Return the parts of a table's exports that this load read, and those that they or what is gone had before.

    drafts: of the table; None where there is nothing before to go on from.
    """
    if before is None:
        return None
    by_path = {draft.entry.path: draft for draft in drafts}
    touched = [part for draft in drafts if draft.fresh for part in draft.parts]
    for entry in before.files_of(table.name):
        if entry.path not in by_path or by_path[entry.path].fresh:
            touched += [store.path_of(part) for part in (entry.part, entry.shadow) if part]
    return touched if all(store.has(Path(part)) for part in touched) else None


def settled_copies(
    engine: GatheringEngine,
    crew: Crew,
    store: Store,
    table: Table,
    drafts: Sequence[Draft],
    touched: Sequence[str] | None,
    later: repeats.Later,
    folder: Path,
) -> Iterator[Draft]:
    """Yield the drafts of a table whose parts were written anew, because other lines of them count than before.

    touched: parts of what changed, or None where all did; folder: where to write parts. Raises BookMistake for two
    different lines under one key.
    """
    parts = {draft.entry.path: draft.parts for draft in drafts}
    if touched is not None:
        # What stood more than once before goes on to do so.
        touched = [*touched, *(str(draft.shadow) for draft in drafts if draft.shadow)]
        parts = _parts_with(engine, touched, drafts)
    counts: dict[str, repeats.Shadows] = {}
    shadows: Path | None = None
    if repeats.find_repeats(engine, table, parts, later, touched):
        clashes, count = repeats.clashes(engine, table, SHOWN_MISTAKES)
        if clashes:
            raise BookMistake(*(clash_mistake(clash, table.key) for clash in clashes), total=count)
        shadows = new_part(folder)
        counts = repeats.write_shadows(engine, table, shadows)
    changed = []
    for draft in drafts:
        found = counts.get(draft.entry.path, repeats.Shadows(0, 0))
        if (sum(found) or draft.shadow) and not _is_as_before(engine, table, draft, found, shadows):
            entry = replace(draft.entry, duplicates=found.copies, superseded=found.superseded)
            changed.append(replace(draft, entry=entry))
    store.at_hand(Path(part) for draft in changed for part in draft.parts)
    yield from crew.each(_Rewriting(table, shadows, folder).rewritten, changed)


def _is_as_before(engine: Engine, table: Table, draft: Draft, found: repeats.Shadows, shadows: Path | None) -> bool:
    if draft.fresh or found != (draft.entry.duplicates, draft.entry.superseded) or not draft.shadow or not shadows:
        return False
    return repeats.are_kept(engine, table, draft.entry.path, shadows, str(draft.shadow))


@immutable
class _Rewriting:
    """The parts of a table written anew. shadows: what does not count, if anything; folder: where they go."""

    table: Table
    shadows: Path | None
    folder: Path

    def rewritten(self, engine: WritingEngine, _: Path, draft: Draft) -> Draft:
        """Return the draft with parts of the lines that count, and of those that do not."""
        kept, shadow = new_part(self.folder), None
        repeats.rewrite(engine, self.table, draft.parts, self.shadows, kept, copies=False)
        if draft.entry.duplicates or draft.entry.superseded:
            shadow = new_part(self.folder)
            repeats.rewrite(engine, self.table, draft.parts, self.shadows, shadow, copies=True)
        return replace(draft, part=kept, shadow=shadow, fresh=True, summed=False)


def _parts_with(engine: Engine, touched: Sequence[str], drafts: Sequence[Draft]) -> dict[str, list[str]]:
    """Return the parts, by export, that may hold lines under the keys of those in touched parts."""
    journals = {
        draft.entry.path: str(draft.journals)
        for draft in drafts
        if draft.journals and not draft.fresh and not draft.shadow and draft.entry.lines
    }
    found = repeats.files_with(engine, touched, list(journals.values())) if journals else set()
    return {
        draft.entry.path: draft.parts
        for draft in drafts
        if draft.entry.path not in journals or draft.entry.path in found
    }
