"""The lines that a load leaves out as wrong: one CSV file an export, with what is wrong on each line."""

import csv
from collections.abc import Iterable, Sequence
from pathlib import Path

from level_almanac.intake.read_export import SetAside
from level_almanac.store.state import LoadedFile

FOLDER = "set-aside"


def write_aside(root: Path, found: Sequence[SetAside], files: Iterable[LoadedFile]) -> None:
    """Write what was set aside into the book's folder `set-aside`, and take away what no longer is.

    files: those of the state that is about to be in force.
    """
    folder = root / FOLDER
    still = {_name(loaded.table, loaded.path) for loaded in files if loaded.set_aside}
    if folder.is_dir():
        for path in folder.glob("*.csv"):
            if path.name not in still:
                path.unlink()
    for aside in found:
        folder.mkdir(exist_ok=True)
        target = folder / _name(aside.file.block.table, aside.file.name)
        with target.open("w", encoding="utf-8", newline="") as stream:
            writer = csv.writer(stream, lineterminator="\n")
            writer.writerow(["line of the export", "what is wrong", *aside.heads])
            writer.writerows(["" if text is None else text for text in record] for record in aside.records)
            writer.writerows([mistake.where, str(mistake)] for mistake in aside.shape)


def _name(table: str, path: str) -> str:
    kept = "".join(letter if letter.isalnum() or letter in ".-" else "_" for letter in path)
    return f"{table}_{kept}.csv"
