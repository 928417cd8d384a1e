"""What tells labels apart is never what is cut."""

import pytest
from PyQt6.QtGui import QFontMetrics
from pytestqt.qtbot import QtBot

from ovrik.desk.model.labels import apart, shared_words
from ovrik.desk.roster.row import in_two, label_font


@pytest.mark.parametrize(
    ("labels", "label", "shown"),
    [
        (("x264 medium", "x264 medium, system build"), "x264 medium, system build", "… system build"),
        (("x264 medium", "x264 medium, system build"), "x264 medium", ""),
        (("x264 medium from ProRes LT", "x264 medium, OpenCL"), "x264 medium, OpenCL", "… OpenCL"),
        (("x264 medium", "x264 mediumly"), "x264 mediumly", "… mediumly"),
        (("a", "b"), "b", ""),
        (("SVT-AV1 8", "SVT-AV1 11 10 bit mp4", "x265"), "SVT-AV1 11 10 bit mp4", "… 11 10 bit mp4"),
    ],
)
def test_what_others_begin_with_gives_way(labels: tuple[str, ...], label: str, shown: str) -> None:
    assert apart(label, shared_words(labels)[label]) == shown


def test_a_label_breaks_between_words(qtbot: QtBot) -> None:
    metrics = QFontMetrics(label_font())
    label = "x264 medium, OpenCL treatments"
    assert in_two(metrics, label, 1000) == (label, "")
    first, second = in_two(metrics, label, metrics.horizontalAdvance("x264 medium, Ope"))
    assert (first, second) == ("x264 medium,", "OpenCL treatments")
    assert in_two(metrics, label, 1)[0] == "x264"
