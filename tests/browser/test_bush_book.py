"""The Bush book in the browser: from nothing to a located leak, files in and out, pipes changed, tapping; and a drill played."""

import re

from playwright.sync_api import Page, expect

from .conftest import URL, enter


def test_from_nothing_to_an_answer_in_one_sitting(page: Page):
    """A new bush, a pump, two mainlines, three dials: listed, read once, and the losing line is named."""
    enter(page, "bushbook/new", who="elin")
    page.get_by_label("What it is called").fill("Lower Croft")
    page.get_by_role("button", name="Go on to its lines").click()
    expect(page.get_by_role("heading", name="Your mainlines")).to_be_visible()
    page.get_by_label("vacuum with all shut").fill("90")
    page.get_by_label("air it moves").fill("40")
    page.get_by_label("rated at").fill("80")
    page.get_by_role("button", name="One more mainline").click()
    for row, (length, taps) in enumerate((("320", "210"), ("4", "130"))):
        page.get_by_label("length").nth(row).fill(length)
        page.get_by_label("taps", exact=True).nth(row).fill(taps)
    page.get_by_role("button", name="Draw it").click()
    expect(page.get_by_role("alert").first).to_contain_text("M2.length_m is 4 m; it must lie between 10 and 3000 m")
    page.reload()  # nothing typed is lost
    expect(page.get_by_label("taps", exact=True).nth(1)).to_have_value("130")
    page.get_by_label("length").nth(1).fill("180")
    page.get_by_role("button", name="Draw it").click()
    expect(page.get_by_role("heading", name="Gauge round, 3 dials")).to_be_visible()
    usual = {}
    for tag in ("P", "M1E", "M2E"):
        text = page.get_by_role("listitem").filter(has_text=re.compile(f"^{tag} ")).inner_text()
        usual[tag] = float(re.search(r"usual ([\d.]+)", text).group(1))
    for tag, short in (("P", 1.0), ("M1E", 12.0), ("M2E", 1.2)):
        page.get_by_label(f"{tag} shows").fill(f"{usual[tag] - short:.1f}")
    page.get_by_role("button", name="Round done: 3 read").click()
    expect(page.get_by_role("listitem").filter(has_text="M1E")).to_contain_text("losing")
    page.goto(f"{URL}/veldhoek/woods/M1")
    losses = page.get_by_role("table", name="Mainlines, the costliest first")
    expect(losses.get_by_role("row").filter(has_text="M1")).to_contain_text("losing")
    expect(page.get_by_role("link", name="gauge round")).to_be_visible()
    page.goto(f"{URL}/veldhoek/hunt")
    page.get_by_label("No alarm, but something is wrong in").select_option(label="Lower Croft")
    page.get_by_role("button", name="Hunt there").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("of M1")


def test_lines_go_out_as_a_file_and_come_in_with_faults_by_feature(page: Page):
    enter(page, "bushbook/ambler-wood/files", who="elin")
    with page.expect_download() as download:
        page.get_by_role("link", name="CSV: for a spreadsheet").click()
    text = download.value.path().read_text()
    assert text.startswith("kind,tag,from,to,lon,lat")
    broken = text.replace(",19.05,", ",0,", 1).replace("AW-01.3a,AW-01.3,AW-01.3a", "AW-01.3a,AW-01.3,nowhere", 1)
    page.set_input_files("input[type=file]", {"name": "camp.csv", "mimeType": "text/csv", "buffer": broken.encode()})
    expect(page.get_by_role("alert")).to_contain_text("cannot be taken; nothing was kept")
    expect(page.get_by_role("listitem").filter(has_text="AW-01.3a")).to_contain_text("there is no point 'nowhere'")
    fewer = re.sub(r"(lateral,AW-01\.3a,.*),(\d+),(\d+),", lambda m: m.group(0), text)
    page.set_input_files("input[type=file]", {"name": "camp.csv", "mimeType": "text/csv", "buffer": fewer.encode()})
    expect(page.get_by_text("camp.csv: ")).to_be_visible()
    page.get_by_role("button", name="Keep it: replace the lines").click()
    expect(page.get_by_role("status")).to_have_text("Kept.")
    page.set_input_files("input[type=file]", {"name": "camp.kml", "mimeType": "text/xml", "buffer": b"<kml"})
    expect(page.get_by_role("alert")).to_contain_text("camp.kml: is no KML")


def test_lines_are_walked_with_the_phones_position(page: Page):
    enter(page, "bushbook/new", who="elin")
    page.get_by_label("What it is called").fill("Upper Croft")
    page.get_by_role("button", name="Go on to its lines").click()
    page.get_by_text("Or walk the lines with this phone").click()
    page.context.grant_permissions(["geolocation"])
    for tag, kind, lat in (("UP", "pump", 45.0), ("UV", "valve", 45.001), ("UE", "end", 45.003)):
        page.context.set_geolocation({"latitude": lat, "longitude": -38.9, "accuracy": 6})
        page.get_by_label("tag of this place").fill(tag)
        page.get_by_label("it is a").select_option(kind)
        page.get_by_role("button", name="I stand at it").click()
        expect(page.get_by_role("listitem").filter(has_text=re.compile(f"^{tag}")).first).to_contain_text(kind)
    page.reload()  # kept on the phone
    page.get_by_text("Or walk the lines with this phone").click()
    page.get_by_role("button", name="Take in 3 points").click()
    # what a walk cannot know is asked for by name
    expect(page.get_by_role("listitem").filter(has_text="the pump has no")).to_contain_text("UP")
    for label, value in (("pump, all shut", "90"), ("air it moves", "40"), ("rated at", "80")):
        page.get_by_label(label).last.fill(value)
    page.get_by_role("button", name="Take in 3 points").click()
    page.get_by_role("button", name="Keep it: replace the lines").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("0 taps")


def test_a_pipe_is_changed_checked_and_its_change_told(page: Page):
    enter(page, "bushbook/ambler-wood/lines", who="elin")
    page.get_by_label("find a tag").fill("AW-02.4a")
    page.get_by_role("button", name="AW-02.4a").click()
    form = page.get_by_role("complementary", name="Change a pipe")
    form.get_by_label("inner diameter").fill("900")
    form.get_by_role("button", name="Keep").click()
    expect(form.get_by_role("alert").first).to_contain_text("2 to 300 mm is possible")
    form.get_by_label("inner diameter").fill("7.75")
    form.get_by_label("taps").fill("17")
    form.get_by_label("drops hung in the year").fill("2026")
    form.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("row").filter(has_text="AW-02.4a")).to_contain_text("too many taps on a lateral")
    page.get_by_role("link", name="Changes").click()
    expect(page.get_by_role("row").first).to_contain_text("elin")
    expect(page.get_by_role("row").first).to_contain_text("to 17")
    page.get_by_role("link", name="Mainlines").click()
    expect(page.get_by_role("row").filter(has_text="AW-02")).to_contain_text("too many taps on a lateral")


def test_taps_are_noted_without_coverage_and_undone(page: Page):
    enter(page, "bushbook/cold-hollow/tapping", who="josef")
    done = page.get_by_role("heading", level=1)
    expect(done).to_contain_text("of 2,846 taps set")
    before = done.inner_text().split()[0]
    form = page.get_by_role("form", name="Taps")
    form.get_by_label("line", exact=True).select_option("CH-09")
    form.get_by_label("taps set").fill("20")
    form.get_by_label("of them soft or dark").fill("30")
    form.get_by_role("button", name="Note them").click()
    expect(form.get_by_role("alert")).to_contain_text("30 of 20 taps cannot be soft")
    form.get_by_label("of them soft or dark").fill("2")
    page.context.set_offline(True)
    form.get_by_role("button", name="Note them").click()
    expect(form.get_by_role("status")).to_contain_text("1 waiting for coverage")
    page.context.set_offline(False)
    page.evaluate("dispatchEvent(new Event('online'))")
    expect(page.get_by_role("row").filter(has_text="CH-09")).to_contain_text("20 of")
    expect(page.get_by_role("row").filter(has_text="CH-09")).to_contain_text("2 soft")
    page.get_by_role("button", name="undo").first.click()
    expect(done).to_contain_text(before)


def test_ages_cut_list_and_next_gauge(page: Page):
    enter(page, "bushbook/upper-notch/ages")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Due now:")
    cuts = page.get_by_role("region", name="Cut list")
    cuts.get_by_label("on", exact=True).select_option("UN-07")
    expect(cuts.get_by_role("heading")).to_contain_text(re.compile(r"^1\d spools"))
    cuts.get_by_label("one spool holds").fill("5")
    expect(cuts.get_by_role("alert")).to_be_visible()
    page.get_by_role("link", name="Next gauge").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Hang the next gauge at UN-")


def test_a_drill_is_played_to_its_end(page: Page):
    enter(page, "drill")
    page.get_by_label("it is").select_option("leak")
    page.get_by_role("button", name="Begin").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Something is wrong")
    todo = page.get_by_role("region", name="What to do")
    todo.get_by_label("say what it is").select_option("sensor")
    todo.get_by_role("button", name="Say it").click()
    expect(todo).to_contain_text("Said it is the gauge itself: wrong, and walked for it")
    todo.get_by_role("button", name="what would the Hunt advise").click()
    expect(todo).to_contain_text(re.compile("If it is a leak: (shut|look over)"))
    todo.get_by_role("button", name="Shut it").click()
    expect(todo).to_contain_text(re.compile(r"Shut UN-\d\dV: "))
    todo.get_by_role("button", name="Look there").click()
    expect(todo).to_contain_text("Looked over")
    todo.get_by_role("button", name="give up and see").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("the best hunt takes")
    expect(todo).to_contain_text(re.compile("as much a minute as the best|As good as any step"))
    page.get_by_role("link", name="Another one").click()
    expect(page.get_by_role("row").filter(has_text="given up")).to_be_visible()
    page.goto(f"{URL}/harrow-notch/hunt")
    expect(page.get_by_role("heading", level=1)).to_contain_text("One leak shows")  # the real alarms stand as they did
