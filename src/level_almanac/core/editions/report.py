"""Editions as reports: which there are, what is in one, and whether one is still what was issued (docs/editions.md)."""

from collections.abc import Sequence
from datetime import date, datetime
from typing import NamedTuple

from level_almanac.core.calendar.date_text import day_words, moment_words
from level_almanac.core.editions.issued_figures import Moved
from level_almanac.core.editions.rules import RULES, rules_notes
from level_almanac.core.table.model import Column, ReportTable, Row, heading
from level_almanac.errors import how_many
from level_almanac.files.editions import Edition, record_facts

_MOST_FIGURES = 12
_SEAL_SHOWN = 16


def editions_report(book_name: str, editions: Sequence[tuple[Edition, str]]) -> ReportTable:
    """Return the list of editions. editions: each with its seal."""
    rows = [
        Row(
            edition.name,
            edition.name,
            0,
            "line",
            {
                "covers": edition.covers,
                "issued": moment_words(datetime.fromisoformat(edition.issued_at)),
                "pages": len(edition.pages),
                "findings": sum(len(page.findings) for page in edition.pages),
                "seal": seal[:_SEAL_SHOWN],
            },
        )
        for edition, seal in editions
    ]
    return ReportTable(
        title=f"Editions of {book_name}",
        facts={"editions": str(len(rows))},
        subtitle=(f"{len(rows)} issued" if rows else "none issued yet",),
        columns=(
            Column("covers", "covers", "text"),
            Column("issued", "issued", "text"),
            Column("pages", "pages", "count"),
            Column("findings", "findings", "count"),
            Column("seal", "seal begins", "text"),
        ),
        rows=tuple(rows),
        key_label="edition",
    )


def edition_report(edition: Edition, seal: str) -> ReportTable:
    """Return what is in one edition."""
    rows = [heading("pages", "Pages")]
    for page in edition.pages:
        told_words = ", ".join(f"{name} {text or 'left open'}" for name, text in page.answers.items())
        cells = {"what": page.title, "told": told_words, "state": page.lock or "not locked"}
        rows.append(Row(page.name, page.name, 1, "line", cells))
        rows += [
            Row(f"{page.name}>{number}", f"found: {words}", 2, "line") for number, words in enumerate(page.findings, 1)
        ]
    rows.append(heading("data", "Data"))
    for table in edition.data:
        through = edition.through.get(table)
        told_words = f"complete through {day_words(date.fromisoformat(through))}" if through else ""
        rows.append(Row(f"data/{table}", table, 1, "line", {"what": data_size(edition, table), "told": told_words}))
    if edition.ties:
        rows.append(heading("ties", "Figures on several pages, which agree"))
        rows += [Row(f"ties/{number}", words, 1, "line") for number, words in enumerate(edition.ties, 1)]
    if edition.unexplained:
        rows.append(heading("unexplained", "Changes issued without an explanation"))
        rows += [Row(f"unexplained/{n}", words, 1, "line") for n, words in enumerate(edition.unexplained, 1)]
    return ReportTable(
        title=f"Edition {edition.name}",
        facts={**record_facts(edition), "seal": seal},
        subtitle=(
            edition.covers,
            _issued(edition),
            f"seal {seal}",
        ),
        columns=(Column("what", "what", "text"), Column("told", "told", "text"), Column("state", "state", "text")),
        rows=tuple(rows),
        key_label="page",
    )


class Verified(NamedTuple):
    """One page that was computed anew. compared: how many figures; moved: those that differ; failed: why it could not
    be run, if it could not.
    """

    name: str
    compared: int
    moved: tuple[Moved, ...] = ()
    failed: str = ""


class Verification(NamedTuple):
    """What was looked at of an edition. broken: its files that are not as issued; damaged: parts of its data."""

    edition: Edition
    seal: str
    broken: Sequence[str]
    damaged: Sequence[str]
    parts: int
    pages: Sequence[Verified]

    @property
    def by_rules(self) -> bool:
        """Whether its figures were made by earlier rules, so that by those of today some may be others."""
        return self.edition.rules < RULES

    @property
    def holds(self) -> bool:
        """Whether all is as it was issued, apart from what rules changed since."""
        # Without any part of its data nothing could be computed, by whatever rules.
        moved = not (self.by_rules and self.parts) and any(page.moved or page.failed for page in self.pages)
        return not self.broken and not self.damaged and not moved


def verification_report(verification: Verification) -> ReportTable:
    """Return whether an edition is still what was issued."""
    edition = verification.edition
    rows = [
        _row("files", f"{how_many(len(edition.files) + 1, 'file')}, by the hashes under the seal", verification.broken),
        _row("data", f"{how_many(verification.parts, 'part')} of the data, by their hashes", verification.damaged),
    ]
    rows += [Row(f"files>{number}", words, 1, "line") for number, words in enumerate(verification.broken, 1)]
    rows += [
        Row(f"data>{number}", f"{part} is damaged or gone", 1, "line")
        for number, part in enumerate(verification.damaged, 1)
    ]
    for page in verification.pages:
        wrong = "by earlier rules" if verification.by_rules else "DIFFERS"
        rows.append(
            _row(page.name, f"{how_many(page.compared, 'figure')} computed anew", page.moved or page.failed, wrong)
        )
        if page.failed:
            rows.append(Row(f"{page.name}>failed", page.failed.partition("\n")[0], 1, "line"))
        for number, moved in enumerate(page.moved[:_MOST_FIGURES], 1):
            was = moved.before.value if moved.before else "not there"
            now = moved.after.value if moved.after else "not there"
            words = f"{moved.figure.words}: issued {was}, computed {now}"
            rows.append(Row(f"{page.name}>{number}", words, 1, "line"))
        if len(page.moved) > _MOST_FIGURES:
            words = f"and {len(page.moved) - _MOST_FIGURES:,} more figures"
            rows.append(Row(f"{page.name}>more", words, 1, "line"))
    verdict = "all is as it was issued" if verification.holds else "NOT AS IT WAS ISSUED"
    others = sum(len(page.moved) for page in verification.pages)
    if verification.holds and verification.by_rules:
        verdict = "its files and data are as they were issued, by earlier rules"
    return ReportTable(
        title=f"Verification of the edition {edition.name}",
        facts={**record_facts(edition), "seal": verification.seal, "holds": "yes" if verification.holds else "no"},
        subtitle=(
            verdict,
            f"{edition.covers} · {_issued(edition)}",
            f"seal {verification.seal}",
        ),
        columns=(Column("what", "what was looked at", "text"), Column("state", "state", "text")),
        rows=tuple(rows),
        key_label="edition",
        notes=tuple(rules_notes(edition, others)),
    )


def _row(key: str, what: str, wrong: object, words: str = "DIFFERS") -> Row:
    return Row(key, key, 0, "line", {"what": what, "state": words if wrong else "the same"})


def _issued(edition: Edition) -> str:
    return f"issued {moment_words(datetime.fromisoformat(edition.issued_at))} with {edition.made_with}"


def data_size(edition: Edition, table: str) -> str:
    """Return how many lines of a table an edition holds, and how many were left out as wrong at loading."""
    aside = edition.set_aside.get(table, 0)
    return how_many(edition.data[table], "line") + (f", {how_many(aside, 'line')} SET ASIDE as wrong" if aside else "")
