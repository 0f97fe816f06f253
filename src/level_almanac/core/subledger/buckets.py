"""Stretches of days late that open amounts are told apart by."""

from collections.abc import Sequence
from typing import NamedTuple


class Bucket(NamedTuple):
    """A stretch of days late, both ends included; None where it is open on that side."""

    key: str
    label: str
    low: int | None
    high: int | None


def buckets_of(ends: Sequence[int]) -> tuple[Bucket, ...]:
    """Return `not due`, then a bucket up to each of these days late, then the rest. ends: rising, from 1."""
    buckets = [Bucket("not-due", "not due", None, 0)]
    low = 1
    for end in ends:
        label = f"{low}–{end}" if low < end else str(end)
        buckets.append(Bucket(f"{low}-{end}", label, low, end))
        low = end + 1
    return (*buckets, Bucket(f"over-{ends[-1]}", f"over {ends[-1]}", low, None))
