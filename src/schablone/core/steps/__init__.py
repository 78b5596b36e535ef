"""The kinds of step, one module each.

A new kind is a new module here with one subclass of :class:`~schablone.core.steps.base.Step`: its
data, its sentence, its geometry. It is found by itself; the file format, the card in the window,
the text view and the command line come from it. So is a module in a folder that the environment
variable ``SCHABLONE_STEPS`` names.
"""

from __future__ import annotations

import os
import pkgutil
import sys
from importlib import import_module
from importlib.util import module_from_spec, spec_from_file_location
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from .base import Step

#: Folders whose modules bring kinds of their own, as the environment names them, parted like those
#: of PATH.
FOLDERS = "SCHABLONE_STEPS"

for _module in sorted(pkgutil.iter_modules(__path__), key=lambda module: module.name):
    import_module(f"{__name__}.{_module.name}")


def _load_own(folders: str) -> None:
    for folder in filter(None, folders.split(os.pathsep)):
        for path in sorted(Path(folder).glob("*.py")):
            spec = spec_from_file_location(f"schablone_steps_{path.stem}", path)
            assert spec is not None
            assert spec.loader is not None
            module = module_from_spec(spec)
            sys.modules[spec.name] = module
            try:
                spec.loader.exec_module(module)
            except Exception as error:
                raise ImportError(
                    f"{path}, named by {FOLDERS}, cannot be read as kinds of step: {error}"
                ) from error


_load_own(os.environ.get(FOLDERS, ""))


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
