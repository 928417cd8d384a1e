"""Which section of which document explains what is on show, and every key. Data."""

PLACES: dict[str, tuple[str, str]] = {
    "": ("method", ""),
    "footage": ("method", "Programme"),
    "lineup": ("method", "Line-up"),
    "timing": ("method", "Time"),
    "scrutiny": ("method", "Quality"),
    "verdict": ("method", "Verdict"),
    "workstation": ("method", "The machine"),
    "lineup/grid": ("method", "Line-up"),
    "timing/explained": ("method", "Where the time goes"),
    "timing/traces": ("method", "What went on"),
    "timing/first": ("method", "What it is worth"),
    "timing/outside": ("method", "Outside exports"),
    "timing/playback": ("method", "Playback"),
    "timing/conduct": ("method", "A clean start, and a rest"),
    "scrutiny/look": ("method", "The viewer"),
    "scrutiny/blind": ("method", "Blind comparison"),
    "verdict/ranking": ("method", "Comparing"),
    "verdict/factors": ("method", "By factor"),
    "verdict/equal": ("method", "At equal quality"),
    "verdict/kinds": ("method", "Over several kinds of footage"),
    "verdict/history": ("method", "Sittings"),
    "verdict/worth": ("method", "What it is worth"),
}
"""By station, or by station and page: document and heading."""

KEYS: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = (
    (
        "Everywhere",
        (
            ("Alt+1 to Alt+6", "footage, line-up, timing, scrutiny, verdict, workstation"),
            ("Ctrl+PgUp, Ctrl+PgDown", "the page before, the next page of a station"),
            ("Alt+letter", "a page of a station: its button's hint names the letter"),
            ("Up, Down in the roster", "select a contender: every station shows it"),
            ("Tab, Shift+Tab", "the next field, the one before"),
            ("Ctrl+Z", "put back the contender, note, excerpt or limit that was removed last"),
            (
                "Ctrl+C in a table",
                "copy the selected row; the Menu key offers all of it, as text, CSV or picture",
            ),
            ("Ctrl+N, Ctrl+O, Ctrl+S", "new study, open study, save its plan"),
            ("Ctrl+P, Ctrl+Shift+P", "write the report as HTML, as PDF"),
            ("Ctrl+Shift+C", "copy the verdict as text"),
            ("Ctrl+.", "stop the job that is going on"),
            ("F1, Shift+F1", "about what is on show; these keys"),
            ("Ctrl+Q", "quit"),
        ),
    ),
    (
        "Footage",
        (
            ("T", "show the frame as it will be exported"),
            ("Left, Right on the strip", "move the playhead by a frame"),
            ("[, ]", "begin the excerpt at the playhead, end it there"),
        ),
    ),
    (
        "Line-up",
        (
            ("Ctrl+Shift+N, Ctrl+D", "add a contender, duplicate the selected one"),
            ("Ctrl+Del", "take it out of the line-up"),
            ("Ctrl+Up, Ctrl+Down", "move it up or down"),
            ("Ctrl+B", "make it the baseline"),
            ("Alt+M", "more settings"),
        ),
    ),
    (
        "Timing",
        (
            ("Ctrl+R", "time the line-up"),
            ("Up, Down in the lanes", "the lane above, the lane below"),
            ("+, −, 0 in the lanes", "nearer in time, farther, all of it"),
            ("Left, Right in the lanes", "the run before, the next run, the one in hand last"),
            ("Space in the runs", "lay the run's trace over those of others, or no more"),
            ("Left, Right in traces", "move the cursor"),
        ),
    ),
    (
        "Scrutiny",
        (
            ("Ctrl+E, Ctrl+Shift+E", "check the outputs, check a sample of their frames"),
            ("F, H held", "flip to the other picture, show it while held"),
            ("1 to 5", "one picture, side by side, split, difference, loss map"),
            ("Left, Right", "one frame back, one on"),
            ("Ctrl+Left, Ctrl+Right", "the shot before, the next shot"),
            ("N, Shift+N", "the next telling frame, the one before"),
            ("Ctrl+W", "the frame with the lowest score"),
            ("P, L", "play or stand still; go round and round in what is on show"),
            ("G", "how strongly a difference is shown"),
            ("+, −", "nearer, farther"),
            ("F11, Shift+F11", "the viewer alone, on the second screen"),
        ),
    ),
    (
        "Verdict",
        (
            ("Arrows in the picture", "go from mark to mark"),
            ("+, −, 0 in the picture", "nearer, farther, all of it"),
        ),
    ),
    ("Workstation", (("F5", "read everything again"), ("Esc", "back to the study"))),
)
"""By station: a key and what it does."""
