import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { show } from "../test/render";
import { TextField } from "./fields";
import { Ring } from "./Ring";
import { useFilters } from "./useFilters";
import { Verdict } from "./Verdict";

afterEach(cleanup);

describe("a text field", () => {
  it("gives back exactly what was typed", () => {
    const typed: string[] = [];
    render(<TextField label="Reading" value="" onChange={(v) => typed.push(v)} numeric />);
    for (const value of ["12,0", "1e999", " 4.0 mA", "-"]) fireEvent.change(screen.getByLabelText("Reading"), { target: { value } });
    expect(typed).toEqual(["12,0", "1e999", " 4.0 mA", "-"]);
  });
  it("ties its complaint to the field for those who listen", () => {
    render(<TextField label="URV" value="x" onChange={() => undefined} error="URV is not a number." hint="Upper range value" />);
    const field = screen.getByLabelText("URV");
    const described = document.getElementById(field.getAttribute("aria-describedby") ?? "");
    expect(described?.textContent).toBe("URV is not a number.");
    expect(screen.queryByText("Upper range value")).toBeNull();
  });
});

describe("a verdict", () => {
  it("is a word and a shape, not a colour alone", () => {
    const { container } = render(<Verdict verdict="fail" />);
    expect(container.textContent).toBe("fail");
    expect(container.querySelector("svg")).toBeTruthy();
  });
  it("says marginal beside a close pass, and nothing where there is none", () => {
    expect(render(<Verdict verdict="pass" close />).container.textContent).toBe("pass, marginal");
    expect(render(<Verdict verdict={null} />).container.textContent).toBe("–");
  });
});

describe("the ring", () => {
  it("closes as far as the job is", () => {
    const arc = (closed: number) => render(<Ring closed={closed} />).container.querySelectorAll("circle");
    expect(arc(0).length).toBe(1);
    const half = Number(arc(0.5)[1]?.getAttribute("stroke-dasharray")?.split(" ")[0]);
    expect(half).toBeCloseTo(Math.PI * 9, 3);
    expect(arc(1)[1]?.getAttribute("stroke")).toBe("var(--kelp)");
  });
});

function Filters() {
  const [get, set, page] = useFilters();
  return (
    <>
      <output>{`${get("search")}|${get("area")}|${page}`}</output>
      <button type="button" onClick={() => set({ search: "pt" })}>
        search
      </button>
      <button type="button" onClick={() => set({ page: "3" })}>
        page
      </button>
    </>
  );
}

describe("filters", () => {
  it("live in the address, and a new search starts at the first page", () => {
    show(<Filters />, "/plant?area=RO&page=2");
    expect(screen.getByRole("status").textContent).toBe("|RO|2");
    fireEvent.click(screen.getByText("search"));
    expect(screen.getByRole("status").textContent).toBe("pt|RO|1");
    fireEvent.click(screen.getByText("page"));
    expect(screen.getByRole("status").textContent).toBe("pt|RO|3");
  });
});
