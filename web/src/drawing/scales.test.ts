import { describe, expect, it } from "vitest";
import { SHORTFALL, stateOf, sugarColour } from "./scales";

const brightness = (colour: string) => (colour.match(/\d+/g) ?? []).reduce((sum, part) => sum + Number(part), 0);

describe("the sugar scale", () => {
  it("only darkens from sap to syrup", () => {
    const steps = [1, 2, 4, 8, 12, 18, 25, 40, 60, 67].map((brix) => brightness(sugarColour(brix)));
    for (let i = 1; i < steps.length; i++) expect(steps[i]).toBeLessThan(steps[i - 1] as number);
    expect(sugarColour(0)).toBe(sugarColour(1));
  });
});

describe("the shortfall scale", () => {
  it("tells each state by word and width, not by colour alone", () => {
    const looks = Object.values(SHORTFALL);
    expect(new Set(looks.map((look) => look.word)).size).toBe(looks.length);
    expect(new Set(looks.map((look) => `${look.width}${look.dash}`)).size).toBe(looks.length);
  });
  it("takes an unknown word for silence", () => {
    expect(stateOf("losing")).toBe("losing");
    expect(stateOf("bewitched")).toBe("silent");
  });
});
