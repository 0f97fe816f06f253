"""The executors of a Spark cluster at work on exports: a task for each, with an engine of its own."""

import itertools
import os
import pickle
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path

from level_almanac import __version__
from level_almanac.errors import AlmanacError, Mistake
from level_almanac.progress import Step, tell
from level_almanac.store.engine import EngineError, Item, Made, Work
from level_almanac.store.engines.duckdb_engine import DuckDBEngine, told_memory
from level_almanac.store.engines.spark_engine import SparkEngine

_SERIAL = itertools.count(1)


class SparkCrew:
    """Executors, on each of which the same almanac is installed and the same folders are seen.

    reach: the folders and files that work may read and write; memory: how much a task's engine may take.
    """

    piece = 128 * 2**20
    """Some million lines, which one executor reads in some ten seconds."""

    def __init__(self, engine: SparkEngine, reach: Sequence[Path], memory: str) -> None:
        self._engine, self._reach, self._memory = engine, reach, memory

    def each(
        self,
        work: Work[Item, Made],
        items: Sequence[Item],
        steps: Sequence[Step] = (),
        sizes: Sequence[int] = (),  # noqa: ARG002  Spark shares out by itself
    ) -> Iterator[Made]:
        """Yield what is made of each item, in their order, once all are done; steps: of the items, as they are told of.

        A task that an executor is lost in is begun anew on another. Raises EngineError where the cluster cannot.
        """
        if not items:
            return
        if steps:
            tell(f"{len(items):,} exports on the cluster", steps[0].begun, steps[-1].ended)
        common = pickle.dumps((work, tuple(self._reach), told_memory() or self._memory))
        pieces = [pickle.dumps(item) for item in items]
        name = f"almanac_work_{next(_SERIAL)}"

        def task(number: int) -> bytes:
            return done(__version__, common, pieces[number])

        with self._engine.working() as session:
            session.udf.register(name, task, "binary")
            # One row a partition, and so one task an item.
            numbers = session.range(0, len(items), 1, len(items))
            rows = numbers.selectExpr("id", f"{name}(id) as made").collect()
        for row in sorted(rows):
            made, *error = pickle.loads(row["made"])  # noqa: S301, it comes from what runs our own code
            if error:
                kind, mistakes, total = error
                raise kind(*mistakes, total=total)
            yield made


def done(version: str, common: bytes, piece: bytes) -> bytes:
    """Do a piece of work where an executor is; return what was made of it, or what error it met, pickled.

    version: of the almanac that asks; common: the work, what it may reach and how much memory it may take; piece: what
    it is to be done to.
    """
    if version != __version__:
        what = "the almanac of an executor is of another version than the one here"
        return _met(EngineError(Mistake(what, got=__version__, allowed=version)))
    work, reach, memory = pickle.loads(common)  # noqa: S301, as above
    try:
        # What a killed task leaves goes with what Spark keeps there for itself.
        local = os.environ.get("SPARK_LOCAL_DIRS", "").split(",")[0] or None
        with tempfile.TemporaryDirectory(prefix="almanac-", dir=local) as folder:
            scratch = Path(folder).resolve()
            engine = DuckDBEngine((*reach, scratch), scratch, memory, threads=1)
            try:
                return pickle.dumps((work(engine, scratch, pickle.loads(piece)),))  # noqa: S301, as above
            finally:
                engine.close()
    except AlmanacError as error:
        return _met(error)
    except OSError as error:
        step = "keep the book and its store where all machines of the cluster see them under the same path"
        return _met(EngineError(Mistake("an executor cannot read or write a file", got=str(error), next_step=step)))


def _met(error: AlmanacError) -> bytes:
    return pickle.dumps((None, type(error), error.mistakes, error.total))
