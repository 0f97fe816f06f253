"""The lines that a load leaves out as wrong: one CSV file an export, with what is wrong on each line."""

import csv
import io
import json
from collections.abc import Collection, Iterable
from pathlib import Path

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.names import portable
from level_almanac.intake.read_export import SetAside
from level_almanac.shown_text import inert
from level_almanac.store.state import LoadedFile, Store
from level_almanac.whole_file import write_whole

FOLDER = "set-aside"


def aside_text(aside: SetAside) -> str:
    """Return what was set aside of an export as CSV; nothing in it runs in a spreadsheet.

    Where that changed a text, the record stands as it was in a last column.
    """
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(["line of the export", "what is wrong", *map(inert, aside.heads), "the record as it was"])
    for line, why, *texts in aside.records:
        shown = [inert(text or "") for text in texts]
        as_it_was = json.dumps(texts, ensure_ascii=False) if shown != [text or "" for text in texts] else ""
        writer.writerow([line, inert(why), *shown, as_it_was])
    writer.writerows([inert(mistake.where), inert(str(mistake))] for mistake in aside.shape)
    return stream.getvalue()


def check_folder(root: Path) -> None:
    """Raise BookMistake where the folder of what is set aside leads elsewhere: nothing is written through a link."""
    for path in (root / FOLDER, *(root / FOLDER).rglob("*")):
        if path.is_symlink():
            where = path.relative_to(root).as_posix()
            raise BookMistake(
                Mistake("this is a link, and nothing is written through one", where, next_step="move it away")
            )


def settle_aside(root: Path, store: Store, before: Iterable[LoadedFile], now: Collection[LoadedFile]) -> None:
    """Have the folder hold what the state in force set aside, and take away what a state before it wrote there.

    before, now: the files of both states. Files that no load wrote are left alone, whatever they are called.
    """
    still = {path_of(loaded) for loaded in now if loaded.set_aside}
    ours = {path_of(loaded): loaded for loaded in (*before, *now) if loaded.set_aside}
    for name in ours.keys() - still:
        (root / name).unlink(missing_ok=True)
    for loaded in now:
        target = root / path_of(loaded)
        if loaded.aside and not target.is_file():
            target.parent.mkdir(parents=True, exist_ok=True)
        if loaded.aside and (text := Path(store.path_of(loaded.aside)).read_bytes()) != _there(target):
            write_whole(target, text)


def _there(path: Path) -> bytes | None:
    return path.read_bytes() if path.is_file() else None


def path_of(loaded: LoadedFile) -> str:
    """Return where in the book the lines stand that were set aside of an export."""
    if not loaded.aside:
        # As versions before this one called it.
        kept = "".join(letter if letter.isalnum() or letter in ".-" else "_" for letter in loaded.path)
        return f"{FOLDER}/{loaded.table}_{kept}.csv"
    return f"{FOLDER}/{loaded.table}/{portable(loaded.path)}.csv"


def left_out_words(loaded: LoadedFile) -> str:
    """Return in words how many lines of an export were set aside, whether any was taken, and where they stand."""
    lines = "1 line is" if loaded.set_aside == 1 else f"{loaded.set_aside:,} lines are"
    none = "" if loaded.lines or loaded.duplicates else ", and none of it was taken"
    return f"{lines} left out of {loaded.path} as wrong{none}; see {path_of(loaded)}"
