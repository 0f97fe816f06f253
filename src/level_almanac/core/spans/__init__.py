"""From spans and shifts to the days that a column covers, and the day that a report is made for."""
