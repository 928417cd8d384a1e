"""Everything a study comes to, written in the form that a file's name asks for."""

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path
from typing import Any

from ovrik.errors import OvrikError
from ovrik.report.forms.as_csv import write_contenders_csv, write_runs_csv
from ovrik.report.forms.as_html import PAGE_ENDINGS, machines_of, report_html, write_report
from ovrik.report.forms.as_ods import write_ods
from ovrik.report.forms.as_pdf import print_page
from ovrik.report.forms.plain import plain
from ovrik.report.forms.privacy import bare
from ovrik.report.values.everything import everything_json
from ovrik.report.values.of_sittings import pair_passed
from ovrik.store.study import Study
from ovrik.study.files.whole_file import write_asked
from ovrik.work.answers.over_kinds import OverKinds
from ovrik.work.answers.sittings import OverSittings
from ovrik.work.checking.report_moments import Shown
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.lineup.from_plan import save_plan


@dataclass(frozen=True, eq=False)
class WholeStudy:
    """All that is passed on. Fields: `study`; `evidence` of the present excerpt; `kinds`, over all footage, None
    with one; `sittings`; `moments`, frames to look at; `private`, whether folders are named; `lead`, a picture to
    begin with, JPEG."""

    study: Study
    evidence: Evidence
    kinds: OverKinds | None
    sittings: OverSittings
    moments: Sequence[Shown] = field(default=())
    private: bool = False
    lead: bytes = b""


def whole_json(w: WholeStudy) -> dict[str, Any]:
    """The evidence, the kinds of footage, the sittings and the machines as plain values."""
    each = w.sittings.each
    pairs = [pair_passed(w.sittings.pair(a.sitting.id, b.sitting.id)) for a, b in pairwise(each)]
    made = plain(everything_json(w.evidence, w.kinds, machines_of(w.study, w.evidence), pairs))
    return made if w.private else bare(made)


def _json(w: WholeStudy, path: Path) -> int:
    return write_asked(
        path, json.dumps(whole_json(w), indent=1, ensure_ascii=False, allow_nan=False).encode()
    )


def _html(w: WholeStudy, path: Path) -> int:
    return write_report(
        w.evidence,
        w.kinds,
        machines_of(w.study, w.evidence),
        path,
        w.private,
        moments=w.moments,
        sittings=w.sittings,
        lead=w.lead,
    )


def _pdf(w: WholeStudy, path: Path) -> int:
    machines = machines_of(w.study, w.evidence)
    return print_page(
        report_html(w.evidence, w.kinds, machines, w.private, w.moments, w.sittings, w.lead, printed=True),
        path,
    )


WRITERS: dict[str, Callable[[WholeStudy, Path], object]] = {
    ".csv": lambda w, p: write_contenders_csv(w.evidence, p),
    ".json": _json,
    ".ods": lambda w, p: write_ods(w.evidence, machines_of(w.study, w.evidence), p),
    **dict.fromkeys(PAGE_ENDINGS, _html),
    ".pdf": _pdf,
    ".toml": lambda w, p: save_plan(w.study, p),
}
"""By the ending of a file's name."""


def export(w: WholeStudy, path: Path, runs: bool = False) -> None:
    """Write it. With `runs`, a .csv has a row for each run instead of for each contender. Raises OvrikError."""
    if runs:
        if path.suffix.lower() != ".csv":
            raise OvrikError("--runs is for CSV", "Name a file that ends in .csv")
        write_runs_csv(w.evidence, path)
        return
    write = WRITERS.get(path.suffix.lower())
    if write is None:
        raise OvrikError(f"{path.name} says no form that is known", f"End it in {', '.join(WRITERS)}")
    write(w, path)
