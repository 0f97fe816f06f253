"""What a load has written, kept in the store: hashes are made by whoever of the crew is free, names are given here."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from level_almanac.immutable import immutable
from level_almanac.intake.drafts import Draft, draft_of
from level_almanac.store.engine import Crew, WritingEngine
from level_almanac.store.state import Store, digest_of


@immutable
class Keeping:
    """Moves finished parts into a store."""

    store: Store
    crew: Crew

    def kept(self, written: Mapping[Path, str]) -> dict[Path, str]:
        """Keep finished parts, and return their names. written: the parts, and what each one's name begins with."""
        digests = list(self.crew.each(_digest, list(written)))
        return {
            path: self.store.keep(path, begins, digest)
            for (path, begins), digest in zip(written.items(), digests, strict=True)
        }

    def kept_drafts(self, fresh: Sequence[Draft]) -> Iterator[Draft]:
        """Keep all parts of drafts that were written by a load, and yield the drafts as the store holds them."""
        names = self.kept(
            {
                path: f"{draft.entry.table}-{what}" if what else draft.entry.table
                for draft in fresh
                for what, path in {"": draft.part, **draft.made_of_it}.items()
                if path
            }
        )
        for draft in fresh:
            made: dict[str, Any] = {what: names[path] if path else "" for what, path in draft.made_of_it.items()}
            yield draft_of(self.store, replace(draft.entry, part=names[draft.part], **made))


def _digest(_: WritingEngine, _scratch: Path, path: Path) -> str:
    return digest_of(path)
