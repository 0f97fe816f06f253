"""Speed, as ratios within one run (benchmarks/README.md)."""
