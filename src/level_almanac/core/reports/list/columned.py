"""A list in columns: one row a member, and in each column any measure in any span (docs/list.md, "In columns")."""

import re
from collections.abc import Iterator, Sequence
from decimal import Decimal
from functools import cached_property, partial
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.columns.pairs import unlike_notes
from level_almanac.core.columns.placed import PlacedColumn, last_years
from level_almanac.core.columns.ranking import apart_from_blank, goes_by_size, ranked
from level_almanac.core.columns.sums import Members
from level_almanac.core.columns.table_columns import GROUP, TOTAL, Group, TableColumns, measure_places
from level_almanac.core.header import reach_notes
from level_almanac.core.language.columns import ShareColumn
from level_almanac.core.language.parsing import pointed
from level_almanac.core.lines.edges import AskedDays
from level_almanac.core.lines.selected import ShownField
from level_almanac.core.lines.shape import Others
from level_almanac.core.measures.measure import Measure
from level_almanac.core.measures.table_measures import MeasuredRequest
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.list.chart import bars_of
from level_almanac.core.reports.list.flat import flattened
from level_almanac.core.reports.list.request import ListRequest
from level_almanac.core.requests.conditions import flat
from level_almanac.core.spans.compared import holiday_notes, rest_words
from level_almanac.core.spans.windows import Missing, Window, rest_of_cut, window_of_days
from level_almanac.core.table.change import OFFSET
from level_almanac.core.table.model import Cell, Check, Column, CountedAmount, Note, Part, Proof, ReportTable, Row
from level_almanac.core.table.model import heading as heading_row
from level_almanac.core.table.threshold import Threshold
from level_almanac.errors import Mistake, UsageMistake, how_many, listed, nearest
from level_almanac.store.line_query import groups

OTHER = "all-other"
_ZERO = Decimal(0)
_NUMBERS = ("amount", "number", "count", "percent")
_MOST_NAMED, _MOST_WINDOWS = 5, 6
_SORT = re.compile(r"\s*(.+?)(\s+(?:descending|largest))?\s*", re.IGNORECASE | re.DOTALL)


class Branch(NamedTuple):
    """A group and the groups within it. leaves: the smallest of them."""

    group: Group
    inner: tuple["Branch", ...]
    leaves: int

    @property
    def members(self) -> Members:
        """Its values of the first fields that rows are of."""
        return self.group.members


class Sort(NamedTuple):
    """What rows are put in order by: a column, or a field that they are of, by its place."""

    column: str
    field: int | None
    descending: bool


def columned(book: Book, request: ListRequest) -> MadeReport:
    """Return the list in columns. Raises UsageMistake for what the table, the calendar or the report lacks."""
    made = ColumnedList(book, request)
    return MadeReport(made.table(), made)


class ColumnedList:
    """One list in columns in the making."""

    def __init__(self, book: Book, request: ListRequest) -> None:
        self.book, self.request = book, request
        asked = MeasuredRequest(
            table=request.table,
            by=request.by,
            compute=request.compute,
            date=request.date,
            when=request.when,
            after_closing=request.after_closing,
            conditions=request.conditions,
            entities=request.entities,
        )
        self.made = TableColumns(book, asked, request.columns)
        self.measured = self.made.measured
        self.by: tuple[ShownField, ...] = self.measured.by
        self.all_groups = self.made.groups()
        self.heads = self.made.heads(self.all_groups)
        self.limits = [(limit, self._limited(limit)) for limit in request.thresholds]
        self.sorts = list(self._sorts())
        every = self.made.together(self.all_groups)
        self.kept = [group for group in self.all_groups if self._holds(group, every)]
        self.whole = self.made.together(self.kept)
        self.notes: list[Note | str] = []
        self._offset: dict[Members, dict[str, str]] = {}
        self.rows_behind: dict[str, tuple[Members, Others | None]] = {"total": ((), None)}

    # What is asked for.

    def _column(self, name: str, where: str, text: str, *, numbers: bool) -> Column | None:
        folded = name.strip('"').casefold()
        known = [head for head in self.heads if not numbers or head.kind in _NUMBERS]
        exact = [head for head in known if head.key.casefold() == folded]
        matching = exact or [head for head in known if head.label.casefold() == folded]
        if len(matching) > 1:
            step = f"name it by its key: {listed(head.key for head in matching)}"
            shown = pointed(text, max(text.find(name), 0), len(name))
            what = f"{len(matching)} columns are called this"
            raise UsageMistake(Mistake(what, where, repr(name), next_step=step, shown=shown))
        return matching[0] if matching else None

    def _limited(self, limit: Threshold) -> Column:
        if not self.by:
            step = "say --by FIELD for the members that it is held against"
            raise UsageMistake(Mistake("a limit picks rows", f"--{limit.limit}", next_step=step))
        column = self._column(limit.on, "--limit", limit.on, numbers=True) if limit.on else self.heads[0]
        if column is None:
            known = [head.key for head in self.heads]
            what = "no column has this name"
            raise UsageMistake(Mistake(what, "--limit", repr(limit.on), listed(known), nearest(limit.on, known)))
        if any(isinstance(each, ShareColumn) and each.key == column.key for each in self.made.columns):
            what, step = "a share is of what is shown, so it picks nothing", "put the limit on the column it is of"
            raise UsageMistake(Mistake(what, "--limit", repr(column.key), next_step=step))
        return column

    def _sorts(self) -> Iterator[Sort]:
        text = self.request.sort
        for piece in re.findall(r'(?:"[^"]*"|[^,"])+', text):
            found = _SORT.fullmatch(piece)
            name, descending = (found[1], found[2] is not None) if found else (piece.strip(), False)
            place = next((at for at, each in enumerate(self.by) if each.key == name.lower()), None)
            column = self._column(name, "--sort", text, numbers=False)
            if place is None and column is None:
                known = [*(each.key for each in self.by), *(head.key for head in self.heads)]
                what, hint = "neither a column nor what rows are of", nearest(name, known)
                shown = pointed(text, max(text.find(name), 0), len(name))
                raise UsageMistake(Mistake(what, "--sort", repr(name), listed(known), hint, shown=shown))
            yield Sort(column.key if column else "", None if column else place, descending)

    @property
    def most(self) -> int | None:
        """How many members are shown in each group, all other as one; None where all are."""
        return self.request.top or self.request.bottom

    @property
    def ranking(self) -> str:
        """The key of the one column that decides which members are shown."""
        return next((sort.column for sort in self.sorts if sort.column), self.heads[0].key)

    def _cell(self, group: Group, key: str, whole: Group) -> Cell:
        return self.made.cell(key, group, whole, whole)

    def _holds(self, group: Group, whole: Group) -> bool:
        for limit, column in self.limits:
            cell = self._cell(group, column.key, whole)
            if not limit.holds(Decimal(cell) if isinstance(cell, Decimal | int) else None):
                return False
        return True

    # Rows.

    @cached_property
    def tree(self) -> Branch:
        """All groups that are shown, from the whole down to the smallest."""
        return self._branch(self.kept, 0, ())

    def _branch(self, found: Sequence[Group], depth: int, members: Members) -> Branch:
        if depth == len(self.by):
            return Branch(found[0] if found else self.whole, (), 1)
        inner: dict[Any, list[Group]] = {}
        for group in found:
            inner.setdefault(group.members[depth], []).append(group)
        branches = [self._branch(each, depth + 1, (*members, member)) for member, each in inner.items()]
        return Branch(
            self.made.together([branch.group for branch in branches], members) if depth else self.whole,
            tuple(branches),
            sum(branch.leaves for branch in branches),
        )

    @cached_property
    def by_size(self) -> bool:
        """Whether no member is above zero in the column that ranks, so that size decides."""
        return self.most is not None and goes_by_size(
            [self._cell(group, self.ranking, self.whole) for group in self.kept]
        )

    def _ordered(self, found: Sequence[Branch], depth: int) -> list[Branch]:
        """Return branches as they are asked to stand; where members are ranked, by the column that decides."""

        def value(branch: Branch, key: str) -> Cell:
            return self._cell(branch.group, key, self.whole)

        ordered = list(found)
        if self.most is not None:
            rising = self.request.bottom is not None
            return ranked(ordered, lambda branch: value(branch, self.ranking), rising=rising, by_size=self.by_size)
        for sort in reversed(self.sorts):
            if sort.column:
                of = partial(value, key=sort.column)
                ordered = ranked(ordered, of, rising=not sort.descending, by_size=False)
            elif sort.field == depth and sort.descending:
                ordered.reverse()
        return ordered

    def _rows(self) -> Iterator[Row]:
        if not self.by:
            yield Row("total", "Total", 0, "total", self._cells(self.whole, self.tree))
            return
        first = self.request.first_rows
        ordered = self._ordered(self.tree.inner, 0)
        shown = ordered if first is None else ordered[:first]
        keys: list[str] = []
        yield from self._below(shown, self.tree, 0, keys)
        adds = tuple((1, key) for key in keys)
        total = f"Total, {how_many(self.tree.leaves, 'group')}"
        cells = self._cells(self.whole, self.tree)
        if len(shown) < len(ordered):
            self.notes.append(f"First {len(shown):,} of {len(ordered):,} shown; the total is of all of them")
            part = self.made.together([branch.group for branch in shown])
            own = self._cells(part, self.tree)
            if shown:
                yield Row("shown", f"Total of the first {len(shown):,}", 0, "subtotal", own, adds=adds)
            yield Row("total", f"Total of all, {how_many(self.tree.leaves, 'group')}", 0, "total", cells)
        else:
            yield Row("total", total, 0, "total", cells, adds=adds)

    def _below(self, ordered: Sequence[Branch], of: Branch, depth: int, keys: list[str]) -> Iterator[Row]:
        """Yield the rows of branches of one group. keys: takes the keys of those that add up to it."""
        deepest = depth == len(self.by) - 1
        blank: list[Branch] = []
        if self.most is not None:
            ordered, blank = apart_from_blank(ordered, lambda branch: branch.members[-1])
        most = self.most if deepest and self.most is not None else len(ordered)
        shown, others = ordered[:most], ordered[most:]
        yield from self._branch_rows(shown, of, depth, keys)
        if others:
            yield self._others_row(shown, others, of, depth, keys)
        yield from self._branch_rows(blank, of, depth, keys)

    def _branch_rows(self, branches: Sequence[Branch], of: Branch, depth: int, keys: list[str]) -> Iterator[Row]:
        deepest = depth == len(self.by) - 1
        for branch in branches:
            key, label = self.key(branch.members), self.measured.called(depth, branch.members[-1])
            keys.append(key)
            self.rows_behind[key] = (branch.members, None)
            cells = self._cells(branch.group, of)
            if deepest:
                yield Row(key, label, depth, "line", cells)
                continue
            inner: list[str] = []
            yield heading_row(key, label, depth)
            yield from self._below(self._ordered(branch.inner, depth + 1), branch, depth + 1, inner)
            yield Row(key, f"Total {label}", depth, "subtotal", cells, adds=tuple((1, each) for each in inner))

    def _cells(self, group: Group, of: Branch) -> dict[str, Cell]:
        """Return the cells of a row. of: the group that it stands in."""
        if of.members not in self._offset:
            inner = [branch.group for branch in of.inner]
            offset = self.made.offset(self.kept, self.whole, TOTAL) | self.made.offset(inner, of.group, GROUP)
            self._offset[of.members] = offset
        return self.made.cells(group, of.group, self.whole, self._offset[of.members])

    def _others_row(
        self, shown: Sequence[Branch], others: Sequence[Branch], of: Branch, depth: int, keys: list[str]
    ) -> Row:
        """Return the row of all other members, after those shown."""
        prefix = f"{self.key(of.members)}/" if of.members else ""
        keys.append(f"{prefix}{OTHER}")
        than = tuple(str(branch.members[-1]) for branch in shown)
        self.rows_behind[keys[-1]] = (of.members if of.members else (), Others(than, blank=True))
        rest = self.made.together([branch.group for branch in others])
        cells = self._cells(rest, of)
        return Row(keys[-1], f"All other ({len(others):,})", depth, "line", cells)

    def key(self, members: Members) -> str:
        """Return the key of a row."""
        named = zip(members, self.by, strict=False)
        return "/".join(f"{by.key}-blank" if member is None else str(member) for member, by in named)

    # The report.

    def table(self) -> ReportTable:
        """Return the report."""
        rows = tuple(self._rows())
        by = f" by {' and '.join(each.label for each in self.by)}" if self.by else ""
        limits = [f"{column.label} {limit.words}" for limit, column in self.limits]
        most = self._most_words()
        facts = {**self.measured.facts(), "columns": flat(self.request.columns)}
        facts |= {"thresholds": " · ".join(limits)} if limits else {}
        facts |= {"ranked_by": self.ranking, "members": str(self.most)} if self.most is not None else {}
        table = ReportTable(
            title=f"{self.measured.own.name.replace('_', ' ').capitalize()}: {self.measured.named}{by}",
            facts=facts,
            subtitle=self.measured.subtitle(*([most] if most else []), *limits),
            columns=tuple(self.heads),
            rows=rows,
            key_label=" / ".join(each.label for each in self.by),
            proof=self._proof(),
            notes=tuple(self._notes()),
            chart=bars_of(self.made, self.heads, rows),
        )
        return flattened(table, self.by, self._members(), self.measured.names) if self.request.flat else table

    def _members(self) -> dict[str, tuple[Any, ...]]:
        """Return by the key of each row of the smallest groups its members, of all other its words."""
        found: dict[str, tuple[Any, ...]] = {}
        for key, (members, others) in self.rows_behind.items():
            if others is None and len(members) == len(self.by):
                found[key] = members
            elif others is not None:
                found[key] = (*members, "all other")
        return found

    def _most_words(self) -> str:
        if self.most is None:
            return ""
        label = next(head.label for head in self.heads if head.key == self.ranking)
        how = "largest" if self.request.top is not None else "smallest"
        return f"the {self.most:,} {how} by {label}"

    def _limit_words(self) -> str:
        return " and ".join(f"{column.label} not {limit.words}" for limit, column in self.limits)

    def _proof(self) -> Proof | None:
        kept = {group.members for group in self.kept}
        dropped = [group for group in self.all_groups if group.members not in kept]
        left_out = {group.members: self._limit_words() for group in dropped}
        plans = self.made.plans.proofs(left_out) if self.made.plans else ()
        if not self.made.windows:
            return plans[0]._replace(further=plans[1:]) if plans else None
        found = []
        below = self.made.sums.together([group.sums for group in dropped])
        for number, measure in enumerate(self.made.adding or (None,)):
            proof = self.measured.proof(
                self.made.rules, tuple(self._checks()) if not number else (), self._shown_as(measure, number), measure
            )
            if below.lines:
                amount = Decimal(below.proven[number] or 0) if below.proven else _ZERO
                part = CountedAmount(below.lines, amount)
                proof = proof._replace(
                    shown=CountedAmount(proof.shown.lines - part.lines, proof.shown.amount - part.amount),
                    left_out=(*proof.left_out, Part(self._limit_words(), part)),
                )
            found.append(proof if measure is None else proof._replace(decimals=self._places(measure)))
        return found[0]._replace(further=(*found[1:], *plans))

    def _shown_as(self, measure: Measure | None, number: int) -> tuple[Part, ...]:
        """Return what is shown span by span, where spans do not overlap and nothing is left out by a limit."""
        windows = self.made.windows
        if number or measure is None or self.limits or len(windows) > _MOST_WINDOWS or self.made.across:
            return ()
        labels = {slot.window: slot.label for slot in reversed(self.made.booked) if isinstance(slot.window, Window)}
        return self.measured.shown_as(self.made.rules, [(labels[window], window) for window in windows])

    def _checks(self) -> Iterator[Check]:
        """Yield that the groups come to what all lines come to when they are not told apart at all."""
        whole = self.made.sums.whole(self.made.rules)
        every = self.made.sums.together([group.sums for group in self.all_groups])
        yield Check("groups come to what all lines come to in every column", whole == every)

    def _notes(self) -> Iterator[Note | str]:
        measured, made = self.measured, self.made
        yield from measured.slips()
        if measured.selection:
            yield from measured.selection.notes
        yield from self._span_notes()
        yield from self._cut_notes()
        yield from unlike_notes(made.columns)
        if made.windows:
            yield from measured.blank_notes(made.rules, made.across)
        if self.by_size:
            yield "None is above zero, so size decides: the largest are those furthest below it"
        if self.limits and measured.request.conditions.besides:
            yield from self._short_notes()
        yield from measured.natural_notes(
            [(slot.label or slot.key, made.result_of(self.whole, slot)) for slot in made.slots]
        )
        for plans in made.plans.plans.values() if made.plans else ():
            yield from plans.remarks
        labels = dict.fromkeys(label for found in self._offset.values() for label in found.values())
        yield from (OFFSET.format(label) for label in labels)
        yield from self.notes

    def _span_notes(self) -> Iterator[Note | str]:
        """Yield what has to be known of the columns' days: where the data ends and begins, which are missing."""
        measured, made = self.measured, self.made
        last = max((window.last for window in made.windows), default=None)
        if last is not None:
            yield from reach_notes(last, measured.through)
            yield from measured.early_notes(last)
        ranges = [
            AskedDays(slot.window.first, slot.window.last)
            for slot in made.booked
            if slot.value and slot.value.span.name == "range" and isinstance(slot.window, Window)
        ]
        for days in dict.fromkeys(ranges) or (None,):
            yield from measured.edge_notes(days)
        for slot in made.slots:
            if isinstance(slot.window, Missing) and not (slot.window.later or slot.window.early):
                yield f"{slot.label}: {slot.window.why}, so there is nothing to show or compare"
        yield from holiday_notes(last_years(made.booked, made.as_of), made.as_of)
        early = [
            slot.window.early if isinstance(slot.window, Missing) else slot.window.begins is not None
            for slot in made.slots
        ]
        if measured.first_day is not None and any(early):
            begins = day_words(measured.first_day)
            yield f"The data begins on {begins}: nothing is compared with what reaches back before it"

    def _places(self, measure: Measure) -> int:
        """Return how many decimals the sums of a measure are told with."""
        slots = [slot for slot in self.made.booked if slot.measure == measure.key]
        figures = (self.made.figure(group, slot) for slot in slots for group in self.all_groups)
        return measure_places(measure, self.measured.decimals, (each.amount if each else None for each in figures))

    def _cut_notes(self) -> Iterator[Note]:
        """Yield what compared spans that were cut hold after the cut."""
        measure = next(iter(self.made.adding), None)
        told = set()
        for slot in self.made.booked:
            rest = rest_of_cut(slot.window) if isinstance(slot.window, Window) else None
            if rest is None or rest in told or measure is None or not isinstance(slot.window, Window):
                continue
            told.add(rest)
            window = window_of_days(*rest, rest[1], "", self.made.as_of)
            rules = self.measured.rules([window])
            rows = groups(self.book.engine, self.measured.source(rules), (), measure.parts)
            amount = measure.value(rows[0][1:]) if rows else None
            if amount:
                yield Note(rest_words(slot.window), (amount,), self._places(measure))

    def _short_notes(self) -> Iterator[Note | str]:
        """Yield the groups that fall short only because of what was excepted."""
        rules = [rule for rule in self.made.rules if not rule.exclusion]
        found = [Group(sums, self.made.plans.of(sums.members) if self.made.plans else ())
                 for sums in self.made.sums.of_members(rules)]  # fmt: skip
        every = self.made.together(found)
        kept = {group.members for group in self.kept}
        short = [group for group in found if group.members not in kept and self._holds(group, every)]
        if not short:
            return
        column = self.limits[0][1]
        ordered = sorted(short, key=lambda group: self.key(group.members))[:_MOST_NAMED]
        names = ", ".join(f"{self.name(group.members)} with {{}}" for group in ordered)
        more = f" and {len(short) - _MOST_NAMED} more" if len(short) > _MOST_NAMED else ""
        cells = [self._cell(group, column.key, every) for group in ordered]
        values = tuple(Decimal(cell) if isinstance(cell, Decimal | int) else _ZERO for cell in cells)
        yield Note(f"Only because of --except these are not shown: {names}{more}", values, column.decimals)

    def name(self, members: Members) -> str:
        """Return what a group is called."""
        return ", ".join(self.measured.called(at, member) for at, member in enumerate(members))

    def slot(self, key: str) -> PlacedColumn | None:
        """Return the value column of a key, if it is one."""
        return next((slot for slot in self.made.slots if slot.key == key), None)
