"""Turning what libraries report into words for people."""

from collections.abc import Callable, Sequence
from typing import Any

from pydantic import ValidationError

from .problem import Area, Problem


def say_validation(
    error: ValidationError,
    area: Area,
    name: str,
    say_place: Callable[[tuple[int | str, ...]], str] | None = None,
) -> list[Problem]:
    """The findings of a pydantic validation as problems, each with the place in the file, or as
    ``say_place`` calls it.

    At most twenty are listed: a file of another kind is wrong everywhere.
    """
    problems = []
    for finding in error.errors(include_url=False)[:20]:
        at = tuple(part for part in finding["loc"] if not str(part).startswith("function-"))
        place = say_place(at) if say_place else " → ".join(_say_place(part) for part in at)
        problems.append(Problem(area=area, name=name, field=place, what=_say(finding, place)))
    return problems


def _say_place(part: int | str) -> str:
    return f"number {part + 1}" if isinstance(part, int) else part


def _say(finding: Any, place: str) -> str:
    kind, context, given = finding["type"], finding.get("ctx", {}), finding.get("input")
    at = f"“{place}”" if place else "The file"
    shown = repr(given) if isinstance(given, (int, float)) else f"“{str(given)[:60]}”"
    match kind:
        case "missing":
            return f"{at} is missing."
        case "extra_forbidden":
            return f"{at} is not known here. It may come from a newer Schablone or be misspelt."
        case "greater_than" | "greater_than_equal":
            bound = context.get("gt", context.get("ge"))
            return (
                f"{at} is {shown}; it must be "
                f"{'above' if kind == 'greater_than' else 'at least'} {bound:g}."
            )
        case "less_than" | "less_than_equal":
            bound = context.get("lt", context.get("le"))
            return (
                f"{at} is {shown}; it must be "
                f"{'below' if kind == 'less_than' else 'at most'} {bound:g}."
            )
        case "literal_error":
            return f"{at} is {shown}; it must be {context.get('expected', 'another word')}."
        case "union_tag_invalid":
            return f"{at} is of a kind that is not known here: {context.get('tag', shown)}."
        case "union_tag_not_found":
            return f"{at} does not say its kind."
        case "string_too_long":
            return f"{at} is longer than {context.get('max_length')} characters."
        case "too_long":
            return f"{at} has more than {context.get('max_length')} entries."
        case "string_pattern_mismatch":
            return f"{at} is {shown}; a name has letters, digits and _, and begins with a letter."
        case "float_type" | "float_parsing" | "int_type" | "int_parsing" | "finite_number":
            return f"{at} is {shown}; a number is wanted."
        case "string_type":
            return f"{at} is {shown}; text is wanted."
        case "value_error":
            return f"{at}: {context.get('error', finding['msg'])}."
        case _:
            return f"{at}: {finding['msg']}."


def say_name(name: str) -> str:
    """An identifier as people write it: ``row_of_passages`` is ``row of passages``."""
    return name.replace("_", " ")


_NUMBERS = (
    "no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven",
    "twelve",
)  # fmt: skip


def number_word(count: int) -> str:
    """A count as people write it in a sentence: up to twelve in words."""
    return _NUMBERS[count] if 0 <= count < len(_NUMBERS) else str(count)


def do_not(count: int) -> str:
    """``does not`` of one, ``do not`` of any other number."""
    return "does not" if count == 1 else "do not"


def capital(text: str) -> str:
    """Words with a capital, as they begin a line."""
    return text[:1].upper() + text[1:]


def sentence(text: str) -> str:
    """Words as a sentence: with a capital, and one full stop."""
    return f"{capital(text).rstrip('.')}." if text else ""


def listed(words: Sequence[str]) -> str:
    """Some things in a sentence: ``a, b and c``."""
    return f"{', '.join(words[:-1])} and {words[-1]}" if len(words) > 1 else "".join(words)
