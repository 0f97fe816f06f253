"""What the last run of the checks found, kept beside the store so that the next one can tell what is new."""

import json
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from level_almanac.whole_file import write_whole

_NAME = "checks.json"


@dataclass(frozen=True, slots=True)
class CheckRecord:
    """findings: per check the keys of what it found; closed: per entity and closed period its lines, debits and
    credits, as texts; made_at, closed_at: when the run was, and when it last looked at closed periods, in words.
    """

    made_at: str = ""
    closed_at: str = ""
    findings: dict[str, list[str]] = field(default_factory=dict)
    closed: dict[str, list[Any]] = field(default_factory=dict)


def read_record(folder: Path) -> CheckRecord | None:
    """Return the record in a store's folder; None where there is none that can be read, as before the first run."""
    try:
        return CheckRecord(**json.loads((folder / _NAME).read_text(encoding="utf-8")))
    except (OSError, ValueError, TypeError):
        return None


def keep_record(folder: Path, record: CheckRecord) -> None:
    """Write the record in one step; raises OSError where the folder cannot be written to."""
    write_whole(folder / _NAME, json.dumps(asdict(record), indent=1))
