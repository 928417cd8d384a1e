"""The file that outputs are judged against: the programme made losslessly, or one that was named for it."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from ovrik.errors import Ask, OvrikError
from ovrik.machine.builds.build import Build, find_build
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.key import reference_file, reference_path
from ovrik.quality.reference.made import make_reference
from ovrik.quality.reference.own_frames import OwnFrames, own_frames
from ovrik.store.records.study_facts import StudyFacts
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.delivery import Delivery
from ovrik.study.contender.described import KEY as DESCRIBED_KEY
from ovrik.study.files.checksum import checksum_now
from ovrik.study.programme.programme import Programme
from ovrik.study.question.conduct import Conduct


@dataclass(frozen=True)
class Against:
    """What an output is judged against. Fields: `path`, the file; `own`, the treated frames of the build that made
    the output, where they are not the reference's: then the file is theirs; `trouble`, why these could not
    be made."""

    path: Path
    own: OwnFrames | None = None
    trouble: str = ""


def treating_build(programme: Programme, contender: Contender, identity: str = "") -> Build | None:
    """The build that treats a contender's frames, where that is not the one that makes references; `identity`, what
    it was when it did, "" for what it is now. None where nothing is treated, or it is another one by now."""
    if not programme.every_treatment or contender.build.startswith(DESCRIBED_KEY):
        return None
    try:
        build = find_build(contender.build)
    except OvrikError:
        return None
    if build.simulated or build.whole_only or build.problem or (identity and build.identity != identity):
        return None
    return None if build.identity == find_build("bundled").identity else build


def is_made(facts: StudyFacts, programme: Programme, wanted: Delivery, by: Build | None) -> bool:
    """Whether what such outputs are judged against is there, so that it takes no time."""
    treated = (
        reference_path(programme, facts.excerpt, wanted, by.identity).with_suffix(".json") if by else None
    )
    return reference_file(facts, programme, wanted).exists() and (treated is None or treated.exists())


def against_for(
    facts: StudyFacts,
    programme: Programme,
    wanted: Delivery,
    by: Build | None,
    on_share: Callable[[float], None],
    should_stop: Ask,
) -> Against:
    """What the outputs of a build are judged against, made now if need be. Raises OvrikError, Stopped."""
    if by is None or facts.conduct.reference:
        return Against(reference_for(facts, programme, wanted, on_share, should_stop))
    reference = reference_for(facts, programme, wanted, lambda s: on_share(0.5 * s), should_stop)
    try:
        own = own_frames(
            programme, facts.excerpt, wanted, by, reference, lambda s: on_share(0.5 + 0.5 * s), should_stop
        )
    except OvrikError as exc:
        return Against(reference, trouble=exc.problem)
    return Against(own.path, own) if own else Against(reference)


def reference_for(
    facts: StudyFacts,
    programme: Programme,
    wanted: Delivery,
    on_share: Callable[[float], None],
    should_stop: Ask,
) -> Path:
    """The file itself, made now if need be. Raises OvrikError, also when a named one is no longer what it was,
    Stopped."""
    named = facts.conduct
    if not named.reference:
        return make_reference(programme, facts.excerpt, wanted, on_share, should_stop)
    path = Path(named.reference)
    if not path.is_file():
        raise OvrikError(
            f"The reference {path} is not there", "Reconnect its drive, or name another one in Scrutiny"
        )
    if checksum_now(path) != named.reference_checksum:
        raise OvrikError(
            f"The reference {path} has changed", "Name it again, to judge against what it is now"
        )
    return path


def name_reference(study: Study, path: Path | None) -> Conduct:
    """Judge outputs against a file from now on, or, with None, against the programme again; what was scored against
    the other stays on file. Raises OvrikError when it is no clip."""
    conduct = study.facts().conduct
    if path is None:
        made = replace(conduct, reference="", reference_checksum="")
    else:
        clip = probe(path.resolve())
        made = replace(conduct, reference=clip.path, reference_checksum=clip.checksum)
    study.set_conduct(made)
    return made
