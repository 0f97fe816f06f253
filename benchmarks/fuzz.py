"""Made-up trouble for as long as one likes: `python benchmarks/fuzz.py --minutes 60` (tests/fuzzing.py says what of).

Prints how many commands of each kind ended with which code, and each case that came to what none may, by its seed.
"""

import argparse
import sys
import tempfile
import time
from pathlib import Path
from unittest.mock import patch

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))

from fuzzing import Fuzz  # noqa: E402  of the tests
from level_almanac.core.book import Book  # noqa: E402  as above
from level_almanac.store.engines.duckdb_engine import DuckDBEngine  # noqa: E402  as above


def main() -> None:
    """Try cases until the time is up."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--minutes", type=float, default=60)
    asked.add_argument("--first", type=int, default=0, metavar="SEED")
    asked.add_argument("--only", default="", metavar="KIND", help="kinds that begin like this")
    options = asked.parse_args()
    end, seed, found = time.monotonic() + 60 * options.minutes, options.first, 0
    with tempfile.TemporaryDirectory() as folder, patch.object(Book, "engine", DuckDBEngine([Path(folder)])):
        fuzz = Fuzz(Path(folder))
        while time.monotonic() < end:
            for kind in fuzz.kinds:
                if kind.startswith(options.only):
                    try:
                        fuzz.case(kind, seed)
                    except Exception as error:  # whatever it is, the next case is tried
                        found += 1
                        print(f"{kind}, seed {seed}: {type(error).__name__}: {str(error)[:500]}", flush=True)
            seed += 1
    for (kind, code), count in sorted(fuzz.tried.items()):
        print(f"{kind:40} ended with {code}: {count:,}")
    print(f"{sum(fuzz.tried.values()):,} commands, seeds {options.first} to {seed - 1}; {found} cases to look at")
    sys.exit(bool(found))


if __name__ == "__main__":
    main()
