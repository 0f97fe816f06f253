"""What spans are called in heads."""

SPAN_LABELS = {
    "wtd": "week to date",
    "mtd": "month to date",
    "ptd": "period to date",
    "qtd": "quarter to date",
    "ytd": "year to date",
}
