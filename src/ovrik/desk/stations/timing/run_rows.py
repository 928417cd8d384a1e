"""Rows of the table of runs."""

from ovrik.desk.widgets.table import Cell
from ovrik.report.words.numbers import number, size_words
from ovrik.report.words.reasons import device_words, doubt_words, odd_words
from ovrik.store.records.made import Preparation
from ovrik.store.records.run import RunRecord

RUN_HEADINGS = (
    "Round",
    "State",
    "Wall time",
    "First frame",
    "Processor",
    "Peak memory",
    "Output",
    "Elsewhere",
    "Ovrik",
    "Build",
)


OVER_HINT = "Space lays its trace over those of other runs"


def round_words(r: RunRecord) -> str:
    """Which round a run belongs to."""
    before = "outside " if r.watched else "by hand " if r.by_hand else ""
    return "warm-up" if r.warmup else f"{before}{r.round}"


def _seconds(value: float | None, digits: int = 2) -> str:
    return "–" if value is None else f"{number(value, digits)} s"


def prepared_cells(p: Preparation) -> list[Cell]:
    """Something made once before the runs, timed for itself."""
    tone = "" if p.state == "done" else "trouble"
    return [
        Cell(p.kind, "made once, not part of any run"),
        Cell(p.state, p.reason, tone),
        Cell(f"{number(p.wall_s, 3)} s", right=True),
        Cell(f"{number(p.first_frame_s, 1)} s", right=True),
        Cell("–", right=True),
        Cell("–", right=True),
        Cell(size_words(p.bytes), right=True),
        Cell("–", right=True),
        Cell("–", right=True),
        Cell(""),
    ]


def _aside(r: RunRecord) -> str:
    """What has to be known of a run, in two words."""
    return (
        ", disturbed"
        if r.disturbed
        else ", fell back"
        if r.fell_back
        else ", on the processor"
        if r.on_processor
        else ""
    )


def run_cells(r: RunRecord, over: bool = False) -> list[Cell]:
    """One run; `over`, whether its trace is laid over others."""
    soft = "soft" if r.warmup else ""
    state = "trouble" if r.state in ("failed", "interrupted", "stopped") else soft
    cpu = (r.user_s or 0) + (r.system_s or 0) if r.user_s is not None else None
    own = 100 * (r.own_cpu_s or 0) / r.wall_s if r.wall_s else None
    peak = f"{r.peak_bytes / 2**20:.0f} MiB" if r.peak_bytes else "–"
    return [
        Cell(f"{'▣ ' if over else ''}{round_words(r)}", "laid over in Traces" if over else OVER_HINT, soft),
        Cell(
            f"{r.state}{_aside(r)}",
            "\n".join(filter(None, (r.reason or odd_words(r), device_words(r)))),
            "trouble" if r.disturbed or r.fell_back else state,
        ),
        Cell(f"{number(r.wall_s, 3)} s", doubt_words(r), soft, right=True, bold=r.counts),
        Cell(_seconds(r.first_frame_s, 1), "to 0.1 s, from the progress stream", soft, right=True),
        Cell(_seconds(cpu), "user and system time of the whole process group", soft, right=True),
        Cell(peak, tone=soft, right=True),
        Cell(size_words(r.output_bytes), tone=soft, right=True),
        Cell(_seconds(r.other_cpu_s), "processor time of everything else", soft, right=True),
        Cell(
            "–" if r.own_cpu_s is None else f"{number(own, 1)} %",
            "Ovrik's own use of one core during the run",
            soft,
            right=True,
        ),
        Cell(r.build.split("-")[0], f"{r.build}\nSHA-256 {r.build_sha256}", soft),
    ]
