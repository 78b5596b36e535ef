"""JSON that somebody else may have written: read within bounds, or refused with words."""

from __future__ import annotations

import json
from typing import Any

from .problem import Area, Problem, SchabloneError

#: The most values that a file may hold, the deepest that they may be nested, the most digits of a
#: number.
_MOST, _DEEPEST, _DIGITS = 1_000_000, 200, 60


def parse_json(text: str, name: str, area: Area = "file", *, meant: str = "file") -> Any:
    """The values of a JSON text; ``name`` is what it is called in words, ``meant`` what it should
    be.

    Raises:
        SchabloneError: where it is cut off or damaged, nested too deeply, holds too much, a number
        without end, or a name twice.
    """

    def refused(what: str) -> SchabloneError:
        after = ", or from what Schablone offers after a crash" if meant == "design" else ""
        hint = f"Take it from a copy{after}."
        return SchabloneError(
            Problem(area=area, name=name, what=f"{name} {what}: it is no whole {meant}.", hint=hint)
        )

    # Every value but the first has a comma or an opening bracket before it.
    if text.count(",") + text.count("[") + text.count("{") > _MOST:
        raise refused(f"holds more than {_MOST:,} values")
    try:
        data = json.loads(text, object_pairs_hook=_once, parse_int=_whole, parse_constant=_none)
    except json.JSONDecodeError as error:
        ends = error.pos >= len(text.rstrip()) - 1 or error.msg.startswith("Unterminated")
        what = "is cut off" if ends else "is damaged"
        raise refused(f"{what} at line {error.lineno}, column {error.colno}") from None
    except RecursionError:
        raise refused("is nested too deeply") from None
    except _Odd as error:
        raise refused(str(error)) from None
    if _is_deeper(data, _DEEPEST):
        raise refused("is nested too deeply")
    return data


class _Odd(ValueError):
    """What no file of ours has."""


def _once(pairs: list[tuple[str, Any]]) -> dict[str, object]:
    members = dict(pairs)
    if len(members) < len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise _Odd(f"says “{twice[:60]}” twice")
    return members


def _whole(text: str) -> int:
    if len(text) > _DIGITS:
        raise _Odd(f"has a number of {len(text)} digits")
    return int(text)


def _none(text: str) -> float:
    raise _Odd(f"has “{text}” where a number should be")


def _is_deeper(data: Any, most: int) -> bool:
    level = [data]
    for _ in range(most):
        level = [
            inner
            for value in level
            if isinstance(value, dict | list)
            for inner in (value.values() if isinstance(value, dict) else value)
        ]
        if not level:
            return False
    return True
