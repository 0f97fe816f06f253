"""Which rows of an export are no lines, and what is carried down over the others: as a block says it."""

import re
from collections.abc import Sequence
from typing import Any

from level_almanac.intake.proposing.draft import Draft
from level_almanac.intake.proposing.structure import is_grand, passing, shared_start
from level_almanac.intake.shaping.head_words import head_word


def rows(draft: Draft) -> None:
    """Say which rows are no lines, what they total, and what is carried down."""
    found = draft.found
    conditions = list(passing(found, draft.first_word))
    totals: list[dict[str, str]] = []
    if found.totals:
        grand = [row for row in found.totals if is_grand(row)]
        others = [row for row in found.totals if row not in grand]
        first = shared_start(others).strip()
        if others:
            totals.append(_totals(draft, others, first))
        if (grand and others) or grand:
            totals.append({"rows": f'{draft.first_word} is "{grand[0].cells[0]}"', "of": "all"})
    if conditions:
        draft.keys["pass_over"] = conditions[0] if len(conditions) == 1 else conditions
    if totals:
        draft.keys["totals"] = totals
    _carried_down(draft)


def _totals(draft: Draft, rows: Sequence[Any], start: str) -> dict[str, str]:
    first = next((cell for cell in rows[0].cells if cell), "")
    word = next(head_word(head) for head, cell in zip(draft.heads, rows[0].cells, strict=False) if cell)
    same = all(next((cell for cell in row.cells if cell), "") == first for row in rows)
    test = f'{word} is "{first}"' if same else f'{word} begins "{start}"'
    rest = first.removeprefix(start).strip()
    account = draft.fields.get("account")
    if not same and rest and account and rest in _all_texts(draft, draft.heads.index(account)):
        return {"rows": test, "by": account, "after": f"{start} "}
    if same and len(rows) == 1 and rows[0].line > max((row.line for row in draft.found.rows), default=0):
        return {"rows": test, "of": "all"}
    return {"rows": test, "of": "above"}


def _all_texts(draft: Draft, column: int) -> set[str]:
    return set(draft.found.texts(column))


def _carried_down(draft: Draft) -> None:
    """Carry down what stands on the first row of its block only, or in a row of its own above it."""
    headings = draft.found.headings
    if headings and "account" not in draft.fields and draft.table.name == "ledger":
        start = shared_start(headings)
        rest = headings[0].cells[0].removeprefix(start)
        if re.match(r"\d", rest):
            spec: dict[str, Any] = {"head": draft.heads[0], "rows": f'{draft.first_word} begins "{start.strip()}"'}
            spec |= {"after": start} if start else {}
            spec |= {"before": " "} if " " in rest else {}
            draft.fields["account"] = {**spec, "down": True}
            draft.settled.add("account")
    for name in ("account", "party", "journal"):
        column = draft.fit.mapped.get(name)
        told = draft.fields.get(name)
        if column is None or not isinstance(told, str) or column.filled in (0, 1):
            continue
        cells = draft.found.cells(column.at)
        if cells and cells[0] and column.filled < 1:
            spec = {"head": told, "down": True}
            totals = draft.keys.get("totals", [])
            if totals:
                spec["until"] = totals[0]["rows"]
            draft.fields[name] = spec
