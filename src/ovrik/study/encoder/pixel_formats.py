"""What the name of a pixel format says. libav's names; planar Y'CbCr and the like."""

import re

DEEP = re.compile(r"(9|10|12|14|16)(le|be)$")


def depth_of(pixel_format: str) -> int:
    """Bits per component."""
    found = DEEP.search(pixel_format)
    return int(found[1]) if found else 8


def sampling_of(pixel_format: str) -> str:
    """ "4:2:0", "4:2:2" or "4:4:4"; what is neither of the first two counts as the last."""
    for digits, words in (("420", "4:2:0"), ("422", "4:2:2")):
        if digits in pixel_format:
            return words
    return "4:2:0" if pixel_format in ("nv12", "p010le") else "4:4:4"


def brief_format(pixel_format: str) -> str:
    """As a label has it: "8 bit", "10 bit 4:2:2"; "" for one that is left open."""
    if not pixel_format:
        return ""
    sampling = sampling_of(pixel_format)
    alpha = " with alpha" if pixel_format.startswith("yuva") else ""
    return f"{depth_of(pixel_format)} bit{'' if sampling == '4:2:0' else f' {sampling}'}{alpha}"
