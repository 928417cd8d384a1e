"""Which contenders can run here, and why the others can't."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from ovrik.errors import OvrikError
from ovrik.machine.builds import Build, find_build
from ovrik.study.contender import Contender, build_words
from ovrik.study.recipe import faults


@dataclass(frozen=True)
class Entry:
    """A contender and whether it can run. Fields: `contender`; `reason` it can't, or ""."""

    contender: Contender
    reason: str

    @property
    def can_run(self) -> bool:
        """Nothing speaks against it before it is tried."""
        return not self.reason


def builds_for(contenders: Iterable[Contender]) -> dict[str, Build]:
    """Each build the contenders ask for, by key; one that can't be used carries its problem."""
    out: dict[str, Build] = {}
    for key in dict.fromkeys(c.build for c in contenders):
        try:
            out[key] = find_build(key)
        except OvrikError as exc:
            out[key] = Build(key, "", "", "", (), (), problem=str(exc))
    return out


def reason_against(contender: Contender, build: Build, whole: bool = True) -> str:
    """Why a contender can't run with this build, or ""; `whole`: the whole clip is exported."""
    against = faults(contender.recipe)
    if build.problem:
        against.append(build.problem)
    elif contender.recipe.encoder not in build.encoders:
        against.append(f"{build.short} has no encoder {contender.recipe.encoder}")
    if build.whole_only and not whole:
        against.append(f"{build_words(build.key)} can only export whole clips: choose the whole clip")
    return "; ".join(against)


def barred(contenders: Iterable[Contender], whole: bool = True) -> dict[int, str]:
    """Reasons by contender number, of those that can't run here."""
    listed = list(contenders)
    return {e.contender.id: e.reason for e in checked(listed, builds_for(listed), whole) if e.reason}


def checked(contenders: Iterable[Contender], builds: Mapping[str, Build], whole: bool = True) -> list[Entry]:
    """Every contender with its reason."""
    return [Entry(c, reason_against(c, builds[c.build], whole)) for c in contenders]
