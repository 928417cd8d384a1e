"""Which contenders can run here, and why the others can't."""

from collections.abc import Callable, Container, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from ovrik.errors import OvrikError
from ovrik.machine.builds.build import Build, find_build
from ovrik.machine.builds.encoder_options import unknown_options
from ovrik.machine.devices.known_trials import known_trials
from ovrik.machine.devices.paths import PATHS
from ovrik.machine.devices.trial import UNTRIED, WORKS, Trial, answered
from ovrik.quality.scores.metric_table import LEAST_SIDE
from ovrik.standin.profile import KEY as STANDIN_KEY
from ovrik.standin.profile import profiles
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, build_words
from ovrik.study.contender.delivery import delivery
from ovrik.study.contender.described import KEY as DESCRIBED_KEY
from ovrik.study.contender.passing import passing_fault
from ovrik.study.encoder.encoders import DESCRIBED, OUTSIDE
from ovrik.study.encoder.pixel_formats import depth_of
from ovrik.study.encoder.recipe import Recipe, faults, size_faults
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.methods import RESIZE, done_by, idle
from ovrik.study.programme.programme import Programme
from ovrik.study.programme.treatment import Treatment
from ovrik.study.programme.treatment_kinds import PLACE_TITLES, SOFTWARE
from ovrik.work.lineup.approvals_wanted import not_allowed

PROOFS = ("mirror", "blur")
"""What every path must do right to be trusted with any treatment: the others are each tried with their own values."""
PATH_TITLES = {p.key: p.title for p in PATHS}

if TYPE_CHECKING:
    from ovrik.study.contender.grid import Combination


@dataclass(frozen=True)
class AbleEntry:
    """A contender and whether it can run. Fields: `contender`; `reason` it can't, or ""."""

    contender: Contender
    reason: str

    @property
    def can_run(self) -> bool:
        """Nothing speaks against it before it is tried."""
        return not self.reason


BY_WATCHING = "another program exports it: it is timed by watching its file"


def builds_for(contenders: Iterable[Contender]) -> dict[str, Build]:
    """Each build the contenders ask for, by key; one that can't be used carries its problem."""
    return {key: build_of(key) for key in dict.fromkeys(c.build for c in contenders)}


def build_of(key: str) -> Build:
    """A build by its key; one that can't be used carries its problem."""
    if key == OUTSIDE:
        return Build(key=key, path="", version="", sha256="", encoders=(), filters=(), problem=BY_WATCHING)
    try:
        return find_build(key)
    except OvrikError as exc:
        return Build(
            key=key,
            path="",
            version="",
            sha256="",
            encoders=(),
            filters=(),
            problem=exc.problem,
            remedy=exc.remedy,
        )


def _passed(c: Contender) -> Recipe | None:
    """What an intermediate is passed into, if it is."""
    return c.recipe if c.prerendered and c.prerendered.passed else None


@dataclass
class Judge:
    """Says what speaks against a contender.

    Fields: `builds` by key; `programme`; `excerpt`; `trials`, the answers on file by build key. Answers
    are kept, so that thousands of combinations are judged in a moment.
    """

    builds: Mapping[str, Build]
    programme: Programme
    excerpt: Excerpt
    trials: Mapping[str, list[Trial]] = field(default_factory=dict)
    _kept: dict[object, list[str]] = field(default_factory=dict)

    def reason(self, c: Contender) -> str:
        """Why a contender can't run, or ""."""
        r, build = c.recipe, self.builds[c.build]
        if build.problem:
            return "; ".join([*self._once(r, lambda: faults(r)), build.trouble])
        questions: tuple[tuple[object, Callable[[], list[str]]], ...] = (
            (r, lambda: faults(r)),
            ((c.build, r.encoder, r.pixel_format), lambda: self._encoder(c, build)),
            ((c.build, "decode", c.decode), lambda: self._decoding(c, build)),
            (
                (
                    c.build,
                    "treat",
                    c.treat,
                    bool(c.prerendered),
                    c.methods,
                    bool(c.methods) and c.recipe.width,
                ),
                lambda: self._treating(c, build),
            ),
            ((c.build, "from", c.prerendered, _passed(c)), lambda: self._prerendering(c, build)),
            ((c.build, r.encoder, r.raw, r.tune), lambda: self._raw(c, build)),
            ((c.build, r.encoder, r.preset, r.pixel_format, r.width, r.height), lambda: self._size(c, build)),
        )
        return "; ".join(why for key, ask in questions for why in self._once(key, ask))

    def _once(self, key: object, ask: Callable[[], list[str]]) -> list[str]:
        if key not in self._kept:
            self._kept[key] = ask()
        return self._kept[key]

    def _tried(
        self, build: Build, path: str, place: str, what: str = "", pixel_format: str = ""
    ) -> list[Trial]:
        return [
            t
            for t in self.trials.get(build.key, [])
            if (t.path, t.place) == (path, place)
            and what in ("", t.what)
            and pixel_format in ("", t.pixel_format)
        ]

    def _encoder(self, c: Contender, build: Build) -> list[str]:
        r = c.recipe
        if r.encoder not in build.encoders:
            return [f"{build.short} has no encoder {r.encoder}"]
        if build.simulated or not r.facts.device:
            return []
        tried = self._tried(build, r.facts.device, "encode", r.encoder, r.pixel_format)
        return [f"{r.encoder} {tried_words(t)}" for t in tried[:1] if t.answer != WORKS]

    def _decoding(self, c: Contender, build: Build) -> list[str]:
        if c.decode == SOFTWARE:
            return []
        title = PATH_TITLES.get(c.decode, c.decode)
        if build.simulated or c.decode not in PATH_TITLES:
            return [f"{build_words(build.key)} does not decode by {title}"]
        opened = self._tried(build, c.decode, "device")
        if opened and opened[0].answer != WORKS:
            return [f"{title} {tried_words(opened[0])}"]
        for codec in dict.fromkeys(clip.codec for clip in self.programme.clips):
            tried = self._tried(build, c.decode, "decode", codec)
            if not tried:
                return [f"{title} is not known to decode {codec}"]
            if all(t.answer != WORKS for t in tried):
                return [f"{title} was tried on {codec}: {tried[0].reason or tried[0].answer}"]
        return []

    def _treating(self, c: Contender, build: Build) -> list[str]:
        if build.key.startswith(DESCRIBED_KEY):
            name = build_words(build.key)
            single = self.programme.plain or c.prerendered
            return [
                *([] if single else [f"{name} reads a single clip: pre-render the programme for it"]),
                *([f"{name} resizes in its own way"] if RESIZE in dict(c.methods) else []),
            ]
        own = done_by(self.programme, c.methods)
        used = own.every_treatment
        resized = bool(c.recipe.width) and (c.recipe.width, c.recipe.height) != (own.width, own.height)
        nothing = idle(own, c.methods, resized)
        found = (
            []
            if build.simulated
            else [*nothing, *missing_joints(own, build), *missing_filters(used, c.treat, build)]
        )
        if c.treat == SOFTWARE:
            return found
        title = PLACE_TITLES.get(c.treat, c.treat)
        if build.simulated:
            return [*found, f"{build_words(build.key)} can't do treatments by {title}"]
        if not any(t.form(c.treat).place == c.treat for t in used):
            return [*found, f"no treatment of this programme has a form for {title}"]
        bad = [
            t
            for t in (*self._tried(build, c.treat, "device")[:1], *self._tried(build, c.treat, "treatment"))
            if t.answer != WORKS and (t.place == "device" or t.what in PROOFS)
        ]
        return found + [f"treatments by {title} {tried_words(t, 'were')}" for t in bad[:1]]

    def untried(self, c: Contender) -> list[str]:
        """What the contender asks of a device that nobody has tried here, in words: it may run, or not."""
        build, device = self.builds[c.build], c.recipe.facts.device
        if build.problem or build.simulated or c.build.startswith(DESCRIBED_KEY):
            return []
        asked = [
            (
                f"{c.recipe.encoder}",
                bool(device) and not self._tried(build, device, "encode", c.recipe.encoder),
            ),
            (
                f"treatments by {PLACE_TITLES.get(c.treat, c.treat)}",
                c.treat != SOFTWARE and not self._tried(build, c.treat, "device"),
            ),
        ]
        return [
            f"{what} has not been tried here: `ovrik machine --probe` tries it"
            for what, open_ in asked
            if open_
        ]

    def differing(self, c: Contender) -> list[str]:
        """Treatments that the contender's device is known not to do as software does, in words."""
        build = self.builds[c.build]
        if build.problem or build.simulated or c.treat == SOFTWARE or c.build.startswith(DESCRIBED_KEY):
            return []
        from ovrik.quality.reference.device_forms import known_forms

        return [
            f.differs for f in known_forms(build, done_by(self.programme, c.methods), c.treat) if f.differs
        ]

    def _prerendering(self, c: Contender, build: Build) -> list[str]:
        if c.prerendered is None:
            return []
        if c.prerendered.passed and (build.simulated or build.key.startswith(DESCRIBED_KEY)):
            return [f"{build.short} passes nothing through"]
        if build.simulated or build.key.startswith(DESCRIBED_KEY):
            return []
        fault, wanted = passing_fault(c), c.prerendered.facts.encoder
        lacking = f"{build.short} has no encoder {wanted} to pre-render with"
        return [*([fault] if fault else []), *([] if wanted in build.encoders else [lacking])]

    def _size(self, c: Contender, build: Build) -> list[str]:
        made = delivery(self.programme, self.excerpt, c.recipe)
        if min(made.width, made.height) < LEAST_SIDE:
            return [
                f"{made.width}×{made.height} can't be scored: VMAF takes {LEAST_SIDE} pixels and more either way"
            ]
        number = build.version.split(".")[0]
        version = int(number) if number.isdigit() else None
        return size_faults(c.recipe, made.width, made.height, version) + (
            _standin_faults(build, c.recipe, made.width, made.height) if build.simulated else []
        )

    def _raw(self, c: Contender, build: Build) -> list[str]:
        facts, raw = c.recipe.facts, [name for name, _v in c.recipe.raw]
        # What a device encoder calls a tune came with later builds than the encoder itself.
        tune = [facts.tune_arguments[0].removeprefix("-")] if facts.device and c.recipe.tune else []
        names = [*raw, *tune]
        if not names:
            return []
        if raw and (build.simulated or c.recipe.encoder.startswith(DESCRIBED)):
            return [f"{build_words(build.key)} takes no raw options"]
        if c.recipe.encoder not in build.encoders:
            return []
        unknown = [
            f"{build.short}'s {c.recipe.encoder} has no option {name}"
            for name in unknown_options(build, c.recipe.encoder, names)
        ]
        refused = not_allowed(c)
        return unknown or ([refused] if refused else [])


def tried_words(t: Trial, verb: str = "was") -> str:
    """What came of a trial that does not speak for it: "was tried here: …", or "can't be tried here: …"."""
    return (
        f"can't be tried here: {t.reason}"
        if t.answer == UNTRIED
        else f"{verb} tried here: {t.reason or t.answer}"
    )


def _standin_faults(build: Build, r: Recipe, width: int, height: int) -> list[str]:
    """What a simulated device can't take, by its profile."""
    device = next((p for p in profiles() if p.key == build.key.removeprefix(STANDIN_KEY)), None)
    why = device.refusal(r.facts.codec, r.preset, width, height, depth_of(r.pixel_format)) if device else ""
    return [why] if why else []


def missing_joints(programme: Programme, build: Build) -> list[str]:
    """What of the cut itself a build can't do for want of a filter."""
    needed = (
        ("dissolves", "xfade", any(s.dissolve for s in programme.shots)),
        ("overlays", "overlay", bool(programme.overlays)),
        ("cuts", "concat", len(programme.shots) > 1),
    )
    return [
        f"{build.short} can't do {what}: it has no filter {name}"
        for what, name, wanted in needed
        if wanted and name not in build.filters
    ]


def missing_filters(treatments: Iterable[Treatment], place: str, build: Build) -> list[str]:
    """Which treatments a build can't do for want of a filter."""
    out = []
    for t in treatments:
        lacking = [f for f in t.form(place).filters if f not in build.filters]
        if lacking:
            out.append(f"{build.short} can't do {t.facts.title.lower()}: it has no filter {lacking[0]}")
    return out


def judge_for(
    programme: Programme,
    excerpt: Excerpt,
    contenders: Iterable[Contender],
    builds: Mapping[str, Build] | None = None,
) -> Judge:
    """A judge who knows the builds of these contenders and what was tried on them."""
    builds = builds if builds is not None else builds_for(contenders)
    trials = {k: answered(known_trials(b) or []) for k, b in builds.items() if not b.problem}
    return Judge(builds, programme, excerpt, trials)


def whole_only_reason(build: Build, programme: Programme, excerpt: Excerpt) -> str:
    """Why a program that only exports whole clips can't export this excerpt, or ""."""
    if not build.whole_only or excerpt.frames == programme.frames:
        return ""
    return f"{build_words(build.key)} can only export whole clips: choose the whole clip"


def checked_able(contenders: Iterable[Contender], judge: Judge) -> list[AbleEntry]:
    """Every contender with its reason."""
    out = []
    for c in contenders:
        reasons = [judge.reason(c)]
        if not c.prerendered:
            reasons.append(whole_only_reason(judge.builds[c.build], judge.programme, judge.excerpt))
        out.append(AbleEntry(c, "; ".join(r for r in reasons if r)))
    return out


def barred_of(contenders: Iterable[Contender], judge: Judge) -> dict[int, str]:
    """Reasons by contender number, of those that can't run here. What another program exports is none of them."""
    return {
        e.contender.contender_id: e.reason
        for e in checked_able(contenders, judge)
        if e.reason and not e.contender.outside
    }


def barred(study: Study) -> dict[int, str]:
    """The same of a study's line-up."""
    listed = study.contenders()
    return barred_of(listed, judge_for(study.programme(), study.facts().excerpt, listed))


def driven(contenders: Iterable[Contender], against: Container[int]) -> list[Contender]:
    """Those that Ovrik can run itself: neither barred nor exported by another program."""
    return [c for c in contenders if c.contender_id not in against and not c.outside]


def judged_able(
    found: "Sequence[Combination]", programme: Programme, excerpt: Excerpt, builds: Mapping[str, Build]
) -> "list[Combination]":
    """The same combinations, each with what speaks against it on this machine."""
    from ovrik.study.contender.follow_source import all_following
    from ovrik.study.contender.grid import Combination

    open_, ready = found, iter(all_following([c.contender for c in found if c.contender], programme))
    found = [Combination(c.values, next(ready), c.reason) if c.contender else c for c in open_]
    named = [c.contender for c in found if c.contender]
    missing = [c for c in named if c.build not in builds]
    judge = judge_for(programme, excerpt, named, {**builds, **builds_for(missing)})
    return [
        c
        if c.reason or c.contender is None
        else Combination(c.values, c.contender, judge.reason(c.contender))
        for c in found
    ]
