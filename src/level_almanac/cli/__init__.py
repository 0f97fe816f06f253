"""The commands: read options, call core, hand a report to output. No figures are made here."""
