"""Rows that are lines of several kinds: both sides of an entry, documents with their payments or parties' names."""

from collections.abc import Iterator
from typing import Any

from level_almanac.intake.proposing.draft import Draft, heads_in
from level_almanac.intake.proposing.fit import is_document
from level_almanac.intake.proposing.words import heads_for
from level_almanac.intake.proposing.writing import ProposedBlock
from level_almanac.intake.shaping.head_words import head_word


def by_accounts(draft: Draft) -> bool:
    """Tell whether each row names the accounts of both sides."""
    return bool(heads_for("debit_account", draft.heads) and heads_for("credit_account", draft.heads))


def with_others(draft: Draft, block: ProposedBlock) -> list[ProposedBlock]:
    """Return the block, with those of the other lines that each row is."""
    if draft.table.name == "ledger" and by_accounts(draft) and not {"debit", "credit"} <= draft.fields.keys():
        return _two_sides(draft, block)
    if is_document(draft.table):
        return [*_names(draft, block), block, *_payments(draft, block)] if _names(draft, block) else [
            block, *_payments(draft, block),
        ]  # fmt: skip
    return [block]


def _two_sides(draft: Draft, block: ProposedBlock) -> list[ProposedBlock]:
    """Return one block for the debit of each row, and one for its credit."""
    found = []
    amount = block.fields.pop("amount", None)
    for line, side in enumerate(("debit", "credit"), 1):
        head = heads_for(f"{side}_account", draft.heads)[0]
        fields = {
            name: told for name, told in block.fields.items() if name not in ("account", "line", "debit", "credit")
        }
        fields |= {"account": head, side: amount}
        keys = {**block.keys, "name": f"{side}s", "shares_records": True}
        keys["set"] = {**block.keys.get("set", {}), "line": str(line)}
        remarks = {name: told for name, told in block.remarks.items() if name in fields and name != "account"}
        found.append(
            _replace_block(block, keys, fields, remarks, [head for head in block.left if head not in heads_in(fields)])
        )
    others = {heads_for(f"{side}_account", draft.heads)[0] for side in ("debit", "credit")}
    for each in found:
        each.left = [head for head in each.left if head not in others]
        each.missing = [name for name in each.missing if name != "account"]
        each.unsure = [words for words in each.unsure if not words.startswith(("account:", "debit and credit:"))]
    return found


def _names(draft: Draft, block: ProposedBlock) -> list[ProposedBlock]:
    """Return a block of the parties whose names stand beside their documents."""
    head = next(iter(heads_for("party_name", draft.heads)), None)
    party = draft.fields.get("party")
    if head is None or not isinstance(party, str) or ("payee" in draft.fields and draft.fields["payee"] == head):
        return []
    block.keys = {**block.keys, "shares_records": True}
    block.left = [each for each in block.left if each != head]
    keys = {key: told for key, told in block.keys.items() if key not in ("set", "split", "turned_kinds", "totals")}
    keys = {**keys, "table": "parties", "repeated": True, "set": {"side": draft.table.name.removesuffix("s")}}
    return [ProposedBlock(keys, {"party": party, "name": head})]


def _payments(draft: Draft, block: ProposedBlock) -> Iterator[ProposedBlock]:
    """Yield a block of the payments that stand in the rows of what they pay."""
    day = next(iter(heads_for("paid_on", draft.heads)), None)
    paid = next((head for head in heads_for("paid", draft.heads) if head != day), None)
    number = draft.fields.get("number")
    if day is None or "kind" in draft.fields or not isinstance(number, str):
        return
    block.keys = {**block.keys, "name": "invoices", "shares_records": True}
    block.left = [each for each in block.left if each not in (day, paid)]
    fields = {"party": draft.fields["party"], "number": {"join": [number, day]}, "date": day}
    fields |= {"amount": paid or draft.fields["amount"], "settles": number, "applied": day}
    keys = {**block.keys, "name": "payments", "only": f"{head_word(day)} is not blank"}
    keys["set"] = {**block.keys.get("set", {}), "kind": "payment"}
    yield ProposedBlock(keys, fields)


def _replace_block(
    block: ProposedBlock, keys: dict[str, Any], fields: dict[str, Any], remarks: dict[str, str], left: list[str]
) -> ProposedBlock:
    """Return a block with other keys and fields."""
    return ProposedBlock(
        keys, fields, remarks, block.values, left, list(block.missing), block.choices, list(block.unsure)
    )
