"""A look at a study does not wait for a build that hangs."""

import time
from pathlib import Path

import pytest

from approving import allow_program
from ovrik.machine.builds import build as builds
from ovrik.work.lineup.asked_builds import AskedBuilds


def test_one_that_hangs_is_late_and_the_others_are_there(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(builds, "ASK_TIMEOUT_S", 3)
    tool = tmp_path / "tool"
    tool.write_text("#!/bin/sh\nsleep 300\n")
    tool.chmod(0o755)
    key = allow_program(tool)
    AskedBuilds(20).soon(["bundled"])
    asked = AskedBuilds(0.5)
    began = time.monotonic()
    found = asked.soon([key, "bundled", "/nowhere/tool"])
    assert time.monotonic() - began < 2.9, "no longer than a build is asked for"
    assert found[key].problem == "It has not answered yet"
    assert found["bundled"].version
    assert "is not there" in found["/nowhere/tool"].problem
    assert asked.late() == [key]
    assert asked.soon([key])[key].problem == "It has not answered yet"
    asked.wait(20)
    assert asked.late() == []
    assert "does not answer within 3 s" in asked.soon([key])[key].problem
