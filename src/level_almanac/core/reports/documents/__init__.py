"""Invoices and credits one by one."""

from level_almanac.core.reports.definition import Report, Tracing

REPORT = Report(
    package=__name__,
    name="documents",
    help="Invoices and credits: all, open, overdue, unapplied.",
    about="""A period, quarter or year takes the documents posted in it, as of its
end, and --from with --through those of a range. With --as-of alone all
documents count.""",
    examples=(
        "documents receivable --overdue --over 2000",
        "documents payable --open --by party",
        'documents payable --only "party is V007" --year 2025 --settled',
        'documents receivable --overdue --show "party.name, late, open, status"',
    ),
    request="report:DocumentsRequest",
    make="report:documents",
    tracing=Tracing(
        code="trace:documents_trace",
        help="What settled a document, and its ledger lines.",
        example="documents receivable --overdue --row total",
    ),
)
