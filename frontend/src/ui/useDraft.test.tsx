import { act, renderHook } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import { useDraft, useDraftForm } from "./useDraft";

beforeEach(() => localStorage.clear());

describe("drafts", () => {
  it("come back after the page is left", () => {
    const first = renderHook(() => useDraft("run/as_found"));
    act(() => first.result.current[1]("12,0"));
    first.unmount();
    expect(renderHook(() => useDraft("run/as_found")).result.current[0]).toBe("12,0");
  });
  it("belong to their key: another step starts empty", () => {
    const hook = renderHook(({ key }) => useDraft(key), { initialProps: { key: "a" } });
    act(() => hook.result.current[1]("4.01"));
    hook.rerender({ key: "b" });
    expect(hook.result.current[0]).toBe("");
    hook.rerender({ key: "a" });
    expect(hook.result.current[0]).toBe("4.01");
  });
  it("of a form keep every field, set one after another in the same moment", () => {
    const form = renderHook(() => useDraftForm("form"));
    act(() => {
      form.result.current[1]("tag", "PT-1");
      form.result.current[1]("serial", "S-1");
    });
    expect(form.result.current[0]).toEqual({ tag: "PT-1", serial: "S-1" });
    act(() => form.result.current[3](["tag"]));
    expect(form.result.current[0]).toEqual({ serial: "S-1" });
    act(() => form.result.current[2]());
    expect(form.result.current[0]).toEqual({});
  });
  it("survive rubbish in the store", () => {
    localStorage.setItem("draft:form", "{not json");
    expect(renderHook(() => useDraftForm("form")).result.current[0]).toEqual({});
  });
});
