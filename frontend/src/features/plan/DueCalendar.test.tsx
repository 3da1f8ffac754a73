import { cleanup, fireEvent, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { pretendServer, show } from "../../test/render";
import { DueCalendar } from "./DueCalendar";

function iso(offset: number) {
  const at = new Date();
  at.setDate(at.getDate() - ((at.getDay() + 6) % 7) + offset);
  return `${at.getFullYear()}-${String(at.getMonth() + 1).padStart(2, "0")}-${String(at.getDate()).padStart(2, "0")}`;
}

const today = (new Date().getDay() + 6) % 7;
const days = Array.from({ length: 14 }, (_, n) => ({
  day: iso(n),
  due: n === today ? 4 : n === 9 ? 1 : 0,
  overdue: n === today ? 3 : 0,
  rounds: n === 9 ? [{ id: "r1", name: "Morning round" }] : [],
}));
const SERVER = { "GET /api/v1/due/days/": { body: days } };

afterEach(cleanup);

describe("the calendar of what is due", () => {
  it("says for each day what falls due, and marks the overdue by more than colour", async () => {
    pretendServer(SERVER);
    show(<DueCalendar area="" chosen="" onChoose={() => undefined} />);
    const cell = await screen.findByLabelText(`${iso(today)}: 4 due, 3 of them overdue`);
    expect(cell.textContent).toContain("!");
    expect(screen.getByLabelText(`${iso(9)}: 1 due`).textContent).not.toContain("!");
    expect(screen.getByText("Morning round").getAttribute("href")).toBe("/plan/r1");
  });

  it("narrows the list to a day and lets go of it again", async () => {
    pretendServer(SERVER);
    const told: string[] = [];
    const { unmount } = show(<DueCalendar area="" chosen="" onChoose={(d) => told.push(d)} />);
    fireEvent.click(await screen.findByLabelText(/: 1 due$/));
    unmount();
    show(<DueCalendar area="" chosen={iso(9)} onChoose={(d) => told.push(d)} />);
    const again = await screen.findByLabelText(/: 1 due$/);
    expect(again.getAttribute("aria-pressed")).toBe("true");
    fireEvent.click(again);
    expect(told).toEqual([iso(9), ""]);
  });

  it("offers no day that is over", async () => {
    pretendServer(SERVER);
    show(<DueCalendar area="" chosen="" onChoose={() => undefined} />);
    await screen.findByLabelText(/: 1 due$/);
    const cells = screen.getAllByRole("button");
    expect(cells.map((c) => (c as HTMLButtonElement).disabled)).toEqual(days.map((_, n) => n < today));
  });
});
