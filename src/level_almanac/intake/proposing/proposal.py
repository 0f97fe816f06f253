"""From an export's rows and columns to the block that takes them in, and what was unsure of it."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import PurePosixPath
from typing import Any

from level_almanac.errors import listed
from level_almanac.files.settings import IntakeBlock
from level_almanac.files.tables import Field
from level_almanac.intake.proposing.cells_told import wide_columns
from level_almanac.intake.proposing.codes_told import codes, dimensions, lines
from level_almanac.intake.proposing.columns import ColumnProfile, profiles_of
from level_almanac.intake.proposing.days_told import dates, period
from level_almanac.intake.proposing.draft import Draft, Known, heads_in, ours, scenario_columns, wide_columns_of
from level_almanac.intake.proposing.fit import Fit, balance_columns, best_fits, fit_of, is_document
from level_almanac.intake.proposing.numbers_told import numbers, signs
from level_almanac.intake.proposing.own_table import OwnTable
from level_almanac.intake.proposing.rows_told import rows
from level_almanac.intake.proposing.several import by_accounts, with_others
from level_almanac.intake.proposing.structure import Structure
from level_almanac.intake.proposing.words import (
    KIND_WORDS,
    PAYABLE_WORDS,
    RECEIVABLE_WORDS,
    WORDS_OF,
    heads_for,
    plain,
    word_for,
)
from level_almanac.intake.proposing.writing import ProposedBlock
from level_almanac.intake.shaping.head_words import SHEET

_READ_BY = (
    "format", "sheet", "member", "path", "head_row", "head_rows", "encoding", "delimiter", "quotes", "columns",
)  # fmt: skip


def proposed(found: Structure, name: str, files: str | list[str], known: Known) -> list[ProposedBlock]:
    """Return the blocks for an export whose rows are known: one, or several where a row is lines of several kinds.

    name: the file's; files: what the block is to say of them.
    """
    grid = found.grid
    columns = profiles_of(found)
    about = f"{PurePosixPath(name).stem} {'' if grid.sheets else grid.block.sheet}"
    if known.table:
        fit = fit_of(known.tables[known.table], found, columns, about)
        ranked = [fit]
    else:
        ranked = best_fits(known.tables, found, columns, about)
        fit = ranked[0]
        if not _takes(fit, found, columns):
            return [OwnTable(found, columns, name, files, known, _blocks_of).block()]
    draft = Draft(found, columns, fit, name, files, known)
    close = [each.table.name for each in ranked[1:] if each.score >= fit.score - 1 and _takes(each, found, columns)]
    if close:
        draft.unsure.append(f"table: its heads fit {listed(close)} as well")
    return _blocks_of(draft)


def _takes(fit: Fit, found: Structure, columns: Sequence[ColumnProfile]) -> bool:
    """Tell whether an export has what a table needs, or has it in a way that a block can say."""
    heads = [column.head for column in columns]
    settled = ["kind", "class"]
    if fit.table.name == "ledger":
        settled += ["posted"] if "period" in fit.mapped or wide_columns_of(columns) else []
        settled += ["journal"] if wide_columns_of(columns) else []
        settled += ["account"] if found.headings or heads_for("debit_account", heads) else []
        amounts = {"debit", "credit", "amount"} & fit.mapped.keys() or wide_columns_of(columns)
        if not amounts:
            return False
    if fit.table.plan_of:
        settled += ["amount"]
        if (
            not wide_columns_of(columns)
            and not {"amount", "share"} & fit.mapped.keys()
            and not scenario_columns(columns, fit)
        ):
            return False
        if not wide_columns_of(columns) and not {"period", "date"} & fit.mapped.keys() and fit.table.name == "budget":
            return _sheet_months(found)
    missing = fit.missing(settled)
    # One that is lacking can be a head that nobody knows; two are another table.
    return len(missing) <= (1 if len(fit.mapped) > 2 and not fit.table.plan_of else 0) and fit.score > 0


def _sheet_months(found: Structure) -> bool:
    return bool(found.grid.sheets)


def _blocks_of(draft: Draft) -> list[ProposedBlock]:
    """Return the blocks of an export whose table is known."""
    _unmap(draft)
    _mapped_fields(draft)
    for tell in (
        _reading,
        rows,
        wide_columns,
        codes,
        lines,
        dates,
        period,
        numbers,
        signs,
        dimensions,
        _constants,
        _noticed,
    ):
        tell(draft)
    return _written(draft)


def _unmap(draft: Draft) -> None:
    """Let go of what cannot be meant: a running balance, one side where there are both."""
    mapped = draft.fit.mapped
    running = balance_columns(draft.found, draft.fit, draft.columns)
    draft.taken |= {column.head for column in running}
    if running:
        draft.unsure.append(f"nothing: {listed(repr(column.head) for column in running)} is a running balance")
        draft.unsure.pop()
    if {"debit", "credit"} <= mapped.keys() and "amount" in mapped:
        left = mapped.pop("amount")
        if left not in running:
            draft.unsure.append(f"amount: debit and credit are taken, and {left.head!r} is left")
    elif ("debit" in mapped) != ("credit" in mapped) and "amount" in mapped:
        mapped.pop("debit", None)
        mapped.pop("credit", None)
    elif ("debit" in mapped) != ("credit" in mapped) and not by_accounts(draft):
        draft.unsure.append("debit and credit: only one of the two has a head")
    if draft.table.name == "accounts" and "class" in mapped and mapped["class"].number is not None:
        mapped.pop("class")
    if "control" in mapped and not all(word_for("side", text) for text in set(mapped["control"].texts)):
        mapped.pop("control")


def _mapped_fields(draft: Draft) -> None:
    for each in draft.table.fields:
        column = draft.fit.mapped.get(each.name)
        if column is not None:
            draft.fields[each.name] = column.head
            draft.taken.add(column.head)


def _reading(draft: Draft) -> None:
    block, usual = draft.found.grid.block, IntakeBlock(table="")
    told = replace(block, head_row=draft.found.head_row, head_rows=draft.found.head_rows)
    if draft.found.grid.heads is not None:
        told = replace(block, head_rows=1)
    for key in _READ_BY:
        value = getattr(told, key)
        if value != getattr(usual, key):
            draft.keys[key] = value
    if draft.found.grid.sheets and "journal" in draft.fields:
        draft.fields["journal"] = {"join": [SHEET, draft.fields["journal"]]}
        draft.fit.notes["journal"] = "with the sheet's name, so that numbers may begin anew on each"
    if draft.found.uneven:
        draft.keys["uneven_rows"] = True
    if draft.found.head_row > 1 and draft.found.grid.heads is None and block.format != "csv":
        draft.unsure.append(f"head_row: row {draft.found.head_row} is the first of the widest, and taken for the heads")


def _constants(draft: Draft) -> None:
    if draft.table.field("entity") and "entity" not in draft.fields:
        words = plain(draft.name).split()
        named = [code for code in draft.known.entities if plain(code) in words]
        draft.set["entity"] = (*named, *draft.known.entities, "CODE")[0]
        if len(draft.known.entities) != 1 and len(named) != 1:
            known = listed(draft.known.entities) or "a code of the book"
            draft.unsure.append(f"entity: no head tells it; {known} is set")
    if draft.table.plan_of and "scenario" not in draft.fields:
        draft.set["scenario"] = "budget"
        draft.unsure.append("scenario: no head tells it; 'budget' is set")
    if draft.table.field("kind") and "kind" not in draft.fields and is_document(draft.table):
        draft.set["kind"] = "invoice"
        draft.settled.add("kind")
        if not heads_for("number", [head for head in draft.heads if "nvoice" in head or "ill" in head]):
            draft.unsure.append("kind: no head tells it; 'invoice' is set")
    if draft.table.name == "parties" and "side" not in draft.fields and (side := _side(draft)):
        draft.set["side"] = side
    sheets = {name: word_for("side", name) for name in draft.found.grid.sheets}
    if draft.table.name == "parties" and sheets and all(sheets.values()):
        draft.fields["side"] = SHEET
        draft.extra_values["side"] = sheets
    if draft.set:
        draft.keys["set"] = draft.set


def _noticed(draft: Draft) -> None:
    if "entity" in draft.fields and draft.known.entities:
        column = draft.fit.mapped["entity"]
        draft.unsure += [
            f"entity: {code!r} is none of the book; add [entities.{code}] to almanac.toml, or set another"
            for code in sorted(set(column.texts) - set(draft.known.entities))[:8]
        ]
    if "share_of" in draft.fields:
        names = sorted(set(draft.fit.mapped["share_of"].texts))
        told = ", ".join(f'{name} = "AMOUNT"' for name in names[:8])
        draft.unsure.append(f"share_of: what the shares are of, see [plans.NAME] totals = {{ {told} }}")
    if draft.found.cut_off:
        draft.unsure.append("the end: the export seems to be cut off there")


def _side(draft: Draft) -> str:
    words = plain(f"{draft.name} {' '.join(draft.heads)} {draft.found.grid.block.sheet}")
    payable = any(word in words for word in PAYABLE_WORDS)
    receivable = any(word in words for word in RECEIVABLE_WORDS)
    return "" if payable == receivable else "payable" if payable else "receivable"


def _written(draft: Draft) -> list[ProposedBlock]:
    ordered = {**{name: draft.fields[name] for name in draft.declares}}
    ordered |= {each.name: draft.fields[each.name] for each in draft.table.fields if each.name in draft.fields}
    if not _has_amount(draft):
        needed = "amount or share" if draft.table.plan_of else "debit and credit, or amount,"
        draft.unsure.append(f"the amount: {needed} is needed, and no head looks like it")
    needs = [
        each.name
        for each in draft.table.fields
        if each.required and each.name not in (*ordered, *draft.set, *draft.settled, "entity", "scenario", "line")
    ]
    draft.unsure += [
        f"{name}: it is needed, and no head looks like it" for name in needs if name not in draft.fit.unfit
    ]
    left = [
        head
        for head in draft.heads
        if head not in draft.taken and head not in heads_in(ordered) and not head.startswith("column ")
    ]
    blank = [column.head for column in draft.columns if column.holds == "blank" and column.head in left]
    left = [head for head in left if head not in blank]
    block = ProposedBlock(
        _keys_in_order(draft), ordered, dict(draft.fit.notes), _values(draft), left, needs,
        {each.name: each.choices for each in draft.table.fields if each.choices}, draft.unsure,
        blank, {"fields": draft.declares} if draft.declares else {},
    )  # fmt: skip
    return with_others(draft, block)


def _has_amount(draft: Draft) -> bool:
    if draft.table.name == "ledger":
        return bool({"amount"} & draft.fields.keys() or {"debit", "credit"} & draft.fields.keys())
    return not draft.table.plan_of or bool({"amount", "share"} & draft.fields.keys())


def _keys_in_order(draft: Draft) -> dict[str, Any]:
    last = {"set": draft.keys.pop("set")} if "set" in draft.keys else {}
    return {**draft.keys, **last}


def _values(draft: Draft) -> dict[str, dict[str, str]]:
    found = dict(draft.extra_values)
    for each in draft.table.fields:
        column = draft.fit.mapped.get(each.name)
        if column is None or each.name not in WORDS_OF or not each.choices or each.name not in draft.fields:
            continue
        words = sorted(set(column.texts))
        if all(word in each.choices for word in words):
            continue
        found[each.name] = {word: ours(draft, each.name, word) for word in words}
        _unsure_words(draft, each, found[each.name])
    return found


def _unsure_words(draft: Draft, each: Field, words: Mapping[str, str]) -> None:
    if any(word.lower() != ours and plain(word) not in KIND_WORDS.get(ours, ()) for word, ours in words.items()):
        draft.unsure.append(f"{each.name}: what its words stand for, see [intake.values.{each.name}]")
    draft.unsure += [f"{each.name}: what {word!r} stands for" for word, ours in words.items() if not ours]
