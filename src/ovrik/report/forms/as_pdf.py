"""The report as a PDF: the very page that a browser shows, set on A4."""

import logging
from base64 import b64decode
from functools import cache
from pathlib import Path
from typing import Any

from ovrik.errors import OvrikError
from ovrik.study.files.whole_file import write_asked

FONTS = Path(__file__).parents[2] / "fonts"
OWN, JPEG = "ovrik-font:", "data:image/jpeg;base64,"
"""How the page asks for its own typeface, and what its pictures begin with."""
WEIGHTS = {"Regular": 400, "Medium": 500, "SemiBold": 600, "Bold": 700}
FACES = "".join(
    f'@font-face {{ font-family: "Hanken Grotesk"; font-weight: {weight}; '
    f"src: url({OWN}HankenGrotesk-{name}.ttf); }}"
    for name, weight in WEIGHTS.items()
)


def print_page(page: str, path: Path) -> int:
    """Write the page at once or not at all; gives how many sheets it takes. Nothing is fetched but what the page
    itself holds. Raises OvrikError."""
    if path.is_dir():
        raise OvrikError(f"{path} is a folder", "Name a file")
    # It takes a second to load, and only this needs it.
    from weasyprint import CSS, HTML
    from weasyprint.text.fonts import FontConfiguration

    for name in ("weasyprint", "fontTools"):
        logging.getLogger(name).setLevel(logging.CRITICAL)  # it speaks of styles that only a browser knows
    fonts, fetcher = FontConfiguration(), _own_only()
    faces = CSS(string=FACES, font_config=fonts, url_fetcher=fetcher)
    document = HTML(string=page, url_fetcher=fetcher).render(stylesheets=[faces], font_config=fonts)
    write_asked(path, document.write_pdf())
    return len(document.pages)


def own_bytes(address: str) -> tuple[bytes, str]:
    """What the page may have, and its kind: pictures within it, and the typeface that ships with Ovrik. Raises
    ValueError for anything else."""
    if address.startswith(JPEG):
        return b64decode(address[len(JPEG) :]), "image/jpeg"
    name = address.removeprefix(OWN)
    if address.startswith(OWN) and name in {f"HankenGrotesk-{n}.ttf" for n in WEIGHTS}:
        return (FONTS / name).read_bytes(), "font/ttf"
    raise ValueError("Nothing is fetched")


@cache
def _own_only() -> Any:
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class OwnOnly(URLFetcher):
        """Answers from the page and from this package."""

        def fetch(self, url: str, headers: object = None) -> Any:
            """Raises ValueError for what is elsewhere."""
            body, kind = own_bytes(url)
            return URLFetcherResponse(url, body, {"Content-Type": kind})

    return OwnOnly(allowed_protocols=())
