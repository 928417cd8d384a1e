"""Every promise that `./run mutants` breaks can still be broken where the table says."""

import pytest
from bench.promise import Promise
from bench.promise_table import PROMISES


@pytest.mark.parametrize("promise", PROMISES, ids=lambda p: p.broken)
def test_its_place_is_there(promise: Promise) -> None:
    assert promise.holds_its_place()
