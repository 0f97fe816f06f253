"""The chart of accounts of both demo companies, four levels deep."""

CLASS_LETTERS = {
    "A": "asset",
    "L": "liability",
    "Q": "equity",
    "I": "income",
    "D": "direct-cost",
    "X": "expense",
}
"""How the demo's export writes classes, as exports have words of their own."""

CHART = """
10     A  Fixed assets
101    A  Vessels and quays
10110  A  Vessels, cost
10119  A  Vessels, depreciation
10120  A  Quays, cost
10129  A  Quays, depreciation
102    A  Yard plant
10210  A  Slip and cranes, cost
10219  A  Slip and cranes, depr.
12     A  Current assets
121    A  Receivables
12110  A  Freight customers          receivable
12120  A  Yard customers             receivable
12190  A  Doubtful debts allowance
122    A  Stocks
12210  A  Fuel in tanks
12220  A  Shop goods
12230  A  Steel and paint
123    A  Banks and cash
12310  A  Current account
12320  A  Reserve account
12330  A  Cash at terminals
12340  A  Card takings in transit
124    A  Paid ahead
12410  A  Insurance paid ahead
20     L  Liabilities
201    L  Trade payables
20110  L  Suppliers                  payable
20190  L  Invoices to come
202    L  Taxes and pay
20210  L  Sales tax
20220  L  Payroll tax and social
20230  L  Corporation tax
203    L  Loans and leases
20310  L  Vessel loan
20320  L  Lease obligations
204    L  Season tickets sold ahead
20410  L  Season tickets
205    L  Between the companies
20510  L  Skellan Line and Yard
30     Q  Equity
30100  Q  Share capital
30200  Q  Retained earnings
40     I  Traffic
401    I  Passengers
4011   I  Sound routes
40111  I  Foot passengers, Sound
40112  I  Cars and vans, Sound
4012   I  Outer Isles routes
40121  I  Foot passengers, Isles
40122  I  Cars and vans, Isles
40130  I  Season tickets used
40190  I  Refunds and goodwill
402    I  Freight
40210  I  Lorries and trailers
40220  I  Parcels and livestock
403    I  On board
40310  I  Shop
40320  I  Galley
45     I  Yard work
451    I  Refits
45110  I  Refits, other owners
45120  I  Refits, own group
452    I  Slip and storage
45210  I  Slip days
45220  I  Winter storage
49     I  Other income
491    I  Grants and rents
49110  I  Lifeline route grant
49120  I  Quay rents
50     D  Running costs
501    D  Fuel and power
50110  D  Marine gas oil
50120  D  Lubricants
50130  D  Shore power
502    D  Harbour dues
50210  D  Dues, Sound ports
50220  D  Dues, Outer Isles
503    D  Goods sold
50310  D  Shop goods sold
50320  D  Galley provisions
504    D  Yard materials
50410  D  Steel and paint used
50420  D  Riggers and divers
60     X  People
601    X  Crews
60110  X  Crew wages
60120  X  Crew overtime
602    X  Shore staff
60210  X  Terminal wages
60220  X  Yard wages
60230  X  Office wages
603    X  On top of wages
60310  X  Social charges
60320  X  Training and drills
61     X  Vessels and premises
611    X  Leases
61110  X  Vessel lease
61120  X  Terminal rents
612    X  Upkeep
61210  X  Dry dock
61220  X  Running repairs
613    X  Cover and power
61310  X  Insurance
61320  X  Heat, light and water
62     X  Office and selling
621    X  Office
62110  X  Booking system
62120  X  Audit and advice
62130  X  Telephones and post
622    X  Selling
62210  X  Card fees
62220  X  Notices and timetables
62290  X  Debts written down
63     X  Depreciation
631    X  Wear of vessels and plant
63110  X  Vessels and quays
63120  X  Yard plant
64     X  Interest and tax
641    X  Interest
64110  X  Loan interest
642    X  Tax on the result
64210  X  Corporation tax
"""


def chart_rows() -> list[tuple[str, str, str, str, str]]:
    """Return (account, name, class letter, parent or blank, control or blank) of each account, parents first."""
    rows: list[tuple[str, str, str, str, str]] = []
    for line in CHART.strip().splitlines():
        code, letter, rest = line.split(None, 2)
        name, _, control = (part.strip() for part in rest.partition("   "))
        known = {row[0] for row in rows}
        parent = next((code[:length] for length in range(len(code) - 1, 1, -1) if code[:length] in known), "")
        rows.append((code, name, letter, parent, control))
    return rows


INCOME_LETTERS = frozenset("IDX")
"""The classes whose accounts are closed at each year's end."""
