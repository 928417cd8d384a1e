"""The report in a real browser: what axe-core finds, what its console says, what it asks the network for.

Needs Debian's chromium and npm; axe-core is fetched into a folder of its own."""

import json
import re
import shutil
import subprocess
import sys
import tempfile
from contextlib import closing
from pathlib import Path
from urllib.parse import unquote

from bench.dragging import CONTENDERS, crowd
from bench.seed import LACKING
from ovrik.demo.scenario import unpack_demo
from ovrik.report.forms.export import WholeStudy, export
from ovrik.store.study import Study
from ovrik.work.answers.over_kinds import gather_kinds
from ovrik.work.answers.sittings import gather_sittings
from ovrik.work.checking.report_moments import report_moments
from ovrik.work.evidence.gathered import gather

AXE = "axe-core@4"
BROWSER = (
    "chromium",
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
    "--enable-logging=stderr",
    "--host-resolver-rules=MAP * ~NOTFOUND",
)
ASK = """<script>{axe}</script><script>
axe.run(document, {{runOnly: ["wcag2a", "wcag2aa", "wcag21aa", "best-practice"]}}).then(found => {{
  document.body.innerHTML = "<pre id=found>" + encodeURIComponent(JSON.stringify(
    found.violations.map(v => v.id + ": " + v.nodes.length + " " + v.nodes[0].html.slice(0, 90)))) + "</pre>";
}});
</script>"""


def findings(page: Path, folder: Path) -> list[str]:
    """What axe-core finds on a page, by day and by night, and each message of its console."""
    axe = _axe(folder)
    asked = folder / "asked.html"
    # The page forbids scripts; this copy has to run one.
    text = re.sub(r'<meta http-equiv="Content-Security-Policy"[^>]*>', "", page.read_text())
    asked.write_text(text.replace("</body>", ASK.format(axe=axe.read_text()) + "</body>"))
    out = []
    for night in ((), ("--blink-settings=preferredColorScheme=0",)):
        dumped, said = _browse(folder, asked, "--virtual-time-budget=60000", "--dump-dom", *night)
        found = re.search(r'<pre id="found">([^<]*)</pre>', dumped)
        out += ["axe-core did not finish"] if found is None else _unquoted(found[1])
        out += said
    _dumped, said = _browse(folder, page, "--dump-dom")
    return out + said


def _unquoted(text: str) -> list[str]:
    return list(json.loads(unquote(text)))


def _browse(folder: Path, page: Path, *options: str) -> tuple[str, list[str]]:
    """The page as the browser has it in the end, and what its console said."""
    profile = tempfile.mkdtemp(dir=folder)
    command = [*BROWSER, f"--user-data-dir={profile}", *options, page.as_uri()]
    done = subprocess.run(command, capture_output=True, text=True, timeout=180, check=True)
    return done.stdout, [line for line in done.stderr.splitlines() if "CONSOLE" in line]


def _axe(folder: Path) -> Path:
    found = folder / "node_modules/axe-core/axe.min.js"
    if not found.exists():
        npm = ["npm", "install", "--silent", "--no-audit", "--no-fund", "--prefix", str(folder), AXE]
        subprocess.run(npm, check=True, stdout=subprocess.DEVNULL)
    return found


def of_crowds() -> dict[str, list[str]]:
    """Findings on a report of one contender, of the demo, and of 200, which were looked for in a browser."""
    for program in ("chromium", "npm"):
        if not shutil.which(program):
            print(f"{program} is not there: apt-get install chromium npm", flush=True)
            sys.exit(LACKING)
    out = {}
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for title, change in (
            ("one contender", _one),
            ("the demo", None),
            (f"{CONTENDERS} contenders", crowd),
        ):
            path = unpack_demo(folder / title)
            if change:
                change(path)
            page = folder / f"{title}.html"
            with closing(Study.open(path)) as study:
                e = gather(study)
                kinds, sittings = gather_kinds(study, {}, e), gather_sittings(study, e)
                whole = WholeStudy(study, e, kinds, sittings, report_moments(study, e))
                export(whole, page)
            out[title] = findings(page, folder)
    return out


def _one(path: Path) -> None:
    with closing(Study.open(path)) as study:
        for c in study.contenders()[:0:-1]:
            study.drop_contender(c.contender_id)
