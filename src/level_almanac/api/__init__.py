"""The surface for Python, and what it shares with the command line: loading, and the files of an edition."""
