import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { useState } from "react";
import { afterEach, describe, expect, it } from "vitest";
import { sessionQuery } from "../api/queries";
import { NO_PROOF, ProofFields } from "./Proof";

afterEach(cleanup);

function Form() {
  const [proof, prove] = useState(NO_PROOF);
  return (
    <>
      <ProofFields label="Your password" proof={proof} onChange={prove} errors={{ one_time: "Not that code." }} />
      <output>{`${proof.password}/${proof.one_time}`}</output>
    </>
  );
}

function show(signs_with_code: boolean) {
  const queries = new QueryClient();
  queries.setQueryData(sessionQuery.queryKey, { person: null, plant: "", time_zone: "UTC", password_rule: "", is_new: false, signs_with_code });
  render(
    <QueryClientProvider client={queries}>
      <Form />
    </QueryClientProvider>,
  );
}

describe("what makes a signature", () => {
  it("is the password alone where the plant wants no more", () => {
    show(false);
    expect(screen.queryByLabelText("Code of your device")).toBeNull();
  });

  it("is the password and a code where the plant wants one, each with what is wrong with it", () => {
    show(true);
    fireEvent.change(screen.getByLabelText("Your password"), { target: { value: "secret" } });
    fireEvent.change(screen.getByLabelText("Code of your device"), { target: { value: "123 456" } });
    expect(screen.getByText("secret/123 456")).toBeTruthy();
    expect(screen.getByText("Not that code.")).toBeTruthy();
  });
});
