"""The demo book's pages and explanations: what its month-end is issued from."""

PAGES = {
    "month-end/1-ferries": """\
# What the ferries did against the budget. A variance past both limits has to be explained before it is issued.
title = "Ferries against budget"
about = "The ferries' period and year beside the budget"
report = "statement ferries"

[options]
entity = ["LINE"]
columns = [
  "ptd",
  "budget ptd",
  "variance",
  "variance %",
  "ytd",
  "budget ytd",
  "variance",
  # Last year's columns are there when they are asked for.
  { words = "ytd last year", if = "last-year" },
]

[ask.last-year]
kind = "yes-no"
label = "Last year's column too"
default = "no"

[explain]
column = "variance"
over = 10000
percent = 5
""",
    "month-end/2-balance": """\
title = "Balance sheet"
about = "Both companies' balances"
report = "statement balance"

[options]
level = 3

# The year's result so far stands here and below the trial balance, where debits are positive.
[[ties]]
row = "result"
column = "closing"
page = "month-end/3-trial"
turned = true
""",
    "month-end/3-trial": """\
title = "Trial balance"
about = "Every account: opening, debits, credits, closing"
report = "trial"

[options]
# So that it agrees with the balance sheet at the end of a closed year too.
after-closing = true
""",
    "month-end/4-customers": """\
title = "What customers owe, by age"
about = "Open amounts of customers, the largest first"
report = "aging receivable"

[options]
top = "{number}"

[ask.number]
kind = "amount"
label = "How many customers by name"
default = 20
least = 1
most = 200
""",
    "month-end/5-suppliers": """\
# The limit is on a supplier's total of the year so far, never on single bills.
title = "Suppliers paid past a limit"
about = "Who was paid more than a limit this year"
report = "parties payable"

[options]
on = "paid"
over = "{limit}"
except = [{ words = "kind is payment and reference is blank", if = "referenced" }]

[ask.limit]
kind = "amount"
label = "Paid more than"
default = 25000
least = 0

[ask.referenced]
kind = "yes-no"
label = "Leave payments without a reference out"
default = "no"
""",
    "month-end/6-spending": """\
title = "Spending against budget"
about = "Spent of the budget by department, and its end"
report = "pace ledger"

[options]
entity = ["LINE"]
by = "department"
""",
    "month-end/7-desks": """\
title = "Billing desks"
about = "Charges, payments, adjustments by terminal"
report = "billing"

[options]
period = "{period}"
by = "office"
payments-by = "deposited"

[ask.period]
kind = "period"
label = "Which period"
default = "this period"
""",
    "month-end/8-sales": """\
title = "What sells most"
about = "The largest items and all other"
report = "rank sales"

[options]
by = "item"
top = 8
""",
    "enquiries/party-lines": """\
# For questions on the telephone: every ledger line of a party in some days.
title = "Ledger lines of a party"
about = "Every ledger line of a party in some days"
report = "list ledger"

[options]
only = ["party is {party}", "memo contains {words}"]
from = "{days.first}"
through = "{days.last}"
show = "posted, account, account.name, document, reference, memo, amount"

[ask.party]
kind = "text"
label = "Which party, by its code"

[ask.days]
kind = "days"
label = "From which day through which"
default = "start of this year through as-of"
most = "today"
longest = "1 year"

[ask.words]
kind = "text"
label = "Memo contains"
optional = true
""",
}
"""The text of each page by its name."""

EXPLANATIONS = {
    "month-end/1-ferries": """\
# Explanations of single figures; `almanac explain` writes them, and each counts for its period alone.

[[explanation]]
period = "2026-P08"
row = "freight"
column = "variance"
figure = "-11229.81"
text = "Two lorry customers moved their spring loads into June"
by = "M. Sorley"
written = "2026-06-03"

[[explanation]]
period = "2026-P08"
row = "50110"
column = "variance"
figure = "16624.11"
text = "Merlin was in dock for nine days and burned nothing"
by = "M. Sorley"
written = "2026-06-03"
""",
}
"""The text of the explanations of a page, by its name."""
