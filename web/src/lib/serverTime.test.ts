import { beforeEach, describe, expect, it, vi } from "vitest";
import { seeServerTime, serverNow } from "./serverTime";

const kept = new Map<string, string>();

describe("the server's clock without coverage", () => {
  beforeEach(() => {
    kept.clear();
    vi.stubGlobal("localStorage", {
      getItem: (k: string) => kept.get(k) ?? null,
      setItem: (k: string, v: string) => kept.set(k, v),
    });
  });

  it("is the device's own while the server was never heard", () => {
    expect(serverNow(1000)).toBe(1000);
  });

  it("goes on from when it was last seen, at its pace", () => {
    seeServerTime("2026-03-17T18:00:00Z", 30, 5_000);
    expect(serverNow(15_000)).toBe(Date.parse("2026-03-17T18:05:00Z"));
  });

  it("survives a store that holds nonsense", () => {
    kept.set("server time", "{");
    expect(serverNow(7)).toBe(7);
  });
});
