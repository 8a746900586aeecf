"""Pages to print: PDF from templates that escape everything, readable in black and white, on A4 or Letter.

WeasyPrint is imported only when a page is made. A page can fetch the shipped font and nothing else, whatever
stands in it.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from jinja2 import Environment, FileSystemLoader, StrictUndefined

from ..trade.errors import DocumentError, Problem

if TYPE_CHECKING:
    from weasyprint.urls import URLFetcher

Paper = Literal["A4", "Letter"]
PICTURE = "data:image/jpeg;base64,"
FONT = (Path(__file__).with_name("fonts") / "source-sans-3.woff2").as_uri()


@lru_cache(maxsize=1)
def templates() -> Environment:
    """Return the environment of all templates; what is filled in is escaped, what is missing is an error."""
    return Environment(
        loader=FileSystemLoader(Path(__file__).with_name("templates")),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )


def page(template: str, title: str, paper: Paper | None = "A4", **filled: Any) -> str:
    """Return a filled template as HTML, for a paper, or without one for a browser."""
    return templates().get_template(template).render(title=title, paper=paper, font=FONT, **filled)


@lru_cache(maxsize=1)
def _fetcher() -> URLFetcher:
    from weasyprint.urls import FatalURLFetchingError, URLFetcher, URLFetcherResponse

    class OnlyTheFont(URLFetcher):  # type: ignore[misc]
        """Hands out the shipped font and pictures that stand in the page itself, and refuses every other address: no file, no host."""

        def fetch(self, url: str, headers: dict[str, str] | None = None) -> URLFetcherResponse:
            """Return the font or the page's own picture, or refuse."""
            if url != FONT and not url.startswith(PICTURE):
                raise FatalURLFetchingError(f"a page may not fetch {url}")
            return super().fetch(url, headers)

    return OnlyTheFont(allowed_protocols=("file", "data"), allow_redirects=False, fail_on_errors=True)


def pdf(template: str, title: str, paper: Paper = "A4", **filled: Any) -> bytes:
    """Return a filled template as PDF. Raises :class:`DocumentError` where the machine cannot make PDF pages."""
    try:
        from weasyprint import HTML
    except OSError:
        raise DocumentError(
            [Problem(pointer="/format", message="this machine cannot make PDF pages: libpango is missing", expected="csv or xlsx")]
        ) from None
    made: bytes = HTML(string=page(template, title, paper, **filled), url_fetcher=_fetcher()).write_pdf()
    return made
