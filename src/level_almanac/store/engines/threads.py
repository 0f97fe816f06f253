"""Threads of this process, each with an engine of its own."""

import os
import shutil
from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import Future
from contextlib import nullcontext
from itertools import zip_longest
from pathlib import Path
from threading import Thread
from typing import Any
from uuid import uuid4

from level_almanac.progress import Step, within
from level_almanac.store.engine import Item, Made, Work, WritingEngine

_AT_A_TIME = min(2, os.cpu_count() or 1)
"""How many things are done at a time: much of what is done to one export leaves a core to others."""
_MUCH = 32 * 2**20
"""From how many bytes on it is worth that each has an engine with a core of its own."""
_PATIENCE = 5.0
"""Seconds that are waited for work to end that is not wanted any more."""
_Job = tuple[Any, "Step | None", "Future[Any]"]


class ThreadCrew:
    """Works in this process. engine: that to work beside; folder: where folders for the meantime are made."""

    piece = 0
    """One engine reads an export with all cores."""

    def __init__(self, engine: WritingEngine, folder: Path) -> None:
        self._engine, self._folder = engine, folder

    def each(
        self, work: Work[Item, Made], items: Sequence[Item], steps: Sequence[Step] = (), sizes: Sequence[int] = ()
    ) -> Iterator[Made]:
        """Yield what is made of each item, in their order; steps: of the items, as they are told of; sizes: in bytes,
        of items of which the largest come first.
        """
        jobs: list[_Job] = [(item, step, Future()) for item, step in zip_longest(items, steps)]
        several = min(_AT_A_TIME, len(jobs))
        # Cores that share one statement wait for each other; with a core each, none is idle until the last items.
        apart = sum(sizes) >= _MUCH and several * max(sizes) <= sum(sizes)
        engines = [self._engine.apart(several) if apart else self._engine.beside() for _ in range(several)]
        waiting = deque(jobs)
        threads = [Thread(target=self._work, args=(waiting, engine, work), daemon=True) for engine in engines]
        for thread in threads:
            thread.start()
        try:
            for _, _, made in jobs:
                yield made.result()
        finally:
            # What was not begun is not wanted any more, as on Ctrl-C; nor is what runs, where there is any left.
            waiting.clear()
            for engine in engines if not all(made.done() for _, _, made in jobs) else ():
                engine.interrupt()
            for thread in threads:
                # One that reads by itself, as a workbook, does not hear of it; it keeps nobody from ending.
                thread.join(_PATIENCE)

    def _work(self, waiting: "deque[_Job]", engine: WritingEngine, work: Work[Any, Any]) -> None:
        """Do one piece of work after another, until there is none."""
        try:
            while waiting:
                try:
                    item, step, made = waiting.popleft()
                except IndexError:
                    return
                scratch = self._folder / f"meanwhile-{uuid4().hex}"
                try:
                    scratch.mkdir()
                    try:
                        with within(*step) if step else nullcontext():
                            result = work(engine, scratch, item)
                    finally:
                        shutil.rmtree(scratch, ignore_errors=True)
                    made.set_result(result)
                except BaseException as error:
                    # Whatever it was, whoever waits for it hears of it.
                    made.set_exception(error)
        finally:
            engine.close()
