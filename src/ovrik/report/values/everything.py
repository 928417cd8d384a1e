"""The whole of what is passed on as JSON, and the schema that describes it."""

import json
from typing import Any

from ovrik import __version__
from ovrik.report.values.of_kinds import KindsPassed, kinds_passed
from ovrik.report.values.of_sittings import PairPassed
from ovrik.report.values.of_verdict import EvidencePassed, evidence_fields
from ovrik.report.values.record import SchemaOfRecords
from ovrik.work.answers.over_kinds import OverKinds
from ovrik.work.evidence.gathered import Evidence

FORMAT = 2
"""Version of the JSON; docs/export.schema.json describes it."""


class EvidenceOverAll(EvidencePassed):
    """What `ovrik verdict --json` prints."""

    over_all: KindsPassed | None
    """Over all kinds of footage; null with one."""


class Everything(EvidenceOverAll):
    """What `ovrik export STUDY -o FILE.json` writes. Times in seconds, sizes in bytes; a number that is infinite or
    not known is null."""

    format: int = FORMAT
    """Version of this form."""
    ovrik: str = __version__
    """Version of Ovrik that wrote it."""
    machines: tuple[dict[str, str], ...]
    """The machines that timed, without host and user names unless private."""
    sittings: tuple[PairPassed, ...]
    """Each sitting against the one before it."""


def evidence_json(e: Evidence, kinds: OverKinds | None) -> dict[str, Any]:
    """The evidence on the present footage, with the verdict over all kinds where there are several."""
    return EvidenceOverAll.model_validate(_fields(e, kinds)).values()


def everything_json(
    e: Evidence, kinds: OverKinds | None, machines: list[dict[str, Any]], sittings: list[PairPassed]
) -> dict[str, Any]:
    """All there is."""
    said = [{key: str(value) for key, value in facts.items()} for facts in machines]
    return Everything.model_validate({**_fields(e, kinds), "machines": said, "sittings": sittings}).values()


def _fields(e: Evidence, kinds: OverKinds | None) -> dict[str, Any]:
    over = kinds_passed(kinds) if kinds and kinds.begun else None
    return {**evidence_fields(e, kinds), "over_all": over}


def schema() -> dict[str, Any]:
    """What docs/export.schema.json holds."""
    return {
        "$schema": SchemaOfRecords.schema_dialect,
        **Everything.model_json_schema(mode="serialization", schema_generator=SchemaOfRecords),
    }


if __name__ == "__main__":
    print(json.dumps(schema(), indent=1, ensure_ascii=False))
