"""What exports call things, in the plain words of several languages: fields, totals, sides, classes and kinds."""

import re
import tomllib
from collections.abc import Mapping, Sequence
from functools import cache, lru_cache
from importlib import resources

from level_almanac.files.month_names import letters_of

CLASS_WORDS = {
    "asset": ("asset", "assets", "a", "as", "aktiva", "aktiv", "actif", "activo", "activa", "aktywa"),
    "liability": ("liability", "liabilities", "l", "li", "payable", "passiva", "passiv", "passif", "pasivo", "pasywa"),
    "equity": ("equity", "capital", "eq", "e", "eigenkapital", "capitaux propres", "patrimonio", "eigen vermogen"),
    "income": ("income", "revenue", "sales", "i", "r", "in", "rv", "ertrag", "erlose", "produits", "ingresos",
               "opbrengsten", "przychody"),
    "direct-cost": ("direct cost", "cost of sales", "cogs", "cost of goods sold", "direct", "d", "dc", "wareneinsatz"),
    "expense": ("expense", "expenses", "cost", "costs", "x", "ex", "overhead", "aufwand", "charges", "gastos",
                "kosten", "koszty"),
}  # fmt: skip
KIND_WORDS = {
    "invoice": ("invoice", "inv", "bill", "i", "in", "rechnung", "facture", "factura", "factuur", "faktura"),
    "credit": ("credit", "credit note", "credit memo", "crn", "cn", "cm", "gutschrift", "avoir", "abono", "creditnota",
               "korekta"),
    "payment": ("payment", "pay", "pmt", "receipt", "p", "py", "cheque", "check", "zahlung", "paiement", "pago",
                "betaling", "zaplata"),
    "write-off": ("write-off", "write off", "wof", "wo", "ausbuchung"),
    "refund": ("refund", "ref", "rf", "erstattung"),
    "void": ("void", "voided", "voi", "vd", "stopped", "storno"),
}  # fmt: skip
BILLING_WORDS = {
    "charge": ("charge", "chg", "charged", "billed", "fee", "debit", "gebuhr", "cargo"),
    "payer-payment": ("payer payment", "ppy", "payer", "insurance payment", "third party payment"),
    "customer-payment": ("customer payment", "cpy", "customer", "receipt", "payment", "guest payment"),
    "adjustment": ("adjustment", "adj", "correction", "korrektur", "ajuste"),
}
SIDE_WORDS = {
    "payable": ("payable", "supplier", "suppliers", "vendor", "vendors", "creditor", "s", "v", "kreditor", "lieferant"),
    "receivable": ("receivable", "customer", "customers", "client", "debtor", "c", "debitor", "kunde"),
}
WORDS_OF = {"class": CLASS_WORDS, "kind": KIND_WORDS, "side": SIDE_WORDS}
"""What exports call the few values that a field takes."""
SIDES = (
    ("S", "H"), ("D", "C"), ("Dr", "Cr"), ("DR", "CR"), ("Soll", "Haben"), ("Debit", "Credit"), ("D", "H"),
    ("Debe", "Haber"), ("D", "K"), ("Wn", "Ma"), ("WN", "MA"), ("Debet", "Credit"), ("Débit", "Crédit"),
)  # fmt: skip
"""The words of a debit and of a credit that stand together."""
TOTAL_WORDS = (
    "total", "totals", "grand total", "subtotal", "sub total", "sum", "summe", "gesamt", "gesamtsumme", "zwischensumme",
    "endsumme", "somme", "total general", "sous total", "suma", "razem", "ogolem", "totaal", "subtotaal", "balance",
)  # fmt: skip
END_WORDS = ("end of", "printed", "page", "seite", "report", "records", "ende", "fin de", "generated", "run on")
GRAND = ("grand total", "gesamtsumme", "total general", "endsumme", "razem", "ogolem", "report total")
PAYABLE_WORDS = ("vendor", "supplier", "creditor", "kreditor", "lieferant", "fournisseur", "proveedor", "leverancier",
                 "dostawca", "crediteur", "payable", "purchase", "bill")  # fmt: skip
RECEIVABLE_WORDS = ("customer", "client", "debtor", "debitor", "kunde", "cliente", "klant", "klient", "odbiorca",
                    "debiteur", "receivable", "sales invoice")  # fmt: skip
PLAN_WORDS = ("budget", "plan", "forecast", "outlook", "prognose", "presupuesto", "begroting", "budzet", "previsions")


@lru_cache(maxsize=1 << 16)
def plain(text: str) -> str:
    """Return a text in small letters without marks, with single spaces for all that is neither letter nor figure."""
    return " ".join(re.findall(r"[a-z0-9]+", letters_of(text)))


@cache
def head_words() -> Mapping[str, tuple[str, ...]]:
    """Return by field what exports call it, the surest words first."""
    text = resources.files(__package__).joinpath("head_words.toml").read_text(encoding="utf-8")
    return {
        field: tuple(plain(word) for words in told.values() for word in words)
        for field, told in tomllib.loads(text).items()
    }


def heads_for(field: str, heads: Sequence[str]) -> list[str]:
    """Return the heads that may be a field, the likeliest first."""
    names = (plain(field), *head_words().get(field, ()))
    # Words are put together and apart as a column's width has it: `Buchungs- datum`.
    ranked = {plain(head).replace(" ", ""): head for head in reversed(heads) if plain(head)}
    known = dict.fromkeys(name.replace(" ", "") for name in names)
    return [ranked[name] for name in known if name in ranked]


@cache
def known_heads() -> frozenset[str]:
    """Return every word that some field is called by."""
    return frozenset(name for field, words in head_words().items() for name in (plain(field), *words))


def is_total(text: str) -> bool:
    """Tell whether a text is what stands in the row of a total, ahead of what it totals or alone."""
    words = plain(text)
    return any(words == total or words.startswith(f"{total} ") for total in TOTAL_WORDS)


def is_end(text: str) -> bool:
    """Tell whether a text is of a row that ends a list."""
    words = plain(text)
    return any(words == end or words.startswith(f"{end} ") for end in END_WORDS)


def word_for(field: str, word: str, choices: Sequence[str] = ()) -> str:
    """Return our word for one of an export, or nothing where it is not known. choices: of the field, in its table."""
    known = BILLING_WORDS if "charge" in choices else WORDS_OF.get(field, {})
    return next((ours for ours, each in known.items() if plain(word) in each or word == ours), "")
