"""A leak hunted from its alarm to the repair, by mouse and by keyboard; what axe says of every room."""

import json
import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from .conftest import enter

AXE = Path(__file__).resolve().parents[2] / "web/node_modules/axe-core/axe.min.js"


def test_a_leak_is_hunted_from_alarm_to_repair(page: Page):
    enter(page, "hunt")
    expect(page.get_by_role("heading", level=1)).to_contain_text("leak")
    line = page.get_by_role("listitem").filter(has_text="UN-07")
    expect(line).to_contain_text("UN-07E stands")
    expect(line).to_contain_text("gal of sap lost")
    line.get_by_role("button", name="Seen").click()
    expect(line).to_contain_text("seen by marit")
    frozen = page.get_by_role("listitem").filter(has_text="UN-12")
    expect(frozen).to_contain_text("Wait for the thaw")
    line.get_by_role("button", name="Hunt it").click()
    # the first hunt of a bush waits for its leak table; a busy machine takes its time
    expect(page).to_have_url(re.compile(r"/hunt/\d+$"))
    expect(page.get_by_role("heading", level=1)).to_contain_text("of UN-07")
    expect(page.get_by_role("img", name="Probability along the line")).to_be_visible()
    next_step = page.get_by_role("region", name="What to do next")
    expect(next_step).to_contain_text("Next: look over UN-07")
    expect(next_step.get_by_role("row")).to_have_count(2)
    first = next_step.get_by_role("heading").inner_text()
    next_step.get_by_role("button", name="Nothing there").click()
    expect(page.get_by_text("Looked over UN-07")).to_be_visible()
    expect(next_step.get_by_role("heading")).not_to_have_text(first)
    page.get_by_role("button", name="undo").click()
    expect(next_step.get_by_role("heading")).to_have_text(first)
    # the rest by keyboard alone
    next_step.get_by_role("button", name="Found it").focus()
    page.keyboard.press("Enter")
    page.get_by_role("radio", name="loose spout").focus()
    page.keyboard.press("Space")
    page.get_by_label("Parts used").fill("1 spout")
    page.reload()  # nothing typed is lost
    page.get_by_role("region", name="What to do next").get_by_role("button", name="Found it").click()
    expect(page.get_by_label("Parts used")).to_have_value("1 spout")
    page.get_by_role("button", name="Note it as found").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_contain_text("loose spout at UN-07")
    page.get_by_role("button", name="Mended").click()
    expect(page.get_by_text("The gauges prove it")).to_be_visible()
    page.get_by_label("A note").fill("squirrel tracks")
    page.get_by_role("button", name="Write").click()
    expect(page.get_by_role("listitem").filter(has_text="squirrel tracks")).to_be_visible()
    page.get_by_role("link", name="all hunts").click()
    page.get_by_role("heading", name="Out alone").wait_for()
    expect(page.get_by_role("table", name="Hunts, the open ones first").get_by_role("row").filter(has_text="UN-07")).to_contain_text("mended, being proven")


def test_a_place_that_is_not_there_is_refused_beside_the_form(page: Page):
    enter(page, "hunt")
    page.get_by_role("listitem").filter(has_text="CH-08").get_by_role("button", name="Hunt it all the same").click()
    expect(page).to_have_url(re.compile(r"/hunt/\d+$"))
    page.get_by_role("button", name="Found it somewhere else").click()
    page.get_by_label("Where: saddle, valve or lateral end").fill("CH-99")
    page.get_by_role("button", name="Note it as found").click()
    expect(page.get_by_role("alert").first).to_contain_text("there is no point 'CH-99'")
    expect(page.get_by_label("Where: saddle, valve or lateral end")).to_have_value("CH-99")


def test_the_letter_h_goes_to_the_hunt(page: Page):
    enter(page, "woods")
    page.get_by_role("heading", level=1).wait_for()
    page.keyboard.press("h")
    expect(page).to_have_url(re.compile("/hunt$"))


@pytest.mark.parametrize("room", ["woods", "hunt", "hunt/1", "hunt/sheet", "bushbook", "bushbook/upper-notch/lines", "bushbook/upper-notch/tapping", "bushbook/upper-notch/ages", "bushbook/upper-notch/files", "bushbook/new", "drill", "tonight", "boil", "boil/membrane", "barrels", "season", "lists", "ledger", "ledger/import", "bench"])
def test_axe_finds_nothing(page: Page, room: str):
    page.emulate_media(color_scheme="light", reduced_motion="reduce")
    enter(page, room)
    page.get_by_role("heading", level=1).first.wait_for()
    page.wait_for_timeout(700)
    page.evaluate(AXE.read_text())
    for scheme, theme in (("light", "day"), ("dark", "night")):
        page.emulate_media(color_scheme=scheme, reduced_motion="reduce")
        expect(page.locator("html")).to_have_attribute("data-theme", theme)
        found = page.evaluate("async () => (await axe.run(document, {resultTypes: ['violations']})).violations")
        told = [{"id": v["id"], "where": [n["html"][:160] for n in v["nodes"][:3]],
                 "why": v["nodes"][0]["failureSummary"][:220]} for v in found]
        assert not told, json.dumps({scheme: told}, indent=1)


def test_the_map_zooms_moves_and_finds_a_tag(page: Page):
    enter(page, "woods")
    drawing = page.get_by_label("Map of the lines; the table beside it says the same")
    drawing.wait_for()
    whole = drawing.get_attribute("viewBox")

    def until_narrower(than: float) -> None:
        page.wait_for_function("([drawing, than]) => drawing.viewBox.baseVal.width < than", arg=[drawing.element_handle(), than])

    wide = float((whole or "").split()[2])
    drawing.hover()
    page.mouse.wheel(0, -600)
    expect(page.get_by_role("button", name="All")).to_be_visible()
    until_narrower(wide / 2)
    before = drawing.get_attribute("viewBox") or ""
    box = drawing.bounding_box()
    assert box
    page.mouse.move(box["x"] + 200, box["y"] + 200)
    page.mouse.down()
    page.mouse.move(box["x"] + 260, box["y"] + 230, steps=4)
    page.mouse.up()
    expect(drawing).not_to_have_attribute("viewBox", before)
    # the drag chose no line
    expect(page).to_have_url(re.compile("/woods$"))
    page.get_by_role("group", name=re.compile("^Map:")).focus()
    page.keyboard.press("0")
    expect(drawing).to_have_attribute("viewBox", whole or "")
    page.keyboard.press("+")
    page.keyboard.press("ArrowLeft")
    until_narrower(wide)
    page.get_by_label("find").fill("un-09m")
    page.keyboard.press("Enter")
    expect(drawing.get_by_text("UN-09M")).to_be_visible()
    page.get_by_label("find").fill("CH-05")
    expect(page).to_have_url(re.compile("/woods/CH-05$"))
    page.get_by_label("find").fill("XX-99")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("no line, gauge or valve “XX-99”")


def test_a_gauge_over_time_shows_its_alarm(page: Page):
    enter(page, "woods/UN-07")
    page.get_by_text("over time").click()
    chart = page.get_by_role("img", name="Vacuum over time")
    expect(chart).to_contain_text("a leak")
    page.get_by_text("the season").click()
    expect(chart).to_contain_text("Mar")
    page.get_by_role("figure").get_by_text("an hour", exact=True).click()
    expect(chart).to_contain_text("inHg")
