"""A page of HTML set as PDF: fonts of the product embedded, tagged for readers.

Held to: tests/io/test_pdf.py
"""

from pathlib import Path
from typing import Final

from recitant_io.media.storage import storage_errors

FONTS: Final = Path(__file__).resolve().parents[2] / "recitant_web" / "static" / "vendor"
"""The product ships each font once, with its pages."""
_FACES: Final = (
    ("Fraunces", "fraunces-*/fraunces-latin-wght-normal.woff2"),
    ("Public Sans", "public-sans-*/public-sans-latin-wght-normal.woff2"),
    ("Spline Sans Mono", "spline-sans-mono-*/spline-sans-mono-latin-wght-normal.woff2"),
)


def pdf_of(html: str) -> bytes:
    """The page as PDF/UA-1.

    Args:
        html: whole and self-contained; nothing is fetched.
    """
    # Half a second of imports that only a delivery needs.
    from weasyprint import CSS, HTML
    from weasyprint.text.fonts import FontConfiguration

    fonts = FontConfiguration()
    faces = "".join(
        f'@font-face{{font-family:"{family}";src:url("{file.as_uri()}");font-weight:100 900}}'
        for family, pattern in _FACES
        for file in sorted(FONTS.glob(pattern))
    )
    page = "@page{size:A4;margin:14mm 15mm}"
    style = CSS(string=faces + page, font_config=fonts)
    found: bytes = HTML(string=html).write_pdf(stylesheets=[style], font_config=fonts, pdf_variant="pdf/ua-1")
    return found


def write_pdf(html: str, path: Path) -> None:
    """A PDF that appears under its name when it is whole.

    Raises:
        StorageFull: no room left.
    """
    part = path.with_name(f".{path.name}.part")
    try:
        with storage_errors():
            part.write_bytes(pdf_of(html))
            part.replace(path)
    finally:
        part.unlink(missing_ok=True)
