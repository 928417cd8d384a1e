"""What is claimed of Ovrik names its bench, and every bench is named."""

import ast
import re
from pathlib import Path

ROOT = Path(__file__).parents[1]


def test_each_claim_names_its_bench() -> None:
    tree = ast.parse((ROOT / "bench" / "__main__.py").read_text())
    [table] = [
        n.value for n in tree.body if isinstance(n, ast.AnnAssign) and ast.unparse(n.target) == "BENCHES"
    ]
    assert isinstance(table, ast.Dict)
    benches = {ast.literal_eval(key) for key in table.keys if key is not None}
    claims = (ROOT / "docs" / "validation.md").read_text().partition("## What the tests notice")[0]
    rows = re.findall(r"^\| (?!bench)(.*?) \|", claims, re.MULTILINE)
    named = {row.strip("`") for row in rows}
    assert named == benches
