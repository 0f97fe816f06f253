"""The text files of the demo book: its `almanac.toml`, and a layout of its own."""

BOOK = """\
# The demo book: Skellan Line, island ferries, and Skellan Yard, its boatyard. All of it is made up.

[book]
name = "Skellan books"
time_zone = "Europe/Dublin"

[entities.LINE]
name = "Skellan Line"
currency = "EUR"
retained_earnings = "30200"

[entities.YARD]
name = "Skellan Yard"
currency = "EUR"
retained_earnings = "30200"

[calendar]
year_start = "10-01"          # 1 October
year_named_by = "end"         # the year to 30 September 2026 is 2026
extra_periods = 1             # P13 takes the adjustments at year end
closed_through = "2026-P08"

[entry_classes]
carried = "source is CF"      # balances carried forward, dated the old year's last day
closing = "source is CL"      # the year's result transferred to retained earnings
adjusting = "source is AJ or period is P13"

[tables.ledger.fields]
department = "text"
vessel = "text"

[tables.budget.fields]
department = "text"

# A table of the book's own. The ledger's field `vessel` is named like its key, and so leads to its fields.
[tables.vessels]
key = ["vessel"]
date = "launched"

[tables.vessels.fields]
vessel = "text"
kind = "text"
launched = "date"
cars = "quantity"
insured = "amount"

# What was sold, item by item and day by day. The margin is made of totals, never of single lines' margins.
[tables.sales.fields]
terminal = "text"
route = "text"
vessel = "text"

[tables.sales.compute]
margin = "(amount - cost) / amount"

[tables.items]
key = ["item"]

[tables.items.fields]
item = "text"
name = "text"
range = "text"

# A plan for sales, route by route.
[tables.sales_plan]
plan_of = "sales"

[tables.sales_plan.fields]
route = "text"

[billing]
most_days = 366               # `almanac billing` takes no longer range

# One supplier has two codes.
[parties]
same_as = { V149 = "V012" }

# Numbers that run without a gap, for `almanac check`.
[[numbering]]
table = "ledger"
field = "journal"

[[numbering]]
table = "payables"
field = "number"
only = "kind is payment"

# What each company says of the other has to be the same, document by document.
[[agree]]
name = "between the companies"
left = { table = "ledger", sum = "amount", only = "account is 20510 and entity is LINE", by = "document" }
right = { table = "ledger", sum = "- amount", only = "account is 20510 and entity is YARD", by = "document" }

[plans.budget]
part_period = "even"          # 17 of June's 30 days have 17/30 of June's budget

[plans.forecast]
part_period = "working"       # by days that are worked on
year_split = [7.0, 5.0, 4.9, 4.3, 4.6, 5.8, 7.7, 9.3, 11.5, 14.8, 15.2, 9.9]   # October to September, in percent
totals = { upkeep = "540000.00" }

[plans.target]
year_split = [7.0, 5.0, 4.9, 4.3, 4.6, 5.8, 7.7, 9.3, 11.5, 14.8, 15.2, 9.9]
totals = { takings = "7400000.00" }   # shared out among the routes

[styles.board]
units = 1000                  # thousands, for the board
negatives = "parens"
zeros = "dash"

[page]
footer = "Skellan books, made up"

[[intake]]
table = "accounts"
files = "exports/chart.csv"
fields = { account = "Code", name = "Name", class = "Type", parent = "Below", control = "Control" }

[intake.values.class]
assets = "asset"
liabilities = "liability"
capital = "equity"
revenue = "income"
direct = "direct-cost"
overhead = "expense"

[[intake]]
table = "vessels"
files = "exports/vessels.csv"
fields = { vessel = "Vessel", kind = "Kind", launched = "Launched", cars = "Cars", insured = "Insured for" }

[[intake]]
table = "budget"
files = "exports/plans/budget-*.csv"
period = "YYYY-PP"

[intake.fields]
scenario = "Plan"
entity = "Company"
account = "Account"
department = "Dept"
period = "Month"
amount = "Planned"

# The forecast was made for the whole year; upkeep in it is shares of one amount, named above.
[[intake]]
table = "budget"
files = "exports/plans/forecast-*.csv"

[intake.fields]
scenario = "Plan"
entity = "Company"
account = "Account"
period = "Year"
amount = "Planned"
share = "Percent"
share_of = "Of"

[[intake]]
table = "items"
files = "exports/items.csv"
fields = { item = "Item", name = "Name", range = "Range" }

[[intake]]
table = "sales"
files = "exports/sales/sales-*.csv"

[intake.fields]
entity = "Company"
number = "Till"
line = "Pos"
date = "Day"
terminal = "Terminal"
route = "Route"
vessel = "Vessel"
item = "Item"
quantity = "Sold"
amount = "Takings"
cost = "Cost of goods"

[[intake]]
table = "sales_plan"
files = "exports/plans/target-*.csv"

[intake.fields]
scenario = "Plan"
entity = "Company"
period = "Year"
route = "Route"
share = "Percent"
share_of = "Of"

# The billing desks: what was charged, what others and travellers paid, and what was let go, with all their dates.
[[intake]]
table = "billing"
files = "exports/billing/billing-*.csv"
set = { entity = "LINE" }
values.kind = { CHG = "charge", PPY = "payer-payment", CPY = "customer-payment", ADJ = "adjustment" }

[intake.fields]
number = "Bill"
line = "Pos"
kind = "What"
served = "Served"
posted = "Booked"
checked = "Cheque dated"
deposited = "Banked"
office = "Site"
desk = "Desk"
party = "Customer"
payer = "Payer"
reason = "Why"
amount = "Amount"

[[intake]]
table = "parties"
files = "exports/items/parties.csv"
fields = { party = "Code", name = "Name", side = "Side" }
values.side = { S = "payable", C = "receivable" }

# Suppliers' and customers' documents, and what settled them: one line for each document that a payment settles.
[[intake]]
table = "payables"
files = "exports/items/suppliers.csv"
values.kind = { INV = "invoice", CRN = "credit", PAY = "payment", WOF = "write-off", REF = "refund", VOI = "void" }

[intake.fields]
entity = "Company"
party = "Party"
kind = "Kind"
number = "Number"
line = "Pos"
date = "Date"
due = "Due"
posted = "Booked"
amount = "Amount"
settles = "Settles"
applied = "Matched"
reference = "Reference"
payee = "Payee"
memo = "Text"

[[intake]]
table = "receivables"
files = "exports/items/customers.csv"
values.kind = { INV = "invoice", CRN = "credit", PAY = "payment", WOF = "write-off", REF = "refund", VOI = "void" }

[intake.fields]
entity = "Company"
party = "Party"
kind = "Kind"
number = "Number"
line = "Pos"
date = "Date"
due = "Due"
posted = "Booked"
amount = "Amount"
settles = "Settles"
applied = "Matched"
reference = "Reference"
payee = "Payee"
memo = "Text"

# The ferry company's system writes UTF-8, ISO dates, and a debit and a credit column.
[[intake]]
table = "ledger"
files = "exports/line/*.csv"
period = "YYYY-PP"
set = { entity = "LINE" }

[intake.fields]
journal = "Journal"
line = "Line"
posted = "Posted"
period = "Period"
account = "Account"
debit = "Debit"
credit = "Credit"
source = "Source"
document = "Document"
reference = "Reference"
party = "Party"
partner = "Partner"
memo = "Text"
department = "Department"
vessel = "Vessel"

# The yard's older one writes Latin-1, day-first dates, and one amount whose credits end in a minus.
[[intake]]
table = "ledger"
files = "exports/yard/*.csv"
encoding = "latin-1"
delimiter = ";"
dates = "DD.MM.YYYY"
period = "PP/YYYY"
decimal = ","
thousands = "."
negatives = ["trailing-minus"]
set = { entity = "YARD" }

[intake.fields]
journal = "Voucher"
line = "Pos"
posted = "Date"
period = "Per"
account = "Acct"
amount = "Value"
source = "Kind"
document = "Doc"
reference = "Ref"
party = "Counterpart"
partner = "Group"
memo = "Narration"
department = "Dept"
"""
FERRIES = """\
# How the ferries do: what each kind of traffic brings, what is left after running costs, and what part of it.
title = "Ferries at a glance"
measure = "movement"
columns = "ptd; budget ptd; variance; variance %; ytd; budget ytd; variance; variance %"

[[rows]]
heading = "Traffic"

[[rows]]
key = "passengers"
label = "Passengers and cars"
branch = "401"
level = 1

[[rows]]
key = "freight"
label = "Freight"
branch = "402"
level = 1

[[rows]]
key = "on-board"
label = "On board"
branch = "403"
level = 1

[[rows]]
key = "traffic"
label = "Total traffic"
sum_of = ["passengers", "freight", "on-board"]

[[rows]]
blank = true

[[rows]]
key = "running"
heading = "Running costs"
accounts = "account from 50110 through 50320 and account not in 50310, 50320"
show = "each"
total = "Total running costs"

[[rows]]
key = "goods"
label = "Goods sold"
accounts = "account in 50310, 50320"

[[rows]]
key = "margin"
label = "Margin of the ferries"
formula = "traffic - running - goods"

[[rows]]
key = "margin-share"
label = "Margin in percent of traffic"
ratio = "margin / traffic"

[[rows]]
blank = true

[[rows]]
key = "crews"
label = "Crews"
branch = "601"

[[rows]]
key = "other"
label = "All else, net"
accounts = '''account begins 45 or account begins 49 or account begins 504 or account begins 602 or account begins 603
or account begins 61 or account begins 62 or account begins 63 or account begins 64'''
sign = "debit"

[[rows]]
key = "result"
label = "Result"
formula = "margin - crews - other"
kind = "total"
"""
