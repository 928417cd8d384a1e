"""What the end of a run fills in its record."""

from pathlib import Path
from typing import Any

from ovrik.export.run.timed import RunResult
from ovrik.store.records.run import RunState
from ovrik.study.files.checksum import sha256_now


def run_values(result: RunResult, output: Path) -> dict[str, Any]:
    """Fields of a run that its end fills."""
    values: dict[str, Any] = {
        "state": RunState(result.state),
        "reason": result.reason,
        "first_frame_s": result.first_frame_s,
        "last_frame_s": result.last_frame_s,
        "passes": result.passes,
        "frames_written": result.frames,
        "output_bytes": result.output_bytes or None,
        "output_sha256": sha256_now(output) if result.state == "done" else None,
        "other_cpu_s": result.other_cpu_s,
        "stolen_s": result.stolen_s,
    }
    used = (
        "wall_s",
        "user_s",
        "system_s",
        "peak_bytes",
        "read_bytes",
        "written_bytes",
        "exit_code",
        "log",
        "own_cpu_s",
    )
    return values | ({name: getattr(result.usage, name) for name in used} if result.usage else {})


def who_else(result: RunResult) -> dict[str, Any]:
    """Who else was at work, and the energy used where that is reported."""
    joules = result.trace.joules() if result.trace else None
    return {
        "others": result.others[:5],
        "disk_users": result.disk_users[:3],
        **({} if joules is None else {"joules": round(joules, 1)}),
    }
