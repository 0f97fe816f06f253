"""Charges, payments and adjustments by the date that matters."""

from level_almanac.core.reports.definition import Report, Tracing

REPORT = Report(
    package=__name__,
    name="billing",
    help="Charges, payments and adjustments, by the date that matters.",
    about="""Covers the period to date, or the days asked for. Charges go by the day
they were served or posted, payments by the day they were posted, the
date of the cheque, or the day they were banked.""",
    examples=(
        "billing --by office",
        "billing --period 2026-P08 --payments-by deposited",
        'billing --from 2026-06-15 --through 2026-06-17 --only "office is Kelsay" --lines',
        'billing --unposted --by "office, desk"',
        "billing --day 2026-06-16 -o day.xlsx",
    ),
    request="report:BillingRequest",
    make="made:billing",
    tracing=Tracing(
        code="trace:billing_trace",
        help="The entries behind a figure of billing.",
        example="billing --by office --row Kelsay --column net",
    ),
)
