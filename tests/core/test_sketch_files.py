"""Text, edges brought in, DXF read and sketches written."""

from __future__ import annotations

import io
import math

import ezdxf
import numpy as np
import pytest

from schablone.core.design.rebuild import rebuild
from schablone.core.problem import SchabloneError
from schablone.core.process import LensView, neutral
from schablone.core.publish.drawing_files import drawing_file
from schablone.core.sketch.arrangement import arrange
from schablone.core.sketch.drawing import Drawing
from schablone.core.sketch.lettering import lettering
from schablone.core.sketch.pen import Pen
from schablone.core.sketch.read_dxf import read_dxf
from schablone.core.sketch.settled import settle
from schablone.core.sketch.tracing import Trace, brought
from tests.conftest import of_kind, plate


def dxf(draw, units: int | None = 4) -> bytes:
    document = ezdxf.new("R2010", units=units if units is not None else 0)
    if units is None:
        document.header["$INSUNITS"] = 0
    draw(document.modelspace(), document)
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode()


def outline_area(drawing: Drawing) -> float:
    curves = settle(drawing, {}, {}).curves()
    found = arrange(curves)
    return sum(region.area for region in found.regions(found.material()))


class TestText:
    def test_capitals_have_the_height_that_is_asked_for(self):
        (loop,) = lettering("H", 10.0, "label")
        x0, y0, x1, y1 = loop.bounds()
        assert (y0, y1) == (pytest.approx(0), pytest.approx(10))
        assert x0 + x1 == pytest.approx(0, abs=0.2)

    def test_counters_are_holes_in_the_part(self, build):
        design = plate(
            of_kind(
                "sketch",
                "label",
                plane="plate/end",
                shapes=[{"kind": "text", "name": "words", "text": "O8", "height": "10 mm"}],
            ),
            of_kind("extrude", "letters", sketch="label", shapes=["words"], by="1 mm"),
        )
        found = build(design)
        assert found.whole, found.problems
        loops = lettering("O8", 10.0, "words")
        areas = sorted(loop.area for loop in loops)
        assert len(areas) == 5  # O has one counter, 8 has two
        letters = areas[-1] + areas[-2] - sum(areas[:-2])
        assert found.bodies["part"].figures().volume == pytest.approx(
            100 * 40 * 4 + letters, rel=1e-6
        )

    @pytest.mark.parametrize(
        ("text", "height", "says"),
        [("", 5.0, "empty"), ("a", 0.0, "above zero"), ("漢", 5.0, "no letter")],
    )
    def test_what_cannot_be_lettered(self, text, height, says):
        with pytest.raises(ValueError, match=says):
            lettering(text, height, "label")


class TestBroughtIn:
    def drawn(self, width: str) -> dict:
        """A plate, and on it a circle that touches the plate's right edge, brought in."""
        edge = "plate/end | plate/side/edge.right"
        pen = Pen(brought(Drawing(), edge, Trace("line", ((50.0, -20.0), (50.0, 20.0)))))
        circle = pen.circle((40.0, 0.0), 6.0)
        pen.hold("on", pen.drawing.by_name[circle].centre, "x_axis")
        pen.hold("tangent", "edge_1", circle)
        pen.measure("radius", circle, formula="6 mm", name="r")
        pen.measure(
            "distance", pen.drawing.by_name[circle].centre, "y_axis", name="reach", reads=True
        )
        steps = [
            of_kind(
                "sketch",
                "outline",
                shapes=[{"kind": "rectangle", "name": "edge", "width": width, "height": "40 mm"}],
            ),
            {"kind": "extrude", "name": "plate", "sketch": "outline", "by": "4 mm"},
            of_kind("sketch", "dot", plane="plate/end", drawing=pen.drawing.model_dump()),
            {"kind": "extrude", "name": "stud", "sketch": "dot", "by": "5 mm"},
        ]
        return {"name": "Plate", "steps": steps}

    @pytest.mark.parametrize("width", [60.0, 100.0, 240.0])
    def test_what_is_drawn_to_an_edge_follows_it(self, width):
        from schablone.core.design import Design

        found = rebuild(
            Design.model_validate(self.drawn(f"{width} mm")), LensView("wanted", neutral())
        )
        assert found.whole, found.problems
        _, high = found.bodies["part"].figures().bounds
        assert high[2] == pytest.approx(9)
        studs = found.drawings["dot"].curves
        assert studs[0].centre == pytest.approx((width / 2 - 6, 0))

    def test_a_lost_edge_is_told(self):
        from schablone.core.design import Design

        drawn = self.drawn("100 mm")
        drawn["steps"][0]["shapes"] = [{"kind": "circle", "name": "edge", "diameter": "50 mm"}]
        found = rebuild(Design.model_validate(drawn), LensView("wanted", neutral()))
        assert [p.name for p in found.problems if not p.waits_for] == ["dot"]
        assert "is not there any more" in found.problems[0].what

    def test_edges_keep_their_form(self):
        t = np.linspace(0.3, 2.0, 20)
        arc = Trace.of(np.stack([5 + 3 * np.cos(t), 1 + 3 * np.sin(t)], 1)[::-1])
        assert (arc.form, arc.radius) == ("arc", pytest.approx(3))
        assert arc.points[0] == pytest.approx((5, 1))
        assert arc.points[1] == pytest.approx((5 + 3 * math.cos(0.3), 1 + 3 * math.sin(0.3)))
        full = np.linspace(0, math.tau, 40)
        assert Trace.of(np.stack([np.cos(full), np.sin(full)], 1)).form == "circle"
        assert Trace.of(np.array([[1.0, 1.0], [1.0, 1.0]])).form == "point"
        assert Trace.of(np.stack([full, np.sin(full)], 1)).form == "curve"


class TestReadDxf:
    def test_ends_that_meet_are_one_point_and_inches_are_inches(self):
        def draw(space, _):
            corners = [(0, 0), (2, 0), (2, 1), (0, 1)]
            for k in range(4):
                space.add_line(corners[k], corners[(k + 1) % 4])
            space.add_line((0, 0), (2, 0))  # drawn twice
            space.add_circle((1, 0.5), 0.25)
            space.add_text("a title")

        found = read_dxf(dxf(draw, units=1))
        assert len(list(found.drawing.points)) == 5
        assert outline_area(found.drawing) == pytest.approx((2 - math.pi / 16) * 25.4**2)
        assert any("1 × text" in note for note in found.notes)
        assert any("twice" in note for note in found.notes)

    def test_polylines_with_bulges_and_blocks(self):
        def draw(space, document):
            space.add_lwpolyline(
                [(0, 0, 0), (10, 0, 1), (10, 10, 0), (0, 10, 1)], format="xyb", close=True
            )
            block = document.blocks.new("hole")
            block.add_circle((0, 0), 2)
            space.add_blockref("hole", (5, 5))

        found = read_dxf(dxf(draw))
        assert outline_area(found.drawing) == pytest.approx(100 + math.pi * 25 - math.pi * 4)

    def test_ellipses_and_splines(self):
        def draw(space, _):
            space.add_ellipse((0, 0), major_axis=(20, 0), ratio=0.5)
            space.add_spline([(40, 0), (50, 8), (60, 0), (70, -8), (80, 0)])

        found = read_dxf(dxf(draw))
        assert outline_area(found.drawing) == pytest.approx(math.pi * 20 * 10, rel=1e-4)
        assert any("Splines are drawn anew" in note for note in found.notes)

    def test_what_is_none_is_told_and_no_unit_is_told(self):
        with pytest.raises(SchabloneError, match="no DXF file"):
            read_dxf(b"not a drawing at all")
        with pytest.raises(SchabloneError, match="no outlines"):
            read_dxf(dxf(lambda space, _: space.add_text("only words")))
        whole = dxf(lambda space, _: space.add_line((0, 0), (3, 4)))
        for share in (0.2, 0.5, 0.9):
            try:
                read_dxf(whole[: int(len(whole) * share)])
            except SchabloneError:
                pass
        told = read_dxf(dxf(lambda space, _: space.add_line((0, 0), (3, 4)), units=None))
        assert any("does not say its unit" in note for note in told.notes)

    def test_there_and_back(self):
        pen = Pen(Drawing())
        pen.slot((0, 0), (20, 5), 4)
        pen.circle((40, 0), 5)
        found = settle(pen.drawing, {}, {})
        again = read_dxf(drawing_file(found.curves(), found.curves(helpers=True), "slot.dxf"))
        assert outline_area(again.drawing) == pytest.approx(outline_area(pen.drawing), rel=1e-9)
        svg = drawing_file(found.curves(), [], "slot.svg").decode()
        assert svg.count("<path") == 5
        with pytest.raises(SchabloneError, match="DXF or SVG"):
            drawing_file(found.curves(), [], "slot.step")
        with pytest.raises(SchabloneError, match="empty"):
            drawing_file([], [], "slot.dxf")
