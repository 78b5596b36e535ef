"""Ending a process that goes with a window."""

from __future__ import annotations

from PySide6.QtCore import QProcess


def end_quietly(process: QProcess) -> None:
    """Close its input, at which it ends by itself; kill it where it does not."""
    process.closeWriteChannel()
    if process.state() != QProcess.ProcessState.NotRunning and not process.waitForFinished(300):
        process.kill()
        process.waitForFinished(1000)
