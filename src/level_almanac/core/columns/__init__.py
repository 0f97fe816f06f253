"""Columns of any table: column words placed on the calendar, paired, headed and computed."""
