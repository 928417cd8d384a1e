"""What was held the same in a line-up, what varied, and how runs were made, in words."""

from ovrik.report.words.numbers import number
from ovrik.study.contender.contender import factors_of
from ovrik.work.evidence.gathered import Evidence


def held_words(e: Evidence) -> str:
    """What every contender shares."""
    contenders = [s.contender for s in e.summaries]
    held = [
        f"{f.title.lower()} {f.words(contenders[0])}"
        for f in factors_of(contenders).values()
        if contenders and len({f.words(c) for c in contenders}) == 1
    ]
    treated = "; ".join(dict.fromkeys(t.words for t in e.programme.every_treatment)) or "none"
    return f"Programme {e.programme.name}, treatments: {treated}. In every contender: {', '.join(held) or 'nothing'}."


def varied_words(e: Evidence) -> list[tuple[str, str]]:
    """Each factor that varies, with its levels in the order in which they come."""
    contenders = [s.contender for s in e.summaries]
    out = []
    for f in factors_of(contenders).values():
        levels = list(dict.fromkeys(f.words(c) for c in contenders))
        if len(levels) > 1:
            out.append((f.title, ", ".join(levels)))
    versions = list(
        dict.fromkeys(f"{s.contender.build} {r.build}" for s in e.summaries for r in s.counted if r.build)
    )
    return [*out, *([("Version", ", ".join(versions))] if versions else [])]


def conduct_rows(e: Evidence) -> list[tuple[str, str]]:
    """How runs were made, and what they went under, in pairs of a name and words."""
    c, runs = e.facts.conduct, [r for s in e.summaries for r in s.counted]
    rows = [
        ("Rounds", f"{e.facts.rounds}, shuffled anew each time; {e.facts.warmup} to warm up, not counted"),
        ("Page cache before a run", c.cache),
        (
            "Rest before a run",
            f"until the machine is as it was at first, {c.rest_limit_s:g} s at most" if c.rest else "none",
        ),
        ("Priority, cores", f"nice {c.nice}, {', '.join(map(str, c.cores)) or 'all cores'}"),
        ("All that waits to be written is on the disks before a run", "yes" if c.sync else "no"),
        (
            "Disturbed",
            f"when others use more than {100 * c.disturbed_share:.0f} % of the processors"
            + ("; such a run is made again" if c.repeat_disturbed else ""),
        ),
        ("Tie band", f"±{100 * e.facts.tie_band:.1f} %"),
        ("Judged against", c.reference or "the programme, treated and kept losslessly"),
    ]
    if not runs:
        return rows
    rows.append(
        ("Timed", f"{min(r.started_utc for r in runs)[:16]} to {max(r.started_utc for r in runs)[:16]} UTC")
    )
    for name, values, unit in (
        (
            "Ovrik's own use",
            [r.own_cpu_s / r.wall_s for r in runs if r.own_cpu_s is not None and r.wall_s],
            "% of a core",
        ),
        (
            "Other programs",
            [r.other_cpu_s / r.wall_s for r in runs if r.other_cpu_s is not None and r.wall_s],
            "% of a core",
        ),
    ):
        if values:
            usual = sorted(values)[len(values) // 2]
            rows.append(
                (
                    f"{name} during runs",
                    f"usually {number(100 * usual, 1)} {unit}, {number(100 * max(values), 1)} at most",
                )
            )
    celsius = [v for r in runs if isinstance(v := r.conditions.get("celsius"), int | float)]
    if celsius:
        rows.append(("Temperature before runs", f"{min(celsius):.0f} to {max(celsius):.0f} °C"))
    return rows
