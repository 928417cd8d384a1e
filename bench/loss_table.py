"""How each measure of loss answers to a known amount of each fault: the table in docs/method.md."""

import sys
from pathlib import Path

from ovrik.analysis.signals.loss_kinds import LOSS_KINDS

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))


def answers() -> dict[str, dict[str, float]]:
    """Every measure's value for every fault at its full amount, by the key of the fault and of the measure."""
    from faults_added import FAULTS  # the pictures that the tests are made with

    return {name: fault(1.0) for name, fault in FAULTS.items()}


def worst_crosstalk() -> float:
    """The largest answer of a measure to a fault that is not its own, in units of what is worth a look."""
    kinds = {k.key: k for k in LOSS_KINDS}
    found = answers()
    return max(v / kinds[k].notable for name, values in found.items() for k, v in values.items() if k != name)


def weakest_own() -> float:
    """The smallest answer of a measure to its own fault, in the same units."""
    kinds = {k.key: k for k in LOSS_KINDS}
    return min(values[name] / kinds[name].notable for name, values in answers().items())


def table() -> str:
    """The same as text, a row for each fault."""
    lines = [
        "| added | " + " | ".join(k.title.lower() for k in LOSS_KINDS) + " |",
        "|---|" + "---:|" * len(LOSS_KINDS),
    ]
    titles = {k.key: k.title.lower() for k in LOSS_KINDS}
    for name, values in answers().items():
        cells = [
            f"**{values[k.key]:.{k.digits}f}**" if k.key == name else f"{values[k.key]:.{k.digits}f}"
            for k in LOSS_KINDS
        ]
        lines.append(f"| {titles[name]} | " + " | ".join(cells) + " |")
    return "\n".join(lines)


if __name__ == "__main__":
    print(table())
