"""The same work without a window: the commands and their options."""

import argparse
import contextlib
import io
import math
import os
import sys
from collections.abc import Callable, Sequence
from fractions import Fraction
from functools import cache
from pathlib import Path

from ovrik import __version__
from ovrik.cli import answers, at_home, desk, first, outside, passing_on, question, repeating, workstation
from ovrik.cli.terminal import BAD_INPUT, DONE, PARTLY, YesNo, answering, print_json, printable
from ovrik.errors import OvrikError, Stopped
from ovrik.log import note
from ovrik.standin.editing import HABITS, VERSIONS
from ovrik.study.contender.as_table import parse_rate
from ovrik.study.question.limit_kinds import LIMIT_KINDS

KINDS = ("parts", "segments", "whole")
BUILD_ACTS = ("list", "add", "describe", "approve", "forget")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command; gives the exit code."""
    for stream in (sys.stdout, sys.stderr):
        # Names of files, and titles from elsewhere, must not end a command in a terminal that can't show them.
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    chosen = parser().parse_args(arguments)
    try:
        code = _as_json(chosen) if chosen.json else int(chosen.act(chosen))
        sys.stdout.flush()
        return code
    except OvrikError as exc:
        return _say(f"ovrik: {printable(str(exc))}", BAD_INPUT)
    except (KeyboardInterrupt, Stopped):
        return _say("ovrik: stopped; finished work is kept", PARTLY)
    except BrokenPipeError:
        _shut()
        return DONE
    except OSError as exc:
        _shut()
        return _say(
            f"ovrik: {printable(str(exc.strerror or exc))}. Check permissions and free space", BAD_INPUT
        )
    except Exception as exc:  # nothing that is read may end in a traceback
        return _say(f"ovrik: {printable(note(exc))}", BAD_INPUT)


def _as_json(chosen: argparse.Namespace) -> int:
    """The same with JSON as the answer, of an error too."""
    with answering():
        try:
            code = int(chosen.act(chosen))
        except OvrikError as exc:
            print_json({"error": exc.problem, "remedy": exc.remedy})
            raise
        if not YesNo.given:
            print_json({"done": code == DONE})
    return code


def _say(words: str, code: int) -> int:
    try:
        print(words, file=sys.stderr)
    except OSError:
        _shut()
    return code


def _shut() -> None:
    """Nothing can be written any more: what is left in the stream is not tried again at the end."""
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


@cache
def parser() -> argparse.ArgumentParser:
    """The commands and their options."""
    top = argparse.ArgumentParser(prog="ovrik", description="The same work without a window.")
    top.add_argument("--version", action="version", version=f"ovrik {__version__}")
    verbs = top.add_subparsers(required=True, metavar="COMMAND")

    def verb(name: str, act: Callable[[argparse.Namespace], int], about: str) -> argparse.ArgumentParser:
        made = verbs.add_parser(name, help=about, description=about)
        made.set_defaults(act=act)
        made.add_argument("--json", action="store_true", help="print JSON")
        return made

    one = verb("probe", question.probe_, "describe a clip")
    one.add_argument("file", type=Path, metavar="FILE")
    one = verb("machine", workstation.machine_, "describe this workstation, its drives and its builds")
    one.add_argument("study", nargs="?", type=Path, help="measure the drives of this study")
    one.add_argument("--logs", action="store_true", help="with --probe: what the builds said, whole")
    one.add_argument("--probe", action="store_true", help="try every acceleration of every build")
    one.add_argument(
        "--again", action="store_true", help="with --probe: try them all again, whatever is known of them"
    )
    one.add_argument(
        "--against", metavar="STUDY[:RUN]", help="lay its fingerprint beside a run's, what differs first"
    )
    one = verb("timeline", question.timeline_, "describe a timeline, and what is left out of it")
    one.add_argument("file", type=Path, metavar="FILE")
    one.add_argument(
        "--media",
        type=Path,
        action="append",
        default=[],
        metavar="DIR",
        help="a folder in which its clips are looked for",
    )
    one.add_argument("--rate", type=_rate, metavar="FPS", help="an .edl does not state its own")
    one.add_argument("-o", "--output", type=Path, metavar="FILE", help="write it as .otio or .edl")
    one = verb("excerpts", question.excerpts_, "propose excerpts worth timing")
    one.add_argument("file", type=Path, metavar="PLAN|TIMELINE|CLIP")
    one.add_argument("--seconds", type=_seconds, default=10.0, metavar="S", help="their length")
    one.add_argument("--exact", action="store_true", help="measure all of long footage, not a sample")
    one = verb("plan", question.plan_, "list a plan's contenders, and what can't run")
    one.add_argument("plan", type=Path, metavar="PLAN")
    one = verb("run", question.run_, "time and score a plan's contenders")
    one.add_argument("plan", type=Path, metavar="PLAN")
    one.add_argument("-o", "--output", type=Path, required=True, metavar="STUDY")
    one.add_argument("--rounds", type=_rounds, metavar="N", help="counted rounds in all")
    one = verb("verdict", answers.verdict_, "name the fastest acceptable contender")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("--csv", type=Path, metavar="FILE", help="also write every run as CSV")
    one.add_argument("--excerpt", metavar="NAME", help="which one, where there are several")
    _costs(one)
    one = verb("again", repeating.again_, "time the same line-up once more and say what changed")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument(
        "--build",
        action="append",
        default=[],
        metavar="[OLD=]NEW",
        help="a build that takes another's place, by key or path",
    )
    one.add_argument(
        "--together", action="store_true", help="time the new builds beside the old ones, shuffled together"
    )
    one.add_argument("--name", default="", metavar="WORDS", help="call the sitting so")
    one.add_argument("--rounds", type=_rounds, metavar="N", help="counted rounds")
    one = verb("history", repeating.history_, "list the sittings and what changed between them")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("--then", type=int, metavar="N", help="compare this sitting …")
    one.add_argument("--now", type=int, metavar="N", help="… with this one")
    one = verb("report", passing_on.report_, "write the whole report as HTML or PDF")
    _passed_on(one)
    one = verb("export", passing_on.export_, "write the evidence as .csv, .json, .ods, .html, .pdf or a plan")
    _passed_on(one)
    one.add_argument("--runs", action="store_true", help="a row for each run, not for each contender (.csv)")
    one = verb("send", passing_on.send_, "write the study as one file to send")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("-o", "--output", type=Path, metavar="FILE")
    one.add_argument("--outputs", action="store_true", help="with the outputs in it")
    one.add_argument("--reference", action="store_true", help="with what they are judged against in it")
    one.add_argument("--read-only", action="store_true", help="to be read, not to be gone on with")
    one.add_argument("--private", action="store_true", help="name the folders of files too")
    one.add_argument("--size", action="store_true", help="only say how large it would be")
    one = verb("unpack", passing_on.unpack_, "write the outputs that a study carries beside it")
    one.add_argument("study", type=Path, metavar="STUDY")
    one = verb("beside", passing_on.beside_, "lay studies side by side")
    one.add_argument("studies", type=Path, nargs="+", metavar="STUDY")
    one.add_argument("-o", "--output", type=Path, metavar="FILE", help="write the chart as .svg")
    one = verb("check", answers.check_, "check and score the outputs that have not been judged")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument(
        "--sample",
        type=_every,
        default=1,
        metavar="N",
        help="score every N-th frame; a later check completes it",
    )
    which = one.add_mutually_exclusive_group()
    which.add_argument("--against", type=Path, metavar="FILE", help="judge against this file from now on")
    which.add_argument("--programme", action="store_true", help="judge against the programme again")
    one = verb("match", answers.match_, "search the quality setting of contenders that just meets a floor")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument(
        "labels", nargs="*", metavar="LABEL", help="which contenders; left out, one of each encoder"
    )
    one.add_argument(
        "--floor",
        type=_floor,
        default=("vmaf_mean", None),
        metavar="KEY=VALUE",
        help="vmaf_mean=93, as the limits",
    )
    one = verb(
        "estimate", answers.estimate_, "estimate how long the line-up of a study, or of a plan, will take"
    )
    one.add_argument("study", type=Path, metavar="STUDY|PLAN")
    one.add_argument(
        "--try", dest="try_them", action="store_true", help="try each contender for a second first"
    )
    one = verb("command", answers.command_, "print a contender's full command, or its settings")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("label", metavar="LABEL", nargs="?", help="left out, the choice")
    one.add_argument("--sheet", action="store_true", help="its settings, to type into another program")
    one = verb("explain", answers.explain_, "show where a contender's time goes")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("label", metavar="LABEL")
    one.add_argument(
        "--time",
        choices=KINDS,
        action="append",
        default=[],
        metavar="|".join(KINDS),
        help="first time its parts, segments of the programme, or all of it",
    )
    one = verb("play", answers.play_, "check whether the excerpt plays in real time here")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("label", metavar="LABEL")
    one.add_argument(
        "--size",
        choices=("full", "half", "quarter"),
        action="append",
        help="only at this size; more than once",
    )
    one.add_argument("--rounds", type=_rounds, default=3, metavar="N", help="how often each is played (3)")
    one.add_argument(
        "--its-output", action="store_true", help="play its output instead, in full size if left open"
    )
    one = verb("enter", answers.enter_, "enter a time taken by hand")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("label", metavar="LABEL")
    one.add_argument("seconds", metavar="TIME", help="seconds, m:ss or h:mm:ss")
    one.add_argument("--step", type=_seconds, default=1.0, metavar="S", help="read to this many seconds (1)")
    one.add_argument(
        "--first",
        action="store_true",
        help="it is what comes before its exports, once for a film: a render, a cache",
    )
    one = verb("first", first.first_, "rank what comes before exports: pre-renders and analyses")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument(
        "--times", type=_rounds, default=0, metavar="N", help="first make each until it was timed so often"
    )
    top_outside = verbs.add_parser(
        "outside", help="time exports of other programs", description=outside.__doc__
    )
    outside.commands(top_outside)
    one = verb("cache", answers.cache_, "say how much disk space references use")
    one.add_argument("--clear", action="store_true", help="remove them; they are made again when needed")
    one = verb("rescue", answers.rescue_, "bring what can be read of a damaged study into a new one")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("-o", "--output", type=Path, required=True, metavar="NEW")
    one = verb("open", desk.open_, "open a study, or start with none, in the window")
    one.add_argument("study", type=Path, nargs="?", metavar="STUDY")
    one = verb("build", workstation.build_, "add an encoding program, or fetch one by version")
    one.add_argument("act_on", choices=BUILD_ACTS, metavar="|".join(BUILD_ACTS))
    one.add_argument("name", nargs="?", metavar="PROGRAM|KEY|FILE")
    one.add_argument("--yes", action="store_true", help="approve without being asked")
    one.add_argument("--wheel", metavar="VERSION", help="fetch this version of imageio-ffmpeg")
    one = verb("approve", workstation.approve_, "show what a plan or a study would run, and approve it")
    one.add_argument("file", type=Path, metavar="PLAN|STUDY")
    one.add_argument("--yes", action="store_true", help="approve without being asked")
    one = verb("desktop", at_home.desktop_, "put Ovrik in the desktop's menu, or take it out")
    one.add_argument("act_on", choices=("install", "remove"), metavar="install|remove")
    one = verb("completion", at_home.completion_, "print what a shell needs to complete commands")
    one.add_argument("shell", choices=at_home.SHELLS, metavar="|".join(at_home.SHELLS))
    verb("demo", desk.demo_, "open the demo study in the window")
    one = verb("standin", desk.standin_, "open a stand-in for another program, to time its exports")
    one.add_argument("folder", type=Path, metavar="FOLDER")
    what = one.add_mutually_exclusive_group()
    what.add_argument("--source", type=Path, metavar="CLIP", help="it exports this clip")
    what.add_argument(
        "--study", type=Path, metavar="STUDY", help="it exports this study's excerpt, else the demo's"
    )
    one.add_argument("--release", choices=tuple(VERSIONS), default="1.0", help="which version of it to be")
    one.add_argument("--habit", choices=tuple(HABITS), default="direct", help="what it does with its file")
    one = verb("shots", desk.shots_, "take a screenshot of each main view of the demo")
    one.add_argument("folder", type=Path, metavar="DIR")
    one = verb("footage", desk.footage_, "make the demo's footage")
    return top


def _costs(one: argparse.ArgumentParser) -> None:
    """What whole costs are counted by, for this answer alone."""
    one.add_argument(
        "--exports-a-film",
        type=_rounds,
        metavar="N",
        help="share what comes first over so many exports of a film",
    )
    one.add_argument("--nobody-waits", action="store_true", help="leave out what comes first")


def _passed_on(one: argparse.ArgumentParser) -> None:
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("-o", "--output", type=Path, required=True, metavar="FILE")
    one.add_argument("--private", action="store_true", help="name the folders of files too")
    one.add_argument("--excerpt", metavar="NAME", help="which one, where there are several")
    _costs(one)


def _floor(text: str) -> tuple[str, float | None]:
    """A key of a limit on quality, and its floor."""
    key, _, value = text.partition("=")
    kind = LIMIT_KINDS.get(key)
    if kind is None or not kind.metric:
        names = ", ".join(k.key for k in LIMIT_KINDS.values() if k.metric)
        raise argparse.ArgumentTypeError(f"name one of {names}")
    if not value:
        return key, None
    try:
        floor = float(value)
    except ValueError:
        floor = math.nan
    if not kind.least <= floor <= kind.most:
        raise argparse.ArgumentTypeError(f"give a floor from {kind.least:g} to {kind.most:g}")
    return key, floor


def _every(text: str) -> int:
    """Every how many frames."""
    if not text.isdigit() or not 1 <= int(text) <= 1000:
        raise argparse.ArgumentTypeError("give a whole number from 1 to 1000")
    return int(text)


def _rounds(text: str) -> int:
    value = int(text) if text.isascii() and text.isdigit() else 0
    if not 1 <= value <= 100:
        raise argparse.ArgumentTypeError("give 1 to 100 rounds")
    return value


def _seconds(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not 0 < value < 1e6:
        raise argparse.ArgumentTypeError("give seconds above 0")
    return value


def _rate(text: str) -> Fraction:
    try:
        return Fraction(parse_rate(text))
    except (OvrikError, ValueError) as exc:
        raise argparse.ArgumentTypeError(str(exc)) from None
