import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Run = Schemas["Run"];
export type RunView = Run["view"];
export type Step = NonNullable<RunView["step"]>;
/** A step on the screen of another one. */
export type Beside = RunView["beside"][number];
/** What is asked of it; the step whose screen it is has as much. */
export type Asked = Omit<Beside, "names_screen">;
export type ReadingSet = RunView["evidence"][number];
export type Row = ReadingSet["rows"][number];
export type Session = Schemas["Session"];

/** A failure as the server tells it, or one of the connection. */
export class ApiFailure extends Error {
  readonly code: string;
  readonly field: string;
  readonly status: number;
  readonly details: Record<string, unknown>;

  constructor(status: number, body: { code?: string; message?: string; field?: string; details?: Record<string, unknown> }) {
    super(body.message ?? "The server gave no reason. What you entered is kept; try again.");
    this.status = status;
    this.code = body.code ?? "unknown";
    this.field = body.field ?? "";
    this.details = body.details ?? {};
  }

  /** Messages by field, for forms. */
  get byField(): Record<string, string> {
    const list = Array.isArray(this.details.faults) ? (this.details.faults as { field: string; message: string }[]) : [];
    const found: Record<string, string> = {};
    for (const f of list) if (f.field) found[f.field] = f.message;
    if (!list.length && this.field) found[this.field] = this.message;
    return found;
  }

  /** The fields whose unlikely number may be said to be so. */
  get unlikely(): string[] {
    const list = Array.isArray(this.details.faults) ? (this.details.faults as { code: string; field: string }[]) : [{ code: this.code, field: this.field }];
    return list.filter((f) => f.code === "unlikely_value").map((f) => f.field);
  }
}

function cookie(name: string): string {
  const found = document.cookie.split("; ").find((c) => c.startsWith(`${name}=`));
  return found ? decodeURIComponent(found.slice(name.length + 1)) : "";
}

export const client = createClient<paths>({
  baseUrl: window.location.origin,
  credentials: "same-origin",
  fetch: (request) => globalThis.fetch(request),
});

client.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", cookie("csrftoken"));
    return request;
  },
  onError() {
    return new ApiFailure(0, {
      code: "no_connection",
      message: "The server can't be reached. Nothing is lost: what you typed is kept here. Try again in a moment.",
    });
  },
});

/** The data of an answer, or the failure thrown. */
export async function unwrap<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const { data, error, response } = await answer;
  if (error !== undefined || data === undefined) {
    const body = typeof error === "object" && error !== null ? error : {};
    throw new ApiFailure(response.status, body);
  }
  return data;
}
