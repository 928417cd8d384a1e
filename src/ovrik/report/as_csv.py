"""Every run as a row of CSV, for a spreadsheet or a sceptic."""

import csv
from pathlib import Path

from ovrik.work.evidence import Evidence

COLUMNS = (
    "label",
    "encoder",
    "build",
    "round",
    "warmup",
    "state",
    "wall_s",
    "first_frame_s",
    "last_frame_s",
    "user_s",
    "system_s",
    "peak_bytes",
    "output_bytes",
    "own_cpu_s",
    "other_cpu_s",
    "stolen_s",
    "disturbed",
    "fell_back",
    "doubt_s",
    "joules",
    "started_utc",
    "reason",
)


def write_runs_csv(evidence: Evidence, path: Path) -> int:
    """Write all runs of the present excerpt; gives how many rows."""
    count = 0
    with path.open("w", newline="", encoding="utf-8") as handle:
        out = csv.writer(handle)
        out.writerow(COLUMNS)
        for s in evidence.summaries:
            for run in s.runs:
                row = {
                    "label": s.contender.label,
                    "encoder": s.contender.recipe.encoder,
                    "build": run.build,
                    "warmup": int(run.warmup),
                }
                out.writerow([row.get(c, getattr(run, c, "")) for c in COLUMNS])
                count += 1
    return count
