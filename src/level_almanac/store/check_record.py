"""What the last run of the checks found, kept beside the store so that the next one can tell what is new."""

import json
from dataclasses import field, fields
from pathlib import Path
from typing import Any

from level_almanac.errors import BookMistake, Mistake
from level_almanac.immutable import immutable
from level_almanac.store.kept import FOLDER
from level_almanac.whole_file import write_whole

_NAME = "checks.json"


@immutable
class CheckRecord:
    """findings: per check the keys of what it found; closed: per entity and closed period its lines, debits and
    credits, as texts, and when it first held them; made_at, closed_at: when the run was, and when it last looked at
    closed periods, in words; accepted: what changed in closed periods and was taken as right, in words, by what it was.
    """

    made_at: str = ""
    closed_at: str = ""
    findings: dict[str, list[str]] = field(default_factory=dict)
    closed: dict[str, list[Any]] = field(default_factory=dict)
    accepted: dict[str, str] = field(default_factory=dict)


def read_record(root: Path, store: Path) -> CheckRecord | None:
    """Return the record of a book, or None before its first run; raise BookMistake where it is damaged.

    store: the folder of the store, where versions before this one kept it.
    """
    path = root / FOLDER / _NAME
    try:
        return CheckRecord(**json.loads((path if path.is_file() else store / _NAME).read_text(encoding="utf-8")))
    except FileNotFoundError:
        return None
    except (OSError, ValueError, TypeError) as error:
        step = "put it back, or delete it and let everything count as new"
        where = f"{FOLDER}/{_NAME}"
        raise BookMistake(
            Mistake("the record of the checks cannot be read", where, str(error), next_step=step)
        ) from None


def keep_record(root: Path, record: CheckRecord) -> None:
    """Write the record in one step; raises OSError where the folder cannot be written to."""
    (root / FOLDER).mkdir(exist_ok=True)
    # All is plain already; to copy it deeply takes as long as to write it.
    write_whole(
        root / FOLDER / _NAME, json.dumps({each.name: getattr(record, each.name) for each in fields(record)}, indent=1)
    )
