"""Lots, packs, blends, moves, traces and labels."""

import pypdfium2
import pytest
import zxingcpp
from zucker.barrels.models import Lot, Pack

LOT = {"run": 1, "volume_m3": 0.4, "brix": 66.9, "transmittance": 60}
JUGS = {"container": "gallon jug", "each_m3": 3.785e-3, "count": 20, "fill_c": 85}


def lot(farm, **more):
    answer = farm.post("lots", LOT | more)
    assert answer.status_code == 201, answer.json()
    return answer.json()


@pytest.fixture
def made(farm):
    farm.post("runs", {"plan": None})
    return lot(farm)


def test_a_lot_gets_its_code_and_grade(farm, made):
    assert made["grade"] == "amber"
    assert made["code"].endswith("-001-A")
    assert lot(farm, transmittance=20)["code"].endswith("-001-B")
    assert lot(farm, off_flavour="buddy")["grade"] == "processing"


@pytest.mark.parametrize(("brix", "word"), [(69.5, "crystallise"), (63.0, "ferment")])
def test_density_that_may_not_be_packed_is_refused(farm, made, brix, word):
    answer = farm.post("lots", LOT | {"brix": brix})
    assert answer.status_code == 422
    assert word in answer.json()["errors"][0]["message"]


def test_packing_counts_cold_and_never_more_than_there_is(farm, made):
    pack = farm.post("packs", {"lot": made["id"], **JUGS}).json()
    assert pack["each_m3"] == pytest.approx(3.785e-3 * (1 - 0.0278), rel=1e-3)
    left = farm.get("barrels").json()["lots"][0]["left_m3"]
    assert left == pytest.approx(0.4 - 20 * pack["each_m3"])
    too_many = farm.post("packs", {"lot": made["id"], **JUGS, "count": 200})
    assert too_many.status_code == 422
    assert too_many.json()["errors"][0]["field"] == "count"
    assert "left" in too_many.json()["errors"][0]["message"]
    assert Pack.objects.count() == 1


@pytest.mark.parametrize(("fill_c", "hot"), [(85, "fine"), (75, "cool"), (95, "sand")])
def test_fill_temperature_is_judged(farm, made, fill_c, hot):
    assert farm.post("packs", {"lot": made["id"], **JUGS, "fill_c": fill_c}).json()["hot"] == hot


def test_a_barrel_is_booked_by_its_weight(farm, made):
    barrel = {"lot": made["id"], "container": "barrel", "barrel": True, "each_m3": 0.15, "fill_c": 85, "tare_kg": 24.0}
    pack = farm.post("packs", {**barrel, "gross_kg": 224.0}).json()
    assert pack["each_m3"] == pytest.approx(200 / 1327.92, rel=1e-3)
    assert farm.post("packs", {**barrel, "gross_kg": 20.0}).json()["errors"][0]["field"] == "gross_kg"


def test_stock_follows_what_went(farm, made):
    farm.post("packs", {"lot": made["id"], **JUGS})
    farm.post("packs/1/moves", {"went": "sold", "count": 6, "place": "shop", "price": 312})
    farm.post("packs/1/moves", {"went": "moved", "count": 14, "place": "cellar"})
    rack = farm.get("barrels").json()
    assert rack["packs"][0]["there"] == 14
    assert rack["packs"][0]["place"] == "cellar"
    assert rack["sold"] == 312
    amber = next(one for one in rack["stock"] if one["grade"] == "amber")
    assert amber["packs"] == 14
    refused = farm.post("packs/1/moves", {"went": "spilled", "count": 15})
    assert "14 of pack 1 are there" in refused.json()["errors"][0]["message"]
    move = rack["packs"][0]["moves"][0]["id"]
    assert farm.send("DELETE", f"packs/1/moves/{move}").status_code == 204
    assert farm.get("barrels").json()["packs"][0]["there"] == 20


def test_what_something_was_made_of_stays(farm, made):
    farm.post("packs", {"lot": made["id"], **JUGS})
    assert farm.send("DELETE", f"lots/{made['id']}").status_code == 409
    farm.post("packs/1/moves", {"went": "opened", "count": 1})
    assert farm.send("DELETE", "packs/1").status_code == 409
    other = lot(farm)
    assert farm.send("DELETE", f"lots/{other['id']}").status_code == 204
    assert Lot.history.filter(id=other["id"], history_type="-").exists()


def test_a_blend_is_found_made_and_traced_to_its_runs(farm, made):
    dark = lot(farm, transmittance=20)
    asked = {"lots": [made["id"], dark["id"]], "volume_m3": 0.2, "transmittance": 40, "brix": 66.9}
    recipe = farm.post("blends/recipe", asked).json()
    assert recipe["transmittance"] == pytest.approx(40, abs=0.01)
    assert recipe["grade"] == "dark"
    blend = farm.post("blends", {"parts": recipe["parts"], "note": ""}).json()
    assert blend["volume_m3"] == pytest.approx(0.2, rel=1e-3)
    pack = farm.post("packs", {"lot": blend["id"], **JUGS}).json()
    trace = farm.get(f"packs/{pack['number']}").json()
    assert {one["code"] for one in trace["lots"]} == {blend["code"], made["code"], dark["code"]}
    assert [run["number"] for run in trace["runs"]] == [1, 1]
    assert sum(run["share"] for run in trace["runs"]) == pytest.approx(1)
    too_light = farm.post("blends/recipe", asked | {"transmittance": 80})
    assert too_light.json()["errors"][0]["field"] == "transmittance"
    too_much = farm.post("blends", {"parts": [{"lot": made["id"], "volume_m3": 0.9}, {"lot": dark["id"], "volume_m3": 0.1}]})
    assert "left" in too_much.json()["errors"][0]["message"]


def test_labels_carry_a_code_that_a_phone_reads(farm, made):
    farm.post("packs", {"lot": made["id"], **JUGS})
    pdf = farm.get("packs/1/labels.pdf?copies=12")
    pages = pypdfium2.PdfDocument(pdf.content)
    assert len(pages) == 2
    assert made["code"] in pages[0].get_textpage().get_text_bounded()
    codes = zxingcpp.read_barcodes(pages[0].render(scale=3).to_pil())
    assert len(codes) == 10
    assert {code.text for code in codes} == {"http://testserver/ashby/barrels/pack/1"}
    assert farm.get("packs/1/labels.pdf?copies=9999").status_code == 422


def test_a_viewer_packs_nothing(farm, made):
    assert farm.post("packs", {"lot": made["id"], **JUGS}, role="viewer").status_code == 403
    assert farm.post("lots", LOT, role="viewer").status_code == 403
    assert farm.get("barrels", role="viewer").status_code == 200
