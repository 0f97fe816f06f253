"""What no export tells and a book must not lose: texts of its own in its folder `kept`, beside the store.

The store can be made again from the exports at any time; up to when they are complete, what was found before and what
closed periods came to cannot.
"""

import tomllib
from collections.abc import Mapping
from datetime import date
from pathlib import Path

from level_almanac.errors import BookMistake, Mistake
from level_almanac.whole_file import write_whole

FOLDER = "kept"
_THROUGH = f"{FOLDER}/through.toml"
_HEAD = "# Up to when the exports of each table are complete, as `almanac load --through` was told.\n"


def read_through(root: Path) -> dict[str, date]:
    """Return up to when each table's exports are complete, as was last told; raise BookMistake for a damaged file."""
    path = root / _THROUGH
    if not path.is_file():
        return {}
    try:
        plain = tomllib.loads(path.read_text(encoding="utf-8"))
        if not all(type(day) is date for day in plain.values()):
            raise ValueError("not a day")
    except ValueError as error:
        step = "mend it, or delete it and say --through again"
        raise BookMistake(Mistake("not the TOML that a load wrote", _THROUGH, str(error), next_step=step)) from None
    return plain


def keep_through(root: Path, through: Mapping[str, date]) -> None:
    """Keep up to when each table's exports are complete; raises OSError where the folder cannot be written to."""
    if through and read_through(root) != through:
        (root / FOLDER).mkdir(exist_ok=True)
        lines = (f"{table} = {day.isoformat()}\n" for table, day in sorted(through.items()))
        write_whole(root / _THROUGH, _HEAD + "".join(lines))
