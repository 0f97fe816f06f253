"""Suppliers' and customers' documents, what is open of them on a day, and the ledger beside them."""
