"""The noise a study assumes before its own runs show it, and what its runs show for later ones."""

import hashlib
from dataclasses import replace

from ovrik.analysis.times.noise import STATED, pooled_prior
from ovrik.machine.workstation.noise_seen import NoiseSeen, noise_seen, remember_noise
from ovrik.store.study import Study
from ovrik.work.evidence.counted_times import prior_of
from ovrik.work.evidence.gathered import Evidence, counted


def assume_noise(study: Study) -> None:
    """Take what earlier studies on this machine showed, before the first run that counts; after that it stays, so
    that the study says the same tomorrow."""
    if counted(study):
        return
    mine = [n for n in noise_seen() if n.study != noise_name(study)]
    found = pooled_prior([n.spread for n in mine], [n.freedom for n in mine]) or STATED
    conduct = study.facts().conduct
    if (conduct.noise, conduct.noise_runs) != (found.spread, found.runs):
        study.set_conduct(replace(conduct, noise=found.spread, noise_runs=found.runs))


def keep_noise(study: Study, evidence: Evidence) -> None:
    """Keep what this study's runs show, where Ovrik drove all of them: other times carry their reading as well."""
    if any(s.by_hand or s.contender.outside for s in evidence.summaries):
        return
    noise, prior = evidence.times.found.noise, prior_of(evidence.facts.conduct)
    freedom = noise.total - prior.freedom
    if freedom > 0:
        own = (noise.common * noise.total - prior.freedom * prior.spread**2) / freedom
        remember_noise(NoiseSeen(noise_name(study), max(own, 0.0) ** 0.5, freedom))


def noise_name(study: Study) -> str:
    """What tells a study from others on this machine."""
    place = f"{study.facts().created_utc} {study.path.absolute()}"
    return hashlib.sha256(place.encode()).hexdigest()[:16]
