"""What a line-up would run that the user has not allowed yet."""

from collections.abc import Iterable, Mapping
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.machine.builds.added import added_builds
from ovrik.machine.builds.approvals import OPTIONS, PROGRAM, Claim, approve, approved, build_claim, visible
from ovrik.machine.builds.build import locate
from ovrik.machine.builds.described import approve_described, claim_of, descriptions
from ovrik.standin.build import keys as standin_keys
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.described import KEY as DESCRIBED_KEY
from ovrik.study.contender.described import Description
from ovrik.study.encoder.raw_options import unlisted
from ovrik.study.files.checksum import sha256_now


def claims_of(c: Contender, programs: Mapping[str, Description] | None = None) -> list[Claim]:
    """Everything about a contender that needs the user's word, approved or not. What is not there makes no claim."""
    found: list[Claim] = []
    if c.outside:
        return found  # nothing of it runs here: its settings are words for a person
    try:
        if c.build.startswith(DESCRIBED_KEY):
            known = (programs or descriptions()).get(c.build)
            return [claim_of(known)] if known else []
        path = _named_by_path(c.build)
        if path is not None:
            found.append(build_claim(path))
        options = option_claim(c, path)
    except (OvrikError, OSError):
        return found
    return [*found, options] if options else found


def _named_by_path(build: str) -> Path | None:
    if build in ("bundled", "system") or build in standin_keys():
        return None
    known = added_builds().get(build)
    path = Path(known.path if known else build)
    return path if path.is_absolute() and path.is_file() else None


def option_claim(c: Contender, path: Path | None = None) -> Claim | None:
    """The claim of raw options that are not known to be harmless, None without any."""
    odd = unlisted(c.recipe.raw)
    if not odd:
        return None
    program = path or locate(c.build)
    words = [w for name, value in c.recipe.raw for w in (f"-{name}", value)]
    return Claim(
        OPTIONS,
        f"raw options of {c.recipe.encoder}",
        str(program),
        sha256_now(program),
        ((str(program), "…", "-c:v", c.recipe.encoder, "…", *words, "…"),),
    )


def not_allowed(c: Contender) -> str:
    """Why a contender's raw options may not be used yet, or ""."""
    claim = option_claim(c)
    if claim is None or approved(claim):
        return ""
    said = visible("; ".join(unlisted(c.recipe.raw)))
    return (
        f"not known to be harmless: {said}; look at it and approve it: ovrik approve, with the plan or study"
    )


def waiting(contenders: Iterable[Contender]) -> list[Claim]:
    """Claims of a line-up that are not approved, each once."""
    found = [claim for c in contenders for claim in claims_of(c) if not approved(claim)]
    return list({claim.key: claim for claim in found}.values())


def allow(claim: Claim, programs: Mapping[str, Description] | None = None) -> None:
    """The user has seen it and wants it to run."""
    approve(claim)
    if claim.kind != PROGRAM:
        return
    for description in (programs or descriptions()).values():
        try:
            if claim_of(description) == claim:
                approve_described(description)
        except OvrikError:
            continue
