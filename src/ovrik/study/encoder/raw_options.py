"""Raw options that can do no harm, by name and shape of value. Data; whatever is not listed needs approval."""

import itertools
import re
from collections.abc import Iterable

NUMBER = re.compile(r"[-+]?\d{1,12}(\.\d{1,9})?")
NUMBERS = re.compile(r"[-+]?\d{1,9}(\.\d{1,9})?([,:][-+]?\d{1,9}(\.\d{1,9})?){0,7}")
WORD = re.compile(r"[A-Za-z0-9_+.-]{1,60}")
"""No value may hold a slash, a backslash or a per cent sign: none of these can name a file elsewhere, or a pattern of
files."""


def _named(shape: re.Pattern[str], names: str) -> dict[str, re.Pattern[str]]:
    return dict.fromkeys(names.split(), shape)


PLAIN: dict[str, re.Pattern[str]] = {
    **_named(
        NUMBER,
        """refs sc_threshold keyint_min me_range subq trellis qmin qmax qdiff qcomp qblur i_qfactor
        b_qfactor i_qoffset b_qoffset b_strategy aq-mode aq-strength rc-lookahead rc_lookahead weightp
        weightb mbtree 8x8dct
        fast-pskip intra-refresh forced-idr bluray-compat aud slices slice-max-size nr noise_reduction mixed-refs
        cplxblur psy row-mt tile-columns tile-rows tiles cpu-used lag-in-frames la_depth sc_detection slicecrc context
        mbs_per_slice alpha_bits spatial_aq temporal_aq spatial-aq temporal-aq surfaces look_ahead look_ahead_depth
        async_depth low_power b_depth idr_interval nonref_p zerolatency strict_gop extra_hw_frames avbr_accuracy""",
    ),
    **_named(NUMBERS, "psy-rd deblock"),
    **_named(
        WORD,
        """direct-pred partitions me_method motion-est coder cmp level vendor quant_mat b_ref_mode
        multipass tier usage flags movflags a53cc x264_level b-pyramid weightp_mode strict aspect field_order""",
    ),
}

_X264 = """ref scenecut b-adapt b-bias b-pyramid me merange subme trellis psy-rd psy deblock aq-mode aq-strength
    rc-lookahead mbtree qcomp qpmin qpmax qpstep ipratio pbratio chroma-qp-offset cabac 8x8dct weightp weightb
    open-gop min-keyint direct analyse partitions fast-pskip dct-decimate deadzone-inter deadzone-intra mixed-refs
    chroma-me nr
    slices slices-max sliced-threads lookahead-threads sync-lookahead force-cfr aud filler level intra-refresh
    constrained-intra non-deterministic asm bluray-compat vbv-init"""
_X265 = """ref scenecut b-adapt bframe-bias b-pyramid me subme merange rd rdoq-level psy-rd psy-rdoq deblock aq-mode
    aq-strength aq-motion cutree rc-lookahead lookahead-slices max-merge ctu min-cu-size max-tu-size tu-intra-depth
    tu-inter-depth rect amp sao sao-non-deblock limit-sao strong-intra-smoothing weightp weightb open-gop min-keyint
    qcomp qpmin qpmax qpstep ipratio pbratio cbqpoffs crqpoffs wpp pmode pme slices hme tskip early-skip rskip
    rskip-edge-threshold fast-intra b-intra limit-refs limit-modes limit-tu repeat-headers aud hrd info log-level
    signhide temporal-mvp constrained-intra ssim-rd dynamic-rd level-idc high-tier annexb vbv-init selective-sao
    hist-scenecut fades gop-lookahead radl copy-pic temporal-layers"""
_SVT = """tune film-grain film-grain-denoise scd enable-overlays aq-mode enable-tf tile-rows tile-columns fast-decode
    lookahead hierarchical-levels irefresh-type enable-cdef enable-restoration enable-restoration-filtering enable-dlf
    enable-qm qm-min qm-max sharpness variance-boost-strength variance-octile enable-variance-boost pred-struct
    enable-mfmv rc enable-stat-report scm superres-mode superres-denom superres-qthres startup-mg-size level"""

NESTED: dict[str, frozenset[str]] = {
    "x264-params": frozenset(_X264.split()),
    "x264opts": frozenset(_X264.split()),
    "x265-params": frozenset(_X265.split()),
    "svtav1-params": frozenset(_SVT.split()),
}
"""Options that hold options of the encoder's default library, with the names known to be harmless in each."""
NESTED_VALUE = re.compile(r"[A-Za-z0-9_+.,-]{0,60}")


def unlisted(raw: Iterable[tuple[str, str]]) -> list[str]:
    """Those of the options, written as they would be given, that are not known to be harmless."""
    return [f"-{name} {value}" for name, value in raw if not _harmless(name, value)]


def _harmless(name: str, value: str) -> bool:
    if name in NESTED:
        return all(_nested(NESTED[name], part) for part in value.split(":"))
    shape = PLAIN.get(name)
    return shape is not None and shape.fullmatch(value) is not None


def _nested(known: frozenset[str], part: str) -> bool:
    name, _, value = part.partition("=")
    name = name.strip()
    return (name in known or name.removeprefix("no-") in known) and NESTED_VALUE.fullmatch(value) is not None


def merged(words: list[str]) -> list[str]:
    """The same arguments with every option of `NESTED` given once: what stands in several is joined, in order, so
    that none of them replaces another."""
    values: dict[str, list[str]] = {}
    for name, value in itertools.pairwise(words):
        if name.removeprefix("-") in NESTED and name.startswith("-"):
            values.setdefault(name, []).append(value)
    out: list[str] = []
    skip = False
    for word in words:
        if skip:
            skip = False
        elif word in values:
            if word not in out:
                out += [word, ":".join(values[word])]
            skip = True
        else:
            out.append(word)
    return out
