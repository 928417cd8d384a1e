"""What is read back from the study file, as values."""

from dataclasses import dataclass

import numpy as np

from ovrik.study.excerpt import Excerpt
from ovrik.study.limits import Limits


@dataclass(frozen=True)
class StudyFacts:
    """The study's own row.

    Fields: `title`; `created_utc`, ISO 8601; `excerpt`; `rounds` wanted; `warmup` rounds;
    `tie_band`; `baseline_id`, a contender's number or None; `seed` of the shuffles; `limits`.
    """

    title: str
    created_utc: str
    excerpt: Excerpt
    rounds: int
    warmup: int
    tie_band: float
    baseline_id: int | None
    seed: int
    limits: Limits


@dataclass(frozen=True)
class RunRecord:
    """One run as kept. Times in seconds, sizes in bytes; None where a run did not get so far.

    Fields: as the columns of the table `run`; `argv` and `log` as tuples of strings;
    `build`, `build_sha256`, the build's version and checksum at the time; `machine_id`; `footage`,
    the checksum of what was exported.
    """

    id: int
    contender_id: int
    round: int
    warmup: bool
    state: str
    reason: str
    started_utc: str
    argv: tuple[str, ...]
    wall_s: float | None
    first_picture_s: float | None
    last_picture_s: float | None
    user_s: float | None
    system_s: float | None
    peak_bytes: int | None
    frames_written: int | None
    output: str | None
    output_bytes: int | None
    output_sha256: str | None
    exit_code: int | None
    log: tuple[str, ...]
    own_cpu_s: float | None
    other_cpu_s: float | None
    stolen_s: float | None
    excerpt: Excerpt
    build: str
    build_sha256: str
    machine_id: int | None
    footage: str

    @property
    def counts(self) -> bool:
        """Whether its time enters the statistics."""
        return self.state == "done" and not self.warmup

    @property
    def fps(self) -> float | None:
        """Pictures per second over the whole run."""
        if not self.wall_s or not self.frames_written:
            return None
        return self.frames_written / self.wall_s


@dataclass(frozen=True, eq=False)
class ScoreRecord:
    """A checked output.

    Fields: `id`; `contender_id`; `output_sha256` of the file that was checked; `reference`, the
    key of what it was judged against; `faults` of conformity, empty when it conforms; `problem`,
    why it could not be scored, or ""; `facts` of the output in words; `vmaf`, `psnr` (dB, luma),
    `ssim` (luma), arrays of shape (frames,), empty when unscored.
    """

    id: int
    contender_id: int
    output_sha256: str
    reference: str
    faults: tuple[str, ...]
    problem: str
    facts: dict[str, str]
    vmaf: np.ndarray
    psnr: np.ndarray
    ssim: np.ndarray
