"""What exports took in earlier studies on this machine, kept for the estimate of later ones."""

import hashlib
import json
import statistics
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import asdict

from ovrik.analysis.times.estimate import Earlier
from ovrik.machine.workstation.facts import processor_key
from ovrik.machine.workstation.times_seen import TimeSeen, remember_times, times_seen
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.delivery import delivery
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.noise import noise_name


def keep_times(study: Study, evidence: Evidence) -> None:
    """Keep the usual times of what Ovrik drove here."""
    name, programme, excerpt = noise_name(study), evidence.programme, evidence.facts.excerpt
    made = []
    for s in evidence.summaries:
        if s.contender.outside or s.by_hand or not s.usual_s or not s.times:
            continue
        first = statistics.median(min(r.first_frame_s or 0.0, r.wall_s or 0.0) for r in s.counted)
        made.append(
            TimeSeen(
                study=name,
                export=export_key(s.contender, programme, excerpt),
                film=film_key(programme, excerpt),
                frames=excerpt.frames,
                wall_s=s.usual_s,
                first_s=min(first, s.usual_s),
            )
        )
    remember_times(made)


def earlier_of(
    study: Study, contenders: Sequence[Contender], programme: Programme, excerpt: Excerpt
) -> Mapping[int, list[Earlier]]:
    """What the same settings took in other studies here, by contender's id; of the same film alone where they were
    tried on it."""
    seen, name, film = defaultdict[str, list[TimeSeen]](list), noise_name(study), film_key(programme, excerpt)
    for one in times_seen():
        if one.study != name:
            seen[one.export].append(one)
    out = {}
    for c in contenders:
        mine = seen.get(export_key(c, programme, excerpt), [])
        same = [t for t in mine if t.film == film]
        if found := same or mine:
            out[c.contender_id] = [Earlier(t.wall_s, t.first_s, t.frames, bool(same)) for t in found]
    return out


def export_key(c: Contender, programme: Programme, excerpt: Excerpt) -> str:
    """Names what takes about as long a frame on this machine: the settings, the size and rate of what is delivered,
    the footage's codecs and sizes, and the kinds of treatments."""
    wanted = delivery(programme, excerpt, c.recipe)
    said = {
        "machine": processor_key(),
        "contender": asdict(c.unnamed()),
        "delivered": (wanted.width, wanted.height, str(wanted.rate)),
        "footage": sorted({(f.codec, f.pixel_format, f.width, f.height) for f in programme.clips}),
        "treatments": sorted({t.kind for t in programme.every_treatment}),
        "overlays": bool(programme.overlays),
    }
    return _checksum(json.dumps(said, sort_keys=True, default=str))


def film_key(programme: Programme, excerpt: Excerpt) -> str:
    """Names a film and what of it is exported."""
    return _checksum(f"{programme.checksum} {excerpt.start_frame} {excerpt.frames}")


def _checksum(said: str) -> str:
    return hashlib.sha256(said.encode()).hexdigest()[:16]
