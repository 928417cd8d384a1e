"""Levels of factors, combined: a full grid, or one factor at a time around the first levels."""

import shlex
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import product
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ovrik.errors import OvrikError
from ovrik.study.contender.as_table import LEVEL_KEYS, SETTING, ContenderTable, contender_of
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.recipe import faults
from ovrik.study.files.many_objects import collecting_later
from ovrik.study.programme.methods import PREFIX

FULL, ONE_AT_A_TIME = "full", "one at a time"
COMBINE = (FULL, ONE_AT_A_TIME)
MOST = 20_000


@dataclass(frozen=True)
class Combination:
    """One combination of levels.

    Fields: `values`, the levels by key; `contender`, None when there can be none; `reason` it can't run, or
    "".
    """

    values: Mapping[str, Any]
    contender: Contender | None
    reason: str

    @property
    def words(self) -> str:
        """Its levels, for when there is no label."""
        return " ".join(map(str, self.values.values()))


def combined(
    levels: Mapping[str, Sequence[Any]], combine: str = FULL, around: Mapping[str, Any] | None = None
) -> list[dict[str, Any]]:
    """Every combination as values by key. One at a time: the levels of `around`, the first ones where it has none,
    then each other level in its turn with the rest as there. Raises OvrikError when there are too many."""
    unknown = [k for k in levels if k not in LEVEL_KEYS and not k.startswith(SETTING)]
    if unknown:
        raise OvrikError(f'"{unknown[0]}" is not a factor', f"Choose among {', '.join(LEVEL_KEYS)}")
    if combine not in COMBINE:
        raise OvrikError(f'combine can\'t be "{combine}"', f"Choose one of {', '.join(COMBINE)}")
    empty = [k for k, v in levels.items() if not v]
    if empty:
        raise OvrikError(f'The factor "{empty[0]}" has no level', "Give it one or leave it out")
    count = 1
    for values in levels.values():
        count *= len(values)
    if combine == FULL:
        if count > MOST:
            raise OvrikError(f"The grid has {count} combinations", f"Keep it under {MOST}")
        return [dict(zip(levels, row, strict=True)) for row in product(*levels.values())]
    own = around or {}
    first = {k: own[k] if own.get(k) not in (None, "") else v[0] for k, v in levels.items()}
    return [first] + [{**first, k: v} for k, values in levels.items() for v in values if v != first[k]]


@collecting_later()
def expanded(rows: Iterable[Mapping[str, Any]], folder: Path) -> list[Combination]:
    """A combination for each row; those that can't be are kept with the reason. Two rows that come to the
    same thing are one."""
    found: list[Combination] = []
    seen: dict[tuple[object, ...], Contender] = {}
    checked: dict[str, dict[str, str]] = {}
    for row in rows:
        wrong, made = _fault_of_levels(row, checked), None
        try:
            made = None if wrong else contender_of(row, folder)
        except OvrikError as exc:
            wrong = exc.problem
        if made is None:
            found.append(Combination(row, None, wrong))
        elif seen.setdefault(made.identity, made) is made:
            found.append(Combination(row, made, "; ".join(faults(made.recipe))))
    labels = iter(labelled([c.contender for c in found if c.contender]))
    return [Combination(c.values, next(labels), c.reason) if c.contender else c for c in found]


def _fault_of_levels(row: Mapping[str, Any], checked: dict[str, dict[str, str]]) -> str:
    """What is wrong with a level, each checked by the table once; "" when nothing is."""
    for key, value in row.items():
        if key.startswith((SETTING, PREFIX)):
            continue  # another program's, in its own words; methods are checked with the contender
        known = checked.setdefault(key, {})
        mark = value if type(value) is str else repr(value)
        if mark not in known:
            try:
                ContenderTable.model_validate({"encoder": row.get("encoder"), key: value})
                known[mark] = ""
            except ValidationError as exc:
                known[mark] = f"{key}: {exc.errors()[0]['msg'].lower()}"
        if known[mark]:
            return known[mark]
    return "" if "encoder" in row else "encoder: there is none"


def filtered(found: Sequence[Combination], words: str) -> list[Combination]:
    """Those whose levels or label pass the filter (see `passes`)."""
    holds = passing(words)
    return [c for c in found if holds(f"{c.words} {c.contender.label if c.contender else ''} {c.reason}")]


def passing(words: str) -> Callable[[str], bool]:
    """A test of texts: whether one holds every one of the words, in whole or in part; "-word" leaves out texts
    that hold just that word, so that "-fast" keeps "faster"."""
    asked = words.lower().split()
    negated = [w for w in asked if w.startswith("-") and len(w) > 1]
    wanted, without = [w for w in asked if w not in negated], {w[1:] for w in negated}

    def holds(text: str) -> bool:
        text = text.lower()
        return all(map(text.__contains__, wanted)) and without.isdisjoint(text.split())

    return holds


def in_order(found: Sequence[Combination], factor: str) -> list[Combination]:
    """Sorted by a factor: presets by the encoder's default order from fastest to slowest, numbers by size, the
    rest by name; those that can't run come last."""
    return sorted(found, key=lambda c: (bool(c.reason), *_rank(c, factor)))


def _rank(c: Combination, factor: str) -> tuple[Any, ...]:
    if c.contender is None:
        return ("~", 0.0, c.words)
    recipe = c.contender.recipe
    if factor == "preset":
        presets = recipe.facts.presets
        at = presets.index(recipe.preset) if recipe.preset in presets else len(presets)
        return (recipe.facts.short, float(at), "")
    if factor == "rate":
        return (
            recipe.facts.quality.name,
            recipe.quality if recipe.quality is not None else -1.0,
            str(recipe.bit_rate or 0).rjust(12),
        )
    return (c.contender.factors().get(factor, ""), 0.0, c.contender.label)


NUMBERS = {"quality": float, "gop": int, "b_frames": int, "threads": int}
NONE_WORDS = ("none", "own", "source", "programme's")


def level_of(key: str, text: str) -> Any:
    """A level written as a word: "21" for quality, "refs=2 bf=1" for raw, "none" for an empty setting.

    Raises OvrikError.
    """
    text = text.strip()
    if key == "raw":
        return {} if text in NONE_WORDS else parse_raw(text)
    if text in NONE_WORDS and key in ("tune", "profile", "size", "rate", "prerendered", "rate_control"):
        return ""
    if key not in NUMBERS:
        return text
    try:
        return NUMBERS[key](text)
    except ValueError:
        raise OvrikError(f'{key}: "{text}" is not a number', "Change it") from None


def parse_raw(text: str) -> dict[str, str]:
    """ "refs=2 x264-params=scenecut=0:ref=3" as options; quotes hold words together. Raises OvrikError."""
    out = {}
    try:
        words = shlex.split(text)
    except ValueError:
        raise OvrikError(f"{text}: a quote is not closed", "Close it, or leave it out") from None
    for word in words:
        name, sign, value = word.partition("=")
        if not sign or not name.strip("-"):
            raise OvrikError(
                f'"{word}" is not a raw option', 'Write options as "name=value", with spaces between'
            )
        out[name.lstrip("-")] = value
    return out
