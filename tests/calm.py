"""How tests time: without waits, and each run once, however busy the machine is that they run on."""

from ovrik.study.question.conduct import Conduct

CALM = Conduct(rest=False, repeat_disturbed=False)
