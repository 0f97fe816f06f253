"""JSON: exact decimals as strings, ISO dates, the shape of docs/output.md."""

import json
from datetime import date
from decimal import Decimal
from typing import Any

from level_almanac.core.table.exact import exact_text
from level_almanac.core.table.model import Cell, Column, CountedAmount, Covered, Proof, ReportTable
from level_almanac.core.table.style import Look
from level_almanac.output.text import notes


def json_text(table: ReportTable) -> str:
    """Return the report as JSON text that ends with a line end."""
    return json.dumps(_plain(table), ensure_ascii=False, indent=2) + "\n"


def _plain(table: ReportTable) -> dict[str, Any]:
    keys = {column.key for column in table.columns}
    plain: dict[str, Any] = {
        "title": table.title,
        "facts": dict(table.facts),
        "columns": [_column(column) for column in table.columns],
        "rows": [
            {
                "key": row.key,
                "label": row.label,
                "level": row.level,
                "kind": row.told_kind,
                **({"unit": "percent"} if row.percent else {"unit": "number"} if row.decimals is not None else {}),
                **(_covered(row.covered) if row.covered else {}),
                "cells": {key: _cell(cell) for key, cell in row.cells.items() if key in keys},
            }
            for row in table.rows
        ],
        "proof": _proof(table.proof) if table.proof else None,
        "notes": notes(table._replace(look=Look())),
    }
    if table.explanations:
        plain["explanations"] = [
            {
                "number": number,
                "row": each.row,
                "column": each.column,
                "text": each.text,
                "by": each.by,
                "written_for": exact_text(each.stale) if each.stale is not None else None,
            }
            for number, each in enumerate(table.explanations, 1)
        ]
    if table.sheets:
        plain["sheets"] = [_plain(sheet) for sheet in table.sheets]
    if table.traced_lines:
        plain["behind"] = [_plain(lines) for lines in table.traced_lines]
    return plain


def _cell(cell: Cell) -> str | int | None:
    if isinstance(cell, Decimal):
        return exact_text(cell)
    return cell.isoformat() if isinstance(cell, date) else cell


def _column(column: Column) -> dict[str, Any]:
    told = column.covered
    if told is None and column.through is not None:
        told = Covered(column.first, column.through, column.complete, column.whole)
    derived = column.derived
    return {
        "key": column.key,
        "label": column.label,
        "type": column.kind,
        **_covered(told),
        **({"scenario": column.scenario} if column.scenario else {}),
        **({"group": column.group} if column.group else {}),
        **({"change": {"of": derived.of, "over": derived.over}} if derived else {}),
    }


def _covered(told: Covered | None) -> dict[str, Any]:
    if told is None:
        return dict.fromkeys(("from", "through", "complete", "whole"))
    first = told.first.isoformat() if told.first else None
    return {"from": first, "through": told.through.isoformat(), "complete": told.complete, "whole": told.whole}


def _proof(proof: Proof) -> dict[str, Any]:
    def counted(of: CountedAmount) -> dict[str, Any]:
        return {"lines": of.lines, **({"amount": exact_text(of.amount)} if proof.measure else {})}

    return {
        "measure": proof.measure,
        "considered": counted(proof.considered),
        "shown": counted(proof.shown),
        "shown_as": [{"rule": each.rule, **counted(each.counted)} for each in proof.shown_as],
        "left_out": [{"rule": each.rule, **counted(each.counted)} for each in proof.left_out],
        "checks": [{"words": check.words, "holds": check.holds} for check in proof.checks],
        "balances": proof.balances,
        **({"table": proof.table} if proof.table != "ledger" else {}),
        **({"further": [_proof(more) for more in proof.further]} if proof.further else {}),
    }
