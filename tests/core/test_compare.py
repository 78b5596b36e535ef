"""Two designs side by side."""

from schablone.core.design import Design, Size
from schablone.core.design.compare import differing_sizes
from schablone.core.design.edit import set_formula
from schablone.core.process import neutral
from schablone.core.quantity import LENGTH, Quantity


def test_only_what_differs_is_listed_with_its_change(slide: Design) -> None:
    narrow = set_formula(slide, "width", "300 mm")
    found = {item.name: item for item in differing_sizes(slide, narrow, neutral())}
    assert found["width"].change == Quantity(-72, LENGTH)
    # 26 passages become 21; what is left over is (300 - 21*13 + 5)/2 - 14 = 2 mm in the place of
    # 5.5 mm.
    assert found["passages"].change.value == -5
    assert found["left_over"].change.value == -3.5
    assert found["left_over"].formulas[0] == found["left_over"].formulas[1]
    assert "web" not in found
    assert differing_sizes(slide, slide, neutral()) == []


def test_sizes_of_one_design_only_and_of_other_kinds_have_no_change() -> None:
    first = Design(sizes=(Size(name="a", formula="3 mm"), Size(name="gone", formula="1")))
    second = Design(sizes=(Size(name="a", formula="3 deg"), Size(name="new", formula="oops")))
    found = differing_sizes(first, second, neutral())
    assert [(item.name, item.formulas, item.change) for item in found] == [
        ("a", ("3 mm", "3 deg"), None),
        ("new", (None, "oops"), None),
        ("gone", ("1", None), None),
    ]
