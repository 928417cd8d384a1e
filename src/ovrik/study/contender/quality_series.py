"""Contenders that differ in nothing but the number that decides their quality."""

from dataclasses import replace

from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.encoders import CAPPED, OUTSIDE, QUALITY


def has_a_setting(c: Contender) -> bool:
    """Whether a quality number decides its rate."""
    r = c.recipe
    plain = not c.build.startswith("described-") and r.encoder != OUTSIDE
    return plain and r.quality is not None and r.rate_control in (QUALITY, CAPPED)


def but_quality(c: Contender) -> tuple[object, ...]:
    """All that decides its command, but for that number."""
    build, _recipe, *rest = c.identity
    return build, replace(c.recipe, quality=0.0), *rest
