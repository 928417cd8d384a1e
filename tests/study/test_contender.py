"""Labels come from what differs, are unique, and give file names that can't collide."""

import re
from dataclasses import replace

from ovrik.study.contender.contender import Contender, contender_difference, labelled, output_name
from ovrik.study.encoder.recipe import recipe


def labels(*contenders: Contender) -> list[str]:
    return [c.label for c in labelled(contenders)]


def test_only_what_differs_is_named() -> None:
    a = Contender("bundled", recipe("libx264", "medium", 21))
    b = Contender("bundled", recipe("libx264", "fast", 21))
    c = Contender("bundled", recipe("libx265", "medium", 25))
    assert labels(a, b, c) == ["x264 medium", "x264 fast", "x265 medium"]
    quality = Contender("bundled", recipe("libx264", "medium", 24))
    assert labels(a, quality) == ["x264 medium CRF 21", "x264 medium CRF 24"]
    assert labels(a, replace(a, build="system")) == ["x264 medium", "x264 medium system"]


def test_the_same_twice_still_gets_two_labels() -> None:
    a = Contender("bundled", recipe("libx264"))
    assert labels(a, a) == ["x264 medium", "x264 medium (2)"]


def test_a_given_label_stays_and_is_not_taken_again() -> None:
    given = Contender("bundled", recipe("libx265"), "x264 medium", True)
    assert labels(given, Contender("bundled", recipe("libx264"))) == ["x264 medium", "x264 medium (2)"]


def test_differences_are_named_with_both_values() -> None:
    a = Contender("bundled", recipe("libx264", "fast", 21))
    b = replace(a, recipe=recipe("libx264", "fast", 21, container="mkv"))
    found = contender_difference(a, b)
    assert found.differ == (("Container", "mp4", "mkv"),)
    assert found.one
    assert "Encoder" in found.held
    two = contender_difference(a, replace(b, build="system"))
    assert two.warning == "differs in 2 things: container, build"
    assert contender_difference(a, a).differ == ()


def test_output_names_are_safe_and_differ() -> None:
    one = Contender("bundled", recipe("libx264"), 'a/b: "x" 100%', True, contender_id=3)
    two = replace(one, label="A-B x 100", contender_id=4)
    assert re.fullmatch(r"03-x264-medium-[0-9a-f]{8}-0\+9\.mp4", output_name(one, "0+9"))
    assert output_name(two, "0+9") != output_name(one, "0+9")
    assert output_name(replace(one, label="日本"), "0+9") == output_name(one, "0+9"), "a label may change"
    other = replace(one, recipe=recipe("libx264", quality=30))
    assert output_name(other, "0+9") != output_name(one, "0+9"), "settings may not"


def test_a_path_is_cut_in_the_label() -> None:
    made = Contender("/opt/tools/ffmpeg-7", recipe("libx264"))
    assert made.factors()["build"] == "ffmpeg-7"


def test_bit_rate_and_passes_are_two_things() -> None:
    one = Contender("bundled", recipe("libx264", bit_rate=8_000_000))
    other = Contender("bundled", recipe("libx264", bit_rate=6_000_000, control="two passes"))
    found = contender_difference(one, other)
    assert [title for title, _a, _b in found.differ] == ["Quality or bit rate", "Rate control"]
    assert found.warning == "differs in 2 things: quality or bit rate, rate control"
    alone = contender_difference(
        one, Contender("bundled", recipe("libx264", bit_rate=8_000_000, control="two passes"))
    )
    assert alone.differ == (("Rate control", "one pass", "two passes"),)


def test_a_label_names_what_is_unlike_most_of_the_line_up() -> None:
    made = [
        Contender("bundled", recipe("libx264", "fast", 21, pixel_format="yuv420p")),
        Contender("bundled", recipe("libx264", "medium", 21, pixel_format="yuv420p")),
        Contender("bundled", recipe("libx265", "fast", 24, pixel_format="yuv422p10le", container="mkv")),
        Contender(
            "system", recipe("libsvtav1", "8", pixel_format="yuv420p", bit_rate=4_000_000), treat="opencl"
        ),
        Contender("bundled", recipe("prores_ks", "hq")),
    ]
    assert [c.label for c in labelled(made)] == [
        "x264 fast",
        "x264 medium",
        "x265 fast 10 bit 4:2:2 mkv",
        "SVT-AV1 8 4 Mb/s treatments by OpenCL system",
        "ProRes hq",
    ]
