"""`./run mutants [WORDS]`: breaks each promise of the table in a copy of the code, and sees whether a test goes red;
`./run mutants --random PACKAGE …`: small changes drawn at random (see `random_mutants`)."""

import sys
from pathlib import Path

from bench import random_mutants
from bench.promise import Promise
from bench.promise_table import PROMISES
from bench.trees import in_copies, red

GOAL = 0.95


def kept(promise: Promise, tree: Path) -> str:
    """ "seen", or "NOT SEEN" where no test went red."""
    path = tree / "src" / "ovrik" / promise.file
    sound = path.read_text()
    path.write_text(promise.applied(sound))
    words = [f"tests/{w}" if (tree / "tests" / w).exists() else w for w in promise.tests.split()]
    try:
        return "seen" if red(words, tree) else "NOT SEEN"
    finally:
        path.write_text(sound)


def main(arguments: list[str]) -> int:
    """All promises, or those whose words or file hold one of the arguments; the exit code says whether the goal was
    reached."""
    if arguments[:1] == ["--random"]:
        return random_mutants.main(arguments[1:])
    todo = [p for p in PROMISES if not arguments or any(a in p.broken or a in p.file for a in arguments)]
    answers: dict[str, str] = {}
    for promise, answer in in_copies(todo, kept):
        answers[promise.broken] = answer
        print(f"{len(answers):3}/{len(todo)}  {answer:8}  {promise.file}: {promise.broken}", flush=True)
    caught = sum(a == "seen" for a in answers.values())
    print(f"\n{caught} of {len(todo)} broken promises seen ({100 * caught / max(len(todo), 1):.0f} %)")
    for what, answer in answers.items():
        if answer != "seen":
            print(f"  {what}")
    return 0 if caught >= GOAL * len(todo) else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
