"""The base of everything that is written to a file: frozen, strict about names, bounded in size."""

from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, StringConstraints

#: The longest formula that is read. A formula that a person wrote is far below it.
LONGEST_FORMULA = 2000

#: Formula text as typed. Empty where a formula may be left out.
FormulaText = Annotated[str, StringConstraints(max_length=LONGEST_FORMULA)]

#: A name that formulas can use: a letter or underscore of any script, then letters, digits,
#: underscores.
Identifier = Annotated[str, StringConstraints(pattern=r"^[^\W\d]\w*$", max_length=80)]

#: A line of text for people.
OneLine = Annotated[str, StringConstraints(max_length=300)]

#: A few paragraphs for people.
Paragraphs = Annotated[str, StringConstraints(max_length=20_000)]


#: Colours of a small palette that parts and the faces of steps are told apart by; empty for that
#: of the lens.
Tint = Literal["", "sand", "sage", "brick", "slate", "straw", "plum"]


class Frozen(BaseModel):
    """An immutable value: an edit makes a new one (``value.model_copy(update=…)`` or
    :meth:`with_`)."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    def with_(self, **changes: object) -> Self:
        """Return this value with some fields replaced and everything validated again.

        Raises:
            pydantic.ValidationError: if the new value does not keep to the model.
        """
        fields = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self)(**{**fields, **changes})


def lean(data: dict[str, Any], model: Any) -> dict[str, Any]:
    """What :meth:`model_dump` gave of a value, without the fields that are at their default; those
    that identify it stay."""
    kept: dict[str, Any] = {}
    for name, info in type(model).model_fields.items():
        value, own = data[name], getattr(model, name)
        default = info.get_default(call_default_factory=True)
        identifies = name in ("format", "version", "name", "formula") or (name == "kind" and own)
        if identifies or info.is_required() or own != default:
            kept[name] = _lean_value(value, own)
    return kept


def _lean_value(value: Any, own: Any) -> Any:
    if hasattr(type(own), "model_fields"):
        return lean(value, own)
    if isinstance(own, tuple):
        return [_lean_value(a, b) for a, b in zip(value, own, strict=True)]
    return value
