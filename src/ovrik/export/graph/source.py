"""A part of a clip as an input and the filters that leave exactly its frames."""

from collections.abc import Sequence
from fractions import Fraction

from ovrik.export.graph.nodes import Node, node
from ovrik.export.graph.seconds import seconds_text
from ovrik.study.clip.address import PROTOCOLS, address
from ovrik.study.clip.footage import Footage
from ovrik.study.clip.frame_access import COUNT, EARLY, Reading, lead_frames, method_of, reading_of


def picture_options(reading: Reading) -> list[str]:
    """Options that stand before the clip's name where its frames are read."""
    begin = ["-ss", seconds_text(reading.seek_s)] if reading.seek_s is not None else []
    return [*begin, *(["-t", seconds_text(reading.span_s)] if reading.span_s is not None else [])]


def opened(clip: Footage, options: Sequence[str]) -> list[str]:
    """Options and address that open a clip, and only as the kind of file that it was when it was read."""
    kept = clip.checksum.startswith("prerendered:")
    kind = [] if kept else ["-format_whitelist", clip.container]
    return ["-protocol_whitelist", PROTOCOLS, *kind, *options, "-i", address(clip.path)]


def picture_nodes(clip: Footage, reading: Reading) -> list[Node]:
    """Filters after which the frames that were asked for stand alone, whatever their stamps."""
    if not clip.constant_rate:
        # The clip's own stamps decide which frame stands where; the last one is held to the end.
        even = [
            node("fps", fps=clip.rate, start_time=0, round="near"),
            node("tpad", stop_mode="clone", stop=reading.skip + reading.frames),
        ]
        return [*even, node("trim", start_frame=reading.skip, end_frame=reading.skip + reading.frames)]
    if reading.by_time:
        late = node("trim", start=float(reading.skip_s))
        return [late, node("trim", end_frame=reading.frames)]
    if reading.skip:
        return [node("trim", start_frame=reading.skip, end_frame=reading.skip + reading.frames)]
    return [node("trim", end_frame=reading.frames)]


SCALED_BY = {"bt709": "bt709", "bt2020nc": "bt2020", "smpte170m": "smpte170m", "bt470bg": "bt470"}
"""Names of matrices as filters that scale take them."""


def delivered_nodes(clip: Footage) -> list[Node]:
    """Filters that make full range limited, and R'G'B' Y'CbCr of a stated matrix: builds and players differ in what
    they assume, so that it is always done by the same filter, and said."""
    if not (clip.full_range or clip.rgb):
        return []
    levels = {"in_range": "pc", "out_range": "tv", "flags": "bicubic+accurate_rnd"}
    if not clip.rgb:
        return [node("scale", **levels)]
    matrix = clip.delivered_colour.matrix
    return [
        node("scale", out_color_matrix=SCALED_BY[matrix], **levels),
        node("format", pix_fmts=_ycbcr(clip)),
        node("setparams", range="tv", colorspace=matrix),
    ]


def _ycbcr(clip: Footage) -> str:
    """Full chroma at the clip's depth, so that nothing else is lost on the way."""
    depth = "" if clip.bit_depth <= 8 else "10le" if clip.bit_depth <= 10 else "12le"
    return f"yuva444p{depth}" if clip.alpha else f"yuv444p{depth}"


def even_stamps(rate: Fraction) -> tuple[Node, ...]:
    """Filters that stamp frame n with n / rate."""
    return (node("settb", expr=1 / rate), node("setpts", expr="N"), node("fps", fps=rate))


SOUND_EARLY_S = Fraction(2)


def sound_input(clip: Footage, start: Fraction, length: Fraction) -> tuple[list[str], list[Node]]:
    """Options that open a clip for its sound, and filters that bring it to its place: `start`, `length` in
    seconds, counted from the clip's first frame."""
    begin = lead_frames(clip) + start
    ahead = SOUND_EARLY_S if method_of(clip) == EARLY else Fraction(0)
    ahead = min(ahead, begin)
    if method_of(clip) == COUNT and clip.container.split(",")[0] != "avi":
        ahead = begin
    seek = begin - ahead
    # By its stamps, sound may begin long before the picture: then its length says nothing of where it ends.
    span = ["-t", seconds_text(length)] if not ahead else []
    options = [*(["-ss", seconds_text(seek)] if seek else []), *span]
    # Silence stands in where the sound begins later than the picture, so that it is not drawn forward.
    nodes = [node("aresample", sample_rate=48_000, first_pts=0, **{"async": 1})]
    if ahead:
        nodes.append(node("atrim", start=float(ahead), end=float(ahead + length)))
    return opened(clip, options), nodes


def reading(clip: Footage, first: int, frames: int) -> tuple[list[str], list[Node]]:
    """Options and address that open a clip for these frames, and the filters that leave them."""
    said = reading_of(clip, first, frames)
    return opened(clip, picture_options(said)), picture_nodes(clip, said)
