"""A promise of the whole, and the smallest change to the code that breaks it, found by function and expression."""

import ast
from dataclasses import dataclass
from pathlib import Path

SRC = Path(__file__).parents[1] / "src" / "ovrik"


@dataclass(frozen=True)
class Promise:
    """Fields: `broken`, what is then the case; `file`, below src/ovrik; `function`, with its class; `was`, an
    expression or statement in it, however it is laid out; `now`, what takes its place; `tests`, below tests/, that
    have to go red."""

    broken: str
    file: str
    function: str
    was: str
    now: str
    tests: str

    def applied(self, source: str) -> str:
        """The module with the promise broken. Raises LookupError where the function or expression is not in it."""
        tree = ast.parse(source)
        scope: ast.AST = tree
        for name in filter(None, self.function.split(".")):
            scope = _named(scope, name)
        wanted, new = _parsed(self.was), _parsed(self.now)
        found = [node for node in ast.walk(scope) if ast.dump(node) == ast.dump(wanted)]
        if not found:
            raise LookupError(f"{self.function} of {self.file} has no {self.was}")
        return ast.unparse(ast.fix_missing_locations(Put(found[0], new).visit(tree)))

    def holds_its_place(self) -> bool:
        """Whether it can still be broken so; raises LookupError where not."""
        return bool(self.applied((SRC / self.file).read_text()))


class Put(ast.NodeTransformer):
    """Puts one node in another's place."""

    def __init__(self, old: ast.AST, new: ast.AST) -> None:
        self._old, self._new = old, new

    def visit(self, node: ast.AST) -> ast.AST:
        return self._new if node is self._old else self.generic_visit(node)


def _named(scope: ast.AST, name: str) -> ast.AST:
    kinds = (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)
    for node in ast.walk(scope):
        if isinstance(node, kinds) and node.name == name:
            return node
    raise LookupError(f"there is no {name}")


def _parsed(text: str) -> ast.AST:
    """An expression, or else a statement."""
    [node] = ast.parse(text).body
    return node.value if isinstance(node, ast.Expr) else node
