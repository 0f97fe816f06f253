"""What `almanac.toml` says, as frozen values. Their types are what the file is checked against."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

STRICT = {"extra": "forbid", "strict": True}
"""An unknown key is a mistake, and so is `2` where a text is asked for."""

FieldKind = Literal["text", "amount", "quantity", "price", "date"]
Periods = Literal["months", "4-4-5", "4-5-4", "5-4-4", "13x4", "file"]
Weekday = Literal["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"]
Percent = int | float | str
"""A percentage; a number with a point is kept as it was written, never computed with as a binary float."""
NegativeStyle = Literal["minus", "parens", "red"]
ZeroStyle = Literal["zero", "dash", "blank"]
Negatives = Literal["minus", "trailing-minus", "parentheses", "crdr"]
Format = Literal["csv", "xlsx", "jsonl", "parquet", "sql"]
Encoding = Literal["utf-8", "latin-1", "windows-1252"]


@dataclass(frozen=True, slots=True, kw_only=True)
class BookHead:
    """The `[book]` section: what the book is called and whose days it counts in."""

    __pydantic_config__ = STRICT
    name: str
    time_zone: str = "UTC"


@dataclass(frozen=True, slots=True, kw_only=True)
class Entity:
    """One `[entities.CODE]` section: a company with books of its own, in one currency.

    calendar: the name of its `[calendars.NAME]`, or empty for `[calendar]`.
    """

    __pydantic_config__ = STRICT
    name: str
    currency: str
    retained_earnings: str
    calendar: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class CalendarSettings:
    """The `[calendar]` section, or one `[calendars.NAME]`.

    year_start: for months, the month and day a fiscal year begins on, as `MM-DD`; year_ends: for weeks, the rule of a
    year's last day, such as `last saturday of january`; file: for periods told one by one; holidays: the days, as
    `YYYY-MM-DD`, that are no working days.
    """

    __pydantic_config__ = STRICT
    year_start: str = ""
    year_ends: str = ""
    file: str = ""
    year_named_by: Literal["start", "end"] = "end"
    periods: Periods = "months"
    extra_periods: int = 0
    week_starts: Weekday | Literal[""] = ""
    holidays: list[str] = field(default_factory=list)
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
    """One `[tables.NAME]` section: a table of the book's own, or what it adds to a built-in one.

    fields: each with its kind; key: the names of the fields that tell one line from every other, for a table of the
    book's own; date: the date that counts, where it has several; links: fields whose values are keys of another table,
    beside those that are named like one; number_like: text fields that are compared and sorted as numbers; plan_of: the
    table whose lines it plans, which gives it its key; compute: fields computed from others, such as a margin, by
    name; weights: by price, the field that its average is weighted by, where the table has several quantities.
    """

    __pydantic_config__ = STRICT
    fields: dict[str, FieldKind] = field(default_factory=dict)
    key: list[str] = field(default_factory=list)
    date: str = ""
    links: dict[str, str] = field(default_factory=dict)
    number_like: list[str] = field(default_factory=list)
    plan_of: str = ""
    compute: dict[str, str] = field(default_factory=dict)
    weights: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanSettings:
    """One `[plans.SCENARIO]` section: how the amounts of a plan are shared out.

    part_period: over the days of a period, `even`, `working`, `whole` or the name of a profile; year_split: the percent
    of each period in what is planned for a year, or empty for equal parts; totals: amounts by name, for lines that are
    planned as a share of one.
    """

    __pydantic_config__ = STRICT
    part_period: str = "even"
    year_split: list[Percent] = field(default_factory=list)
    totals: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class BillingSettings:
    """The `[billing]` section. charges_by, payments_by: the dates that count unless a report says otherwise;
    most_days: the longest range that `almanac billing` takes, or 0 for any.
    """

    __pydantic_config__ = STRICT
    charges_by: Literal["served", "posted"] = "posted"
    payments_by: Literal["posted", "checked", "deposited"] = "posted"
    most_days: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class PartiesSettings:
    """The `[parties]` section. same_as: the codes of parties that are one with another, to the code that stands."""

    __pydantic_config__ = STRICT
    same_as: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class AgingSettings:
    """The `[aging]` section. buckets: the last day late of each bucket but the first and the last, rising."""

    __pydantic_config__ = STRICT
    buckets: list[int] = field(default_factory=lambda: [30, 60, 90])


@dataclass(frozen=True, slots=True, kw_only=True)
class NumberingSettings:
    """One `[[numbering]]` block: numbers that run without a gap. only: the condition of the lines that have them."""

    __pydantic_config__ = STRICT
    table: str
    field: str
    only: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class AgreeSide:
    """One side of an agreement: the sum of an expression over the lines of a table that meet a condition.

    by: the field whose values the two sides are held together by, or empty for one sum.
    """

    __pydantic_config__ = STRICT
    table: str
    sum: str = "amount"
    only: str = ""
    by: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class AgreeSettings:
    """One `[[agree]]` block: two sums that must be equal, key by key, but for the tolerance."""

    __pydantic_config__ = STRICT
    name: str
    left: AgreeSide
    right: AgreeSide
    tolerance: str = "0"


@dataclass(frozen=True, slots=True, kw_only=True)
class ProfileSettings:
    """One `[profiles.NAME]` section: how much a day of the week weighs beside the others."""

    __pydantic_config__ = STRICT
    monday: int = 1
    tuesday: int = 1
    wednesday: int = 1
    thursday: int = 1
    friday: int = 1
    saturday: int = 1
    sunday: int = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class StyleSettings:
    """One `[styles.NAME]` section: how numbers and days are shown. decimals: as many as the currency has where unset.

    negatives: with a minus, in parentheses, or with a minus and in red; mark: where the currency's code stands.
    """

    __pydantic_config__ = STRICT
    negatives: NegativeStyle = "minus"
    units: Literal[1, 1000, 1000000] = 1
    decimals: int | None = None
    zeros: ZeroStyle = "zero"
    mark: Literal["none", "before", "after"] = "none"
    numbers: Literal["1,234.56", "1.234,56", "1 234,56", "1'234.56"] = "1,234.56"
    dates: Literal["D Mon YYYY", "YYYY-MM-DD", "DD.MM.YYYY", "DD/MM/YYYY", "MM/DD/YYYY"] = "D Mon YYYY"


@dataclass(frozen=True, slots=True, kw_only=True)
class PageSettings:
    """The `[page]` section: what stands around a printed report, and the paper it is for.

    logo: an image file of the book; orientation: `auto` turns the page where columns need it; margins: in millimetres.
    """

    __pydantic_config__ = STRICT
    title: str = ""
    subtitle: str = ""
    header: str = ""
    footer: str = ""
    logo: str = ""
    paper: Literal["a4", "a3", "letter", "legal"] = "a4"
    orientation: Literal["auto", "portrait", "landscape"] = "auto"
    margins: int = 15


@dataclass(frozen=True, slots=True, kw_only=True)
class IntakeBlock:
    """One `[[intake]]` block: which files feed which table, and how they are to be read.

    fields: our field name to the export's head; set: fields with one value for all lines; values: per field, the
    export's word to ours; dates, period: patterns such as `DD.MM.YYYY` and `YYYY-PP`; only: the condition of the lines
    that this block takes, on the export's own heads; sheet, head_row: of a workbook; member, unpacked_mb: which file of
    an archive, and the most it may unpack to; name, url, query: of a database, `${NAME}` in the url standing for a
    secret of the environment.
    """

    __pydantic_config__ = STRICT
    table: str
    files: str | list[str] = field(default_factory=list)
    format: Format = "csv"
    only: str = ""
    sheet: str = ""
    head_row: int = 1
    member: str = ""
    unpacked_mb: int = 2048
    name: str = ""
    url: str = ""
    query: str = ""
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
    calendars: dict[str, CalendarSettings] = field(default_factory=dict)
    entry_classes: EntryClassRules = field(default_factory=EntryClassRules)
    tables: dict[str, TableSettings] = field(default_factory=dict)
    plans: dict[str, PlanSettings] = field(default_factory=dict)
    profiles: dict[str, ProfileSettings] = field(default_factory=dict)
    styles: dict[str, StyleSettings] = field(default_factory=dict)
    page: PageSettings = field(default_factory=PageSettings)
    parties: PartiesSettings = field(default_factory=PartiesSettings)
    aging: AgingSettings = field(default_factory=AgingSettings)
    billing: BillingSettings = field(default_factory=BillingSettings)
    numbering: list[NumberingSettings] = field(default_factory=list)
    agree: list[AgreeSettings] = field(default_factory=list)
    intake: list[IntakeBlock] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class BookFile:
    """A book's folder with its settings, and the settings as read, from which the store's fingerprints are made."""

    root: Path
    settings: BookSettings
    plain: Mapping[str, Any]
