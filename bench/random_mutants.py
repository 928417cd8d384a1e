"""`./run mutants --random PACKAGE … [--number N] [--seed S]`: small changes drawn at random, each tried on the tests
that run the changed line. The seed, printed first, draws the same ones again."""

import argparse
import ast
import copy
import random
import re
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from bench.covering import Covering, recorded
from bench.promise import Put
from bench.trees import ROOT, in_copies, red

GOAL = 0.85
RUNNING = (
    "analysis",
    "store",
    "study",
    "export",
    "quality",
    "work",
    "report",
    "outside",
    "machine",
    "standin",
    "cli",
)
"""Tests whose lines are recorded: all but those of windows."""
SRC = ROOT / "src" / "ovrik"
OTHER_COMPARISON: dict[type, type] = {
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
}
OTHER_ARITHMETIC: dict[type, type] = {
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.FloorDiv: ast.Div,
    ast.Mod: ast.Mult,
    ast.Pow: ast.Mult,
}


@dataclass(frozen=True)
class Mutant:
    """One change. Fields: `file`, below src/ovrik; `line`; `kind` of it; `place`, which node of the module it is, in
    the order of `ast.walk`; `was`, `now`, the expression before and after."""

    file: str
    line: int
    kind: str
    place: int
    was: str
    now: str


def changed(node: ast.AST) -> tuple[str, ast.AST] | None:
    """What kind of change this node admits, and the node after it; None where there is none worth trying."""
    new = copy.deepcopy(node)
    if isinstance(new, ast.Compare) and type(new.ops[0]) in OTHER_COMPARISON:
        new.ops[0] = OTHER_COMPARISON[type(new.ops[0])]()
        return "comparison", new
    if isinstance(new, ast.BinOp) and type(new.op) in OTHER_ARITHMETIC and not _is_type_or_text(new):
        new.op = OTHER_ARITHMETIC[type(new.op)]()
        return "arithmetic", new
    if isinstance(new, ast.BoolOp):
        new.op = ast.Or() if isinstance(new.op, ast.And) else ast.And()
        return "boolean", new
    if isinstance(new, ast.UnaryOp) and isinstance(new.op, ast.Not):
        return "boolean", new.operand
    if isinstance(new, (ast.IfExp, ast.If)):
        new.test = ast.UnaryOp(ast.Not(), new.test)
        return "condition", new
    if isinstance(new, ast.Constant) and isinstance(new.value, bool):
        return "constant", ast.Constant(not new.value)
    if isinstance(new, ast.Constant) and isinstance(new.value, (int, float)):
        return "constant", ast.Constant(
            new.value + 1 if isinstance(new.value, int) else new.value * 1.5 + 0.01
        )
    if isinstance(new, ast.Return) and new.value is not None and not _is_none(new.value):
        new.value = ast.Constant(None)
        return "return", new
    return None


def _is_none(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and node.value is None


def _is_type_or_text(node: ast.BinOp) -> bool:
    """`a | b` is left out by its operator; adding texts or taking sets apart would only fail at once."""
    texts = (ast.JoinedStr, ast.List, ast.Tuple)
    sides = (node.left, node.right)
    return any(isinstance(s, texts) or isinstance(getattr(s, "value", None), (str, bytes)) for s in sides)


def _sites(tree: ast.Module) -> Iterator[tuple[int, ast.AST]]:
    """Nodes that do something when the program runs: no annotations, no defaults of records' fields' types."""
    silent: set[int] = set()
    for node in ast.walk(tree):
        for part in (getattr(node, "annotation", None), getattr(node, "returns", None)):
            if part is not None:
                silent.update(id(n) for n in ast.walk(part))
        # Whether a record is frozen changes nothing that it says.
        for part in (*getattr(node, "decorator_list", ()), *([node] if isinstance(node, ast.Assert) else [])):
            silent.update(id(n) for n in ast.walk(part))
    for place, node in enumerate(ast.walk(tree)):
        if id(node) not in silent:
            yield place, node


def mutants_of(file: Path) -> list[Mutant]:
    """Every change that a module admits."""
    out = []
    for place, node in _sites(ast.parse(file.read_text())):
        found = changed(node)
        if found:
            kind, new = found
            was, now = (_short(x) for x in (node, new))
            out.append(Mutant(str(file.relative_to(SRC)), getattr(node, "lineno", 0), kind, place, was, now))
    return out


def _short(node: ast.AST) -> str:
    shown = node.test if isinstance(node, ast.If) else node
    return re.sub(r"\s+", " ", ast.unparse(shown))[:70]


def text_of(source: str, place: int) -> str:
    """The module with the node at this place changed."""
    tree = ast.parse(source)
    target = next(node for n, node in enumerate(ast.walk(tree)) if n == place)
    found = changed(target)
    assert found

    return ast.unparse(ast.fix_missing_locations(Put(target, found[1]).visit(tree)))


def drawn(package: str, number: int, seed: int) -> list[Mutant]:
    """So many of a package, each module as likely as it has changes to offer."""
    every = [m for file in sorted((SRC / package).rglob("*.py")) for m in mutants_of(file)]
    return random.Random(f"{seed}/{package}").sample(every, min(number, len(every)))


def tests_for(file: str) -> tuple[list[str], list[str]]:
    """Test files that import the module, and the others of its package, the small ones first."""
    name = f"ovrik.{file[:-3].replace('/', '.')}".removesuffix(".__init__")
    parent, _dot, last = name.rpartition(".")
    wanted = re.compile(rf"(from {re.escape(name)} import|from {re.escape(parent)} import [^\n]*\b{last}\b)")
    package = file.split("/", 1)[0]
    near, far = [], []
    for test in sorted((ROOT / "tests").rglob("test_*.py"), key=lambda p: p.stat().st_size):
        at = str(test.relative_to(ROOT))
        if wanted.search(test.read_text()):
            near.append(at)
        elif at.startswith(f"tests/{package}/"):
            far.append(at)
    return near, far


LONGEST_S = 20.0
"""Tests of the mutant's package that run the line are tried up to so many seconds of their usual time, the quickest
first; then as many of others."""


def seen(mutant: Mutant, tree: Path, covering: Covering) -> str:
    """ "seen", or "NOT SEEN", or "not run" where no test runs the line."""
    path = tree / "src" / "ovrik" / mutant.file
    sound = path.read_text()
    tests = tests_of(mutant, sound, covering)
    path.write_text(text_of(sound, mutant.place))
    try:
        if not any(tests):
            return "NOT RUN"
        return (
            "seen"
            if any(some and red(["-m", "not alone and not quiet", *some], tree) for some in tests)
            else "NOT SEEN"
        )
    finally:
        path.write_text(sound)


def tests_of(mutant: Mutant, source: str, covering: Covering) -> tuple[list[str], list[str]]:
    """Tests that run the statement, of its package and others; of what runs when the module is loaded, those that run
    anything of the module, and where there is nothing to run, those of the package that import it."""
    lines = _running_lines(ast.parse(source), mutant.place)
    found = covering.of_lines(mutant.file, lines) if lines else covering.of_file(mutant.file)
    if not found and not lines:
        return tests_for(mutant.file)
    near = [t for t in found if t.startswith(f"tests/{mutant.file.split('/', 1)[0]}/")]
    return _quickest(near, covering), _quickest([t for t in found if t not in near], covering)


def _quickest(tests: Sequence[str], covering: Covering) -> list[str]:
    kept: list[str] = []
    spent = 0.0
    for test in tests:
        spent += covering.seconds[test]
        if spent > LONGEST_S and kept:
            break
        kept.append(test)
    return kept


def _running_lines(tree: ast.Module, place: int) -> range | None:
    """Lines that run when a node does: its innermost statement's, of what has a body its head's. None outside all
    functions: it runs when the module is loaded."""
    parents = {id(child): node for node in ast.walk(tree) for child in ast.iter_child_nodes(node)}
    node = next(node for n, node in enumerate(ast.walk(tree)) if n == place)
    own = node
    while id(node) in parents:
        parent = parents[id(node)]
        if isinstance(own, ast.expr) and isinstance(node, ast.stmt):
            own = node
        if isinstance(parent, ast.FunctionDef) and node in parent.body:
            return _head(own)
        if isinstance(parent, ast.Lambda) and node is parent.body:
            return range(parent.lineno, (parent.end_lineno or parent.lineno) + 1)
        node = parent
    return None


def _head(node: Any) -> range:
    body = getattr(node, "body", None)
    if isinstance(body, list):
        return range(node.lineno, max(body[0].lineno, node.lineno + 1))
    return range(node.lineno, node.end_lineno + 1)


def main(arguments: list[str]) -> int:
    """Draw, try, and tell; the exit code says whether the goal was reached in every package."""
    parser = argparse.ArgumentParser(prog="./run mutants --random")
    parser.add_argument("packages", nargs="+")
    parser.add_argument("--number", type=int, default=100)
    parser.add_argument("--seed", type=int, default=int(time.strftime("%Y%m%d")))
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument(
        "--covering", type=Path, help="folder that keeps which tests run what, for another time"
    )
    asked = parser.parse_args(arguments)
    print(f"seed {asked.seed}", flush=True)
    todo = [m for package in asked.packages for m in drawn(package, asked.number, asked.seed)]
    answers: list[tuple[Mutant, str]] = []
    print("what the tests run is recorded first", flush=True)
    with tempfile.TemporaryDirectory(prefix="ovrik-covering-") as folder:
        covering = recorded(asked.covering or Path(folder), RUNNING)
    for mutant, answer in in_copies(todo, lambda m, tree: seen(m, tree, covering), asked.workers):
        answers.append((mutant, answer))
        print(f"{len(answers):4}/{len(todo)} {answer:20} {_words(mutant)}", flush=True)
    return _told(asked.packages, answers)


def _words(m: Mutant) -> str:
    return f"{m.file}:{m.line} {m.kind}: {m.was}  ->  {m.now}"


def _told(packages: list[str], answers: list[tuple[Mutant, str]]) -> int:
    well = True
    for package in packages:
        mine = [(m, a) for m, a in answers if m.file.startswith(f"{package}/")]
        caught = sum(a.startswith("seen") for _m, a in mine)
        well = well and caught >= GOAL * len(mine)
        print(f"\n{package}: {caught} of {len(mine)} seen ({100 * caught / max(len(mine), 1):.0f} %)")
        for m, a in mine:
            if not a.startswith("seen"):
                print(f"  {_words(m)}")
    return 0 if well else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
