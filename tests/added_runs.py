"""Runs put on file without an export."""

from ovrik.store.study import Study

BUILD = {"key": "bundled", "path": "/b/ffmpeg", "version": "9", "sha256": "aa"}


def add_run(
    study: Study,
    contender: int,
    round_: int,
    wall: float,
    state: str = "done",
    warmup: bool = False,
    machine: str = "P",
) -> None:
    """One finished run."""
    run = study.begin_run(
        contender,
        BUILD,
        {"processor": machine},
        study.programme(),
        study.facts().excerpt,
        round_,
        warmup,
        ["x"],
        f"{contender}.mp4",
    )
    study.end_run(
        run,
        {
            "state": state,
            "wall_s": wall,
            "output_bytes": 1_000_000,
            "reason": "no luck" if state == "failed" else "",
            "output_sha256": "ff",
        },
    )
