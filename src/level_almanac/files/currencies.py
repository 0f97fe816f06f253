"""How many decimals a currency has (ISO 4217); those not named here have two."""

_OTHER_THAN_TWO = {
    0: "BIF CLP DJF GNF ISK JPY KMF KRW PYG RWF UGX UYI VND VUV XAF XOF XPF",
    3: "BHD IQD JOD KWD LYD OMR TND",
}
_DECIMALS = {code: decimals for decimals, codes in _OTHER_THAN_TWO.items() for code in codes.split()}


def decimals_of(currency: str) -> int:
    """Return the number of decimals of the currency with this three-letter code."""
    return _DECIMALS.get(currency, 2)
