"""Parts that were put by hand on a sheet, from one design to the next."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ..worker import talk


class HandPut:
    """A part is known by its number among those of a stock. After an edit another may bear that
    number: what was put by hand goes with the part."""

    def __init__(self) -> None:
        #: By stock the parts that the numbers are of: the title of each, and the how manieth of it.
        self._items: dict[str, list[tuple[str, int]]] = {}

    def follow(
        self, stocks: Sequence[talk.LaidStock], sheets: Mapping[str, talk.SheetAsked]
    ) -> set[str]:
        """Give what is put by hand in ``sheets`` the numbers that its parts bear in ``stocks``;
        what is not made any more is let go. The stocks in which something has changed."""
        changed = set()
        for stock in stocks:
            name, now = stock["stock"], _told_apart(stock)
            before, self._items[name] = self._items.get(name, now), now
            mine = sheets.get(name)
            if mine is None or not mine.fixed or before == now:
                continue
            numbers = {item: number for number, item in enumerate(now)}
            fixed = [
                (numbers[before[item]], sheet, x, y, turn)
                for item, sheet, x, y, turn in mine.fixed
                if item < len(before) and before[item] in numbers
            ]
            if fixed != mine.fixed:
                mine.fixed, mine.lying = fixed, []
                changed.add(name)
        return changed


def _told_apart(stock: talk.LaidStock) -> list[tuple[str, int]]:
    """Each part by its title, and the how manieth of that it is."""
    counts: dict[str, int] = {}
    items = []
    for title, _ in stock["items"]:
        counts[title] = counts.get(title, 0) + 1
        items.append((title, counts[title]))
    return items
