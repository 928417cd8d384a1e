"""Picture processing that loads the export: what kinds there are, and one use of one of them."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ovrik.errors import OvrikError
from ovrik.study.files.checksum import footage_checksum
from ovrik.study.files.regular_file import regular
from ovrik.study.programme.lut import check_cube
from ovrik.study.programme.treatment_kinds import KINDS, Form, Kind, Parameter

Value = float | str


@dataclass(frozen=True)
class Treatment:
    """One use of a kind of treatment.

    Fields: `kind`, a key of `KINDS`; `values`, pairs of parameter name and value, complete and in the
    kind's order: a number in the parameter's unit, or text; `checksums`, pairs of parameter name and
    checksum for every parameter that names a file.
    """

    kind: str
    values: tuple[tuple[str, Value], ...]
    checksums: tuple[tuple[str, str], ...] = ()

    @property
    def facts(self) -> Kind:
        """The kind's own row of facts."""
        return KINDS[self.kind]

    def __getitem__(self, name: str) -> Any:
        """The value of a parameter."""
        found = dict(self.values)
        if name in found:
            return found[name]
        # What a kind has learned since the treatment was written.
        return next(p.default for p in self.facts.parameters if p.name == name)

    @property
    def forms(self) -> tuple[Form, ...]:
        """The implementations that exist for these values."""
        method = dict(self.values).get("method")
        return tuple(f for f in self.facts.forms if f.method in ("", method))

    def form(self, place: str) -> Form:
        """The implementation for a place, "software" where that place has none."""
        found = {f.place: f for f in self.forms}
        return found.get(place, found["software"])

    @property
    def words(self) -> str:
        """Kind and what was chosen, in a few words: "blur, gaussian, sigma 3"."""
        said = [
            _said(p, self[p.name])
            for p in self.facts.parameters
            if self[p.name] != p.default or p.name == "method"
        ]
        return ", ".join([self.facts.title.lower(), *(s for s in said if s)])

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {"kind": self.kind, "values": dict(self.values), "checksums": dict(self.checksums)}

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> "Treatment":
        """The inverse of `to_json`."""
        return cls(data["kind"], tuple(data["values"].items()), tuple(data.get("checksums", {}).items()))


def _said(p: Parameter, value: Value) -> str:
    if p.choices:
        return str(value)
    if isinstance(value, str):
        return f"“{Path(value).name if p.is_file else value}”" if value else ""
    return f"{p.title.lower()} {value:g}{' ' + p.unit if p.unit else ''}"


def treatment(kind: str, given: Mapping[str, Any] | None = None) -> Treatment:
    """A treatment with every gap filled by the stated default.

    Raises OvrikError naming the treatment, the parameter and what it takes.
    """
    facts = KINDS.get(kind)
    if facts is None:
        raise OvrikError(f'There is no treatment "{kind}"', f"Choose one of {', '.join(KINDS)}")
    given = dict(given or {})
    names = [p.name for p in facts.parameters]
    for name in given:
        if name not in names:
            raise OvrikError(f'The treatment {kind} has no "{name}"', f"It takes {', '.join(names)}")
    values = tuple((p.name, checked_value(kind, p, given.get(p.name, p.default))) for p in facts.parameters)
    sums = tuple(
        (p.name, _file_checksum(kind, p, str(v)))
        for p, (_n, v) in zip(facts.parameters, values, strict=True)
        if p.is_file and v
    )
    made = Treatment(kind, values, sums)
    for required in facts.parameters:
        if required.needed and not made[required.name]:
            raise OvrikError(f"The treatment {kind} needs a {required.title.lower()}", "Give one")
    return made


def checked_value(kind: str, p: Parameter, value: Any) -> Value:
    """A parameter's value, if it can be; else OvrikError."""
    if p.choices:
        if value not in p.choices:
            raise OvrikError(f'{kind}: {p.name} can\'t be "{value}"', f"Choose one of {', '.join(p.choices)}")
        return str(value)
    if p.is_file:
        return str(Path(str(value)).absolute()) if value else ""
    if isinstance(p.default, str):
        return str(value)
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise OvrikError(f'{kind}: {p.name} is to be a number, not "{value}"', "Change it")
    if not p.low <= value <= p.high:  # NaN is in no range
        unit = f" {p.unit}" if p.unit else ""
        raise OvrikError(f"{kind}: {p.name} {value:g}{unit} is out of its range", f"{p.low:g} to {p.high:g}")
    return float(value)


def _file_checksum(kind: str, p: Parameter, name: str) -> str:
    try:
        path = regular(Path(name))
    except OvrikError as exc:
        raise OvrikError(f"{kind}: the file {exc.problem}", "Check its name, or choose it again") from None
    if p.name == "lut":
        check_cube(path)
    return footage_checksum(path)
