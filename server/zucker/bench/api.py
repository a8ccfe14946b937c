"""The Bench: a quick sum with its working. Needs a session, belongs to no operation, keeps nothing."""

from collections.abc import Callable

from django.http import HttpRequest
from ninja import Router, Schema
from ninja.security import django_auth

from ..config.errors import REFUSALS, Errors
from . import asked
from .sums import membrane, packing, sap, sugar, woods
from .sums.answer import Answer

router = Router(tags=["bench"], auth=django_auth)


class FigureOut(Schema):
    label: str
    value: float
    dimension: str
    digits: int


class AnswerOut(Schema):
    figures: list[FigureOut]
    working: list[str]
    uncertainty: str
    grade: str | None
    source: str


SUMS: dict[str, tuple[type[asked.Sum], Callable[..., Answer], str]] = {
    "hydrometer": (asked.HydrometerIn, sugar.hydrometer, "True Brix from a hydrometer."),
    "refractometer": (asked.RefractometerIn, sugar.refractometer, "True Brix from a refractometer."),
    "boiling": (asked.BoilingIn, sugar.boiling, "Boiling point of water and draw-off temperature today."),
    "drawoff": (asked.DrawoffIn, sugar.drawoff, "Draw-off temperature moved by a cup test."),
    "from-boiling": (asked.FromBoilingIn, sugar.from_boiling, "Brix of what boils at a temperature."),
    "sap-to-syrup": (asked.SapToSyrupIn, sugar.sap_to_syrup, "How much sap makes how much syrup."),
    "pans": (asked.PansIn, sugar.pans, "Sugar that stands in the pans."),
    "adjust": (asked.AdjustIn, sugar.adjust, "Thin or thicken a batch to a density."),
    "blend": (asked.BlendIn, sugar.blend, "Mix batches."),
    "density": (asked.DensityIn, sugar.density, "Density, Baumé and boiling elevation of a solution."),
    "overweight": (asked.OverweightIn, sugar.overweight, "What packing too heavy gives away."),
    "grade": (asked.GradeIn, sugar.grade, "Colour class of a syrup."),
    "osmotic": (asked.OsmoticIn, membrane.osmotic, "Osmotic pressure of sap or concentrate."),
    "permeate": (asked.PermeateIn, membrane.permeate, "What a membrane machine gives."),
    "passage": (asked.PassageIn, membrane.passage, "Sugar that leaves with the permeate."),
    "clean-water": (asked.CleanWaterSumIn, membrane.clean_water, "Health of a membrane by clean water."),
    "wash": (asked.WashIn, membrane.wash, "Permeate that a wash takes."),
    "rinse": (asked.RinseIn, membrane.rinse, "Water to rinse to a strength."),
    "tank": (asked.TankIn, sap.tank, "What is in a round tank."),
    "box": (asked.BoxIn, sap.box, "What is in a square tank."),
    "vacuum-loss": (asked.VacuumLossIn, sap.vacuum_loss, "Sap that a fall of vacuum costs."),
    "run-index": (asked.RunIndexIn, sap.run_index, "Sap to expect from a frost and a thaw."),
    "ice": (asked.IceIn, sap.ice, "Sap after ice is taken out of it."),
    "keeps": (asked.KeepsIn, sap.keeps, "How long sap or concentrate keeps."),
    "bottles": (asked.BottlesIn, packing.bottles, "How many containers a batch fills."),
    "shrinkage": (asked.ShrinkageIn, packing.shrinkage, "How much hot syrup shrinks."),
    "label": (asked.LabelIn, packing.label, "What a filled container holds."),
    "pipe-size": (asked.PipeSizeIn, woods.pipe_size, "What a mainline of a size can serve."),
    "taps": (asked.TapsIn, woods.taps_a_tree, "How many taps a tree takes, by each school."),
}


def _offer(name: str, asks: type[asked.Sum], work: Callable[..., Answer], what: str) -> None:
    """One address for one sum."""

    def answer(request: HttpRequest, payload: asks) -> Answer:  # type: ignore[valid-type]
        return work(payload.show, **payload.inputs())  # type: ignore[attr-defined]

    answer.__name__, answer.__doc__ = name.replace("-", "_"), what
    router.post(f"/{name}", response={200: AnswerOut, REFUSALS: Errors})(answer)


for _name, _sum in SUMS.items():
    _offer(_name, *_sum)
