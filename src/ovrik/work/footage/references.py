"""The file that outputs are judged against: the programme made losslessly, or one that was named for it."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from ovrik.errors import Ask, OvrikError
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.made import make_reference
from ovrik.store.records.study_facts import StudyFacts
from ovrik.store.study import Study
from ovrik.study.contender.delivery import Delivery
from ovrik.study.files.checksum import checksum_now
from ovrik.study.programme.programme import Programme
from ovrik.study.question.conduct import Conduct


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
