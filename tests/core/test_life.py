"""The life of editions: their numbers, what changed, choices that people kept."""

import hashlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design import Adjustable, Design, Preset, Size, edit, read_design_text
from schablone.core.design import write_design as write
from schablone.core.design.evaluate import table_of
from schablone.core.design.model import Check, Publishing
from schablone.core.design.offered import with_edition_limits
from schablone.core.editions import make_edition
from schablone.core.problem import SchabloneError
from schablone.core.process import neutral, shipped_processes
from schablone.core.publish.choices import Choice, parse_choice, take_choice, write_choice
from schablone.core.publish.edition import problems_before_publishing, read_edition_bytes
from schablone.core.publish.life import adapted, coming_edition, recorded, with_edition
from tests.conftest import examples

DAY, LATER = "2026-05-30", "2026-06-14"
SMALL = Design(
    name="Tray",
    sizes=(
        Size(name="width", formula="120 mm", low="60 mm", high="300 mm"),
        Size(name="depth", formula="80 mm", low="width / 4", high="width"),
        Size(name="wall", formula="2 mm"),
        Size(name="holes", formula="3", low="1", high="9"),
    ),
    checks=(Check(name="wide", formula="width > 3 * wall"),),
    publish=Publishing(
        title="Tray",
        author="Ada",
        adjust=(
            Adjustable(size="width", label="Inside width", high="250 mm"),
            Adjustable(size="depth"),
            Adjustable(size="holes", label="Holes"),
        ),
    ),
)


def published(design: Design, day: str = DAY) -> Design:
    return with_edition(design, coming_edition(design, neutral()), neutral(), day)


def size(design: Design, name: str, **changes: str) -> Design:
    sizes = tuple(s.with_(**changes) if s.name == name else s for s in design.sizes)
    return design.model_copy(update={"sizes": sizes})


def say(design: Design, **changes: object) -> Design:
    return design.model_copy(update={"publish": design.publish.with_(**changes)})


def offered(design: Design, name: str, **changes: str) -> Design:
    items = design.publish.adjust
    return say(design, adjust=tuple(i.with_(**changes) if i.size == name else i for i in items))


def without(design: Design, name: str) -> Design:
    kept = tuple(item for item in design.publish.adjust if item.size != name)
    return say(design, adjust=kept)


ONE = published(SMALL)


def test_the_first_edition_is_one_and_is_kept_with_the_design() -> None:
    assert coming_edition(SMALL, neutral()).number == "1.0"
    record = ONE.publish.history[-1]
    assert (record.number, record.date, record.author) == ("1.0", DAY, "Ada")
    assert record.values == {"width": "120 mm", "depth": "80 mm", "holes": "3"}
    assert read_design_text(write(ONE)) == ONE
    again = coming_edition(ONE, neutral())
    assert (again.number, again.is_new) == ("1.0", False)
    assert published(ONE, LATER) is ONE
    assert len(ONE.publish.id) == 20


@pytest.mark.parametrize(
    ("change", "number", "why", "told"),
    [
        (lambda d: size(d, "wall", formula="2.4 mm"), "1.1", "", "wall is 2.4 mm; it was 2 mm"),
        (lambda d: size(d, "wall", formula="1 mm + 1 mm"), "1.1", "", "what it says of itself"),
        (
            lambda d: size(d, "width", low="50 mm"), "1.1", "",
            "“Inside width” may be 50 mm to 250 mm; it was 60 mm to 250 mm",
        ),
        (
            lambda d: size(d, "width", low="70 mm"), "2.0",
            "“Inside width” could be 60 mm, and no longer can",
            "“Inside width” may be 70 mm to 250 mm; it was 60 mm to 250 mm",
        ),
        # A limit that is a formula: 80 mm of depth is allowed as published, and not where the
        # width is small.
        (
            lambda d: size(d, "depth", high="width - 10 mm"), "2.0", "“depth” could be",
            "“depth” may be 30 mm to 110 mm; it was 30 mm to 120 mm",
        ),
        (
            lambda d: without(d, "holes"), "2.0", "“Holes” can no longer be adjusted",
            "“Holes” can no longer be adjusted",
        ),
        (
            lambda d: say(
                d, adjust=(*d.publish.adjust, Adjustable(size="wall", low="1 mm", high="4 mm"))
            ),
            "1.1", "", "“wall” can be adjusted now, from 1 mm to 4 mm",
        ),
        (
            lambda d: size(d, "holes", low="1 mm", high="9 mm", formula="3 mm"), "2.0",
            "“Holes” could be", "holes is 3 mm; it was 3",
        ),
        (
            lambda d: edit.rename_size(d, "depth", "deep"), "1.1", "",
            "the size depth is called deep now",
        ),
        (
            lambda d: d.model_copy(update={"checks": ()}), "1.1", "", "the check “Wide” is gone",
        ),
        (
            lambda d: say(d, presets=(Preset(name="Large", sizes={"width": "250 mm"}),)), "1.1",
            "", "new ready-made size: “Large”",
        ),
        (
            lambda d: say(d, licence="CC0-1.0"), "1.1", "",
            "the licence is Creative Commons Zero 1.0",
        ),
    ],
)  # fmt: skip
def test_the_number_says_whether_saved_choices_still_fit(change, number, why, told) -> None:
    coming = coming_edition(change(ONE), neutral())
    assert coming.number == number
    assert why in " ".join(coming.breaks)
    assert bool(coming.breaks) == (number == "2.0")
    assert told in "\n".join(coming.changed)


@given(st.integers(20, 400), st.integers(20, 400), st.integers(10, 120), st.integers(150, 400))
@examples(60)
def test_a_minor_edition_takes_every_choice_that_the_one_before_took(wide, deep, low, high) -> None:
    """Whatever the proposal says, it is held against choices that it has not tried."""
    later = offered(ONE, "width", low=f"{low} mm", high=f"{high} mm")
    coming = coming_edition(later, neutral())
    values = {"width": f"{wide} mm", "depth": f"{deep} mm"}
    choice = Choice(edition=ONE.publish.id, number="1.0", values=values)
    before = take_choice(choice, ONE, neutral())
    after = take_choice(choice, later, neutral())
    if not before.outside and not coming.breaks:
        assert not after.outside


def test_what_nobody_set_counts_too() -> None:
    """Whoever chose a narrow tray and left its depth gets the depth as it is published then: with a
    deeper one that no longer goes."""
    assert (
        take_choice(
            Choice(edition=ONE.publish.id, values={"width": "90 mm"}), ONE, neutral()
        ).outside
        == ()
    )
    deeper = size(ONE, "depth", formula="110 mm")
    coming = coming_edition(deeper, neutral())
    assert coming.number == "2.0"
    assert "“depth” could be" in coming.breaks[0]
    taken = take_choice(
        Choice(edition=ONE.publish.id, values={"width": "90 mm"}), deeper, neutral()
    )
    assert taken.outside == ("depth",)
    assert "“depth” may be at most 90 mm; it is 110 mm" in taken.notes
    # What was outside before is not broken by what changes now.
    odd = published(size(SMALL, "depth", formula="10 mm"))
    assert coming_edition(size(odd, "wall", formula="3 mm"), neutral()).number == "1.1"


def test_an_author_may_say_the_number_and_the_words() -> None:
    later = size(ONE, "wall", formula="3 mm")
    spoken = say(later, next_number="2.5", next_changed="Thicker walls.\nSorry.")
    two = published(spoken, LATER)
    assert [one.number for one in two.publish.history] == ["1.0", "2.5"]
    assert two.publish.history[-1].changed == "Thicker walls.\nSorry."
    assert (two.publish.next_number, two.publish.next_changed) == ("", "")
    assert two.publish.id == ONE.publish.id
    early = problems_before_publishing(say(later, next_number="0.9"))
    assert "would not come after 1.0" in early[0].what
    for wrong in ("2", "2.x", "v2.0", "-1.0"):
        with pytest.raises(ValueError, match="next_number"):
            say(later, next_number=wrong)


def test_a_record_is_put_onto_the_design_as_it_is_by_then() -> None:
    """It takes seconds to write an edition, and the design may change meanwhile."""
    meanwhile = size(SMALL, "wall", formula="3 mm")
    kept = recorded(meanwhile, ONE)
    assert kept.sizes == meanwhile.sizes
    assert kept.publish.history == ONE.publish.history
    assert coming_edition(kept, neutral()).changed == ("wall is 3 mm; it was 2 mm",)


# Choices


def test_a_choice_comes_back_as_it_was() -> None:
    choice = Choice(
        edition=ONE.publish.id, title="Tray", number="1.0", process="Printer Amsel · PETG",
        values={"width": "200 mm", "holes": "4"},
    )  # fmt: skip
    assert parse_choice(write_choice(choice), "mine.choice") == choice
    taken = take_choice(choice, ONE, neutral())
    assert (taken.values, taken.notes, taken.outside) == (choice.values, (), ())


def test_a_choice_of_an_older_edition_is_told_what_changed() -> None:
    later = size(ONE, "wall", formula="3 mm")
    later = offered(later, "width", high="220 mm")
    later = size(edit.rename_size(later, "depth", "deep"), "holes", formula="5")
    thick = Adjustable(size="wall", low="1 mm", high="4 mm")
    later = published(say(later, adjust=(*later.publish.adjust, thick)), LATER)
    values = {"width": "240 mm", "depth": "90 mm"}
    kept = Choice(edition=ONE.publish.id, number="1.0", values=values)
    taken = take_choice(kept, later, neutral())
    assert taken.values == {"width": "240 mm", "deep": "90 mm"}
    assert taken.outside == ("width",)
    assert taken.notes == (
        "saved with Tray 1.0; this is 2.0",
        "“Holes” is 5 as published; it was 3",
        "“wall” is new, 3 mm as published",
        "“Inside width” may be at most 220 mm; it is 240 mm",
    )
    newer = take_choice(Choice(edition=ONE.publish.id, number="3.0"), later, neutral())
    assert "newer than this edition" in newer.notes[0]
    gone = take_choice(kept.with_(values={"rim": "2 mm"}), later, neutral())
    assert gone.values == {}
    assert any("“rim” can no longer be adjusted; yours was 2 mm" in note for note in gone.notes)


@pytest.mark.parametrize(
    "text",
    ["", "[]", "{", '{"format": "schablone design"}', '{"format": "schablone choice", "x": 1}',
     '{"format": "schablone choice", "values": {"a b": "1"}}',
     '{"format": "schablone choice", "version": 2}'],
)  # fmt: skip
def test_what_is_no_choice_is_refused_in_words(text: str) -> None:
    with pytest.raises(SchabloneError) as refused:
        parse_choice(text, "mine.choice")
    assert all(
        problem.what and "Traceback" not in problem.what for problem in refused.value.problems
    )


def test_a_choice_of_another_design_is_refused_and_of_a_source_is_not() -> None:
    kept = Choice(edition="someone", title="Box", values={"width": "200 mm"})
    with pytest.raises(SchabloneError, match="saved with “Box”; this is “Tray”"):
        take_choice(kept, ONE, neutral())
    # Editions from before there were ids are told by their titles.
    with pytest.raises(SchabloneError, match="saved with “Box”; this is “Tray”"):
        take_choice(kept.with_(edition=""), SMALL, neutral())
    assert take_choice(kept.with_(edition="", title="Tray"), SMALL, neutral()).values
    mine = published(size(adapted(ONE), "wall", formula="3 mm"), LATER)
    taken = take_choice(Choice(edition=ONE.publish.id, values={"width": "200 mm"}), mine, neutral())
    assert taken.values == {"width": "200 mm"}
    assert "which this was adapted from" in taken.notes[0]


def test_an_adaptation_says_whom_it_comes_from_and_keeps_its_licence() -> None:
    alike = published(say(SMALL, licence="CC-BY-SA-4.0"))
    mine = adapted(alike)
    assert (mine.publish.author, mine.publish.id, mine.publish.history) == ("", "", ())
    source = mine.publish.adapted_from[0]
    assert (source.title, source.number, source.author) == ("Tray", "1.0", "Ada")
    assert not problems_before_publishing(mine)
    other = problems_before_publishing(say(mine, licence="MIT"))
    assert "passed on under CC-BY-SA-4.0 only" in other[0].what
    second = adapted(published(say(mine, author="Ben"), LATER))
    assert [one.author for one in second.publish.adapted_from] == ["Ben", "Ada"]
    assert second.publish.adapted_from[0].id != alike.publish.id


def test_the_same_edition_is_the_same_bytes(slide: Design) -> None:
    process = next(p for p in shipped_processes() if p.name == slide.process)
    design = with_edition(slide, coming_edition(slide, process), process, DAY)
    pair = [make_edition(design, [process], lambda *_: b"picture") for _ in range(2)]
    assert hashlib.sha256(pair[0]).digest() == hashlib.sha256(pair[1]).digest()
    inside = read_edition_bytes(pair[0]).design
    assert inside.publish.history == design.publish.history
    assert inside.publish.last is None
    assert b"Edition 1.0, 2026-05-30." in read_edition_bytes(pair[0]).members["README.md"]


def test_every_value_of_a_record_is_what_the_sheet_says(slide: Design) -> None:
    process = next(p for p in shipped_processes() if p.name == slide.process)
    design = with_edition(slide, coming_edition(slide, process), process, DAY)
    cells = table_of(with_edition_limits(slide), process).cells
    for name, value in design.publish.history[-1].values.items():
        assert float(value.split()[0]) == pytest.approx(cells[name].wanted.value)
