"""The methods of a book, one for each report. Made by `write_methods` from the registry."""

from collections.abc import Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Any, Literal

from level_almanac.api.report import Report


class ReportMethods:
    """The reports of a book, with the options that they have on the command line; what is None is not asked for."""

    def _made(self, name: str, given: Mapping[str, Any]) -> Report:
        raise NotImplementedError(name)

    def aging(
        self,
        side: Literal["payable", "receivable"],
        *,
        age_by: Literal["due", "date"] | None = None,
        buckets: Sequence[int] | None = None,
        by: str | None = None,
        show: str | None = None,
        sort: str | None = None,
        top: int | None = None,
        as_of: date | str | None = None,
        period: str | None = None,
        quarter: str | None = None,
        year: str | None = None,
        adjustments: Literal["with", "without"] | None = None,
        only: str | Sequence[str] | None = None,
        except_: str | Sequence[str] | None = None,
        entity: str | Sequence[str] | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """Open amounts of suppliers or customers by age, on any day.

        What was applied after the day does not count. Payments and credits that settle
        nothing yet stand in a column of their own, inside each total.

        age_by: Count days from the due date, or from the document's.
        buckets: The last day late of each bucket, as 30,60,90.
        by: What the rows are of.
        show: Columns, between commas: its own, or fields.
        sort: In order of this, largest first.
        top: The first so many, and all other as one row.
        as_of: As of this day.  [default: where the data ends]
        period: As of a period's end, or of where the data ends, such as 2026-P08.
        quarter: As of a quarter's end, or of where the data ends, such as 2026-Q2.
        year: As of a fiscal year's end, or of where the data ends, such as 2025.
        adjustments: Whether extra periods count at a year's end.
        only: Only lines that meet this; repeatable.
        except_: No lines that meet this; repeatable.
        entity: Only this entity; repeatable.  [default: all]
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("aging", locals())

    def billing(
        self,
        *,
        charges_by: Literal["served", "posted"] | None = None,
        payments_by: Literal["posted", "checked", "deposited"] | None = None,
        payer_payments_by: Literal["posted", "checked", "deposited"] | None = None,
        customer_payments_by: Literal["posted", "checked", "deposited"] | None = None,
        by: str | None = None,
        lines: bool | None = None,
        show: str | None = None,
        day: date | str | None = None,
        unposted: bool | None = None,
        in_transit: bool | None = None,
        as_of: date | str | None = None,
        period: str | None = None,
        quarter: str | None = None,
        year: str | None = None,
        adjustments: Literal["with", "without"] | None = None,
        from_: date | str | None = None,
        through: date | str | None = None,
        before: date | str | None = None,
        only: str | Sequence[str] | None = None,
        except_: str | Sequence[str] | None = None,
        entity: str | Sequence[str] | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """Charges, payments and adjustments, by the date that matters.

        Covers the period to date, or the days asked for. Charges go by the day
        they were served or posted, payments by the day they were posted, the
        date of the cheque, or the day they were banked.

        charges_by: The date charges go by.
        payments_by: The date payments go by.
        payer_payments_by: The date payers' payments go by, where another than customers'.
        customer_payments_by: The date customers' payments go by, where another than payers'.
        by: Group by these: office, desk, payer, reason, …
        lines: Each entry behind the figures.
        show: Columns, between commas: its own, or fields.
        day: One document of this day: its figures, then each entry.
        unposted: Charges served by the last day and not posted by then.
        in_transit: Entries that count in these days by one date only.
        as_of: As of this day.  [default: where the data ends]
        period: This period, as far as the data goes, such as 2026-P08.
        quarter: This quarter, as far as the data goes, such as 2026-Q2.
        year: This fiscal year, as far as the data goes, such as 2025.
        adjustments: Whether extra periods count at a year's end.
        from_: From this day, with --through or --before.
        through: Through this day, it included.
        before: Up to this day, it left out.
        only: Only lines that meet this; repeatable.
        except_: No lines that meet this; repeatable.
        entity: Only this entity; repeatable.  [default: all]
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("billing", locals())

    def calendar(
        self,
        *,
        year: str | None = None,
        entity: str | Sequence[str] | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """Fiscal years, quarters and periods, and what data covers them.


        year: Only this fiscal year.  [default: all that hold data]
        entity: Only this entity; repeatable.  [default: all]
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("calendar", locals())

    def check(
        self,
        checks: str | Sequence[str] | None = None,
        *,
        only_new: bool | None = None,
        findings: int | None = None,
        lines: int | None = None,
        accept: str | Sequence[str] | None = None,
        as_of: date | str | None = None,
        period: str | None = None,
        quarter: str | None = None,
        year: str | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """What does not add up, in the ledger and in documents.

        Each finding has its lines, the amount, and what to do. Ends with 1
        where an error is shown. CHECK is one or more of: unbalanced, closed,
        outside, carried, gaps, unknown-party, spelt-twice, alike, over-applied,
        loose, early, control, agree, store.

        only_new: Only what the last run did not find.
        findings: At most so many findings of each check, errors first.
        lines: At most so many lines of each finding.
        accept: Take what changed in this closed period or journal as right; repeatable.
        as_of: Look at documents as of this day.  [default: where the data ends]
        period: As of a period's end, or of where the data ends, such as 2026-P08.
        quarter: As of a quarter's end, or of where the data ends, such as 2026-Q2.
        year: As of a fiscal year's end, or of where the data ends, such as 2025.
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("check", locals())

    def detail(
        self,
        accounts: str | Sequence[str],
        *,
        show: str | None = None,
        subtotals: bool | None = None,
        carried: bool | None = None,
        after_closing: bool | None = None,
        date: Literal["counted", "posted"] | None = None,
        as_of: date | str | None = None,
        period: str | None = None,
        quarter: str | None = None,
        year: str | None = None,
        adjustments: Literal["with", "without"] | None = None,
        from_: date | str | None = None,
        through: date | str | None = None,
        before: date | str | None = None,
        only: str | Sequence[str] | None = None,
        except_: str | Sequence[str] | None = None,
        entity: str | Sequence[str] | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """Account detail: opening, each line, running balance, closing.

        ACCOUNT is a code, with all accounts below it; a class; a range such as
        "6100 through 6199"; or a condition on the chart. With a period, quarter or
        year it covers that; with a day, or nothing, the fiscal year to date.

        show: Fields of the lines.  [default: document, party, memo]
        subtotals: A row for what each period moved.
        carried: The carried lines of the year too, apart.
        after_closing: With the closing lines of the year shown.
        date: Lines in the period they are booked in, or by posting date alone.
        as_of: As of this day.  [default: where the data ends]
        period: This period, as far as the data goes, such as 2026-P08.
        quarter: This quarter, as far as the data goes, such as 2026-Q2.
        year: This fiscal year, as far as the data goes, such as 2025.
        adjustments: Whether extra periods count at a year's end.
        from_: From this day, with --through or --before.
        through: Through this day, it included.
        before: Up to this day, it left out.
        only: Only lines that meet this; repeatable.
        except_: No lines that meet this; repeatable.
        entity: Only this entity; repeatable.  [default: all]
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("detail", locals())

    def documents(
        self,
        side: Literal["payable", "receivable"],
        *,
        open: bool | None = None,
        overdue: bool | None = None,
        unapplied: bool | None = None,
        show: str | None = None,
        settled: bool | None = None,
        by: str | None = None,
        sort: str | None = None,
        top: int | None = None,
        on: str | None = None,
        over: Decimal | int | str | None = None,
        at_least: Decimal | int | str | None = None,
        under: Decimal | int | str | None = None,
        at_most: Decimal | int | str | None = None,
        between: tuple[Decimal | int | str, Decimal | int | str] | None = None,
        limit: str | Sequence[str] | None = None,
        as_of: date | str | None = None,
        period: str | None = None,
        quarter: str | None = None,
        year: str | None = None,
        adjustments: Literal["with", "without"] | None = None,
        only: str | Sequence[str] | None = None,
        except_: str | Sequence[str] | None = None,
        entity: str | Sequence[str] | None = None,
        from_: date | str | None = None,
        through: date | str | None = None,
        before: date | str | None = None,
        date: str | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """Invoices and credits: all, open, overdue, unapplied.

        A period, quarter or year takes the documents posted in it, as of its
        end, and --from with --through those of a range. With --as-of alone all
        documents count.

        open: Only what is open on the day.
        overdue: Only invoices that are open past their due date.
        unapplied: Only payments and credits that settle nothing yet.
        show: Columns, between commas: its own, or fields.
        settled: What settled each, beneath it.
        by: In groups with totals, such as `party`.
        sort: In order of this; amounts largest first.
        top: Only the first so many.
        on: What the limits are on.  [default: open, or amount of all]
        over: Only documents that are more.
        at_least: Only documents that are this or more.
        under: Only documents that are less.
        at_most: Only documents that are this or less.
        between: Only documents from the one through the other.
        limit: One limit on one column, such as `amount over 7500`; repeatable.
        as_of: As of this day.  [default: where the data ends]
        period: This period, as far as the data goes, such as 2026-P08.
        quarter: This quarter, as far as the data goes, such as 2026-Q2.
        year: This fiscal year, as far as the data goes, such as 2025.
        adjustments: Whether extra periods count at a year's end.
        only: Only lines that meet this; repeatable.
        except_: No lines that meet this; repeatable.
        entity: Only this entity; repeatable.  [default: all]
        from_: From this day, with --through or --before.
        through: Through this day, it included.
        before: Up to this day, it left out.
        date: The date that days are told by.  [default: posted]
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("documents", locals())

    def fields(
        self,
        table: str | None = None,
        word: str | None = None,
        *,
        values: str | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """What can be asked for: tables, their fields, and a few values.

        Without TABLE, the tables of the book. With WORD, or with one word that is
        no table, the fields that have it in their name. With --values, each value
        that a field has, or those that WORD is a part of.

        values: Each value of this field, with its lines.
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("fields", locals())

    def growth(
        self,
        table: str,
        *,
        each: str | None = None,
        last: str | None = None,
        per: str | None = None,
        less: str | None = None,
        side_by_side: bool | None = None,
        by: str | None = None,
        of: str | None = None,
        compute: str | Sequence[str] | None = None,
        date: str | None = None,
        as_of: date | str | None = None,
        period: str | None = None,
        quarter: str | None = None,
        year: str | None = None,
        adjustments: Literal["with", "without"] | None = None,
        compare: Literal["same-days", "whole", "weekday"] | None = None,
        after_closing: bool | None = None,
        only: str | Sequence[str] | None = None,
        except_: str | Sequence[str] | None = None,
        entity: str | Sequence[str] | None = None,
        from_: date | str | None = None,
        through: date | str | None = None,
        before: date | str | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """Any measures by year, quarter, period, week or day, with change.

        Each row stands beside the span before it and beside last year's. A span
        that is not finished is marked, and compared with the same days.

        each: Units of the calendar: year, quarter, period, month, week, day.
        last: So many of each unit, the latest ones, or `all` that there are.
        per: Divide by a measure of another table: `spend = natural of ledger if account.class is expense`.
        less: Take a measure of another table off: `booked = natural of ledger if account begins 401`.
        side_by_side: Spans as rows, measures and members beside one another.
        by: Tell it of each member of this field, and of all.
        of: What is summed: `amount, quantity, margin %`.  [default: the table's amount; of documents and billing the net one; of the ledger the result, or the amount where conditions leave one kind of accounts]
        compute: A measure: `margin = (amount - cost) / amount`.
        date: Go by this date, not the one that counts.
        as_of: As of this day.  [default: where the data ends]
        period: This period, as far as the data goes, such as 2026-P08.
        quarter: This quarter, as far as the data goes, such as 2026-Q2.
        year: This fiscal year, as far as the data goes, such as 2025.
        adjustments: Whether extra periods count at a year's end.
        compare: Cut the span compared with an unfinished one at the same day, or leave it whole.
        after_closing: Of the ledger: with closing lines, which are else left out.
        only: Only lines that meet this; repeatable.
        except_: No lines that meet this; repeatable.
        entity: Only this entity; repeatable.  [default: all]
        from_: From this day, with --through or --before.
        through: Through this day, it included.
        before: Up to this day, it left out.
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("growth", locals())

    def list(
        self,
        table: str | None = None,
        *,
        show: str | None = None,
        by: str | None = None,
        flat: bool | None = None,
        lines: bool | None = None,
        sort: str | None = None,
        compute: str | Sequence[str] | None = None,
        columns: str | Sequence[str] | None = None,
        top: int | None = None,
        bottom: int | None = None,
        yes: str | Sequence[str] | None = None,
        first: int | None = None,
        on: str | None = None,
        over: Decimal | int | str | None = None,
        at_least: Decimal | int | str | None = None,
        under: Decimal | int | str | None = None,
        at_most: Decimal | int | str | None = None,
        between: tuple[Decimal | int | str, Decimal | int | str] | None = None,
        limit: str | Sequence[str] | None = None,
        each: bool | None = None,
        carried: bool | None = None,
        after_closing: bool | None = None,
        as_of: date | str | None = None,
        period: str | None = None,
        quarter: str | None = None,
        year: str | None = None,
        adjustments: Literal["with", "without"] | None = None,
        compare: Literal["same-days", "whole", "weekday"] | None = None,
        from_: date | str | None = None,
        through: date | str | None = None,
        before: date | str | None = None,
        date: str | None = None,
        only: str | Sequence[str] | None = None,
        except_: str | Sequence[str] | None = None,
        entity: str | Sequence[str] | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """Lines of a table: any fields, conditions, groups and totals.

        TABLE is `ledger`, `accounts`, `budget`, or one that the book declares.
        `almanac fields TABLE` tells what can be asked for.

        show: Columns, between commas: fields, sums, counts.
        by: In groups with totals: fields, or parts such as `quarter of posted`.
        flat: One row a group, each field of --by in a column of its own.
        lines: With --by, each line of a group too.
        sort: In this order, each `descending` or not.
        compute: A field made of others; repeatable.
        columns: Each member in these columns: `now = ytd; quantity ytd; budget ytd; variance`.
        top: With --columns: the largest so many, and all other.
        bottom: With --columns: the smallest so many.
        yes: Show the columns marked `if NAME`; repeatable.
        first: Only the first so many.
        on: What the limits are on.  [default: the first amount]
        over: Only totals that are more.
        at_least: Only totals that are this or more.
        under: Only totals that are less.
        at_most: Only totals that are this or less.
        between: Only totals from the one through the other.
        limit: One limit on one column, such as `amount over 7500`; repeatable.
        each: The limits are on single lines, not on totals.
        carried: Carried lines too, which are else left out.
        after_closing: Of the ledger: with closing lines, which are else left out.
        as_of: As of this day.  [default: where the data ends]
        period: This period, as far as the data goes, such as 2026-P08.
        quarter: This quarter, as far as the data goes, such as 2026-Q2.
        year: This fiscal year, as far as the data goes, such as 2025.
        adjustments: Whether extra periods count at a year's end.
        compare: With --columns: cut a compared part span at the same day, or not.
        from_: From this day, with --through or --before.
        through: Through this day, it included.
        before: Up to this day, it left out.
        date: The date that days are told by.  [default: the one that counts]
        only: Only lines that meet this; repeatable.
        except_: No lines that meet this; repeatable.
        entity: Only this entity; repeatable.  [default: all]
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("list", locals())

    def pace(
        self,
        table: str,
        *,
        plan: str | None = None,
        span: Literal["year", "quarter", "period"] | None = None,
        limit: Decimal | int | str | None = None,
        income: bool | None = None,
        by_period: bool | None = None,
        by: str | None = None,
        of: str | None = None,
        compute: str | Sequence[str] | None = None,
        date: str | None = None,
        as_of: date | str | None = None,
        period: str | None = None,
        quarter: str | None = None,
        year: str | None = None,
        adjustments: Literal["with", "without"] | None = None,
        after_closing: bool | None = None,
        only: str | Sequence[str] | None = None,
        except_: str | Sequence[str] | None = None,
        entity: str | Sequence[str] | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """Spending against a budget, and where it will end.

        What was due by now is the finished periods' plan and a share of the part
        period's. What is spent, divided by that share, is where it will end.

        plan: Which plan.  [default: budget, or the only one]
        span: What the budget is for.  [default: the year, or what is named]
        limit: The whole budget, if not the sum of its members'.
        income: Of the ledger: income against its plan, not costs.
        by_period: Period by period: planned, due, spent, over.
        by: The field whose members have budgets.
        of: What is summed: `amount, quantity, margin %`.  [default: the table's amount; of documents and billing the net one; of the ledger the result, or the amount where conditions leave one kind of accounts]
        compute: A measure: `margin = (amount - cost) / amount`.
        date: Go by this date, not the one that counts.
        as_of: As of this day.  [default: where the data ends]
        period: As of a period's end, or of where the data ends, such as 2026-P08.
        quarter: As of a quarter's end, or of where the data ends, such as 2026-Q2.
        year: As of a fiscal year's end, or of where the data ends, such as 2025.
        adjustments: Whether extra periods count at a year's end.
        after_closing: Of the ledger: with closing lines, which are else left out.
        only: Only lines that meet this; repeatable.
        except_: No lines that meet this; repeatable.
        entity: Only this entity; repeatable.  [default: all]
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("pace", locals())

    def parties(
        self,
        side: Literal["payable", "receivable"],
        *,
        show: str | None = None,
        on: str | None = None,
        over: Decimal | int | str | None = None,
        at_least: Decimal | int | str | None = None,
        under: Decimal | int | str | None = None,
        at_most: Decimal | int | str | None = None,
        between: tuple[Decimal | int | str, Decimal | int | str] | None = None,
        limit: str | Sequence[str] | None = None,
        sort: str | None = None,
        top: int | None = None,
        lines: bool | None = None,
        everyone: bool | None = None,
        as_of: date | str | None = None,
        period: str | None = None,
        quarter: str | None = None,
        year: str | None = None,
        adjustments: Literal["with", "without"] | None = None,
        only: str | Sequence[str] | None = None,
        except_: str | Sequence[str] | None = None,
        entity: str | Sequence[str] | None = None,
        from_: date | str | None = None,
        through: date | str | None = None,
        before: date | str | None = None,
        date: str | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """Totals per supplier or customer, past thresholds or not.

        Covers the fiscal year to date, or the period, quarter, year or days
        asked for. Limits are on a party's total, after the conditions, never
        on its single documents.

        show: Columns, between commas: invoiced, credited, paid, written-off, open, overdue, …, or fields.
        on: What the limits are on.  [default: the first column]
        over: Only parties that are more.
        at_least: Only parties that are this or more.
        under: Only parties that are less.
        at_most: Only parties that are this or less.
        between: Only parties from the one through the other.
        limit: One limit on one column, such as `amount over 7500`; repeatable.
        sort: In order of this; amounts largest first.
        top: Only the first so many.
        lines: Each line of a party beneath it.
        everyone: Parties without a line in these days too, if any is open.
        as_of: As of this day.  [default: where the data ends]
        period: This period, as far as the data goes, such as 2026-P08.
        quarter: This quarter, as far as the data goes, such as 2026-Q2.
        year: This fiscal year, as far as the data goes, such as 2025.
        adjustments: Whether extra periods count at a year's end.
        only: Only lines that meet this; repeatable.
        except_: No lines that meet this; repeatable.
        entity: Only this entity; repeatable.  [default: all]
        from_: From this day, with --through or --before.
        through: Through this day, it included.
        before: Up to this day, it left out.
        date: Go by `date`, not `posted`.
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("parties", locals())

    def rank(
        self,
        table: str,
        *,
        within: str | None = None,
        span: str | None = None,
        top: int | None = None,
        bottom: int | None = None,
        rank_by: str | None = None,
        show: Literal["all", "members", "all-other"] | None = None,
        by: str | None = None,
        of: str | None = None,
        compute: str | Sequence[str] | None = None,
        date: str | None = None,
        as_of: date | str | None = None,
        period: str | None = None,
        quarter: str | None = None,
        year: str | None = None,
        adjustments: Literal["with", "without"] | None = None,
        compare: Literal["same-days", "whole", "weekday"] | None = None,
        after_closing: bool | None = None,
        only: str | Sequence[str] | None = None,
        except_: str | Sequence[str] | None = None,
        entity: str | Sequence[str] | None = None,
        from_: date | str | None = None,
        through: date | str | None = None,
        before: date | str | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """The largest members and all other, this year and last.

        One column decides which members are shown, and every other column keeps
        them. `All other` is what is left of the total in each column.

        within: Rank within each group of this field.
        span: Which days: `qtd`, `last 3 periods`.  [default: ytd]
        top: The largest so many.  [default: 10]
        bottom: The smallest so many.
        rank_by: The one column that decides the order of all.
        show: Members and all other, or one of the two.
        by: The field whose members are ranked.
        of: What is summed: `amount, quantity, margin %`.  [default: the table's amount; of documents and billing the net one; of the ledger the result, or the amount where conditions leave one kind of accounts]
        compute: A measure: `margin = (amount - cost) / amount`.
        date: Go by this date, not the one that counts.
        as_of: As of this day.  [default: where the data ends]
        period: This period, as far as the data goes, such as 2026-P08.
        quarter: This quarter, as far as the data goes, such as 2026-Q2.
        year: This fiscal year, as far as the data goes, such as 2025.
        adjustments: Whether extra periods count at a year's end.
        compare: Last year's part span cut at the same day, or left whole, or moved to the same weekdays.
        after_closing: Of the ledger: with closing lines, which are else left out.
        only: Only lines that meet this; repeatable.
        except_: No lines that meet this; repeatable.
        entity: Only this entity; repeatable.  [default: all]
        from_: From this day, with --through or --before.
        through: Through this day, it included.
        before: Up to this day, it left out.
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("rank", locals())

    def statement(
        self,
        layout: str | None = None,
        *,
        columns: str | Sequence[str] | None = None,
        level: int | None = None,
        fold: str | Sequence[str] | None = None,
        by: str | None = None,
        signs: Literal["natural", "stored"] | None = None,
        basis: Literal["booked", "cash"] | None = None,
        date: Literal["counted", "posted"] | None = None,
        as_of: date | str | None = None,
        period: str | None = None,
        quarter: str | None = None,
        year: str | None = None,
        adjustments: Literal["with", "without"] | None = None,
        compare: Literal["same-days", "whole", "weekday"] | None = None,
        only: str | Sequence[str] | None = None,
        except_: str | Sequence[str] | None = None,
        entity: str | Sequence[str] | None = None,
        with_lines: bool | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """Statement of a layout: any spans, plans and changes in columns.

        LAYOUT is `income`, `balance`, or a file of the book's folder `layouts`.
        Columns are spans (ptd, qtd, ytd, each period ...), alone or moved by
        `prior` or `last year`, of what was booked or of a plan; `change`,
        `variance`, `share of ROW`, and arithmetic on labels.

        columns: Columns, between semicolons.  [default: the layout's own]
        level: Roll accounts up to this level of the chart.
        fold: Show this row's branch as one line; repeatable.
        by: A block for each member of this field, and one of all.
        signs: Amounts in their class's natural sign, or debits positive.
        basis: Income and costs when they are booked, or when they are paid.
        date: Lines in the period they are booked in, or by posting date alone.
        as_of: As of this day.  [default: where the data ends]
        period: As of a period's end, or of where the data ends, such as 2026-P08.
        quarter: As of a quarter's end, or of where the data ends, such as 2026-Q2.
        year: As of a fiscal year's end, or of where the data ends, such as 2025.
        adjustments: Whether extra periods count at a year's end.
        compare: Last year's part span cut at the same day, or left whole, or moved to the same weekdays.
        only: Only lines that meet this; repeatable.
        except_: No lines that meet this; repeatable.
        entity: Only this entity; repeatable.  [default: all]
        with_lines: With the lines behind each figure: links in HTML, a sheet in a workbook.
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("statement", locals())

    def trial(
        self,
        *,
        after_closing: bool | None = None,
        level: int | None = None,
        date: Literal["counted", "posted"] | None = None,
        as_of: date | str | None = None,
        period: str | None = None,
        quarter: str | None = None,
        year: str | None = None,
        adjustments: Literal["with", "without"] | None = None,
        from_: date | str | None = None,
        through: date | str | None = None,
        before: date | str | None = None,
        only: str | Sequence[str] | None = None,
        except_: str | Sequence[str] | None = None,
        entity: str | Sequence[str] | None = None,
        with_lines: bool | None = None,
        style: str | None = None,
        negatives: Literal["minus", "parens", "red"] | None = None,
        units: Literal[1, 1000, 1000000] | None = None,
        decimals: int | None = None,
        zeros: Literal["zero", "dash", "blank"] | None = None,
        title: str | None = None,
        period_line: str | None = None,
        header: str | None = None,
        footer: str | None = None,
        logo: str | None = None,
        orientation: Literal["auto", "portrait", "landscape"] | None = None,
        font_size: int | None = None,
    ) -> Report:
        """Trial balance: opening, debit, credit, closing.

        With a period, quarter or year it covers that; with a day, or nothing,
        the fiscal year to date.

        after_closing: With the closing lines of the year shown.
        level: Roll accounts up to this level of the chart.
        date: Lines in the period they are booked in, or by posting date alone.
        as_of: As of this day.  [default: where the data ends]
        period: This period, as far as the data goes, such as 2026-P08.
        quarter: This quarter, as far as the data goes, such as 2026-Q2.
        year: This fiscal year, as far as the data goes, such as 2025.
        adjustments: Whether extra periods count at a year's end.
        from_: From this day, with --through or --before.
        through: Through this day, it included.
        before: Up to this day, it left out.
        only: Only lines that meet this; repeatable.
        except_: No lines that meet this; repeatable.
        entity: Only this entity; repeatable.  [default: all]
        with_lines: With the lines behind each figure: links in HTML, a sheet in a workbook.
        style: Show numbers in this style of the book.
        negatives: How negatives look.
        units: Show amounts in these units.
        decimals: Show so many decimals.
        zeros: How a zero looks.
        title: The report's title.
        period_line: A line beneath the title; {entity}, {days} and {as-of} are the report's.
        header: At the top of each printed page.
        footer: At the foot of each printed page.
        logo: An image of the book's folder.
        orientation: How printed pages are turned.
        font_size: Points of printed figures, where all fit.
        """
        return self._made("trial", locals())
