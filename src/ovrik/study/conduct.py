"""How runs are made: what each begins with, how many there are, and what counts as disturbed."""

from dataclasses import dataclass
from typing import Any, ClassVar

from ovrik.study.plain import OPEN, from_plain

AS_IT_IS, COLD, WARM = "as it is", "cold", "warm"
CACHE_STATES = (AS_IT_IS, COLD, WARM)
RENAMED = {"until_told": "until_decided"}
"""What earlier studies call it, and its name now."""


@dataclass(frozen=True)
class Conduct:
    """Fields: `cache`, what the page cache holds of the source when a run begins ("cold": the first export of
    the day, "warm": again); `rest`, whether to wait until load, temperature and clock are back within what was
    seen before the first run, for up to `rest_limit_s` seconds; `nice` of the export, 0 to 19; `cores` it may
    use, empty for all; `until_decided`, go on until every comparison with the baseline is decided, for up to
    `most_rounds` and, above 0, `most_minutes`; `drop_hopeless`, leave out of further rounds what can no longer
    win; `disturbed_share`, the share of all processors used by others above which a run is disturbed;
    `repeat_disturbed`, whether it is then made again at the end of its round; `outputs`, the folder (and with it
    the drive) in which the study's folder of outputs lies, "" for beside the study; `remove_left`, whether what
    runs that were cut off left in the folder of outputs is removed before a run; `sync`, whether all that waits to
    be written is on the disks before a run begins; `refuse_forms`, whether a contender is out whose device gives
    another picture than software for a treatment in use, instead of only being warned about."""

    __pydantic_config__: ClassVar[Any] = OPEN

    cache: str = AS_IT_IS
    rest: bool = True
    rest_limit_s: float = 60.0
    nice: int = 0
    cores: tuple[int, ...] = ()
    until_decided: bool = False
    most_rounds: int = 12
    most_minutes: float = 0.0
    drop_hopeless: bool = False
    disturbed_share: float = 0.05
    repeat_disturbed: bool = True
    outputs: str = ""
    remove_left: bool = True
    sync: bool = True
    refuse_forms: bool = False

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
        return from_plain(cls, {RENAMED.get(k, k): v for k, v in data.items()})
