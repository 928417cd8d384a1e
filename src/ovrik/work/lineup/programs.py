"""Described programs that travel with a study."""

from ovrik.machine.builds.described import introduce
from ovrik.store.study import Study


def take_in_programs(study: Study) -> None:
    """Make a study's described programs known here. None of them runs before it is approved."""
    for description in study.programs():
        introduce(description)
