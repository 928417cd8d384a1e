"""That there is no memory left is said as it is, whoever runs out of it."""

import argparse

import cv2
import pytest

from ovrik import cli
from ovrik.cli import answers
from ovrik.log import NO_MEMORY


@pytest.mark.parametrize(
    "error",
    [
        MemoryError("Unable to allocate 7.91 MiB for an array"),
        cv2.error("OpenCV: alloc.cpp:73: error: (-4:Insufficient memory) Failed to allocate"),
        RuntimeError("av: [Errno 12] Cannot allocate memory"),
    ],
)
def test_it_is_no_error_of_ovriks(
    error: Exception, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    def fails(_chosen: argparse.Namespace) -> int:
        raise error

    cli.parser.cache_clear()
    monkeypatch.setattr(answers, "verdict_", fails)
    try:
        assert cli.main(["verdict", "s.ovrik"]) == 2
    finally:
        cli.parser.cache_clear()
    assert capsys.readouterr().err == f"ovrik: {NO_MEMORY}\n"
