"""Writes what the docs take from the code: the JSON Schema of designs, and the table of
functions."""

import json
from pathlib import Path

from schablone.core.design.file import json_schema
from schablone.core.formula.functions import function_table

DOCS = Path(__file__).resolve().parent.parent / "docs"
START, END = "<!-- functions: written by tools/docs.py -->", "<!-- end of functions -->"


def main() -> None:
    (DOCS / "design.schema.json").write_text(
        json.dumps(json_schema(), indent=2, ensure_ascii=False) + "\n", "utf8"
    )
    page = DOCS / "formulas.md"
    before, rest = page.read_text("utf8").split(START)
    page.write_text(f"{before}{START}\n\n{function_table()}\n\n{END}{rest.split(END)[1]}", "utf8")


if __name__ == "__main__":
    main()
