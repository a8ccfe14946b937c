"""The Bush book: files in and out in four formats, tables edited with checks, history, a bush from a list."""

import json

import pytest
from zucker.woods.formats import FORMATS
from zucker.woods.models import Bush, Line, Node

from tests.core.test_vacuum import bush, geojson

SMALL = bush(1, 2, 5)


def whole_of(network=SMALL):
    """The test bush with places, so that formats that need a way have one."""
    whole = network.to_geojson()
    at = {}
    for k, feature in enumerate(f for f in whole["features"] if f["geometry"]["type"] == "Point"):
        feature["geometry"]["coordinates"] = [-40 + 0.0004 * k, 45.0 + 0.0003 * (k % 7)]
        at[feature["properties"]["tag"]] = feature["geometry"]["coordinates"]
    for feature in whole["features"]:
        if feature["geometry"]["type"] == "LineString":
            feature["geometry"]["coordinates"] = [at[feature["properties"][end]] for end in ("from", "to")]
    return whole


def imported(farm, name, text, apply=True, role="owner", slug="south", **more):
    return farm.post(f"bushes/{slug}/import", {"format": name, "text": text, "apply": apply, **more}, role)


@pytest.fixture
def south(farm):
    assert farm.post("bushes", {"slug": "south", "name": "South"}).status_code == 201
    return farm


@pytest.mark.parametrize("name", list(FORMATS))
def test_a_network_goes_out_and_comes_back_the_same(south, name):
    report = imported(south, "geojson", json.dumps(whole_of())).json()
    assert report["applied"], report
    assert (report["points"], report["lines"], report["taps"]) == (len(SMALL), len(SMALL) - 1, SMALL.taps.sum())
    text = south.get(f"bushes/south/export?format={name}", "viewer").content.decode()
    south.post("bushes", {"slug": "again", "name": "Again"})
    report = imported(south, name, text, slug="again").json()
    assert report["applied"], report
    first, second = (json.loads(south.get(f"bushes/{slug}/export").content) for slug in ("south", "again"))

    def plain(whole):
        rows = {f["properties"]["tag"]: f["properties"] for f in whole["features"]}
        return {tag: {k: round(v, 6) if isinstance(v, float) else v for k, v in row.items()} for tag, row in rows.items()}

    assert plain(first) == plain(second)


def test_errors_are_told_by_feature_and_nothing_is_kept(south):
    whole = whole_of()
    for tag, change in {"mC00-1": {"inner_diameter_mm": 0}, "lC00-2": {"to": "nowhere"}, "lC00-1": {"taps": -3}}.items():
        next(f for f in whole["features"] if f["properties"]["tag"] == tag)["properties"].update(change)
    report = imported(south, "geojson", json.dumps(whole)).json()
    assert not report["applied"]
    told = {f["feature"]: f["message"] for f in report["faults"]}
    assert set(told) == {"mC00-1", "lC00-2", "lC00-1"}
    assert "2 to 300 mm" in told["mC00-1"]
    assert not Node.objects.filter(bush__slug="south").exists()


@pytest.mark.parametrize(("name", "text"), [
    ("geojson", "{"), ("geojson", "[1]"), ("gpx", "no xml"), ("gpx", "<!DOCTYPE a [<!ENTITY b 'c'>]><gpx/>"), ("kml", "<kml"),
    ("kml", "<kml xmlns='http://www.opengis.net/kml/2.2'><Document/></kml>"), ("csv", "a,b\n1,2"), ("csv", "kind,tag\nend"),
    ("csv", "kind,tag,lon,lat\nend,E,east,45"),
])
def test_a_file_that_cannot_be_read_says_why(south, name, text):
    answer = imported(south, name, text)
    assert answer.status_code in (200, 422)
    told = answer.json().get("errors") or answer.json()["faults"]
    assert told
    assert told[0]["message"]
    assert not Bush.objects.get(slug="south").survey


def test_a_phones_plain_track_finds_its_ends_and_turns_away_from_the_pump(south):
    gpx = """<gpx version="1.1" creator="x" xmlns="http://www.topografix.com/GPX/1/1">
      <wpt lat="45.0" lon="-40.0"><name>P</name><type>pump</type><desc>ultimate_inhg=27 flow_cfm=30 at_inhg=25</desc></wpt>
      <wpt lat="45.001" lon="-40.0"><name>A</name><type>junction</type></wpt>
      <wpt lat="45.002" lon="-40.0"><name>B</name><type>end</type></wpt>
      <trk><name>M1</name><trkseg><trkpt lat="45.00202" lon="-40.00001"/><trkpt lat="45.0015" lon="-40.0003"/><trkpt lat="45.00098" lon="-40.0"/></trkseg></trk>
      <trk><name>M0</name><type>conductor</type><trkseg><trkpt lat="45.0" lon="-40.0"/><trkpt lat="45.001" lon="-40.0"/></trkseg></trk>
    </gpx>"""
    report = imported(south, "gpx", gpx, sizes={"mainline_mm": 19.0}).json()
    assert report["applied"], report
    line = Line.objects.get(bush__slug="south", tag="M1")
    assert (line.downstream.tag, line.upstream.tag) == ("A", "B")  # walked the other way round
    assert line.inner_diameter_m == pytest.approx(0.019)
    assert line.length_m == pytest.approx(122, abs=4)  # along the way, not across
    far = imported(south, "gpx", gpx.replace('lat="45.00202" lon="-40.00001"', 'lat="45.0024" lon="-40.0"')).json()
    assert "44 m from the nearest point, B" in far["faults"][0]["message"]


def test_an_import_first_tells_what_would_change(farm):
    whole = json.loads(farm.get("bushes/north/export").content)
    whole["features"][0]["properties"]["elevation_m"] = 101
    report = imported(farm, "geojson", json.dumps(whole), apply=False, slug="north").json()
    assert (report["applied"], report["changed"], report["added"], report["removed"]) == (False, ["P"], [], [])
    assert Node.objects.get(bush__slug="north", tag="P").elevation_m == 100


def test_a_change_keeps_history_and_touches_nothing_else(farm):
    before = {n.tag: n.pk for n in Node.objects.filter(bush__slug="north")}
    shown = farm.send("PATCH", "bushes/north/features", {"changes": [
        {"what": "line", "tag": "L1", "set": {"taps": 14, "installed": 2024, "drops_installed": 2025}}]}).json()
    assert next(row for row in shown["lines"] if row["tag"] == "L1")["taps"] == 14
    assert [r["line"] for r in shown["remarks"] if r["name"] == "taps_a_lateral"] == ["L1"]
    assert shown["taps"] == 14
    assert {n.tag: n.pk for n in Node.objects.filter(bush__slug="north")} == before
    farm.send("PATCH", "bushes/north/features", {"changes": [{"what": "line", "tag": "L1", "set": {"taps": 9}}]})
    [latest, *_] = farm.get("bushes/north/changes", "viewer").json()
    assert (latest["tag"], latest["what"], latest["by"]) == ("L1", "changed", "ashby-owner")
    assert latest["fields"] == [{"name": "taps", "before": "14", "after": "9"}]


@pytest.mark.parametrize(("change", "feature"), [
    ({"what": "point", "tag": "J", "remove": True}, "C1"), ({"what": "line", "tag": "M1", "set": {"inner_diameter_mm": 900}}, "M1"), ({"what": "line", "tag": "M1", "set": {"length_m": 0}}, "M1"),
    ({"what": "line", "tag": "nothing", "set": {}}, "tag"), ({"what": "point", "tag": "E", "set": {"kind": "pump"}}, "E"), ({"what": "point", "tag": "E", "set": {"sensor": "BARO"}}, "E"),
])
def test_a_change_that_breaks_the_network_is_refused_whole(farm, change, feature):
    before = list(Line.objects.values_list("tag", "inner_diameter_m"))
    answer = farm.send("PATCH", "bushes/north/features", {"changes": [{"what": "line", "tag": "L1", "set": {"taps": 3}}, change]})
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"] == feature
    assert list(Line.objects.values_list("tag", "inner_diameter_m")) == before
    assert Line.objects.get(tag="L1").taps == 8


def test_a_lateral_and_its_end_may_carry_one_tag(farm):
    whole = json.loads(farm.get("bushes/north/export").content)
    for feature in whole["features"]:
        properties = feature["properties"]
        properties["tag"] = {"L1": "T"}.get(properties["tag"], properties["tag"])
    assert imported(farm, "geojson", json.dumps(whole), slug="north").json()["applied"]
    shown = farm.send("PATCH", "bushes/north/features", {"changes": [
        {"what": "line", "tag": "T", "set": {"taps": 5}}, {"what": "point", "tag": "T", "set": {"elevation_m": 109}}]}).json()
    assert next(row for row in shown["lines"] if row["tag"] == "T")["taps"] == 5
    assert next(row for row in shown["points"] if row["tag"] == "T")["elevation_m"] == 109


def test_renaming_a_point_takes_its_lines_along(farm):
    shown = farm.send("PATCH", "bushes/north/features", {"changes": [{"what": "point", "tag": "J", "set": {"tag": "J9"}}]}).json()
    assert {row["from_tag"] for row in shown["lines"]} == {"P", "J9"}


SKETCH = {"pump": {"ultimate_inhg": 27, "flow_cfm": 30, "at_inhg": 25}, "pump_gauge": "PG", "mains": [
    {"name": "A", "length_m": 300, "taps": 200, "at_m": 20, "gauge": "AE"}, {"name": "B", "length_m": 180, "taps": 110, "at_m": 20, "gauge": "BE"}]}


def test_a_bush_from_a_list_shows_losses_after_a_round(south):
    """Ten minutes from nothing: a pump, two mainlines, three dials read once."""
    shown = south.send("PUT", "bushes/south/sketch", SKETCH).json()
    assert [(m["main"], m["taps"], round(m["length_m"])) for m in shown["mains"]] == [("A", 200, 300), ("B", 110, 180)]
    assert shown["schematic"]
    clean = {r["sensor"]: r["usual_pa"] for r in south.get("bushes/south/round").json()}
    fall = {"PG": 1_200.0, "AE": 9_000.0, "BE": 1_500.0}
    south.post("bushes/south/round", {"readings": [{"sensor": t, "vacuum_pa": clean[t] - fall[t]} for t in clean]}, "crew")
    woods = south.get("woods").json()
    rows = {m["main"]: m for m in woods["mains"] if m["bush"] == "south"}
    assert rows["A"]["state"] == "losing"
    hunt = south.post("hunts", {"bush": "south"}).json()
    assert hunt["leak"]["branches"][0]["main"] == "A"
    # the list can be corrected; once surveyed it is not thrown away by one
    assert south.send("PUT", "bushes/south/sketch", SKETCH).status_code == 200
    assert south.send("PUT", "bushes/north/sketch", SKETCH).status_code == 409


@pytest.mark.parametrize(("change", "field"), [
    ({"length_m": 5}, "A.length_m"), ({"taps": 0}, "A.taps"), ({"inner_diameter_mm": 500}, "A.inner_diameter_mm"), ({"grade": 0.9}, "A.grade"), ({"name": "B"}, "B"),
])
def test_a_wrong_list_names_the_mainline_and_the_field(south, change, field):
    first, second = SKETCH["mains"]
    answer = south.send("PUT", "bushes/south/sketch", {**SKETCH, "mains": [{**first, **change}, second]})
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"] == field


def test_what_is_due_what_to_cut_and_where_the_next_gauge_goes(south):
    whole = whole_of()
    for feature in whole["features"]:
        if feature["properties"].get("taps"):
            feature["properties"]["installed"] = 2016
    imported(south, "geojson", json.dumps(whole))
    due = south.get("bushes/south/due?until=2026").json()
    assert {(d["part"], d["year"]) for d in due} == {("drops", 2021), ("lateral", 2026)}
    laterals = [line for line in SMALL.lines[1:] if line.kind == "lateral"]
    cuts = south.get("bushes/south/cuts?kind=lateral&main=C00&spool_m=150").json()
    pieces = [piece["line"] for cut in cuts for piece in cut["pieces"]]
    assert sorted(pieces) == sorted(line.tag for line in laterals if line.main == "C00")
    assert all(cut["left_m"] >= 0 for cut in cuts)
    gauges = south.get("bushes/south/gauges").json()
    assert gauges["next"][0]["blurred_m"] <= gauges["blurred_m"]
    assert gauges["next"][0]["node"] in SMALL.index


def test_crew_reads_the_book_and_only_owners_write_it(farm):
    assert farm.get("bushes/north", "crew").status_code == 200
    assert farm.send("PATCH", "bushes/north/features", {"changes": [{"what": "line", "tag": "L1", "set": {"taps": 3}}]}, "crew").status_code == 403
    assert imported(farm, "geojson", json.dumps(geojson()), role="crew", slug="north").status_code == 403


def test_a_bush_without_lines_says_what_to_do(south):
    assert south.get("bushes/south").json()["mains"] == []
    answer = south.get("bushes/south/round")
    assert answer.status_code == 409
    assert "list or import" in answer.json()["errors"][0]["message"]


