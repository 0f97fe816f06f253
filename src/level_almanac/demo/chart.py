"""The chart of accounts of both demo companies, four levels deep."""

CLASS_WORDS = {
    "assets": "asset",
    "liabilities": "liability",
    "capital": "equity",
    "revenue": "income",
    "direct": "direct-cost",
    "overhead": "expense",
}
"""How the demo's export writes classes, as exports have words of their own."""

CHART = """
10     assets       Fixed assets
101    assets       Vessels and quays
10110  assets       Vessels, cost
10119  assets       Vessels, depreciation
10120  assets       Quays, cost
10129  assets       Quays, depreciation
102    assets       Yard plant
10210  assets       Slip and cranes, cost
10219  assets       Slip and cranes, depr.
12     assets       Current assets
121    assets       Receivables
12110  assets       Freight customers          receivable
12120  assets       Yard customers             receivable
12190  assets       Doubtful debts allowance
122    assets       Stocks
12210  assets       Fuel in tanks
12220  assets       Shop goods
12230  assets       Steel and paint
123    assets       Banks and cash
12310  assets       Current account
12320  assets       Reserve account
12330  assets       Cash at terminals
12340  assets       Card takings in transit
124    assets       Paid ahead
12410  assets       Insurance paid ahead
20     liabilities  Liabilities
201    liabilities  Trade payables
20110  liabilities  Suppliers                  payable
20190  liabilities  Invoices to come
202    liabilities  Taxes and pay
20210  liabilities  Sales tax
20220  liabilities  Payroll tax and social
20230  liabilities  Corporation tax
203    liabilities  Loans and leases
20310  liabilities  Vessel loan
20320  liabilities  Lease obligations
204    liabilities  Season tickets sold ahead
20410  liabilities  Season tickets
205    liabilities  Between the companies
20510  liabilities  Skellan Line and Yard
30     capital      Equity
30100  capital      Share capital
30200  capital      Retained earnings
40     revenue      Traffic
401    revenue      Passengers
4011   revenue      Sound routes
40111  revenue      Foot passengers, Sound
40112  revenue      Cars and vans, Sound
4012   revenue      Outer Isles routes
40121  revenue      Foot passengers, Isles
40122  revenue      Cars and vans, Isles
40130  revenue      Season tickets used
40190  revenue      Refunds and goodwill
402    revenue      Freight
40210  revenue      Lorries and trailers
40220  revenue      Parcels and livestock
403    revenue      On board
40310  revenue      Shop
40320  revenue      Galley
45     revenue      Yard work
451    revenue      Refits
45110  revenue      Refits, other owners
45120  revenue      Refits, own group
452    revenue      Slip and storage
45210  revenue      Slip days
45220  revenue      Winter storage
49     revenue      Other income
491    revenue      Grants and rents
49110  revenue      Lifeline route grant
49120  revenue      Quay rents
50     direct       Running costs
501    direct       Fuel and power
50110  direct       Marine gas oil
50120  direct       Lubricants
50130  direct       Shore power
502    direct       Harbour dues
50210  direct       Dues, Sound ports
50220  direct       Dues, Outer Isles
503    direct       Goods sold
50310  direct       Shop goods sold
50320  direct       Galley provisions
504    direct       Yard materials
50410  direct       Steel and paint used
50420  direct       Riggers and divers
60     overhead     People
601    overhead     Crews
60110  overhead     Crew wages
60120  overhead     Crew overtime
602    overhead     Shore staff
60210  overhead     Terminal wages
60220  overhead     Yard wages
60230  overhead     Office wages
603    overhead     On top of wages
60310  overhead     Social charges
60320  overhead     Training and drills
61     overhead     Vessels and premises
611    overhead     Leases
61110  overhead     Vessel lease
61120  overhead     Terminal rents
612    overhead     Upkeep
61210  overhead     Dry dock
61220  overhead     Running repairs
613    overhead     Cover and power
61310  overhead     Insurance
61320  overhead     Heat, light and water
62     overhead     Office and selling
621    overhead     Office
62110  overhead     Booking system
62120  overhead     Audit and advice
62130  overhead     Telephones and post
622    overhead     Selling
62210  overhead     Card fees
62220  overhead     Notices and timetables
62290  overhead     Debts written down
63     overhead     Depreciation
631    overhead     Wear of vessels and plant
63110  overhead     Vessels and quays
63120  overhead     Yard plant
64     overhead     Interest and tax
641    overhead     Interest
64110  overhead     Loan interest
642    overhead     Tax on the result
64210  overhead     Corporation tax
"""


def chart_rows() -> list[tuple[str, str, str, str, str]]:
    """Return (account, name, word for its class, parent or blank, control or blank) of each account, parents first."""
    rows: list[tuple[str, str, str, str, str]] = []
    for line in CHART.strip().splitlines():
        code, word, rest = line.split(None, 2)
        name, _, control = (part.strip() for part in rest.partition("   "))
        known = {row[0] for row in rows}
        parent = next((code[:length] for length in range(len(code) - 1, 1, -1) if code[:length] in known), "")
        rows.append((code, name, word, parent, control))
    return rows


INCOME_WORDS = frozenset(("revenue", "direct", "overhead"))
"""The classes whose accounts are closed at each year's end."""
