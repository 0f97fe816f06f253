"""Invoices and credits one by one."""
