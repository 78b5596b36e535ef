"""Where the practice gallery and reports of this person lie, and how their files are read: they are
somebody else's, so another process does it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from ..core.publish.report_folder import ReportFolder
from ..reader import read, read_all

if TYPE_CHECKING:
    from ..core.gallery import Gallery


def opened_gallery(folder: Path) -> Gallery:
    """The gallery in a folder."""
    from ..core.gallery import Gallery  # with its makers and their machines, which few look at

    return Gallery(
        folder, lambda path: read("edition", path), lambda paths: read_all("report", paths)
    )


def reports_in(folder: Path) -> ReportFolder:
    """Reports that were kept in a folder."""
    return ReportFolder(folder, lambda paths: read_all("report", paths))
