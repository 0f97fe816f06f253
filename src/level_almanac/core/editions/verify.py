"""Whether an edition is still what was issued."""

import json
from datetime import datetime
from pathlib import Path

from level_almanac.core.book import Book
from level_almanac.core.editions.compare import Figures
from level_almanac.core.editions.frozen import damage, frozen_book
from level_almanac.core.editions.issued_figures import figures_in, moved_figures
from level_almanac.core.editions.report import Verification, Verified
from level_almanac.core.pages.running import PageRun, run_page
from level_almanac.errors import AlmanacError
from level_almanac.files.editions import Edition, broken_files, read_edition, seal_of
from level_almanac.files.engines import EngineChoice
from level_almanac.files.page_reading import read_page
from level_almanac.progress import tell


def verified(folder: Path, seal: str, figures: Figures, choice: EngineChoice) -> Verification:
    """Return whether an edition is still what was issued: its files by their hashes, its figures computed anew.

    seal: as it was noted elsewhere, or how it begins, or empty; choice: the engine that computes them.
    """
    record = read_edition(folder)
    broken = broken_files(folder, record)
    if seal and (len(seal) < 8 or not seal_of(folder).startswith(seal.lower())):
        broken.append(f"the seal is {seal_of(folder).strip()}, not {seal}")
    try:
        frozen = frozen_book(folder, datetime.fromisoformat(record.issued_at), choice)
        parts, damaged = damage(frozen)
    except AlmanacError as error:
        failed = [Verified(page.name, 0, failed=f"cannot be computed: {error}") for page in record.pages]
        return Verification(record, seal_of(folder).strip(), broken, [], 0, failed)
    pages = (
        []
        if damaged
        else [_computed_anew(folder, frozen, record, number, figures) for number in range(len(record.pages))]
    )
    return Verification(record, seal_of(folder).strip(), broken, damaged, parts, pages)


def _computed_anew(folder: Path, frozen: Book, record: Edition, number: int, figures: Figures) -> Verified:
    page = record.pages[number]
    try:
        issued = figures_in(json.loads((folder / page.figures).read_text(encoding="utf-8")))
        tell(page.name)
        made = run_page(frozen, read_page(frozen.file.root, page.name), PageRun(page.answers, record.when, issued=True))
    except AlmanacError as error:
        return Verified(page.name, 0, failed=str(error))
    except (OSError, ValueError, KeyError, TypeError) as error:
        return Verified(page.name, 0, failed=f"its figures cannot be read: {error}")
    anew = figures_in(figures(made.table))
    return Verified(page.name, len(anew), tuple(moved_figures(issued, anew)))
