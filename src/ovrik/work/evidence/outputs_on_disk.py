"""Where the outputs of a study's runs lie, and which run wrote what is there now."""

from pathlib import Path

from ovrik.store.records.run import RunRecord
from ovrik.store.study import Study
from ovrik.work.evidence.gathered import belongs


def latest_output(study: Study, contender_id: int) -> RunRecord | None:
    """The run that wrote the output file of the present excerpt now on disk."""
    facts, programme = study.facts(), study.programme()
    done = [r for r in study.runs(contender_id) if r.state == "done" and r.output]
    mine = [r for r in done if belongs(r, facts, programme)]
    every = study.runs(contender_id, every_sitting=True)
    later = [
        r for r in every if mine and r.id > mine[-1].id and (r.state, r.output) == ("done", mine[-1].output)
    ]
    return mine[-1] if mine and not later else None


def output_path(study: Study, run: RunRecord) -> Path:
    """Where a run's output lies: in the folder that it was written to, or, in a study that was moved, in the one that
    goes with it now."""
    name = run.output or ""
    written = Path(str(run.conditions.get("outputs") or study.outputs)) / name
    return written if written.exists() else study.outputs / name


def everywhere(study: Study) -> list[Study]:
    """The study as it is, then on every other kind of footage."""
    facts, programme = study.facts(), study.programme()
    present = programme.checksum, facts.excerpt
    return [study, *(study.on(k) for k in study.kinds() if (k.programme, k.excerpt) != present)]
