"""The sugarhouse in a real browser: plans held against each other, a night beside the pans, packing, years."""

import re

import pytest
from playwright.sync_api import Page, expect

from .conftest import HOST, URL, Bush, enter
from .test_field import wait_for_worker


def open_run(page: Page) -> None:
    """A run under way, whatever earlier tests left."""
    enter(page, "boil")
    start = page.get_by_role("button", name="Start without a plan")
    expect(start.or_(page.get_by_role("heading", name=re.compile("^Run "))).first).to_be_visible()
    if start.is_visible():
        start.click()
    expect(page.get_by_role("heading", name=re.compile("^Run ")).first).to_be_visible()


def log_of(page: Page):
    return page.get_by_role("region", name="Log")


def test_plans_are_held_against_each_other(page: Page, bush: Bush):
    bush.send()
    enter(page, "tonight")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("a gallon")
    page.get_by_role("button", name="Put beside").click()
    table = page.get_by_role("table", name="Plans side by side")
    expect(table).to_contain_text("as measured")
    page.get_by_role("slider", name="Target Brix").focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_text(re.compile(r"(more|less) than \d+ °Bx.*(earlier|later|same time)"))).to_be_visible()
    page.get_by_role("button", name="Put beside").click()
    expect(table.get_by_role("columnheader")).to_have_count(2)
    page.get_by_role("slider", name="Target Brix").focus()
    page.keyboard.press("End")
    page.reload()
    page.get_by_role("tab", name="side by side (2)").click()
    expect(table.get_by_role("columnheader")).to_have_count(2)


def test_the_balance_is_dragged_and_the_evening_follows(page: Page):
    enter(page, "tonight")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("a gallon")
    slider = page.get_by_role("slider", name="Target Brix")
    before = slider.get_attribute("aria-valuenow") or ""
    box = slider.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.5)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.35, box["y"] + box["height"] * 0.5, steps=5)
    page.mouse.up()
    expect(slider).not_to_have_attribute("aria-valuenow", before)
    page.wait_for_function(
        "([slider, heading]) => heading.textContent.includes(`${slider.getAttribute('aria-valuenow')} °Bx`)",
        arg=[slider.element_handle(), heading.element_handle()])
    evening = page.get_by_role("img", name="The evening by the clock")
    for word in ("membrane", "wash", "fire", "people", "permeate"):
        expect(evening).to_contain_text(word)
    page.get_by_text("trucks, ice, hours, frost, power cut, taste").click()
    page.get_by_role("button", name="a load by truck").click()
    expect(evening).to_contain_text("truck")
    page.get_by_role("button", name="be done by then").click()
    expect(page.get_by_label("in bed, in")).not_to_have_value("")
    expect(page.get_by_role("button", name="be done by then")).to_have_count(0)
    page.get_by_role("button", name="put all back").click()


def test_what_if_trucks_taste_and_a_power_cut(page: Page):
    enter(page, "tonight")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("a gallon")
    page.get_by_text("trucks, ice, hours, frost, power cut, taste").click()
    page.get_by_role("button", name="a load by truck").click()
    page.get_by_label("brings").fill("500")
    expect(page.get_by_role("button", name="put all back")).to_be_visible()
    page.get_by_role("button", name="mild", exact=True).click()
    page.get_by_label("worth, a °Bx").fill("900")
    expect(heading).to_contain_text(re.compile(r"^[6-9] °Bx"))
    page.get_by_label("ice thrown out").fill("1000")
    expect(page.get_by_text("Without the ice")).to_be_visible()
    page.get_by_label("ice thrown out").fill("9999")
    expect(page.get_by_text("more ice is taken out than there is sap")).to_be_visible()
    page.get_by_label("ice thrown out").fill("0")
    page.get_by_label("power cut, in").fill("2")
    expect(page.get_by_text("must end after it begins").first).to_be_visible()
    page.get_by_label("back, in").fill("3")
    expect(page.get_by_text("must end after it begins")).to_have_count(0)
    page.get_by_role("button", name="put all back").click()


def nothing_on_its_way(page: Page) -> None:
    """The device's box of things to send is empty: each is the server's, and its answer is kept here."""
    page.wait_for_function("""() => new Promise((done) => {
        const open = indexedDB.open("zucker")
        open.onsuccess = () => {
            const count = open.result.transaction("outbox").objectStore("outbox").count()
            count.onsuccess = () => { open.result.close(); done(count.result === 0) }
        }
    })""")


def test_every_entry_is_kept_though_the_server_dies_three_times(page: Page, bush: Bush):
    open_run(page)
    page.reload()
    wait_for_worker(page)
    page.reload()
    lines = log_of(page).get_by_role("listitem")
    waiting = log_of(page).get_by_text("kept here, not sent yet")
    expect(log_of(page).get_by_label("Note")).to_be_visible()
    with page.expect_response(lambda answer: answer.url.endswith("/entries")):
        page.keyboard.press("l")
    expect(log_of(page).get_by_text("level seen").first).to_be_visible()
    nothing_on_its_way(page)
    before, written = lines.count(), 0
    try:
        for death in range(3):
            HOST.kill()
            page.keyboard.press("u")
            page.get_by_label("Note").fill(f"dark for the time {death}")
            page.get_by_role("button", name="Note it").click()
            written += 2
            expect(waiting).to_have_count(2)
            if death < 2:
                page.reload()
                expect(log_of(page).get_by_text(f"dark for the time {death}")).to_be_visible()
                expect(lines).to_have_count(before + written)
            HOST.start()
            if death:  # the first time it finds the server by itself
                page.evaluate("dispatchEvent(new Event('online'))")
            expect(waiting).to_have_count(0)
            nothing_on_its_way(page)
            expect(lines).to_have_count(before + written)
    finally:
        HOST.start()
    for death in range(3):
        expect(log_of(page).get_by_text(f"dark for the time {death}")).to_have_count(1)
    answer = page.request.get(f"{URL}/api/v1/operations/harrow-notch/boil").json()
    assert [entry["text"] for entry in answer["entries"] if entry["kind"] == "note"][-3:] == [f"dark for the time {k}" for k in range(3)]


def test_a_cup_test_and_the_membranes_session(page: Page, bush: Bush):
    open_run(page)
    page.keyboard.press("c")
    form = page.get_by_role("form", name="Cup test")
    form.get_by_label("the hydrometer shows").fill("58.9")
    form.get_by_role("button", name="Keep this cup").click()
    expect(log_of(page)).to_contain_text("cup test 66.")
    page.get_by_role("tab", name="the membrane").click()
    session = page.get_by_role("region", name="four-element loop")
    session.get_by_role("button", name="On", exact=True).click()
    expect(session.get_by_text("on since")).to_be_visible()
    expect(log_of(page)).to_contain_text("four-element loop on")
    session.get_by_role("button", name="Off").click()
    expect(log_of(page)).to_contain_text("four-element loop off")
    session.get_by_role("button", name="Readings").click()
    readings = page.get_by_role("form", name="Membrane readings")
    for label, value in (("sap", "2.1"), ("concentrate", "12.1"), ("permeate", "900"), ("pressure", "440"), ("sap at", "38")):
        readings.get_by_label(label, exact=True).fill(value)
    readings.get_by_role("button", name="Keep these readings").click()
    table = page.get_by_role("table", name="Readings of this run")
    expect(table).to_contain_text("12.1")
    session.get_by_role("button", name="Wash").click()
    session.get_by_role("button", name="alkali in").click()
    expect(session.get_by_role("alert")).to_contain_text("which chemical")
    session.get_by_label("chemical").fill("maker's alkali")
    session.get_by_role("button", name="alkali in").click()
    expect(session.get_by_role("listitem").filter(has_text="maker's alkali")).to_be_visible()
    session.get_by_role("button", name="acid in").click()
    expect(session.get_by_role("alert")).to_contain_text("rinse in between")
    session.get_by_role("button", name="rinsed").click()
    session.get_by_role("button", name="wash done").click()
    expect(session.get_by_role("heading", level=2)).to_contain_text("0 gal since the last")
    session.get_by_role("button", name="Done here").click()
    session.get_by_role("button", name="Clean water").click()
    test = page.get_by_role("form", name="Clean-water test")
    test.get_by_label("permeate").fill("1500")
    test.get_by_label("water at").fill("50")
    test.get_by_role("button", name="Keep this test").click()
    expect(session.get_by_role("img", name=re.compile("of new"))).to_be_visible()


def test_a_dry_pan_takes_the_whole_screen_until_it_is_seen(page: Page, bush: Bush):
    open_run(page)

    def dry(route):
        answer = route.fetch()
        facts = answer.json()
        facts["alarms"] = [{"key": "dry-pan", "value": 4.0, "tank": "", "seen": False}]
        route.fulfill(response=answer, json=facts)

    page.route("**/boil", dry)
    alarm = page.get_by_role("alertdialog", name="The pans run dry")
    expect(alarm).to_be_visible()
    expect(alarm).to_contain_text("Cut the fire first")
    page.keyboard.press("Enter")
    expect(alarm).to_be_hidden()
    expect(log_of(page)).to_contain_text("seen: the pans run dry")
    page.unroute_all(behavior="wait")


def test_a_new_plan_from_where_things_stand(page: Page, bush: Bush):
    open_run(page)
    page.get_by_role("button", name="Plan again from here").click()
    expect(page.get_by_text("From where things stand").or_(page.get_by_text("From here no target holds"))).to_be_visible()
    go = page.get_by_role("button", name="go by this")
    if go.count():
        go.first.click()
        expect(page.get_by_role("button", name="Plan again from here")).to_be_visible()
        expect(page.get_by_text(re.compile("planned by now"))).to_be_visible()


def test_from_a_lot_to_a_label(page: Page, tmp_path):
    enter(page, "barrels")
    expect(page.get_by_role("heading", level=1)).to_contain_text("packed")
    page.get_by_role("button", name="New lot").click()
    form = page.get_by_role("form", name="New lot")
    form.get_by_label("finished, cold").fill("60")
    form.get_by_label("true density").fill("69.5")
    form.get_by_label("light through").fill("55")
    form.get_by_role("button", name="Make the lot").click()
    expect(form.get_by_text("crystallise")).to_be_visible()
    form.get_by_label("true density").fill("67.0")
    form.get_by_role("button", name="Make the lot").click()
    expect(form).to_be_hidden()
    page.get_by_role("button", name="Fill containers").click()
    fill = page.get_by_role("form", name="Fill containers")
    fill.get_by_label("into").select_option("gallon jug")
    fill.get_by_label("how many").fill("999")
    fill.get_by_label("filled at").fill("170")
    expect(fill.get_by_text("it may not keep")).to_be_visible()
    fill.get_by_label("filled at").fill("185")
    fill.get_by_role("button", name="Filled").click()
    expect(fill.get_by_text("left", exact=False).first).to_be_visible()
    fill.get_by_label("how many").fill("12")
    fill.get_by_role("button", name="Filled").click()
    expect(fill).to_be_hidden()
    page.get_by_role("link", name=re.compile("gallon jug")).first.click()
    trace = page.get_by_role("region", name="Where it comes from")
    expect(trace.get_by_role("link", name=re.compile("^run "))).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="labels, PDF").click()
    download.value.save_as(tmp_path / "labels.pdf")
    assert (tmp_path / "labels.pdf").read_bytes().startswith(b"%PDF")
    went = page.get_by_role("form", name="Where it went")
    went.get_by_label("how many").fill("5")
    went.get_by_label("for, in all").fill("260")
    went.get_by_role("button", name="Note it").click()
    expect(page.get_by_text("5 sold, $260.00")).to_be_visible()


def test_a_blend_to_a_colour(page: Page):
    enter(page, "barrels")
    page.get_by_role("button", name="Blend lots").click()
    form = page.get_by_role("form", name="Blend")
    form.get_by_label("to make").fill("1")
    form.get_by_label("light, at least").fill("99")
    expect(form.get_by_text("reach")).to_be_visible()
    form.get_by_label("light, at least").fill("30")
    expect(form.get_by_text(re.compile("1 gal of (dark|amber|golden)"))).to_be_visible()


def test_years_lead_to_their_runs(page: Page):
    enter(page, "season")
    expect(page.get_by_role("heading", level=1)).to_contain_text("runs")
    years = page.get_by_role("table", name="Years compared")
    years.get_by_role("button").nth(1).click()
    runs = page.get_by_role("region", name=re.compile("^Runs of"))
    expect(runs.get_by_role("link").first).to_be_visible()
    runs.get_by_role("link").first.click()
    expect(page).to_have_url(re.compile("/ledger/"))
    expect(page.get_by_role("heading", level=1)).to_contain_text("gal")


def test_earlier_years_by_their_columns(page: Page):
    enter(page, "ledger/import")
    page.get_by_label("CSV").fill("When,Made,Boiled in\n2019-03-10,120,7\n2019-03-12,abc,6\n")
    expect(page.get_by_text("0 runs can be taken.")).to_be_visible()
    page.get_by_label("date", exact=True).select_option("When")
    page.get_by_label("syrup made").select_option("Made")
    expect(page.get_by_text("1 runs can be taken.")).to_be_visible()
    expect(page.get_by_text("line 3")).to_be_visible()
    page.get_by_role("button", name="Take them over").click()
    expect(page.get_by_text("1 runs taken over")).to_be_visible()


def test_a_list_is_ticked_with_who_and_when(page: Page):
    enter(page, "lists/membrane-wash")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Membrane wash")
    first = page.get_by_role("checkbox").first
    first.check()
    expect(page.get_by_text(re.compile(r"^marit, \d\d:\d\d$"))).to_be_visible()
    first.uncheck()
    expect(page.get_by_text(re.compile(r"^marit, \d\d:\d\d$"))).to_have_count(0)


@pytest.mark.parametrize("room", ["boil", "boil/membrane", "barrels", "lists", "ledger"])
def test_rooms_fit_a_phone(page: Page, room: str):
    enter(page, room)
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{URL}/harrow-notch/{room}")
    expect(page.locator("main").get_by_role("heading").first).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390


def test_weather_is_typed_and_enters_the_plan(page: Page):
    enter(page, "tonight")
    page.get_by_role("button", name="type the weather").click()
    form = page.get_by_role("form", name="Weather")
    form.get_by_label("warmest").fill("20")
    form.get_by_label("coldest").fill("45")
    form.get_by_role("button", name="Forecast by these").click()
    expect(form.get_by_text("is warmer than the warmest")).to_be_visible()
    expect(form.get_by_label("coldest")).to_have_value("45")
    form.get_by_label("warmest").fill("45")
    form.get_by_label("coldest").fill("20")
    form.get_by_role("button", name="Forecast by these").click()
    expect(form).to_be_hidden()
    expect(page.get_by_text(re.compile("Frost from .* to (19|20|21) °F"))).to_be_visible()


def test_every_sum_of_the_bench_answers(page: Page):
    enter(page, "bench")
    names = page.get_by_role("navigation", name="Calculators").get_by_role("link")
    expect(names.first).to_be_visible()
    assert names.count() >= 28
    for k in range(names.count()):
        names.nth(k).click()
        expect(page.get_by_role("heading", level=1)).to_have_text(names.nth(k).inner_text())
        expect(page.locator(".huge")).to_be_visible()
        expect(page.get_by_role("alert")).to_have_count(0)
    page.goto(f"{URL}/harrow-notch/bench/clean-water")
    page.get_by_label("permeate now").fill("300")
    expect(page.locator(".huge")).to_have_text(re.compile("^88[.]7"))
    page.get_by_label("water at").fill("200")
    expect(page.get_by_text("200 °F is too much: 113 °F or less")).to_be_visible()


def test_a_run_goes_out_as_pdf_xlsx_csv_and_json(page: Page, tmp_path):
    enter(page, "ledger")
    runs = page.request.get(f"{URL}/api/v1/operations/harrow-notch/runs").json()
    closed = next(run["number"] for run in runs if run["closing"])
    page.goto(f"{URL}/harrow-notch/ledger/{closed}")
    for name, start in (("run sheet, PDF", b"%PDF"), ("as a workbook", b"PK"), ("the run as CSV", b"at,"), ("as JSON", b"{")):
        with page.expect_download() as download:
            page.get_by_role("link", name=name).click()
        download.value.save_as(tmp_path / "run")
        assert (tmp_path / "run").read_bytes().lstrip(b"\xef\xbb\xbf").startswith(start), name
