import { act, cleanup, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { useKept } from "./useKept";

describe("a form that is kept until it is stored", () => {
  beforeEach(() => localStorage.clear());
  afterEach(cleanup);
  const open = (start: { a: string; b: string }) => renderHook(() => useKept("form", start)).result;
  it("stands as it was left, beside what was stored when it was first changed", () => {
    const first = open({ a: "1", b: "2" });
    act(() => first.current.set((f) => ({ ...f, a: "9" })));
    const again = open({ a: "1", b: "3" }); // another stored b meanwhile
    expect(again.current.form).toEqual({ a: "9", b: "2" });
    expect(again.current.seen).toEqual({ a: "1", b: "2" });
    expect(again.current.isKept).toBe(true);
  });
  it("is as it is stored where nothing was changed, was changed back, was stored or given up", () => {
    const start = { a: "1", b: "2" };
    const first = open(start);
    act(() => first.current.set((f) => ({ ...f, a: "9" })));
    act(() => first.current.set((f) => ({ ...f, a: "1" })));
    expect(open({ a: "5", b: "2" }).current.form).toEqual({ a: "5", b: "2" });
    act(() => first.current.set((f) => ({ ...f, a: "9" })));
    act(() => first.current.stored());
    expect(open(start).current.isKept).toBe(false);
    act(() => first.current.set((f) => ({ ...f, a: "8" })));
    const last = open(start);
    act(() => last.current.drop());
    expect(last.current.form).toEqual(start);
    expect(open(start).current.isKept).toBe(false);
  });
  it("of another goes its own way when the page goes on to that one, and back", () => {
    const start = { a: "1", b: "2" };
    const { result, rerender } = renderHook(({ key }) => useKept(key, start), { initialProps: { key: "one" } });
    act(() => result.current.set((f) => ({ ...f, a: "9" })));
    rerender({ key: "two" });
    expect([result.current.form, result.current.isKept]).toEqual([start, false]);
    act(() => result.current.set((f) => ({ ...f, b: "7" })));
    rerender({ key: "one" });
    expect([result.current.form, result.current.isKept]).toEqual([{ a: "9", b: "2" }, true]);
  });
  it("asks before the window is closed, and not once it is given up", () => {
    const first = open({ a: "1", b: "2" });
    const asks = () => !window.dispatchEvent(new Event("beforeunload", { cancelable: true }));
    expect(asks()).toBe(false);
    act(() => first.current.set((f) => ({ ...f, a: "9" })));
    expect(asks()).toBe(true);
    act(() => first.current.drop());
    expect(asks()).toBe(false);
  });
});
