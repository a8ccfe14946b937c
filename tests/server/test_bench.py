"""Every sum of the Bench: its answer against a figure worked out elsewhere, and the field at fault when it refuses."""

import numpy as np
import pytest
from zucker.bench.api import SUMS
from zucker_core.vacuum import main_size

GALLON = 3.785411784e-3
GPH = GALLON / 3600
BENCH = [
    ("hydrometer", {"reading": 59.42, "temp_c": 99.444}, 66.9), ("refractometer", {"reading": 66, "temp_c": 20, "compensated": False}, 66.0),
    ("boiling", {"pressure_pa": 101_929.3, "elevation_m": 457.2}, 102.77), ("sap-to-syrup", {"sap_brix": 2, "volume_m3": 1}, 44.155),
    ("adjust", {"volume_m3": 1, "brix": 68}, 0.02199), ("adjust", {"volume_m3": 1, "brix": 65}, 37.38),
    ("blend", {"volumes_m3": [1, 1], "brix": [10, 20], "transmittance": [80, 20]}, 15.1), ("density", {"brix": 66.9}, 1327.92),
    ("overweight", {"volume_m3": 1, "brix": 66.9, "price": 100}, 0.0), ("grade", {"transmittance": 64, "path_mm": 20}, 80.0),
    ("tank", {"lying": True, "diameter_m": 2, "length_m": 3, "depth_m": 1}, 4.712), ("tank", {"lying": False, "diameter_m": 2, "length_m": 3, "depth_m": 1}, 3.1416),
    ("taps", {"diameter_m": 0.46}, 2), ("bottles", {"volume_m3": 0.0757, "container_m3": 0.000946353}, 79),
    ("bottles", {"volume_m3": 0.0757, "container_m3": 0.000946353, "first_count": 10}, 39),
    ("drawoff", {"set_c": 100 + 7.477 / 1.8, "cup_brix": 66.9, "water_boiling_c": 99.97}, 100 + 7.477 / 1.8),
    ("from-boiling", {"temp_c": 99.97 + 7.477 / 1.8, "water_boiling_c": 99.97}, 66.9),
    ("pans", {"feed_brix": 10, "volume_m3": 1}, 10 * np.log(6.69) / (1 - 10 / 66.9)),
    ("osmotic", {"brix": 8, "temp_c": 4}, 5.972e5), ("osmotic", {"brix": 20, "temp_c": 25}, 19.181e5),
    ("permeate", {"elements": 1, "feed_brix": 2, "target_brix": 12, "pressure_pa": 400 * 6894.757}, 268 * GPH),
    ("permeate", {"elements": 1, "arrangement": "stages", "steps": 4, "feed_brix": 2, "target_brix": 12, "pressure_pa": 400 * 6894.757}, 365 * GPH),
    ("permeate", {"elements": 2, "feed_brix": 2, "target_brix": 12, "pressure_pa": 400 * 6894.757, "health": 50}, 268 * GPH),
    ("passage", {"volume_m3": 1, "feed_brix": 2, "target_brix": 15, "temp_c": 20, "passage": 1}, 2.067),
    ("clean-water", {"flow_m3_s": 3e-4, "temp_c": 5, "pressure_pa": 1e6, "new_flow_m3_s": 4e-4, "new_temp_c": 10, "new_pressure_pa": 1e6}, 88.7),
    ("wash", {"hold_up_m3": 0.15}, 2.25), ("rinse", {"hold_up_m3": 0.15, "start": 100, "end": 1}, 0.15 * np.log(100)),
    ("box", {"length_m": 2, "width_m": 1, "height_m": 0.8, "depth_m": 0.5}, 1.0),
    ("vacuum-loss", {"taps": 500, "bare_m3_s": 0.1 * GPH, "fall_pa": 5 * 3386.389, "vacuum_pa": 25 * 3386.389}, 15 * GPH),
    ("run-index", {"frost_c": -5, "frost_h": 10, "thaw_c": 6, "thaw_h": 8, "taps": 1000, "per_hundred_m3": 0.005}, 48),
    ("run-index", {"frost_c": -5, "frost_h": 3, "thaw_c": 6, "thaw_h": 8, "taps": 1000, "per_hundred_m3": 0.005}, 0),
    ("ice", {"volume_m3": 1, "brix": 2, "ice_m3": 0.5}, 3.503), ("keeps", {"temp_c": 14}, 48 / 3.5),
    ("keeps", {"temp_c": 4, "concentrate": True}, 12), ("shrinkage", {"volume_m3": 1}, 2.78),
    ("label", {"container_m3": GALLON, "fill_c": 20, "transmittance": 60}, GALLON * 1327.92),
]


@pytest.mark.parametrize(("name", "body", "first"), BENCH)
@pytest.mark.parametrize("units", ["us", "metric"])
def test_bench_answers_with_its_working(farm, name, body, first, units):
    answer = farm.clients["viewer"].post(f"/api/v1/bench/{name}", body | {"units": units}, content_type="application/json")
    assert answer.status_code == 200, answer.content
    facts = answer.json()
    assert facts["figures"][0]["value"] == pytest.approx(first, rel=3e-3, abs=1e-9)
    assert facts["working"]
    assert facts["uncertainty"]


def test_a_wider_pipe_serves_more_taps(farm):
    body = {"taps": 500, "length_m": 457, "grade": 4, "inner_diameter_m": 0.0191}
    small, large = (farm.clients["viewer"].post("/api/v1/bench/pipe-size", {**body, "inner_diameter_m": d}, content_type="application/json").json()["figures"]
                    for d in (0.0191, 0.0254))
    told = main_size(500, 457, 0.04, 0.0191)
    assert (small[0]["value"], small[1]["value"]) == (pytest.approx(told.lost_pa), told.most_taps)
    assert large[1]["value"] > 1.8 * small[1]["value"]
    assert large[0]["value"] < small[0]["value"]


@pytest.mark.parametrize(("name", "body", "field"), [
    ("tank", {"lying": True, "diameter_m": 2, "length_m": 3, "depth_m": 2.5}, "depth_m"), ("bottles", {"volume_m3": 1, "container_m3": 0}, "container_m3"),
    ("pipe-size", {"taps": 500, "length_m": 5, "grade": 4, "inner_diameter_m": 0.0191}, "length_m"),
    ("hydrometer", {"reading": 250, "temp_c": 20}, "reading"), ("hydrometer", {"reading": 79.9, "temp_c": 106}, "reading"),
    ("adjust", {"volume_m3": -1, "brix": 68}, "volume_m3"), ("adjust", {"volume_m3": 1, "brix": 68, "with_brix": 67}, "target_brix"),
    ("blend", {"volumes_m3": [1], "brix": [1, 2]}, "brix"), ("boiling", {"pressure_pa": 119_000}, "pressure_pa"),
    ("drawoff", {"set_c": 140, "cup_brix": 66.9, "water_boiling_c": 99}, "set_c"), ("from-boiling", {"temp_c": 128, "water_boiling_c": 99}, "temp_c"),
    ("permeate", {"elements": 1, "feed_brix": 2, "target_brix": 1.5, "pressure_pa": 2.8e6}, "target_brix"),
    ("permeate", {"elements": 1, "feed_brix": 2, "target_brix": 40, "pressure_pa": 1.4e6}, "target_brix"),
    ("permeate", {"elements": 1, "arrangement": "spiral", "feed_brix": 2, "target_brix": 8, "pressure_pa": 2.8e6}, "arrangement"),
    ("passage", {"volume_m3": 1, "feed_brix": 8, "target_brix": 2, "passage": 1}, "target_brix"),
    ("rinse", {"hold_up_m3": 0, "start": 100, "end": 1}, "hold_up_m3"), ("ice", {"volume_m3": 1, "brix": 2, "ice_m3": 1.1}, "ice_m3"),
    ("box", {"length_m": 2, "width_m": 1, "height_m": 0.8, "depth_m": 0.9}, "depth_m"), ("keeps", {"temp_c": 60}, "temp_c"),
    ("vacuum-loss", {"taps": 500, "bare_m3_s": 1e-7, "fall_pa": 9e4, "vacuum_pa": 8e4}, "fall_pa"),
    ("shrinkage", {"volume_m3": 1, "fill_c": 20, "to_c": 80}, "to_c"), ("label", {"container_m3": 3, "transmittance": 60}, "container_m3"),
    ("grade", {"transmittance": 120}, "transmittance"), ("sap-to-syrup", {"sap_brix": 0}, "sap_brix"),
])
def test_bench_refuses_by_field(farm, name, body, field):
    answer = farm.clients["viewer"].post(f"/api/v1/bench/{name}", body, content_type="application/json")
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"] == field


def test_every_sum_is_checked():
    assert {name for name, _, _ in BENCH} | {"pipe-size"} == set(SUMS)


@pytest.mark.parametrize("name", [name for name, (asks, _, _) in SUMS.items() if "volume_m3" in asks.model_fields])
def test_nothing_at_all_is_answered_or_refused(farm, name):
    body = next(body for known, body, _ in BENCH if known == name) | {"volume_m3": 0}
    assert farm.clients["viewer"].post(f"/api/v1/bench/{name}", body, content_type="application/json").status_code in (200, 422)
