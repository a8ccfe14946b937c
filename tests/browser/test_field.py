"""The field phone: no coverage, out alone, rounds of dials, the walk sheet; pump stations asked from afar."""

import re

import pytest
from playwright.sync_api import Browser, Page, expect

from standins.places import PASSWORD

from .conftest import PATIENCE_MS, URL, enter

PICTURE = bytes.fromhex(
    "89504e470d0a1a0a0000000d4948445200000001000000010802000000907753de0000000c4944415408d763f8cfc0f01f0005000" "1ff89997c1d0000000049454e44ae426082")


@pytest.fixture
def phone(browser: Browser, zucker: str, bush):
    """A phone of 390x844 with a thumb; its console's errors are not looked at, because it is cut off on purpose."""
    context = browser.new_context(viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True)
    context.set_default_timeout(PATIENCE_MS)
    page = context.new_page()
    yield page
    context.close()


def sign_in(page: Page, who: str):
    page.goto(URL)
    page.get_by_label("Name").fill(who)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in", exact=True).click()
    page.get_by_role("navigation", name="The line from woods to barrels").wait_for()


def wait_for_worker(page: Page):
    """Until the service worker holds the interface, really: files in its cache."""
    page.evaluate("navigator.serviceWorker.ready")
    page.wait_for_function("""async () => {
        const names = await caches.keys();
        let count = 0;
        for (const name of names) count += (await (await caches.open(name)).keys()).length;
        return count > 15 && navigator.serviceWorker.controller !== null;
    }""")


def wait_until_kept(page: Page, room: str, number: str):
    """What was shown is kept on the device a moment later, to be shown again without coverage."""
    page.wait_for_function("""([room, number]) => new Promise((done) => {
        const open = indexedDB.open("zucker")
        open.onsuccess = () => {
            const kept = open.result.transaction("answers").objectStore("answers").get("queries")
            kept.onsuccess = () => {
                open.result.close()
                const queries = kept.result ? kept.result.value.queries : []
                done(queries.some(({queryKey}) => queryKey[0] === room && String(queryKey.at(-1)) === number))
            }
        }
    })""", arg=[room, number])


def steps_at_server(page: Page, number: str):
    answer = page.request.get(f"{URL}/api/v1/operations/harrow-notch/hunts/{number}")
    return answer.json()["steps_log"]


def test_a_hunt_without_coverage_is_sent_once_and_in_order(phone: Page):
    page = phone
    sign_in(page, "josef")
    page.goto(f"{URL}/harrow-notch/hunt")
    page.get_by_role("button", name="Hunt there").click()
    expect(page).to_have_url(re.compile(r"/hunt/\d+$"))
    number = page.url.rsplit("/", 1)[1]
    page.get_by_role("heading", level=1).filter(has_text="Within").wait_for()
    page.reload()
    wait_for_worker(page)
    page.reload()
    page.get_by_role("heading", level=1).filter(has_text="Within").wait_for()
    wait_until_kept(page, "hunt", number)
    page.wait_for_timeout(2500)  # and so are the answers to what this page asked last

    page.context.set_offline(True)
    todo = page.get_by_role("region", name="What to do next")
    first = todo.get_by_role("heading").inner_text()
    looked = todo.get_by_role("button", name="Nothing there")
    (looked if looked.count() else todo.get_by_role("button", name="Done: it stayed")).click()
    waiting = page.get_by_role("list", name="Not sent yet")
    expect(waiting).to_contain_text("waits for coverage")
    expect(page.get_by_text(first, exact=True)).to_be_hidden()  # it is not advised again
    page.get_by_label("A note").fill("tracks of a deer")
    page.get_by_role("button", name="Write").click()
    page.get_by_label("A note").fill("chewed")
    page.set_input_files("input[type=file]", {"name": "chew.png", "mimeType": "image/png", "buffer": PICTURE})
    expect(waiting.get_by_role("listitem")).to_have_count(3)

    # nothing is lost by a reload, nor by closing the page; the whole room stands without coverage
    page.reload()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Within")
    expect(page.get_by_text("No connection")).to_contain_text("3 things written here wait to be sent")
    expect(waiting.get_by_role("listitem")).to_have_count(3)
    context = page.context
    page.close()
    page = context.new_page()
    page.goto(f"{URL}/harrow-notch/hunt/{number}")
    expect(page.get_by_role("list", name="Not sent yet").get_by_role("listitem")).to_have_count(3)

    context.set_offline(False)
    page.evaluate("dispatchEvent(new Event('online'))")
    expect(page.get_by_role("list", name="Not sent yet")).to_be_hidden()
    steps = steps_at_server(page, number)
    assert [s["kind"] for s in steps] == ["look" if "look" in first else "shut", "note", "photo"]
    assert [s["facts"].get("text") for s in steps[1:]] == ["tracks of a deer", "chewed"]
    assert len({s["token"] for s in steps}) == 3
    page.reload()
    expect(page.get_by_role("img", name=re.compile("^at "))).to_be_visible()
    page.wait_for_timeout(1000)
    assert len(steps_at_server(page, number)) == 3  # and only once


def test_what_the_server_will_not_take_is_shown_and_kept(phone: Page, browser: Browser):
    page = phone
    sign_in(page, "josef")
    page.goto(f"{URL}/harrow-notch/hunt")
    page.get_by_role("button", name="Hunt there").click()
    expect(page).to_have_url(re.compile(r"/hunt/\d+$"))
    number = page.url.rsplit("/", 1)[1]
    page.get_by_role("heading", level=1).filter(has_text="Within").wait_for()
    page.context.set_offline(True)
    page.get_by_role("button", name="Found it somewhere else").click()
    page.get_by_label("Where: saddle, valve or lateral end").fill("UN-03.4")
    page.get_by_role("button", name="Note it as found").click()
    expect(page.get_by_role("list", name="Not sent yet")).to_contain_text("Found at UN-03.4")
    expect(page.get_by_role("heading", name="mend it")).to_be_visible()  # the person in the woods goes on
    page.get_by_label("A note").fill("two spouts left")
    page.get_by_role("button", name="Write").click()

    # meanwhile somebody gives the hunt up
    other = browser.new_context()
    boss = other.new_page()
    sign_in(boss, "marit")
    boss.evaluate("""async ([url]) => {
        const crumb = document.cookie.match(/csrftoken=([^;]*)/)[1];
        await fetch(url, {method: "POST", headers: {"Content-Type": "application/json", "X-CSRFToken": crumb}, body: JSON.stringify({kind: "dropped"})});
    }""", [f"/api/v1/operations/harrow-notch/hunts/{number}/steps"])
    other.close()

    page.context.set_offline(False)
    page.evaluate("dispatchEvent(new Event('online'))")
    told = page.get_by_role("list", name="Not sent yet")
    expect(told).to_contain_text("not taken: a case that is dropped takes no “found”")
    expect(told.get_by_role("listitem")).to_have_count(1)  # the note after it was taken
    assert [s["kind"] for s in steps_at_server(page, number)] == ["note", "dropped"]  # by when they were done
    page.reload()
    expect(told).to_contain_text("not taken")
    told.get_by_role("button", name="drop it").click()
    expect(told).to_be_hidden()


def test_out_alone_without_coverage_says_that_nobody_knows(phone: Page):
    page = phone
    sign_in(page, "josef")
    page.goto(f"{URL}/harrow-notch/hunt")
    out = page.get_by_role("region", name="Out alone")
    out.get_by_label("I go out alone to").fill("upper end of CH-09")
    page.context.set_offline(True)
    out.get_by_role("button", name="Going").click()
    expect(out.get_by_role("alert")).to_contain_text("Nobody knows yet that you are out at upper end of CH-09")
    page.context.set_offline(False)
    page.evaluate("dispatchEvent(new Event('online'))")
    expect(out.get_by_role("listitem").filter(has_text="josef")).to_contain_text("due back at")
    expect(out.get_by_role("alert")).to_be_hidden()
    out.get_by_role("button", name="Back").click()
    expect(out).to_contain_text("Nobody.")


def test_somebody_overdue_is_said_in_every_room(page: Page):
    enter(page, "hunt")
    page.route("**/walks", lambda route: route.fulfill(json=[{
        "id": 1, "token": "6f1f7c9e-1111-4222-8333-444455556666", "who": "josef", "place": "CH-09", "since": "2026-03-17T12:00:00Z",
        "due_at": "2026-03-17T14:00:00Z", "back_at": None, "overdue": True}]))
    page.goto(f"{URL}/harrow-notch/bench")
    expect(page.get_by_role("alert").filter(has_text="josef was due back at 10:00 from CH-09")).to_be_visible()


def test_the_walk_sheet_fits_one_page(page: Page):
    enter(page, "hunt/sheet")
    sheet = page.get_by_role("article", name="Walk sheet")
    sheet.get_by_role("img", name="Probability along the line").first.wait_for()
    expect(sheet).to_contain_text("To do, and what it would mean")
    page.emulate_media(media="print")
    pdf = page.pdf(format="Letter")
    assert pdf.count(b"/Type /Page\n") + pdf.count(b"/Type /Page ") <= 1 or pdf.count(b"/Count 1") >= 1


def test_a_pump_is_asked_to_stop_and_start_and_refuses_in_local_control(page: Page, bush):
    bush.gateway.tend_stations(bush.now())
    enter(page, "woods")
    stations = page.get_by_role("list", name="Pump stations")
    line = stations.get_by_role("listitem").filter(has_text="CH-PUMP")
    expect(line).to_contain_text("runs")
    line.get_by_role("button", name="ask to stop").click()
    expect(line).to_contain_text("switches it to local first")
    line.get_by_role("button", name="Stop CH-PUMP").click()
    expect(line).to_contain_text("marit asked to stop")
    expect(line).to_contain_text("waiting")
    assert bush.gateway.tend_stations(bush.now()) == ["stop CH-PUMP: done"]
    expect(line).to_contain_text("stands")
    line.get_by_role("button", name="ask to start").click()
    line.get_by_role("button", name=re.compile("^Start CH-PUMP")).click()
    expect(line).to_contain_text("waiting")
    house = next(h for h in bush.gateway.houses if h.tag == "CH-PUMP")
    house.local = True
    bush.gateway.tend_stations(bush.now())
    expect(line).to_contain_text("refused, the switch at the pump house stands on local")
    line.get_by_role("button", name="ask to start").click()
    line.get_by_role("button", name=re.compile("^Start CH-PUMP")).click()
    expect(line.get_by_role("alert")).to_contain_text("local control")
    house.local, house.running, house.turned_at_s = False, True, None
    bush.gateway.tend_stations(bush.now())


def test_contacts_are_added_tried_and_removed(page: Page):
    enter(page, "hunt")
    told = page.get_by_role("region", name="Who is told")
    told.get_by_role("button", name="Tell one more").click()
    told.get_by_label("E-mail address").fill("nobody")
    told.get_by_role("button", name="Add").click()
    expect(told.get_by_role("alert")).to_contain_text("is not an e-mail address")
    told.get_by_label("E-mail address").fill("boss@sugar.example")
    told.get_by_label("quiet from").select_option("22")
    told.get_by_label("to", exact=True).select_option("6")
    told.get_by_role("button", name="Add").click()
    line = told.get_by_role("listitem").filter(has_text="boss@sugar.example")
    expect(line).to_contain_text("quiet from 22 to 6 h")
    line.get_by_role("button", name="Send a trial").click()
    expect(told.get_by_role("status")).to_contain_text("sent")
    line.get_by_role("button", name="Remove").click()
    expect(line).to_be_hidden()


def test_lines_by_waking_and_by_sap(page: Page):
    enter(page, "woods")
    page.get_by_text("waking", exact=True).click()
    expect(page.get_by_role("table", name="Lines by waking").get_by_role("row").filter(has_text="UN-12")).to_contain_text("mornings")
    page.get_by_text("sap a tap", exact=True).click()
    expect(page.get_by_role("table", name="Sap a tap and day by line, laggards first").get_by_role("row")).to_have_count(22)
    page.get_by_text("what they lose", exact=True).click()
