"""The noise a study assumes before its own runs show it, and what its runs show for later ones."""

import hashlib
from collections.abc import Callable
from dataclasses import replace

from ovrik.analysis.times.noise import STATED, Shown, pooled_prior
from ovrik.analysis.times.succession import Likeness
from ovrik.errors import Ask
from ovrik.machine.workstation.noise_seen import NoiseSeen, noise_seen, remember_noise
from ovrik.store.study import Study
from ovrik.work.evidence.fixed_job import begun_with, spread_of_job
from ovrik.work.evidence.gathered import Evidence, counted
from ovrik.work.evidence.repeats import shown_by_repeats


def assume_noise(
    study: Study, should_stop: Ask = lambda: False, say: Callable[[], None] = lambda: None
) -> None:
    """Take what earlier studies on this machine showed, and this one's warm-ups and segments, before the first run
    that counts; where there are none, the order of magnitude that a short series of a fixed job shows (`say` is
    called before it). After that it stays, so that the study says the same tomorrow. Raises Stopped."""
    if counted(study):
        return
    mine = [n for n in noise_seen() if n.study != noise_name(study)]
    shown = [Shown(n.spread, n.freedom, Likeness(n.correlation, n.pairs)) for n in mine]
    if besides := shown_by_repeats(study):
        shown.append(besides)
    known, job, conduct = pooled_prior(shown), 0.0, study.facts().conduct
    if known is None and not conduct.noise_job:
        say()
        job = spread_of_job(should_stop) or 0.0
    job = job or conduct.noise_job if known is None else 0.0
    found = known or STATED
    assumed = replace(
        conduct,
        noise=begun_with(job) if job else found.spread,
        noise_job=job,
        noise_runs=found.runs,
        noise_alike=found.alike.correlation,
        noise_pairs=found.alike.pairs,
    )
    if assumed != conduct:
        study.set_conduct(assumed)


def keep_noise(study: Study, evidence: Evidence) -> None:
    """Keep what this study's runs show, where Ovrik drove all of them: other times carry their reading as well."""
    if any(s.by_hand or s.contender.outside for s in evidence.summaries):
        return
    found = evidence.times.found
    noise, alike = found.noise, found.alike_shown
    if noise.shown_freedom > 0:
        spread = noise.shown**0.5
        remember_noise(
            NoiseSeen(noise_name(study), spread, noise.shown_freedom, alike.correlation, alike.pairs)
        )


def noise_name(study: Study) -> str:
    """What tells a study from others on this machine."""
    place = f"{study.facts().created_utc} {study.path.absolute()}"
    return hashlib.sha256(place.encode()).hexdigest()[:16]
