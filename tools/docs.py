"""Writes what the docs take from the code: the JSON Schema of designs, the table of functions, and
that of what is read from outside."""

import json
from pathlib import Path

from schablone.core.design.file import json_schema
from schablone.core.formula.functions import function_table
from schablone.reader.inputs import table_in_words

DOCS = Path(__file__).resolve().parent.parent / "docs"


def main() -> None:
    (DOCS / "design.schema.json").write_text(
        json.dumps(json_schema(), indent=2, ensure_ascii=False) + "\n", "utf8"
    )
    put("formulas", "functions", function_table())
    put("trust", "inputs", table_in_words())


def put(page: str, name: str, text: str) -> None:
    """Put a text between its marks on a page."""
    start, end = f"<!-- {name}: written by tools/docs.py -->", f"<!-- end of {name} -->"
    path = DOCS / f"{page}.md"
    before, rest = path.read_text("utf8").split(start)
    path.write_text(f"{before}{start}\n\n{text}\n\n{end}{rest.split(end)[1]}", "utf8")


if __name__ == "__main__":
    main()
