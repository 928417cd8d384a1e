"""One thing that is timed, and the label made from what sets it apart."""

import hashlib
import re
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from operator import attrgetter

from ovrik.study.encoder.encoder_limits import PROFILE_CHROMA
from ovrik.study.encoder.encoders import OUTSIDE
from ovrik.study.encoder.intermediate import Intermediate
from ovrik.study.encoder.pixel_formats import brief_format
from ovrik.study.encoder.recipe import Recipe, bit_rate_words
from ovrik.study.programme.methods import PREFIX, Methods, title_of
from ovrik.study.programme.treatment_kinds import PLACE_TITLES, SOFTWARE

Raw = Callable[["Contender"], object]
Words = Callable[["Contender"], str]
Naming = Callable[["Contender"], "list[Factor]"]
NAMED = object()


@dataclass(frozen=True)
class Factor:
    """Something that may differ between two contenders.

    Fields: `title`; `raw`, its value, to see whether two differ; `words`, the value as shown; `short`, how
    it is written in a label where the words alone would not say what they are, "" for the words; `usual`,
    the raw value that a label passes over: the others name theirs, `NAMED` where every value is named; `brief`, the
    value as a label has it, where that is shorter.
    """

    title: str
    raw: Raw
    words: Words
    short: str = ""
    usual: object = NAMED
    brief: Words | None = None

    def in_label(self, c: "Contender") -> str:
        """The value as a label has it, "" when it is passed over."""
        if self.usual is not NAMED and self.raw(c) == self.usual:
            return ""
        said = (self.brief or self.words)(c)
        return self.short.format(said) if self.short else said


OWN = "encoder's default"
FACTOR_TABLE: dict[str, Factor] = {
    "encoder": Factor("Encoder", attrgetter("recipe.encoder"), lambda c: c.recipe.facts.short),
    "preset": Factor("Preset", attrgetter("recipe.preset"), lambda c: c.recipe.preset),
    "rate": Factor(
        "Quality or bit rate",
        attrgetter("recipe.quality", "recipe.bit_rate"),
        lambda c: c.recipe.amount_words,
    ),
    "passes": Factor(
        "Rate control", lambda c: c.recipe.held_to, lambda c: c.recipe.held_to or "one pass", usual=""
    ),
    "tune": Factor("Tune", attrgetter("recipe.tune"), lambda c: c.recipe.tune or "no tune", usual=""),
    "profile": Factor(
        "Profile", attrgetter("recipe.profile"), lambda c: c.recipe.profile or OWN, "profile {}", usual=""
    ),
    "pixel_format": Factor(
        "Pixel format",
        attrgetter("recipe.pixel_format"),
        lambda c: c.recipe.pixel_format,
        brief=lambda c: brief_format(c.recipe.pixel_format),
    ),
    "gop": Factor("GOP", attrgetter("recipe.gop"), lambda c: str(c.recipe.gop or OWN), "GOP {}", usual=0),
    "b_frames": Factor(
        "B-frames",
        attrgetter("recipe.b_frames"),
        lambda c: OWN if c.recipe.b_frames < 0 else str(c.recipe.b_frames),
        "{} B-frames",
        usual=-1,
    ),
    "threads": Factor(
        "Threads", attrgetter("recipe.threads"), lambda c: str(c.recipe.threads or OWN), "{} threads", usual=0
    ),
    "size": Factor(
        "Size",
        attrgetter("recipe.width", "recipe.height"),
        lambda c: f"{c.recipe.width}×{c.recipe.height}" if c.recipe.width else "full size",
        usual=(0, 0),
    ),
    "fps": Factor(
        "Frame rate",
        attrgetter("recipe.rate"),
        lambda c: f"{float(Fraction(c.recipe.rate)):.6g} fps" if c.recipe.rate else "same rate",
        usual="",
    ),
    "container": Factor("Container", attrgetter("recipe.container"), lambda c: c.recipe.container),
    "sound": Factor("Audio", attrgetter("recipe.sound"), lambda c: c.recipe.sound),
    "sound_rate": Factor(
        "Audio bit rate",
        attrgetter("recipe.sound_bit_rate"),
        lambda c: bit_rate_words(c.recipe.sound_bit_rate) if c.recipe.sound_bit_rate else "usual",
        "audio {}",
        usual=0,
    ),
    "raw": Factor(
        "Raw options",
        lambda c: () if c.outside else c.recipe.raw,
        lambda c: " ".join(f"{k}={v}" for k, v in c.recipe.raw if not c.outside) or "no raw options",
        usual=(),
    ),
    "decode": Factor(
        "Decoding",
        attrgetter("decode"),
        lambda c: PLACE_TITLES.get(c.decode, c.decode),
        "decoding by {}",
        usual=SOFTWARE,
    ),
    "treat": Factor(
        "Treatments",
        attrgetter("treat"),
        lambda c: PLACE_TITLES.get(c.treat, c.treat),
        "treatments by {}",
        usual=SOFTWARE,
    ),
    "prerendered": Factor(
        "Pre-rendered",
        attrgetter("prerendered"),
        lambda c: c.prerendered.words if c.prerendered else "source",
        "from {}",
        usual=None,
    ),
    "build": Factor("Build", attrgetter("build"), lambda c: build_words(c.build), usual="bundled"),
}
"""What may differ between two contenders, in the order in which a label names it."""
FACTORS = tuple(FACTOR_TABLE)
FACTOR_TITLES = {key: f.title for key, f in FACTOR_TABLE.items()}


@dataclass(frozen=True)
class Contender:
    """A build, an acceleration and a recipe.

    Fields: `contender_id`, the study file's number for it, 0 until it is kept; `label`, shown everywhere;
    `label_given`, True when a person wrote the label; `build`, "bundled", "system" or a path to a
    program; `recipe`; `active`, False when it was taken out of the line-up after being timed; `decode`,
    "software" or the key of the device path that decodes; `treat`, "software", "opencl" or "vulkan"; what
    encodes is set by the recipe's encoder; `prerendered`, the intermediate it exports from, or None; `methods`, how
    treatments are done where that is not as the programme has it.
    """

    build: str
    recipe: Recipe
    label: str = ""
    label_given: bool = False
    contender_id: int = 0
    active: bool = True
    decode: str = SOFTWARE
    treat: str = SOFTWARE
    prerendered: Intermediate | None = None
    methods: Methods = ()

    @property
    def simulated(self) -> bool:
        """Whether a stand-in makes it: a simulated device, or the editing program, that ships with Ovrik."""
        played = self.outside and dict(self.recipe.raw).get("program") == STANDIN_PROGRAM
        return is_simulated(self.build) or played

    @property
    def outside(self) -> bool:
        """Whether another program exports it, driven by hand: it is timed by watching its file."""
        return self.build == OUTSIDE

    def unnamed(self) -> "Contender":
        """The same settings, not kept yet and under no label."""
        return replace(self, label="", label_given=False, contender_id=0, active=True)

    @property
    def settings(self) -> dict[str, str]:
        """What was set in another program, by the names it has there; nothing where Ovrik drives the export."""
        return dict(self.recipe.raw) if self.outside else {}

    def factors(self) -> dict[str, str]:
        """Each factor's value in words, in the order of `factors_of`."""
        return {key: factor.words(self) for key, factor in factors_of([self]).items()}

    def same_thing(self, other: "Contender") -> bool:
        """Whether both would be timed with the same command."""
        return self.identity == other.identity

    @property
    def identity(self) -> tuple[object, ...]:
        """All that decides the command."""
        plain = self.build, self.recipe, self.decode, self.treat, self.prerendered
        return (*plain, self.methods) if self.methods else plain


def is_simulated(build: str) -> bool:
    """Whether a build with this key is a stand-in."""
    return build.startswith("standin-")


def factors_of(contenders: Iterable[Contender]) -> dict[str, Factor]:
    """What may differ among contenders: the factors of `FACTOR_TABLE`, how treatments are done, and each setting of
    another program."""
    contenders = list(contenders)
    kinds = dict.fromkeys(kind for c in contenders for kind, _method in c.methods)
    names = dict.fromkeys(name for c in contenders for name in c.settings)
    ways = {f"{PREFIX}{kind}": _way(kind) for kind in kinds}
    return FACTOR_TABLE | ways | {f"setting {name}": _setting(name) for name in names}


AS_IT_IS = "as in the programme"


def _way(kind: str) -> Factor:
    title = title_of(kind)
    return Factor(
        f"{title} method",
        lambda c: dict(c.methods).get(kind),
        lambda c: dict(c.methods).get(kind, AS_IT_IS),
        f"{title.lower()} {{}}",
        None,
    )


NOT_SET = "–"


def _setting(name: str) -> Factor:
    return Factor(
        name[:1].upper() + name[1:], lambda c: c.settings.get(name), lambda c: c.settings.get(name, NOT_SET)
    )


def outside_label(raw: Iterable[tuple[str, str]]) -> str:
    """A label that names another program, its version and its settings."""
    said = dict(raw)
    named = [said.pop("program", ""), said.pop("version", "")]
    return " ".join([*filter(None, named), *(f"{name} {value}" for name, value in said.items())]).strip()


def build_words(build: str) -> str:
    """A build's key as it stands in a label: a path is cut to its file name."""
    return build.removeprefix("standin-").removeprefix("described-").rsplit("/", 1)[-1]


SIMULATED = " (simulated)"
STANDIN_PROGRAM = "Bell Yard"
"""The editing program that ships with Ovrik, which is none: it plays one."""


def marked(contender: Contender) -> Contender:
    """A given label of a simulated contender says so, whatever a person wrote."""
    if not (contender.simulated and contender.label_given) or SIMULATED.strip() in contender.label:
        return contender
    return replace(contender, label=contender.label + SIMULATED)


def labelled(contenders: Sequence[Contender]) -> list[Contender]:
    """The same contenders with labels made anew, but for those a person wrote.

    A label names the encoder, its preset, and whatever else differs among the contenders of that
    encoder. Labels are unique: a second of the same gets "(2)".
    """
    contenders = [marked(c) for c in contenders]
    named = _naming_factors(contenders)
    out: list[Contender] = []
    taken = {c.label for c in contenders if c.label_given}
    for c in contenders:
        if c.label_given:
            out.append(c)
            continue
        words = [f.in_label(c) for f in named(c)]
        if c.outside:
            words = [outside_label(c.recipe.raw), *words[2:]]  # the program stands for encoder and preset
        wanted = " ".join(w for w in words if w) + (SIMULATED if c.simulated else "")
        label, count = wanted, 1
        while label in taken:
            count += 1
            label = f"{wanted} ({count})"
        taken.add(label)
        out.append(replace(c, label=label))
    return out


def _naming_factors(contenders: Sequence[Contender]) -> Naming:
    """Which factors each contender's label names: encoder and preset; what differs among those of its encoder; and
    what of it is unlike most of the line-up, where that is no mere consequence of the encoder."""
    groups: dict[str, list[Contender]] = {}
    for c in contenders:
        groups.setdefault(c.recipe.encoder, []).append(c)
    within = {
        encoder: {
            key
            for key, f in factors_of(mine).items()
            if key in ("encoder", "preset")
            or (not key.startswith("setting ") and len(set(map(f.raw, mine))) > 1)
        }
        for encoder, mine in groups.items()
    }
    every = {k: f for k, f in factors_of(contenders).items() if not k.startswith("setting ")}
    driven = [c for c in contenders if not c.outside]
    usual = {key: _most_common(map(f.raw, driven)) for key, f in every.items() if key not in OF_THE_ENCODER}

    rates = {c.recipe.bit_rate for c in driven}

    def named(c: Contender) -> list[Factor]:
        unlike: set[str] = set()
        if not c.outside:
            unlike = {k for k, common in usual.items() if every[k].raw(c) != common and not _follows(k, c)}
            unlike |= {"rate"} if c.recipe.bit_rate is not None and len(rates) > 1 else set()
        return [f for k, f in every.items() if k in within[c.recipe.encoder] | unlike]

    return named


OF_THE_ENCODER = ("encoder", "preset", "rate", "tune", "profile", "raw")
"""Factors whose values are an encoder's own, or follow from it: they are named among contenders of one encoder."""


def _most_common(values: Iterable[object]) -> object:
    counted = Counter(values)
    return counted.most_common(1)[0][0] if counted else None


def _follows(key: str, c: Contender) -> bool:
    """Whether it is what the encoder takes where nothing is said, or the only thing that it takes."""
    if key == "pixel_format":
        return len(PROFILE_CHROMA.get((c.recipe.encoder, c.recipe.preset), ())) == 1
    if key == "container":
        return c.recipe.container == c.recipe.facts.containers[0]
    return key == "sound" and c.recipe.container == c.recipe.facts.containers[0]


@dataclass(frozen=True)
class Difference:
    """What sets two contenders apart. Fields: `differ`, factor titles with both values; `held`, titles
    of the factors that are the same."""

    differ: tuple[tuple[str, str, str], ...]
    held: tuple[str, ...]

    @property
    def one(self) -> bool:
        """Whether a difference in time has one cause only."""
        return len(self.differ) <= 1

    @property
    def warning(self) -> str:
        """What to say wherever the two are compared, or ""."""
        names = [title.lower() for title, _a, _b in self.differ]
        return "" if self.one else f"differs in {len(names)} things: {', '.join(names)}"


def contender_difference(one: Contender, other: Contender) -> Difference:
    """What differs from `one` to `other`, and what is held the same.

    Values that only follow from another encoder (its presets, its quality numbers, the sound codec that
    goes with its container) still differ, and are counted.
    """
    every = factors_of([one, other]).values()
    said = [(f.title, f.words(one), f.words(other)) for f in every]
    return Difference(
        tuple(row for row in said if row[1] != row[2]), tuple(title for title, a, b in said if a == b)
    )


def output_name(contender: Contender, excerpt: str) -> str:
    """File name of a contender's output: the study's own number, encoder and preset to read, and a checksum of all
    that decides its command; `excerpt` names the part. A label may change: it is not in it."""
    said = f"{contender.recipe.facts.short} {contender.recipe.preset}"
    slug = re.sub(r"[^a-z0-9]+", "-", said.lower()).strip("-")[:60] or "output"
    mark = hashlib.sha256(repr(contender.identity).encode()).hexdigest()[:8]
    return f"{contender.contender_id:02d}-{slug}-{mark}-{excerpt}.{contender.recipe.container}"
