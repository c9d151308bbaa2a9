"""A page as PDF, by a browser that is on this computer."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
from pathlib import Path

from kotrel.core.errors import OutOfReach

NAMES = ("chromium", "chromium-browser", "google-chrome", "google-chrome-stable", "chrome", "msedge", "microsoft-edge")
PLACES = (
    r"C:\Program Files (x86)\Microsoft\Edge\Application\msedge.exe",
    r"C:\Program Files\Microsoft\Edge\Application\msedge.exe",
    r"C:\Program Files\Google\Chrome\Application\chrome.exe",
    "/Applications/Google Chrome.app/Contents/MacOS/Google Chrome",
    "/Applications/Microsoft Edge.app/Contents/MacOS/Microsoft Edge",
    "/Applications/Chromium.app/Contents/MacOS/Chromium",
)
SECONDS = 120


def browser() -> str | None:
    """A browser that can print a page without showing it; None where there is none."""
    return next((found for name in NAMES if (found := shutil.which(name))), None) or next(
        (place for place in PLACES if Path(place).is_file()), None
    )


def write_pdf(page: Path, pdf: Path) -> None:
    """Prints a page into a file.

    Raises:
        OutOfReach: there is no browser, or it could not print.
    """
    program = browser()
    if program is None:
        raise OutOfReach(
            "there is no browser on this computer that Kotrel can use to make a PDF",
            f"Open {page} in any browser and print it there; the page is laid out for A4. Or install Chromium.",
            "no-browser",
        )
    with tempfile.TemporaryDirectory() as profile:
        words = [
            program,
            "--headless",
            "--disable-gpu",
            f"--user-data-dir={profile}",
            "--no-pdf-header-footer",
            f"--print-to-pdf={pdf.resolve()}",
            *(["--no-sandbox"] if hasattr(os, "geteuid") and os.geteuid() == 0 else []),
            page.resolve().as_uri(),
        ]
        try:
            done = subprocess.run(words, capture_output=True, timeout=SECONDS, check=False)
        except (OSError, subprocess.TimeoutExpired) as error:
            raise OutOfReach(f"{program} could not make {pdf}: {error}", "", "no-pdf") from None
    if done.returncode or not pdf.is_file():
        raise OutOfReach(
            f"{program} could not make {pdf} (exit status {done.returncode})",
            f"Open {page} in a browser and print it there.",
            "no-pdf",
        )
