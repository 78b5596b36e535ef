"""Which kinds of step there are. One is loaded when it is first asked for: a design names a few of
them, and neither its file nor its first picture has to wait for the others."""

from __future__ import annotations

import os
import pkgutil
import sys
from collections.abc import Iterator, Mapping
from importlib import import_module
from importlib.util import module_from_spec, spec_from_file_location
from pathlib import Path
from types import ModuleType
from typing import TYPE_CHECKING, Annotated, Any, Union

from pydantic import Field, GetCoreSchemaHandler, GetJsonSchemaHandler, TypeAdapter, ValidationError
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema, InitErrorDetails, PydanticKnownError, core_schema

from .base import Step

#: Folders whose modules bring kinds of their own, as the environment names them, parted like those
#: of PATH.
FOLDERS = "SCHABLONE_STEPS"


class Kinds(Mapping[str, type[Step]]):
    """Every kind of step by the word that names it in files. Looking one up loads its module; going
    through them loads all, in the order in which people choose from them."""

    def __init__(self) -> None:
        self._modules = {
            module.name for module in pkgutil.iter_modules([str(Path(__file__).parent)])
        }
        self._known: dict[str, type[Step]] = {}
        for module in _own_modules(os.environ.get(FOLDERS, "")):
            self._take(module)

    def __getitem__(self, kind: str) -> type[Step]:
        if kind not in self._known and kind in self._modules:
            self._load(kind)
        return self._known[kind]

    def __iter__(self) -> Iterator[str]:
        for name in sorted(self._modules):
            self._load(name)
        return iter(sorted(self._known, key=lambda kind: (self._known[kind].order, kind)))

    def __len__(self) -> int:
        return sum(1 for _ in self)

    def load_another(self) -> bool:
        """Load one that nobody asked for yet, while there is time; False where all are."""
        if self._modules:
            self._load(min(self._modules))
        return bool(self._modules)

    def _load(self, name: str) -> None:
        self._take(import_module(f"{__package__}.{name}"))
        self._modules.discard(name)

    def _take(self, module: ModuleType) -> None:
        """Subclasses that name a kind; those between them and the base hold what several share."""
        for cls in vars(module).values():
            if (
                isinstance(cls, type)
                and issubclass(cls, Step)
                and cls.__module__ == module.__name__
            ):
                word = cls.model_fields["kind"].default
                if isinstance(word, str):
                    self._known.setdefault(word, cls)  # one's own kinds go before


def _own_modules(folders: str) -> Iterator[ModuleType]:
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
            yield module


KINDS = Kinds()


class _ByKind:
    """A step in a file: read as the kind that it names, with the words that a union of all kinds
    would have for what is wrong, and without loading them all."""

    def __get_pydantic_core_schema__(self, _: Any, __: GetCoreSchemaHandler) -> CoreSchema:
        return core_schema.no_info_plain_validator_function(_read)

    def __get_pydantic_json_schema__(
        self, _: CoreSchema, handler: GetJsonSchemaHandler
    ) -> JsonSchemaValue:
        union: Any = Annotated[Union[tuple(KINDS.values())], Field(discriminator="kind")]  # noqa: UP007
        return handler(TypeAdapter(union).core_schema)


def _read(given: Any) -> Step:
    if isinstance(given, Step):
        return given
    kind = given.get("kind") if isinstance(given, dict) else None
    if kind is None:
        raise PydanticKnownError("union_tag_not_found", {"discriminator": "'kind'"})
    if not isinstance(kind, str) or kind not in KINDS:
        told = {"discriminator": "'kind'", "tag": str(kind), "expected_tags": ", ".join(KINDS)}
        raise PydanticKnownError("union_tag_invalid", told)
    try:
        return KINDS[kind].model_validate(given)
    except ValidationError as error:
        raise ValidationError.from_exception_data(
            error.title,
            [
                InitErrorDetails(
                    type=one["type"],
                    loc=(kind, *one["loc"]),
                    input=one["input"],
                    ctx=one.get("ctx", {}),
                )
                for one in error.errors(include_url=False)
            ],
        ) from None


if TYPE_CHECKING:
    AnyStep = Step
else:
    AnyStep = Annotated[Step, _ByKind()]
