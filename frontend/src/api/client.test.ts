import { afterEach, describe, expect, it, vi } from "vitest";
import { pretendServer } from "../test/render";
import { ApiFailure, client, unwrap } from "./client";

afterEach(() => {
  vi.unstubAllGlobals();
  document.cookie = "csrftoken=; max-age=0";
});

describe("the client", () => {
  it("gives the data of a good answer", async () => {
    pretendServer({ "GET /api/v1/holds/": { body: [] } });
    expect(await unwrap(client.GET("/api/v1/holds/"))).toEqual([]);
  });
  it("throws what the server said, with its code and field", async () => {
    pretendServer({ "GET /api/v1/today/": { status: 401, body: { code: "not_signed_in", message: "Sign in again.", field: "", details: {} } } });
    const failure = await unwrap(client.GET("/api/v1/today/")).catch((e: unknown) => e);
    expect(failure).toBeInstanceOf(ApiFailure);
    expect(failure).toMatchObject({ code: "not_signed_in", status: 401, message: "Sign in again." });
  });
  it("says in plain words that the server can't be reached", async () => {
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("Failed to fetch")));
    const failure = await unwrap(client.GET("/api/v1/today/")).catch((e: unknown) => e);
    expect(failure).toMatchObject({ code: "no_connection", status: 0 });
    expect((failure as ApiFailure).message).toContain("what you typed is kept");
  });
  it("sends the token with every write and with no read", async () => {
    document.cookie = "csrftoken=abc";
    const tokens: (string | null)[] = [];
    vi.stubGlobal("fetch", (request: Request) => {
      tokens.push(request.headers.get("X-CSRFToken"));
      return Promise.resolve(new Response("[]", { headers: { "Content-Type": "application/json" } }));
    });
    await client.GET("/api/v1/holds/");
    await client.DELETE("/api/v1/session/");
    expect(tokens).toEqual([null, "abc"]);
  });
});

describe("a failure of a form", () => {
  it("is told by field", () => {
    const several = new ApiFailure(400, {
      message: "Two.", details: { faults: [{ field: "urv", message: "URV is empty." }, { field: "tag", message: "Tag is missing." }] },
    });
    expect(several.byField).toEqual({ urv: "URV is empty.", tag: "Tag is missing." });
    expect(new ApiFailure(400, { message: "Bad.", field: "urv" }).byField).toEqual({ urv: "Bad." });
    expect(new ApiFailure(500, {}).message).toContain("What you entered is kept");
  });
});
