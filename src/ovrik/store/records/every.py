"""Every table whose rows are records."""

from typing import Any

from ovrik.store.records.decision import DECISIONS
from ovrik.store.records.line_up import CONTENDERS, SITTINGS
from ovrik.store.records.looks import LOOKS
from ovrik.store.records.made import PARTS, PLAYBACKS, PREPARATIONS
from ovrik.store.records.run import RUNS
from ovrik.store.records.score import SCORES
from ovrik.store.records.searched import SEARCH_POINTS
from ovrik.store.records.seen import BLINDS, PINS
from ovrik.store.records.table import Table

TABLES: tuple[Table[Any], ...] = (
    *(CONTENDERS, SITTINGS, RUNS, PARTS, SCORES, PREPARATIONS, DECISIONS, LOOKS, PLAYBACKS),
    *(PINS, BLINDS, SEARCH_POINTS),
)
"""Every table whose rows are records."""
