"""Every example in a docstring and in docs/library.md is run."""

import doctest
import importlib
import pkgutil
from pathlib import Path

import pytest

import ewerer
import ewerer.core

LIBRARY = Path(ewerer.__file__).parents[2] / "docs" / "library.md"
OPTIONS = doctest.ELLIPSIS
MODULES = [
    "ewerer",
    *(m.name for m in pkgutil.walk_packages(ewerer.core.__path__, "ewerer.core.") if not m.name.endswith(".compiled")),
]


def examples(name: str) -> list[doctest.DocTest]:
    found = doctest.DocTestFinder(exclude_empty=True).find(importlib.import_module(name))
    return [t for t in found if t.examples]


@pytest.mark.parametrize("name", MODULES)
def test_examples_of_a_module(name):
    runner = doctest.DocTestRunner(optionflags=OPTIONS)
    for test in examples(name):
        told: list[str] = []
        runner.run(test, out=told.append)
        assert runner.failures == 0, "".join(told)


def test_there_are_enough():
    assert sum(len(t.examples) for name in MODULES for t in examples(name)) >= 40


def test_the_guide_for_scripts():
    told = doctest.testfile(str(LIBRARY), module_relative=False, optionflags=OPTIONS)
    assert told.attempted > 15 and told.failed == 0


def test_the_front_door_names_everything_it_gives():
    assert set(ewerer.__all__) - {"__version__"} == set(ewerer._HOMES) <= set(dir(ewerer))
    for name in ewerer.__all__:
        assert getattr(ewerer, name) is not None
    with pytest.raises(AttributeError, match="no attribute 'plann'"):
        _ = ewerer.plann


def test_every_error_has_one_root():
    for name in MODULES:
        for held in vars(importlib.import_module(name)).values():
            if isinstance(held, type) and issubclass(held, Exception) and held.__module__.startswith("ewerer."):
                assert issubclass(held, ewerer.Error), held
