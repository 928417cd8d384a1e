"""Which file, and which of its frames, shows a frame of the excerpt."""

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from ovrik.quality.reference.key import key_of, reference_file
from ovrik.store.study import Study
from ovrik.study.contender.delivery import delivery
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.outputs_on_disk import output_path
from ovrik.work.evidence.summary import Summary


@dataclass(frozen=True)
class Looked:
    """A file that is looked at.

    Fields: `path`; `checksum` of an output, or the key of a reference; `offset`, by how many frames it begins before
    the excerpt; `pace`, its frames to one of the excerpt."""

    path: Path
    checksum: str = ""
    offset: int = 0
    pace: Fraction = Fraction(1)

    def at(self, frame: int) -> int:
        """Its frame that stands when this frame of the excerpt does."""
        return max(0, int(frame * self.pace) + self.offset)


def output_of(study: Study, s: Summary, e: Evidence) -> Looked | None:
    """A contender's output, None where it is not on disk."""
    run = s.output_run
    path = output_path(study, run) if run else None
    if run is None or path is None or not path.exists():
        return None
    wanted = delivery(e.programme, e.facts.excerpt, s.contender.recipe)
    offset = s.score.facts.lag if s.score else 0
    return Looked(path, run.output_sha256 or "", max(offset, 0), wanted.rate / e.programme.rate)


def reference_name(key: str) -> str:
    """What a reference is called in the folder of outputs of a study that was sent with it."""
    return f"reference {key}.mkv"


def reference_of(study: Study, s: Summary | None, e: Evidence) -> Looked:
    """What a contender is judged against, whether it is there or not: this machine's own, else one that came with the
    study, which is only looked at."""
    wanted = delivery(e.programme, e.facts.excerpt, s.contender.recipe if s else None)
    offset = s.score.facts.lag if s and s.score else 0
    pace = wanted.rate / e.programme.rate
    key, path = key_of(e.facts, e.programme, wanted), reference_file(e.facts, e.programme, wanted)
    sent = study.outputs / reference_name(key)
    return Looked(sent if not path.exists() and sent.exists() else path, key, max(-offset, 0), pace)
