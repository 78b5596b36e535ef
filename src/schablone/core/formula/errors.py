"""What can be wrong with a formula, with the place in its text."""

from __future__ import annotations

from difflib import get_close_matches


class FormulaError(Exception):
    """A formula that cannot be read or evaluated.

    ``span`` is the offending part as (start, end) character positions of the formula text, or None
    for the whole. ``hint`` says what to do. ``waits_for`` names a size that has the real problem.
    """

    def __init__(
        self, what: str, span: tuple[int, int] | None = None, hint: str = "", waits_for: str = ""
    ) -> None:
        super().__init__(what)
        self.what, self.span, self.hint, self.waits_for = what, span, hint, waits_for

    def moved(self, by: int) -> FormulaError:
        """The same of a formula that begins ``by`` characters into a text."""
        span = (self.span[0] + by, self.span[1] + by) if self.span else None
        return FormulaError(self.what, span, self.hint, self.waits_for)


def nearest(name: str, known: list[str] | tuple[str, ...]) -> str:
    """The known name that a person most likely meant, or an empty string.

    Compares without case first, since a wrong capital is the commonest slip.
    """
    folded = {candidate.casefold(): candidate for candidate in known}
    if name.casefold() in folded:
        return folded[name.casefold()]
    close = get_close_matches(name.casefold(), list(folded), n=1, cutoff=0.6)
    if close:
        return folded[close[0]]
    begins = sorted(
        candidate for candidate in known if candidate.casefold().startswith(name.casefold())
    )
    return begins[0] if begins and len(name) >= 2 else ""


def did_you_mean(name: str, known: list[str] | tuple[str, ...]) -> str:
    """A sentence that offers the nearest known name, or an empty string."""
    best = nearest(name, known)
    return f"Did you mean “{best}”?" if best else ""
