"""A contender's settings as a plain sheet, for whoever types them into another program."""

from ovrik.report.words.numbers import size_words
from ovrik.report.words.whole_cost import first_words
from ovrik.study.contender.contender import FACTOR_TABLE
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.containers import CONTAINERS
from ovrik.study.encoder.encoders import QUALITY
from ovrik.study.encoder.pixel_formats import depth_of, sampling_of
from ovrik.study.encoder.recipe import bit_rate_words
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

OWN = "the encoder's own choice"


def settings_rows(s: Summary, e: Evidence) -> list[tuple[str, str]]:
    """Pairs of a setting's name and its value, in the order in which an export dialog is usually gone through."""
    c, r = s.contender, s.contender.recipe
    wanted = delivery(e.programme, e.facts.excerpt, r)
    fps = float(wanted.rate)
    rows = [
        ("Container", f"{r.container} ({CONTAINERS[r.container].title})"),
        ("Video codec", r.facts.codec_title),
        ("Encoder", f"{r.facts.short}, version {s.counted[-1].build}" if s.counted else r.facts.short),
        (r.facts.preset_name.capitalize() or "Preset", r.preset or OWN),
        ("Profile", r.profile or OWN),
        ("Tune", r.tune or "none"),
        ("Frame size", f"{wanted.width} × {wanted.height}, pixel aspect {wanted.sample_aspect}"),
        ("Frame rate", f"{fps:.3f}".rstrip("0").rstrip(".") + " frames per second, progressive"),
        ("Bit depth", f"{depth_of(r.pixel_format)} bit"),
        ("Chroma", sampling_of(r.pixel_format)),
        ("Rate control", r.rate_control),
    ]
    rows += [(r.facts.quality.name, f"{r.quality:g}")] if r.quality is not None else []
    rows += [("Bit rate", bit_rate_words(r.bit_rate))] if r.bit_rate is not None else []
    rows += [
        ("Passes", str(r.passes)),
        ("GOP, frames between key frames", str(r.gop or OWN)),
        ("B-frames", str(r.b_frames) if r.b_frames >= 0 else OWN),
        ("Threads", str(r.threads or OWN)),
        (
            "Colour",
            ", ".join(f"{k} {v}" for k, v in vars(wanted.colour).items() if v) or "as the source is tagged",
        ),
        ("Sound", _sound(s)),
        ("Decoding", FACTOR_TABLE["decode"].words(c)),
        ("Treatments", FACTOR_TABLE["treat"].words(c)),
    ]
    rows += [(f"Further option {name}", value) for name, value in r.raw]
    if s.first:
        rows.append(("First, once for a film", first_words(s)))
    if s.bytes:
        rows.append(("To be expected", _expected(s, e)))
    return rows


def _sound(s: Summary) -> str:
    r = s.contender.recipe
    if r.sound == "none":
        return "none"
    return (
        f"{r.sound}, {bit_rate_words(r.sound_bit_rate)}"
        if r.sound_bit_rate
        else f"{r.sound}, {OWN} of bit rate"
    )


def _expected(s: Summary, e: Evidence) -> str:
    minute = size_words(round((s.mb_per_minute or 0) * 1e6))
    quality = f", VMAF {s.vmaf.mean:.1f}" if s.vmaf else ""
    real_time = float(e.facts.excerpt.frames / e.programme.rate) / s.usual_s if s.usual_s else 0.0
    pace = f", ×{real_time:.2f} real time on the machine that it was timed on" if real_time else ""
    return f"about {minute} a minute{quality}{pace}"


def settings_text(s: Summary, e: Evidence) -> str:
    """The sheet, ready to print."""
    rows = settings_rows(s, e)
    wide = max(len(name) for name, _value in rows)
    lines = [f"{s.contender.label}, for {e.facts.title}", ""]
    lines += [f"{name:<{wide}}  {value}" for name, value in rows]
    if s.contender.recipe.rate_control == QUALITY:
        lines += ["", "A quality number means another thing in every encoder: it holds for this one only."]
    return "\n".join(lines)
