"""What `almanac.toml` says, as frozen values. Their types are what the file is checked against."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

STRICT = {"extra": "forbid", "strict": True}
"""An unknown key is a mistake, and so is `2` where a text is asked for."""

FieldKind = Literal["text", "amount", "quantity", "date"]
Weekday = Literal["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"]
Negatives = Literal["minus", "trailing-minus", "parentheses", "crdr"]
Encoding = Literal["utf-8", "latin-1", "windows-1252"]


@dataclass(frozen=True, slots=True, kw_only=True)
class BookHead:
    """The `[book]` section: what the book is called and whose days it counts in."""

    __pydantic_config__ = STRICT
    name: str
    time_zone: str = "UTC"


@dataclass(frozen=True, slots=True, kw_only=True)
class Entity:
    """One `[entities.CODE]` section: a company with books of its own, in one currency."""

    __pydantic_config__ = STRICT
    name: str
    currency: str
    retained_earnings: str


@dataclass(frozen=True, slots=True, kw_only=True)
class CalendarSettings:
    """The `[calendar]` section. `year_start` is the month and day a fiscal year begins on, as `MM-DD`."""

    __pydantic_config__ = STRICT
    year_start: str
    year_named_by: Literal["start", "end"] = "end"
    periods: Literal["months"] = "months"
    extra_periods: int = 0
    closed_through: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class EntryClassRules:
    """The `[entry_classes]` section: the condition that makes a ledger line carried, closing or adjusting."""

    __pydantic_config__ = STRICT
    carried: str = ""
    closing: str = ""
    adjusting: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class TableSettings:
    """One `[tables.NAME]` section: the further fields of a table, each with its kind."""

    __pydantic_config__ = STRICT
    fields: dict[str, FieldKind] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class IntakeBlock:
    """One `[[intake]]` block: which files feed which table, and how they are to be read.

    fields: our field name to the export's head; set: fields with one value for all lines; values: per field, the
    export's word to ours; dates, period: patterns such as `DD.MM.YYYY` and `YYYY-PP`.
    """

    __pydantic_config__ = STRICT
    table: str
    files: str | list[str]
    format: Literal["csv"] = "csv"
    encoding: Encoding = "utf-8"
    delimiter: str = ","
    dates: str | list[str] = "YYYY-MM-DD"
    period: str = "YYYY-PPP"
    decimal: Literal[".", ","] = "."
    thousands: Literal["", ".", ",", " ", "\u00a0", "\u202f", "'"] = ""
    negatives: list[Negatives] = field(default_factory=lambda: ["minus"])
    fields: dict[str, str] = field(default_factory=dict)
    set: dict[str, str] = field(default_factory=dict)
    values: dict[str, dict[str, str]] = field(default_factory=dict)

    @property
    def file_patterns(self) -> list[str]:
        """The file names or patterns, one or more, relative to the book."""
        return [self.files] if isinstance(self.files, str) else self.files

    @property
    def date_patterns(self) -> list[str]:
        """The date patterns, one or more."""
        return [self.dates] if isinstance(self.dates, str) else self.dates


@dataclass(frozen=True, slots=True, kw_only=True)
class BookSettings:
    """All that `almanac.toml` says."""

    __pydantic_config__ = STRICT
    book: BookHead
    entities: dict[str, Entity]
    calendar: CalendarSettings
    entry_classes: EntryClassRules = field(default_factory=EntryClassRules)
    tables: dict[str, TableSettings] = field(default_factory=dict)
    intake: list[IntakeBlock] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class BookFile:
    """A book's folder with its settings, and the settings as read, from which the store's fingerprints are made."""

    root: Path
    settings: BookSettings
    plain: Mapping[str, Any]
