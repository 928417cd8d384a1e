"""A row of a study that is not as it was written."""

from dataclasses import dataclass


@dataclass(frozen=True)
class DamagedRow:
    """A row that is not as it was written. Fields: `table`; `key`, of its row as text; `gone`, whether there is no
    such row any more."""

    table: str
    key: str
    gone: bool = False

    def __str__(self) -> str:
        return f"{self.table} {self.key}" + (" (lost)" if self.gone else "")
