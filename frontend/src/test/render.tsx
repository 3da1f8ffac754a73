import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { configure, render } from "@testing-library/react";
import type { ReactNode } from "react";
import { MemoryRouter } from "react-router";
import { vi } from "vitest";

// A loaded machine may take its time; nothing here waits when there is nothing to wait for.
configure({ asyncUtilTimeout: 30_000 });

/** What the pretended server was asked, and what it answers by path. */
export interface Server {
  asked: { method: string; path: string; body: unknown }[];
  answers: Record<string, { status?: number; body: unknown }>;
}

/** A server that answers from a table; an address that is not in it answers 404. */
export function pretendServer(answers: Server["answers"]): Server {
  const server: Server = { asked: [], answers };
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url, "http://localhost").pathname;
    const text = request.method === "GET" ? "" : await request.clone().text();
    server.asked.push({ method: request.method, path, body: text ? JSON.parse(text) : null });
    const answer = server.answers[`${request.method} ${path}`] ?? { status: 404, body: { code: "not_found", message: "Not there." } };
    return new Response(JSON.stringify(answer.body), { status: answer.status ?? 200, headers: { "Content-Type": "application/json" } });
  });
  return server;
}

/** Render with a fresh query cache and a router. */
export function show(what: ReactNode, at = "/") {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false }, mutations: { retry: false } } });
  return render(
    <QueryClientProvider client={queries}>
      <MemoryRouter initialEntries={[at]}>{what}</MemoryRouter>
    </QueryClientProvider>,
  );
}
