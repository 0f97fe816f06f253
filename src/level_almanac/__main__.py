"""`python -m level_almanac` is `almanac`."""

from level_almanac.cli.main import run

run()
