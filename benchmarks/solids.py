"""A plain solid of some 150 faces with 40 dimensions: what its ties leave open, asked as after a
pick, and a change until its mesh is there, beside the same part made anew by the kernel's
booleans."""

from __future__ import annotations

import time

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.TopoDS import TopoDS_Shape
from OCP.TopTools import TopTools_ListOfShape

from schablone.core.design import Design
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.kernel.naming import FaceName
from schablone.core.kernel.occ.exchange import step_of
from schablone.core.kernel.occ.meshing import mesh_of
from schablone.core.kernel.occ.plain import plain_of
from schablone.core.kernel.occ.solids import Solid, faces_of
from schablone.core.packed import packed
from schablone.core.process import LensView, neutral
from schablone.core.solids.ties import Tie
from schablone.worker import talk
from schablone.worker.tying import ties_told

_VIEW = LensView("wanted", neutral())
_CHORD = 0.03


def part(long: float = 200.0) -> TopoDS_Shape:
    """A plate with sixty holes and eighteen pockets."""
    arguments, tools = TopTools_ListOfShape(), TopTools_ListOfShape()
    arguments.Append(BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), long, 150, 10).Shape())
    for k in range(60):
        at = gp_Pnt(12 + 19 * (k % 10), 12 + 14 * (k // 10), -1)
        tools.Append(BRepPrimAPI_MakeCylinder(gp_Ax2(at, gp_Dir(0, 0, 1)), 3, 20).Shape())
    for k in range(18):
        at = gp_Pnt(8 + 20 * (k % 9), 100 + 22 * (k // 9), 4)
        tools.Append(BRepPrimAPI_MakeBox(at, 12, 14, 20).Shape())
    cut = BRepAlgoAPI_Cut()
    cut.SetArguments(arguments)
    cut.SetTools(tools)
    cut.Build()
    return cut.Shape()


def tied() -> Design:
    """The part as a solid out of a file, with forty dimensions."""
    shape = part()
    names = tuple(FaceName("plate", "face", str(k + 1)) for k in range(len(faces_of(shape))))
    data = packed(step_of([("plate", Solid(shape, names))]))
    bare = {"kind": "imported", "name": "plate", "file": "plate.step", "data": data}
    design = Design.model_validate({"steps": [bare]})
    solid = plain_of(rebuild(design, _VIEW, Memory()).bodies["part"].solid())

    def flat(axis: int, at: float) -> str:
        return next(
            str(name)
            for name, s in zip(solid.names, solid.surfaces, strict=True)
            if s is not None
            and s.kind == "plane"
            and abs(abs(s.way[axis]) - 1) < 1e-9
            and abs(s.at[axis] - at) < 1e-6
        )

    holes = [
        str(name)
        for name, s in zip(solid.names, solid.surfaces, strict=True)
        if s is not None and s.is_round
    ]
    left, front, low = flat(0, 0), flat(1, 0), flat(2, 0)
    ties = [
        Tie(kind="pin", of=(left, front, low)),
        Tie(of=(left, flat(0, 200)), formula="long"),
        Tie(of=(front, flat(1, 150))),
        Tie(of=(low, flat(2, 10)), formula="thick"),
        Tie(kind="diameter", of=(holes[0],), formula="bore"),
        Tie(kind="equal", of=tuple(holes)),
    ]
    for hole in holes[:18]:
        ties += [Tie(of=(left, hole)), Tie(of=(front, hole))]
    step = {"kind": "give_sizes", "name": "fit", "ties": [tie.model_dump() for tie in ties]}
    sizes = [{"name": n, "formula": f"{v} mm"} for n, v in
             (("long", 200), ("thick", 10), ("bore", 6))]  # fmt: skip
    return Design.model_validate({"sizes": sizes, "steps": [bare, step]})


def measured() -> dict[str, float]:
    """Seconds: the state of its ties after a pick, a change with its mesh, and the same part made
    by booleans with its mesh."""
    design, memory = tied(), Memory()
    step = design.step("fit")
    assert step is not None
    picks = step.ties[8].of  # type: ignore[attr-defined]
    about = talk.TyingAsked(step="fit", picks=picks).model_dump_json()
    request = talk.TieFaces(id=1, design="", lens="wanted", process=neutral(), about=about)

    def state() -> None:
        assert not ties_told(request, design, _VIEW, memory).trouble

    def change(k: int) -> None:
        given = {"bore": f"{6 + 0.01 * (k + 1)} mm", "long": f"{201 + k} mm"}
        built = rebuild(design, _VIEW, memory, given)
        assert not built.problems, built.problems
        built.bodies["part"].mesh(_CHORD)

    def anew(k: int) -> None:
        shape = part(201.0 + k)
        mesh_of(Solid(shape, tuple(FaceName("p", "face", str(n)) for n in
                                   range(len(faces_of(shape))))), _CHORD)  # fmt: skip

    state()
    change(-1)
    found: dict[str, list[float]] = {"state": [], "change": [], "anew": []}
    for k in range(5):
        for name, work in (("state", lambda _: state()), ("change", change), ("anew", anew)):
            begun = time.perf_counter()
            work(k)
            found[name].append(time.perf_counter() - begun)
    return {name: sorted(times)[2] for name, times in found.items()}
