import { describe, expect, it } from "vitest";
import { isSentAgain, waitOf } from "./again";
import { ApiFailure } from "./client";

const full = new ApiFailure(503, { code: "store_full" });

describe("sending again by itself", () => {
  it("is done where the server could store nothing, and nowhere else", () => {
    expect(isSentAgain(0, full)).toBe(true);
    expect(isSentAgain(0, new ApiFailure(503, { code: "unknown" }))).toBe(false); // a proxy's own: nobody knows what became of it
    expect(isSentAgain(0, new ApiFailure(500, { code: "server_error" }))).toBe(false);
    expect(isSentAgain(0, new Error("x"))).toBe(false);
  });

  it("ends after ten minutes", () => {
    let waited = 0;
    let count = 0;
    while (isSentAgain(count, full)) waited += waitOf(count++);
    expect(waited).toBeGreaterThan(9 * 60_000);
    expect(waited).toBeLessThan(11 * 60_000);
  });
});
