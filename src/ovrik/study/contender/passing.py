"""An intermediate of the delivery's own codec, passed through: its frames are copied as they are coded."""

from dataclasses import replace

from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.intermediate import INTERMEDIATES, IntermediateCodec
from ovrik.study.encoder.recipe import Recipe


def passes_into(r: Recipe) -> list[str]:
    """Intermediates that are coded as this recipe codes, by their keys."""
    return [key for key, facts in INTERMEDIATES.items() if _coded_alike(facts, r)]


def passing_fault(c: Contender) -> str:
    """Why a contender's intermediate can't be passed through as it asks, or ""."""
    into, r = c.prerendered, c.recipe
    if into is None or not into.passed:
        return ""
    if not _coded_alike(into.facts, r):
        wanted = " ".join(filter(None, (r.facts.codec_title, r.preset)))
        return f"{into.facts.title} can't be passed through into {wanted}: only the delivery's own codec can"
    if into.pixel_format != r.pixel_format:
        return f"it can't be passed through: it is {into.pixel_format}, the delivery {r.pixel_format}"
    if into.width or r.width or r.rate:
        return "it can't be passed through at another size or rate than the programme's"
    free = replace(r, quality=None, bit_rate=None, control="", tune="", profile="", raw=())
    if r != replace(free, gop=0, b_frames=-1, threads=0):
        return "settings of an encoder have no effect on what is passed through: leave them to it"
    return ""


def _coded_alike(facts: IntermediateCodec, r: Recipe) -> bool:
    return (facts.encoder, *facts.settings[:2]) == (r.encoder, r.facts.preset_option, r.preset)
