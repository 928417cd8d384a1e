"""Numbers of ITU-T H.273 and the names under which libav knows them. Data."""

import av

from ovrik.study.clip.footage import ColourTags

PRIMARIES = {
    1: "bt709",
    4: "bt470m",
    5: "bt470bg",
    6: "smpte170m",
    7: "smpte240m",
    8: "film",
    9: "bt2020",
    10: "smpte428",
    11: "smpte431",
    12: "smpte432",
}
TRANSFERS = {
    1: "bt709",
    4: "gamma22",
    5: "gamma28",
    6: "smpte170m",
    7: "smpte240m",
    8: "linear",
    13: "iec61966-2-1",
    14: "bt2020-10",
    15: "bt2020-12",
    16: "smpte2084",
    18: "arib-std-b67",
}
MATRICES = {
    0: "gbr",
    1: "bt709",
    4: "fcc",
    5: "bt470bg",
    6: "smpte170m",
    7: "smpte240m",
    9: "bt2020nc",
    10: "bt2020c",
}
RANGES = {1: "tv", 2: "pc"}


def colour_of(tagged: av.VideoCodecContext | av.VideoFrame) -> ColourTags:
    """The tags that a stream or a frame carries."""
    return ColourTags(
        PRIMARIES.get(int(tagged.color_primaries), ""),
        TRANSFERS.get(int(tagged.color_trc), ""),
        MATRICES.get(int(tagged.colorspace), ""),
        RANGES.get(int(tagged.color_range), ""),
    )
