"""How runs are made: what each begins with, how many there are, and what counts as disturbed."""

from dataclasses import dataclass
from typing import Any, ClassVar

from ovrik.study.files.plain_values import OPEN, from_plain

AS_IT_IS, COLD, WARM = "as it is", "cold", "warm"
STATED_NOISE = 0.10
"""Standard deviation of log times, where nothing is known of a machine: a quiet workstation's runs mostly spread by 1
to 3 %, a virtual machine's by 15."""
STATED_ALIKE, STATED_PAIRS = 0.5, 8.0
"""How much a run is taken to resemble the one before, and what that is worth, likewise."""
CACHE_STATES = (AS_IT_IS, COLD, WARM)
CHOICE, BASELINE = "choice", "baseline"
DECIDES = (CHOICE, BASELINE)
RENAMED = {"until_told": "until_decided"}
"""What earlier studies call it, and its name now."""


@dataclass(frozen=True)
class Conduct:
    """Fields: `cache`, what the page cache holds of the source when a run begins ("cold": the first export of the
    day, "warm": again); `rest`, whether to wait until load, temperature and clock are back within what was seen
    before the first run, for up to `rest_limit_s` seconds; `nice` of the export, 0 to 19; `cores` it may use, empty
    for all; `until_decided`, add rounds until it is decided, for up to `most_rounds` and, above 0, `most_minutes`:
    either the choice (`decides` is "choice": which acceptable contender is fastest, and only what can still win is
    timed) or every comparison with the baseline ("baseline", where `drop_hopeless` leaves out what can no longer
    win); `set_aside`, whether an output that misses a limit or does not conform ends its contender's part while the
    choice is decided; `warm_all`, warm up every contender then, not only those that need it; `noise`, the spread of
    one run that is assumed before the study's own runs show it, from `noise_runs` earlier ones on this machine, 0
    where it is only stated, or taken from a short series of a fixed job, whose own spread is `noise_job`, 0 where
    none was made; `noise_alike`, how much a run resembles the one before it, 0 to 1, and `noise_pairs`,
    of how many pairs of runs that is worth; `disturbed_share`, the share of all processors used by others above
    which a run is disturbed; `repeat_disturbed`, whether it is then made again at the end of its round; `outputs`,
    the folder (and with it the drive) in which the study's folder of outputs lies, "" for beside the study;
    `first_times`, how often what comes first (pre-render, analysis) is made, once a round, so that its time has an
    interval; `remove_left`, whether what runs that were cut off left in the folder of outputs is removed before a
    run; `sync`, whether all that waits to be written is on the disks before a run begins; `refuse_forms`, whether a
    contender is out whose device gives another picture than software for a treatment in use, instead of only being
    warned about; `reference`, a file that outputs are judged against instead of the programme, "" for the
    programme, and `reference_checksum` of it when it was named."""

    __pydantic_config__: ClassVar[Any] = OPEN

    cache: str = AS_IT_IS
    rest: bool = True
    rest_limit_s: float = 60.0
    nice: int = 0
    cores: tuple[int, ...] = ()
    until_decided: bool = False
    decides: str = CHOICE
    set_aside: bool = True
    warm_all: bool = False
    noise: float = STATED_NOISE
    noise_runs: int = 0
    noise_job: float = 0.0
    noise_alike: float = STATED_ALIKE
    noise_pairs: float = STATED_PAIRS
    most_rounds: int = 12
    most_minutes: float = 0.0
    drop_hopeless: bool = False
    disturbed_share: float = 0.05
    repeat_disturbed: bool = True
    outputs: str = ""
    first_times: int = 3
    remove_left: bool = True
    sync: bool = True
    refuse_forms: bool = False
    reference: str = ""
    reference_checksum: str = ""

    @property
    def looks(self) -> int:
        """Rounds after which one may stop, at most; 0 when their number is fixed beforehand."""
        return self.most_rounds if self.until_decided else 0

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {**vars(self), "cores": list(self.cores)}

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> "Conduct":
        """The inverse of `to_json`; what is not there is as it usually is."""
        values = {RENAMED.get(k, k): v for k, v in data.items()}
        if values.get("until_decided") and "decides" not in values:
            values["decides"] = BASELINE  # that was all there was to decide
        if values.get("decides", CHOICE) not in DECIDES:
            del values["decides"]
        return from_plain(cls, values)
