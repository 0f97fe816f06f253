"""Parts at a URI that Spark reads and writes, for storage that is no file system of the machines.

What the driver's Java reaches with the cluster's own settings, it lists, copies and removes; the executors read parts
there as they read any.
"""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path
from typing import Any
from uuid import uuid4

from level_almanac.errors import Mistake, UsageMistake
from level_almanac.store.elsewhere import NEW
from level_almanac.store.engine import EngineError
from level_almanac.store.engines.spark_engine import OVER_THE_WIRE, as_no_pattern, spark_session


class SparkParts:
    """The parts of a store at a URI. address, settings: of the cluster, asked only when anything of them is; folder:
    the one that they are named in here, and where copies of some stand for a while.
    """

    def __init__(self, address: str, settings: Mapping[str, str], uri: str, folder: Path) -> None:
        self.address, self.settings, self.uri, self.folder = address, settings, uri.rstrip("/"), folder

    def __getstate__(self) -> dict[str, Any]:
        # An executor has no session, and is told no secrets: it only asks what is there.
        return {"address": "", "settings": {}, "uri": self.uri, "folder": self.folder, "_times": self._times}

    def check(self) -> None:
        """Raise UsageMistake where what computes is nothing that reaches them."""
        if not self.address:
            step = "name a cluster: --engine spark://HOST:PORT, or --engine 'local[2]' for Spark on this machine"
            raise UsageMistake(Mistake("only Spark reads the parts of this store", self.uri, next_step=step))
        if self.address.startswith(OVER_THE_WIRE):
            step = (
                "keep them in a folder that all machines see, or ask the cluster by its own address, spark://HOST:PORT"
            )
            raise UsageMistake(
                Mistake("parts at a URI are not reached by Spark Connect", self.uri, self.address, next_step=step)
            )

    @cached_property
    def _session(self) -> Any:
        self.check()
        return spark_session(self.address, self.settings)

    @cached_property
    def _hadoop(self) -> Any:
        return self._session._jvm.org.apache.hadoop.fs

    @cached_property
    def _files(self) -> Any:
        with self._told():
            # What the session was told of the storage is in the configuration of its context.
            files = self._path("").getFileSystem(self._session.sparkContext._jsc.hadoopConfiguration())
            files.mkdirs(self._path(""))
            return files

    def _path(self, name: str) -> Any:
        return self._hadoop.Path(f"{self.uri}/{name}" if name else self.uri)

    def _local(self, path: Path) -> Any:
        return self._hadoop.Path(f"file://{path.resolve()}")

    @contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except Exception as error:
            if type(error).__module__.split(".")[0] not in ("pyspark", "py4j"):
                raise
            lines = [line.strip(": ") for line in str(error).splitlines() if "An error occurred while" not in line]
            step = "see whether it is there and may be read and written by Spark; nothing was changed"
            got = next(iter(lines), "")[:300]
            raise EngineError(Mistake("the store's parts are not reached", self.uri, got, next_step=step)) from error

    @cached_property
    def _times(self) -> dict[str, float]:
        with self._told():
            found = self._files.listStatus(self._path(""))
            return {each.getPath().getName(): each.getModificationTime() / 1000 for each in found}

    def names(self) -> Mapping[str, float]:
        """Return what lies there, each with the time of its last change, in seconds."""
        return self._times

    def look_anew(self) -> None:
        """Forget what lay there when it was looked at last."""
        self.__dict__.pop("_times", None)

    def uri_of(self, part: Path) -> str:
        """Return where a part is read, told by its path in the folder; nothing where that is of another folder.

        Raises EngineError where it is not there.
        """
        if part.parent != self.folder:
            return ""
        if part.name not in self._times:
            # Somebody else may have loaded meanwhile.
            self.look_anew()
        if part.name not in self._times:
            step = "if the command does the same again, delete the folder .almanac and run `almanac load`"
            raise EngineError(Mistake("the store lacks a part", got=f"{self.uri}/{part.name}", next_step=step))
        return as_no_pattern(f"{self.uri}/{part.name}")

    def put(self, written: Path, name: str) -> None:
        """Have a copy of a finished file lie there by this name, whole or not at all; one that is there gives way."""
        if name in self._times:
            self.remove(name)
        new = f"{name}{NEW}{uuid4().hex}"
        with self._told():
            self._files.copyFromLocalFile(False, True, self._local(written), self._path(new))
            if not self._files.rename(self._path(new), self._path(name)):
                step = "see whether it may be written there; nothing was changed"
                raise EngineError(Mistake("a part cannot be put where it belongs", self.uri, name, next_step=step))
            self._times[name] = self._files.getFileStatus(self._path(name)).getModificationTime() / 1000

    def fetch(self, name: str, target: Path) -> None:
        """Copy one from there into a file here."""
        with self._told():
            self._files.copyToLocalFile(False, self._path(name), self._local(target), True)

    def remove(self, name: str) -> None:
        """Let go of one."""
        with self._told():
            self._files.delete(self._path(name), False)
        self._times.pop(name, None)

    def digests(self, names: Sequence[str]) -> dict[str, str]:
        """Return the SHA-256 of each that is there and can be read, computed where the executors are."""
        there = [name for name in names if name in self._times]
        if not there:
            return {}
        with self._told():
            files = self._session.read.format("binaryFile")
            try:
                frame = files.load([as_no_pattern(f"{self.uri}/{name}") for name in there])
                found = frame.selectExpr("path", "sha2(content, 256)").collect()
            except Exception as error:
                if "FAILED_READ_FILE" not in str(error):
                    raise
                # The storage itself finds one damaged: which it is, it is asked of each.
                each = [self.digests([name]) for name in there] if len(there) > 1 else []
                return {name: digest for found in each for name, digest in found.items()}
        return {path.rpartition("/")[2]: digest for path, digest in found}
