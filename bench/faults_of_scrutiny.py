"""Faults of what Scrutiny scores, finds, shows and asks."""

from bench.fault import Fault

SCORING, LOSSES, SCREEN = "work/test_scoring.py", "analysis/test_losses.py", "quality/test_screen.py"
BLIND, SEEN, LOOK = "analysis/test_blind.py", "store/test_seen.py", "desk/test_scrutiny_window.py"
TELLING, EQUAL, METHODS = "analysis/test_telling.py", "analysis/test_equal_quality.py", "work/test_methods.py"

SCRUTINY: tuple[Fault, ...] = (
    Fault(
        "of every output of a pass the first one is scored",
        "quality/metrics.py",
        "zip((number, reference),",
        "zip((0, reference),",
        SCORING,
    ),
    Fault(
        "an output's log is read as another's",
        "quality/metrics.py",
        'f"{n}-", every) for n in',
        'f"{0}-", every) for n in',
        SCORING,
    ),
    Fault(
        "a sample is spread wrongly",
        "quality/metrics.py",
        "out[::every] = found",
        "out[: len(found)] = found",
        SCORING,
    ),
    Fault(
        "a sample is never completed",
        "work/scoring.py",
        "(every == 1 and _lacking(score)",
        "(False and _lacking(score)",
        SCORING,
    ),
    Fault("one broken output stops the pass", "work/scoring.py", "if len(new) == 1:", "if new:", SCORING),
    Fault(
        "the same file is scored again",
        "work/scoring.py",
        "if c.to_score and not self._known(d)}",
        "if c.to_score}",
        SCORING,
    ),
    Fault("losses ignore the lag", "quality/losses.py", "max(job.match.lag, 0), None)", "0, None)", SCORING),
    Fault(
        "bars are measured as losses",
        "quality/losses.py",
        "return not (bars or",
        "return not (False or",
        SCORING,
    ),
    Fault(
        "bits are counted in bytes",
        "quality/bits.py",
        "8 * np.array([p.size for p in found], float)",
        "1 * np.array([p.size for p in found], float)",
        SCORING,
    ),
    Fault(
        "what coarse coding leaves is a lag",
        "analysis/alignment.py",
        "if len(apart) and len(gain)",
        "if False and len(gain)",
        SCORING,
    ),
    Fault("lost grain is lost detail", "analysis/losses.py", "if ground.even.any():", "if False:", LOSSES),
    Fault(
        "grain may grow to be lost",
        "analysis/losses.py",
        "whole = 1 - np.sqrt(held",
        "whole = np.sqrt(held",
        LOSSES,
    ),
    Fault(
        "blocking counts every step",
        "analysis/losses.py",
        "extra[:, at] = jump[:, at] - (jump[:, at - 1] + jump[:, at + 1]) / 2",
        "extra[:, at] = jump[:, at]",
        LOSSES,
    ),
    Fault("the reference's own steps are bands", "analysis/losses.py", "- ground.own_steps", "", LOSSES),
    Fault(
        "ringing is all that is added",
        "analysis/losses.py",
        "share * max(0.0, near - usual**0.5)",
        "share * near",
        LOSSES,
    ),
    Fault(
        "colours are compared without the matrix",
        "analysis/losses.py",
        "red, blue = y + 2 * (1 - kr) * cr",
        "red, blue = y + 0 * cr",
        LOSSES,
    ),
    Fault(
        "flicker is the distance", "analysis/losses.py", "change = drift - before", "change = drift", LOSSES
    ),
    Fault(
        "a region lies beside what stands out",
        "analysis/telling.py",
        "means[high // 2 :",
        "means[0 :",
        TELLING,
    ),
    Fault(
        "moments lie side by side",
        "analysis/telling.py",
        "left[max(0, at - space + 1) : at + space] = -np.inf",
        "left[at] = -np.inf",
        TELLING,
    ),
    Fault(
        "sizes are compared without logarithms",
        "analysis/equal_quality.py",
        "float(np.log(s))",
        "float(s)",
        EQUAL,
    ),
    Fault(
        "who guesses is called a seer at 5 % a look",
        "analysis/blind.py",
        "if _called(_bounds(most, allowed[middle])) <= risk:",
        "if True:",
        BLIND,
    ),
    Fault(
        "it goes on when it can't be told any more",
        "analysis/blind.py",
        "return OPEN if reach else NEITHER",
        "return OPEN if n < most else NEITHER",
        BLIND,
    ),
    Fault("an answer is for the left one", "work/blind.py", "left == self._one_left", "left", SEEN),
    Fault("sides stay where they are", "work/blind.py", "self._draw.random() < 0.5", "True", SEEN),
    Fault(
        "the last viewer alone counts",
        "work/plays.py",
        "return all(last.values())",
        "return any(last.values())",
        LOOK,
    ),
    Fault(
        "untagged is BT.601", "quality/screen.py", "frame.colorspace = BT709", "frame.colorspace = 6", SCREEN
    ),
    Fault(
        "a copy is one frame late",
        "quality/looked_at.py",
        "self._next == number + 1",
        "self._next == number + 2",
        SCREEN,
    ),
    Fault(
        "numbers are read where the picture is shown",
        "quality/screen.py",
        "x, y, high, wide = high - 1 - y, x, wide, high",
        "pass",
        SCREEN,
    ),
    Fault(
        "HDR is shown as it is coded", "quality/screen.py", "if not wide_gamut(frame):", "if True:", SCREEN
    ),
    Fault(
        "the difference is turned round",
        "quality/screen.py",
        "other.astype(np.int16) - one",
        "one.astype(np.int16) - other",
        LOOK,
    ),
    Fault(
        "panes show different frames",
        "desk/stations/look_page.py",
        "image = self.pictures.kept(looked.path, looked.at(frame))",
        "image = self.pictures.kept(looked.path, looked.at(frame + number))",
        LOOK,
    ),
    Fault(
        "a note is pinned to the first frame",
        "desk/model.py",
        "made = Pin(s.contender.id, sha256, self.frame,",
        "made = Pin(s.contender.id, sha256, 0,",
        LOOK,
    ),
    Fault(
        "names stand over a blind trial",
        "desk/stations/blind_page.py",
        'Pane(images[0], "Left")',
        "Pane(images[0], self._name(trial.left))",
        LOOK,
    ),
    Fault(
        "a method changes nothing",
        "work/exporting.py",
        "treated, kernel = done_by(self.programme, c.methods), kernel_of(c.methods)",
        "treated, kernel = self.programme, kernel_of(c.methods)",
        METHODS,
    ),
    Fault(
        "the kernel of a resize is the usual one",
        "export/command.py",
        "flags=job.kernel",
        'flags="bicubic"',
        METHODS,
    ),
    Fault("methods are not kept", "store/rows.py", "json.dumps(dict(made.methods))", '"{}"', METHODS),
)
