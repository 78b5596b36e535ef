"""The formula language: text to tree, tree to value and kind, and the table of values with its
dependencies."""

from .compile import compile_formula
from .env import Compiled, Env
from .errors import FormulaError
from .parse import parse, parse_definition
from .rewrite import names_in, rename
from .tree import Node

__all__ = [
    "Compiled",
    "Env",
    "FormulaError",
    "Node",
    "compile_formula",
    "names_in",
    "parse",
    "parse_definition",
    "rename",
]
