"""How tests time: without waits, and each run once, however busy the machine is that they run on."""

from dataclasses import replace

from ovrik.study.question.conduct import Conduct

CALM = Conduct(rest=False, repeat_disturbed=False)


def quiet(conduct: Conduct) -> Conduct:
    """The same on a machine whose earlier runs spread by 3 %, and did not resemble those before them."""
    return replace(conduct, noise=0.03, noise_runs=30, noise_alike=0.0, noise_pairs=30.0)
