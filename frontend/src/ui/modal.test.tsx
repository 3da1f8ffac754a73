import { cleanup, render, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { whenFree } from "./focus";
import { Modal } from "./Modal";

beforeEach(() => vi.stubGlobal("ResizeObserver", class { observe() {} unobserve() {} disconnect() {} }));
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function page(open: boolean) {
  return (
    <>
      <button>On the page</button>
      <Modal open={open} onClose={() => undefined} title="Why">
        <input aria-label="Reason" autoFocus />
      </Modal>
    </>
  );
}

describe("a window over the page", () => {
  it.each(["first", "next"])("keeps the page behind it from taking the keyboard when it is there open from the start: the %s one", async () => {
    const { container, rerender } = render(page(true));
    await screen.findByLabelText("Reason");
    await waitFor(() => expect(container.inert).toBe(true));
    rerender(page(false));
    await waitFor(() => expect(container.inert).toBeFalsy());
  });

  it("is followed by what waited for the page, which is dropped with whoever asked for it", async () => {
    const root = document.body.appendChild(document.createElement("div"));
    root.id = "root";
    const [asked, dropped] = [vi.fn(), vi.fn()];
    root.inert = true;
    root.setAttribute("aria-hidden", "true");
    whenFree(asked);
    whenFree(dropped)();
    expect(asked).not.toHaveBeenCalled();
    root.inert = false;
    root.removeAttribute("aria-hidden");
    await waitFor(() => expect(asked).toHaveBeenCalledTimes(1));
    expect(dropped).not.toHaveBeenCalled();
    whenFree(asked);
    expect(asked).toHaveBeenCalledTimes(2);
    root.remove();
  });
});
