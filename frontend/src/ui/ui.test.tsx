import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { ApiFailure } from "../api/client";
import { show } from "../test/render";
import { ChoiceField, TextField } from "./fields";
import { FileList, Upload } from "./Files";
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

describe("a choice", () => {
  const options = [
    { value: "none", label: "None known" },
    { value: "lead", label: "Lead" },
  ];
  it("does not look chosen before it is", () => {
    render(<ChoiceField label="Exposed to" value="" onChange={() => undefined} options={options} />);
    const field = screen.getByLabelText<HTMLSelectElement>("Exposed to");
    expect(field.selectedOptions[0]?.textContent).toBe("choose…");
    expect(field.selectedOptions[0]?.disabled).toBe(true);
  });
  it("shows what is chosen and offers nothing else", () => {
    const told: string[] = [];
    render(<ChoiceField label="Exposed to" value="lead" onChange={(v) => told.push(v)} options={options} />);
    const field = screen.getByLabelText<HTMLSelectElement>("Exposed to");
    expect([...field.options].map((o) => o.textContent)).toEqual(["None known", "Lead"]);
    fireEvent.change(field, { target: { value: "none" } });
    expect(told).toEqual(["none"]);
  });
});

describe("files", () => {
  const kept = { id: 7, name: "sheet.pdf", size: 2048, at: "2026-11-02T08:00:00Z", by: "Ruben Sallow" };
  it("are had by their names", () => {
    render(<FileList files={[kept]} path="/api/v1/documents/" />);
    expect(screen.getByText("sheet.pdf").getAttribute("href")).toBe("/api/v1/documents/7/");
    expect(screen.getByText(/2 kB/)).toBeTruthy();
  });
  it("are sent when chosen, and a refusal is told", async () => {
    const sent: string[] = [];
    const send = (file: File) => {
      sent.push(file.name);
      return file.name === "bad.exe" ? Promise.reject(new ApiFailure(400, { code: "wrong_kind", message: "bad.exe is no PDF." })) : Promise.resolve(file.name);
    };
    const done: string[] = [];
    show(<Upload label="Attach" send={send} onDone={(made) => done.push(made)} />);
    for (const name of ["sheet.pdf", "bad.exe"]) {
      fireEvent.change(screen.getByLabelText(/Attach|Sending/), { target: { files: [new File(["x"], name)] } });
      await waitFor(() => expect(sent).toContain(name));
    }
    await screen.findByText("bad.exe is no PDF.");
    expect(done).toEqual(["sheet.pdf"]);
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
