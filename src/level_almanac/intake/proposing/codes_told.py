"""How an export writes its codes and keys: with names beside them, zeros ahead, in parts, several in a cell."""

import re
from collections.abc import Sequence
from itertools import combinations

from level_almanac.intake.proposing.columns import ColumnProfile
from level_almanac.intake.proposing.draft import Draft, heads_in
from level_almanac.intake.proposing.fit import are_tree, numbers_its_lines
from level_almanac.intake.proposing.guesses import number_style
from level_almanac.intake.proposing.words import heads_for
from level_almanac.intake.shaping.head_words import head_word

_CODE_AND_NAME = re.compile(r"[A-Z]{0,3}\d{2,}[A-Z0-9.]*( - | )\S.*|[A-Z]{0,3}\d+[A-Z0-9.]* - \S.*")


def codes(draft: Draft) -> None:
    """Say how codes are written, and keys that are joined."""
    for name in ("account", "party", "item"):
        column, told = draft.fit.mapped.get(name), draft.fields.get(name)
        if column is None or not isinstance(told, str) or not column.texts:
            continue
        if all(_CODE_AND_NAME.fullmatch(text) for text in column.texts):
            sign = " - " if all(" - " in text for text in column.texts) else " "
            draft.fields[name] = {"head": told, "before": sign}
        elif name == "account" and _has_leading_zeros(column):
            draft.fields[name] = {"head": told, "zeros": "strip"}
            draft.unsure.append("account: its leading zeros are taken away, as charts mostly have none")
    if draft.table.name == "ledger":
        _joined_journal(draft)
    if draft.table.name == "accounts":
        _chart(draft)


def _has_leading_zeros(column: ColumnProfile) -> bool:
    widths = {len(text) for text in column.texts}
    return len(widths) == 1 and min(widths) > 6 and all(text.startswith("000") for text in column.texts)


def _joined_journal(draft: Draft) -> None:
    """Join the journal's number with the batch's where it alone has several days."""
    journal, posted = draft.fit.mapped.get("journal"), draft.fit.mapped.get("posted")
    batch = draft.fit.mapped.get("batch")
    if not (journal and posted and batch) or not isinstance(draft.fields.get("journal"), str):
        return
    alone = _groups(draft, [journal], posted)
    joined = _groups(draft, [batch, journal], posted)
    if any(len(days) > 1 for days in alone.values()) and all(len(days) == 1 for days in joined.values()):
        draft.fields["journal"] = {"join": [batch.head, journal.head]}
        draft.fit.notes["journal"] = "unsure: joined, since numbers begin anew in each batch"


def _groups(draft: Draft, by: Sequence[ColumnProfile], of: ColumnProfile) -> dict[tuple[str, ...], set[str]]:
    keys = zip(*(draft.found.cells(column.at) for column in by), strict=True)
    groups: dict[tuple[str, ...], set[str]] = {}
    for key, value in zip(keys, draft.found.cells(of.at), strict=True):
        groups.setdefault(key, set()).add(value)
    return groups


def _chart(draft: Draft) -> None:
    level = next(iter(heads_for("level", draft.heads)), None)
    account = draft.fit.mapped.get("account")
    if level is not None and "parent" not in draft.fields:
        draft.keys["parents"] = {"level": level}
        draft.taken.add(level)
    elif account is not None and "parent" not in draft.fields:
        codes = set(account.texts)
        if are_tree(codes):
            lengths = sorted({len(code) for code in codes})
            draft.keys["parents"] = {"lengths": lengths}
            draft.unsure.append("parents: codes begin with that of the account above them")
    if "class" not in draft.fields:
        draft.settled.add("class")
        draft.unsure.append(
            'class: no head tells it; say [chart.classes] in almanac.toml, as asset = "account begins 1"'
        )


def lines(draft: Draft) -> None:
    """Say how lines are numbered, and what is split into several."""
    if "line" in draft.fields:
        keys = [
            draft.fit.mapped[name].at
            for name in ("entity", "journal", "number", "party", "kind", "line")
            if name in draft.fit.mapped
        ]
        rows = list(zip(*(draft.found.cells(at) for at in keys), strict=True))
        whole = isinstance(draft.fields.get("journal", ""), str)
        if draft.table.name == "ledger" and whole and len(set(rows)) < len(rows):
            draft.taken.discard(draft.fields["line"])
            draft.fields["line"] = "order"
            draft.fit.notes["line"] = "its numbers do not tell lines apart, so they are numbered in file order"
    elif numbers_its_lines(draft.table):
        draft.fields["line"] = "order"
        draft.fit.notes["line"] = "no head tells lines apart, so they are numbered in file order"
    _split_cells(draft)


def _split_cells(draft: Draft) -> None:
    settles = draft.fit.mapped.get("settles")
    if settles is None:
        return
    for sign in (";", ",", "|", "+"):
        if any(sign in text for text in settles.texts):
            draft.keys["split"] = {"settles": sign}
            _split_amounts(draft, sign)
            return


def _split_amounts(draft: Draft, sign: str) -> None:
    settles = draft.found.cells(draft.fit.mapped["settles"].at)
    shares = next(
        (column for column in draft.columns if _goes_along(draft.found.cells(column.at), settles, sign)), None
    )
    amount = draft.fields.get("amount")
    if shares is None:
        draft.unsure.append("split: no column tells each document's share, so a payment is shared over them in order")
        return
    draft.keys["split"]["amount"] = sign
    draft.taken.add(shares.head)
    draft.fields["amount"] = {"either": [shares.head, amount]} if isinstance(amount, str) else shares.head


def _goes_along(cells: Sequence[str], settles: Sequence[str], sign: str) -> bool:
    """Tell whether a column has as many numbers in a cell as there are documents that it is for."""
    if cells == settles:
        return False
    pairs = [(cell, documents) for cell, documents in zip(cells, settles, strict=True) if sign in documents]
    return bool(pairs) and all(
        len(cell.split(sign)) == len(documents.split(sign)) and number_style([cell]) is None
        for cell, documents in pairs
    )


def dimensions(draft: Draft) -> None:
    """Declare the columns that a plan's lines cannot be told apart without, and map them."""
    if not draft.table.plan_of:
        return
    told = [head for name, head in draft.fields.items() if isinstance(head, str) and not head.startswith("<")]
    keyed = [name for name in draft.table.key if draft.fields.get(name) in told]
    columns = [column for column in draft.columns if column.head in [draft.fields[name] for name in keyed]]
    columns += [
        column
        for column in draft.columns
        if "period" in draft.fields and column.head in heads_in({"period": draft.fields["period"]})
    ]
    able = [c for c in draft.columns if c.holds in ("code", "text") and c.head not in heads_in(draft.fields)]
    for many in (0, 1, 2):
        for chosen in combinations(able, many):
            rows = list(zip(*(draft.found.cells(c.at) for c in (*columns, *chosen)), strict=True))
            if len(set(rows)) == len(rows):
                for column in chosen:
                    name = "department" if heads_for("department", [column.head]) else head_word(column.head)
                    draft.fields[name] = column.head
                    draft.taken.add(column.head)
                    draft.declares[name] = "text"
                return
