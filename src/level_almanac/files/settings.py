"""What `almanac.toml` says, as frozen values. Their types are what the file is checked against."""

from collections.abc import Mapping
from dataclasses import field
from pathlib import Path
from typing import Any, Literal

from level_almanac.immutable import immutable

STRICT = {"extra": "forbid", "strict": True}
"""An unknown key is a mistake, and so is `2` where a text is asked for."""

FieldKind = Literal["text", "amount", "quantity", "price", "date"]
Periods = Literal["months", "4-4-5", "4-5-4", "5-4-4", "13x4", "file"]
Weekday = Literal["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"]
END_OF_PERIOD = "end of period"
"""What `posted` is set to where lines tell a period and no date."""
Percent = int | float | str
"""A percentage; a number with a point is kept as it was written, never computed with as a binary float."""
NegativeStyle = Literal["minus", "parens", "red"]
ZeroStyle = Literal["zero", "dash", "blank"]
Negatives = Literal["minus", "trailing-minus", "parentheses", "crdr"]
Format = Literal["csv", "fixed", "xlsx", "xls", "xlsb", "ods", "json", "jsonl", "xml", "parquet", "sql"]
Encoding = Literal["utf-8", "utf-16", "latin-1", "latin-2", "windows-1250", "windows-1252", "cp850", "cp852"]
NumberWay = Literal["spaces", "dash-zero", "extra-zeros", "noise", "percent"]


@immutable(kw_only=True)
class BookHead:
    """The `[book]` section: what the book is called and whose days it counts in."""

    __pydantic_config__ = STRICT
    name: str
    time_zone: str = "UTC"


@immutable(kw_only=True)
class Entity:
    """One `[entities.CODE]` section: a company with books of its own, in one currency.

    calendar: the name of its `[calendars.NAME]`, or empty for `[calendar]`.
    """

    __pydantic_config__ = STRICT
    name: str
    currency: str
    retained_earnings: str = ""
    calendar: str = ""


@immutable(kw_only=True)
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


@immutable(kw_only=True)
class EntryClassRules:
    """The `[entry_classes]` section: the condition that makes a ledger line carried, closing or adjusting."""

    __pydantic_config__ = STRICT
    carried: str = ""
    closing: str = ""
    adjusting: str = ""


@immutable(kw_only=True)
class TableSettings:
    """One `[tables.NAME]` section: a table of the book's own, or what it adds to a built-in one.

    fields: each with its kind; key: the names of the fields that tell one line from every other, for a table of the
    book's own; date: the date that counts, where it has several; links: fields whose values are keys of another table,
    beside those that are named like one; number_like: text fields that are compared and sorted as numbers; plan_of: the
    table whose lines it plans, which gives it its key; compute: fields computed from others, such as a margin, by
    name; weights: by price, the field that its average is weighted by, where the table has several quantities; labels:
    what stands over a field's figures in place of its name.
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
    labels: dict[str, str] = field(default_factory=dict)


@immutable(kw_only=True)
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


@immutable(kw_only=True)
class BillingSettings:
    """The `[billing]` section. charges_by, payments_by: the dates that count unless a report says otherwise;
    most_days: the longest range that `almanac billing` takes, or 0 for any.
    """

    __pydantic_config__ = STRICT
    charges_by: Literal["served", "posted"] = "posted"
    payments_by: Literal["posted", "checked", "deposited"] = "posted"
    most_days: int = 0


@immutable(kw_only=True)
class PartiesSettings:
    """The `[parties]` section. same_as: the codes of parties that are one with another, to the code that stands."""

    __pydantic_config__ = STRICT
    same_as: dict[str, str] = field(default_factory=dict)


@immutable(kw_only=True)
class AgingSettings:
    """The `[aging]` section. buckets: the last day late of each bucket but the first and the last, rising."""

    __pydantic_config__ = STRICT
    buckets: list[int] = field(default_factory=lambda: [30, 60, 90])


@immutable(kw_only=True)
class NumberingSettings:
    """One `[[numbering]]` block: numbers that run without a gap. only: the condition of the lines that have them."""

    __pydantic_config__ = STRICT
    table: str
    field: str
    only: str = ""


@immutable(kw_only=True)
class AgreeSide:
    """One side of an agreement: the sum of an expression over the lines of a table that meet a condition.

    by: the field whose values the two sides are held together by, or empty for one sum.
    """

    __pydantic_config__ = STRICT
    table: str
    sum: str = "amount"
    only: str = ""
    by: str = ""


@immutable(kw_only=True)
class AgreeSettings:
    """One `[[agree]]` block: two sums that must be equal, key by key, but for the tolerance."""

    __pydantic_config__ = STRICT
    name: str
    left: AgreeSide
    right: AgreeSide
    tolerance: str = "0"


@immutable(kw_only=True)
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


@immutable(kw_only=True)
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


Orientation = Literal["auto", "portrait", "landscape"]


@immutable(kw_only=True)
class PageSettings:
    """The `[page]` section: what stands around a printed report, and the paper it is for.

    logo: an image file of the book; orientation: `auto` turns the page where columns need it; margins: in millimetres;
    period_line: a line beneath the title, in which `{entity}`, `{days}` and `{as-of}` stand for the report's own;
    font_size: in points, of figures where all fit.
    """

    __pydantic_config__ = STRICT
    title: str = ""
    subtitle: str = ""
    header: str = ""
    footer: str = ""
    logo: str = ""
    paper: Literal["a4", "a3", "letter", "legal"] = "a4"
    orientation: Orientation = "auto"
    margins: int = 15
    period_line: str = ""
    font_size: int = 9


@immutable(kw_only=True)
class FieldSource:
    """Where a field comes from, where more is to be said than a head: one `fields.NAME = { … }` of an intake block.

    head: the head, or several of which a file has one; join: heads whose texts are put together, with `between` between
    them; either: heads of which the first that is not blank counts; after, before: the text behind, or ahead of, the
    first of these signs; rows: the condition of the rows that tell it; down: whether it holds for the rows below until
    one tells another, or meets `until`; optional: whether a file may lack it; zeros: `strip` for zeros ahead; width: to
    how many letters zeros fill it.
    """

    __pydantic_config__ = STRICT
    head: str | list[str] = ""
    join: list[str] = field(default_factory=list)
    between: str = "-"
    either: list[str] = field(default_factory=list)
    after: str = ""
    before: str = ""
    rows: str = ""
    down: bool = False
    until: str = ""
    optional: bool = False
    zeros: Literal["keep", "strip"] = "keep"
    width: int = 0

    @property
    def heads(self) -> list[str]:
        """The head, or those of which a file has one."""
        return [self.head] if isinstance(self.head, str) else self.head

    @property
    def is_plain(self) -> bool:
        """Whether it is the text of one column as it stands."""
        return not (self.join or self.either or self.after or self.before or self.rows or self.down or self.width) and (
            self.zeros == "keep"
        )


@immutable(kw_only=True)
class TotalRows:
    """One of an intake block's `totals`: rows that are totals, and which lines each of them totals.

    rows: their condition; of: all lines, or those above since the last such row; by: the head whose text a total has in
    common with its lines, where it does; after: what stands ahead of that text in a total's row; columns: the heads of
    the numbers that are held against the lines, or none for those that amounts are taken from.
    """

    __pydantic_config__ = STRICT
    rows: str
    of: Literal["all", "above"] = "all"
    by: str = ""
    after: str = ""
    columns: list[str] = field(default_factory=list)


@immutable(kw_only=True)
class Across:
    """An intake block's `across`: columns of which each cell is a line.

    heads: their heads one by one, `A through B`, or a pattern of periods or days that they meet; total: the head of the
    column that totals each row, if there is one.
    """

    __pydantic_config__ = STRICT
    heads: str | list[str]
    total: str = ""


@immutable(kw_only=True)
class Sides:
    """An intake block's `sides`: the words that make an amount a debit or a credit, in a column of their own or, where
    no `head` is told, at the amount itself. Without words for debits, what has none is a debit.
    """

    __pydantic_config__ = STRICT
    head: str = ""
    debit: list[str] = field(default_factory=list)
    credit: list[str] = field(default_factory=list)


@immutable(kw_only=True)
class Parents:
    """An intake block's `parents`, for a chart: the head of each account's level, or how long the codes of each level
    are.
    """

    __pydantic_config__ = STRICT
    level: str = ""
    lengths: list[int] = field(default_factory=list)


@immutable(kw_only=True)
class ChartSettings:
    """The `[chart]` section. classes: by class, the condition of the accounts that no export gives one; control: by
    side, the control accounts; order: whether reports show accounts by code, or as the chart's export has them.
    """

    __pydantic_config__ = STRICT
    classes: dict[str, str] = field(default_factory=dict)
    control: dict[str, list[str]] = field(default_factory=dict)
    order: Literal["code", "export"] = "code"


@immutable(kw_only=True)
class IntakeBlock:
    """One `[[intake]]` block: which files feed which table, and how they are to be read.

    fields: our field name to the export's head; set: fields with one value for all lines; values: per field, the
    export's word to ours; dates, period: patterns such as `DD.MM.YYYY` and `YYYY-PP`; only: the condition of the lines
    that this block takes, on the export's own heads; pass_over, totals: of the rows that are no lines; shares_records:
    whether other blocks may take the same records; repeated: whether one line may stand several times in a file;
    later, later_by: whether a later export's line stands in for an earlier one's, and what makes one later; name: what
    messages call the block, or the database.

    sheet: of a workbook, one or several, `*` for all; head_row, head_rows: where the heads stand, 0 for none, and over
    how many rows; uneven_rows: whether rows may lack their last blanks, or have more of them; quotes: how a quote
    within quotes is written; columns: of fixed-width text, by name, such as `1-6`; path: to the records of a JSON or
    XML file; member, unpacked_mb: which file of an archive, `*` for all, and the most it may unpack to; url, query: of
    a database, `${NAME}` in the url standing for a secret of the environment.

    across: columns of which each cell is a line; split: fields with several values in a cell, and the sign between
    them; sides, signs, turned_kinds: what makes an amount negative; currency_signs, numbers: what may stand about a
    number; year, day: of days and periods that do not tell them; parents: of a chart.
    """

    __pydantic_config__ = STRICT
    table: str
    files: str | list[str] = field(default_factory=list)
    format: Format = "csv"
    only: str = ""
    pass_over: str | list[str] = field(default_factory=list)
    totals: list[TotalRows] = field(default_factory=list)
    shares_records: bool = False
    repeated: bool = False
    later: Literal["", "wins"] = ""
    later_by: str = "file name"
    sheet: str | list[str] = ""
    head_row: int = 1
    head_rows: int = 1
    uneven_rows: bool = False
    quotes: Literal["doubled", "backslash"] = "doubled"
    columns: dict[str, str] = field(default_factory=dict)
    path: str = ""
    across: Across | None = None
    split: dict[str, str] = field(default_factory=dict)
    sides: Sides | None = None
    signs: Literal["", "ledger", "natural", "turned"] = ""
    turned_kinds: list[str] = field(default_factory=list)
    currency_signs: list[str] = field(default_factory=list)
    numbers: list[NumberWay] = field(default_factory=list)
    year: int | str = ""
    day: Literal["", "first", "last"] = ""
    parents: Parents | None = None
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
    fields: dict[str, str | list[str] | FieldSource] = field(default_factory=dict)
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

    @property
    def passed_over(self) -> list[str]:
        """The conditions of rows that are no lines, none or more, those of totals aside."""
        return [self.pass_over] if isinstance(self.pass_over, str) else self.pass_over

    @property
    def field_sources(self) -> dict[str, FieldSource]:
        """Where each field comes from, all told in one way."""
        return {
            name: told if isinstance(told, FieldSource) else FieldSource(head=told)
            for name, told in self.fields.items()
        }

    @property
    def at_end_of_period(self) -> bool:
        """Whether lines without a date are posted on the last day of their period."""
        return self.set.get("posted") == END_OF_PERIOD


@immutable(kw_only=True)
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
    chart: ChartSettings = field(default_factory=ChartSettings)
    intake: list[IntakeBlock] = field(default_factory=list)


@immutable
class BookFile:
    """A book's folder with its settings, and the settings as read, from which the store's fingerprints are made."""

    root: Path
    settings: BookSettings
    plain: Mapping[str, Any]
