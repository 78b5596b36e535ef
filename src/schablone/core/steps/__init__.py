"""The kinds of step, one module each.

A new kind is a new module here with one subclass of :class:`~schablone.core.steps.base.Step`: its data, its
sentence, its geometry. It is found by itself; the file format, the card in the window, the text view and the
command line come from it.
"""

from __future__ import annotations

import pkgutil
from importlib import import_module
from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from .base import Step

for _module in sorted(pkgutil.iter_modules(__path__), key=lambda module: module.name):
    import_module(f"{__name__}.{_module.name}")


def _kinds(of: type[Step]) -> list[type[Step]]:
    """Subclasses that name a kind; those between them and the base only hold what several share."""
    below = [kind for cls in of.__subclasses__() for kind in _kinds(cls)]
    return [*([of] if isinstance(of.model_fields["kind"].default, str) else []), *below]


#: Every kind of step by the word that names it in files.
KINDS: dict[str, type[Step]] = {
    cls.model_fields["kind"].default: cls for cls in sorted(_kinds(Step), key=lambda c: c.order)
}

if TYPE_CHECKING:
    AnyStep = Step
else:
    AnyStep = Annotated[Union[tuple(KINDS.values())], Field(discriminator="kind")]  # noqa: UP007

__all__ = ["KINDS", "AnyStep", "Step"]
