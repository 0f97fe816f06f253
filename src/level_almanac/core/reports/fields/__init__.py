"""What can be asked for."""

from level_almanac.core.reports.definition import Report

REPORT = Report(
    package=__name__,
    name="fields",
    help="What can be asked for: tables, their fields, and a few values.",
    about="""Without TABLE, the tables of the book. With WORD, or with one word that is
no table, the fields that have it in their name. With --values, each value
that a field has, or those that WORD is a part of.""",
    examples=("fields", "fields ledger", "fields department", "fields billing --values office"),
    request="report:FieldsRequest",
    make="report:fields_report",
    page=False,
)
