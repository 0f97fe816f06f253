"""How an export writes its numbers, and which of its amounts are the other way round."""

from level_almanac.errors import listed
from level_almanac.intake.proposing.columns import ColumnProfile, number_of
from level_almanac.intake.proposing.days_told import unfit_words
from level_almanac.intake.proposing.draft import Draft, ours, wide_columns_of
from level_almanac.intake.proposing.fit import is_document
from level_almanac.intake.proposing.guesses import NumberStyle, number_style
from level_almanac.intake.proposing.words import SIDES


def numbers(draft: Draft) -> None:
    """Say how numbers are written."""
    names = [each.name for each in draft.table.fields if each.kind in ("amount", "quantity")]
    columns = [draft.fit.mapped[name] for name in names if name in draft.fit.mapped and name in draft.fields]
    if "across" in draft.keys:
        heads = draft.keys["across"]["heads"]
        columns += [
            c
            for c in draft.columns
            if c.head in (heads if isinstance(heads, list) else [w.head for w in wide_columns_of(draft.columns)])
        ]
    for name, column in draft.fit.unfit.items():
        if name in names and name not in draft.fields:
            draft.unsure.append(unfit_words(name, "numbers", column))
    texts = [text for column in columns for text in column.texts]
    if isinstance(draft.fields.get("amount"), dict):
        split = next(iter(draft.keys.get("split", {}).values()), ";")
        texts = [piece.strip() for text in texts for piece in text.split(split)]
    style = number_style(texts)
    if style is None:
        if texts:
            draft.unsure.append("numbers: those of its columns are not written in one way")
        return
    _style(draft, style)


def _style(draft: Draft, style: NumberStyle) -> None:
    guess = style.guess
    if guess.others:
        readings = listed(
            f"decimal {each[0]!r}" for each in dict.fromkeys([(guess.decimal,), *((o[0],) for o in guess.others)])
        )
        draft.unsure.append(f"decimal sign: {guess.sample} can be read with {readings}")
    if guess.decimal != ".":
        draft.keys["decimal"] = guess.decimal
    if guess.thousands:
        draft.keys["thousands"] = guess.thousands
    if guess.negatives and guess.negatives != ("minus",):
        draft.keys["negatives"] = list(guess.negatives)
    if style.currency_signs:
        draft.keys["currency_signs"] = list(style.currency_signs)
    ways = list(style.ways)
    if draft.found.grid.block.format in ("xlsx", "ods", "xls", "xlsb") and _has_noise(style):
        ways.append("noise")
    if ways:
        draft.keys["numbers"] = ways
    if style.sides:
        debit, credit = style.sides
        draft.keys["sides"] = {"debit": list(debit), "credit": list(credit)} if debit else {"credit": list(credit)}


def signs(draft: Draft) -> None:
    """Say which amounts are the other way round."""
    side = next((column for column in draft.columns if column.holds == "side"), None)
    if side is not None and "amount" in draft.fields and "sides" not in draft.keys:
        debit, credit = next(pair for pair in SIDES if set(side.texts) <= set(pair))
        draft.keys["sides"] = {"head": side.head, "debit": [debit], "credit": [credit]}
        draft.taken.add(side.head)
    amount, kind = draft.fit.mapped.get("amount"), draft.fit.mapped.get("kind")
    if kind is not None and amount is not None and amount.number:
        _turned_kinds(draft, kind, amount)
    if draft.table.name == "sales" and amount is not None and amount.number and all(v <= 0 for v in amount.values()):
        draft.keys["signs"] = "turned"
        draft.unsure.append("signs: all amounts are below zero, and are turned")
    if draft.table.name == "budget" and "account" in draft.fit.mapped:
        _plan_signs(draft)


def _turned_kinds(draft: Draft, kind: ColumnProfile, amount: ColumnProfile) -> None:
    signs: dict[str, list[bool]] = {}
    for word, text in zip(draft.found.cells(kind.at), draft.found.cells(amount.at), strict=True):
        if text and amount.number and (value := number_of(text, amount.number)):
            signs.setdefault(word, []).append(value < 0)
    turned = [ours(draft, "kind", word) for word, below in signs.items() if all(below)]
    fixed = [word for word in dict.fromkeys(turned) if word and word != "adjustment"]
    if fixed and (is_document(draft.table) or draft.table.name == "billing"):
        draft.keys["turned_kinds"] = fixed


def _plan_signs(draft: Draft) -> None:
    """Say that a plan is in a ledger's signs where some accounts are all below zero and others all above."""
    account = draft.fit.mapped["account"]
    columns = [
        c
        for c in draft.columns
        if c.number
        and c.holds == "number"
        and c.head not in ("", *([draft.keys.get("across", {}).get("total")] if "across" in draft.keys else []))
    ]
    signs: dict[str, set[bool]] = {}
    for column in columns:
        if column is not draft.fit.mapped.get("amount") and column not in wide_columns_of(draft.columns):
            continue
        for code, text in zip(draft.found.cells(account.at), draft.found.cells(column.at), strict=True):
            if text and column.number and (value := number_of(text, column.number)):
                signs.setdefault(code, set()).add(value < 0)
    below = [code for code, found in signs.items() if found == {True}]
    above = [code for code, found in signs.items() if found == {False}]
    if below and above and len(below) + len(above) == len(signs):
        draft.keys["signs"] = "ledger"
        draft.unsure.append(f"signs: {below[0]} is planned below zero and {above[0]} above: taken for a ledger's signs")


def _has_noise(style: NumberStyle) -> bool:
    decimals = [text.partition(style.guess.decimal)[2] for text in style.numbers]
    return any(len(each) > 9 for each in decimals)
