"""Everything that does not add up, as one report (docs/check.md)."""

import sys
from collections.abc import Iterator, Sequence
from dataclasses import replace
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import moment_words
from level_almanac.core.header import as_of_for, as_of_notes, as_of_words, data_facts, data_words
from level_almanac.core.reports.check import agreements, documents, ledger
from level_almanac.core.reports.check.at_once import at_once
from level_almanac.core.reports.check.findings import KINDS, Checked, Finding, told_apart
from level_almanac.core.reports.check.stored import stored, superseded
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.requests.options import Request, inner, option
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.core.subledger.subledger import Subledger, SubledgerRequest, SubledgerSide
from level_almanac.core.table.model import Cell, Column, Proof, ReportTable, Row, heading
from level_almanac.core.table.pointing import find_row
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake, how_many, listed, nearest
from level_almanac.files.currencies import decimals_of
from level_almanac.files.tables import SIDE_OF
from level_almanac.immutable import immutable
from level_almanac.progress import tell
from level_almanac.store.check_record import CheckRecord, keep_record, read_record

_ITEM_CHECKS = frozenset({"spelt-twice", "alike", "over-applied", "loose", "early", "control"})


@immutable(kw_only=True)
class CheckRequest(Request):
    """What to check. kinds: keys of checks, or none for all; when: the day up to which documents are looked at;
    accept: closed periods and journals in them whose changes are taken as right from now on; only_new: show only what
    the last run did not find; most_findings: of each check; most_lines: of each finding.
    """

    kinds: tuple[str, ...] = option("checks", "", "texts", metavar="[CHECK]...", argument=True)
    only_new: bool = option("only-new", "Only what the last run did not find.", "flag")
    most_findings: int = option(
        "findings", "At most so many findings of each check, errors first.", "count", 1000, metavar="N",
        show_default=True,
    )  # fmt: skip
    most_lines: int = option(
        "lines", "At most so many lines of each finding.", "count", 8, metavar="N", show_default=True
    )
    accept: tuple[str, ...] = option(
        "accept", "Take what changed in this closed period or journal as right; repeatable.", "texts",
        metavar="ENTITY/ID",
    )  # fmt: skip
    when: AsOfRequest = inner(
        AsOfRequest,
        only=("as-of", "period", "quarter", "year"),
        helps={"as-of": "Look at documents as of this day.  [default: where the data ends]"},
    )


def check(book: Book, request: CheckRequest) -> MadeReport:
    """Return what was found; once shown, a record of it can be kept for the next run.

    Raises UsageMistake for a check that there is not, BookMistake for a condition of the book that cannot be read.
    """
    for key in request.kinds:
        if key not in KINDS:
            raise UsageMistake(
                Mistake("no check has this name", "CHECK", repr(key), listed(KINDS), nearest(key, KINDS))
            )
    checks = _Check(book, request)
    table, errors = checks.table(request.most_findings, request.most_lines)
    return MadeReport(table, checks, not errors, checks.keep, why=f"{how_many(errors, 'error')} found")


def check_trace(_book: Book, made: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return one finding with all of its lines; raises UsageMistake for a row that is no finding."""
    row = asked.row
    table: ReportTable = made.of.table(sys.maxsize, sys.maxsize)[0]
    key = find_row(table, row).key.partition(">")[0]
    rows = tuple(each for each in table.rows if each.key == key or each.key.startswith(f"{key}>"))
    if rows[0].cells.get("severity") not in ("error", "warning"):
        raise UsageMistake(Mistake("this row is no finding", "--row", repr(row), next_step="name a finding"))
    kind = KINDS[key.partition("/")[0]]
    added = sum((each.cells["amount"] for each in rows[1:] if isinstance(each.cells["amount"], Decimal)), Decimal(0))
    total = Row("total", f"Its lines, {len(rows) - 1:,}", 0, "total", {"amount": added})
    return table._replace(
        title=f"Behind {rows[0].label}",
        facts={**table.facts, "traced": key, "report": table.title},
        subtitle=(f"{kind.title}: {kind.step}", *table.subtitle),
        rows=(*(each._replace(level=each.level - 1) for each in rows), total),
        notes=(),
    )


class _Check:
    """One run of the checks."""

    def __init__(self, book: Book, request: CheckRequest) -> None:
        self.book, self.request = book, request
        # Nothing else that is found can be believed before this.
        self.stored = [stored(book)] if self._asked("store") else []
        self.as_of = as_of_for(book, book.calendars[""], request.when, tuple(SIDE_OF.values()))
        self.before = None if book.frozen else read_record(book.file.root, book.store.folder)
        self.closed: ledger.ClosedPeriods | None = None
        self.sides: list[documents.Side] = []
        found = self._run()
        self.checked = [
            replace(each, findings=told_apart(each.findings))
            for each in [*found, *self.stored]
            if self._asked(each.kind.key)
        ]

    def _asked(self, key: str) -> bool:
        return not self.request.kinds or key in self.request.kinds

    def _sides(self) -> Iterator[documents.Side]:
        """Yield the documents of each side that is loaded, per group of entities whose amounts can be added."""
        if self.request.kinds and not _ITEM_CHECKS & set(self.request.kinds):
            return
        by_kind: dict[tuple[str, str], list[str]] = {}
        for code, entity in self.book.settings.entities.items():
            by_kind.setdefault((entity.currency, entity.calendar), []).append(code)
        sides: tuple[SubledgerSide, ...] = ("payable", "receivable")
        for side in sides:
            if self.book.parts_of(SIDE_OF[side]):
                for codes in by_kind.values():
                    # Both sides are looked at as of one day, however far either reaches.
                    when = AsOfRequest(as_of=self.as_of.day)
                    of = SubledgerRequest(side=side, when=when, entities=tuple(codes))
                    subledger = Subledger(self.book, of)
                    yield subledger, subledger.open_on(subledger.day)

    def _run(self) -> list[Checked]:
        (ahead, behind), of_items = at_once(self.book, self._all_but_items, lambda: list(self._item_checks()))
        return [*ahead, *of_items, *behind]

    def _all_but_items(self, book: Book) -> tuple[list[Checked], list[Checked]]:
        """Return what is checked before documents are, and after them, in the order of the report."""
        return list(self._ahead(book)), list(self._behind(book))

    def _ahead(self, book: Book) -> Iterator[Checked]:
        if book.parts_of("ledger"):
            yield from self._ledger_checks(book)
        else:
            yield from (
                Checked(KINDS[key], skipped="no ledger is loaded")
                for key in ("unbalanced", "closed", "outside", "carried")
            )
        tell("gaps in numbering, and parties")
        if self._asked("gaps"):
            yield ledger.gaps(book, self.as_of)
        if self._asked("unknown-party"):
            yield documents.unknown_parties(book)

    def _behind(self, book: Book) -> Iterator[Checked]:
        if self._asked("agree"):
            yield agreements.agreements(book, self.as_of)
        if self._asked("superseded"):
            yield superseded(book)

    def _ledger_checks(self, book: Book) -> Iterator[Checked]:
        tell("journals and periods")
        if self._asked("unbalanced"):
            yield ledger.unbalanced(book)
        outside, into_closed = ledger.outside(book)
        self.closed = ledger.closed(book, into_closed, self.before, self.request.accept, moment_words(book.now))
        yield self.closed.checked
        yield outside
        if self._asked("carried"):
            yield ledger.carried(book)

    def _item_checks(self) -> Iterator[Checked]:
        self.sides = list(self._sides())
        if not self.sides:
            yield from (
                Checked(KINDS[key], skipped="no payables or receivables are loaded")
                for key in KINDS
                if key in _ITEM_CHECKS
            )
            return
        tell("invoices that look alike")
        for key, look in (
            ("spelt-twice", documents.spelt_twice),
            ("alike", documents.alike),
            ("over-applied", documents.over_applied),
            ("loose", documents.loose),
            ("early", documents.early),
        ):
            if self._asked(key):
                yield look(self.sides)
        if self._asked("control"):
            tell("documents beside the ledger")
            yield documents.control(self.sides)

    def table(self, most_findings: int, most_lines: int) -> tuple[ReportTable, int]:
        """Return the report, and how many errors it tells of. most_findings: of each check; most_lines: of each
        finding.
        """
        known = set() if self.before is None else {
            f"{kind}:{key}" for kind, keys in self.before.findings.items() for key in keys
        }  # fmt: skip
        new = {id(finding) for each in self.checked for finding in each.findings
               if f"{each.kind.key}:{finding.key}" not in known}  # fmt: skip
        shown_findings = [
            (each, [finding for finding in each.findings if not self.request.only_new or id(finding) in new])
            for each in self.checked
        ]
        errors = sum(finding.severity == "error" for _, findings in shown_findings for finding in findings)
        warnings = sum(len(findings) for _, findings in shown_findings) - errors
        table = ReportTable(
            title="Checks",
            facts={
                "as_of": self.as_of.day.isoformat(),
                "errors": str(errors),
                "warnings": str(warnings),
                **({"last_checked": self.before.made_at} if self.before else {}),
                **data_facts(self.book),
            },
            subtitle=tuple(self._subtitle(errors, warnings)),
            columns=(
                Column("severity", "severity", "text"),
                *([Column("new", "new", "text")] if self.before and new else []),
                Column("date", "date", "date"),
                Column("amount", "amount", "amount", self._decimals(), adds=False),
                *self._carried_columns(shown_findings),
                Column("export", "line of the export", "text"),
            ),
            rows=tuple(self._rows(shown_findings, new, most_findings, most_lines)),
            key_label="finding",
            proof=self._proof(),
            notes=tuple(self._notes()),
        )
        return table, errors

    def _carried_columns(self, shown: Sequence[tuple[Checked, list[Finding]]]) -> Iterator[Column]:
        """Yield the columns of what was carried and what is computed, where it is asked for and a balance is unlike.

        Among all checks they would take the room of what every finding has.
        """
        if "carried" in self.request.kinds and any(finding.carried for _, findings in shown for finding in findings):
            for name in ("carried", "computed"):
                yield Column(name, name, "amount", self._decimals(), adds=False)

    def _decimals(self) -> int:
        return max(decimals_of(entity.currency) for entity in self.book.settings.entities.values())

    def _subtitle(self, errors: int, warnings: int) -> Iterator[str]:
        yield self.book.settings.book.name
        yield as_of_words(self.book, self.as_of)
        only = "new since the last run: " if self.request.only_new else ""
        yield f"{only}{how_many(errors, 'error')}, {how_many(warnings, 'warning')}"
        yield data_words(self.book)

    def _rows(
        self, shown: Sequence[tuple[Checked, list[Finding]]], new: set[int], most_findings: int, most_lines: int
    ) -> Iterator[Row]:
        for each, findings in shown:
            if not findings:
                continue
            yield heading(each.kind.key, f"{each.kind.title}: {each.kind.step}")
            more = len(findings) - most_findings
            ordered = sorted(findings, key=lambda finding: finding.severity != "error") if more > 0 else findings
            for finding in ordered[:most_findings]:
                is_new = id(finding) in new and self.before is not None
                yield from self._finding_rows(each.kind.key, finding, most_lines, is_new=is_new)
            if more > 0:
                errors = sum(finding.severity == "error" for finding in ordered[most_findings:])
                words = f"and {more:,} more, {how_many(errors, 'error')} among them: --findings {len(findings)}"
                yield Row(f"{each.kind.key}>more", f"{words} shows them all", 1, "heading")
        quiet = [each for each, findings in shown if not findings]
        if quiet:
            yield heading("nothing", f"Nothing {'new ' if self.request.only_new else ''}found")
        for each in quiet:
            known = f"{len(each.findings):,} known before, no other" if each.findings else "none"
            words = each.skipped or f"{known} among {each.looked_at}"
            state = "not looked at" if each.skipped else "known" if each.findings else "none"
            yield Row(each.kind.key, f"{each.kind.title}: {words}", 1, "line", {"severity": state})

    def _finding_rows(self, kind: str, finding: Finding, most: int, *, is_new: bool) -> Iterator[Row]:
        key, decimals = f"{kind}/{finding.key}", self._decimals()
        balances = dict(zip(("carried", "computed"), finding.carried or (), strict=False))
        cells: dict[str, Cell] = {
            **{name: _exact(balance, decimals) for name, balance in balances.items()},
            "severity": finding.severity,
            "new": "new" if is_new else None,
            "amount": _exact(finding.amount, decimals),
        }
        yield Row(key, finding.words, 1, "line", cells)
        for number, line in enumerate(finding.lines[:most], 1):
            told: dict[str, Cell] = {"date": line.day, "amount": _exact(line.amount, decimals), "export": line.place}
            yield Row(f"{key}>{number}", line.words, 2, "line", told)
        if len(finding.lines) > most:
            more = len(finding.lines) - most
            yield Row(f"{key}>more", f"and {more:,} more: --lines {len(finding.lines)} shows them all", 2, "heading")

    def _proof(self) -> Proof | None:
        """Return that every line that was loaded of what is checked was looked at, table by table; None of nothing."""
        proofs = [proof for each in self.checked for proof in each.proofs]
        if self.sides:
            proofs += documents.looked_at(self.book, [side for side, _ in self.sides])
        return proofs[0]._replace(further=tuple(proofs[1:])) if proofs else None

    def _notes(self) -> Iterator[str]:
        yield from as_of_notes(self.as_of)
        for words in self.closed.accepted.values() if self.closed else ():
            yield f"Accepted: {words}"
        if self.closed and self.closed.found and not self.book.frozen:
            yield f"A change in a closed period that is right is accepted with --accept {self.closed.found[0]}"
        yield "The ledger is looked at whole; documents as they stood on the day above"
        looked = [f"{each.kind.key}: {each.looked_at}" for each in self.checked if each.findings and each.looked_at]
        if looked:
            yield f"Looked at where something was found: {'; '.join(looked)}"

    def keep(self) -> None:
        """Keep what was found; what was not looked at this time stays as it was known."""
        kept = dict(self.before.findings) if self.before else {}
        kept |= {each.kind.key: [finding.key for finding in each.findings] for each in self.checked}
        if self.book.frozen or self.closed is None:
            return
        made_at = closed_at = moment_words(self.book.now)
        closed = {
            key: [each.lines, str(each.debit), str(each.credit), since]
            for key, (each, since) in self.closed.held.items()
        }
        if not self._asked("closed") and self.before:
            closed, closed_at = self.before.closed, self.before.closed_at
        try:
            keep_record(self.book.file.root, CheckRecord(made_at, closed_at, kept, closed, dict(self.closed.accepted)))
        except OSError:
            # A book that one may only read is checked all the same, but nothing can be accepted in it.
            if self.request.accept:
                raise


def _exact(amount: Decimal | None, decimals: int) -> Decimal | None:
    # Sums are stored with more decimals than any currency here has, all of them nought.
    return None if amount is None else amount.quantize(Decimal(1).scaleb(-decimals))
