"""Made-up trouble, a little each time (benchmarks/fuzz.py tries much more), and files that were trouble once."""

from pathlib import Path

import pytest

from fuzzing import Fuzz

CORPUS = Path(__file__).parent / "corpus"


@pytest.fixture(scope="module")
def fuzz(tmp_path_factory: pytest.TempPathFactory) -> Fuzz:
    return Fuzz(tmp_path_factory.mktemp("fuzz"))


def test_whatever_stands_in_a_file_or_is_asked_is_told_of_in_words(fuzz: Fuzz) -> None:
    for kind in fuzz.kinds:
        for seed in range(8 if kind.startswith("words") else 2):
            fuzz.case(kind, seed)
    # Nothing is tried where all is refused at once, or nothing ever is.
    assert {code for _, code in fuzz.tried} >= {0, 2, 3}


def test_what_was_trouble_once_is_none(fuzz: Fuzz) -> None:
    kept = sorted(path for path in CORPUS.rglob("*") if path.is_file())
    assert kept
    for path in kept:
        kind = f"{path.parent.parent.name} {path.parent.name}".replace("=", "/")
        fuzz.tried_with(kind, path.read_bytes(), set_aside="set-aside" in path.name)
