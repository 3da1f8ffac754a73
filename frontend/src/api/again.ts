import { ApiFailure } from "./client";

/** Seconds between one sending and the next, and how often: after ten minutes it is for a person to say whether it is still meant. */
const WAIT_MS = [1_000, 3_000, 5_000, 10_000];
const TIMES = 60;

/** The server could not store at all, such as with a full disk or a locked database: nothing of what was sent is there, so the same may be sent once more. */
export function isTrouble(error: unknown): error is ApiFailure {
  return error instanceof ApiFailure && error.status === 503 && error.code.startsWith("store_");
}

/** Whether a refused sending is made again by itself. */
export function isSentAgain(count: number, error: unknown): boolean {
  return isTrouble(error) && count < TIMES;
}

/** How long it waits before that. */
export function waitOf(count: number): number {
  return WAIT_MS[Math.min(count, WAIT_MS.length - 1)] ?? 0;
}
