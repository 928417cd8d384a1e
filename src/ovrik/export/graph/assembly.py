"""A segment of a programme as inputs and a filter graph."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.export.graph.builder import Canvas, GraphBuilder, shallow
from ovrik.export.graph.nodes import Chain, Node, graph_text, node
from ovrik.export.graph.source import SCALED_BY, delivered_nodes, even_stamps, reading, sound_input
from ovrik.export.graph.treat import apply, at_other_rate
from ovrik.study.clip.footage import Footage
from ovrik.study.files.kept import cache_folder
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.excerpt_pieces import Piece, pieces_of
from ovrik.study.programme.programme import AS_IT_IS, FILL, GAP, INSIDE, Programme, SoundPiece
from ovrik.study.programme.treatment import Treatment
from ovrik.study.programme.treatment_kinds import SOFTWARE

MOST_INPUTS = 800
"""A process may hold a thousand files open, usually."""
SOUND_RATE = 48_000
STABLE_ZOOM = 3
"""Per cent by which a stabilised picture is enlarged: fixed, because versions choose very differently."""


@dataclass(frozen=True)
class Analysis:
    """The first pass of a stabilisation. Fields: `result`, the file it is for; `arguments`, which write
    `partial`."""

    result: Path
    arguments: tuple[str, ...]

    @property
    def partial(self) -> Path:
        """Where it is written until it is complete."""
        return self.result.with_suffix(".partial")


@dataclass(frozen=True)
class Assembly:
    """What an export is given to read.

    Fields: `inputs`, arguments that open everything; `graph`; `picture`, label of the picture;
    `sound`, label of the sound or ""; `analyses` to be made before; `sound_graph`, the part of the graph that
    leads to the sound; `before`, `before_sound`, filters of picture and sound where there is no graph.
    """

    inputs: tuple[str, ...]
    graph: str
    picture: str
    sound: str
    analyses: tuple[Analysis, ...]
    sound_graph: str = ""
    before: tuple[Node, ...] = ()
    before_sound: tuple[Node, ...] = ()


def analysis_folder() -> Path:
    """Where the results of stabilisation analyses are kept."""
    return cache_folder("analyses")


def canvas_of(programme: Programme) -> Canvas:
    """What frames of a programme are put together as."""
    return Canvas(
        width=programme.width,
        height=programme.height,
        rate=programme.rate,
        pixel_format=programme.pixel_format,
        matrix=SCALED_BY.get(programme.colour.matrix, "bt709"),
        sample_aspect=programme.sample_aspect,
        fit=programme.fit,
    )


def assemble(
    programme: Programme, excerpt: Excerpt, place: str = SOFTWARE, mark: str = "", with_sound: bool = True
) -> Assembly:
    """Inputs and graph for an excerpt, treated in `place` where a treatment has a form for it.

    `mark` sets builds apart that each need a stabilisation analysis of their own. Raises OvrikError when a file that
    a treatment needs can't be used.
    """
    w = GraphBuilder(place)
    analyses: list[Analysis] = []
    part = pieces_of(programme, excerpt)
    c = canvas_of(programme)
    pieces = [_piece(w, programme, p, c, analyses, mark) for p in part.base]
    shown = _in_order(w, part.base, pieces, c)
    for over in part.overlays:
        drawn = _piece(w, programme, over, c, analyses, mark)
        late = w.through(drawn, node("setpts", expr=f"PTS+{over.at}"))
        shown = w.join(
            (shown, late),
            node("overlay", eof_action="pass", format="auto"),
            node("format", pix_fmts=c.pixel_format),
        )
    whole = replace(c, frames=part.lead + part.frames)
    for t in programme.treatments:
        shown = apply(w, shown, t, whole)
    last = node("trim", start_frame=part.lead, end_frame=part.lead + part.frames)
    picture = w.through(shown, last, *even_stamps(c.rate))
    sound = _sound(w, programme, part.sound, part.frames / programme.rate) if with_sound else ""
    if len(w.inputs) > MOST_INPUTS:
        raise OvrikError(
            f"The excerpt has {len(part.base)} shots: more than one export can open clips for",
            "Choose a shorter excerpt",
        )
    graph = w.text()
    heard = graph_text(_needed(w.chains, sound)) if sound else ""
    return Assembly(
        inputs=tuple(a for given in w.inputs for a in given),
        graph=graph,
        picture=picture,
        sound=sound,
        analyses=tuple(analyses),
        sound_graph=heard,
    )


def _in_order(w: GraphBuilder, parts: Sequence[Piece], drawn: Sequence[str], c: Canvas) -> str:
    """The pieces of the first track end to end, dissolving where the edit says so."""
    runs: list[list[str]] = []
    lengths: list[int] = []
    joints: list[int] = []
    for part, stream in zip(parts, drawn, strict=True):
        if part.shot.dissolve or not runs:
            runs.append([stream])
            lengths.append(part.shot.frames)
            joints.append(part.shot.dissolve)
        else:
            runs[-1].append(stream)
            lengths[-1] += part.shot.frames
    whole = [
        r[0] if len(r) == 1 else w.join(tuple(r), node("concat", n=len(r)), *even_stamps(c.rate))
        for r in runs
    ]
    shown, length = whole[0], lengths[0]
    for stream, frames, over in zip(whole[1:], lengths[1:], joints[1:], strict=True):
        begins = length - over
        # Up to version 5 the filter ends with the first stream's last frame, which it never mixes: one more is held.
        shown = w.through(shown, node("tpad", stop_mode="clone", stop=1))
        mixed = node("xfade", transition="fade", duration=float(over / c.rate), offset=float(begins / c.rate))
        shown = w.join((shown, stream), mixed, *even_stamps(c.rate))
        length = begins + frames
    return shown


def _piece(
    w: GraphBuilder, programme: Programme, piece: Piece, c: Canvas, analyses: list[Analysis], mark: str
) -> str:
    """One shot on the canvas, treated, exactly as long as it stands."""
    shot = piece.shot
    if shot.clip == GAP:
        black = w.join(
            (),
            node("color", c="black", s=f"{c.width}x{c.height}", r=c.rate),
            node("format", pix_fmts=c.pixel_format),
        )
        return w.through(black, node("trim", end_frame=shot.frames), *even_stamps(c.rate))
    clip = programme.clips[shot.clip]
    opened, exactly = reading(clip, shot.start, frames_taken(programme, piece))
    number = w.open(opened)
    retimed = [t for t in shot.treatments if t.kind == "retime"]
    pace = clip.rate * (Fraction(retimed[-1]["speed"]).limit_denominator(1000) / 100 if retimed else 1)
    if shot.still:
        exactly = [*exactly, node("tpad", stop_mode="clone", stop=shot.frames)]
        pace = c.rate
    if shot.reverse:
        exactly = [*exactly, node("reverse")]
    stream = w.through(
        f"{number}:V:0",
        *exactly,
        *_paced(pace, c, piece.phase),
        *delivered_nodes(clip),
        *_fitted(clip, c),
        node("format", pix_fmts=c.pixel_format),
    )
    in_time, now = replace(c, frames=shot.frames), c.at_rate(pace, _most_frames(programme, piece))
    if not retimed and pace != c.rate:
        stream, now = w.through(stream, *at_other_rate(c.rate, "nearest frame", c)), in_time
    for at, t in enumerate(shot.treatments):
        if t.kind == "retime":
            if t is retimed[-1]:
                stream, now = w.through(stream, *at_other_rate(c.rate, t["method"], c)), in_time
        elif t.kind == "stabilise":
            stream = _stabilised(w, stream, t, now, analyses, _told(programme, piece, at, mark))
        else:
            stream = apply(w, stream, t, now)
    whole = node("trim", end_frame=shot.frames)
    hold = node("tpad", stop_mode="clone", stop=shot.frames)
    ends = [hold] if retimed or pace != c.rate else []
    # Enlarging a crop of uneven shape leaves pixels that are not quite square, which a join refuses.
    return w.through(
        stream,
        *ends,
        whole,
        *even_stamps(c.rate),
        node("setsar", r=c.sample_aspect),
        node("format", pix_fmts=c.pixel_format),
    )


def frames_taken(programme: Programme, piece: Piece) -> int:
    """How many frames of its clip are read for a shot: a few more than it shows, where the clip has them."""
    shot = piece.shot
    if shot.still:
        return 1
    # Backwards, the last frame that is read is the first that is shown: not one too many.
    needed = (
        int((shot.frames - 1) * programme.pace(shot) + piece.phase) + 1
        if shot.reverse
        else int(shot.frames * programme.pace(shot) + piece.phase) + 2
    )
    return min(needed, programme.clips[shot.clip].frames - shot.start)


def _most_frames(programme: Programme, piece: Piece) -> int:
    """How many frames of a shot are treated before its speed is changed."""
    return piece.shot.frames + 1 if piece.shot.still else frames_taken(programme, piece)


def _paced(pace: Fraction, c: Canvas, phase: Fraction) -> tuple[Node, ...]:
    """Stamps that put picture n of a clip exactly where it falls among the canvas's frames."""
    ratio = pace / c.rate
    if ratio == 1:
        return (node("settb", expr=1 / c.rate), node("setpts", expr="N"), node("fps", fps=c.rate))
    tick = 1 / (c.rate * ratio.numerator)
    shift = phase * ratio.denominator
    return (node("settb", expr=tick), node("setpts", expr=f"N*{ratio.denominator}-{int(shift)}"))


def _fitted(clip: Footage, c: Canvas) -> tuple[Node, ...]:
    """Filters that bring a picture into the canvas: inside it with bars, filling it, or at its own size."""
    square = node("setsar", r=c.sample_aspect)
    if (clip.shown_width, clip.shown_height, clip.shown_aspect) == (c.width, c.height, c.sample_aspect):
        return (square,)
    # In the canvas's own pixels the picture is as wide as it is shown.
    own = (clip.shown_width * clip.shown_aspect / c.sample_aspect, Fraction(clip.shown_height))
    frame = (c.width, c.height)
    shares = [side / mine for side, mine in zip(frame, own, strict=True)]
    share = {INSIDE: min(shares), FILL: max(shares), AS_IT_IS: Fraction(1)}[c.fit]
    size = [max(2, 2 * round(side * share / 2)) for side in own]
    # Rounding must leave neither bars of a line nor one line too many.
    kept = [min(side, there) for side, there in zip(size, frame, strict=True)]
    if c.fit == INSIDE:
        size = kept
    elif c.fit == FILL:
        size, kept = [max(side, there) for side, there in zip(size, frame, strict=True)], list(frame)
    cut = (node("crop", w=kept[0], h=kept[1]),) if kept != size else ()
    return (
        node("scale", w=size[0], h=size[1], flags="bicubic"),
        square,
        *cut,
        node("pad", w=c.width, h=c.height, x=-1, y=-1),
        square,
    )


def _told(programme: Programme, piece: Piece, at: int, mark: str) -> str:
    shot, clip = piece.shot, programme.clips[piece.shot.clip]
    before = [t.to_json() for t in shot.treatments[: at + 1]]
    canvas = canvas_of(programme)
    said = f"{clip.checksum}|{shot.start}|{shot.frames}|{piece.phase}|{before}|{canvas}|{mark}"
    return said if canvas.fit == INSIDE else f"{said}|{canvas.fit}"


def _stabilised(
    w: GraphBuilder, stream: str, t: Treatment, c: Canvas, analyses: list[Analysis], said: str
) -> str:
    name = hashlib.sha256(said.encode()).hexdigest()[:20]
    result = analysis_folder() / f"{name}.trf"
    flat = w.through(stream, node("format", pix_fmts=shallow(c.pixel_format)))
    analysis = Analysis(result, ())
    seen = Chain(
        (flat,), (node("vidstabdetect", result=analysis.partial, shakiness=int(t["shakiness"])),), ("out",)
    )
    chains = _needed(w.chains, flat)
    inputs = [a for given in w.inputs for a in given]
    if not any(a.result == result for a in analyses):
        graph = graph_text([*chains, seen])
        words = (*inputs, "-filter_complex", graph, "-map", "[out]", "-f", "null", "-")
        analyses.append(replace(analysis, arguments=words))
    return w.through(
        flat,
        node(
            "vidstabtransform",
            input=result,
            smoothing=int(t["smoothing"]),
            optzoom=0,
            zoom=STABLE_ZOOM,
            interpol=t["method"],
        ),
        node("format", pix_fmts=c.pixel_format),
    )


def _needed(chains: Sequence[Chain], label: str) -> list[Chain]:
    """The chains that lead to a label, in order."""
    wanted, kept = {label}, []
    for chain in reversed(chains):
        if wanted & set(chain.outputs):
            wanted |= set(chain.inputs)
            kept.append(chain)
    return kept[::-1]


def _sound(
    w: GraphBuilder, programme: Programme, tracks: Sequence[Sequence[SoundPiece]], length: Fraction
) -> str:
    """All tracks mixed, as long as the picture; "" when there is none."""
    if not programme.sounds:
        return ""
    mixed = [_track(w, programme, t, length) for t in tracks] or [_silence(w, length)]
    if len(mixed) == 1:
        return mixed[0]
    # A mix divides by the number of its inputs.
    return w.join(
        tuple(mixed), node("amix", inputs=len(mixed), duration="longest"), node("volume", volume=len(mixed))
    )


def _silence(w: GraphBuilder, length: Fraction) -> str:
    samples = round(length * SOUND_RATE)
    return w.join(
        (),
        node("anullsrc", r=SOUND_RATE, cl="stereo"),
        node("atrim", end_sample=samples),
        node("asetpts", expr="PTS-STARTPTS"),
    )


def _track(w: GraphBuilder, programme: Programme, pieces: Sequence[SoundPiece], length: Fraction) -> str:
    row: list[str] = []
    at = Fraction(0)
    for p in pieces:
        if p.at > at:
            row.append(_silence(w, p.at - at))
        clip = programme.clips[p.clip]
        opened, placed = sound_input(clip, p.start, p.length)
        number = w.open(opened)
        samples = round(p.length * SOUND_RATE)
        row.append(
            w.through(
                f"{number}:a:0",
                *placed,
                node("asetpts", expr="PTS-STARTPTS"),
                node("aformat", sample_fmts="fltp", channel_layouts="stereo"),
                node("apad", whole_len=samples),
                node("atrim", end_sample=samples),
                node("asetpts", expr="PTS-STARTPTS"),
            )
        )
        at = p.at + p.length
    if at < length:
        row.append(_silence(w, length - at))
    return row[0] if len(row) == 1 else w.join(tuple(row), node("concat", n=len(row), v=0, a=1))
