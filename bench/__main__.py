"""`./run bench NAME … | --all [--seed N]`: runs benchmarks, each in its own process, and says in one table which
claims hold. The seed, of the day if none is named, draws their cases; it is printed first."""

import argparse
import json
import os
import subprocess
import sys
from collections.abc import Callable
from dataclasses import asdict, dataclass

from bench import (
    against_hyperfine,
    checking,
    complexity_speed,
    devices,
    dragging,
    every_size,
    forecasting,
    fuzz_longer,
    grid_speed,
    kills,
    kills_everywhere,
    loss_table,
    many_runs,
    matching,
    own_load,
    real_programs,
    report_page,
    scoring_speed,
    sensors_cost,
    start_up,
    timeline_speed,
    verdict_power,
    viewer_speed,
    wall_cost,
    watching,
)
from bench.deep.all_of_them import fuzzed
from bench.deep.readers import READERS
from bench.hostile.all_of_them import broken
from bench.seed import LACKING, NAMED, of_today
from bench.sweeps import quiet, swept
from bench.zoo.lossy import DAMAGES, EVERYDAY, answers, damaged_ones, good_ones, table
from bench.zoo.sounds import SOUNDS, WRONG_SOUNDS, heard
from bench.zoo.tried import everywhere, tried

MARK = "claims: "


@dataclass(frozen=True)
class Claim:
    """Fields: `text` of the claim; `value` found; `limit` it must stay under; `unit`."""

    text: str
    value: float
    limit: float
    unit: str

    @property
    def holds(self) -> bool:
        """Whether the value keeps to the limit."""
        return self.value <= self.limit


def hyperfine() -> list[Claim]:
    """Wall times against an independent timer."""
    paced, off = against_hyperfine.median_deviation(at_own_rate=True), against_hyperfine.median_deviation()
    return [
        Claim("median of paired wall times, paced export, is off hyperfine's by", 100 * paced, 1.0, "%"),
        Claim("the same, export at full speed", 100 * off, 1.0, "%"),
    ]


def load() -> list[Claim]:
    """Ovrik's own use of the processor while something is timed."""
    return [
        Claim("Ovrik's own use of one core, without a window", 100 * own_load.without_window(), 3.0, "%"),
        Claim("Ovrik's own use of one core, window open at Timing", 100 * own_load.with_window(), 3.0, "%"),
    ]


def start() -> list[Claim]:
    """From the command to a populated window."""
    seconds, ratio = start_up.ratio()
    return [
        Claim("seconds from `ovrik demo` to the populated window", seconds, 5.0, "s"),
        Claim("the same over the time to import its libraries alone", ratio, 2.0, "times"),
    ]


def sensors() -> list[Claim]:
    """All sensors at their normal rate."""
    return [
        Claim(
            "all sensors, read twice a second, use of one core",
            100 * sensors_cost.share_of_a_core(),
            0.5,
            "%",
        )
    ]


def complexity() -> list[Claim]:
    """Measuring complexity against only decoding the same clip."""
    return [
        Claim(
            "time of measuring complexity over a bare decode, the demo's film",
            complexity_speed.on_film(),
            1.25,
            "×",
        ),
        Claim("the same, an H.264 clip made of it", complexity_speed.on_h264(), 1.25, "×"),
    ]


def grid() -> list[Claim]:
    """2,000 combinations in the core."""
    return [
        Claim("2,000 combinations expanded, filtered and sorted in", 1000 * grid_speed.seconds(), 100, "ms")
    ]


def timeline() -> list[Claim]:
    """A timeline with 500 shots."""
    return [
        Claim("a timeline of 500 shots from 12 clips is read in", timeline_speed.seconds(), 2.0, "s"),
        Claim("its strip is drawn in", 1000 * timeline_speed.draw_seconds(), 16, "ms"),
    ]


def runs() -> list[Claim]:
    """A study of 10,000 runs, each with its series."""
    opened, drawn = many_runs.open_seconds(), 1000 * many_runs.lanes_seconds()
    return [
        Claim("a study of 10,000 runs with traces is opened and summed up in", opened, 1.5, "s"),
        Claim("its lanes are drawn anew, with a run growing, in", drawn, 33, "ms"),
    ]


def watch() -> list[Claim]:
    """What is kept of exports that nobody drives, on a machine at rest and on a busy one."""
    out = []
    for loops, where in ((0, "at rest"), (4, "beside four loops")):
        found = watching.kept(loops=loops)
        told = [k for k in found if k.covers is not None and k.known in (watching.KEY, watching.TRIAL)]
        alone = [k for k in found if k.covers is not None and k.known == watching.PROGRAM]
        blind = [k for k in found if k.covers is not None and k.known == watching.NOTHING]
        out += [
            Claim(f"{where}: of {len(found)} habits, exports missed", sum(k.missed for k in found), 0, ""),
            Claim(f"{where}: kept twice, or of one that was killed", sum(k.made_up for k in found), 0, ""),
            Claim(
                f"{where}: bounds that don't hold the truth, start key now or once before",
                _per_cent(told, "off"),
                5,
                "%",
            ),
            Claim(f"{where}: wider than 0.3 s, likewise", _per_cent(told, "wide"), 20, "%"),
            Claim(f"{where}: bounds that don't hold it, the program alone", _per_cent(alone, "off"), 5, "%"),
            Claim(f"{where}: bounds that don't hold it, nothing chosen", _per_cent(blind, "off"), 5, "%"),
        ]
    return [*out, Claim("use of one core while a folder is armed", 100 * watching.idle_share(), 1.0, "%")]


def real() -> list[Claim]:
    """What is kept of exports by programs that are no stand-ins, against their own stopwatches."""
    every = [one for some in real_programs.found().values() for one in some]
    off, wide = (100 * sum(not getattr(o, name) for o in every) / len(every) for name in ("covers", "narrow"))
    return [
        Claim(
            f"of {len(every)} exports by real programs, bounds without their stopwatch's time", off, 5, "%"
        ),
        Claim("wider than 0.3 s, the program chosen", wide, 20, "%"),
    ]


def _per_cent(found: list[watching.Kept], what: str) -> float:
    """Of these, what don't hold the truth, or are wide."""
    wrong = [not k.covers if what == "off" else k.wide_s > watching.NARROW_S for k in found]
    return 100 * sum(wrong) / max(len(wrong), 1)


def wall() -> list[Claim]:
    """What the second wall adds to a run."""
    measured, whole = wall_cost.added_ms()
    return [
        Claim("the wall around an encoder adds to a measured wall time", measured, 2.0, "ms"),
        Claim("and to a run in all", whole, 2.0, "ms"),
    ]


def hostile() -> list[Claim]:
    """What a stranger's folder or study may try."""
    count, found = broken()
    return [Claim(f"of {count} attempts by a stranger's folder or study, what did harm", len(found), 0, "")]


def kill() -> list[Claim]:
    """One study, its Ovrik killed again and again, the write-ahead log deleted after each kill."""
    found = kills.kill_often()
    return [
        Claim(f"of {found.finished} finished runs, lost over {found.kills} kills", found.lost, 0, "runs"),
        Claim("encoders left behind", found.left, 0, "processes"),
        Claim("times the study could not be opened", found.unreadable, 0, "times"),
    ]


def killed() -> list[Claim]:
    """A thousand kills of every command that works for long, on a drive that fills now and then."""
    found = kills_everywhere.kill_everywhere()
    count = found.kills.total()
    return [
        Claim(f"of {found.finished} finished runs, lost over {count} kills", len(found.lost), 0, "runs"),
        Claim("rounds counted twice", len(found.twice), 0, "rounds"),
        Claim("processes and files left over", len(found.left), 0, ""),
        Claim("times a study could not be opened", len(found.opened), 0, "times"),
    ]


def deep() -> list[Claim]:
    """Ten minutes for each reader of files that are nearly right."""
    found = fuzzed(list(READERS), 600)
    tried = sum(one.tried for one in found.values())
    return [
        Claim(
            f"of {tried} files that are nearly right, what broke",
            sum(len(one.broken) for one in found.values()),
            0,
            "",
        )
    ]


def fuzz() -> list[Claim]:
    """Ten minutes of files with anything in them."""
    return [Claim("properties that did not hold in ten minutes of fuzzing", fuzz_longer.failures(), 0, "")]


def verdict() -> list[Claim]:
    """What a verdict costs and how often it is wrong, simulated."""
    took = 1000 * verdict_power.seconds_of_200()
    out = [Claim("verdict and all intervals of 200 contenders with 20 runs each", took, 50, "ms")]
    for name, one in verdict_power.quiet(100).items():
        if name in verdict_power.GOALS:
            median, ninth = verdict_power.GOALS[name]
            out.append(Claim(f"{name}: rounds' worth to the decision, median", one.cost[0], median, ""))
            out.append(Claim(f"{name}: the same, 90th percentile", one.cost[1], ninth, ""))
            out.append(
                Claim(f"{name}: plans that did not hold what came", 100 - one.share("planned"), 10, "%")
            )
    rows = verdict_power.found(100)
    for known, where in ((True, "on a machine that is known"), (False, "where nothing is known")):
        for what, named, limit in (
            ("wrong", "wrong choices", 5),
            ("called", "studies in which one that is no slower is called slower", 5),
            ("missed", "studies in which any interval misses after any look", 7),
        ):
            worst = max(rows, key=lambda r: r.worst(what, known))
            text = f"{where}, {named} where they are most ({worst.name})"
            out.append(Claim(text, worst.worst(what, known), limit, "%"))
    return out


def viewer() -> list[Claim]:
    """From a key to the painted frame, on the demo at 1280x720."""
    found = viewer_speed.speed()
    return [
        Claim("a flip, 95th percentile", found.flip, 16, "ms"),
        Claim("a step, 95th percentile", found.step, 40, "ms"),
        Claim("any frame, 95th percentile", found.jump, 150, "ms"),
        Claim(f"frames dropped of {found.played} played side by side at 25 fps", found.dropped, 0, ""),
    ]


def scoring() -> list[Claim]:
    """Several outputs in one pass."""
    share, gap = scoring_speed.ratio()
    return [
        Claim("three outputs in one pass take of three commands", share, 0.70, ""),
        Claim("and their VMAF is off by", gap, 0.01, ""),
    ]


def check() -> list[Claim]:
    """From the last export to the verdict."""
    out = []
    for name, most in (("720p", 1.3), ("2160p 10 bit", 1.3), ("160x90", 2.0)):
        found = checking.took(checking.CASES[name], checking.TIMES if name != "2160p 10 bit" else 1)
        print(f"{name}, processor seconds: {found.parts}", flush=True)
        named = f"{name}: from the last export's end to the verdict, over VMAF, PSNR and SSIM by commands"
        out.append(Claim(named, found.whole, most, ""))
        if name != "160x90":
            out.append(Claim(f"{name}: the same to the first verdict, so far", found.so_far, 0.3, ""))
            share = found.parts["losses"] / found.parts["scores"]
            out.append(Claim(f"{name}: processor time of kinds of loss over that of scores", share, 0.4, ""))
    return out


def losses() -> list[Claim]:
    """Each measure of loss answers to its own fault, and little to the others."""
    own, other = loss_table.weakest_own(), loss_table.worst_crosstalk()
    return [
        Claim("the strongest answer to another's fault, of the weakest to one's own", other / own, 0.4, "")
    ]


def drag() -> list[Claim]:
    """The verdict and its picture follow a limit that is dragged."""
    mean, most = dragging.frame_ms()
    return [
        Claim("200 contenders of 20 runs follow a dragged limit, mean of a frame", mean, 1000 / 30, "ms"),
        Claim("the same, 95th percentile", most, 40.0, "ms"),
    ]


def match() -> list[Claim]:
    """The search for equal quality, on the demo."""
    return [
        claim
        for one in matching.landed()
        for claim in (
            Claim(f"{one.clip}, {one.encoder}, VMAF {one.floor}: found in encodes", one.encodes, 16, ""),
            Claim(f"{one.clip}, {one.encoder}: steps from the last that meets it", one.steps_off, 0, ""),
            Claim(
                f"{one.clip}, {one.encoder}: under the floor in the line-up", -min(one.confirmed, 0.0), 0, ""
            ),
        )
    ]


def forecast() -> list[Claim]:
    """How long whole films take, forecast from segments."""
    found = forecasting.forecast()
    far = sum(abs(one.off) > NEAR and one.close for one in found)
    none = sum(abs(one.off) > NEAR for one in found)
    return [
        Claim(f"of {len(found)} films, forecast and more than a tenth off", far, 0, ""),
        Claim("more than a tenth off, whether it was said to be told or not", none, 2, ""),
        Claim("outside their intervals", sum(not one.within for one in found), 1, ""),
    ]


NEAR = 0.1


def report() -> list[Claim]:
    """The report in a browser: axe-core, console, network."""
    out = []
    for title, found in report_page.of_crowds().items():
        for words in found:
            print(f"report of {title}: {words}")
        out.append(Claim(f"report of {title}: findings of axe-core and console messages", len(found), 0, ""))
    return out


def sizes() -> list[Claim]:
    """Every page at every size of the window, with 1 to 200 contenders, by day and at 150 % by night."""
    found = every_size.texts_cut()
    print("\n".join(found))
    return [Claim("texts that are cut, or lie over one another", len(found), 0, "")]


def devices_that_work() -> list[Claim]:
    """Stand-in devices, idle and beside busy loops: who is said to have fallen back."""
    out = []
    for loops, beside in ((0, "an idle machine"), (devices.BUSY, f"{devices.BUSY} busy loops beside it")):
        found = devices.barred(loops)
        out.append(
            Claim(f"{beside}: of {found.sound} runs on sound devices, said to fall back", found.blamed, 0, "")
        )
        out.append(Claim(f"the same: of {found.fallen} runs that fell back, not found", found.missed, 0, ""))
    return out


def losses_by_kind() -> list[Claim]:
    """Kinds of loss: what they say of good exports of everyday footage, and of frames that are damaged."""
    good = list(everywhere(good_ones, EVERYDAY))
    found = answers(good, list(everywhere(damaged_ones, [d.key for d in DAMAGES])))
    print(table(found))
    return [
        Claim(
            "frames of good exports that are called worth a look, of any kind, at most",
            100 * max(found.alarms.values()),
            1.0,
            "%",
        ),
        Claim(
            "damaged clips at a strength that a practised eye sees, not found, of any kind, at most",
            100 * (1 - min(found.found.values())),
            10.0,
            "%",
        ),
        Claim("clips on which a stronger damage reads as a weaker one", sum(found.falling.values()), 0, ""),
        Claim(
            "the strongest answer to another's damage, of what is worth a look",
            max(v for v, _w in found.others.values()),
            0.33,
            "",
        ),
    ]


def zoo() -> list[Claim]:
    """Sound and wrong exports of everyday footage, and what the checks say of them."""
    found = tried()
    for title, lines in (
        ("blamed", found.blamed),
        ("missed", found.missed),
        ("named otherwise", found.otherwise),
        ("can't be told", found.untold),
    ):
        print("\n".join(f"{title}: {line}" for line in lines))
    return [
        Claim(f"of {found.sound} sound exports, blamed", 100 * len(found.blamed) / found.sound, 1.0, "%"),
        Claim(f"of {found.wrong} wrong ones, missed", len(found.missed), 0, ""),
        Claim("the same, named otherwise", 100 * len(found.otherwise) / found.wrong, 5.0, "%"),
        Claim(
            "the same, of which it is said that it can't be told",
            100 * len(found.untold) / found.wrong,
            5.0,
            "%",
        ),
        *_sounds(),
    ]


def _sounds() -> list[Claim]:
    """Sound and wrong exports of everyday sounds."""
    every = [heard(name) for name in SOUNDS]
    sound, wrong = ([s for found in every for s in found[n]] for n in (0, 1))
    said = {w.name: w.said for w in WRONG_SOUNDS}
    blamed, silent = [s for s in sound if s.faults], [s for s in wrong if not s.faults]
    untold = [s for s in silent if s.untold]
    other = [s for s in wrong if s.faults and not any(w in f for w in said[s.export] for f in s.faults)]
    for title, some in (("blamed", blamed), ("can't be told", untold), ("named otherwise", other)):
        print("\n".join(f"{title}: {s.kind}, {s.export}: {'; '.join(s.faults)}" for s in some))
    return [
        Claim(f"of {len(sound)} sound exports of sounds, blamed", 100 * len(blamed) / len(sound), 1.0, "%"),
        Claim(f"of {len(wrong)} wrong ones, missed", len(silent) - len(untold), 0, ""),
        Claim("the same, named otherwise", 100 * len(other) / len(wrong), 5.0, "%"),
    ]


def sweeps() -> list[Claim]:
    """Tests of many cases, of which `./run test` has a few."""
    return [
        Claim(f"of {sweep.tests} cases, not as they should be", sweep.wrong, 0, "") for sweep in [swept()]
    ]


def by_the_clock() -> list[Claim]:
    """Tests that need a machine on which nothing else runs."""
    found = quiet()
    return [Claim(f"of {found.tests} tests by the clock, not as they should be", found.wrong, 0, "")]


BENCHES: dict[str, Callable[[], list[Claim]]] = {
    "hyperfine": hyperfine,
    "load": load,
    "start": start,
    "sensors": sensors,
    "complexity": complexity,
    "grid": grid,
    "timeline": timeline,
    "runs": runs,
    "verdict": verdict,
    "wall": wall,
    "watch": watch,
    "real": real,
    "hostile": hostile,
    "kill": kill,
    "everywhere": killed,
    "fuzz": fuzz,
    "deep": deep,
    "viewer": viewer,
    "scoring": scoring,
    "checking": check,
    "losses": losses,
    "drag": drag,
    "match": match,
    "forecast": forecast,
    "report": report,
    "sizes": sizes,
    "sweeps": sweeps,
    "quiet": by_the_clock,
    "zoo": zoo,
    "devices": devices_that_work,
    "kinds": losses_by_kind,
}


def main(names: list[str]) -> int:
    """Run the named benchmarks, or with `--all` every one; gives 1 when a claim does not hold, or a bench broke down.
    Each runs in a process of its own: one that falls over takes no other with it."""
    if names[:1] == ["--here"]:
        print(MARK + json.dumps([asdict(claim) for claim in BENCHES[names[1]]()]))
        return 0
    parser = argparse.ArgumentParser(prog="./run bench")
    parser.add_argument("names", nargs="*", metavar="NAME", help=f"of {', '.join(BENCHES)}")
    parser.add_argument("--all", action="store_true", help="every one, as without a name")
    parser.add_argument("--seed", type=int, default=of_today(), help="what their cases are drawn with")
    asked = parser.parse_args(names)
    if unknown := [n for n in asked.names if n not in BENCHES]:
        parser.error(f"no benchmark {unknown[0]}; there are {', '.join(BENCHES)}")
    os.environ[NAMED] = str(asked.seed)
    print(f"seed {asked.seed}", flush=True)
    chosen = list(BENCHES) if asked.all or not asked.names else asked.names
    rows = [row for name in chosen for row in _rows(name)]
    wide = max(len(text) for _name, text, _found, _said in rows)
    print()
    for name, text, found, said in rows:
        print(f"{name:10}  {text:{wide}}  {found:>28}  {said}")
    return 0 if all(said == "holds" for *_row, said in rows) else 1


def _rows(name: str) -> list[tuple[str, str, str, str]]:
    """Of one bench: its name, the claim, what was found and the limit, and whether it holds."""
    print(f"{name} …", file=sys.stderr, flush=True)
    done = subprocess.run(
        [sys.executable, "-m", "bench", "--here", name], stdout=subprocess.PIPE, text=True, check=False
    )
    told = [line.removeprefix(MARK) for line in done.stdout.splitlines() if line.startswith(MARK)]
    print("\n".join(line for line in done.stdout.splitlines() if not line.startswith(MARK)), end="")
    if done.returncode == LACKING:
        return [(name, BENCHES[name].__doc__ or "", "what it needs is not here", "NOT TRIED")]
    if not told:
        return [(name, BENCHES[name].__doc__ or "", f"exit code {done.returncode}", "BROKE DOWN")]
    claims = [Claim(**one) for one in json.loads(told[-1])]
    return [
        (name, c.text, f"{c.value:.2f} {c.unit} (limit {c.limit:g})", "holds" if c.holds else "DOES NOT HOLD")
        for c in claims
    ]


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
