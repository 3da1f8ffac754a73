import { cleanup, render } from "@testing-library/react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { Message } from "./Message";

const pulled = vi.fn();
beforeEach(() => {
  pulled.mockReset();
  Element.prototype.scrollIntoView = pulled;
});
afterEach(cleanup);

it("comes into sight once for what it says, and again only for something else", () => {
  const { rerender } = render(<Message tone="out"><p>Inject again.</p></Message>);
  expect(pulled).toHaveBeenCalledTimes(1);
  rerender(<Message tone="out"><p>Inject again.</p></Message>); // drawn anew, such as by live readings
  expect(pulled).toHaveBeenCalledTimes(1);
  rerender(<Message tone="out"><p>Lost 3 kPa.</p></Message>);
  expect(pulled).toHaveBeenCalledTimes(2);
});

it("what is merely said pulls nobody away", () => {
  render(<Message><p>All went well.</p></Message>);
  expect(pulled).not.toHaveBeenCalled();
});
