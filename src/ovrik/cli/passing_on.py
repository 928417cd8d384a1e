"""Passing a study on: `ovrik report`, `export`, `send`, `beside`."""

import argparse
from pathlib import Path
from typing import Any

from ovrik.cli.terminal import DONE, PARTLY, print_json, say
from ovrik.errors import OvrikError


def report_(chosen: argparse.Namespace) -> int:
    """`ovrik report STUDY -o FILE`: HTML, or PDF where the name ends so."""
    return _write(chosen, "report")


def export_(chosen: argparse.Namespace) -> int:
    """`ovrik export STUDY -o FILE`: in the form that the name's ending asks for."""
    return _write(chosen, "export")


def _write(chosen: argparse.Namespace, what: str) -> int:
    from ovrik.report.forms.as_html import PAGE_ENDINGS
    from ovrik.report.forms.export import export
    from ovrik.store.study import Study

    path: Path = chosen.output
    ending = path.suffix.lower()
    if what == "report" and ending not in (".pdf", *PAGE_ENDINGS):
        raise OvrikError(
            f"{path.name} is no name of a report", "End it in .html or .pdf; or use: ovrik export"
        )
    study = Study.open(chosen.study)
    try:
        whole = gathered_whole(study, chosen, with_moments=ending in (".pdf", *PAGE_ENDINGS))
        export(whole, path, getattr(chosen, "runs", False))
    finally:
        study.close()
    size = path.stat().st_size
    if chosen.json:
        print_json({"file": str(path), "bytes": size})
    else:
        say(f"{path} written, {size / 1000:.0f} kB")
    return DONE if whole.evidence.choice else PARTLY


def gathered_whole(study: Any, chosen: argparse.Namespace, with_moments: bool = False) -> Any:
    """All that is passed on of a study."""
    from ovrik.cli.answers import kind_named
    from ovrik.cli.first import as_asked
    from ovrik.report.forms.export import WholeStudy
    from ovrik.work.answers.over_kinds import gather_kinds
    from ovrik.work.answers.sittings import gather_sittings
    from ovrik.work.checking.report_moments import lead_picture, report_moments
    from ovrik.work.evidence.gathered import gather
    from ovrik.work.lineup.able import barred
    from ovrik.work.lineup.programs import take_in_programs

    take_in_programs(study)
    against = barred(study)
    asked = study.on(kind_named(study, chosen.excerpt)) if chosen.excerpt else study
    evidence = gather(asked, against)
    kinds = None if chosen.excerpt else gather_kinds(study, against, evidence)
    evidence, kinds = as_asked(chosen, evidence, kinds)
    moments = report_moments(asked, evidence) if with_moments else ()
    return WholeStudy(
        study=asked,
        evidence=evidence,
        kinds=kinds,
        sittings=gather_sittings(asked, evidence),
        moments=moments,
        lead=lead_picture(asked, evidence) if with_moments else b"",
        private=chosen.private,
    )


def send_(chosen: argparse.Namespace) -> int:
    """`ovrik send STUDY -o FILE`: the study as one file to send; --size only says how large it would be."""
    from ovrik.cli.terminal import ProgressLine, stop_on_signal
    from ovrik.report.forms.privacy import bare
    from ovrik.report.words.numbers import size_words
    from ovrik.store.study import Study
    from ovrik.work.evidence.sending import load_of, send

    study, line = Study.open(chosen.study), ProgressLine()
    try:
        load = load_of(study)
        size = load.bytes(chosen.outputs, chosen.reference)
        if chosen.size:
            print_json({"bytes": size}) if chosen.json else say(f"about {size_words(size)}")
            return DONE
        if chosen.output is None:
            raise OvrikError("Where to is not said", "Name a file with -o, or ask for --size")
        if not chosen.json:
            for one in load.chosen(chosen.outputs, chosen.reference):
                say(f"  {one.kind} {one.name}, {size_words(one.bytes)}")
            say(f"It will take about {size_words(size)}.")
        made = send(
            study,
            chosen.output,
            None if chosen.private else bare,
            chosen.outputs,
            chosen.reference,
            chosen.read_only,
            line.probing,
            stop_on_signal(),
        )
    finally:
        study.close()
    if chosen.json:
        print_json({"file": str(chosen.output), "bytes": made})
    else:
        say(f"{chosen.output} written, {size_words(made)}")
    return DONE


def unpack_(chosen: argparse.Namespace) -> int:
    """`ovrik unpack STUDY`: write the outputs that a study carries into the folder beside it."""
    from ovrik.cli.terminal import ProgressLine, stop_on_signal
    from ovrik.store.schema.file import outputs_folder
    from ovrik.store.study import Study
    from ovrik.work.evidence.sending import unpack

    study = Study.open(chosen.study)
    try:
        count = unpack(study, ProgressLine().probing, stop_on_signal())
        folder = outputs_folder(study.path)
    finally:
        study.close()
    if chosen.json:
        print_json({"files": count, "folder": str(folder)})
    else:
        say(f"{count} file{'s' * (count != 1)} in {folder}" if count else "The study carries no files")
    return DONE


def beside_(chosen: argparse.Namespace) -> int:
    """`ovrik beside STUDY STUDY …`: studies side by side; -o writes the chart."""
    from ovrik.report.forms.as_beside import beside_svg, beside_text
    from ovrik.store.study import Study
    from ovrik.study.files.whole_file import write_asked
    from ovrik.work.answers.beside import lay_beside

    opened: list[Study] = []
    try:
        for path in chosen.studies:
            opened.append(Study.open(path))
        found = lay_beside(opened)
    finally:
        for study in opened:
            study.close()
    if chosen.output:
        if chosen.output.suffix.lower() != ".svg":
            raise OvrikError(f"{chosen.output.name} is no name of a chart", "End it in .svg")
        write_asked(chosen.output, beside_svg(found).encode())
    if chosen.json:
        from ovrik.report.values.of_beside import beside_passed

        print_json(beside_passed(found).values())
    else:
        say(beside_text(found))
    return PARTLY if found.unlike else DONE
