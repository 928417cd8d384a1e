"""A stored table is one dataclass: its fields are the columns, their types say how values are kept."""

import json
import math
import sqlite3
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import MISSING, dataclass, fields, is_dataclass
from datetime import datetime
from enum import StrEnum
from functools import cache, cached_property, lru_cache
from operator import itemgetter
from types import UnionType
from typing import Any, Generic, TypeVar, get_args, get_origin, get_type_hints

from pydantic import TypeAdapter

from ovrik.study.programme.excerpt import Excerpt

REFERENCES = {name: f" REFERENCES {name.removesuffix('_id')}(id)" for name in (
    "contender_id", "programme_id", "build_id", "machine_id")}  # fmt: skip
SIMPLE: dict[Any, str] = {bool: "INTEGER", int: "INTEGER", float: "REAL", str: "TEXT", bytes: "BLOB"}
KINDS: dict[str, tuple[type, ...]] = {
    "TEXT": (str,),
    "INTEGER": (int,),
    "REAL": (float, int),
    "BLOB": (bytes,),
}
MOMENT = "_utc"
MOST_FRAMES = 1 << 40
MOST_SAME = 256
PLACE = ("start_frame", "frames")
"""An excerpt is kept as these two columns."""

Record = TypeVar("Record")


@dataclass(frozen=True)
class Column:
    """One column. Fields: `name`; `kind`, SQLite's; `needed`, whether it is never empty; `sql` that makes it."""

    name: str
    kind: str
    needed: bool
    sql: str

    def check(self, value: object) -> None:
        """Raises ValueError naming the column where a value can't be its own: a file that was damaged, or changed by
        another hand, may hold anything."""
        if value is None:
            if self.needed:
                raise ValueError(f"{self.name} is empty")
            return
        if not isinstance(value, KINDS[self.kind]) or (isinstance(value, float) and not math.isfinite(value)):
            raise ValueError(f"{self.name} is {value!r}")
        if self.name.endswith(MOMENT) and value and datetime.fromisoformat(str(value)).tzinfo is None:
            raise ValueError(f"{self.name} is “{value}”, which names no time zone")
        if self.name in PLACE and isinstance(value, int) and not 0 <= value < MOST_FRAMES:
            raise ValueError(f"{self.name} is {value}")


@dataclass(frozen=True)
class _Kept:
    """One field of a record, as its column keeps it."""

    name: str
    type: Any
    pack: Callable[[Any], Any]
    read: Callable[[Any], Any]


Ways = tuple[Callable[[Any], Any], Callable[[Any], Any]]


class Table(Generic[Record]):
    """A table and the dataclass that its rows are.

    `besides`: columns that are no fields of the record, with their SQL; `rules`, what the table asks of its rows
    together; `names`, columns that are not called as their fields; `joined`, fields that come from other tables, with
    the names that a query gives them, or "" where none does; `ways`, by field how a value becomes JSON's plain ones
    and is read from them, where its type does not say so; `check`, says what of a record can't be, or ""."""

    def __init__(
        self,
        name: str,
        record: type[Record],
        besides: Sequence[str] = (),
        *,
        rules: Sequence[str] = (),
        names: Mapping[str, str] | None = None,
        joined: Mapping[str, str] | None = None,
        ways: Mapping[str, Ways] | None = None,
        check: Callable[[Record, sqlite3.Row], str] = lambda _made, _row: "",
    ) -> None:
        self.name, self.record = name, record
        self._besides, self._rules, self._check = besides, rules, check
        self._names, self._joined, self._own_ways = names or {}, joined or {}, ways or {}
        self._readers: dict[Sequence[str], Callable[[sqlite3.Row], Record]] = {}

    @cached_property
    def columns(self) -> tuple[Column, ...]:
        """All of them, the key first."""
        own = [c for f in self._stored for c in self._columns_of(f)]
        more = [_described(words) for words in self._besides]
        return tuple(sorted([*own, *more], key=lambda c: c.name != "id"))

    @property
    def _stored(self) -> list[Any]:
        return [f for f in fields(self.record) if f.name not in self._joined]  # type: ignore[arg-type]

    def _columns_of(self, f: Any) -> Iterator[Column]:
        own = self._own_ways.get(f.name)
        usual = f.default if f.default_factory is MISSING else f.default_factory()
        if own and usual not in (MISSING, None):
            usual = json.dumps(own[0](usual))
        return _columns(self._names.get(f.name, f.name), self._types[f.name], usual, bool(own))

    @cached_property
    def _types(self) -> dict[str, Any]:
        return get_type_hints(self.record)

    @cached_property
    def _kept(self) -> dict[str, _Kept]:
        """By field, how its value is packed and read."""
        out = {}
        for f in fields(self.record):  # type: ignore[arg-type]
            name = self._joined.get(f.name, self._names.get(f.name, f.name))
            if not name:
                continue  # whoever reads the row has it from elsewhere
            own = self._own_ways.get(f.name)
            ways = _as_json(*own) if own else _ways(self._types[f.name])
            out[f.name] = _Kept(name, self._types[f.name], *ways)
        return out

    @property
    def sql(self) -> str:
        """The statement that makes it."""
        rows = [f"  {c.sql}" for c in self.columns] + [f"  {rule}" for rule in self._rules]
        return f"CREATE TABLE {self.name} (\n" + ",\n".join(rows) + "\n) STRICT"

    def packed(self, values: Mapping[str, Any]) -> dict[str, Any]:
        """Columns of these fields."""
        out: dict[str, Any] = {}
        for name, value in values.items():
            one = self._kept[name]
            if isinstance(value, Excerpt):
                out |= {"start_frame": value.start_frame, "frames": value.frames}
            else:
                out[one.name] = None if value is None else one.pack(value)
        return out

    def insert(self, db: sqlite3.Connection, made: Record, **besides: Any) -> int:
        """Add a row; gives its number. A record without one is given the next."""
        mine = {f.name: getattr(made, f.name) for f in self._stored}
        values = {**self.packed(mine), **besides}
        if not values.get("id", True):
            del values["id"]
        names, marks = ", ".join(values), ", ".join("?" * len(values))
        done = db.execute(f"INSERT INTO {self.name} ({names}) VALUES ({marks})", tuple(values.values()))
        return int(done.lastrowid or 0)

    def update(
        self, db: sqlite3.Connection, where: str, given: Sequence[Any], values: Mapping[str, Any]
    ) -> int:
        """Change fields of the rows that `where` finds; gives how many."""
        packed = self.packed(values)
        names = ", ".join(f"{name} = ?" for name in packed)
        return db.execute(
            f"UPDATE {self.name} SET {names} WHERE {where}", (*packed.values(), *given)
        ).rowcount

    def read(self, row: sqlite3.Row) -> Record:
        """A row as its record. Raises ValueError on one that can't be."""
        return self.reader(tuple(row.keys()))(row)

    def reader(self, names: Sequence[str]) -> Callable[[sqlite3.Row], Record]:
        """What makes records of rows whose columns are called so; it raises ValueError on one that can't be."""
        if names not in self._readers:
            self._readers[names] = self._made_for(names)
        return self._readers[names]

    def _made_for(self, names: Sequence[str]) -> Callable[[sqlite3.Row], Record]:
        at = {name: place for place, name in enumerate(names)}
        columns = [c for c in self.columns if c.name in at]
        types_of = _picked([at[c.name] for c in columns])
        reals = _picked([at[c.name] for c in columns if c.kind == "REAL"])
        moments = [(at[c.name], c) for c in columns if c.name.endswith(MOMENT)]
        kept = {name: one for name, one in self._kept.items() if one.type is not Excerpt}
        plain = [name for name, one in kept.items() if one.read is _same]
        plain_of = _picked([at[kept[name].name] for name in plain])
        packed = [(name, at[one.name], one.read) for name, one in kept.items() if one.read is not _same]
        [where] = [name for name, one in self._kept.items() if one.type is Excerpt] or [""]
        place_of = _picked([at[name] for name in PLACE]) if where else tuple
        known, places = set[tuple[type, ...]](), dict[tuple[Any, ...], Excerpt]()

        def check(row: sqlite3.Row) -> None:
            for column in columns:
                column.check(row[at[column.name]])

        def read(row: sqlite3.Row) -> Record:
            types = tuple(map(type, types_of(row)))
            if types not in known or not math.isfinite(sum(filter(None, reals(row)))):
                check(row)
                known.add(types)
            for place, column in moments:
                column.check(row[place])
            values: dict[str, Any] = dict(zip(plain, plain_of(row), strict=True))
            if where:
                span = place_of(row)
                if span not in places:
                    check(row)
                    places[span] = Excerpt(*span)
                values[where] = places[span]
            for name, place, ready in packed:
                value = row[place]
                values[name] = None if value is None else ready(value)
            made = self.record(**values)
            if wrong := self._check(made, row):
                raise ValueError(wrong)
            return made

        return read


def _picked(places: list[int]) -> Callable[[sqlite3.Row], tuple[Any, ...]]:
    """What takes the values at these places of a row."""
    if len(places) < 2:
        return lambda row: tuple(row[place] for place in places)
    return itemgetter(*places)


def _as_json(pack: Callable[[Any], Any], read: Callable[[Any], Any]) -> Ways:
    return lambda value: json.dumps(pack(value)), lambda text: read(json.loads(text))


def _columns(name: str, kind: Any, usual: Any, packed: bool) -> Iterator[Column]:
    if kind is Excerpt:
        yield _described("start_frame INTEGER NOT NULL")
        yield _described("frames INTEGER NOT NULL")
        return
    open_ = isinstance(kind, UnionType) and type(None) in get_args(kind)
    inner = next(a for a in get_args(kind) if a is not type(None)) if open_ else kind
    sql = f"{name} {'TEXT' if packed else SIMPLE.get(inner, 'TEXT')}"
    if name == "id":
        yield _described(f"{sql} PRIMARY KEY")
        return
    sql += "" if open_ else " NOT NULL"
    if usual is not MISSING and usual is not None:
        sql += f" DEFAULT {_literal(usual, str if packed else inner)}"
    if isinstance(inner, type) and issubclass(inner, StrEnum):
        sql += f" CHECK ({name} IN ({', '.join(repr(str(v)) for v in inner)}))"
    yield _described(sql + REFERENCES.get(name, ""))


def _described(sql: str) -> Column:
    name, kind = sql.split()[:2]
    if REFERENCES.get(name) and "REFERENCES" not in sql:
        sql += REFERENCES[name]
    return Column(name, kind, "NOT NULL" in sql or "PRIMARY KEY" in sql, sql)


def _literal(usual: Any, kind: Any) -> str:
    if isinstance(usual, str):
        return "'" + str(usual).replace("'", "''") + "'"
    if SIMPLE.get(kind):
        return str(int(usual) if isinstance(usual, bool) else usual)
    if is_dataclass(usual):
        return "'{}'"  # its own defaults
    return f"'{json.dumps(_adapter(kind).dump_python(usual))}'"


@cache
def _adapter(kind: Any) -> TypeAdapter[Any]:
    return TypeAdapter(kind)


def _ways(kind: Any) -> Ways:
    """How a value of a type is packed into its column, and read from it."""
    inner = kind
    if isinstance(kind, UnionType):
        inner = next(a for a in get_args(kind) if a is not type(None))
    if inner is bool:
        return int, bool
    if inner in SIMPLE:
        return _same, _same
    if isinstance(inner, type) and issubclass(inner, StrEnum):
        return str, inner
    # By json, which keeps what a name of a file may hold that is no text.
    adapter = _adapter(inner)

    def read(text: str) -> Any:
        return adapter.validate_python(json.loads(text))

    # Runs of one contender say the same again and again; what can't be changed is read once.
    same = get_origin(inner) is tuple
    return lambda value: json.dumps(adapter.dump_python(value)), lru_cache(MOST_SAME)(read) if same else read


def _same(value: Any) -> Any:
    return value
